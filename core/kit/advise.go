package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/guide"
	"dyekit/core/intake"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// lightInk is the contrast on white below which an ink is taken for one that is
// meant for dark grounds.
const lightInk = 1.5

// Dark reports whether a version is made for dark grounds, on which it has to be shown.
func Dark(v *version.Version) bool {
	c, one := ink(v)
	return v.White() || v.Spec.Reversed == version.OnDark || one && !v.OnBacking() && colour.Contrast(c, colour.White) < lightInk
}

func ink(v *version.Version) (colour.RGB, bool) {
	if !v.Spec.OneInk() || v.Spec.Ink == nil {
		return colour.RGB{}, false
	}
	c, err := v.Spec.Ink.Colour()
	return c.RGB, err == nil
}

// Dark reports whether a version of the plan is made for dark grounds, as its advice has it.
func (p *Plan) Dark(v *version.Version) bool { return p.advised(v).Dark }

// advised is a version as it is judged. It is found once: whether a picture is white
// takes a look at all its pixels.
func (p *Plan) advised(v *version.Version) advice.Version {
	a, _ := p.described.get(v.Spec.Name, func() (advice.Version, error) { return p.describe(v), nil })
	return a
}

func (p *Plan) describe(v *version.Version) advice.Version {
	name := v.Spec.Name
	a := advice.Version{Name: name, Lockup: v.Spec.Lockup, Drawing: v.Drawing, Mark: v.Mark(),
		Dark: Dark(v), Outlined: v.Spec.Outline != nil, Part: !v.Spec.Whole() || v.Spec.Square, Smallest: string(p.smallest)}
	if a.Lockup == "" {
		a.Lockup = version.Full
	}
	if l := v.Spec.Arranged; l != nil && (l.Smallest != "" || l.Below != "") {
		a.Smallest = string(l.Smallest)
	}
	a.Ink, a.OneInk = ink(v)
	if c, ok := v.GroundColour(); ok {
		a.Backing = &c
	} else if b, ok := backing(v); ok {
		a.Backing = &b
	}
	return a
}

// backing is the colour of a shape that a version has behind it.
func backing(v *version.Version) (colour.RGB, bool) {
	s := v.Spec
	if v.OnBacking() {
		k := s.Ink
		if s.Backing != nil && s.Backing.Ink != nil {
			k = s.Backing.Ink
		}
		if k != nil {
			if c, err := k.Colour(); err == nil {
				return c.RGB, true
			}
		}
	}
	if b, ok := preflight.Backing(v.Drawing); ok {
		return b.Paint.(drawing.Solid).Colour.RGB, true
	}
	return colour.RGB{}, false
}

// Judged looks at all versions that could be made, in their order: finely for their
// size and room, coarsely for their grounds. Those that differ in their ink alone have
// one look.
func (p *Plan) Judged(ctx context.Context, grain advice.Grain) ([]advice.Judged, error) {
	var vs []*version.Version
	for _, v := range p.Versions {
		if v.Drawing != nil {
			vs = append(vs, v)
		}
	}
	out := make([]advice.Judged, len(vs))
	err := parallel.Do(ctx, len(vs), func(ctx context.Context, i int) (err error) {
		out[i], err = p.judge(ctx, vs[i], grain)
		return err
	})
	return out, err
}

// JudgedBy looks at one version.
func (p *Plan) JudgedBy(ctx context.Context, name string, grain advice.Grain) (advice.Judged, error) {
	v := p.version(name)
	if v == nil || v.Drawing == nil {
		return advice.Judged{}, fmt.Errorf("there is no version %q", name)
	}
	return p.judge(ctx, v, grain)
}

func (p *Plan) judge(ctx context.Context, v *version.Version, grain advice.Grain) (advice.Judged, error) {
	a := p.advised(v)
	s := v.Spec
	// Versions that differ in their ink alone, light or dark, have one look.
	oneLook := s.Treatment == version.SingleInk && s.Backing == nil && s.Outline == nil && s.Opacity == 0
	key, err := p.lookKeys.get(fmt.Sprint(v.Spec.Name, " ", int(grain)), func() (string, error) { return p.lookKey(v, a, oneLook, grain) })
	if err != nil {
		return advice.Judged{}, err
	}
	see := func(ctx context.Context) (*advice.Look, error) {
		j, err := advice.Judge(ctx, a, grain)
		return j.Look, err
	}
	keep := p.Keep
	if keep == nil {
		keep = func(ctx context.Context, key string, see func(context.Context) (*advice.Look, error)) (*advice.Look, error) {
			return p.judged.get(key, func() (*advice.Look, error) { return see(ctx) })
		}
	}
	l, err := keep(ctx, key, see)
	if err == nil && oneLook {
		l = l.In(a.Ink, a.Ground())
	}
	return advice.Judged{Version: a, Look: l}, err
}

