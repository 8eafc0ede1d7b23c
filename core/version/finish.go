package version

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/planar"
	"dyekit/core/raster"
)

// A Finish dresses a version in colour up: gradients over its shapes, lines along its
// edges, soft light and shade. It is laid over the mark; the mark stays as it is drawn.
type Finish struct {
	Name    string   `json:"name,omitempty"`
	Fills   []Fill   `json:"fills,omitempty"`   // the later over the earlier
	Lines   []Line   `json:"lines,omitempty"`   // the later outside of the earlier
	Effects []Effect `json:"effects,omitempty"` // the later round the earlier
}

// The kinds of a Fill.
const (
	Linear = "linear" // across the whole, by an angle
	Radial = "radial" // from the middle out
	Along  = "along"  // along the shape: from its edge inwards
)

// A Fill is a gradient over one part or over the whole. What is white stays white; of
// the whole, what is much lighter than its largest shape stays too, so that what is
// drawn upon that is not lost.
type Fill struct {
	Part  string  `json:"part,omitempty"` // the whole if empty
	Kind  string  `json:"kind"`
	Angle float64 `json:"angle,omitempty"` // degrees clockwise, 0 from left to right
	Stops []Stop  `json:"stops"`
}

// A Stop is an ink at a place of a gradient, from 0 to 1.
type Stop struct {
	At      float64  `json:"at"`
	Ink     Ink      `json:"ink"`
	Opacity *float64 `json:"opacity,omitempty"` // 0 to 1; nil stands for 1
}

// A Line runs along the edge of the whole mark.
type Line struct {
	Width frame.Length `json:"width"`
	Side  Side         `json:"side,omitempty"` // outside if empty
	Ink   Ink          `json:"ink"`
	// Double draws a second line beyond, as far away as the first is wide.
	Double bool `json:"double,omitempty"`
}

// The kinds of an Effect.
const (
	Shadow = "shadow" // soft, behind
	Glow   = "glow"   // soft, all round
	Inner  = "inner"  // a shadow that falls into the mark
	Edge   = "edge"   // light along the edges that face it
)

// An Effect is soft light or shade. It is made of pixels where a file type knows no
// filters.
type Effect struct {
	Kind    string       `json:"kind"`
	Ink     Ink          `json:"ink"`
	Opacity float64      `json:"opacity,omitempty"` // 0 stands for 1
	Size    frame.Length `json:"size"`              // of the blur
	Right   frame.Length `json:"right,omitempty"`   // how far it falls
	Down    frame.Length `json:"down,omitempty"`
}

// Limits of a finish.
const (
	maxStops = 12
	maxLayer = 6 // fills, lines, effects of each
	// most is how far lines and blurs reach, percent of the longer side, and mostPx in px
	// where the mark is not known yet.
	most   = 50
	mostPx = 2000
)

// Shows is the opacity of a stop.
func (s Stop) Shows() float64 {
	if s.Opacity == nil {
		return 1
	}
	return *s.Opacity
}

