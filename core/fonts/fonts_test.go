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
		faces := s.Find(f, Style{Weight: 400})
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
		if fs := s.Find(name, Style{Weight: 400}); len(fs) == 0 || fs[0].Family != want {
			t.Errorf("%q finds %v", name, fs)
		}
	}
	if fs := s.Find("Nosuchface", Style{Weight: 400}); fs != nil {
		t.Errorf("an unknown font finds %v", fs)
	}
	if fs := s.Find("Sometype Mono", Style{Weight: 400, Italic: true}); fs != nil {
		t.Error("a slant is made up")
	}
}

// Digits of the mono are of one width, as its tables of measures need.
func TestMonoIsMono(t *testing.T) {
	f := Shipped().Find("Sometype Mono", Style{Weight: 400})[0]
	gs := f.Shape([]rune("0123456789.× "), 0, 13, 100, Style{}, false, true)
	for _, g := range gs {
		if math.Abs(g.Advance-gs[0].Advance) > 1e-9 {
			t.Errorf("advance %v beside %v", g.Advance, gs[0].Advance)
		}
	}
}

func TestWeightsOfAVariableFont(t *testing.T) {
	f := Shipped().Find("Hanken Grotesk", Style{Weight: 400})[0]
	area := func(w float64) float64 {
		a := 0.0
		for _, g := range f.Shape([]rune("HI"), 0, 2, 100, Style{Weight: w}, false, true) {
			a += math.Abs(g.Path.Area())
		}
		return a
	}
	if l, r, b := area(200), area(400), area(800); !(l < r && r < b) {
		t.Errorf("ink of weights 200, 400, 800: %v, %v, %v", l, r, b)
	}
}

// The same font wrapped as WOFF, as WOFF2 and as TrueType has the same
// outlines and widths, at every weight.
func TestWrappedFonts(t *testing.T) {
	for file, family := range map[string]string{
		"testdata/alfa-slab-one.woff":           "Alfa Slab One",
		"../../web/static/hanken-grotesk.woff2": "Hanken Grotesk",
		"../../web/static/sometype-mono.woff2":  "Sometype Mono",
	} {
		wrapped, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		var s Set
		if err := s.AddAs(wrapped, "W"); err != nil {
			t.Fatalf("%s: %v", file, err)
		}
		text := []rune("Hamburgefonstiv ÄÖÜ éñ 0123456789 &@ AVA")
		for _, weight := range []float64{400, 650} {
			a := s.Find("W", Style{Weight: weight})[0].Shape(text, 0, len(text), 100, Style{Weight: weight}, false, true)
			b := Shipped().Find(family, Style{Weight: weight})[0].Shape(text, 0, len(text), 100, Style{Weight: weight}, false, true)
			if len(a) != len(b) {
				t.Fatalf("%s: %d glyphs, want %d", file, len(a), len(b))
			}
			for i := range a {
				if len(a[i].Path) != len(b[i].Path) || math.Abs(a[i].Path.Area()-b[i].Path.Area()) > 1e-6 || a[i].Advance != b[i].Advance || a[i].Path.Bounds() != b[i].Path.Bounds() {
					t.Errorf("%s: glyph %d at weight %v differs", file, i, weight)
				}
			}
		}
		for n := 0; n < len(wrapped); n += len(wrapped) / 150 { // cut short anywhere, it is refused
			if err := new(Set).Add(wrapped[:n]); err == nil {
				t.Errorf("%s: the first %d bytes were taken for a font", file, n)
			}
		}
	}
}

func FuzzUnwrap(f *testing.F) {
	for _, file := range []string{"testdata/alfa-slab-one.woff", "../../web/static/sometype-mono.woff2"} {
		b, err := os.ReadFile(file)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if out, err := unwrap(b); err == nil && len(out) > 2*MaxBytes {
			t.Fatalf("%d bytes", len(out))
		}
	})
}

func TestWhatIsNoFont(t *testing.T) {
	for _, b := range [][]byte{nil, []byte("hello"), bytes.Repeat([]byte{0}, 500)} {
		if err := new(Set).Add(b); err == nil {
			t.Errorf("%.20q was taken for a font", b)
		}
	}
	if err := new(Set).Add([]byte("wOF2....")); err == nil || !strings.Contains(err.Error(), "WOFF2 file is broken") {
		t.Errorf("WOFF2: %v", err)
	}
	if err := new(Set).Add(make([]byte, MaxBytes+1)); err == nil || !strings.Contains(err.Error(), "larger than 32 MB") {
		t.Errorf("too large: %v", err)
	}
}

// A family of several widths takes the one asked for, whether its files name it
// in the family or only in their tables (Roboto as Debian ships it).
func TestWidths(t *testing.T) {
	s := &Set{}
	for _, name := range []string{"RobotoTTF/Roboto-Regular.ttf", "RobotoTTF/Roboto-Bold.ttf", "RobotoCondensed-Regular.ttf", "RobotoCondensed-Bold.ttf"} {
		b, err := os.ReadFile("/usr/share/fonts/truetype/roboto/unhinted/" + name)
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Add(b); err != nil {
			t.Fatal(err)
		}
	}
	text := []rune("Kettle")
	long := func(st Style) (sum float64) {
		for _, g := range s.Find("Roboto", st)[0].Shape(text, 0, len(text), 100, st, false, true) {
			sum += g.Advance
		}
		return sum
	}
	usual, narrow := long(Style{}), long(Style{Width: 75})
	if !(narrow < 0.95*usual) || long(Style{Width: 75, Weight: 700}) == narrow {
		t.Errorf("%.0f usual, %.0f condensed", usual, narrow)
	}
	if f := s.Find("Roboto", Style{Width: 75})[0]; f.Lacks(Style{Width: 75}) != "" || f.Lacks(Style{}) == "" {
		t.Errorf("condensed lacks %q of condensed, %q of the usual", f.Lacks(Style{Width: 75}), f.Lacks(Style{}))
	}
}

// Whatever the bytes, a font is refused or sets text.
func FuzzFont(f *testing.F) {
	for _, p := range []string{"/usr/share/fonts/truetype/roboto/unhinted/RobotoTTF/Roboto-Regular.ttf"} {
		if b, err := os.ReadFile(p); err == nil {
			f.Add(b)
		}
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		s := Shipped().Clone()
		if s.AddAs(b, "Mine") != nil {
			return
		}
		text := []rune("Quay & 12")
		for _, face := range s.Find("Mine", Style{}) {
			func() {
				defer func() { recover() }() // intake does so for a whole master
				face.Shape(text, 0, len(text), 12, Style{}, false, true)
			}()
		}
	})
}

// A file says itself whether it is slanted.
func TestSlants(t *testing.T) {
	for name, want := range map[string]bool{"lora": false, "lora-italic": true, "bitter": false, "bitter-italic": true} {
		file, err := shippedFiles.ReadFile("shipped/" + name + ".ttf")
		if err != nil {
			t.Fatal(err)
		}
		if f, err := read(file); err != nil || f.Italic != want {
			t.Errorf("%s: slanted %v, %v", name, f.Italic, err)
		}
	}
}
