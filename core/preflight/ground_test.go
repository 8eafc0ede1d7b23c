package preflight

import (
	"context"
	"image"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// A disc with a hole, drawn with soft edges on white, comes free of its ground:
// laid on another colour it looks as if it had been drawn there, to within a few
// steps; a picture without a plain ground stays as it is.
func TestGroundOfAPicture(t *testing.T) {
	ctx := context.Background()
	ring := append(geom.Ellipse(geom.Pt(50, 50), 40, 40), geom.Ellipse(geom.Pt(50, 50), 20, 20)...)
	art := &drawing.Drawing{Page: geom.Rect{X1: 100, Y1: 100}, Nodes: []drawing.Node{&drawing.Shape{Path: ring, Rule: geom.EvenOdd, Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(0x1a, 0x5f, 0x7a)), Alpha: 1}}}}
	on := func(c colour.RGB) *image.NRGBA {
		img, err := raster.Render(ctx, art, raster.Fit(art.Page, 200, 200), 200, 200, raster.Options{Ground: &c})
		if err != nil {
			t.Fatal(err)
		}
		return img
	}
	d := &drawing.Drawing{Page: art.Page, Nodes: []drawing.Node{&drawing.Picture{Image: on(colour.White), To: geom.Scale(100, 100), Alpha: 1}}}
	free, _, done, err := DropBacking.Apply(ctx, d)
	if err != nil || done == "" {
		t.Fatalf("%q, %v", done, err)
	}
	dark := colour.FromBytes(0x22, 0x22, 0x22)
	got, err := raster.Render(ctx, free, raster.Fit(art.Page, 200, 200), 200, 200, raster.Options{Ground: &dark})
	if err != nil {
		t.Fatal(err)
	}
	want, off := on(dark), 0
	for i := range want.Pix {
		if d := int(want.Pix[i]) - int(got.Pix[i]); d > 12 || d < -12 {
			off++
		}
	}
	if off > 40 { // channels of 200 × 200 px
		t.Errorf("%d channels differ by more than 12 steps", off)
	}
	if p := free.Nodes[0].(*drawing.Picture).Image; p.NRGBAAt(100, 100).A != 0 || p.NRGBAAt(0, 0).A != 0 || p.NRGBAAt(100, 40).A != 255 {
		t.Error("the ground is not bare, or the art is")
	}
	if _, _, done, _ := DropBacking.Apply(ctx, free); done != "" {
		t.Errorf("taken away twice: %s", done)
	}
}
