package version

import (
	"testing"

	"dyekit/core/colour"
)

func TestStanding(t *testing.T) {
	hex := func(s string) *colour.RGB {
		c, err := colour.ParseHex(s)
		if err != nil {
			t.Fatal(err)
		}
		return &c
	}
	all := []Stand{{}, {Ink: hex("#000000")}, {Ink: hex("#ffffff"), Light: true}, {Ink: hex("#6b2d4f")}, {Light: true}}
	for _, c := range []struct {
		ground string
		vs     []Stand
		want   int
		least  float64 // of the contrast; 0 for none
	}{
		{"#ffffff", all, 0, 0},                                    // in colour
		{"#e4e4e2", all, 0, 0},                                    // on light grey too
		{"#191918", all, 4, 0},                                    // in colour, for dark grounds
		{"#191918", all[:4], 2, 17},                               // in white where there is none
		{"#ffd400", all, 1, 14},                                   // on a colour of its own in black
		{"#1a5f7a", all, 2, 6},                                    // or in white
		{"#ffffff", all[3:4], 0, 8},                               // what there is
		{"#000000", all[1:2], -1, 0},                              // black does not stand on black
		{"#ffffff", []Stand{{Out: true}}, -1, 0},                  // a part is shown nowhere
		{"#ffffff", []Stand{all[3], {Ink: hex("#6a2c4e")}}, 0, 8}, // hardly better is not better
		{"#ffffff", []Stand{all[3], all[1]}, 1, 21},               // black is much better than plum
		{"#888888", []Stand{{Ink: hex("#777777")}}, -1, 0},        // too faint
		{"#808080", nil, -1, 0},
	} {
		i, contrast := Standing(*hex(c.ground), c.vs)
		if i != c.want || contrast < c.least || c.least == 0 && contrast != 0 {
			t.Errorf("on %s: version %d at %.2f, want %d at %.0f or more", c.ground, i, contrast, c.want, c.least)
		}
	}
}
