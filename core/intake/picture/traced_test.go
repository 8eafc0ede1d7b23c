package picture

import (
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// How much of a picture's area a drawing shows otherwise, by hand: red of 204 where
// there is 255 is a fifth off, nothing where there is something is all of it, and what
// is seen of a colour goes with its opacity.
func TestDifference(t *testing.T) {
	half := func(x0, x1, red, alpha float64) drawing.Node {
		return &drawing.Shape{Path: geom.Box(geom.Rect{X0: x0, X1: x1, Y1: 2}), Paint: drawing.Solid{Colour: colour.Screen(colour.RGB{R: red}), Alpha: alpha}}
	}
	img := image.NewNRGBA(image.Rect(0, 0, 4, 2)) // opaque red
	for i := 0; i < len(img.Pix); i += 4 {
		img.Pix[i], img.Pix[i+3] = 255, 255
	}
	for name, c := range map[string]struct {
		nodes []drawing.Node
		want  float64
	}{
		"the same":           {[]drawing.Node{half(0, 4, 1, 1)}, 0},
		"darker":             {[]drawing.Node{half(0, 4, 0.8, 1)}, 0.2},
		"half is darker":     {[]drawing.Node{half(0, 2, 0.8, 1), half(2, 4, 1, 1)}, 0.1},
		"half is not there":  {[]drawing.Node{half(0, 2, 1, 1)}, 0.5},
		"all is half opaque": {[]drawing.Node{half(0, 4, 1, 0.6)}, 0.4},
	} {
		d := &drawing.Drawing{Page: geom.Rect{X1: 4, Y1: 2}, Nodes: c.nodes}
		seen, err := raster.Render(t.Context(), d, raster.Fit(d.Page, 4, 2), 4, 2, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if got := difference(img, seen); math.Abs(got-c.want) > 1e-6 {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// A smaller picture in process inks has the mean of what it covers, rounded.
func TestMeanInks(t *testing.T) {
	c := image.NewCMYK(image.Rect(0, 0, 4, 2))
	for i := range 8 { // C counts up, M is 255 in the right half, Y in the lower row
		c.Pix[4*i] = uint8(i)
		if i%4 >= 2 {
			c.Pix[4*i+1] = 255
		}
		if i >= 4 {
			c.Pix[4*i+2] = 255
		}
	}
	for size, want := range map[[2]int][]uint8{
		{4, 2}: c.Pix,
		{2, 1}: {3, 0, 128, 0, 5, 255, 128, 0}, // (0+1+4+5)/4 and (2+3+6+7)/4, rounded up
		{1, 1}: {4, 128, 128, 0},
		{2, 2}: {1, 0, 0, 0, 3, 255, 0, 0, 5, 0, 255, 0, 7, 255, 255, 0},
		{3, 1}: {2, 0, 128, 0, 3, 0, 128, 0, 5, 255, 128, 0}, // columns 0; 1; 2 and 3
	} {
		got := meanInks(c, image.Rect(0, 0, size[0], size[1]))
		if string(got.Pix) != string(want) {
			t.Errorf("%d × %d: %v, want %v", size[0], size[1], got.Pix, want)
		}
	}
}
