package intake

import (
	"bytes"
	"image/png"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/typed"
	"dyekit/core/lettering"
	"dyekit/core/raster"
)

// A line that is too low to be traced is set anew: nothing is lost then, the words are a part
// of their own in the fitted font, and the rest is as it was. Taken back, all is as before.
func TestWordsSetAnew(t *testing.T) {
	page := geom.Rect{X1: 220, Y1: 120}
	ink := colour.FromBytes(0x20, 0x30, 0x40)
	line := typed.Line{Text: "HERITAGE TRAMWAY COMPANY", Font: "Cabin", Weight: 600, Size: 7.4, Tracking: 60}
	small := lettering.Setting{At: geom.Pt(40.3, 104.2), Ink: ink, Line: line}
	words, err := small.Path(fonts.Shipped())
	if err != nil {
		t.Fatal(err)
	}
	solid := func(p geom.Path, c colour.RGB) drawing.Node {
		return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
	}
	d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{solid(geom.Box(page), colour.White), solid(geom.Ellipse(geom.Pt(110, 48), 40, 40), ink), solid(words, ink)}}
	img, err := raster.Render(t.Context(), d, geom.Identity, 220, 120, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var data bytes.Buffer
	if err := png.Encode(&data, img); err != nil {
		t.Fatal(err)
	}
	b := words.Bounds().Grow(3)
	small.Box = geom.Rect{X0: float64(int(b.X0)), Y0: float64(int(b.Y0)), X1: float64(int(b.X1)), Y1: float64(int(b.Y1))}
	read := func(mends ...Mend) (m *Master, lost, set bool) {
		m, err := Read(t.Context(), data.Bytes(), Options{Mends: mends})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range m.Findings {
			lost = lost || f.Code == finding.LettersLost
			set = set || f.Severity == finding.Mended && f.Mend == small.String() && strings.Contains(f.Message, "Cabin")
		}
		return m, lost, set
	}
	if _, lost, set := read("trace auto 0.3"); !lost || set {
		t.Errorf("traced: letters lost %v, set %v", lost, set)
	}
	m, lost, set := read("trace auto 0.3", Mend(small.String()))
	if lost || !set {
		t.Errorf("set anew: letters lost %v, said %v: %v", lost, set, m.Findings)
	}
	shapes := 0
	m.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && s.Part == "words" {
			shapes++
			if got := s.Path.Bounds(); got.Union(words.Bounds()).W() > got.W()+1e-6 {
				t.Errorf("the words lie at %v, not at %v", got, words.Bounds())
			}
		} else if ok && s.Path.Bounds().Y1 > 96 && s.Path.Bounds().H() < 60 {
			t.Errorf("of the old words %v is left", s.Path.Bounds())
		}
	})
	if shapes != 1 || len(m.Drawing.Set) != 1 || m.Drawing.Set[0] != "Cabin" {
		t.Errorf("%d parts of words, in %v", shapes, m.Drawing.Set)
	}
	got, err := raster.Render(t.Context(), m.Drawing, geom.Identity, 220, 120, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	worst := 0
	for i := range got.Pix {
		worst = max(worst, int(got.Pix[i])-int(img.Pix[i]), int(img.Pix[i])-int(got.Pix[i]))
	}
	if worst > 40 { // of the disc's edge
		t.Errorf("the picture is off by %d", worst)
	}
	// Of a picture that stays one, and of a box that cuts through something, it is said.
	m, _, _ = read(Mend(small.String()))
	if f := m.Findings[len(m.Findings)-1]; f.Code != finding.MendIdle {
		t.Errorf("set in what is not traced: %+v", f)
	}
	small.Box = geom.Rect{X0: 90, Y0: 40, X1: 200, Y1: 110}
	m, _, _ = read("trace auto 0.3", Mend(small.String()))
	if !strings.Contains(said(m.Findings), "more than one colour") {
		t.Errorf("a box through the disc: %v", m.Findings)
	}
	small.Line.Font = "Nobody"
	if _, err := Read(t.Context(), data.Bytes(), Options{Mends: []Mend{"trace auto 0.3", Mend(small.String())}}); err == nil || !strings.Contains(err.Error(), "Nobody") {
		t.Errorf("a font that is not here: %v", err)
	}
}

func said(fs finding.List) string {
	var all []string
	for _, f := range fs {
		all = append(all, f.Message)
	}
	return strings.Join(all, "; ")
}
