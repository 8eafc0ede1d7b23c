package text

import (
	"math"
	"os"
	"slices"
	"testing"

	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"dyekit/core/fonts"
	"dyekit/core/geom"
)

// robotoFile is of Debian's fonts-roboto-unhinted.
const robotoFile = "/usr/share/fonts/truetype/roboto/unhinted/RobotoTTF/Roboto-Regular.ttf"

func roboto(t *testing.T) (*fonts.Face, []byte) {
	t.Helper()
	data, err := os.ReadFile(robotoFile)
	if err != nil {
		t.Fatal(err)
	}
	set := new(fonts.Set)
	if err := set.Add(data); err != nil {
		t.Fatal(err)
	}
	return set.Find("Roboto", fonts.Style{})[0], data
}

// The advances are those that golang.org/x/image/font/sfnt reads from the same
// file, with its kerning, to half a unit of the font in a letter.
func TestAdvances(t *testing.T) {
	face, data := roboto(t)
	ref, err := sfnt.Parse(data)
	if err != nil {
		t.Fatal(err)
	}
	const size = 1000
	var b sfnt.Buffer
	for _, s := range []string{"H", "hamburg", "Odd Kettle", "1234567890"} {
		want := 0.0
		for _, c := range s {
			i, err := ref.GlyphIndex(&b, c)
			if err != nil {
				t.Fatal(err)
			}
			adv, err := ref.GlyphAdvance(&b, i, fixed.I(size), font.HintingNone)
			if err != nil {
				t.Fatal(err)
			}
			want += float64(adv) / 64
		}
		// Letters apart: neither kerning nor ligatures hide in the sum.
		var got float64
		for _, c := range s {
			_, w := Run{Face: face, Size: size}.Set([]rune{c}, geom.Point{})
			got += w
		}
		if math.Abs(got-want) > 0.5*float64(len(s)) {
			t.Errorf("%q is %.2f wide, want %.2f", s, got, want)
		}
	}
}

// Gaps stand behind each letter and each space, and nothing else changes.
func TestGaps(t *testing.T) {
	face, _ := roboto(t)
	letters := []rune("HH HH")
	_, plain := Run{Face: face, Size: 20, Letter: 1e-9}.Set(letters, geom.Point{})
	gs, wide := Run{Face: face, Size: 20, Letter: 3, Word: 10}.Set(letters, geom.Pt(7, 5))
	if math.Abs(wide-plain-5*3-10) > 1e-3 {
		t.Errorf("%.3f became %.3f", plain, wide)
	}
	at := 7.0
	for i, g := range gs {
		if math.Abs(g.At.X-at) > 1e-6 || g.At.Y != 5 || g.Letter != i {
			t.Errorf("letter %d stands at %v, want %.3f", i, g.At, at)
		}
		at += g.Advance
	}
}

// Lines of decoration are as wide as the run, in the order of CSS: over and under
// below the letters, through above them.
func TestDecoration(t *testing.T) {
	face, _ := roboto(t)
	gs, wide := Run{Face: face, Size: 20, Over: true, Under: true, Through: true}.Set([]rune("HH"), geom.Pt(1, 2))
	var bars []int
	for i, g := range gs {
		if g.Bar {
			bars = append(bars, i)
			if b := g.Path.Bounds(); math.Abs(b.W()-wide) > 1e-9 || b.H() < 20.0/40-1e-9 || g.At != geom.Pt(1, 2) {
				t.Errorf("line %d: %v at %v", i, b, g.At)
			}
		}
	}
	if !slices.Equal(bars, []int{0, 1, 4}) {
		t.Errorf("the lines stand at %v", bars)
	}
	under, through, over := gs[0].Path.Bounds().Y0, gs[4].Path.Bounds().Y0, gs[1].Path.Bounds().Y0
	if !(over < through && through < 0 && under > 0) {
		t.Errorf("over %.2f, through %.2f, under %.2f", over, through, under)
	}
	if gs, _ := (Run{Face: face, Size: 20, Under: true}).Set(nil, geom.Point{}); len(gs) != 0 {
		t.Error("nothing is underlined")
	}
}

// Fitted letters end where they are to, by their gaps or by their own width.
func TestFit(t *testing.T) {
	face, _ := roboto(t)
	for _, squeeze := range []bool{false, true} {
		gs, natural := Run{Face: face, Size: 20, Letter: 1e-9}.Set([]rune("wide"), geom.Pt(10, 0))
		own := gs[0].Path.Bounds().W()
		Fit(gs, 10, natural, 100, squeeze)
		last := gs[len(gs)-1]
		if end := last.At.X + last.Advance; math.Abs(end-110) > 1e-6 {
			t.Errorf("squeeze %v: it ends at %.3f, want 110", squeeze, end)
		}
		if wider := gs[0].Path.Bounds().W() > own*1.01; wider != squeeze {
			t.Errorf("squeeze %v: the letters became wider: %v", squeeze, wider)
		}
	}
}

// On a circle every letter stands upright on it, its middle on the path; what has
// no room is left out.
func TestAlong(t *testing.T) {
	face, _ := roboto(t)
	circle := geom.Ellipse(geom.Pt(50, 50), 40, 40)
	r := geom.NewRuler(circle)
	gs, _ := Run{Face: face, Size: 10}.Set([]rune("roundabout"), geom.Point{})
	for i, g := range gs {
		m, ok := g.Along(r, 5)
		if !ok {
			t.Fatalf("letter %d has no room", i)
		}
		foot := m.Apply(geom.Pt(g.Advance/2, 0))
		if d := foot.Sub(geom.Pt(50, 50)).Len(); math.Abs(d-40) > 0.02 {
			t.Errorf("letter %d stands %.3f from the centre", i, d)
		}
		if math.Abs(m.A*m.D-m.B*m.C-1) > 1e-9 {
			t.Errorf("letter %d is distorted: %v", i, m)
		}
	}
	if _, ok := gs[0].Along(r, r.Length()+1); ok {
		t.Error("a letter stands past the end of the path")
	}
}

func TestRightToLeft(t *testing.T) {
	for s, want := range map[string]bool{"": false, "Odd Kettle": false, "Élan": false, "שלום": true, "abc سلام": true, "中文": false} {
		if got := RightToLeft([]rune(s)); got != want {
			t.Errorf("%q: %v", s, got)
		}
	}
}

// A quarter turn stands a letter on its side about its own origin.
func TestPlace(t *testing.T) {
	g := Glyph{At: geom.Pt(3, 4), Turn: 90}
	if p := g.Place().Apply(geom.Pt(1, 0)); p.Sub(geom.Pt(3, 5)).Len() > 1e-12 {
		t.Errorf("turned to %v", p)
	}
}
