package fonts

import (
	"bytes"
	"math"
	"os"
	"strings"
	"testing"
)

func TestShippedFamilies(t *testing.T) {
	s := Shipped()
	for _, f := range s.Families() {
		faces := s.Find(f, 400, false)
		if len(faces) == 0 {
			t.Fatalf("%s is not found by its own name", f)
		}
		for _, r := range "AZaz09&é" {
			if !faces[0].Has(r) {
				t.Errorf("%s has no %q", f, r)
			}
		}
	}
	for name, want := range map[string]string{"sans-serif": "Hanken Grotesk", "SERIF": "Bitter", " monospace ": "Sometype Mono", "bitter": "Bitter"} {
		if fs := s.Find(name, 400, false); len(fs) == 0 || fs[0].Family != want {
			t.Errorf("%q finds %v", name, fs)
		}
	}
	if fs := s.Find("Nosuchface", 400, false); fs != nil {
		t.Errorf("an unknown font finds %v", fs)
	}
	if fs := s.Find("Sometype Mono", 400, true); fs != nil {
		t.Error("a slant is made up")
	}
}

// Digits of the mono are of one width, as its tables of measures need.
func TestMonoIsMono(t *testing.T) {
	f := Shipped().Find("Sometype Mono", 400, false)[0]
	gs := f.Shape([]rune("0123456789.× "), 0, 13, 100, 400, false, true)
	for _, g := range gs {
		if math.Abs(g.Advance-gs[0].Advance) > 1e-9 {
			t.Errorf("advance %v beside %v", g.Advance, gs[0].Advance)
		}
	}
}

func TestWeightsOfAVariableFont(t *testing.T) {
	f := Shipped().Find("Hanken Grotesk", 400, false)[0]
	area := func(w float64) float64 {
		a := 0.0
		for _, g := range f.Shape([]rune("HI"), 0, 2, 100, w, false, true) {
			a += math.Abs(g.Path.Area())
		}
		return a
	}
	if l, r, b := area(200), area(400), area(800); !(l < r && r < b) {
		t.Errorf("ink of weights 200, 400, 800: %v, %v, %v", l, r, b)
	}
}

// The same font as WOFF and as TrueType has the same outlines.
func TestWOFF(t *testing.T) {
	woff, err := os.ReadFile("testdata/alfa-slab-one.woff")
	if err != nil {
		t.Fatal(err)
	}
	var s Set
	if err := s.AddAs(woff, "W"); err != nil {
		t.Fatal(err)
	}
	a := s.Find("W", 400, false)[0].Shape([]rune("Ag&"), 0, 3, 100, 400, false, true)
	b := Shipped().Find("Alfa Slab One", 400, false)[0].Shape([]rune("Ag&"), 0, 3, 100, 400, false, true)
	for i := range a {
		if len(a[i].Path) != len(b[i].Path) || math.Abs(a[i].Path.Area()-b[i].Path.Area()) > 1e-6 || a[i].Advance != b[i].Advance {
			t.Errorf("glyph %d differs", i)
		}
	}
	for n := range len(woff) / 97 { // cut short anywhere, it is refused
		if err := new(Set).Add(woff[:n*97]); err == nil {
			t.Errorf("the first %d bytes were taken for a font", n*97)
		}
	}
}

func TestWhatIsNoFont(t *testing.T) {
	for _, b := range [][]byte{nil, []byte("hello"), bytes.Repeat([]byte{0}, 500)} {
		if err := new(Set).Add(b); err == nil {
			t.Errorf("%.20q was taken for a font", b)
		}
	}
	if err := new(Set).Add([]byte("wOF2....")); err == nil || !strings.Contains(err.Error(), "WOFF2") {
		t.Errorf("WOFF2: %v", err)
	}
	if err := new(Set).Add(make([]byte, MaxBytes+1)); err == nil || !strings.Contains(err.Error(), "larger than 32 MB") {
		t.Errorf("too large: %v", err)
	}
}
