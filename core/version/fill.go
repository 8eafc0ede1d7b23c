package version

import (
	"context"
	"fmt"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

// muchLighter is the difference in L* from which on a shape counts as drawn upon the
// largest.
const muchLighter = 35

// painter tells which shapes a fill changes.
func (x Fill) painter(d *drawing.Drawing) func(s *drawing.Shape) bool {
	coloured := func(s *drawing.Shape) bool {
		p, ok := s.Paint.(drawing.Solid)
		return !ok || p.Alpha > 0 && (!p.Colour.RGB.NearWhite() || p.Colour.Spot != "")
	}
	if x.Part != "" {
		return func(s *drawing.Shape) bool { return s.Part == x.Part && coloured(s) }
	}
	light := func(s *drawing.Shape) float64 {
		switch p := s.Paint.(type) {
		case drawing.Solid:
			return p.Colour.RGB.Lab().L
		case *drawing.Gradient:
			return p.Mean().Lab().L
		}
		return 0
	}
	largest, ground := 0.0, 0.0
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && coloured(s) {
			if a := math.Abs(s.Path.Area()); a > largest {
				largest, ground = a, light(s)
			}
		}
	})
	return func(s *drawing.Shape) bool { return coloured(s) && light(s)-ground <= muchLighter }
}

func (x Fill) stops() (out []drawing.Stop, err error) {
	for _, s := range x.Stops {
		c, err := s.Ink.Colour()
		if err != nil {
			return nil, err
		}
		out = append(out, drawing.Stop{At: s.At, Colour: c, Alpha: s.Shows()})
	}
	return out, nil
}

// fill gives shapes a gradient that runs over all of them together.
func fill(ctx context.Context, d *drawing.Drawing, x Fill) (*drawing.Drawing, error) {
	var box geom.Rect
	paints := x.painter(d)
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && paints(s) {
			box = box.Union(s.Path.Bounds())
		}
	})
	if box.Empty() {
		if x.Part != "" {
			return nil, fmt.Errorf("%w: the part %q is not there, or has no shapes in colour", errRefused, x.Part)
		}
		return nil, fmt.Errorf("%w: a gradient needs shapes in colour, and the mark has none", errRefused)
	}
	stops, err := x.stops()
	if err != nil {
		return nil, err
	}
	if x.Kind == Along {
		return along(ctx, d, paints, stops)
	}
	g := &drawing.Gradient{Stops: stops, To: geom.Identity}
	c := box.Centre()
	switch x.Kind {
	case Linear:
		// The line through the middle whose ends the box reaches just.
		a := x.Angle * math.Pi / 180
		dir := geom.Pt(math.Cos(a), math.Sin(a))
		half := (math.Abs(dir.X)*box.W() + math.Abs(dir.Y)*box.H()) / 2
		g.P0, g.P1 = c.Sub(dir.Mul(half)), c.Add(dir.Mul(half))
	case Radial:
		g.Radial, g.P0, g.P1, g.R1 = true, c, c, math.Hypot(box.W(), box.H())/2
	}
	return d.Map(func(n drawing.Node) drawing.Node {
		if s, ok := n.(*drawing.Shape); ok && paints(s) {
			o := *s
			o.Paint = g
			return &o
		}
		return n
	}), nil
}

// bands is how many steps a gradient along a shape has: so many that their edges are
// not seen at usual sizes (common practice).
const bands = 16

// along runs from the edge of each shape inwards, as bands of one colour each: every
// file type keeps them as curves.
func along(ctx context.Context, d *drawing.Drawing, paints func(*drawing.Shape) bool, stops []drawing.Stop) (*drawing.Drawing, error) {
	ramp := &drawing.Gradient{Stops: stops}
	var failed error
	out := d.Map(func(n drawing.Node) drawing.Node {
		s, ok := n.(*drawing.Shape)
		if !ok || !paints(s) || failed != nil {
			return n
		}
		g, err := inwards(ctx, s, ramp)
		if err != nil {
			failed = err
			return n
		}
		return g
	})
	return out, failed
}

// inwards lays bands over one another, each narrower than the one before.
func inwards(ctx context.Context, s *drawing.Shape, ramp *drawing.Gradient) (drawing.Node, error) {
	whole, err := planar.Resolve(ctx, planar.Layer{Path: s.Path, Rule: s.Rule})
	if err != nil {
		return nil, err
	}
	// How thick it is: an area and an edge are those of a stripe as wide.
	thick := 2 * math.Abs(whole.Area()) / max(whole.Length(), 1e-9)
	group := &drawing.Group{Alpha: 1, Part: s.Part}
	for i := range bands {
		t := (float64(i) + 0.5) / bands
		path := whole
		if i > 0 {
			pen := geom.Pen{Width: 2 * thick * float64(i) / bands, Join: geom.RoundJoin}
			edge := whole.Stroke(pen, thick/200)
			if path, err = planar.Subtract(ctx, planar.Layer{Path: whole}, planar.Layer{Path: edge}); err != nil {
				return nil, err
			}
			if len(path) == 0 {
				break
			}
		}
		rgb, a := ramp.Colour(t)
		o := *s
		o.Path, o.Rule, o.Simple, o.Paint = path, geom.NonZero, true, drawing.Solid{Colour: between(ramp.Stops, t, rgb), Alpha: a}
		group.Nodes = append(group.Nodes, &o)
	}
	return group, nil
}

// between is the ink at a place of a ramp: mixed as inks are where both have builds.
func between(stops []drawing.Stop, t float64, rgb colour.RGB) colour.Colour {
	for i := 1; i < len(stops); i++ {
		if a, b := stops[i-1], stops[i]; t <= b.At && b.At > a.At {
			return colour.Mix(a.Colour, b.Colour, max(0, (t-a.At)/(b.At-a.At)))
		}
	}
	return colour.Screen(rgb)
}
