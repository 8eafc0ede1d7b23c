package raster

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// turns is the winding number of a path round a point, from the angles under which
// its lines are seen.
func turns(p geom.Path, at geom.Point) int {
	sum := 0.0
	p.Flatten(geom.Flatness, func(a, b geom.Point) {
		u, v := a.Sub(at), b.Sub(at)
		sum += math.Atan2(u.Cross(v), u.Dot(v))
	})
	return int(math.Round(sum / (2 * math.Pi)))
}

// beside is how far a point is from the nearest of a path's lines.
func beside(p geom.Path, at geom.Point) float64 {
	best := math.Inf(1)
	p.Flatten(geom.Flatness, func(a, b geom.Point) {
		d, t := b.Sub(a), 0.0
		if n := d.Dot(d); n > 0 {
			t = min(1, max(0, at.Sub(a).Dot(d)/n))
		}
		best = min(best, at.Sub(a.Add(d.Mul(t))).Len())
	})
	return best
}

// What Numbers says of each point is what the winding numbers round it say, which
// are computed in another way: for paths that cross themselves, under both rules,
// one over another, within clips.
func TestNumbersAreThoseSeen(t *testing.T) {
	const w, h = 25, 20
	r := rand.New(rand.NewPCG(3, 5))
	tangle := func() (p geom.Path) {
		at := func() geom.Point { return geom.Pt(r.Float64()*32-4, r.Float64()*26-3) }
		for range 1 + r.IntN(2) {
			p.MoveTo(at())
			for range 3 + r.IntN(5) {
				if r.IntN(2) == 0 {
					p.LineTo(at())
				} else {
					p.CubeTo(at(), at(), at())
				}
			}
			p.Close()
		}
		return p
	}
	rule := func() geom.Rule { return geom.Rule(r.IntN(2)) }
	holds := func(p geom.Path, rule geom.Rule, at geom.Point) bool { return inside(rule, turns(p, at)) }
	looked := 0
	for range 40 {
		a, b := &drawing.Shape{Path: tangle(), Rule: rule()}, &drawing.Shape{Path: tangle(), Rule: rule()}
		in, around := drawing.Region{Path: tangle(), Rule: rule()}, drawing.Region{Path: tangle(), Rule: rule()}
		in.Clip = []drawing.Region{around}
		d := &drawing.Drawing{Nodes: []drawing.Node{a, &drawing.Group{Alpha: 1, Clip: []drawing.Region{in}, Nodes: []drawing.Node{b}}}}
		got, err := Numbers(context.Background(), d, geom.Identity, w, h, func(n drawing.Node) int {
			if n == drawing.Node(a) {
				return 1
			}
			return 2
		})
		if err != nil {
			t.Fatal(err)
		}
		for i, n := range got {
			at := geom.Pt(float64(i%w)+0.5, float64(i/w)+0.5)
			near := math.Inf(1)
			for _, p := range []geom.Path{a.Path, b.Path, in.Path, around.Path} {
				near = min(near, beside(p, at))
			}
			if near < 2*geom.Flatness {
				continue // lines in place of curves may run on its other side
			}
			looked++
			want := 0
			if holds(a.Path, a.Rule, at) {
				want = 1
			}
			if holds(b.Path, b.Rule, at) && holds(in.Path, in.Rule, at) && holds(around.Path, around.Rule, at) {
				want = 2
			}
			if int(n) != want {
				t.Fatalf("at %v: %d, want %d", at, n, want)
			}
		}
	}
	if looked < 30*w*h {
		t.Errorf("only %d points were looked at", looked)
	}
}

// Lines far beyond all that can be drawn harm nothing.
func TestNumbersOfEndlessLines(t *testing.T) {
	for _, far := range []float64{1e9, 1e19, 1e160, 1e308} {
		var p geom.Path
		for _, q := range []geom.Point{geom.Pt(-far, -far), geom.Pt(far, -far), geom.Pt(far, far), geom.Pt(-far, far)} {
			if len(p) == 0 {
				p.MoveTo(q)
			} else {
				p.LineTo(q)
			}
		}
		p.Close()
		got, err := Numbers(context.Background(), &drawing.Drawing{Nodes: []drawing.Node{black(p, geom.NonZero)}}, geom.Identity, 9, 7, func(drawing.Node) int { return 5 })
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range got {
			if far < 1e300 && n != 5 {
				t.Fatalf("%g: %v", far, got)
			}
		}
	}
}

// A path with very many edges is looked at some rows at a time, and rightly in each.
func TestNumbersOfManyEdges(t *testing.T) {
	const w, h, boxes = 20, 90, 20_000
	var many geom.Path
	for i := range boxes { // slanting, over every second column
		x := float64(2 * (i % (w / 2)))
		many = append(many, geom.Path{{Op: geom.MoveTo, P: [3]geom.Point{{X: x + 0.1, Y: -1}}}, {Op: geom.LineTo, P: [3]geom.Point{{X: x + 0.9, Y: -1}}}, {Op: geom.LineTo, P: [3]geom.Point{{X: x + 1, Y: h + 1}}}, {Op: geom.LineTo, P: [3]geom.Point{{X: x, Y: h + 1}}}, {Op: geom.Close}}...)
	}
	p := &points{ctx: context.Background(), to: geom.Identity, w: w, h: h, starts: make([]int32, h+1)}
	var got [w * h]int
	p.each(many, geom.Identity, geom.NonZero, func(from, to int) {
		for i := from; i < to; i++ {
			got[i]++
		}
	})
	for i, n := range got {
		if want := 1 - i%w%2; n != want {
			t.Fatalf("at %d, %d: filled %d times, not %d", i%w, i/w, n, want)
		}
	}
	if 2*boxes*h <= mostHits || cap(p.hits) > 2*mostHits {
		t.Errorf("%d hits in memory of %d", 2*boxes*h, cap(p.hits))
	}
}

func BenchmarkNumbers(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	var ns []drawing.Node
	for range 500 {
		var p geom.Path
		p.MoveTo(geom.Pt(r.Float64()*800, r.Float64()*600))
		for range 12 {
			p.LineTo(geom.Pt(r.Float64()*800, r.Float64()*600))
		}
		ns = append(ns, black(p, geom.NonZero))
	}
	for b.Loop() {
		if _, err := Numbers(context.Background(), &drawing.Drawing{Nodes: ns}, geom.Identity, 800, 600, func(drawing.Node) int { return 1 }); err != nil {
			b.Fatal(err)
		}
	}
}
