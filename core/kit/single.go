package kit

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/format"
	"dyekit/core/guide"
	"dyekit/core/intake"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Source is what a kit was made from, ready to make single files that the kit has not. They
// have the bytes that a kit would have whose recipe asks for them. It is safe for concurrent
// use.
type Source struct {
	manifest Manifest
	plan     *Plan
	get      func(path string) ([]byte, error)
	proven   memo[struct{}] // versions of which a file of the kit agrees with the plan
	sketches memo[[]byte]
}

// ErrChanged is wrapped where a kit can no longer be made from its own manifest: by another
// release, or without its fonts.
var ErrChanged = errors.New("what this kit was made from gives another picture today")

// A NotMadeError says why a file is not made that somebody ordered.
type NotMadeError struct{ Reason string }

func (e *NotMadeError) Error() string { return e.Reason }

// NewSource reads a kit's manifest and master among its files, which get returns by their
// path, and plans its versions again. set are the fonts of live text.
func NewSource(ctx context.Context, get func(path string) ([]byte, error), set *fonts.Set) (*Source, error) {
	s := &Source{get: get}
	body, err := get("kit.json")
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(body, &s.manifest); err != nil {
		return nil, fmt.Errorf("%w: kit.json: %v", ErrNotKit, err)
	}
	m := &s.manifest
	if m.Recipe == nil || m.Recipe.Check() != nil {
		return nil, fmt.Errorf("%w: the recipe in kit.json is broken", ErrNotKit)
	}
	in := Input{Brand: m.Brand, Recipe: m.Recipe, Inks: m.Inks, Options: intake.Options{Mends: m.Mends, Parts: m.Parts, Fonts: set}}
	if in.Master, err = s.part(m.Master); err != nil {
		return nil, err
	}
	if in.Drawings, err = m.drawnIn(get); err != nil {
		return nil, err
	}
	if m.Profile != nil {
		if in.Profile, err = s.part(*m.Profile); err != nil {
			return nil, err
		}
	}
	s.plan, err = NewPlan(ctx, in)
	return s, err
}

// part is a file that the manifest names beside those of the recipe.
func (s *Source) part(r MasterRef) ([]byte, error) {
	data, err := s.get(r.Path)
	if err == nil && Hash(data) != r.SHA256 {
		err = fmt.Errorf("%s: %w: it was changed", r.Path, ErrCheck)
	}
	return data, err
}

// Inspect plans the versions of a master as the recipe standard makes them, to make single
// files of a mark of which there is no kit.
func Inspect(ctx context.Context, in Input) (*Source, error) {
	p, err := NewPlan(ctx, in)
	if err != nil {
		return nil, err
	}
	if f, stop := p.Findings.Stopping(); stop {
		return nil, fmt.Errorf("%w: %s", ErrRefused, f.Message)
	}
	s := &Source{plan: p, manifest: Manifest{Brand: in.Brand, Recipe: in.Recipe}}
	s.manifest.Advice, err = p.Advice(ctx)
	return s, err
}

// Wanted is what sentences are answered from: the files of the kit and what can be made.
func (s *Source) Wanted(ctx context.Context, may asked.May) (asked.Kit, error) {
	k := asked.Kit{May: may}
	inks, err := s.plan.NamedInks(ctx)
	if err != nil {
		return k, err
	}
	for _, i := range inks {
		if i.Own && (i.Colour.Tint == 0 || i.Colour.Tint == 100) {
			k.Inks = append(k.Inks, asked.Ink{Name: i.Name, Hex: i.Colour.RGB.Hex()})
		}
	}
	for _, f := range s.manifest.Files {
		k.Files.Files = append(k.Files.Files, askedFile(f))
	}
	j := newJob(s.manifest.Brand, s.plan)
	for _, v := range s.plan.Versions {
		if v.Drawing != nil {
			k.Versions = append(k.Versions, j.guideVersion(v))
			k.Spot = k.Spot || hasSpots(v.Drawing)
		}
	}
	k.Versions = asked.Arranged(k.Versions)
	return k, nil
}

// Planned is Wanted for a mark of which there is no kit: its files are those of the recipe,
// which weigh nothing yet.
func (s *Source) Planned(ctx context.Context) (asked.Kit, error) {
	k, err := s.Wanted(ctx, asked.All)
	for _, f := range s.plan.Files {
		k.Files.Files = append(k.Files.Files, askedFile(describe(f, 0, "", nil)))
	}
	return k, err
}

// askedFile is a file as people ask for it: by the version that it stands in for.
func askedFile(f File) guide.File {
	if f.For != "" {
		f.Version = f.For
	}
	return guideFile(f)
}

