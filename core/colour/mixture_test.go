package colour

import (
	"math"
	"testing"
)

// The build of a mixture is what Neugebauer's equations give: each mixture of full inks by
// the share of the paper that it covers, the shares being Demichel's (from memory; common in
// books on colour printing). Terms are the same sum in other words.
func TestMixtures(t *testing.T) {
	corner := func(full []bool) CMYK {
		switch {
		case full[0] && full[1]:
			return CMYK{100, 90, 20, 10}
		case full[0]:
			return CMYK{100, 0, 0, 0}
		case full[1]:
			return CMYK{0, 90, 20, 0}
		}
		return CMYK{}
	}
	m, ok := NewMixture([]Amount{{"Moor", 60}, {"Ember", 25}}, corner)
	if !ok {
		t.Fatal("two inks are not mixed")
	}
	// Demichel: 0.6 × 0.25 both, 0.6 × 0.75 the first alone, 0.4 × 0.25 the second.
	want := CMYK{0.15*100 + 0.45*100, 0.15*90 + 0.10*90, 0.15*20 + 0.10*20, 0.15 * 10}
	got := m.Build()
	sum := [4]float64{}
	for s, f := range m.Terms() {
		p := 1.0
		for i, a := range m.Amounts() {
			if s>>i&1 == 1 {
				p *= a.Tint / 100
			}
		}
		for j := range sum {
			sum[j] += 100 * p * f[j]
		}
	}
	for i, v := range [][3]float64{{got.C, want.C, sum[0]}, {got.M, want.M, sum[1]}, {got.Y, want.Y, sum[2]}, {got.K, want.K, sum[3]}} {
		if math.Abs(v[0]-v[1]) > 1e-9 || math.Abs(v[2]-v[1]) > 1e-9 {
			t.Errorf("ink %d: %v by shares, %v by terms, want %v", i, v[0], v[2], v[1])
		}
	}
	again, _ := NewMixture([]Amount{{"Moor", 60}, {"Ember", 25}}, corner)
	other, _ := NewMixture([]Amount{{"Moor", 60}, {"Ember", 26}}, corner)
	if m != again || m == other || m.IsZero() || !(Mixture{}).IsZero() || m.Full(1) != (CMYK{0, 90, 20, 0}) {
		t.Errorf("%v %v %v", m == again, m == other, m.Full(1))
	}
	if s := m.String(); s != "Moor 60 % and Ember 25 %" {
		t.Errorf("it is called %q", s)
	}
	for n := range 7 {
		_, ok := NewMixture(make([]Amount, n), func([]bool) CMYK { return CMYK{} })
		if ok != (n >= 2 && n <= MaxPlates) {
			t.Errorf("%d inks: %v", n, ok)
		}
	}
}

// Each plate of a colour has its share, whatever the colour is made of.
func TestSharesOfPlates(t *testing.T) {
	mix, _ := NewMixture([]Amount{{"Moor", 60}, {"Black", 30}}, func([]bool) CMYK { return CMYK{} })
	for _, c := range []struct {
		c     Colour
		plate string
		want  float64
	}{
		{Colour{Built: true, Build: CMYK{10, 20, 30, 40}}, "Yellow", 0.3},
		{Colour{Built: true, Build: CMYK{10, 20, 30, 40}}, "Moor", 0},
		{Colour{Built: true, Build: CMYK{10, 20, 30, 40}}, "", 0},
		{Colour{Spot: "Moor", Built: true, Build: CMYK{C: 100}}, "Moor", 1},
		{Colour{Spot: "Moor", Tint: 35, Built: true, Build: CMYK{C: 100}}, "Moor", 0.35},
		{Colour{Spot: "Moor", Built: true, Build: CMYK{C: 100}}, "Cyan", 0},
		{Colour{Mix: mix, Built: true, Build: CMYK{C: 100}}, "Moor", 0.6},
		{Colour{Mix: mix, Built: true, Build: CMYK{C: 100}}, "Black", 0.3},
		{Colour{Mix: mix, Built: true, Build: CMYK{C: 100}}, "Cyan", 0},
	} {
		if got := c.c.Of(c.plate); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%+v of %q: %v, want %v", c.c, c.plate, got, c.want)
		}
	}
	if s := (Colour{Mix: mix}).Spots(); len(s) != 1 || s[0] != "Moor" {
		t.Errorf("%v", s)
	}
}

// Of the four process plates each takes its own share of a build, and of a plate that is not
// there nothing.
func TestProcessPlatesOfABuild(t *testing.T) {
	c := Colour{Build: CMYK{C: 10, M: 20, Y: 30, K: 40}, Built: true}
	for plate, want := range map[string]float64{"Cyan": 0.1, "Magenta": 0.2, "Yellow": 0.3, "Black": 0.4, "Vat Plum": 0} {
		if got := c.Of(plate); math.Abs(got-want) > 1e-12 {
			t.Errorf("%s: %v, want %v", plate, got, want)
		}
	}
}
