package kit

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Drawn is the file of a drawing of its own, which a lockup or a version has beside the master.
type Drawn struct {
	Name  string // file name as it came, for the copy in the kit
	Data  []byte
	Mends []intake.Mend
}

// An Origin is a drawing that versions are made from: as it was read, and its art, which may have
// served other plans.
type Origin struct {
	Master *intake.Master
	Art    *version.Art
	Name   string // tells its file with its mends from others; that of the master may be empty
	look   *Shape
	tones  *memo[[]preflight.Tone]
}

// A Shape is what of a drawing does not depend on the inks of a brand: what it is compared by, seen
// when it is first asked for, and what was found of versions whose curves other inks left alone.
type Shape struct {
	d        *drawing.Drawing
	seen     memo[*kin.Look]
	outlines version.Outlines
	kinships parallel.Recent[kinship]
}

// NewShape is that of a master as it was read.
func NewShape(m *intake.Master) *Shape { return &Shape{d: m.Drawing} }

func (s *Shape) see(ctx context.Context) (*kin.Look, error) {
	return s.seen.get("", func() (*kin.Look, error) { return kin.See(ctx, s.d) })
}

// NewOrigin is a master in its inks with fresh art, and its shape as it was read.
func NewOrigin(m *intake.Master, name string, shape *Shape) Origin {
	return Origin{m, &version.Art{Drawing: m.Drawing, Keys: m.Keys, Outlines: &shape.outlines}, name, shape, new(memo[[]preflight.Tone])}
}

// Origins are the drawings that the versions of a mark are made from.
type Origins struct {
	Main  Origin
	Drawn map[string]Origin // of lockups and versions that have their own, as the recipe names them
}

// Make makes a version from the drawing that it is drawn by, or from the master.
func (o Origins) Make(ctx context.Context, s version.Spec) (*version.Version, error) {
	ref := s.DrawnBy()
	if ref == "" {
		return o.Main.Art.Make(ctx, s)
	}
	d, ok := o.Drawn[ref]
	if !ok {
		return &version.Version{Spec: s, Refused: fmt.Sprintf("the drawing %s is not there", ref)}, nil
	}
	return d.Art.Make(ctx, s)
}

// fresh are the same drawings with art that nobody has read yet.
func (o Origins) fresh() Origins {
	out := Origins{Main: NewOrigin(o.Main.Master, o.Main.Name, o.Main.look), Drawn: map[string]Origin{}}
	for ref, d := range o.Drawn {
		out.Drawn[ref] = NewOrigin(d.Master, d.Name, d.look)
	}
	return out
}

// A DrawingError says that a drawing of its own cannot be used, and where the recipe names it.
type DrawingError struct {
	Place string // in the recipe
	Ref   string
	Err   error
}

func (e *DrawingError) Error() string {
	return fmt.Sprintf("%s (%s): %v", called(e.Ref), e.Place, e.Err)
}
func (e *DrawingError) Unwrap() error { return e.Err }

// ReadDrawn reads one drawing of its own, the page of its file that ref names, in the inks of the
// brand.
func ReadDrawn(ctx context.Context, ref string, d Drawn, set *fonts.Set, inks []version.InkMapping) (o Origin, err error) {
	at, err := recipe.ParseReference(ref)
	if err != nil {
		return o, err
	}
	mends := slices.Clone(d.Mends)
	if at.Page > 0 {
		mends = append(mends, preflight.Sheet(at.Page))
	}
	m, err := intake.Read(ctx, d.Data, intake.Options{Fonts: set, Mends: mends})
	if err == nil {
		err = UsableDrawn(m, at.Page)
	}
	if err != nil {
		return o, err
	}
	return tied(m, Hash(fmt.Append([]byte(Hash(d.Data)), d.Mends)), inks)
}

// tied is a master as it was read, in the inks of the brand.
func tied(m *intake.Master, name string, inks []version.InkMapping) (o Origin, err error) {
	shape := NewShape(m)
	if m.Drawing, err = version.MapInks(m.Drawing, inks); err != nil {
		return o, err
	}
	return NewOrigin(m, name, shape), nil
}

