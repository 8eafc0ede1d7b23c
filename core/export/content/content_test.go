package content_test

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/export/eps"
	"dyekit/core/export/pdf"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/kit/readback"
)

func page(d *drawing.Drawing) export.Page {
	return export.Page{Drawing: d, Frame: frame.Frame{Box: d.Page, W: d.Page.W(), H: d.Page.H()}}
}

// 96 px are an inch, an inch is 72 pt, and y grows upwards (PDF 32000-1, section
// 8.3.2.3).
func TestPoints(t *testing.T) {
	w, width, height := content.New(page(&drawing.Drawing{Page: geom.Rect{X0: 10, Y0: 20, X1: 106, Y1: 68}}))
	if width != 72 || height != 36 {
		t.Errorf("the page is %v × %v pt", width, height)
	}
	for in, want := range map[geom.Point]geom.Point{geom.Pt(10, 20): geom.Pt(0, 36), geom.Pt(106, 68): geom.Pt(72, 0), geom.Pt(58, 44): geom.Pt(36, 18)} {
		if got := w.To.Apply(in); got.Sub(want).Len() > 1e-9 {
			t.Errorf("%v is at %v, want %v", in, got, want)
		}
	}
}

// The operators of sections 8.5.2 and 8.5.3: one a line, operands first.
func TestOperators(t *testing.T) {
	w := &content.Writer{To: geom.Identity, Places: 3}
	var p geom.Path
	p.MoveTo(geom.Pt(1, 2))
	p.LineTo(geom.Pt(3.5, -4))
	p.QuadTo(geom.Pt(6, 0), geom.Pt(9, 0))
	p.CubeTo(geom.Pt(1, 1), geom.Pt(2, 2), geom.Pt(3, 3))
	p.Close()
	w.Path(p)
	w.Fill(geom.EvenOdd)
	w.Fill(geom.NonZero)
	w.Colour(colour.Screen(colour.FromBytes(255, 0, 51)), false)
	w.Matrix(geom.Affine{A: 1, D: 1, E: 0.5})
	want := "1 2 m\n3.5 -4 l\n5.167 -1.333 7 0 9 0 c\n1 1 2 2 3 3 c\nh\nf*\nf\n1 0 0.2 rg\n1 0 0 1 0.5 0 cm\n"
	if got := string(w.Buf); got != want {
		t.Errorf("written:\n%swant:\n%s", got, want)
	}
}

// A clip of several regions is one path; one that is empty lets nothing through.
func TestClips(t *testing.T) {
	box := func(x0, x1 float64) drawing.Region {
		return drawing.Region{Path: geom.Box(geom.Rect{X0: x0, X1: x1, Y1: 10})}
	}
	for name, c := range map[string]struct {
		clip  []drawing.Region
		clips int
	}{
		"none": {nil, 0}, "one": {[]drawing.Region{box(0, 10)}, 1}, "two": {[]drawing.Region{box(0, 10), box(5, 20)}, 1}, "empty": {[]drawing.Region{}, 1},
		"nested": {[]drawing.Region{{Path: box(0, 10).Path, Clip: []drawing.Region{box(5, 20)}}}, 2},
	} {
		w := &content.Writer{To: geom.Identity, Places: 2}
		if err := w.Clip(c.clip); err != nil {
			t.Fatal(err)
		}
		if n := strings.Count(string(w.Buf), "W\nn\n"); n != c.clips {
			t.Errorf("%s: %d clips, want %d:\n%s", name, n, c.clips, w.Buf)
		}
	}
}

func TestPlain(t *testing.T) {
	for _, g := range []*drawing.Group{{Filter: &drawing.Filter{}}, {Mask: &drawing.Mask{}}, {Blend: drawing.Multiply}} {
		if err := content.Plain(g, "EPS"); err == nil || !strings.Contains(err.Error(), "EPS") {
			t.Errorf("%+v: %v", g, err)
		}
	}
	if err := content.Plain(&drawing.Group{Alpha: 1}, "EPS"); err != nil {
		t.Error(err)
	}
}

// FuzzContent draws shapes of any outline into PDF and EPS and reads them back:
// the same segments in the same places, the same paint.
func FuzzContent(f *testing.F) {
	f.Add([]byte("\x01\x10\x20\x02\x80\x90\x03\x10\x80\x20\x90\x04\x05\x06\x07\x08\x09\x0a"), uint32(0x206047))
	f.Add([]byte{0, 255, 0, 255, 1, 1, 2, 3, 3, 3, 3, 3, 3, 3, 3}, uint32(0xffffff))
	f.Fuzz(func(t *testing.T, b []byte, rgb uint32) {
		var p geom.Path
		next := func() geom.Point {
			v := geom.Pt(float64(b[0])/2, float64(b[1])/3)
			b = b[2:]
			return v
		}
		for len(b) > 6 && len(p) < 200 {
			op := b[0]
			b = b[1:]
			switch {
			case len(p) == 0 || op%4 == 0:
				p.MoveTo(next())
			case op%4 == 1:
				p.LineTo(next())
			case op%4 == 2:
				p.QuadTo(next(), next())
			default:
				p.CubeTo(next(), next(), next())
			}
		}
		if p.Bounds().Empty() {
			return
		}
		p.Close()
		c := colour.FromBytes(uint8(rgb>>16), uint8(rgb>>8), uint8(rgb))
		d := &drawing.Drawing{Page: geom.Rect{X1: 128, Y1: 86}, Nodes: []drawing.Node{&drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}}}
		var a, e bytes.Buffer
		if err := pdf.Encode(&a, []export.Page{page(d)}, pdf.Options{Colour: format.RGB}); err != nil {
			t.Fatal(err)
		}
		if err := eps.Encode(&e, page(d), eps.Options{Colour: format.RGB}); err != nil {
			t.Fatal(err)
		}
		ps, err := readback.PDF(a.Bytes())
		if err != nil || len(ps) != 1 {
			t.Fatalf("PDF: %d pages, %v", len(ps), err)
		}
		x, err := readback.EPS(e.Bytes())
		if err != nil {
			t.Fatalf("EPS: %v", err)
		}
		want := outline(p.Transform(geom.Scale(0.75, 0.75)))
		for kind, got := range map[string]*drawing.Drawing{"PDF": ps[0].Drawing, "EPS": x.Drawing} {
			var shapes []*drawing.Shape
			got.Walk(func(n drawing.Node, _ []*drawing.Group) {
				if s, ok := n.(*drawing.Shape); ok {
					shapes = append(shapes, s)
				}
			})
			if len(shapes) != 1 {
				t.Fatalf("%s: %d shapes", kind, len(shapes))
			}
			have := outline(shapes[0].Path)
			if len(have) != len(want) {
				t.Fatalf("%s: %d curves, want %d", kind, len(have), len(want))
			}
			for i := range want {
				if have[i].Sub(want[i]).Len() > 2e-3 {
					t.Fatalf("%s: point %d is %v, want %v", kind, i, have[i], want[i])
				}
			}
			if s := shapes[0].Paint.(drawing.Solid); math.Abs(s.Colour.RGB.R-c.R)+math.Abs(s.Colour.RGB.G-c.G)+math.Abs(s.Colour.RGB.B-c.B) > 3e-4 {
				t.Fatalf("%s: painted %v, want %v", kind, s.Colour.RGB, c)
			}
		}
	})
}

// outline is where the curves of a path end.
func outline(p geom.Path) (ends []geom.Point) {
	p.Each(func(c geom.Curve, _ bool) { ends = append(ends, c.D) })
	return ends
}
