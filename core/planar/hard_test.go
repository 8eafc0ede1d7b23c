package planar

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"dyekit/core/geom"
)

func disc(x, y, r float64) geom.Path { return geom.Ellipse(geom.Pt(x, y), r, r) }

// star returns a circle of the same place and size as disc, drawn with other
// points: n cubics from another angle.
func star(x, y, r float64, n int) geom.Path {
	var p geom.Path
	at := func(a float64) geom.Point { return geom.Pt(x+r*math.Cos(a), y+r*math.Sin(a)) }
	h := 4.0 / 3 * math.Tan(math.Pi/2/float64(n)) * r
	p.MoveTo(at(0.3))
	for i := range n {
		a, b := 0.3+2*math.Pi*float64(i)/float64(n), 0.3+2*math.Pi*float64(i+1)/float64(n)
		p.CubeTo(at(a).Add(geom.Pt(-math.Sin(a), math.Cos(a)).Mul(h)), at(b).Sub(geom.Pt(-math.Sin(b), math.Cos(b)).Mul(h)), at(b))
	}
	p.Close()
	return p
}

func TestDegenerateInput(t *testing.T) {
	line := geom.Path{{Op: geom.MoveTo, P: [3]geom.Point{{X: 1, Y: 1}}}, {Op: geom.LineTo, P: [3]geom.Point{{X: 9, Y: 9}}}, {Op: geom.Close}}
	point := geom.Path{{Op: geom.MoveTo, P: [3]geom.Point{{X: 1, Y: 1}}}, {Op: geom.Close}}
	for name, c := range map[string]struct {
		ls   []Layer
		area float64
	}{
		"nothing":             {nil, 0},
		"an empty path":       {[]Layer{{}}, 0},
		"a point":             {[]Layer{{Path: point}}, 0},
		"a line":              {[]Layer{{Path: line}}, 0},
		"a line and a square": {[]Layer{{Path: line}, {Path: square(0, 0, 10, 10)}}, 100},
		"out and back":        {[]Layer{{Path: append(square(0, 0, 10, 10), square(0, 0, 10, 10).Reverse()...)}}, 0},
		"twice round":         {[]Layer{{Path: append(square(0, 0, 10, 10), square(0, 0, 10, 10)...)}}, 100},
		"twice round, odd":    {[]Layer{{Path: append(square(0, 0, 10, 10), square(0, 0, 10, 10)...), Rule: geom.EvenOdd}}, 0},
		"squares that touch":  {[]Layer{{Path: square(0, 0, 10, 10)}, {Path: square(10, 0, 20, 10)}}, 200},
		// A gap below a grid unit is no gap.
		"less than a grid unit": {[]Layer{{Path: square(0, 0, 10, 10)}, {Path: square(10.0000001, 0, 20, 10)}}, 200},
	} {
		u, err := Union(bg, c.ls...)
		if err != nil || math.Abs(u.Area()-c.area) > 1e-3 {
			t.Errorf("%s: area %v, want %v; %v", name, u.Area(), c.area, err)
		}
	}
	u := must(t)(Union(bg, Layer{Path: square(0, 0, 10, 10)}, Layer{Path: square(10.0000001, 0, 20, 10)}))
	if n := len(u.Subpaths()); n != 1 {
		t.Errorf("less than a grid unit apart: %d contours", n)
	}
	if _, err := Union(bg, Layer{Path: geom.Path{{Op: geom.MoveTo}, {Op: geom.LineTo, P: [3]geom.Point{{X: math.NaN()}}}}}); err == nil {
		t.Error("a coordinate that is no number was taken")
	}
	ctx, cancel := context.WithCancel(bg)
	cancel()
	if _, err := Union(ctx, crowd(4000)...); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
}

