package kit

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Plan is everything known before anything is made.
type Plan struct {
	Master   *intake.Master
	from     Origins                // the master, and the drawings of their own
	Base     *drawing.Drawing       // the art of the versions that name no lockup
	Frame    frame.Frame            // of all versions
	Own      map[string]frame.Frame // of versions that have one, by name
	Versions []*version.Version
	Files    []recipe.File
	Omitted  []recipe.Omission
	Inside   []recipe.Omission // not left out: they hold an effect as a picture
	Findings finding.List
	// Hairlines are findings about the master that depend on the recipe: lines
	// that fade in its smallest picture. Findings has them too.
	Hairlines finding.List
	Press     *colour.Press        // of files in process inks that name none
	Inks      []version.InkMapping // of the brand, for those mixed otherwise on other paper

	// Keep, if not nil, keeps what was seen of versions, for other plans: what see makes, by
	// a key that names all that it depends on, if masters that differ differ in their Name.
	Keep func(ctx context.Context, key string, see func(context.Context) (*advice.Look, error)) (*advice.Look, error)

	judged      memo[*advice.Look]
	described   memo[advice.Version]
	lookKeys    memo[string] // by version and grain
	ownPages    bool         // frames are the drawings' own pages
	smallest    frame.Length // of the whole mark, as a person wrote it
	clearSpace  *frame.Clear // a person's, with
	clearHeight float64      // the height of its part, and
	clearBox    geom.Rect    // where that lies, in page units

	outlines *raster.Outlines // of versions of which there are several pictures
	resolved memo[struct{}]   // those whose outlines there are
}

// NewPlan reads the master, makes the versions and lists the files.
func NewPlan(ctx context.Context, in Input) (*Plan, error) {
	from, err := readOrigins(ctx, in)
	if err != nil {
		return nil, err
	}
	// What cores the dividing of the page for versions in one ink leaves free ready
	// the outlines for the pictures.
	var p *Plan
	outlines := new(raster.Outlines)
	err = parallel.Beside(ctx, func(ctx context.Context) (err error) {
		p, err = PlanFor(ctx, from, in.Brand, in.Recipe)
		return err
	}, func(ctx context.Context) error {
		if !drawnOften(in.Recipe) {
			return nil
		}
		return outlines.Resolve(ctx, from.Main.Master.Drawing)
	})
	if err != nil {
		return nil, err
	}
	p.outlines = outlines
	for _, v := range p.Versions {
		v.Release() // nobody looks at the readings of a kit
	}
	p.from = from.fresh() // nor is the division of the page used again, which is large
	p.Inks = in.Inks
	if len(in.Profile) == 0 {
		return p, nil
	}
	p.Press, err = icc.Read(in.Profile)
	return p, err
}

// drawnOften reports whether a recipe asks for several pictures of the master as
// it is drawn.
func drawnOften(r *recipe.Recipe) bool {
	if r.Standard() != nil || !slices.ContainsFunc(r.Versions, func(s version.Spec) bool { return s.Treatment == version.AsDrawn && s.Whole() }) {
		return false
	}
	n := 0
	for _, e := range r.Files {
		if e.Kind().Pixels {
			n += len(e.Widths)
		}
	}
	return n >= severalPictures
}

