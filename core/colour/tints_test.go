package colour

import (
	"math"
	"testing"
)

// What lies between two colours lies in the plates that they share, or share with bare
// paper, and in process inks otherwise: the full ink of a tint is not mixed as if it were one.
func TestMixInPlates(t *testing.T) {
	moor := Colour{RGB: RGB{0, 0.4, 0.4}, Build: CMYK{C: 80, Y: 20}, Built: true, Spot: "Moor"}
	fifth := moor
	fifth.Tint = 20
	other := moor
	other.Spot, other.Build = "Ember", CMYK{M: 60}
	pair, _ := NewMixture([]Amount{{"Moor", 100}, {"Black", 0}}, func(full []bool) (b CMYK) {
		if full[0] {
			b.C = 80
		}
		if full[1] {
			b.K = 100
		}
		return b
	})
	mixed := Colour{Mix: pair, Build: pair.Build(), Built: true}
	dark := mixed.Tinted([]float64{0.2, 1}, Black)
	paper := Colour{RGB: White, Built: true}
	for _, c := range []struct {
		what  string
		a, b  Colour
		plate string
		tint  float64 // a quarter of the way
		build CMYK    // as it is pressed
	}{
		{"two tints", moor, fifth, "Moor", 80, CMYK{C: 64, Y: 16}},
		{"down to paper", moor, paper, "Moor", 75, CMYK{C: 60, Y: 15}},
		{"down to white of a screen", fifth, Screen(White), "Moor", 15, CMYK{C: 12, Y: 3}},
		{"up from paper", paper, moor, "Moor", 25, CMYK{C: 20, Y: 5}},
		{"to another ink", fifth, other, "", 0, CMYK{C: 12, M: 15, Y: 3}},
		{"two mixtures", mixed, dark, "Moor", 80, CMYK{C: 64, K: 25}},
		{"a mixture and paper", mixed, paper, "Moor", 75, CMYK{C: 60}},
	} {
		got := Mix(c.a, c.b, 0.25)
		b, _ := got.Press()
		if d := max(math.Abs(b.C-c.build.C), math.Abs(b.M-c.build.M), math.Abs(b.Y-c.build.Y), math.Abs(b.K-c.build.K)); d > 1e-9 {
			t.Errorf("%s: pressed as %v, want %v", c.what, b, c.build)
		}
		if tint := 100 * got.Of("Moor"); c.plate != "" && math.Abs(tint-c.tint) > 1e-9 || (len(got.Plates()) > 0) != (c.plate != "") {
			t.Errorf("%s: %.4g %% on the plates %v, want %.4g", c.what, tint, got.Plates(), c.tint)
		}
	}
	if end := Mix(moor, paper, 1); len(end.Plates()) > 0 || end.RGB != White {
		t.Errorf("paper at the end is %+v", end)
	}
	if _, ok := other.TintsOn(moor); ok {
		t.Error("one ink lies in another's plate")
	}
	if s := dark.Mix.String() + mixed.Mix.String(); s != "Moor 20 % and Black 100 %Moor 100 %" {
		t.Errorf("said as %q", s)
	}
}
