package kit

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"math/rand/v2"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/version"
)

// A picture of a few pixels on a backing becomes one of a few more where a file type
// knows no transparency: it is held to the art as closely as it is fine, and no less.
func TestFewPixelsOnABacking(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	img := image.NewNRGBA(image.Rect(0, 0, 9, 7))
	for i := range img.Pix {
		img.Pix[i] = uint8(r.IntN(256))
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	rec := parse(t, `{"name":"tiny","frame":{"margin":"3%"},"versions":[{"name":"backed","treatment":"backed","backing":{"shape":"rounded","ink":{"name":"Sea","rgb":"#1a5f7a"}}}],"files":[{"format":"eps"},{"format":"pdf"}]}`)
	k, err := Build(t.Context(), Input{Master: b.Bytes(), MasterName: "tiny.png", Brand: "Odd Kettle", Recipe: rec})
	if err != nil || len(k.Files) != 2 {
		t.Fatalf("%v", err)
	}

	box := geom.Rect{X1: 9, Y1: 7}
	whole := &drawing.Drawing{Page: box, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.RoundBox(box, 2, 2), Paint: drawing.Solid{Colour: colour.Screen(colour.RGB{R: 0.1, G: 0.4, B: 0.5}), Alpha: 1}},
		&drawing.Picture{Image: img, To: geom.Affine{A: 5, D: 4, E: 2, F: 1.5}, Alpha: 1},
	}}
	at := func(d *drawing.Drawing, k float64) *drawing.Drawing {
		p, err := version.AsPicture(context.Background(), d, box, k, &colour.White)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	same := func(flat *drawing.Drawing) bool {
		var cs checks
		if err := sameOnPaper(context.Background(), flat, whole, box, 320, 249, &cs); err != nil {
			t.Fatal(err)
		}
		_, bad := failed(cs)
		return !bad
	}
	if !same(at(whole, 3)) || !same(at(whole, 40)) {
		t.Error("the art as a picture is refused")
	}
	bare := &drawing.Drawing{Page: box, Nodes: whole.Nodes[:1]}
	aside := *whole.Nodes[1].(*drawing.Picture)
	aside.To.E++
	moved := &drawing.Drawing{Page: box, Nodes: []drawing.Node{whole.Nodes[0], &aside}}
	for _, k := range []float64{3, 40} {
		if same(at(bare, k)) || same(at(moved, k)) {
			t.Errorf("at %v px to the unit a picture that is gone, or lies aside, is not seen", k)
		}
	}
	// And so is it by the rule for outside readers that draw squares.
	want, err := draw(t.Context(), squared(whole, 9.0/320), box, 320, 249)
	if err != nil {
		t.Fatal(err)
	}
	for name, d := range map[string]*drawing.Drawing{"gone": bare, "aside": squared(moved, 9.0/320)} {
		got, err := draw(t.Context(), d, box, 320, 249)
		if err != nil {
			t.Fatal(err)
		}
		if off, _ := implausible(got, want, true); off <= strange {
			t.Errorf("%s: %.1f %% differ by more than smoothing explains", name, 100*off)
		}
	}
	if n := coarse(at(whole, 3), whole, 9.0/320); n < 20 || n > 26 {
		t.Errorf("%d px are taken together", n)
	}
	if n := coarse(whole, whole, 9.0/320); n != 1 {
		t.Errorf("its own picture counts as %d px", n)
	}
}
