package trace

import (
	"math"
	"testing"

	"dyekit/core/geom"
)

// field renders a shape by its signed distance, as soft as a drawn edge.
func field(w, h int, inside func(p geom.Point) float64) *Field {
	f := &Field{W: w, H: h}
	for y := range h {
		for x := range w {
			d := inside(geom.Pt(float64(x)+0.5, float64(y)+0.5))
			f.V = append(f.V, min(1, max(0, d+0.5)))
		}
	}
	return f
}

func TestCirclesAndCorners(t *testing.T) {
	disc := field(100, 100, func(p geom.Point) float64 { return 40 - p.Sub(geom.Pt(50, 50)).Len() })
	p := disc.Contours(0.5, 0.3)
	if a, want := p.Area(), math.Pi*1600; math.Abs(a-want) > 0.005*want {
		t.Errorf("disc: area %v, want %v", a, want)
	}
	if len(p) > 14 {
		t.Errorf("disc: %d steps", len(p))
	}
	square := field(100, 80, func(p geom.Point) float64 {
		return min(p.X-20, 80-p.X, p.Y-20, 60-p.Y)
	})
	p = square.Contours(0.5, 0.3)
	if a := p.Area(); math.Abs(a-2400) > 12 {
		t.Errorf("square: area %v, want 2400", a)
	}
	if len(p) > 10 {
		t.Errorf("square: %d steps: %v", len(p), p)
	}
	ring := field(100, 100, func(p geom.Point) float64 { return 10 - math.Abs(p.Sub(geom.Pt(50, 50)).Len()-30) })
	p = ring.Contours(0.5, 0.3)
	if n := len(p.Subpaths()); n != 2 {
		t.Errorf("ring: %d contours", n)
	}
	if a, want := p.Area(), math.Pi*(1600-400); math.Abs(a-want) > 0.005*want {
		t.Errorf("ring: area %v, want %v", a, want)
	}
}

func TestWhatFillsTheFieldIsClosed(t *testing.T) {
	full := field(20, 10, func(geom.Point) float64 { return 5 })
	if a := full.Contours(0.5, 0.3).Area(); math.Abs(a-200) > 4 {
		t.Errorf("a full field has the area %v, want about 200", a)
	}
	speck := field(20, 20, func(p geom.Point) float64 { return 0.6 - p.Sub(geom.Pt(10, 10)).Len() })
	if p := speck.Contours(0.5, 0.3); len(p) > 0 {
		t.Errorf("a speck was drawn: %v", p)
	}
}

// What is as good as round becomes a circle: its axes are one; what is not keeps two, and a
// turned ellipse is none that stands upright.
func TestRoundOrNot(t *testing.T) {
	ring := func(rx, ry, turn float64) (poly []geom.Point) {
		for i := range 90 {
			a := 2 * math.Pi * float64(i) / 90
			poly = append(poly, geom.Rotate(turn).Vec(geom.Pt(rx*math.Cos(a), ry*math.Sin(a))).Add(geom.Pt(60, 60)))
		}
		return poly
	}
	for _, c := range []struct {
		rx, ry, turn float64
		ok, round    bool
	}{{20, 20.2, 0, true, true}, {20.3, 20.1, 0.7, true, true}, {30, 20, 0, true, false}, {20, 30, 0, true, false}, {30, 20, 0.5, false, false}} {
		p, ok := ellipse(ring(c.rx, c.ry, c.turn), bound{off: 0.3})
		if ok != c.ok {
			t.Errorf("%+v: %v", c, ok)
			continue
		}
		if b := p.Bounds(); ok && (math.Abs(b.W()-b.H()) < 1e-6) != c.round {
			t.Errorf("%+v: %v × %v", c, b.W(), b.H())
		}
	}
}
