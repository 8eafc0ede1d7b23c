package kit

import (
	"testing"

	"dyekit/core/geom"
)

// An outline of which rounding took many tiny curves away in one place, and one
// far smaller than its page, are the same; one that lies aside, lost its hole or
// is wound otherwise is not.
func TestOutlinesThatRoundingThinned(t *testing.T) {
	const slack = 0.025
	quad, cubic := geom.Path{}, geom.Path{}
	quad.MoveTo(geom.Pt(1, 1))
	quad.QuadTo(geom.Pt(5, 7), geom.Pt(9, 1))
	cubic.MoveTo(geom.Pt(1, 1))
	cubic.CubeTo(geom.Pt(1+8.0/3, 5), geom.Pt(9-8.0/3, 5), geom.Pt(9, 1))
	bulged := append(geom.Path{}, cubic...)
	bulged[1].P[0].Y += 0.1
	box := func(x, y, side float64) geom.Path {
		return geom.Box(geom.Rect{X0: x, Y0: y, X1: x + side, Y1: y + side})
	}
	same := func(g, w geom.Path) bool {
		return apart(g, w, geom.Identity, slack) <= slack || alongside(g, w, slack)
	}
	knot := append(geom.Path{}, box(0, 0, 9)[:4]...)
	for i := range 21 {
		knot.LineTo(geom.Pt(0.0002*float64(i%3), 9-0.0002*float64(i%2)))
	}
	knot.Close()
	ring := append(box(0, 0, 0.4), box(0.1, 0.1, 0.2).Reverse()...)
	bumpy := geom.Path{}
	bumpy.MoveTo(geom.Pt(0, 0))
	for i := range 12 {
		bumpy.LineTo(geom.Pt(float64(i+1)/30, 0.004*float64(i%2)))
	}
	for _, p := range []geom.Point{{X: 0.4, Y: 0.4}, {X: 0, Y: 0.4}} {
		bumpy.LineTo(p)
	}
	bumpy.Close()
	for name, c := range map[string]struct {
		g, w geom.Path
		same bool
	}{
		"a knot of tiny curves":    {box(0, 0, 9), knot, true},
		"bumps that rounding took": {box(0, 0, 0.4), bumpy, true},
		"a little aside":           {box(0.03, 0, 9), knot, false},
		"tiny and aside":           {box(0.06, 0, 0.4), bumpy, false},
		"a hole lost":              {box(0, 0, 0.4), ring, false},
		"a hole that is none":      {append(box(0, 0, 0.4), box(0.1, 0.1, 0.2)...), ring, false},
		"nothing":                  {nil, ring, false},
		"a cubic for a quadratic":  {cubic, quad, true},
		"one that bulges":          {bulged, quad, false},
	} {
		if got := same(c.g, c.w); got != c.same {
			t.Errorf("%s: the same %v", name, got)
		}
	}
	if _, ok := stepwise(cubic, quad, geom.Identity, slack); !ok {
		t.Error("a cubic in the place of a quadratic is looked at by other means")
	}
}