// UsableDrawn reports why a drawing of its own that was read cannot be used: it has a finding that
// stops, or not that page.
func UsableDrawn(m *intake.Master, page int) error {
	if page > 1 && slices.ContainsFunc(m.Findings, func(f finding.Finding) bool {
		return f.Code == finding.MendIdle && f.Mend == string(preflight.Sheet(page))
	}) {
		return fmt.Errorf("the file holds one drawing, so there is no page %d", page)
	}
	if f, stop := m.Findings.Stopping(); stop {
		return &finding.Stopped{Finding: f}
	}
	return nil
}

// readOrigins reads the master and all drawings of their own.
func readOrigins(ctx context.Context, in Input) (o Origins, err error) {
	refs := in.Recipe.Drawings()
	read := make([]Origin, len(refs))
	err = parallel.Do(ctx, 1+len(refs), func(ctx context.Context, i int) (err error) {
		if i == 0 {
			m, err := intake.Read(ctx, in.Master, in.Options)
			if err == nil {
				o.Main, err = tied(m, "", in.Inks)
			}
			return err
		}
		ref := refs[i-1]
		wrong := func(err error) error { return &DrawingError{in.Recipe.DrawingAt(ref), ref, err} }
		d, ok := in.Drawings[ref]
		if !ok {
			return wrong(fmt.Errorf("the drawing is not there"))
		}
		if read[i-1], err = ReadDrawn(ctx, ref, d, in.Options.Fonts, in.Inks); err != nil {
			return wrong(err)
		}
		return nil
	})
	if err != nil {
		return o, err
	}
	o.Drawn = map[string]Origin{}
	for i, ref := range refs {
		o.Drawn[ref] = read[i]
	}
	return o, nil
}

// A DrawnRef names a drawing of its own in a kit: as its recipe does, with the file.
type DrawnRef struct {
	Path   string        `json:"path"`
	SHA256 string        `json:"sha256"`
	Mends  []intake.Mend `json:"mends,omitempty"`
}

// housed is the input with its drawings named as they lie in the kit, MASTER/wide.pdf#2, whatever
// they were called outside; equal files are one.
func (in Input) housed() (Input, error) {
	refs := in.Recipe.Drawings()
	if len(refs) == 0 {
		return in, nil
	}
	type file struct{ hash, mends string }
	inside := map[file]string{}
	taken := map[string]bool{}
	named := map[string]string{}
	drawings := map[string]Drawn{}
	for _, ref := range refs {
		d, ok := in.Drawings[ref]
		at, err := recipe.ParseReference(ref)
		if err == nil && !ok {
			err = fmt.Errorf("the drawing is not there")
		}
		if err != nil {
			return in, &DrawingError{in.Recipe.DrawingAt(ref), ref, err}
		}
		kind, _ := intake.KindOf(d.Data)
		name := d.Name
		if kind.Disarm != nil { // as with the master, what was dropped is not handed on
			clean, changed, err := kind.Disarm(d.Data)
			if err != nil {
				return in, &DrawingError{in.Recipe.DrawingAt(ref), ref, err}
			}
			if changed {
				d.Data, name = clean, strings.TrimSuffix(name, path.Ext(name))+"."+kind.Key
			}
		}
		k := file{Hash(d.Data), fmt.Sprint(d.Mends)}
		p := inside[k]
		if p == "" {
			p = house + Another(safeName(name, kind.Key), func(s string) bool { return taken[house+s] })
			inside[k], taken[p] = p, true
		}
		to := recipe.Reference{File: p, Page: at.Page}.String()
		named[ref], drawings[to] = to, d
	}
	in.Recipe = in.Recipe.WithDrawings(func(ref string) string { return named[ref] })
	in.Drawings = drawings
	return in, nil
}

// Another is the name of a file, with a number before its suffix if it is taken.
func Another(name string, taken func(name string) bool) string {
	ext := path.Ext(name)
	out := name
	for n := 2; taken(out); n++ {
		out = fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), n, ext)
	}
	return out
}

