package picture

import (
	"image"
	"image/color"
	"testing"

	"dyekit/core/finding"
)

// bars is white with upright bars of two px, ten px high, and a large square.
func bars(n int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, 200, 100))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	fill := func(r image.Rectangle) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				img.SetNRGBA(x, y, color.NRGBA{20, 30, 60, 255})
			}
		}
	}
	fill(image.Rect(60, 5, 120, 65))
	for i := range n {
		fill(image.Rect(10+8*i, 80, 12+8*i, 90))
	}
	return img
}

// Small parts are counted one by one, and each that is gone, half gone or elsewhere is told
// with its place; a lighter ink and what is large are not.
func TestLostParts(t *testing.T) {
	img := bars(12)
	change := func(f func(g *image.NRGBA)) *image.NRGBA {
		g := image.NewNRGBA(img.Rect)
		copy(g.Pix, img.Pix)
		f(g)
		return g
	}
	white := func(g *image.NRGBA, r image.Rectangle) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				g.SetNRGBA(x, y, color.NRGBA{255, 255, 255, 255})
			}
		}
	}
	for what, c := range map[string]struct {
		got  *image.NRGBA
		lost int
	}{
		"the same":                {img, 0},
		"one is gone":             {change(func(g *image.NRGBA) { white(g, image.Rect(18, 80, 20, 90)) }), 1},
		"two thirds of one":       {change(func(g *image.NRGBA) { white(g, image.Rect(18, 83, 20, 90)) }), 1},
		"a third of one":          {change(func(g *image.NRGBA) { white(g, image.Rect(18, 87, 20, 90)) }), 0},
		"all are gone":            {change(func(g *image.NRGBA) { white(g, image.Rect(0, 75, 200, 100)) }), 12},
		"a hole in what is large": {change(func(g *image.NRGBA) { white(g, image.Rect(70, 20, 100, 50)) }), 0},
		"a lighter ink": {change(func(g *image.NRGBA) {
			for i := 0; i < len(g.Pix); i += 4 {
				for k := range 3 {
					g.Pix[i+k] = 255 - (255-g.Pix[i+k])*2/3
				}
			}
		}), 0},
		"two px aside": {change(func(g *image.NRGBA) {
			for y := 80; y < 90; y++ {
				copy(g.Pix[g.PixOffset(2, y):g.PixOffset(190, y)], img.Pix[img.PixOffset(0, y):img.PixOffset(188, y)])
			}
		}), 12},
	} {
		parts, places, worst := lost(img, c.got)
		if parts != 12 || len(places) != c.lost || (worst < lostUnder) != (c.lost > 0) {
			t.Errorf("%s: %d parts, %d lost, want %d; the worst keeps %.2f", what, parts, len(places), c.lost, worst)
		}
		if what == "one is gone" && (places[0].X0 != 18 || places[0].Y0 != 80 || places[0].X1 != 20 || places[0].Y1 != 90) {
			t.Errorf("it was at %v", places[0])
		}
		var fs finding.List
		sayLost(&fs, parts, places, worst)
		if (len(fs) == 1) != (c.lost > 0) || c.lost > 0 && (fs[0].Code != finding.LettersLost || len(fs[0].Spots) != c.lost || len(fs.Unseen()) != 1) {
			t.Errorf("%s: %+v", what, fs)
		}
	}
	if parts, places, _ := lost(bars(0), bars(0)); parts != 0 || places != nil {
		t.Errorf("without small parts: %d, %v", parts, places)
	}
}
