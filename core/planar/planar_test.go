package planar

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/geom"
)

var bg = context.Background()

func must(t testing.TB) func(geom.Path, error) geom.Path {
	return func(p geom.Path, err error) geom.Path {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
}

func square(x0, y0, x1, y1 float64) geom.Path {
	return geom.Box(geom.Rect{X0: x0, Y0: y0, X1: x1, Y1: y1})
}

// curves counts the pieces of a path other than moves and closings.
func count(p geom.Path) (n int) {
	for _, s := range p {
		if s.Op != geom.MoveTo && s.Op != geom.Close {
			n++
		}
	}
	return n
}

func TestKnownAreas(t *testing.T) {
	disc := func(x, y, r float64) geom.Path { return geom.Ellipse(geom.Pt(x, y), r, r) }
	a, b := Layer{Path: disc(40, 50, 30)}, Layer{Path: disc(70, 50, 30)}
	// The lens of two circles of radius r whose centres are r apart:
	// r²(2π/3 − √3/2). The cubics of geom.Ellipse are 0.027 % off a circle.
	lens := 900 * (2*math.Pi/3 - math.Sqrt(3)/2)
	round := 900 * math.Pi
	for name, c := range map[string]struct {
		got      geom.Path
		area     float64
		contours int
		curves   int
	}{
		"union":          {must(t)(Union(bg, a, b)), 2*round - lens, 1, 8},
		"intersection":   {must(t)(Intersect(bg, a, b)), lens, 1, 4},
		"difference":     {must(t)(Subtract(bg, a, b)), round - lens, 1, 6},
		"disc":           {must(t)(Resolve(bg, a)), round, 1, 4},
		"disc twice":     {must(t)(Union(bg, a, a)), round, 1, 4},
		"disc less disc": {must(t)(Subtract(bg, a, a)), 0, 0, 0},
		"ring":           {must(t)(Subtract(bg, a, Layer{Path: disc(40, 50, 10)})), 800 * math.Pi, 2, 8},
		"abutting":       {must(t)(Union(bg, Layer{Path: square(0, 0, 10, 10)}, Layer{Path: square(10, 0, 20, 10)})), 200, 1, 4},
		"abutting part":  {must(t)(Union(bg, Layer{Path: square(0, 0, 10, 10)}, Layer{Path: square(10, 2, 20, 8)})), 160, 1, 8},
		"corner":         {must(t)(Union(bg, Layer{Path: square(0, 0, 10, 10)}, Layer{Path: square(10, 10, 20, 20)})), 200, 2, 8},
	} {
		if d := math.Abs(c.got.Area() - c.area); d > 6e-4*round {
			t.Errorf("%s: area %v, want %v", name, c.got.Area(), c.area)
		}
		if n := len(c.got.Subpaths()); n != c.contours {
			t.Errorf("%s: %d contours, want %d", name, n, c.contours)
		}
		// A rectangle closes with its last side.
		n := count(c.got)
		for _, s := range c.got.Subpaths() {
			if s[len(s)-2].End() != s[0].P[0] {
				n++
			}
		}
		if n != c.curves {
			t.Errorf("%s: %d curves, want %d: %v", name, n, c.curves, c.got)
		}
	}
}

// tangle returns a path with crossings of itself: mixed lines and curves.
func tangle(r *rand.Rand, n int, size float64, snap bool) geom.Path {
	pt := func() geom.Point {
		p := geom.Pt(r.Float64(), r.Float64())
		if snap { // coincident edges, tangents, zero-area loops
			p = geom.Pt(math.Round(p.X*8)/8, math.Round(p.Y*8)/8)
		}
		return p.Mul(size)
	}
	var p geom.Path
	p.MoveTo(pt())
	for range n {
		switch r.IntN(3) {
		case 0:
			p.LineTo(pt())
		case 1:
			p.QuadTo(pt(), pt())
		case 2:
			p.CubeTo(pt(), pt(), pt())
		}
	}
	p.Close()
	return p
}

// polygonArea is the area under a rule, counted on lines of a fine raster:
// nothing of this package is used.
func scanArea(p geom.Path, rule geom.Rule, b geom.Rect, n int) float64 {
	return scan([]Layer{{p, rule}}, b, n, func(in []bool) bool { return in[0] })
}

// scan counts the area where in holds along n horizontal lines.
func scan(ls []Layer, b geom.Rect, n int, in func([]bool) bool) float64 {
	type hit struct {
		x float64
		d int
		l int
	}
	rows := make([][]hit, n)
	h := b.H() / float64(n)
	for l, layer := range ls {
		layer.Path.Flatten(b.Long()*1e-6, func(p, q geom.Point) {
			d := 1
			if p.Y > q.Y {
				p, q, d = q, p, -1
			}
			i0 := int(math.Ceil((p.Y-b.Y0)/h - 0.5))
			for i := max(0, i0); i < n; i++ {
				y := b.Y0 + (float64(i)+0.5)*h
				if y >= q.Y {
					break
				}
				if y < p.Y {
					continue
				}
				rows[i] = append(rows[i], hit{p.X + (q.X-p.X)*(y-p.Y)/(q.Y-p.Y), d, l})
			}
		})
	}
	sum := 0.0
	for _, row := range rows {
		for i := range row { // insertion sort: rows are short
			for j := i; j > 0 && row[j].x < row[j-1].x; j-- {
				row[j], row[j-1] = row[j-1], row[j]
			}
		}
		wind := make([]int, len(ls))
		is := make([]bool, len(ls))
		for i, x := range row {
			wind[x.l] += x.d
			is[x.l] = wind[x.l] != 0
			if ls[x.l].Rule == geom.EvenOdd {
				is[x.l] = wind[x.l]&1 != 0
			}
			if i+1 < len(row) && in(is) {
				sum += row[i+1].x - x.x
			}
		}
	}
	return sum * h
}

func TestLawsOfSets(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 4))
		size := math.Pow(10, float64(int(seed%5)*3-6)) // 10⁻⁶ to 10⁶
		snap := seed%3 == 0
		a := Layer{tangle(r, 2+r.IntN(8), size, snap), geom.Rule(r.IntN(2))}
		b := Layer{tangle(r, 2+r.IntN(8), size, snap), geom.Rule(r.IntN(2))}
		unit := size * size
		area := func(p geom.Path) float64 { return p.Area() / unit }
		ra, rb := area(must(t)(Resolve(bg, a))), area(must(t)(Resolve(bg, b)))
		u, i := must(t)(Union(bg, a, b)), must(t)(Intersect(bg, a, b))
		d, e := must(t)(Subtract(bg, a, b)), must(t)(Subtract(bg, b, a))
		const tol = 1e-3
		if g, w := area(u)+area(i), ra+rb; math.Abs(g-w) > tol {
			t.Errorf("seed %d: |A∪B| + |A∩B| = %v, |A| + |B| = %v", seed, g, w)
		}
		if g := area(d) + area(e) + area(i); math.Abs(g-area(u)) > tol {
			t.Errorf("seed %d: |A−B| + |B−A| + |A∩B| = %v, |A∪B| = %v", seed, g, area(u))
		}
		page := geom.Rect{X0: -size, Y0: -size, X1: 2 * size, Y1: 2 * size}
		if w := scanArea(a.Path, a.Rule, page, 3000) / unit; math.Abs(ra-w) > 2*tol {
			t.Errorf("seed %d: |A| = %v, counted %v", seed, ra, w)
		}
		w := scan([]Layer{a, b}, page, 3000, func(in []bool) bool { return in[0] || in[1] }) / unit
		if math.Abs(area(u)-w) > 2*tol {
			t.Errorf("seed %d: |A∪B| = %v, counted %v", seed, area(u), w)
		}
		// What comes out is the same under both rules, and once more.
		odd := scanArea(u, geom.EvenOdd, page, 3000) / unit
		non := scanArea(u, geom.NonZero, page, 3000) / unit
		if math.Abs(odd-non) > tol || math.Abs(non-w) > 2*tol {
			t.Errorf("seed %d: even-odd %v, non-zero %v, counted %v", seed, odd, non, w)
		}
		again := must(t)(Resolve(bg, Layer{Path: u}))
		if math.Abs(area(again)-area(u)) > tol {
			t.Errorf("seed %d: resolved again %v, before %v", seed, area(again), area(u))
		}
	}
}
