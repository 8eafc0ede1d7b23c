package geom

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// within reports whether got is want to a relative tolerance.
func within(got, want, rel float64) bool { return math.Abs(got-want) <= rel*math.Abs(want) }

// filled is the area under the NonZero rule of a path that may overlap itself,
// counted on a fine grid of sample points.
func filled(p Path, step float64) float64 {
	b := p.Bounds()
	type edge struct{ a, b Point }
	var es []edge
	p.Flatten(step/50, func(a, b Point) { es = append(es, edge{a, b}) })
	n := 0
	for y := b.Y0 + step/2; y < b.Y1; y += step {
		for x := b.X0 + step/2; x < b.X1; x += step {
			w := 0
			for _, e := range es {
				if (e.a.Y <= y) != (e.b.Y <= y) {
					if cx := e.a.X + (y-e.a.Y)/(e.b.Y-e.a.Y)*(e.b.X-e.a.X); cx > x {
						if e.a.Y < e.b.Y {
							w++
						} else {
							w--
						}
					}
				}
			}
			if w != 0 {
				n++
			}
		}
	}
	return float64(n) * step * step
}

func TestAreaIsExact(t *testing.T) {
	// Four cubics lie within 0.03 % of the circle's radius.
	if a := Ellipse(Pt(3, 4), 1, 1).Area(); !within(a, math.Pi, 3e-4) {
		t.Errorf("circle: area %v", a)
	}
	if a := Box(Rect{1, 2, 4, 8}).Area(); a != 18 {
		t.Errorf("box: area %v, want 18", a)
	}
	// A parabola segment: y = x² from 0 to 1 encloses 1/6 with its chord
	// (Archimedes: 4/3 of the triangle of area 1/8).
	var p Path
	p.MoveTo(Pt(0, 0))
	p.QuadTo(Pt(0.5, 0), Pt(1, 1))
	if a := math.Abs(p.Area()); !within(a, 1.0/6, 1e-12) {
		t.Errorf("parabola: area %v, want 1/6", a)
	}
}

func TestArcsLieOnTheEllipse(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 500 {
		a, b := Pt(r.Float64()*100, r.Float64()*100), Pt(r.Float64()*100, r.Float64()*100)
		rx, ry, rot := 5+r.Float64()*80, 5+r.Float64()*80, r.Float64()*360
		large, sweep := r.IntN(2) == 1, r.IntN(2) == 1
		var p Path
		p.MoveTo(a)
		p.ArcTo(a, rx, ry, rot, large, sweep, b)
		if p[len(p)-1].End() != b {
			t.Fatalf("the arc ends at %v, not at %v", p[len(p)-1].End(), b)
		}
		// Every point is as far from some centre as the ellipse asks: mapped
		// to the unit circle, three points fix the centre, others must agree.
		m := Scale(1/rx, 1/ry).Mul(Rotate(-rot * math.Pi / 180))
		var pts []Point
		p.Each(func(c Curve, _ bool) {
			for _, u := range []float64{0, 0.25, 0.5, 0.75, 1} {
				pts = append(pts, m.Apply(c.At(u)))
			}
		})
		c, rad := circumcircle(pts[0], pts[len(pts)/2], pts[len(pts)-1])
		for _, q := range pts {
			if d := q.Sub(c).Len(); !within(d, rad, 2e-3) {
				t.Fatalf("a point lies %v from the centre, not %v", d, rad)
			}
		}
		// Radii are enlarged only if the chord asks for it (SVG 1.1 F.6.6).
		if rad < 1-1e-3 {
			t.Fatalf("the arc has radius %v of those asked for", rad)
		}
	}
}

func circumcircle(a, b, c Point) (Point, float64) {
	d := 2 * (a.X*(b.Y-c.Y) + b.X*(c.Y-a.Y) + c.X*(a.Y-b.Y))
	s := func(p Point) float64 { return p.Dot(p) }
	o := Pt((s(a)*(b.Y-c.Y)+s(b)*(c.Y-a.Y)+s(c)*(a.Y-b.Y))/d, (s(a)*(c.X-b.X)+s(b)*(a.X-c.X)+s(c)*(b.X-a.X))/d)
	return o, o.Sub(a).Len()
}

func TestBoundsHoldTheCurve(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		c := Curve{CubeTo, rnd(r), rnd(r), rnd(r), rnd(r)}
		var p Path
		p.MoveTo(c.A)
		p.CubeTo(c.B, c.C, c.D)
		b := p.Bounds()
		var seen bounds
		for i := 0; i <= 1000; i++ {
			seen.add(c.At(float64(i) / 1000))
		}
		if !b.Contains(seen.r, 1e-9) || !seen.r.Contains(b, 0.01) {
			t.Fatalf("bounds %v, but the curve spans %v", b, seen.r)
		}
	}
}