// tries bounds how often a file is made smaller that is too heavy.
const tries = 6

// Make makes one file and checks it like any other. What cannot be made is a NotMadeError.
func (s *Source) Make(ctx context.Context, o asked.Order) (File, []byte, error) {
	for n := 1; ; n++ {
		f, data, err := s.one(ctx, o)
		if err != nil || o.MostKB == 0 || float64(f.Bytes) <= 1000*o.MostKB {
			return f, data, err
		}
		next, ok := o.Lighter(f.WidthPx, float64(f.Bytes)/(1000*o.MostKB))
		if !ok || n == tries {
			return File{}, nil, &NotMadeError{fmt.Sprintf("it weighs %s and not less than %g kB", Weight(f.Bytes), o.MostKB)}
		}
		o = next
	}
}

// one makes the file of an order, whatever it weighs.
func (s *Source) one(ctx context.Context, o asked.Order) (File, []byte, error) {
	r, base, err := *s.manifest.Recipe, s.plan, error(nil)
	if o.Ink != "" {
		if base, err = s.inked(ctx, &r, &o); err != nil {
			return File{}, nil, err
		}
	}
	r.Files = []recipe.Entry{o.Entry}
	if err := r.Check(); err != nil {
		return File{}, nil, &NotMadeError{err.Error()}
	}
	p, err := base.asking(s.manifest.Brand, &r)
	switch {
	case err != nil:
		return File{}, nil, err
	case len(p.Files) == 0:
		return File{}, nil, &NotMadeError{firstReason(p.Omitted)}
	case len(p.Files) > 1:
		return File{}, nil, fmt.Errorf("one file was ordered, not %d", len(p.Files))
	}
	f := p.Files[0]
	for _, v := range f.Versions {
		if err := s.prove(ctx, v); err != nil {
			return File{}, nil, err
		}
	}
	return s.finished(ctx, p, f)
}

// finished makes a planned file and checks it.
func (s *Source) finished(ctx context.Context, p *Plan, f recipe.File) (File, []byte, error) {
	j := newJob(s.manifest.Brand, p)
	var keep Store
	j.depot = &keep
	out, reason, err := j.file(ctx, f)
	if err != nil || reason != "" {
		if reason != "" {
			err = &NotMadeError{reason}
		}
		return File{}, nil, err
	}
	if a := s.manifest.Advice; a != nil {
		out.Below = p.below(out, a.Smallest)
	}
	data, err := keep.Get(ctx, out.SHA256)
	return out, data, err
}

