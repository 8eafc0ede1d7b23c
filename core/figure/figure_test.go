package figure

import (
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/geom"
)

func polygonPath(c geom.Point, r float64, sides int, turn float64) (p geom.Path) {
	for i := range sides {
		sin, cos := math.Sincos(turn + 2*math.Pi*float64(i)/float64(sides))
		q := c.Add(geom.Pt(r*cos, r*sin))
		if i == 0 {
			p.MoveTo(q)
		} else {
			p.LineTo(q)
		}
	}
	p.Close()
	return p
}

func turned(r geom.Rect, radius, turn float64) geom.Path {
	c := r.Centre()
	m := geom.Translate(c.X, c.Y).Mul(geom.Rotate(turn)).Mul(geom.Translate(-c.X, -c.Y))
	return geom.RoundBox(r, radius, radius).Transform(m)
}

// shaken is an outline through places that lie up to so much beside it.
func shaken(p geom.Path, by float64) (out geom.Path) {
	if by == 0 {
		return p
	}
	r := rand.New(rand.NewPCG(3, 5))
	for i, q := range spread(p) {
		q = q.Add(geom.Pt(by*(2*r.Float64()-1), by*(2*r.Float64()-1)))
		if i == 0 {
			out.MoveTo(q)
		} else {
			out.LineTo(q)
		}
	}
	out.Close()
	return out
}

// Figures with known measures are told from each other, and found where their outlines are a
// little off.
func TestOf(t *testing.T) {
	wide := geom.Rect{X0: 12, Y0: 30, X1: 112, Y1: 70}
	for what, x := range map[string]struct {
		path geom.Path
		kind Kind
	}{
		"circle":           {geom.Ellipse(geom.Pt(40, 41), 30, 30), Circle},
		"ellipse":          {geom.Ellipse(geom.Pt(40, 41), 30, 22), Ellipse},
		"box":              {geom.Box(wide), Box},
		"rule":             {turned(geom.Rect{X0: 10, Y0: 50, X1: 210, Y1: 56}, 0, 0.3), Box},
		"rounded box":      {turned(wide, 9, 0), Rounded},
		"turned box":       {turned(wide, 9, -0.7), Rounded},
		"turned square":    {turned(geom.Rect{X0: 20, Y0: 20, X1: 80, Y1: 80}, 0, 0.6), Box},
		"square on end":    {turned(geom.Rect{X0: 20, Y0: 20, X1: 80, Y1: 80}, 0, math.Pi/4), Box},
		"capsule":          {turned(wide, 20, 0), Rounded},
		"triangle":         {polygonPath(geom.Pt(50, 50), 40, 3, -math.Pi/2), Polygon},
		"hexagon":          {polygonPath(geom.Pt(50, 50), 40, 6, 0.2), Polygon},
		"eight, a hole":    {polygonPath(geom.Pt(50, 50), 40, 8, 0.1).Reverse(), Polygon},
		"pentagon":         {polygonPath(geom.Pt(50, 50), 40, 5, 1), Polygon},
		"upright capsule":  {turned(geom.Rect{X0: 30, Y0: 12, X1: 70, Y1: 112}, 20, 0), Rounded},
		"rounded, on end":  {turned(geom.Rect{X0: 20, Y0: 20, X1: 80, Y1: 80}, 12, math.Pi/4), Rounded},
		"hexagon, on side": {polygonPath(geom.Pt(50, 50), 40, 6, math.Pi/6), Polygon},
	} {
		for _, by := range []float64{0, 0.2} {
			f, ok := Of(shaken(x.path, by), 0.5)
			if !ok || f.Kind != x.kind {
				t.Errorf("%s, %.1f off: %v %s, want %s", what, by, ok, f.Kind, x.kind)
				continue
			}
			if a, want := f.Path.Area(), x.path.Area(); math.Abs(a-want) > 0.012*math.Abs(want) {
				t.Errorf("%s, %.1f off: an area of %.1f, want %.1f", what, by, a, want)
			}
			if by == 0 && f.Off > 0.06 { // four cubics are no circle: 0.03 % of the radius
				t.Errorf("%s lies %.3f from itself", what, f.Off)
			}
		}
	}
}

// What is none is not made one: a drop, a star, a trapezium, a shield, letters.
func TestOfNone(t *testing.T) {
	var drop geom.Path
	drop.MoveTo(geom.Pt(50, 10))
	drop.CubeTo(geom.Pt(60, 30), geom.Pt(80, 50), geom.Pt(80, 65))
	drop.CubeTo(geom.Pt(80, 95), geom.Pt(20, 95), geom.Pt(20, 65))
	drop.CubeTo(geom.Pt(20, 50), geom.Pt(40, 30), geom.Pt(50, 10))
	drop.Close()
	lines := func(v ...float64) (p geom.Path) {
		p.MoveTo(geom.Pt(v[0], v[1]))
		for i := 2; i < len(v); i += 2 {
			p.LineTo(geom.Pt(v[i], v[i+1]))
		}
		p.Close()
		return p
	}
	for what, p := range map[string]geom.Path{
		"drop":                        drop,
		"trapezium":                   lines(10, 10, 90, 10, 80, 60, 20, 60),
		"a wedge":                     lines(10, 10, 90, 10, 90, 50, 10, 47),
		"L":                           lines(10, 10, 30, 10, 30, 70, 60, 70, 60, 90, 10, 90),
		"nothing":                     nil,
		"a line":                      lines(0, 0, 50, 50),
		"a hexagon that is 3 % wider": polygonPath(geom.Pt(50, 50), 40, 6, 0).Transform(geom.Scale(1.03, 1)),
	} {
		if f, ok := Of(p, 0.5); ok {
			t.Errorf("%s is a %s, %.2f off", what, f.Kind, f.Off)
		}
	}
}