func rnd(r *rand.Rand) Point { return Pt(r.Float64()*100, r.Float64()*100) }

func TestFlattenKeepsItsTolerance(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 100 {
		c := Curve{CubeTo, rnd(r), rnd(r), rnd(r), rnd(r)}
		n := c.steps(0.05)
		for i := range n {
			a, b := c.At(float64(i)/float64(n)), c.At(float64(i+1)/float64(n))
			m := c.At((float64(i) + 0.5) / float64(n))
			if d := math.Abs(b.Sub(a).Unit().Cross(m.Sub(a))); d > 0.05 {
				t.Fatalf("a chord lies %v from the curve", d)
			}
		}
	}
}

// Flattening walks the segments itself, and finds the curves that EachClosed lists,
// whatever the order of segments.
// A path lies between its heights, however it is mapped; they touch what is straight.
func TestHeights(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		var p Path
		p.MoveTo(rnd(r))
		p.LineTo(rnd(r))
		p.QuadTo(rnd(r), rnd(r))
		p.CubeTo(rnd(r), rnd(r), rnd(r))
		p.Close()
		m := Affine{r.Float64(), r.NormFloat64(), r.Float64(), r.NormFloat64(), 1, r.NormFloat64()}
		top, bottom := p.Heights(m)
		if b := p.Transform(m).Bounds(); b.Y0 < top-1e-12 || b.Y1 > bottom+1e-12 {
			t.Errorf("from %v to %v, heights %v and %v", b.Y0, b.Y1, top, bottom)
		}
	}
	if top, bottom := Box(Rect{X0: 1, Y0: 2, X1: 3, Y1: 4}).Heights(Affine{A: 1, D: -2, F: 1}); top != -7 || bottom != -3 {
		t.Errorf("a box from %v to %v", top, bottom)
	}
	if top, bottom := Path(nil).Heights(Identity); top < bottom {
		t.Errorf("nothing from %v to %v", top, bottom)
	}
}

func TestFlattenWalksAllCurves(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	m := Affine{1.3, 0.2, -0.4, 2, 3, 4}
	for range 500 {
		var p Path
		for range r.IntN(30) {
			switch r.IntN(6) {
			case 0:
				p.MoveTo(rnd(r))
			case 1:
				p.LineTo(rnd(r))
			case 2:
				p.QuadTo(rnd(r), rnd(r))
			case 3:
				p.CubeTo(rnd(r), rnd(r), rnd(r))
			case 4:
				p.Close()
			default:
				if len(p) > 0 {
					p.LineTo(p.Last())
				}
			}
		}
		var got, want []Point
		p.FlattenBy(m, 0.1, func(a, b Point) { got = append(got, a, b) })
		p.EachClosed(func(c Curve) {
			c = Curve{c.Op, m.Apply(c.A), m.Apply(c.B), m.Apply(c.C), m.Apply(c.D)}
			n := c.steps(0.1)
			for i := range n {
				want = append(want, c.At(float64(i)/float64(n)), c.At(float64(i+1)/float64(n)))
			}
		})
		if !slices.EqualFunc(got, want, func(a, b Point) bool { return a.Sub(b).Len() < 1e-9 }) {
			t.Fatalf("%v: %v, want %v", p, got, want)
		}
	}
}

func TestSplitIsTheSameCurve(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 100 {
		c := Curve{CubeTo, rnd(r), rnd(r), rnd(r), rnd(r)}
		t0, t1 := r.Float64()*0.5, 0.5+r.Float64()*0.5
		s := c.Sub(t0, t1)
		for _, u := range []float64{0, 0.3, 0.7, 1} {
			if d := s.At(u).Sub(c.At(t0 + (t1-t0)*u)).Len(); d > 1e-9 {
				t.Fatalf("part and whole differ by %v", d)
			}
		}
	}
}

func TestInverse(t *testing.T) {
	m := Translate(3, -2).Mul(Rotate(0.7)).Mul(Scale(2, 5))
	inv, ok := m.Inverse()
	if !ok {
		t.Fatal("no inverse")
	}
	if d := inv.Apply(m.Apply(Pt(7, 9))).Sub(Pt(7, 9)).Len(); d > 1e-12 {
		t.Errorf("there and back differs by %v", d)
	}
	if _, ok := Scale(0, 1).Inverse(); ok {
		t.Error("a collapsed map has an inverse")
	}
}

