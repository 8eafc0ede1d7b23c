package colour

import (
	"math"
	"testing"
)

// Sharma, Wu, Dalal, "The CIEDE2000 Color-Difference Formula", 2005, table 1:
// the published test pairs. Transcribed from memory; a wrong digit would show
// as a difference in the fourth decimal.
func TestDifferenceOfPublishedPairs(t *testing.T) {
	for i, p := range [][7]float64{
		{50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425},
		{50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615},
		{50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412},
		{50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000},
		{50, -1.1848, -84.8006, 50, 0, -82.7485, 1.0000},
		{50, -0.9009, -85.5211, 50, 0, -82.7485, 1.0000},
		{50, 0, 0, 50, -1, 2, 2.3669},
		{50, -1, 2, 50, 0, 0, 2.3669},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0010, 7.1792},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0011, 7.2195},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0012, 7.2195},
		{50, -0.0010, 2.4900, 50, 0.0009, -2.4900, 4.8045},
		{50, -0.0010, 2.4900, 50, 0.0010, -2.4900, 4.8045},
		{50, -0.0010, 2.4900, 50, 0.0011, -2.4900, 4.7461},
		{50, 2.5, 0, 50, 0, -2.5, 4.3065},
		{50, 2.5, 0, 73, 25, -18, 27.1492},
		{50, 2.5, 0, 61, -5, 29, 22.8977},
		{50, 2.5, 0, 56, -27, -3, 31.9030},
		{50, 2.5, 0, 58, 24, 15, 19.4535},
		{50, 2.5, 0, 50, 3.1736, 0.5854, 1.0000},
		{50, 2.5, 0, 50, 3.2972, 0, 1.0000},
		{50, 2.5, 0, 50, 1.8634, 0.5757, 1.0000},
		{50, 2.5, 0, 50, 3.2592, 0.3350, 1.0000},
		{60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644},
		{63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630},
		{61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731},
		{35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645},
		{22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373},
		{36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146},
		{90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441},
		{90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381},
		{6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377},
		{2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082},
	} {
		a, b := Lab{p[0], p[1], p[2]}, Lab{p[3], p[4], p[5]}
		if d := Difference(a, b); math.Abs(d-p[6]) > 0.00006 {
			t.Errorf("pair %d: ΔE00 %.4f, want %.4f", i+1, d, p[6])
		}
		if d, e := Difference(a, b), Difference(b, a); math.Abs(d-e) > 1e-12 {
			t.Errorf("pair %d is not symmetric: %v, %v", i+1, d, e)
		}
	}
}

// Contrast ratios of WCAG 2.2: black on white is 21; #767676 is the lightest
// grey that reaches 4.5 on white, #949494 the lightest that reaches 3.
func TestContrast(t *testing.T) {
	for _, c := range []struct {
		a, b string
		lo   float64
		hi   float64
	}{
		{"#000000", "#ffffff", 21, 21.0001},
		{"#767676", "#ffffff", 4.5, 4.6}, {"#777777", "#ffffff", 4.4, 4.5},
		{"#949494", "#ffffff", 3, 3.1}, {"#959595", "#ffffff", 2.9, 3},
		{"#123456", "#123456", 1, 1},
	} {
		a, b := hex(t, c.a), hex(t, c.b)
		if r := Contrast(a, b); r < c.lo-1e-9 || r > c.hi {
			t.Errorf("%s on %s: %v, want %v to %v", c.a, c.b, r, c.lo, c.hi)
		}
	}
}

func hex(t *testing.T, s string) RGB {
	t.Helper()
	c, err := ParseHex(s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// The weights of SVG 1.1 are those of ITU-R BT.709 item 3.2 (0.2126, 0.7152,
// 0.0722), rounded otherwise.
func TestLuma(t *testing.T) {
	for _, c := range []struct {
		of   RGB
		want float64
	}{{RGB{R: 1}, 0.2126}, {RGB{G: 1}, 0.7152}, {RGB{B: 1}, 0.0722}, {White, 1}, {RGB{}, 0}} {
		if got := c.of.Luma(); math.Abs(got-c.want) > 0.00025 {
			t.Errorf("luma of %v is %.4f, want %.4f", c.of, got, c.want)
		}
	}
}

// Lab values of the sRGB primaries under D65, as published widely (from
// memory, to a tenth).
func TestLab(t *testing.T) {
	for _, c := range []struct {
		hex     string
		l, a, b float64
	}{
		{"#ffffff", 100, 0, 0}, {"#000000", 0, 0, 0}, {"#ff0000", 53.2, 80.1, 67.2},
		{"#00ff00", 87.7, -86.2, 83.2}, {"#0000ff", 32.3, 79.2, -107.9}, {"#808080", 53.6, 0, 0},
	} {
		l := hex(t, c.hex).Lab()
		if math.Abs(l.L-c.l) > 0.1 || math.Abs(l.A-c.a) > 0.1 || math.Abs(l.B-c.b) > 0.1 {
			t.Errorf("%s: %.1f %.1f %.1f, want %v %v %v", c.hex, l.L, l.A, l.B, c.l, c.a, c.b)
		}
	}
}

func TestParse(t *testing.T) {
	for _, c := range []struct {
		in    string
		hex   string
		alpha float64
	}{
		{"#fff", "#ffffff", 1}, {"#1A5f7a", "#1a5f7a", 1}, {"#12345680", "#123456", 128.0 / 255}, {"#f00c", "#ff0000", 0.8},
		{"red", "#ff0000", 1}, {"RebeccaPurple", "#663399", 1}, {"rgb(255, 0, 10)", "#ff000a", 1},
		{"rgb(100%, 50%, 0%)", "#ff8000", 1}, {"rgb(10 20 30 / 50%)", "#0a141e", 0.5}, {"rgba(0,0,0,.25)", "#000000", 0.25},
		{"hsl(120, 100%, 25%)", "#008000", 1}, {"hsl(210deg 50% 40%)", "#336699", 1}, {"hsl(200grad 100% 50%)", "#00ffff", 1}, {"hsl(3.14159265rad 100% 50%)", "#00ffff", 1}, {"hsl(.5turn 100% 50%)", "#00ffff", 1}, {"transparent", "#000000", 0},
		{"color(srgb 1 0.5 0 / 20%)", "#ff8000", 0.2},
		{"device-cmyk(0 0 0 1)", "#000000", 1}, {"device-cmyk(0% 100% 100% 0%)", "#ff0000", 1},
	} {
		got, a, err := Parse(c.in)
		if err != nil || got.RGB.Hex() != c.hex || math.Abs(a-c.alpha) > 1e-9 {
			t.Errorf("%s: %s %v %v, want %s %v", c.in, got.RGB.Hex(), a, err, c.hex, c.alpha)
		}
	}
	for _, in := range []string{"", "#12", "#ggg", "rgb(1,2)", "bluish", "url(#a)", "rgb(a,b,c)"} {
		if c, _, err := Parse(in); err == nil {
			t.Errorf("%q was read as %s", in, c.RGB.Hex())
		}
	}
	c, _, _ := Parse("device-cmyk(0.1 0.2 0.3 0.4)")
	if b, proposed := c.Press(); proposed || math.Abs(b.M-20) > 1e-9 {
		t.Errorf("a declared build came out as %v, proposed %v", b, proposed)
	}
}

// Black is K 100 alone, white is no ink, greys print with black alone (common
// practice); the proposal never passes 300 %.
