package drawing_test

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// A page description narrows its clip and widens it again; a Nest makes of what it
// paints the groups that the description was written from, whichever clip paints
// first.
func TestNestsAreTheGroupsTheyCameFrom(t *testing.T) {
	page := geom.Rect{X1: 40, Y1: 40}
	draw := func(ns []drawing.Node) []uint8 {
		img, err := raster.Render(t.Context(), &drawing.Drawing{Page: page, Nodes: ns}, raster.Fit(page, 40, 40), 40, 40, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		return img.Pix
	}
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 1))
		disc := func() geom.Path {
			return geom.Ellipse(geom.Pt(40*r.Float64(), 40*r.Float64()), 8+20*r.Float64(), 8+20*r.Float64())
		}
		var nest drawing.Nest
		var fill func(deep int, clip []drawing.Region) []drawing.Node
		fill = func(deep int, clip []drawing.Region) (ns []drawing.Node) {
			for range 1 + r.IntN(4) {
				if deep > 0 && r.IntN(2) == 0 {
					own := drawing.Region{Path: disc()}
					both := own
					both.Clip = clip
					ns = append(ns, &drawing.Group{Nodes: fill(deep-1, []drawing.Region{both}), Alpha: 1, Clip: []drawing.Region{own}})
					continue
				}
				c := colour.Screen(colour.RGB{R: r.Float64(), G: r.Float64(), B: r.Float64()})
				s := &drawing.Shape{Path: disc(), Paint: drawing.Solid{Colour: c, Alpha: 1}}
				nest.Add(s, clip, "")
				ns = append(ns, s)
			}
			return ns
		}
		if want := draw(fill(4, nil)); !bytes.Equal(draw(nest.Nodes), want) {
			t.Errorf("seed %d: not the picture of the groups it came from", seed)
		}
	}
}

// Clips without end are no groups without end.
func TestNestIsBounded(t *testing.T) {
	const clips = 5000
	var nest drawing.Nest
	var clip []drawing.Region
	for i := range clips {
		clip = []drawing.Region{{Path: geom.Box(geom.Rect{X1: float64(i + 1), Y1: 9}), Clip: clip}}
		for range 2 {
			nest.Add(&drawing.Shape{Path: geom.Box(geom.Rect{X1: 1, Y1: 1})}, clip, "")
		}
	}
	deepest, shapes := 0, 0
	(&drawing.Drawing{Nodes: nest.Nodes}).Walk(func(n drawing.Node, in []*drawing.Group) {
		if _, ok := n.(*drawing.Shape); ok {
			deepest, shapes = max(deepest, len(in)), shapes+1
		}
	})
	if deepest > 20 || shapes != 2*clips || len(nest.Nodes) < clips-20 || len(nest.Nodes) > clips {
		t.Errorf("%d shapes in %d nodes, at most %d deep", shapes, len(nest.Nodes), deepest)
	}
}