// Housed is a recipe with its drawings named as they would lie in a kit, and their files.
func Housed(r *recipe.Recipe, drawings map[string]Drawn) (*recipe.Recipe, []DrawnRef, error) {
	in, err := Input{Recipe: r, Drawings: drawings}.housed()
	if err != nil {
		return nil, nil, err
	}
	refs, _ := in.kept()
	return in.Recipe, refs, nil
}

// house is the folder of a kit that holds the drawings of their own.
const house = "MASTER/drawings/"

// kept are the files of the drawings of their own, in the order in which the recipe names them.
func (in Input) kept() (refs []DrawnRef, data [][]byte) {
	for _, ref := range in.Recipe.Drawings() {
		at, _ := recipe.ParseReference(ref) // housed made it
		if slices.ContainsFunc(refs, func(r DrawnRef) bool { return r.Path == at.File }) {
			continue
		}
		d := in.Drawings[ref]
		refs, data = append(refs, DrawnRef{at.File, Hash(d.Data), d.Mends}), append(data, d.Data)
	}
	return refs, data
}

// drawnIn gives the drawings of a kit's own recipe from its files, as housed named them.
func (m *Manifest) drawnIn(get func(path string) ([]byte, error)) (map[string]Drawn, error) {
	out := map[string]Drawn{}
	for _, ref := range m.Recipe.Drawings() {
		at, err := recipe.ParseReference(ref)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(m.Drawings, func(r DrawnRef) bool { return r.Path == at.File })
		if i < 0 {
			return nil, fmt.Errorf("%w: kit.json does not list the drawing %s", ErrNotKit, at.File)
		}
		b, err := get(at.File)
		if err != nil {
			return nil, err
		}
		if Hash(b) != m.Drawings[i].SHA256 {
			return nil, fmt.Errorf("%s: %w: it was changed after the kit was built", at.File, ErrCheck)
		}
		out[ref] = Drawn{Name: path.Base(at.File), Data: b, Mends: m.Drawings[i].Mends}
	}
	return out, nil
}

// Lockup is the art of a lockup: its own drawing, or parts of the master.
func (o Origins) Lockup(ctx context.Context, l version.Lockup) (*drawing.Drawing, error) {
	if l.Drawing == "" {
		return version.Arrange(ctx, o.Main.Master.Drawing, l)
	}
	d, ok := o.Drawn[l.Drawing]
	if !ok {
		return nil, fmt.Errorf("the drawing %s is not there", l.Drawing)
	}
	return d.Master.Drawing, nil
}

// sayDrawn takes what a person should look at in the drawings of their own among the findings.
func (p *Plan) sayDrawn(r *recipe.Recipe) {
	for _, ref := range r.Drawings() {
		d, ok := p.from.Drawn[ref]
		if !ok {
			continue
		}
		for _, f := range d.Master.Findings {
			switch {
			case f.Code == finding.SeveralDrawings && f.Severity == finding.Note:
				at, _ := recipe.ParseReference(ref)
				p.Findings.Add(f.Code, finding.Warn, fmt.Sprintf("%s holds several pages or drawings, and none was named: say which, as in %s#2", called(ref), called(at.File)), "", geom.Rect{})
			case f.Severity == finding.Note: // of its own page, which nobody looks at here
			case f.Code == finding.Backing && groundOnly(r, ref): // which is said of the version
			default:
				p.Findings.Add(f.Code, f.Severity, called(ref)+": "+f.Message, strings.Join(f.Parts, ", "), geom.Rect{})
			}
		}
	}
}

// groundOnly reports whether all that a drawing is for are versions in one ink, which leave out
// what lies behind all of it.
func groundOnly(r *recipe.Recipe, ref string) bool {
	return !slices.ContainsFunc(r.Lockups, func(l version.Lockup) bool { return l.Drawing == ref }) &&
		!slices.ContainsFunc(r.Versions, func(s version.Spec) bool { return s.Drawing == ref && s.Treatment != version.SingleInk })
}
