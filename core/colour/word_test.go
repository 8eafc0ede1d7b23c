package colour

import (
	"slices"
	"strings"
	"testing"
)

// No two colours of a mark are called alike, and each name says what is seen: what is
// called dark is darker.
func TestNames(t *testing.T) {
	parse := func(hexes string) (cs []RGB) {
		for h := range strings.FieldsSeq(hexes) {
			c, err := ParseHex(h)
			if err != nil {
				t.Fatal(err)
			}
			cs = append(cs, c)
		}
		return cs
	}
	for hexes, want := range map[string][]string{
		"#174634 #2a7a5a #f4e3b5": {"dark green", "green", "pale yellow"},
		"#2a7a5a #3f9a72":         {"green", "light green"},
		"#3f9a72 #2a7a5a":         {"light green", "green"},
		"#2a7a5a #3f9a72 #b8e0cc": {"dark green", "green", "light green"},
		"#2c5282 #2c52a8":         {"dull blue", "bright blue"},
		"#333333 #777777 #bbbbbb": {"dark grey", "grey", "light grey"},
		"#6a6a6a #7a7a7a":         {"grey", "light grey"},
		"#174634 #b8e0cc":         {"green", "pale green"},
		"#1c4a38 #a4e6c4":         {"green", "pale green"},
		"#6b2d4f #cf7a22":         {"plum", "orange"},
		"":                        nil,
		"#104030 #1a5a40 #2a7a5a #3f9a72 #66bb95": {"very dark green", "dark green", "green", "light green", "pale green"},
	} {
		got := Names(parse(hexes))
		if want != nil && !slices.Equal(got, want) {
			t.Errorf("%s: %q, want %q", hexes, got, want)
		}
	}
	// Whatever the colours, and however many.
	for n := 2; n <= 12; n++ {
		var cs []RGB
		for i := range n {
			cs = append(cs, FromBytes(20, uint8(60+12*i), uint8(40+9*i)), FromBytes(uint8(90+10*i), 40, 40))
		}
		seen := map[string]bool{}
		for _, name := range Names(cs) {
			if seen[name] || strings.Contains(name, "#") {
				t.Errorf("%d colours: %q twice", 2*n, name)
			}
			seen[name] = true
		}
	}
}

// A tint of a spot ink is told by its build at that tint, and all else as it is.
func TestPrintOfATint(t *testing.T) {
	full := CMYK{C: 80, M: 20, Y: 70, K: 30}
	for _, c := range []struct {
		spot string
		tint float64
		want CMYK
	}{{"Fir 7", 50, CMYK{C: 40, M: 10, Y: 35, K: 15}}, {"Fir 7", 100, full}, {"Fir 7", 0, full}, {"", 50, full}} {
		k := Colour{RGB: FromBytes(0x20, 0x60, 0x47), Build: full, Built: true, Spot: c.spot, Tint: c.tint}
		if got := Coated.Print(k).Build; got != c.want {
			t.Errorf("%q at %g %%: %v, want %v", c.spot, c.tint, got, c.want)
		}
	}
	// What looks on the screen as it is drawn is not said to be another colour.
	k := Colour{Build: CMYK{C: 100, M: 100}, Built: true}
	k.RGB = Coated.Print(k).Shown
	if x := Coated.Print(k); !x.Same || !x.Printable() {
		t.Errorf("%s printed as %s: %s", k.RGB.Hex(), x.Shown.Hex(), x.Word())
	}
}