// PlanFor is NewPlan for drawings that have been read.
func PlanFor(ctx context.Context, from Origins, brand string, r *recipe.Recipe) (*Plan, error) {
	m := from.Main.Master
	p := &Plan{Master: m, from: from, Findings: slices.Clone(m.Findings), Press: colour.Coated, outlines: new(raster.Outlines)}
	if x, ok := colour.PressOf(r.Press); ok {
		p.Press = x
	}
	p.smallest, p.ownPages = r.Frame.Smallest, r.Frame.Fit == frame.ViewBox
	page := m.Drawing.Page
	art, refused := m.Drawing.Bounds().Intersect(page), map[string]string{}
	standard := r.Standard()
	p.Base = m.Drawing
	p.sayDrawn(r)
	if standard != nil {
		// A lockup the master cannot make refuses its versions, not the kit.
		if d, err := from.Lockup(ctx, *standard); err == nil {
			p.Base, page = d, d.Page
			art = d.Bounds()
		} else if ctx.Err() != nil {
			return nil, ctx.Err()
		}
	}
	p.Versions = make([]*version.Version, len(r.Versions))
	err := parallel.Do(ctx, len(r.Versions), func(ctx context.Context, i int) (err error) {
		p.Versions[i], err = from.Make(ctx, r.Arranged(r.Versions[i]))
		return err
	})
	if err != nil {
		return nil, err
	}
	for i, s := range r.Versions {
		v := p.Versions[i]
		for _, f := range v.Findings {
			p.Findings.Add(f.Code, f.Severity, f.Message, strings.Join(f.Parts, ", "), f.Place)
		}
		if v.Drawing == nil {
			refused[s.Name] = v.Refused
		} else if r.Frame.Reach == frame.ReachAll && mayReach(s) && !v.OwnFrame(standard != nil) {
			art = art.Union(v.Drawing.Bounds())
			if s.Finish != nil {
				page = page.Union(v.Drawing.Bounds()) // nothing of it is cut
			}
		}
	}
	if err := p.frames(ctx, r, page, art); err != nil {
		return nil, err
	}
	if p.Files, p.Omitted, err = r.Plan(brand, p.art(refused)); err != nil {
		return nil, err
	}
	if err := p.differ(ctx, r); err != nil {
		return nil, err
	}
	p.Inside = p.inside()
	for _, o := range p.Inside {
		p.Findings.Add(finding.RasterInside, finding.Note, o.Reason, o.Version, geom.Rect{}) // one for all versions
	}
	for _, f := range p.Files {
		if k := f.Distortion(p.art(refused)); k != 1 {
			p.Findings.Add(finding.Distorted, finding.Warn, fmt.Sprintf("stretched on purpose: in these files the mark is %.2f times as wide as it is drawn", k), f.Path, geom.Rect{})
		}
	}
	p.stripes()
	p.softer()
	for _, f := range r.Below(p.Files) {
		p.Findings.Add(finding.TooSmall, finding.Warn, "these files are narrower than the smallest size of their lockup", f.Path, geom.Rect{})
	}
	if odd := r.Odd(brand, p.Files); odd != "" {
		p.Findings.Add(finding.OddName, finding.Note, odd, "", geom.Rect{})
	}
	p.Hairlines = p.hairlines(r)
	p.Findings = append(p.Findings, p.Hairlines...)
	return p, nil
}

// hairlines looks for lines that fade in the smallest picture of the recipe;
// icons are left aside, which show no detail anyway.
func (p *Plan) hairlines(r *recipe.Recipe) (fs finding.List) {
	for _, ref := range append([]string{""}, r.Drawings()...) {
		m, where := p.Master, ""
		if ref != "" {
			m, where = p.from.Drawn[ref].Master, " of "+called(ref)
		}
		if m == nil || !m.Kind.Vector {
			continue
		}
		least, box := 0, p.Frame.Box
		for _, f := range p.Files {
			if f.Icon != nil || f.W == 0 || least > 0 && f.W >= least {
				continue
			}
			if v := p.version(f.Version()); v != nil && v.Spec.DrawnBy() == ref {
				if least = f.W; ref != "" {
					box = p.FrameOf(f.Version()).Box
				}
			}
		}
		if least > 0 {
			fs = append(fs, preflight.Hairlines(m.Drawing, box.W()/float64(least), fmt.Sprintf("the smallest picture%s, %d px wide,", where, least))...)
		}
	}
	return fs
}

