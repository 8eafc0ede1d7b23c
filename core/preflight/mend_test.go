package preflight

import (
	"context"
	"image"
	"math"
	"slices"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

func codeOf(fs finding.List, code finding.Code) (finding.Finding, bool) {
	i := slices.IndexFunc(fs, func(f finding.Finding) bool { return f.Code == code })
	if i < 0 {
		return finding.Finding{}, false
	}
	return fs[i], true
}

func draw(t *testing.T, d *drawing.Drawing) *image.NRGBA {
	t.Helper()
	img, err := raster.Render(context.Background(), d, geom.Scale(4, 4), 400, 400, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

func apply(t *testing.T, d *drawing.Drawing, m Mend) (*drawing.Drawing, string) {
	t.Helper()
	out, _, done, err := m.Apply(context.Background(), d)
	if err != nil {
		t.Fatal(err)
	}
	return out, done
}

// An open outline is closed, and the picture stays the same; one that ends
// where it began is no finding.
func TestOpenPathsAreClosed(t *testing.T) {
	open, fs := read(t, `<path id="wedge" d="M10 10H90V90"/>`)
	f, ok := codeOf(fs, "open-path")
	if !ok || f.Severity != finding.Mended || !slices.Contains(f.Parts, "wedge") {
		t.Errorf("an open outline: %v", fs)
	}
	whole, fs := read(t, `<path d="M10 10H90V90z"/>`)
	if _, ok := codeOf(fs, "open-path"); ok {
		t.Errorf("a closed outline: %v", fs)
	}
	if _, fs := read(t, `<path d="M10 10H90V90L10 10"/>`); len(fs) > 0 {
		t.Errorf("an outline that comes back: %v", fs)
	}
	if !slices.Equal(draw(t, open).Pix, draw(t, whole).Pix) {
		t.Error("closing changed the picture")
	}
	p := open.Nodes[0].(*drawing.Shape).Path
	if p[len(p)-1].Op != geom.Close {
		t.Errorf("the outline is still open: %v", p)
	}
	// A stroke stays open: it is an outline already.
	if _, fs := read(t, `<path d="M10 10H90V90" fill="none" stroke="red" stroke-width="4"/>`); slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == finding.OpenPath }) {
		t.Errorf("an open line: %v", fs)
	}
}

// Near-equal colours become the one with the larger area, and nothing else
// changes; colours that differ are left alone.
func TestColoursAreJoined(t *testing.T) {
	d, fs := read(t, `<rect width="70" height="50" fill="#206047"/><rect x="70" width="30" height="50" fill="#216148"/><rect y="50" width="100" height="50" fill="#b3402c"/>`)
	f, ok := codeOf(fs, "near-colours")
	if !ok || f.Mend != "join #206047 #216148" {
		t.Fatalf("%v", fs)
	}
	out, done := apply(t, d, Mend(f.Mend))
	if done == "" {
		t.Error("nothing was done")
	}
	_, fs, _ = Check(context.Background(), out)
	if _, ok := codeOf(fs, "near-colours"); ok {
		t.Errorf("after the mend: %v", fs)
	}
	a, b := draw(t, d), draw(t, out)
	for i := 0; i < len(a.Pix); i += 4 {
		p, q := colour.FromBytes(a.Pix[i], a.Pix[i+1], a.Pix[i+2]).Hex(), colour.FromBytes(b.Pix[i], b.Pix[i+1], b.Pix[i+2]).Hex()
		if p == "#216148" {
			p = "#206047"
		}
		if p != q {
			t.Fatalf("pixel %d was %s and is %s", i/4, p, q)
		}
	}
	if _, fs := read(t, `<rect width="70" height="50" fill="#206047"/><rect x="70" width="30" height="50" fill="#2a7a5a"/>`); slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == finding.NearColours }) {
		t.Errorf("colours that differ: %v", fs)
	}
	if _, done := apply(t, out, Mend(f.Mend)); done != "" {
		t.Errorf("a second time it did %q", done)
	}
}

// A line thinner than a pixel of the smallest picture is found by its known
// width and made as thick as one; its near twin is not touched.
func TestHairlines(t *testing.T) {
	const px = 1.0
	d, _ := read(t, `<g id="rule"><path d="M10 20H90" stroke="#000" stroke-width=".4"/></g><g id="bar"><path d="M10 50H90" stroke="#000" stroke-width="1.2"/></g><circle id="dot" cx="50" cy="80" r=".3"/>`)
	fs := Hairlines(d, px, "the smallest picture")
	if len(fs) != 1 || !slices.Equal(fs[0].Parts, []string{"rule"}) || !strings.Contains(fs[0].Message, "0.40 px") || fs[0].Mend != "thicken 1" {
		t.Fatalf("%+v", fs)
	}
	if math.Abs(fs[0].Place.Y0-19.8) > 0.01 {
		t.Errorf("its place is %v", fs[0].Place)
	}
	out, done := apply(t, d, "thicken 1")
	if done == "" {
		t.Error("nothing was done")
	}
	if fs := Hairlines(out, px, "x"); len(fs) > 0 {
		t.Errorf("after the mend: %+v", fs)
	}
	wants := []struct{ h, slack float64 }{{1, 0.03}, {1.2, 1e-6}, {0.6, 1e-6}}
	i := 0
	out.Walk(func(n drawing.Node, _ []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		if h := s.Path.Bounds().H(); math.Abs(h-wants[i].h) > wants[i].slack {
			t.Errorf("shape %d is %v high, want %v", i, h, wants[i].h)
		}
		i++
	})
	if i != len(wants) {
		t.Errorf("%d shapes", i)
	}
	if fs := Hairlines(d, 0.3, "a larger picture"); len(fs) > 0 {
		t.Errorf("where a pixel is finer: %+v", fs)
	}
}

func TestMendsInWords(t *testing.T) {
	for _, m := range []Mend{"", "polish", "backing please", "join #206047", "join #206047 #206047", "join red #206047", "thicken", "thicken -1", "thicken wide", "thicken +Inf"} {
		if m.Check() == nil {
			t.Errorf("%q was taken for a mend", m)
		}
		if _, _, _, err := m.Apply(context.Background(), &drawing.Drawing{}); err == nil {
			t.Errorf("%q was carried out", m)
		}
	}
	got := InOrder([]Mend{"thicken 2", "join #000000 #010101", "backing", "join #ffffff #fefefe"})
	if !slices.Equal(got, []Mend{"backing", "join #000000 #010101", "join #ffffff #fefefe", "thicken 2"}) {
		t.Errorf("they are carried out as %v", got)
	}
}
