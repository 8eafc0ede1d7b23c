package kin

import (
	"context"
	"image"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// bars is a silhouette of bars that differ in their proportions, each with its top left corner at a
// place.
func bars(t *testing.T, at ...[2]float64) (*Look, *drawing.Drawing) {
	t.Helper()
	d := &drawing.Drawing{}
	for i, p := range at {
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: geom.Box(geom.Rect{X0: p[0], Y0: p[1], X1: p[0] + 10, Y1: p[1] + 14 + 4*float64(i)}), Paint: drawing.Solid{Alpha: 1}})
	}
	d.Page = d.Bounds()
	l, err := See(t.Context(), d)
	if err != nil || len(l.views) != 1 || len(l.views[0].shapes) != len(at) {
		t.Fatalf("%v: %d bars", err, len(l.views[0].shapes))
	}
	return l, d
}

// The most of a cell and its neighbours: a single one becomes nine, or as many as there are at an edge.
func TestWidened(t *testing.T) {
	for _, at := range []image.Point{{0, 0}, {5, 0}, {40, 50}, {overlaid - 1, overlaid - 1}} {
		g := make([]float64, overlaid*overlaid)
		g[at.Y*overlaid+at.X] = 0.7
		for i, v := range widened(g) {
			x, y := i%overlaid, i/overlaid
			want := 0.0
			if max(x-at.X, at.X-x) <= 1 && max(y-at.Y, at.Y-y) <= 1 {
				want = 0.7
			}
			if v != want {
				t.Fatalf("from %v: %g at %d, %d", at, v, x, y)
			}
		}
	}
}

// Of shapes of few pixels more is let pass, from 14 px on no more.
func TestFormOfSmallShapes(t *testing.T) {
	box := func(w, h int) shape { return shape{box: image.Rect(0, 0, w, h)} }
	for _, c := range []struct {
		w, h  int
		alike bool
	}{{13, 13, true}, {13, 15, true}, {14, 14, true}, {14, 16, false}, {15, 15, true}, {13, 17, false}} {
		if _, got := box(c.w, c.h).form(box(c.w, c.w)); got != c.alike {
			t.Errorf("%d × %d beside a square: alike %v", c.w, c.h, got)
		}
	}
}

// The main one has most in common with all others, among those that may be it.
func TestMainOfThose(t *testing.T) {
	all := [][2]float64{{0, 0}, {30, 0}, {60, 20}, {0, 60}}
	whole, d := bars(t, all...)
	one, _ := bars(t, all[:1]...)
	two, _ := bars(t, all[:2]...)
	looks := []*Look{one, whole, two}
	if n := Main(looks, nil); n != 1 {
		t.Errorf("the main one is %d", n)
	}
	if n := Main(looks, func(i int) bool { return i != 1 }); n != 2 {
		t.Errorf("of the parts the main one is %d", n)
	}
	if n := Main(looks, func(int) bool { return false }); n != -1 {
		t.Errorf("if none may be it, it is %d", n)
	}
	gone, stop := context.WithCancel(t.Context())
	stop()
	if _, err := See(gone, d); err == nil {
		t.Error("whoever has left is shown it")
	}
}