// frames finds the frame that all versions share, those of versions on a
// backing, drawn to the same scale, and those of parts alone.
func (p *Plan) frames(ctx context.Context, r *recipe.Recipe, page, art geom.Rect) (err error) {
	s, err := p.clear(ctx, r.Frame)
	if err != nil {
		return err
	}
	if p.Frame, err = s.Around(art, page); err != nil {
		return fmt.Errorf("frame: %w", err)
	}
	// Versions that leave out a backing share a frame that follows what is left.
	bare := func(v *version.Version) bool {
		return v.Drawing != nil && v.Unbacked && !s.Backing && s.Fit != frame.ViewBox
	}
	var left geom.Rect
	for _, v := range p.Versions {
		if bare(v) && !v.OwnFrame(r.Standard() != nil) {
			left = left.Union(v.Drawing.Bounds())
		}
	}
	for _, v := range p.Versions {
		own := v.OwnFrame(r.Standard() != nil)
		reaches := v.Drawing != nil && !own && r.Frame.Reach != frame.ReachAll && mayReach(v.Spec) && !art.Contains(v.Drawing.Bounds(), 1e-6)
		if reaches {
			f, err := s.Around(art.Union(v.Drawing.Bounds()), page.Union(v.Drawing.Bounds())) // nothing of it is cut
			if err != nil {
				return fmt.Errorf("frame: %w", err)
			}
			p.own(v.Spec.Name, f)
			continue
		}
		if v.Drawing == nil || !own && !bare(v) {
			continue
		}
		box := v.Drawing.Bounds()
		if ref := v.Spec.DrawnBy(); own && ref != "" {
			f, err := p.drawnFrame(ctx, r.Frame, v, p.from.Drawn[ref].Master.Drawing)
			if err != nil {
				return fmt.Errorf("frame: %w", err)
			}
			p.own(v.Spec.Name, f)
			continue
		}
		if !own {
			box = left
		} else if bare(v) {
			// of the art alone
		} else if v.Spec.Lockup == "" || r.Standard() == nil && v.Spec.Whole() {
			box = box.Union(art)
		}
		f, err := s.Around(box, page)
		if err != nil {
			return fmt.Errorf("frame: %w", err)
		}
		p.own(v.Spec.Name, f)
	}
	for i, v := range p.Versions {
		c := *v // versions may serve other plans
		if err := c.Ground(p.FrameOf(c.Spec.Name).Box); err != nil {
			return err
		}
		p.Versions[i] = &c
	}
	return nil
}

// drawnFrame is the frame of a version that is made from a drawing of its own: round that
// drawing, on its own page, with a clear space by the height of the part as it is there.
func (p *Plan) drawnFrame(ctx context.Context, s frame.Spec, v *version.Version, d *drawing.Drawing) (frame.Frame, error) {
	box, page := v.Drawing.Bounds(), d.Page
	if v.OnBacking() || mayReach(v.Spec) {
		page = page.Union(box) // nothing of it is cut
	}
	if s.Clear != nil && p.clearSpace == nil {
		s.Clear = nil // the mark has no such part, which was said
	}
	if s.Clear != nil {
		part, err := version.Arrange(ctx, d, version.Lockup{Name: "clear", Parts: []string{s.Clear.Part}})
		switch {
		case ctx.Err() != nil:
			return frame.Frame{}, ctx.Err()
		case err == nil:
			s = s.Resolved(part.Bounds().H())
		default:
			p.Findings.Add(finding.ClearSpace, finding.Warn, fmt.Sprintf("the clear space is measured in the part %q, which the drawing %s has not: there it has the same share of the longer side as in the mark", s.Clear.Part, called(v.Spec.DrawnBy())), v.Spec.Name, geom.Rect{})
			s = s.Resolved(p.clearHeight * box.Long() / p.Base.Bounds().Long())
		}
	}
	return s.Around(box, page)
}

// own gives a version a frame of its own.
func (p *Plan) own(name string, f frame.Frame) {
	if p.Own == nil {
		p.Own = map[string]frame.Frame{}
	}
	p.Own[name] = f
}

// mayReach reports whether a version may reach past the art.
func mayReach(s version.Spec) bool { return s.Outline != nil || s.Finish != nil }

// clear turns a clear space into a margin by the height of its part.
func (p *Plan) clear(ctx context.Context, s frame.Spec) (frame.Spec, error) {
	if s.Clear == nil {
		return s, nil
	}
	l := version.Lockup{Name: "clear", Parts: []string{s.Clear.Part}}
	d, err := version.Arrange(ctx, p.Base, l)
	if ctx.Err() != nil {
		return s, ctx.Err()
	}
	if err != nil { // the part is gone: say so, and trim
		p.Findings.Add(finding.ClearSpace, finding.Warn, fmt.Sprintf("the clear space is measured in the part %q, which the mark has not: there is none", s.Clear.Part), "", geom.Rect{})
		s.Clear = nil
		return s, nil
	}
	p.clearSpace, p.clearBox, p.clearHeight = s.Clear, d.Bounds(), d.Bounds().H()
	return s.Resolved(d.Bounds().H()), nil
}

// FrameOf is the frame of a version.
func (p *Plan) FrameOf(version string) frame.Frame {
	if f, ok := p.Own[version]; ok {
		return f
	}
	return p.Frame
}

