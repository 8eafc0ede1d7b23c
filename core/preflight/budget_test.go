package preflight

import (
	"context"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Crossings are counted as comparing all pairs counts them.
func TestCrossingsAreCounted(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for round := range 40 {
		var ls []line
		size := []float64{0.5, 5, 50}[round%3]
		if round%5 == 0 { // a hatch is a crowd
			for i := range 200 {
				ls = append(ls, line{geom.Pt(float64(i)/100, 0), geom.Pt(float64(i)/100, 50)})
			}
		}
		at := geom.Pt(0, 0)
		for range 4 + r.IntN(300) {
			to := at.Add(geom.Pt((r.Float64()-0.5)*size, (r.Float64()-0.5)*size))
			if round%4 == 0 {
				to.Y = at.Y // level lines, too
			}
			ls = append(ls, line{at, to})
			at = to
			if r.IntN(9) == 0 {
				at = geom.Pt(r.Float64()*100, r.Float64()*100)
			}
		}
		want := 0
		for i := range ls {
			for j := range i {
				if _, ok := cross(&ls[i], &ls[j]); ok {
					want++
				}
			}
		}
		if got, err := crossed(t.Context(), ls, 1_000_000); got != want || err != nil {
			t.Errorf("round %d: %d crossings of %d lines, want %d", round, got, len(ls), want)
		}
		if got, _ := crossed(t.Context(), ls, 3); want > 3 && got <= 3 {
			t.Errorf("round %d: %d crossings where counting may stop at 3 of %d", round, got, want)
		}
	}
}

// Lines side by side are many, but few of them lie near one another; of those that
// slant one gives up when nobody waits any more.
func TestCrossingsOfHatches(t *testing.T) {
	hatch := func(slant float64) (ls []line) {
		for i := range 100_000 {
			x := float64(i) / 1000
			ls = append(ls, line{geom.Pt(x, 0), geom.Pt(x+slant, 100)})
		}
		return ls
	}
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
	defer cancel()
	if n, err := crossed(ctx, hatch(0), 100); n != 0 || err != nil {
		t.Errorf("upright: %d crossings, %v", n, err)
	}
	ctx, cancel = context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	begun := time.Now()
	if _, err := crossed(ctx, hatch(100), 100); err == nil || time.Since(begun) > 3*time.Second {
		t.Errorf("slanting: %v after %v", err, time.Since(begun))
	}
}

// What asks for too much is refused by name; what is usual is not.
func TestBudget(t *testing.T) {
	page := geom.Rect{X1: 100, Y1: 100}
	box := func() drawing.Node {
		return &drawing.Shape{Path: geom.Box(page), Paint: drawing.Solid{Alpha: 1}}
	}
	blur := drawing.Step{Op: drawing.GaussianBlur{X: 2, Y: 2}, In: drawing.SourceGraphic, Region: page}
	filtered := func(steps int) drawing.Node {
		f := &drawing.Filter{Region: page, To: geom.Identity}
		for range steps {
			f.Steps = append(f.Steps, blur)
		}
		return &drawing.Group{Nodes: []drawing.Node{box()}, Alpha: 1, Filter: f}
	}
	many := func(n int, f func() drawing.Node) (ns []drawing.Node) {
		for range n {
			ns = append(ns, f())
		}
		return ns
	}
	var thin geom.Path
	thin.MoveTo(geom.Pt(0, 0))
	thin.LineTo(geom.Pt(100, 99.8))
	thin.LineTo(geom.Pt(100, 100))
	thin.Close()
	var scribble geom.Path
	scribble.MoveTo(geom.Pt(0, 0))
	r := rand.New(rand.NewPCG(13, 14))
	for range 1500 {
		scribble.LineTo(geom.Pt(r.Float64()*100, r.Float64()*100))
	}
	for _, x := range []struct {
		name string
		ns   []drawing.Node
		want string
	}{
		{"a shadow", []drawing.Node{filtered(1)}, ""},
		{"ten shadows over all", many(10, func() drawing.Node { return filtered(1) }), ""},
		{"a chain of blurs", []drawing.Node{filtered(3000)}, "cover the page"},
		{"many blends", many(500, func() drawing.Node {
			return &drawing.Group{Nodes: []drawing.Node{box()}, Alpha: 1, Blend: drawing.Multiply}
		}), "cover the page"},
		{"three hundred faint lines across the page", many(300, func() drawing.Node {
			return &drawing.Shape{Path: thin, Paint: drawing.Solid{Alpha: 0.5}}
		}), ""},
		{"three hundred small masks", many(300, func() drawing.Node {
			small := &drawing.Shape{Path: geom.Box(geom.Rect{X1: 5, Y1: 5}), Paint: drawing.Solid{Alpha: 1}}
			return &drawing.Group{Nodes: []drawing.Node{small}, Alpha: 1, Mask: &drawing.Mask{Nodes: []drawing.Node{small}}}
		}), ""},
		{"fades over all", many(60, func() drawing.Node {
			return &drawing.Shape{Path: geom.Box(page), Paint: &drawing.Gradient{}}
		}), "cover the page"},
		{"a thousand plain shapes", many(1000, box), ""},
		{"a scribble", []drawing.Node{&drawing.Shape{Path: scribble, Paint: drawing.Solid{Alpha: 1}}}, "cross more than"},
	} {
		err := Budget(context.Background(), &drawing.Drawing{Page: page, Nodes: x.ns})
		if x.want == "" && err != nil || x.want != "" && (err == nil || !strings.Contains(err.Error(), x.want)) {
			t.Errorf("%s: %v, want %q", x.name, err, x.want)
		}
	}
}