// Areas of strokes follow from elementary geometry.
func TestStrokeAreas(t *testing.T) {
	line := Path{{MoveTo, [3]Point{{0, 0}}}, {LineTo, [3]Point{{100, 0}}}}
	corner := append(append(Path(nil), line...), Seg{LineTo, [3]Point{{100, 100}}})
	square := Box(Rect{0, 0, 100, 100})
	for _, c := range []struct {
		name string
		p    Path
		pen  Pen
		want float64
	}{
		{"butt", line, Pen{Width: 10}, 1000},
		{"square", line, Pen{Width: 10, Cap: SquareCap}, 1100},
		{"round", line, Pen{Width: 10, Cap: RoundCap}, 1000 + math.Pi*25},
		{"mitre", corner, Pen{Width: 10}, 2000 + 25},
		{"bevel", corner, Pen{Width: 10, Join: BevelJoin}, 2000 + 12.5},
		{"round join", corner, Pen{Width: 10, Join: RoundJoin}, 2000 + math.Pi*25/4},
		{"mitre limit passed", corner, Pen{Width: 10, Miter: 1.4}, 2000 + 12.5},
		{"mitre limit kept", corner, Pen{Width: 10, Miter: 1.42}, 2000 + 25},
		{"closed", square, Pen{Width: 10}, 110*110 - 90*90},
		{"closed round", square, Pen{Width: 10, Join: RoundJoin}, 110*110 - 90*90 - (4-math.Pi)*25},
		{"dashes", line, Pen{Width: 10, Dashes: []float64{10, 10}}, 500},
		{"odd dashes", line, Pen{Width: 10, Dashes: []float64{10}}, 500},
		{"dash offset", line, Pen{Width: 10, Dashes: []float64{30, 70}, Offset: 20}, 100 + 200},
		{"dots", line, Pen{Width: 10, Cap: RoundCap, Dashes: []float64{0, 20}}, 5 * math.Pi * 25},
	} {
		got := filled(c.p.Stroke(c.pen, 0.001), 0.4)
		if !within(got, c.want, 0.02) {
			t.Errorf("%s: area %v, want %v", c.name, got, c.want)
		}
	}
}

func TestStrokeOfACircleIsARing(t *testing.T) {
	for _, w := range []float64{1, 20, 60} {
		s := Ellipse(Pt(0, 0), 50, 50).Stroke(Pen{Width: w}, 0.001)
		want := math.Pi * ((50+w/2)*(50+w/2) - (50-w/2)*(50-w/2))
		if got := math.Abs(s.Area()); !within(got, want, 1e-3) {
			t.Errorf("width %v: area %v, want %v", w, got, want)
		}
		if len(s) > 60 {
			t.Errorf("width %v: %d segments for a ring", w, len(s))
		}
	}
}

// The outline of a stroke holds every point nearer to the curve than half the
// width, tight bends included, and none further, joins and caps aside.
func TestStrokeHoldsItsDistance(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for n := range 60 {
		c := Curve{CubeTo, rnd(r), rnd(r), rnd(r), rnd(r)}
		var p Path
		p.MoveTo(c.A)
		p.CubeTo(c.B, c.C, c.D)
		w := 2 + r.Float64()*40
		s := p.Stroke(Pen{Width: w, Cap: RoundCap, Join: RoundJoin}, 0.01)
		var flat []Point
		for i := 0; i <= 2000; i++ {
			flat = append(flat, c.At(float64(i)/2000))
		}
		var es [][2]Point
		s.Flatten(0.005, func(a, b Point) { es = append(es, [2]Point{a, b}) })
		for range 150 {
			q := Pt(r.Float64()*160-30, r.Float64()*160-30)
			d := math.Inf(1)
			for _, f := range flat {
				d = min(d, f.Sub(q).Len())
			}
			in := winding(es, q) != 0
			if d < w/2-0.15 && !in {
				t.Fatalf("curve %d, width %v: a point %v from the curve is bare", n, w, d)
			}
			if d > w/2+0.15 && in {
				t.Fatalf("curve %d, width %v: a point %v from the curve is covered", n, w, d)
			}
		}
	}
}