// Curves that lie on each other, drawn with other points, leave no slivers.
// What the edges were made of can be made of them again, and gives the same faces.
func TestPiecesOfEdges(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	var ls []Layer
	for range 40 {
		ls = append(ls, Layer{Path: append(disc(r.Float64()*100, r.Float64()*100, 5+r.Float64()*20), disc(50, 50, 30)...)})
	}
	p, err := Overlay(t.Context(), geom.Rect{}, ls)
	if err != nil {
		t.Fatal(err)
	}
	again := &Plane{grid: p.grid, rules: p.rules, curves: p.curves, joint: map[int32]geom.Point{}}
	ps, _, err := again.settle(t.Context(), p.pieces())
	if err == nil {
		err = again.arrange(t.Context(), ps)
	}
	if err != nil || again.bent {
		t.Fatalf("bent %v, %v", again.bent, err)
	}
	if !slices.Equal(again.points, p.points) || !slices.Equal(again.face, p.face) || again.faces != p.faces {
		t.Errorf("%d faces and %d points, %d and %d before", again.faces, len(again.points), p.faces, len(p.points))
	}
	inside := func(s *Set) int { return s.Top() + 1 }
	for i := range len(ls) + 1 {
		pick := func(l int) bool { return l == i }
		if a, b := p.Label(inside).Area(pick), again.Label(inside).Area(pick); math.Abs(a-b) > 1e-9 {
			t.Errorf("label %d: %v, %v before", i, b, a)
		}
	}
}

func TestTheSameCircleDrawnOtherwise(t *testing.T) {
	for _, n := range []int{4, 5, 7, 8} {
		a, b := Layer{Path: disc(50, 50, 40)}, Layer{Path: star(50, 50, 40, n)}
		for name, p := range map[string]geom.Path{
			"A − B": must(t)(Subtract(bg, a, b)), "B − A": must(t)(Subtract(bg, b, a)),
		} {
			if len(p) > 0 {
				t.Errorf("%d cubics: %s leaves %d steps with area %v", n, name, len(p), p.Area())
			}
		}
		u := must(t)(Union(bg, a, b))
		if k := count(u); len(u.Subpaths()) != 1 || k > 2*(4+n) {
			t.Errorf("%d cubics: the union has %d contours of %d curves", n, len(u.Subpaths()), k)
		}
	}
}

func TestTangents(t *testing.T) {
	// Two discs touch outside, two inside.
	u := must(t)(Union(bg, Layer{Path: disc(20, 50, 20)}, Layer{Path: disc(60, 50, 20)}))
	if math.Abs(u.Area()-800*math.Pi) > 0.8 {
		t.Errorf("outside: %v", u.Area())
	}
	d := must(t)(Subtract(bg, Layer{Path: disc(50, 50, 40)}, Layer{Path: disc(30, 50, 20)}))
	if math.Abs(d.Area()-1200*math.Pi) > 1.2 {
		t.Errorf("inside: %v", d.Area())
	}
}

func TestARingInARingInARing(t *testing.T) {
	var rings geom.Path
	for r := 60.0; r > 0; r -= 10 {
		rings = append(rings, disc(100, 100, r)...)
	}
	p := must(t)(Resolve(bg, Layer{Path: rings, Rule: geom.EvenOdd}))
	if n := len(p.Subpaths()); n != 6 || count(p) != 24 {
		t.Errorf("%d contours, %d curves", n, count(p))
	}
	for _, s := range p.Subpaths() {
		r := s.Bounds().W() / 2
		// The outermost and every second one holds ink, the others are holes.
		if out := int(math.Round(r/10))%2 == 0; (s.Area() > 0) != out {
			t.Errorf("the contour of radius %.0f has the area %v", r, s.Area())
		}
	}
}

func TestMovedAndTurnedAlike(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 60 {
		a, b := Layer{Path: tangle(r, 6, 100, false)}, Layer{Path: tangle(r, 6, 100, false)}
		want := must(t)(Subtract(bg, a, b)).Area()
		for _, m := range []geom.Affine{geom.Translate(1e4, -3), geom.Scale(-1, 1), geom.Scale(1, -1), {B: 1, C: -1}} {
			p := must(t)(Subtract(bg, Layer{Path: a.Path.Transform(m)}, Layer{Path: b.Path.Transform(m)}))
			// Slivers are judged on the grid, which moves with the drawing.
			if math.Abs(p.Area()-want) > 2 {
				t.Errorf("by %v: area %v, want %v", m, p.Area(), want)
			}
		}
	}
}

