package drawing

import (
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

func ramp(radial bool, s Spread) *Gradient {
	return &Gradient{
		Radial: radial, P0: geom.Pt(10, 10), P1: geom.Pt(10, 10), R1: 7, Spread: s, To: geom.Identity,
		Stops: []Stop{{0.1, colour.Screen(colour.RGB{R: 1}), 1}, {0.8, colour.Screen(colour.RGB{B: 1}), 0.5}},
	}
}

// An unrolled gradient shows the same colour everywhere in the box, for file
// types that know no spread.
func TestUnrollLooksTheSame(t *testing.T) {
	box := geom.Rect{X0: -20, Y0: -15, X1: 60, Y1: 55}
	for _, radial := range []bool{false, true} {
		for _, s := range []Spread{Reflect, Repeat} {
			g := ramp(radial, s)
			if !radial {
				g.P1 = geom.Pt(22, 15)
			}
			u, ok := g.Unroll(box)
			if !ok || u.Spread != Pad {
				t.Fatalf("radial %v, spread %d: not unrolled", radial, s)
			}
			off, n := 0, 0
			for y := box.Y0 + 0.3; y < box.Y1; y += 1.7 {
				for x := box.X0 + 0.3; x < box.X1; x += 1.7 {
					a, _ := g.Offset(geom.Pt(x, y))
					b, _ := u.Offset(geom.Pt(x, y))
					c, ca := g.Colour(a)
					d, da := u.Colour(b)
					n++
					if math.Abs(c.R-d.R)+math.Abs(c.B-d.B)+math.Abs(ca-da) > 0.02 {
						off++ // at most on the hard edges of Repeat
					}
				}
			}
			if off > n/200 {
				t.Errorf("radial %v, spread %d: %d of %d places differ", radial, s, off, n)
			}
		}
	}
	far := ramp(false, Repeat)
	far.P1 = geom.Pt(10.01, 10)
	if _, ok := far.Unroll(box); ok {
		t.Error("a ramp of a hundredth of a unit is laid out thousands of times")
	}
}

// A gradient that leaps at its ends shows the same where the leaps lie within it.
func TestInwardLooksTheSame(t *testing.T) {
	red, blue, grey := colour.Screen(colour.RGB{R: 1}), colour.Screen(colour.RGB{B: 1}), colour.Screen(colour.RGB{R: 0.5, G: 0.5, B: 0.5})
	for what, g := range map[string]*Gradient{
		"a line":         {P1: geom.Pt(10, 4)},
		"from a point":   {Radial: true, R1: 9},
		"between rings":  {Radial: true, R0: 4, R1: 9},
		"from a focus":   {Radial: true, P0: geom.Pt(2, 1), R0: 0.2, R1: 9},
		"down to a ring": {Radial: true, R0: 9, R1: 0.3},
		"down to naught": {Radial: true, R0: 9},
	} {
		g.To = geom.Identity
		g.Stops = []Stop{{0, grey, 1}, {0, red, 1}, {1, blue, 0.5}, {1, grey, 1}}
		u := g.Inward()
		off := 0
		for y := -14.7; y < 15; y += 0.9 {
			for x := -14.7; x < 15; x += 0.9 {
				a, ok := g.Offset(geom.Pt(x, y))
				b, also := u.Offset(geom.Pt(x, y))
				c, ca := g.Colour(a)
				d, da := u.Colour(b)
				if ok != also || ok && math.Abs(c.R-d.R)+math.Abs(c.B-d.B)+math.Abs(ca-da) > 0.02 {
					off++
				}
			}
		}
		if off > 0 {
			t.Errorf("%s: %d places differ", what, off)
		}
		if s := u.Stops; !(g.Radial && g.R0 == 0) && s[0].At == s[1].At && s[0] != s[1] || !(g.Radial && g.R1 == 0) && s[len(s)-1].At == s[len(s)-2].At && s[len(s)-1] != s[len(s)-2] {
			t.Errorf("%s: it leaps at its end: %v", what, s)
		}
	}
	if g := ramp(false, Pad); g.Inward() != g {
		t.Error("a gradient that does not leap becomes another")
	}
}

// A focal gradient is 0 at its focus and 1 on its circle.
func TestFocalOffsets(t *testing.T) {
	g := &Gradient{Radial: true, P0: geom.Pt(3, 0), P1: geom.Pt(0, 0), R1: 10}
	if v, ok := g.Offset(geom.Pt(3, 0)); !ok || math.Abs(v) > 1e-9 {
		t.Errorf("at the focus: %v %v", v, ok)
	}
	for a := 0.1; a < 6.2; a += 0.5 {
		if v, ok := g.Offset(geom.Pt(10*math.Cos(a), 10*math.Sin(a))); !ok || math.Abs(v-1) > 1e-9 {
			t.Errorf("on the circle at %v: %v %v", a, v, ok)
		}
	}
}

func box(x, y float64, part string) *Shape {
	return &Shape{Path: geom.Box(geom.Rect{X0: x, Y0: y, X1: x + 10, Y1: y + 10}), Paint: Solid{Alpha: 1}, Part: part}
}

func TestBoundsMapAndMoved(t *testing.T) {
	d := &Drawing{Nodes: []Node{
		&Group{Alpha: 1, Nodes: []Node{box(0, 0, "a"), box(50, 0, "b")}, Clip: []Region{{Path: geom.Box(geom.Rect{X1: 55, Y1: 5})}}},
		&Group{Alpha: 0, Nodes: []Node{box(900, 900, "unseen")}},
	}}
	if b := d.Bounds(); b != (geom.Rect{X1: 55, Y1: 5}) {
		t.Errorf("bounds %v", b)
	}
	// A group that is left empty goes too; the drawing itself stays.
	less := d.Map(func(n Node) Node {
		if PartOf(n) == "unseen" {
			return nil
		}
		return n
	})
	if len(less.Nodes) != 1 || len(d.Nodes) != 2 || len(d.Parts()) != 3 {
		t.Errorf("%d nodes left of %d", len(less.Nodes), len(d.Nodes))
	}
	m := &Drawing{Nodes: Moved(d.Nodes, geom.Translate(100, 20))}
	if b := m.Bounds(); b != (geom.Rect{X0: 100, Y0: 20, X1: 155, Y1: 25}) {
		t.Errorf("moved to %v", b)
	}
}

// A drop shadow reaches as far as its blur and offset; a flood fills all of
// its region.
func TestReachOfFilters(t *testing.T) {
	region := geom.Rect{X0: -100, Y0: -100, X1: 200, Y1: 200}
	g := &Group{Alpha: 1, Nodes: []Node{box(0, 0, "")}, Filter: &Filter{Region: region, To: geom.Identity, Steps: []Step{{Op: GaussianBlur{2, 2}}, {Op: Offset{3, 1}}}}}
	if b := Bounds(g); b != (geom.Rect{X0: -9, Y0: -9, X1: 19, Y1: 19}) {
		t.Errorf("a shadow reaches %v", b)
	}
	g.Filter.Steps = append(g.Filter.Steps, Step{Op: Flood{}})
	if b := Bounds(g); b != region {
		t.Errorf("a flood reaches %v", b)
	}
}