// lookKey names what is seen of a version: by what it paints or, of pictures, by what it is
// made from.
func (p *Plan) lookKey(v *version.Version, a advice.Version, oneLook bool, grain advice.Grain) (string, error) {
	d, ground := a.Mark, a.Ground()
	if oneLook {
		d, ground = d.Recolour(drawing.Recolouring{Colour: func(colour.Colour) colour.Colour { return colour.Colour{} }}), colour.RGB{}
	}
	if sum, ok := drawing.Sum([]any{d, ground, grain}); ok {
		return sum, nil
	}
	s := v.Spec
	s.Name = ""
	if oneLook {
		s.Ink = nil
	}
	key, err := json.Marshal([]any{p.from.Main.Name, s, s.Arranged, p.from.Drawn[s.DrawnBy()].Name, a.Dark && !oneLook, grain})
	return string(key), err
}

// Main is the version that stands for the mark: the first as drawn and whole, else
// the first that is whole, else the first.
func Main(vs []advice.Judged) (advice.Judged, bool) {
	for _, fits := range []func(v advice.Judged) bool{
		func(v advice.Judged) bool { return !v.Part && !v.OneInk && !v.Dark && v.Backing == nil && !v.Outlined },
		func(v advice.Judged) bool { return !v.Part && !v.Dark },
		func(v advice.Judged) bool { return !v.Part },
		func(v advice.Judged) bool { return true },
	} {
		for _, v := range vs {
			if fits(v) {
				return v, true
			}
		}
	}
	return advice.Judged{}, false
}

// Room is the clear space of the mark: what a person set, or what is proposed.
func (p *Plan) Room(vs []advice.Judged) *advice.Room {
	v, ok := Main(vs)
	if !ok {
		return nil
	}
	r := v.Look.Room()
	if c := p.clearSpace; r != nil && c != nil {
		free := c.Times * p.clearHeight
		r = &advice.Room{Key: "part", Measure: "height of " + c.Part, Times: c.Times, Free: free, PercentOfWidth: advice.Percent(free / v.Look.Box.W()), Set: true}
		r.Why = "Set by hand: " + r.Says() + "."
		r.Shown = p.clearBox
	}
	return r
}

// told is what the client's page says of the size and the room of the mark.
func (p *Plan) told(ctx context.Context) (s guide.Small, room string, by guide.RoomBy, err error) {
	vs, err := p.Judged(ctx, advice.Fine)
	s.Asked = string(p.smallest)
	if v, ok := Main(vs); ok {
		x := v.Smallest()
		s.None = x.Key
		if x.Given() {
			s.Px, s.MM = *x.ScreenPx, *x.PrintMM
		}
		if b := x.Below; b != nil {
			s.Below, s.BelowPx, s.BelowMM = b.Key, b.ScreenPx, b.PrintMM
		}
	}
	if r := p.Room(vs); r != nil {
		room = fmt.Sprintf("%g", r.PercentOfWidth)
		by = guide.RoomBy{Of: r.Key, Times: r.Times}
		if r.Set {
			by.Part = p.clearSpace.Part
		}
	}
	return s, room, by, err
}

// Advice is what is told of a mark: how small, how much room, on which ground. The
// files of a kit come to it with Uses.
func (p *Plan) Advice(ctx context.Context) (*advice.Advice, error) {
	vs, err := p.Judged(ctx, advice.Fine)
	if err != nil {
		return nil, err
	}
	a := &advice.Advice{Smallest: []advice.Smallest{}, Room: p.Room(vs)}
	for _, v := range vs {
		a.Smallest = append(a.Smallest, v.Smallest())
	}
	named, err := p.NamedInks(ctx)
	if err != nil {
		return nil, err
	}
	var inks []colour.RGB
	for _, k := range named {
		inks = append(inks, k.Colour.RGB)
	}
	if vs, err = p.Judged(ctx, advice.Coarse); err != nil {
		return nil, err
	}
	a.Grounds = advice.Grounds(inks, vs)
	return a, nil
}

// below reports whether the mark is narrower in a file than is advised. Icons are
// smaller than any advice, and known for it.
func (p *Plan) below(f File, advised []advice.Smallest) bool {
	i := slices.IndexFunc(advised, func(s advice.Smallest) bool { return s.Version == f.Version })
	v := p.version(f.Version)
	if i < 0 || v == nil || f.WidthPx == 0 || f.Format == format.ICO || advice.Icon(f.Path) || advised[i].ScreenPx == nil {
		return false
	}
	art := v.Mark().Bounds().W() / p.FrameOf(f.Version).Box.W()
	return float64(f.WidthPx)*art < float64(*advised[i].ScreenPx)-0.5
}

// Inspected is what can be told of a master before there is a kit: by the versions
// of the recipe standard.
func Inspected(ctx context.Context, m *intake.Master, brand string) (*advice.Advice, error) {
	r, _ := recipe.Builtin("standard")
	p, err := PlanFor(ctx, Origins{Main: NewOrigin(m, "", NewShape(m))}, brand, r)
	if err != nil {
		return nil, err
	}
	return p.Advice(ctx)
}

// uses tells which file serves which use, in English.
func uses(pg *guide.Page) (out []advice.Use) {
	en := guide.In()
	for _, a := range pg.Answers() {
		out = append(out, advice.Use{Use: a.Use, File: a.Main.File.Path, Why: en.Why(a.Main)})
	}
	return out
}