func TestTheViewCutsOff(t *testing.T) {
	view := geom.Rect{X0: 0, Y0: 0, X1: 100, Y1: 100}
	for name, c := range map[string]struct {
		path geom.Path
		area float64
	}{
		"holds all of it":  {square(-1e7, -1e7, 1e7, 1e7), 1e4},
		"a strip":          {square(-1e6, 20, 1e6, 30), 1000},
		"a corner":         {square(50, 50, 1e6, 1e6), 2500},
		"beside":           {square(200, 0, 300, 100), 0},
		"a disc round it":  {disc(50, 50, 1000), 1e4},
		"half a disc":      {disc(0, 50, 40), math.Pi * 800},
		"a disc to a side": {append(square(-1e6, -1e6, 1e6, 1e6), disc(50, 50, 30).Reverse()...), 1e4 - 900*math.Pi},
	} {
		p, err := Overlay(bg, view, []Layer{{Path: c.path}})
		if err != nil {
			t.Fatal(err)
		}
		q := p.Label(func(s *Set) int {
			if s.Has(0) {
				return 1
			}
			return 0
		}).Path(func(l int) bool { return l == 1 })
		if math.Abs(q.Area()-c.area) > 1e-3*max(c.area, 1) {
			t.Errorf("%s: area %v, want %v", name, q.Area(), c.area)
		}
		if b := q.Bounds(); !view.Grow(1e-4).Contains(b, 0) {
			t.Errorf("%s reaches over the view: %v", name, b)
		}
	}
}

func TestRegionsAndLines(t *testing.T) {
	// A square with a disc in it and a half beside: labels by the topmost.
	ls := []Layer{{Path: square(0, 0, 40, 40)}, {Path: disc(20, 20, 10)}, {Path: square(40, 0, 80, 40)}}
	p, err := Overlay(bg, geom.Rect{}, ls)
	if err != nil {
		t.Fatal(err)
	}
	m := p.Label(func(s *Set) int { return s.Top() + 1 })
	rs, _ := m.Regions()
	if len(rs) != 4 || rs[0].Label != 0 {
		t.Fatalf("%d regions: %+v", len(rs), rs)
	}
	shared := map[[2]int]float64{}
	for _, r := range rs {
		for _, b := range r.Borders {
			shared[[2]int{r.Label, rs[b.Region].Label}] = b.Length
		}
	}
	for k, want := range map[[2]int]float64{{1, 2}: 20 * math.Pi, {2, 1}: 20 * math.Pi, {1, 3}: 40, {0, 1}: 120, {0, 3}: 120} {
		if math.Abs(shared[k]-want) > 1e-3*want {
			t.Errorf("the border of %v is %v, want %v", k, shared[k], want)
		}
	}
	round := m.Lines(func(i, j int) bool { return i*j == 2 })
	if math.Abs(round.Length()-20*math.Pi) > 0.05 || count(round) != 4 || round[len(round)-1].Op != geom.Close {
		t.Errorf("the line round the disc: %v, %v", round.Length(), round)
	}
	straight := m.Lines(func(i, j int) bool { return i*j == 3 })
	if math.Abs(straight.Length()-40) > 1e-3 || straight[len(straight)-1].Op == geom.Close {
		t.Errorf("the line between the halves: %v", straight)
	}
	if a := m.Area(func(l int) bool { return l == 3 }); math.Abs(a-1600) > 1e-3 {
		t.Errorf("area of the half: %v", a)
	}
}

func TestTheSameEveryTime(t *testing.T) {
	ls := crowd(3000)
	a, b := must(t)(Union(bg, ls...)), must(t)(Union(bg, ls...))
	if len(a) != len(b) {
		t.Fatalf("%d and %d steps", len(a), len(b))
	}
	for i := range a {
		if a[i] != b[i] {
			t.Fatalf("step %d: %v and %v", i, a[i], b[i])
		}
	}
}

func TestSets(t *testing.T) {
	s := Set{words: make([]uint64, 3), wind: make([]int32, 150), rules: make([]geom.Rule, 150)}
	s.rules[70] = geom.EvenOdd
	s.turn([]delta{{3, 1}, {70, 2}, {149, -1}}, 1)
	if !s.Has(3) || s.Has(70) || !s.Has(149) || s.Top() != 149 || s.Below(149) != 3 || s.Below(3) != -1 || s.From(4) != 149 || s.From(0) != 3 {
		t.Errorf("%+v", s.words)
	}
	s.turn([]delta{{149, -1}, {70, 1}}, -1)
	if s.Top() != 70 || s.From(71) != -1 {
		t.Errorf("%+v", s.words)
	}
}

