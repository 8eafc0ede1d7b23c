package trace

import (
	"bytes"
	"image"
	"testing"
)

// Four pixels become their mean, by hand: what is bare has no colour to give, and an odd edge
// has two.
func TestHalved(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 3, 2))
	copy(img.Pix, []uint8{
		200, 0, 0, 255, 100, 0, 0, 255, 10, 20, 30, 255,
		9, 9, 9, 0, 9, 9, 9, 0, 10, 20, 30, 255,
	})
	if got, want := halved(img).Pix, []uint8{150, 0, 0, 128, 10, 20, 30, 255}; !bytes.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

// A picture that is too large to be traced as it is comes out in its own measures.
func TestLargePictures(t *testing.T) {
	const side = 2300
	img := image.NewNRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			o := img.Pix[img.PixOffset(x, y):]
			o[3] = 255
			if x >= 401 && x < 1801 && y >= 302 && y < 2003 {
				o[0] = 200
			} else {
				o[0], o[1], o[2] = 255, 255, 255
			}
		}
	}
	tr, err := Trace(t.Context(), img, Options{Smooth: 0.3})
	if err != nil {
		t.Fatal(err)
	}
	if tr.W != side || tr.H != side || len(tr.Regions) != 1 {
		t.Fatalf("%d × %d, %d regions", tr.W, tr.H, len(tr.Regions))
	}
	b := tr.Regions[0].Path.Bounds()
	for i, off := range []float64{b.X0 - 401, b.Y0 - 302, b.X1 - 1801, b.Y1 - 2003} {
		if off < -0.3 || off > 0.3 {
			t.Errorf("side %d is %.2f px off: %v", i, off, b)
		}
	}
}