// art is what the recipe must know.
func (p *Plan) art(refused map[string]string) recipe.Art {
	of := func(d *drawing.Drawing, f frame.Frame) recipe.Art {
		return recipe.Art{W: f.W, H: f.H, Pixels: sharpest(d, f)}
	}
	all := of(p.Base, p.Frame)
	all.Refused, all.Own, all.Carry = refused, map[string]recipe.Art{}, p.leftOut
	all.White, all.Only = map[string]bool{}, map[string]colour.RGB{}
	for _, v := range p.Versions {
		if v.Drawing != nil {
			all.White[v.Spec.Name] = v.White()
			if c, one := onlyInk(v.Drawing); one {
				all.Only[v.Spec.Name] = c
			}
			all.Own[v.Spec.Name] = of(v.Mark(), p.FrameOf(v.Spec.Name))
		}
	}
	return all
}

// mainly is the share of the art that a picture covers from which on the art
// counts as a picture.
const mainly = 0.5

// sharpest is the widest the frame may be drawn before a picture that most of
// the art consists of is enlarged past its own pixels, 0 if there is none. What
// is a small part of a drawing does not bound the whole; see softer.
func sharpest(d *drawing.Drawing, f frame.Frame) int {
	least, _ := limits(d, f)
	return least
}

// limits returns the widths, in px, up to which the pictures that most of the
// art consists of are sharp, and those that are a part of it; 0 for none.
func limits(d *drawing.Drawing, f frame.Frame) (main, part int) {
	all := geom.Rect{} // of art that holds no picture nobody asks
	lower := func(to *int, k float64) {
		if n := int(k + 0.5); *to == 0 || n < *to {
			*to = n
		}
	}
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		p, ok := n.(*drawing.Picture)
		if !ok {
			return
		}
		across := p.To.Vec(geom.Pt(1, 0)).Len()
		k := float64(p.Image.Bounds().Dx()) / across * f.Box.W()
		if all.Empty() {
			all = d.Bounds()
		}
		if drawing.Bounds(p).Intersect(all).Area() >= mainly*all.Area() {
			lower(&main, k)
		} else {
			lower(&part, k)
		}
	})
	return main, part
}

// aStripe is how many times as long as wide art is that becomes a stripe in a square.
const aStripe = 2.0

// stripes says which versions are too long for the square files made of them.
func (p *Plan) stripes() {
	for _, v := range p.Versions {
		if v.Drawing == nil || !slices.ContainsFunc(p.Files, func(f recipe.File) bool {
			return f.Square() && slices.Contains(f.Versions, v.Spec.Name)
		}) {
			continue
		}
		art := v.Mark().Bounds()
		if k := art.Long() / min(art.W(), art.H()); k > aStripe {
			p.Findings.Add(finding.Stripe, finding.Warn, fmt.Sprintf("%s is %.1f times as long as it is wide: in square icons and profile pictures it is only a stripe, %.0f of 32 px. Name its symbol under Parts, and choose it for them", v.Spec.Name, k, math.Round(32/k)), "", geom.Rect{})
		}
	}
}

// softer says which files show a picture inside the art larger than it is.
func (p *Plan) softer() {
	for _, v := range p.Versions {
		if v.Drawing == nil || v.Mark() == v.Drawing {
			continue
		}
		// A ground may be soft, so that it bounds no file; but it is said.
		sharp, _ := limits(&drawing.Drawing{Nodes: v.Drawing.Nodes[:1]}, p.FrameOf(v.Spec.Name))
		if sharp > 0 && slices.ContainsFunc(p.Files, func(f recipe.File) bool {
			return f.W > sharp && slices.Contains(f.Versions, v.Spec.Name)
		}) {
			p.Findings.Add(finding.RasterInside, finding.Warn, fmt.Sprintf("the picture that %s stands on is sharp in files up to %d px wide; in wider ones it is enlarged and looks soft", v.Spec.Name, sharp), "", geom.Rect{})
		}
	}
	_, part := limits(p.Base, p.Frame)
	if part == 0 {
		return
	}
	for _, f := range p.Files {
		if f.Icon == nil && f.W > part {
			p.Findings.Add(finding.RasterInside, finding.Warn, fmt.Sprintf("a picture inside the art is sharp in files up to %d px wide; in wider ones it is enlarged and looks soft", part), "", geom.Rect{})
			return
		}
	}
}