// FuzzOverlay looks for input that the engine cannot settle, and for areas
// that break the laws of sets.
func FuzzOverlay(f *testing.F) {
	f.Add([]byte("\x00\x00\x80\x00\x80\x80\x00\x80"), uint8(0))
	f.Add([]byte("abcdefghijklmnopqrstuvwxyz0123456789"), uint8(3))
	f.Add([]byte("\x10\x20\x30\x10\x20\x30\x10\x20\x30\x10\x20\x30\x10\x20"), uint8(1))
	f.Fuzz(func(t *testing.T, b []byte, shape uint8) {
		if len(b) > 400 {
			return
		}
		var ls [2]Layer
		for k := range ls {
			half := b[k*len(b)/2 : (k+1)*len(b)/2]
			b := half
			at := func(i int) geom.Point { return geom.Pt(float64(b[i]), float64(b[i+1])) }
			p := &ls[k].Path
			ls[k].Rule = geom.Rule(shape >> k & 1)
			for i := 0; i+6 < len(b); i += 7 {
				if len(*p) == 0 || b[i]&31 == 0 {
					p.MoveTo(at(i + 1))
					continue
				}
				switch b[i] % 3 {
				case 0:
					p.LineTo(at(i + 1))
				case 1:
					p.QuadTo(at(i+1), at(i+3))
				case 2:
					p.CubeTo(at(i+1), at(i+3), at(i+5))
				}
			}
		}
		plane, err := Overlay(bg, geom.Rect{}, ls[:])
		if err != nil {
			t.Fatal(err)
		}
		m := plane.Label(func(s *Set) int {
			k := 0
			if s.Has(0) {
				k |= 1
			}
			if s.Has(1) {
				k |= 2
			}
			return k
		})
		all, sum := 0.0, 0.0
		for k := 1; k < 4; k++ {
			a := m.Path(func(l int) bool { return l == k }).Area()
			if a < -1 {
				t.Errorf("label %d has the area %v", k, a)
			}
			sum += a
		}
		all = m.Path(func(l int) bool { return l > 0 }).Area()
		if math.Abs(all-sum) > 0.002*255*255 {
			t.Errorf("all is %v, its parts %v", all, sum)
		}
	})
}

// Where several curves cross within one square of the grid, regions that are traced
// one by one, in any order, and all at once have the same paths to the bit.
func TestPathsInAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 13))
	var ls []Layer
	for range 30 { // circles of several sizes through nearly the same two points
		h := 5 + r.Float64()*60
		d := math.Hypot(h, 20)
		ls = append(ls, Layer{Path: disc(50+h, 50+r.Float64()*1e-6, d)})
	}
	divide := func() *Map {
		p, err := Overlay(t.Context(), geom.Rect{}, ls)
		if err != nil {
			t.Fatal(err)
		}
		return p.Label(func(s *Set) int { return s.Top() + 1 })
	}
	n := len(ls) + 1
	all := divide().Paths(n)
	for _, back := range []bool{false, true} {
		m := divide()
		for i := range n {
			if back {
				i = n - 1 - i
			}
			if i == 0 {
				continue
			}
			if got := m.Path(func(l int) bool { return l == i }); !slices.Equal(got, all[i]) {
				t.Errorf("backwards %v: label %d has another path", back, i)
			}
		}
	}
}

// A view cuts off curves that leave it, come back and leave it again by the same
// side, and what is seen in it stays as it is.
func TestCurvesThatLeaveAViewTwice(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 15))
	view := geom.Rect{X0: 10, Y0: 20, X1: 90, Y1: 80}
	frame := Layer{Path: geom.Box(view)}
	for i := range 60 {
		ls := []Layer{frame}
		for range 1 + i%3 {
			var p geom.Path
			p.MoveTo(geom.Pt(50, 50))
			at := func() geom.Point { return geom.Pt(-60+r.Float64()*220, -60+r.Float64()*220) }
			for range 4 {
				p.CubeTo(at(), at(), at())
			}
			p.Close()
			ls = append(ls, Layer{Path: p, Rule: geom.Rule(i % 2)})
		}
		areas := func(view geom.Rect) (a []float64) {
			p, err := Overlay(t.Context(), view, ls)
			if err != nil {
				t.Fatal(err)
			}
			m := p.Label(func(in *Set) int {
				k := 0
				for l := range ls {
					if in.Has(0) && in.Has(l) {
						k |= 1 << l
					}
				}
				return k
			})
			for k := range 1 << len(ls) {
				a = append(a, m.Area(func(l int) bool { return l == k && l > 0 }))
			}
			return a
		}
		want, got := areas(geom.Rect{}), areas(view)
		for k := range want {
			if math.Abs(got[k]-want[k]) > 0.5 {
				t.Errorf("drawing %d: of what lies in layers %b %.2f is seen, %.2f with the view cut off", i, k, want[k], got[k])
			}
		}
	}
}
