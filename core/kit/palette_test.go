package kit

import (
	"image"
	"image/color"
	"testing"

	"dyekit/core/export/png"
)

// A picture of fewer colours is held to the nearest of them, whoever chose them: right ones
// pass, and each way of going wrong is told.
func TestMisplacedColours(t *testing.T) {
	full := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		x, y := i%64, i/64
		full.SetNRGBA(x, y, color.NRGBA{uint8(4 * x), uint8(4 * y), uint8(255 - 2*x), uint8(255 - 3*(y%40))})
	}
	for n := 2; n <= 256; n *= 2 {
		if no := misplaced(full, png.Quantise(full, n)); no != "" {
			t.Errorf("%d colours: %s", n, no)
		}
	}
	for what, spoil := range map[string]func(q *image.NRGBA){
		"one pixel in another colour": func(q *image.NRGBA) { copy(q.Pix[:4], q.Pix[4*64*63:]) },
		"two colours changed over": func(q *image.NRGBA) {
			a, b := [4]byte(q.Pix), [4]byte(q.Pix[len(q.Pix)-4:])
			for i := 0; i < len(q.Pix); i += 4 {
				switch [4]byte(q.Pix[i:]) {
				case a:
					copy(q.Pix[i:], b[:])
				case b:
					copy(q.Pix[i:], a[:])
				}
			}
		},
		"a colour far from its own": func(q *image.NRGBA) {
			a := [4]byte(q.Pix)
			for i := 0; i < len(q.Pix); i += 4 {
				if [4]byte(q.Pix[i:]) == a {
					q.Pix[i+1] = 255 - q.Pix[i+1]
				}
			}
		},
		"all in one colour": func(q *image.NRGBA) {
			for i := 4; i < len(q.Pix); i += 4 {
				copy(q.Pix[i:], q.Pix[len(q.Pix)-4:])
			}
		},
	} {
		q := png.Quantise(full, 16)
		spoil(q)
		if misplaced(full, q) == "" {
			t.Errorf("%s is not seen", what)
		}
	}
}