// inked is the plan with a version more, that of an order in another ink of the brand, which the
// recipe and the order name then.
func (s *Source) inked(ctx context.Context, r *recipe.Recipe, o *asked.Order) (*Plan, error) {
	base := s.plan.version(o.Version())
	inks, err := s.plan.NamedInks(ctx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(inks, func(k NamedInk) bool { return k.Own && k.Name == o.Ink })
	if base == nil || base.Drawing == nil || base.Spec.Treatment != version.SingleInk || i < 0 {
		return nil, &NotMadeError{fmt.Sprintf("there is no version in the ink %q", o.Ink)}
	}
	k, spec := inks[i], base.Spec
	spec.Name = recipe.Slug(o.Ink)
	for s.plan.version(spec.Name) != nil {
		spec.Name += "-ink"
	}
	spec.Ink = &version.Ink{Name: o.Ink, RGB: k.Colour.RGB.Hex(), Spot: k.Colour.Spot, CMYK: &[4]float64{k.Build.C, k.Build.M, k.Build.Y, k.Build.K}}
	v, err := s.plan.from.fresh().Make(ctx, spec)
	if err != nil {
		return nil, err
	}
	frame := s.plan.FrameOf(o.Version())
	if v.Drawing != nil {
		if err := v.Ground(frame.Box); err != nil {
			return nil, err
		}
	}
	p := s.plan.with(append(slices.Clip(s.plan.Versions), v))
	p.Own = maps.Clone(p.Own)
	p.own(spec.Name, frame)
	r.Versions = append(slices.Clip(r.Versions), spec)
	o.Versions = []string{spec.Name}
	return p, nil
}

// with is the plan with other versions, and no files.
func (p *Plan) with(versions []*version.Version) *Plan {
	return &Plan{Master: p.Master, from: p.from, Base: p.Base, Frame: p.Frame, Own: p.Own, Versions: versions, Press: p.Press, Inks: p.Inks, outlines: p.outlines,
		smallest: p.smallest, clearSpace: p.clearSpace, clearHeight: p.clearHeight, clearBox: p.clearBox}
}

// asking is a plan of the same versions for another list of files.
func (p *Plan) asking(brand string, r *recipe.Recipe) (*Plan, error) {
	refused := map[string]string{}
	for _, v := range p.Versions {
		if v.Drawing == nil {
			refused[v.Spec.Name] = v.Refused
		}
	}
	q := p.with(p.Versions)
	var err error
	q.Files, q.Omitted, err = r.Plan(brand, q.art(refused))
	return q, err
}

// prove holds one file of the kit that shows a version to the plan, once: so that what is made
// later shows the same as the kit.
func (s *Source) prove(ctx context.Context, version string) error {
	_, err := s.proven.get(version, func() (struct{}, error) { return struct{}{}, s.agrees(ctx, version) })
	return err
}

func (s *Source) agrees(ctx context.Context, version string) error {
	best := -1
	lightest := func(of func(f File) bool) {
		for i, f := range s.manifest.Files {
			if of(f) && !advice.Icon(f.Path) && (best < 0 || f.Bytes < s.manifest.Files[best].Bytes) {
				best = i
			}
		}
	}
	lightest(func(f File) bool { return f.Version == version && f.Format == format.SVG })
	if best < 0 {
		lightest(func(f File) bool { return f.Version == version && f.Format != format.ICO })
	}
	if best < 0 { // no file of the kit shows it alone: another one tells of the master
		lightest(func(f File) bool { return f.Format != format.ICO })
	}
	if best < 0 {
		return nil
	}
	file := s.manifest.Files[best]
	i := slices.IndexFunc(s.plan.Files, func(f recipe.File) bool { return f.Path == file.Path })
	if i < 0 {
		return fmt.Errorf("%w: %s is not among its files", ErrChanged, file.Path)
	}
	data, err := s.get(file.Path)
	if err != nil {
		return err
	}
	if Hash(data) != file.SHA256 {
		return fmt.Errorf("%s: %w: it was changed after the kit was built", file.Path, ErrCheck)
	}
	j := newJob(s.manifest.Brand, s.plan)
	px, err := j.pixels(ctx, s.plan.Files[i])
	if err != nil {
		return err
	}
	cs, err := j.check(ctx, s.plan.Files[i], px, data)
	if err != nil {
		return err
	}
	if c, bad := failed(cs); bad {
		return fmt.Errorf("%w: %s: %s: %s", ErrChanged, file.Path, c.Name, c.Found)
	}
	return nil
}

// Smallest is what is advised for a version, nil if nothing is.
func (s *Source) Smallest(version string) *advice.Smallest {
	if a := s.manifest.Advice; a != nil {
		for i := range a.Smallest {
			if a.Smallest[i].Version == version {
				return &a.Smallest[i]
			}
		}
	}
	return nil
}

// Brand is the brand of the kit, and Naming the pattern of its names.
func (s *Source) Brand() string  { return s.manifest.Brand }
func (s *Source) Naming() string { return s.manifest.Recipe.Naming }

// File is a file of the kit; where there is no kit, it is made as the recipe asks for it.
func (s *Source) File(ctx context.Context, path string) ([]byte, error) {
	if s.get != nil {
		data, err := s.get(path)
		if err != nil {
			return nil, err
		}
		if i := slices.IndexFunc(s.manifest.Files, func(f File) bool { return f.Path == path }); i < 0 || Hash(data) != s.manifest.Files[i].SHA256 {
			return nil, fmt.Errorf("%s: %w: it was changed after the kit was built", path, ErrCheck)
		}
		return data, nil
	}
	i := slices.IndexFunc(s.plan.Files, func(f recipe.File) bool { return f.Path == path })
	if i < 0 {
		return nil, fmt.Errorf("the recipe asks for no %s", path)
	}
	_, data, err := s.finished(ctx, s.plan, s.plan.Files[i])
	return data, err
}

// Sketch shows a version on the ground that it is meant for, as the guide does: PNG, nil if there
// is no such version.
func (s *Source) Sketch(ctx context.Context, version string) ([]byte, error) {
	v := s.plan.version(version)
	if v == nil || v.Drawing == nil {
		return nil, nil
	}
	return s.sketches.get(version, func() ([]byte, error) {
		j := newJob(s.manifest.Brand, s.plan)
		return j.sketched(ctx, j.versionSketch(v, Dark(v) && !v.OnBacking()))
	})
}

// Drawings are the versions of the kit that could be made, by name.
func (s *Source) Drawings() map[string]*drawing.Drawing {
	out := map[string]*drawing.Drawing{}
	for _, v := range s.plan.Versions {
		if v.Drawing != nil {
			out[v.Spec.Name] = v.Drawing
		}
	}
	return out
}
