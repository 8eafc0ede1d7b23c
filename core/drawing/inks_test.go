package drawing

import (
	"math"
	"testing"

	"dyekit/core/colour"
)

// A pixel of process inks is its four shares; one of a plate the tint of the plate's build.
func TestInksAtAPixel(t *testing.T) {
	spot := colour.Colour{Spot: "Vat Plum", Build: colour.CMYK{C: 40, M: 85, Y: 20, K: 35}, Built: true}
	for what, c := range map[string]struct {
		inks Inks
		at   int
		want [4]float64
	}{
		"process":        {Inks{Pix: []uint8{9, 9, 9, 9, 0, 51, 102, 255}}, 1, [4]float64{0, 0.2, 0.4, 1}},
		"full plate":     {Inks{Pix: []uint8{0, 255}, Spot: spot}, 1, [4]float64{0.4, 0.85, 0.2, 0.35}},
		"a fifth of one": {Inks{Pix: []uint8{51, 255}, Spot: spot}, 0, [4]float64{0.08, 0.17, 0.04, 0.07}},
	} {
		got := c.inks.At(c.at)
		for i := range got {
			if math.Abs(got[i]-c.want[i]) > 1e-12 {
				t.Errorf("%s: %v, want %v", what, got, c.want)
				break
			}
		}
	}
}
