package planar

import (
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/geom"
)

// A simple path has the area that the rule gives, as the sum of signed areas, and
// none of it is lost however thin; what is simple comes back as it is.
func TestSimple(t *testing.T) {
	box := func(x0, y0, x1, y1 float64) geom.Path { return geom.Box(geom.Rect{X0: x0, Y0: y0, X1: x1, Y1: y1}) }
	hair := box(0, 0, 1000, 0.001)                 // thinner than a sliver
	through := func(xy ...float64) (p geom.Path) { // a contour
		for i := 0; i < len(xy); i += 2 {
			if i == 0 {
				p.MoveTo(geom.Pt(xy[0], xy[1]))
			} else {
				p.LineTo(geom.Pt(xy[i], xy[i+1]))
			}
		}
		p.Close()
		return p
	}
	twice := through(0, 0, 4, 0, 4, 3, 0, 3) // closed, and then drawn once more
	twice = append(twice, twice[1:]...)
	for name, c := range map[string]struct {
		l    Layer
		area float64
		same bool
	}{
		"a box":               {Layer{Path: box(0, 0, 4, 3)}, 12, true},
		"wound the other way": {Layer{Path: box(0, 0, 4, 3).Reverse()}, 12, true},
		"a hole":              {Layer{Path: append(box(0, 0, 9, 9), box(3, 3, 6, 6).Reverse()...)}, 72, true},
		"a hole by rule":      {Layer{Path: append(box(0, 0, 9, 9), box(3, 3, 6, 6)...), Rule: geom.EvenOdd}, 72, false},
		"covered":             {Layer{Path: append(box(0, 0, 9, 9), box(3, 3, 6, 6)...)}, 81, false},
		"overlapping":         {Layer{Path: append(box(0, 0, 9, 9), box(5, 5, 12, 12)...)}, 81 + 49 - 16, false},
		"a hair":              {Layer{Path: hair}, 1, true},
		// Corners that lie on each other, all at ends of lines.
		"two wings, wound against each other": {Layer{Path: through(0, 0, 10, 10, 20, 20, 20, 0, 10, 10, 0, 20)}, 200, false},
		"two wings, wound alike":              {Layer{Path: through(0, 0, 10, 10, 20, 0, 20, 20, 10, 10, 0, 20)}, 200, true},
		"a spur":                              {Layer{Path: through(0, 0, 10, 0, 10, 10, 15, 15, 10, 10, 0, 10)}, 100, true},
		"twice round":                         {Layer{Path: through(0, 0, 4, 0, 4, 3, 0, 3, 0, 0, 4, 0, 4, 3, 0, 3)}, 12, false},
		"drawn on after it was closed":        {Layer{Path: twice}, 12, false},
		"a triangle":                          {Layer{Path: through(0, 0, 4, 0, 0, 3)}, 6, true},
		"there and back":                      {Layer{Path: through(0, 0, 4, 3)}, 0, true},
		"a hair on another":                   {Layer{Path: append(hair, box(10, -1, 10.001, 1)...)}, 1 + 0.002 - 1e-6, false},
	} {
		p, err := Simple(bg, c.l)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if a := math.Abs(p.Area()); math.Abs(a-c.area) > 1e-5*c.area {
			t.Errorf("%s: area %v, want %v", name, a, c.area)
		}
		if same := &p[0] == &c.l.Path[0]; same != c.same {
			t.Errorf("%s: it is the same path: %v", name, same)
		}
	}
}

// A path made simple is simple: making it so again changes nothing.
func TestSimpleIsSimple(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 60 {
		var p geom.Path
		for range 3 {
			p.MoveTo(geom.Pt(r.Float64()*100, r.Float64()*100))
			for range 4 {
				p.CubeTo(geom.Pt(r.Float64()*100, r.Float64()*100), geom.Pt(r.Float64()*100, r.Float64()*100), geom.Pt(r.Float64()*100, r.Float64()*100))
			}
			p.Close()
		}
		for _, rule := range []geom.Rule{geom.NonZero, geom.EvenOdd} {
			q, err := Simple(bg, Layer{Path: p, Rule: rule})
			if err != nil {
				t.Fatal(err)
			}
			for _, again := range []geom.Rule{geom.NonZero, geom.EvenOdd} {
				x, err := Resolve(bg, Layer{Path: q, Rule: again})
				if err != nil {
					t.Fatal(err)
				}
				if a, b := q.Area(), x.Area(); math.Abs(a-b) > 1e-3*max(1, a) {
					t.Errorf("rule %v: sums to %v, covers %v", rule, a, b)
				}
			}
		}
	}
}

// Strokes whose bends lie further apart than they are wide come out simple, whatever
// meets in the bends: nothing has to be resolved.
func TestStrokesAreSimple(t *testing.T) {
	var lines, curves, smooth geom.Path
	lines.MoveTo(geom.Pt(0, 0))
	curves.MoveTo(geom.Pt(0, 0))
	smooth.MoveTo(geom.Pt(0, 0))
	for i := range 6 {
		x := float64(i) * 40
		lines.LineTo(geom.Pt(x+20, 60))
		lines.LineTo(geom.Pt(x+40, 0))
		curves.CubeTo(geom.Pt(x+2, 20), geom.Pt(x+8, 50), geom.Pt(x+20, 60))
		curves.LineTo(geom.Pt(x+40, 0))
		smooth.CubeTo(geom.Pt(x+10, 10), geom.Pt(x+10, 20), geom.Pt(x+20, 20.001)) // as coordinates are rounded
		smooth.CubeTo(geom.Pt(x+30, 20), geom.Pt(x+30, 10), geom.Pt(x+40, 0))
	}
	for name, p := range map[string]geom.Path{"lines": lines, "lines and curves": curves, "waves": smooth} {
		for _, join := range []geom.Join{geom.MiterJoin, geom.RoundJoin, geom.BevelJoin} {
			s := p.Stroke(geom.Pen{Width: 4, Join: join}, 0.01)
			q, err := Simple(bg, Layer{Path: s})
			if err != nil {
				t.Fatal(err)
			}
			if &q[0] != &s[0] {
				t.Errorf("%s, join %v: the outline of %d segments crosses itself", name, join, len(s))
			}
		}
	}
}
