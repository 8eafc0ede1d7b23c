package drawing_test

import (
	"bytes"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// What is cut by a region looks inside it as it does uncut, whatever it blends with,
// and is not there outside.
func TestClippedBlendsSeeWhatLiesBelow(t *testing.T) {
	box := func(x, y, w, h float64, hex string) drawing.Node {
		c, err := colour.ParseHex(hex)
		if err != nil {
			t.Fatal(err)
		}
		return &drawing.Shape{Path: geom.Box(geom.Rect{X0: x, Y0: y, X1: x + w, Y1: y + h}), Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
	}
	group := func(b drawing.BlendMode, ns ...drawing.Node) *drawing.Group {
		return &drawing.Group{Nodes: ns, Alpha: 1, Blend: b}
	}
	cut := group(drawing.Screen, box(20, 40, 60, 30, "#336699"))
	cut.Clip = []drawing.Region{{Path: geom.Box(geom.Rect{X0: 20, Y0: 45, X1: 70, Y1: 90})}}
	alone := group(drawing.Normal, group(drawing.Multiply, box(60, 5, 20, 20, "#00ff00")))
	alone.Isolated = true
	page := geom.Rect{X1: 100, Y1: 100}
	ns := []drawing.Node{
		box(10, 10, 60, 60, "#cc3333"), group(drawing.Multiply, box(40, 20, 50, 50, "#88ccff")), box(5, 60, 30, 30, "#eeee88"),
		group(drawing.Normal, box(50, 60, 30, 30, "#aa55aa"), group(drawing.Difference, box(40, 55, 30, 30, "#ffffff"))), cut, alone,
	}
	draw := func(ns []drawing.Node) []uint8 {
		img, err := raster.Render(t.Context(), &drawing.Drawing{Page: page, Nodes: ns}, raster.Fit(page, 100, 100), 100, 100, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		return img.Pix
	}
	whole := draw(ns)
	for _, x1 := range []float64{100, 55} { // all of it, and the left of it
		got := draw(drawing.Clipped(ns, []drawing.Region{{Path: geom.Box(geom.Rect{X1: x1, Y1: 100})}}))
		for y := range 100 {
			row, want, edge := got[400*y:400*(y+1)], whole[400*y:400*(y+1)], 4*int(x1)
			if !bytes.Equal(row[:edge], want[:edge]) {
				t.Errorf("cut at %v: row %d looks otherwise", x1, y)
			}
			if !bytes.Equal(row[edge:], make([]byte, 400-edge)) {
				t.Errorf("cut at %v: row %d goes on", x1, y)
			}
		}
	}
}