// Check says in a sentence what of a finish cannot be.
func (f *Finish) Check() error {
	if len(f.Fills) > maxLayer || len(f.Lines) > maxLayer || len(f.Effects) > maxLayer {
		return fmt.Errorf("a finish has at most %d fills, lines and effects each", maxLayer)
	}
	ink := func(k Ink) error {
		_, err := k.Colour()
		return err
	}
	length := func(what string, l frame.Length, zero bool) error {
		if l == "" && zero {
			return nil
		}
		v, err := l.Px(100)
		switch {
		case err != nil:
			return fmt.Errorf("%s: %w", what, err)
		case !zero && !(v > 0), l.Unit() == "%" && math.Abs(v) > most, math.Abs(v) > mostPx:
			return fmt.Errorf("%s: %s is not more than 0 and at most %d %% of the longer side or %d px", what, l, most, mostPx)
		}
		return nil
	}
	share := func(v float64) error {
		if !(v >= 0 && v <= 1) {
			return fmt.Errorf("an opacity is 0 to 1, not %g", v)
		}
		return nil
	}
	for _, x := range f.Fills {
		if x.Kind != Linear && x.Kind != Radial && x.Kind != Along {
			return fmt.Errorf("%q is no gradient: linear, radial or along", x.Kind)
		}
		if len(x.Stops) < 2 || len(x.Stops) > maxStops {
			return fmt.Errorf("a gradient has 2 to %d stops", maxStops)
		}
		if !(math.Abs(x.Angle) <= 360) {
			return fmt.Errorf("an angle is up to 360 degrees, not %g", x.Angle)
		}
		last := 0.0
		for _, s := range x.Stops {
			if err := errors.Join(ink(s.Ink), share(s.Shows())); err != nil {
				return err
			}
			if !(s.At >= last && s.At <= 1) {
				return errors.New("the stops of a gradient stand in order, from 0 to 1")
			}
			last = s.At
		}
	}
	for _, x := range f.Lines {
		if x.Side != "" && x.Side != Outside && x.Side != Inside && x.Side != Centred {
			return fmt.Errorf("%q is no side of a line: outside, inside or centre", x.Side)
		}
		if err := errors.Join(ink(x.Ink), length("the width of a line", x.Width, false)); err != nil {
			return err
		}
	}
	for _, x := range f.Effects {
		if x.Kind != Shadow && x.Kind != Glow && x.Kind != Inner && x.Kind != Edge {
			return fmt.Errorf("%q is no effect: shadow, glow, inner or edge", x.Kind)
		}
		for _, err := range []error{ink(x.Ink), share(x.Opacity), length("the size of an effect", x.Size, false), length("how far it falls", x.Right, true), length("how far it falls", x.Down, true)} {
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// Lacks says in a sentence why a finish cannot be laid over a drawing, as far as that is
// seen at once; "" if nothing is.
func (f *Finish) Lacks(d *drawing.Drawing) string {
	shapes, pictures := false, false
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n.(type) {
		case *drawing.Shape:
			shapes = true
		case *drawing.Picture:
			pictures = true
		}
	})
	switch {
	case len(f.Fills) > 0 && !shapes:
		return "a gradient needs shapes in colour, and the mark is a picture: trace it first"
	case len(f.Lines) > 0 && pictures:
		return "lines run along curves, and the mark is a picture: trace it first"
	}
	return ""
}

// finish lays the finish of the Spec over the version.
func (v *Version) finish(ctx context.Context) error {
	f := v.Spec.Finish
	if v.Spec.OneInk() {
		return fmt.Errorf("%w: a finish is for versions in colour; black, white and other single inks stay pure", errRefused)
	}
	if err := f.Check(); err != nil {
		return fmt.Errorf("finish: %w", err)
	}
	d, plain := v.Drawing, v.Drawing
	box := d.Bounds()
	if box.Empty() {
		return fmt.Errorf("%w: there is nothing to be finished", errRefused)
	}
	for _, x := range f.Fills {
		var err error
		if d, err = fill(ctx, d, x); err != nil {
			return err
		}
	}
	// Lines and effects follow the silhouette of the mark as it was drawn.
	long := box.Long()
	if err := f.fits(long); err != nil {
		return err
	}
	nodes := d.Nodes
	if len(f.Lines) > 0 {
		whole, err := everything(ctx, v.Drawing)
		if err != nil {
			return err
		}
		out := 0.0
		for _, x := range f.Lines {
			below, above, reach, err := lines(ctx, x, whole, out, long)
			if err != nil {
				return err
			}
			out = reach
			nodes = slices.Concat(below, nodes, above)
		}
	}
	for _, x := range f.Effects {
		g, err := effect(x, nodes, long)
		if err != nil {
			return err
		}
		nodes = []drawing.Node{g}
	}
	v.Drawing = with(d, nodes...)
	return v.judge(ctx, plain)
}

// fits refuses lengths in px that are too long for a mark whose longer side is so many
// px.
func (f *Finish) fits(long float64) error {
	var all []frame.Length
	for _, x := range f.Lines {
		all = append(all, x.Width)
	}
	for _, x := range f.Effects {
		all = append(all, x.Size, x.Right, x.Down)
	}
	for _, l := range all {
		if v, err := l.Px(long); l != "" && (err != nil || math.Abs(v) > most/100.*long+1e-9) {
			return fmt.Errorf("%w: %s is more than %d %% of its longer side", errRefused, l, most)
		}
	}
	return nil
}

// everything is all that the mark covers, as one region.
func everything(ctx context.Context, d *drawing.Drawing) (geom.Path, error) {
	var layers []planar.Layer
	pixels := false
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			layers = append(layers, planar.Layer{Path: n.Path, Rule: n.Rule})
		case *drawing.Picture:
			pixels = true
		}
	})
	if pixels || len(layers) == 0 {
		return nil, fmt.Errorf("%w: lines run along curves, and the mark is a picture; trace it first", errRefused)
	}
	return planar.Union(ctx, layers...)
}