// So it does where lines and curves meet: in sharp corners and nearly smooth ones,
// between lines shorter than the stroke is wide, open and closed.
func TestStrokesThatMeetHoldTheirDistance(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 4))
	for n := range 500 {
		var p Path
		at, dir := rnd(r), Pt(1, 0)
		p.MoveTo(at)
		for range 2 + r.IntN(8) {
			turn := (r.Float64() - 0.5) * 6
			if r.IntN(2) == 0 {
				turn = (r.Float64() - 0.5) * 0.01 // as coordinates are rounded
			}
			dir = Rotate(turn).Apply(dir)
			long := 1 + r.Float64()*r.Float64()*50
			to := at.Add(dir.Mul(long))
			if r.IntN(3) == 0 {
				end := Rotate(r.Float64() - 0.5).Apply(dir)
				p.CubeTo(at.Add(dir.Mul(long/3)), to.Sub(end.Mul(long/3)), to)
				dir = end
			} else {
				p.LineTo(to)
			}
			at = to
		}
		if n%3 == 0 {
			p.Close()
		}
		w := 0.5 + r.Float64()*12
		s := p.Stroke(Pen{Width: w, Cap: RoundCap, Join: RoundJoin}, 0.02)
		var flat, es [][2]Point
		p.Flatten(0.002, func(a, b Point) {
			if p[len(p)-1].Op == Close || b != p[0].P[0] { // what closes an open one is not drawn
				flat = append(flat, [2]Point{a, b})
			}
		})
		s.Flatten(0.002, func(a, b Point) { es = append(es, [2]Point{a, b}) })
		for range 400 {
			k := flat[r.IntN(len(flat))]
			q := k[0].Lerp(k[1], r.Float64()).Add(Rotate(r.Float64() * 7).Apply(Pt(w/2*(0.2+r.Float64()*1.5), 0)))
			d := math.Inf(1)
			for _, e := range flat {
				along := e[1].Sub(e[0])
				u := 0.0
				if l := along.Dot(along); l > 0 {
					u = min(1, max(0, q.Sub(e[0]).Dot(along)/l))
				}
				d = min(d, e[0].Lerp(e[1], u).Sub(q).Len())
			}
			in := winding(es, q) != 0
			if d < w/2-0.1 && !in {
				t.Fatalf("path %d, width %v: the point %v, %v from the path, is bare: %v", n, w, q, d, p)
			}
			if d > w/2+0.1 && in {
				t.Fatalf("path %d, width %v: the point %v, %v from the path, is covered: %v", n, w, q, d, p)
			}
		}
	}
}

func winding(es [][2]Point, q Point) int {
	w := 0
	for _, e := range es {
		a, b := e[0], e[1]
		if (a.Y <= q.Y) != (b.Y <= q.Y) && a.X+(q.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) > q.X {
			if a.Y < b.Y {
				w++
			} else {
				w--
			}
		}
	}
	return w
}

func TestDashesAddUp(t *testing.T) {
	c := Ellipse(Pt(0, 0), 40, 25)
	whole := c.Length()
	d := c.Dash([]float64{7, 3}, 2)
	got := d.Length()
	// 70 % of the way, give or take one dash at the seam.
	if math.Abs(got-0.7*whole) > 7 {
		t.Errorf("dashes are %v long of %v", got, whole)
	}
	if again := c.Dash([]float64{0, 0}, 0); again.Length() != whole {
		t.Error("a pattern without length does not leave the path whole")
	}
}

func TestReverseTurnsTheArea(t *testing.T) {
	p := Ellipse(Pt(3, 4), 5, 6)
	if a, b := p.Area(), p.Reverse().Area(); !within(a, -b, 1e-12) {
		t.Errorf("area %v, reversed %v", a, b)
	}
}

func FuzzStroke(f *testing.F) {
	f.Add(0.0, 0.0, 10.0, 0.0, 10.0, 10.0, 0.0, 10.0, 3.0)
	f.Add(0.0, 0.0, 0.0, 0.0, 10.0, 10.0, 10.0, 10.0, 30.0)
	f.Fuzz(func(t *testing.T, ax, ay, bx, by, cx, cy, dx, dy, w float64) {
		for _, v := range []float64{ax, ay, bx, by, cx, cy, dx, dy, w} {
			if math.IsNaN(v) || math.Abs(v) > 1e6 {
				return
			}
		}
		var p Path
		p.MoveTo(Pt(ax, ay))
		p.CubeTo(Pt(bx, by), Pt(cx, cy), Pt(dx, dy))
		p.Close()
		for j := range Join(3) {
			s := p.Stroke(Pen{Width: w, Join: j, Cap: Cap(j)}, 0.01)
			if len(s) > 200_000 {
				t.Fatalf("%d segments", len(s))
			}
		}
	})
}

// A line of 100 under dashes of 10 and gaps of 5 has 100/15 of each pattern, which is
// a dash and a half; a pattern without length cuts nothing.
func TestDashesAreCounted(t *testing.T) {
	var line Path
	line.MoveTo(Pt(0, 0))
	line.LineTo(Pt(100, 0))
	for name, c := range map[string]struct {
		pattern []float64
		want    float64
	}{
		"a dash and a gap": {[]float64{10, 5}, 10},
		"dashes alone":     {[]float64{20}, 5},
		"no length":        {[]float64{0, 0}, 0},
		"no pattern":       {nil, 0},
	} {
		if got := line.Dashes(c.pattern); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}
