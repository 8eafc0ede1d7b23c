package sheet

import (
	"slices"
	"testing"

	"dyekit/core/colour"
)

// What is printed of an ink are its own figures; a tint is told of a spot ink where it
// is one.
func TestValuesOfAnInk(t *testing.T) {
	for name, c := range map[string]struct {
		tint float64
		spot string
		want []string
	}{
		"process":            {0, "", []string{"#1a5f7a   RGB 26 95 122", "CMYK 90 40.5 30 20"}},
		"a plate":            {100, "Sea 3", []string{"#1a5f7a   RGB 26 95 122", "CMYK 90 40.5 30 20", "Spot Sea 3"}},
		"a plate, all of it": {0, "Sea 3", []string{"#1a5f7a   RGB 26 95 122", "CMYK 90 40.5 30 20", "Spot Sea 3"}},
		"a tint of a plate":  {35, "Sea 3", []string{"#1a5f7a   RGB 26 95 122", "CMYK 90 40.5 30 20", "Spot Sea 3, 35 %"}},
		"nearly all":         {99.5, "Sea 3", []string{"#1a5f7a   RGB 26 95 122", "CMYK 90 40.5 30 20", "Spot Sea 3, 99.5 %"}},
	} {
		k := Ink{Name: "Sea", Colour: colour.Colour{RGB: colour.FromBytes(0x1a, 0x5f, 0x7a), Spot: c.spot, Tint: c.tint}, Build: colour.CMYK{C: 90, M: 40.5, Y: 30, K: 20}}
		if got := Values(k); !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}