// lines draws a line, and a second if it is double. What lies outside goes below the
// mark, the rest above it. It begins out from the edge, and tells how far it reaches.
func lines(ctx context.Context, x Line, whole geom.Path, out, long float64) (below, above []drawing.Node, reach float64, err error) {
	width, err := x.Width.Px(long)
	if err != nil {
		return nil, nil, 0, err
	}
	c, err := x.Ink.Colour()
	if err != nil {
		return nil, nil, 0, err
	}
	tol := strokeTol * long
	// round is the mark and all within d of its edge, or the mark without that.
	round := func(d float64) (geom.Path, error) {
		switch {
		case d == 0:
			return whole, nil
		case d > 0:
			return planar.Union(ctx, planar.Layer{Path: whole}, planar.Layer{Path: whole.Stroke(geom.Pen{Width: 2 * d, Join: geom.RoundJoin}, tol)})
		}
		return planar.Subtract(ctx, planar.Layer{Path: whole}, planar.Layer{Path: whole.Stroke(geom.Pen{Width: -2 * d, Join: geom.RoundJoin}, tol)})
	}
	band := func(from, to float64) (drawing.Node, error) {
		a, err := round(from)
		if err != nil {
			return nil, err
		}
		b, err := round(to)
		if err != nil {
			return nil, err
		}
		p, err := planar.Subtract(ctx, planar.Layer{Path: b}, planar.Layer{Path: a})
		if err != nil || len(p) == 0 {
			return nil, err
		}
		return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: c, Alpha: 1}, Simple: true}, nil
	}
	add := func(to *[]drawing.Node, from, upTo float64) {
		if err != nil {
			return
		}
		var n drawing.Node
		if n, err = band(from, upTo); err == nil && n != nil {
			*to = append(*to, n)
		}
	}
	reach = out
	switch x.Side {
	case "", Outside:
		// It begins a little under the mark: edges that only meet show a hairline.
		from := out
		if out == 0 {
			from = -min(width/4, spread*long)
		}
		add(&below, from, out+width)
		reach = out + width
	case Inside:
		add(&above, -width, 0)
	default:
		add(&above, -width/2, width/2)
		reach = max(out, width/2)
	}
	if x.Double && x.Side != Inside {
		add(&below, reach+width, reach+2*width)
		reach += 2 * width
	} else if x.Double {
		add(&above, -3*width, -2*width)
	}
	return below, above, reach, err
}

// effect puts nodes into a group with a filter.
func effect(x Effect, nodes []drawing.Node, long float64) (*drawing.Group, error) {
	px := func(l frame.Length) float64 {
		if l == "" {
			return 0
		}
		v, _ := l.Px(long) // checked
		return v
	}
	c, err := x.Ink.Colour()
	if err != nil {
		return nil, err
	}
	a := x.Opacity
	if a == 0 {
		a = 1
	}
	size, dx, dy := px(x.Size), px(x.Right), px(x.Down)
	var box geom.Rect
	for _, n := range nodes {
		box = box.Union(drawing.Bounds(n))
	}
	// A blur is seen up to three of its deviations.
	region := box.Grow(3*size + max(math.Abs(dx), math.Abs(dy)))
	step := func(op drawing.Op, in, in2 int) drawing.Step {
		return drawing.Step{Op: op, In: in, In2: in2, Region: region}
	}
	steps := []drawing.Step{
		step(drawing.GaussianBlur{X: size, Y: size}, drawing.SourceAlpha, 0),
		step(drawing.Offset{X: dx, Y: dy}, 0, 0),
		step(drawing.Flood{Colour: c.RGB, Alpha: a}, drawing.Nothing, 0),
	}
	switch x.Kind {
	case Inner, Edge:
		steps = append(steps,
			step(drawing.Composite{Operator: "out"}, 2, 1),
			step(drawing.Composite{Operator: "in"}, 3, drawing.SourceAlpha),
			step(drawing.Merge{In: []int{drawing.SourceGraphic, 4}}, 0, 0))
	default:
		steps = append(steps,
			step(drawing.Composite{Operator: "in"}, 2, 1),
			step(drawing.Merge{In: []int{3, drawing.SourceGraphic}}, 0, 0))
	}
	return &drawing.Group{Nodes: nodes, Alpha: 1, Filter: &drawing.Filter{Region: region, To: geom.Identity, Steps: steps}}, nil
}

// A finish does not hold on a ground where less than so much of it has so much
// contrast (half of the 3 : 1 that WCAG 2.2, 1.4.11 asks of graphics: what is dressed
// up is seen by its whole, not by its thinnest line).
const (
	holdsBy   = 1.5
	holdsPart = 0.75
)

// grounds are what every finish is judged on.
var grounds = []struct {
	name string
	c    colour.RGB
}{{"white", colour.White}, {"mid grey", colour.FromBytes(128, 128, 128)}, {"black", colour.Black}}

// judge warns where the finish does not hold: of what has colour in the plain version,
// or of all where nothing has.
func (v *Version) judge(ctx context.Context, plain *drawing.Drawing) error {
	const fine = 160 // px
	box := v.Drawing.Bounds()
	k := fine / box.Long()
	w, h := max(1, int(box.W()*k)), max(1, int(box.H()*k))
	to := raster.Fit(box, w, h)
	img, err := raster.Render(ctx, v.Drawing, to, w, h, raster.Options{})
	if err != nil {
		return err
	}
	was, err := raster.Render(ctx, plain, to, w, h, raster.Options{})
	if err != nil {
		return err
	}
	const opaque = 128
	has := func(p []uint8) bool {
		return p[3] >= opaque && !colour.FromBytes(p[0], p[1], p[2]).NearWhite()
	}
	any := false
	for i := 0; i < len(was.Pix) && !any; i += 4 {
		any = has(was.Pix[i:])
	}
	for _, g := range grounds {
		all, seen := 0.0, 0.0
		for i := 0; i < len(img.Pix); i += 4 {
			p := img.Pix[i : i+4]
			if p[3] < opaque || any && !has(was.Pix[i:]) {
				continue
			}
			all++
			if colour.Contrast(colour.FromBytes(p[0], p[1], p[2]).Over(g.c, float64(p[3])/255), g.c) >= holdsBy {
				seen++
			}
		}
		if all > 0 && seen < holdsPart*all {
			v.Findings.Add(finding.FinishWeak, finding.Warn, fmt.Sprintf("%s: its finish does not hold on %s: %.0f %% of it stand out there", v.Spec.Name, g.name, 100*seen/all), "", geom.Rect{})
		}
	}
	return nil
}
