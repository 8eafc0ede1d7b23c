package intake_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"math"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/pdf"
	"dyekit/core/finding"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/intake/ghost"
	"dyekit/core/raster"
	"dyekit/internal/testkit"

	"dyekit/internal/budget"
)

// side is the width at which drawings are compared, px.
const side = 256

func draw(t testing.TB, d *drawing.Drawing) *image.NRGBA {
	t.Helper()
	return drawAt(t, d, side)
}

func drawAt(t testing.TB, d *drawing.Drawing, w int) *image.NRGBA {
	t.Helper()
	h := max(1, int(math.Round(float64(w)*d.Page.H()/d.Page.W())))
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

func read(t testing.TB, data []byte, mends ...intake.Mend) *intake.Master {
	t.Helper()
	m, err := intake.Read(context.Background(), data, intake.Options{Mends: mends})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func whole(d *drawing.Drawing) export.Page {
	return export.Page{Drawing: d, Frame: frame.Frame{Box: d.Page, W: d.Page.W(), H: d.Page.H()}}
}

// every returns each nth drawing of the open sets that the SVG reader is tested
// with (NOTICES.md names them).
func every(t testing.TB, n int) map[string]string {
	t.Helper()
	b, err := os.ReadFile("svg/testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct{ Set, Name, SVG string }
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for i, s := range all {
		if i%n == 0 {
			out[s.Set+" "+s.Name] = s.SVG
		}
	}
	return out
}

func segments(d *drawing.Drawing) int {
	n := 0
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if s, ok := x.(*drawing.Shape); ok {
			n += len(s.Path)
		}
	})
	return n
}

// Drawings that went out as PDF and EPS come in again as the same picture, made
// of as many curves.
func TestOutAndInAgain(t *testing.T) {
	slots := make(chan struct{}, 2)
	var wg sync.WaitGroup
	for name, text := range every(t, budget.Of(24, 4)) {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			m := read(t, []byte(text))
			if _, stop := m.Findings.Stopping(); stop {
				return
			}
			want := draw(t, m.Drawing)
			var b bytes.Buffer
			if err := pdf.Encode(&b, []export.Page{whole(m.Drawing)}, pdf.Options{Title: name}); err != nil {
				t.Errorf("%s: %v", name, err)
				return
			}
			again(t, name+" PDF", b.Bytes(), m.Drawing, want, 1.2)
			if h := m.Drawing.Has(); h.Translucent || h.Gradients || h.Masks || h.Blends || h.Filters || h.Pictures {
				return // an EPS holds what they were resolved to, which the kit does
			}
			b.Reset()
			if err := eps.Encode(&b, whole(m.Drawing), eps.Options{Title: name}); err != nil {
				t.Errorf("%s: %v", name, err)
				return
			}
			again(t, name+" EPS", b.Bytes(), m.Drawing, want, 1.2)
		})
	}
	wg.Wait()
}

func again(t *testing.T, name string, data []byte, from *drawing.Drawing, want *image.NRGBA, most float64) {
	t.Helper()
	m, err := intake.Read(context.Background(), data, intake.Options{})
	if err != nil {
		t.Errorf("%s: %v", name, err)
		return
	}
	if f, stop := m.Findings.Stopping(); stop {
		t.Errorf("%s: %s", name, f.Message)
		return
	}
	got := draw(t, m.Drawing)
	if got.Rect != want.Rect {
		t.Errorf("%s: the page is %v × %v, not %v × %v", name, m.Drawing.Page.W(), m.Drawing.Page.H(), from.Page.W(), from.Page.H())
		return
	}
	if off := testkit.Outside(got, want, 6); off > 0.002 {
		t.Errorf("%s: %.2f %% of the pixels differ", name, off*100)
	}
	if a, b := segments(from), segments(m.Drawing); float64(b) > most*float64(a)+8 {
		t.Errorf("%s: %d segments became %d", name, a, b)
	}
}

// Inks come in as they went out: builds exactly, plates by name, tint and
// alternate.
func TestInksComeBack(t *testing.T) {
	build := func(c, m, y, k float64) colour.Colour {
		b := colour.CMYK{C: c, M: m, Y: y, K: k}
		return colour.Colour{RGB: b.RGB(), Build: b, Built: true}
	}
	spot := build(100, 40, 0, 10)
	spot.Spot = "Moor Blue 3"
	half := spot
	half.Tint = 35.5
	want := []colour.Colour{build(0, 0, 0, 100), build(12.5, 60, 80.3, 0.4), spot, half}
	d := &drawing.Drawing{Page: geom.Rect{X1: 400, Y1: 100}}
	for i, c := range want {
		x := float64(i) * 100
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: geom.Box(geom.Rect{X0: x + 10, Y0: 10, X1: x + 90, Y1: 90}), Paint: drawing.Solid{Colour: c, Alpha: 1}})
	}
	var p, e bytes.Buffer
	if err := pdf.Encode(&p, []export.Page{whole(d)}, pdf.Options{Colour: format.CMYK}); err != nil {
		t.Fatal(err)
	}
	if err := eps.Encode(&e, whole(d), eps.Options{Colour: format.CMYK}); err != nil {
		t.Fatal(err)
	}
	for kind, data := range map[string][]byte{"PDF": p.Bytes(), "EPS": e.Bytes()} {
		var got []colour.Colour
		read(t, data).Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if s, ok := n.(*drawing.Shape); ok {
				got = append(got, s.Paint.(drawing.Solid).Colour)
			}
		})
		if len(got) != len(want) {
			t.Fatalf("%s: %d shapes", kind, len(got))
		}
		for i, w := range want {
			g := got[i]
			const exact = 0.1 // percent
			far := max(math.Abs(g.Build.C-w.Build.C), math.Abs(g.Build.M-w.Build.M), math.Abs(g.Build.Y-w.Build.Y), math.Abs(g.Build.K-w.Build.K))
			full := func(c colour.Colour) float64 {
				if c.Spot != "" && c.Tint == 0 {
					return 100
				}
				return c.Tint
			}
			if !g.Built || far > exact || g.Spot != w.Spot || math.Abs(full(g)-full(w)) > exact {
				t.Errorf("%s: %+v became %+v", kind, w, g)
			}
		}
	}
}

// What general writers make of open drawings, as PDF and EPS, comes in as they
// draw it themselves.
func TestOtherWriters(t *testing.T) {
	sh := func(t *testing.T, svg, script, out string) []byte {
		t.Helper()
		dir, _ := testkit.Run(t, map[string][]byte{"in.svg": []byte(svg)}, "sh", "-c", "rsvg-convert -f pdf -o in.pdf in.svg && "+script)
		data, err := os.ReadFile(filepath.Join(dir, out))
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	for name, text := range every(t, budget.Of(130, 45)) {
		for writer, script := range map[string]string{
			"cairo.pdf": "cp in.pdf out.pdf", "cairo.eps": "rsvg-convert -f eps -o out.eps in.svg", "poppler.pdf": "pdftocairo -pdf in.pdf out.pdf",
			"ghostscript.pdf": "gs -q -dSAFER -dBATCH -dNOPAUSE -sDEVICE=pdfwrite -sOutputFile=out.pdf in.pdf", "ghostscript.eps": "gs -q -dSAFER -dBATCH -dNOPAUSE -sDEVICE=eps2write -sOutputFile=out.eps in.pdf",
			"mupdf.pdf": "mutool clean -gggg -z in.pdf out.pdf", "qpdf.pdf": "qpdf --object-streams=generate --stream-data=compress in.pdf out.pdf",
		} {
			out := "out" + filepath.Ext(writer)
			m, err := intake.Read(context.Background(), sh(t, text, script, out), intake.Options{})
			if err != nil {
				t.Errorf("%s by %s: %v", name, writer, err)
				continue
			}
			if f, stop := m.Findings.Stopping(); stop {
				t.Errorf("%s by %s: %s", name, writer, f.Message)
				continue
			}
			got := draw(t, m.Drawing)
			// EPS cut to their art: they are compared as PDF of the same box.
			show := "cp out.pdf show.pdf; "
			if filepath.Ext(writer) == ".eps" {
				show = "gs -q -dSAFER -dBATCH -dNOPAUSE -dEPSCrop -sDEVICE=pdfwrite -dAutoFilterColorImages=false -dColorImageFilter=/FlateEncode -dAutoRotatePages=/None -sOutputFile=show.pdf out.eps; "
			}
			png := sh(t, text, script+"; "+show+fmt.Sprintf("pdftocairo -png -transp -singlefile -scale-to-x %d -scale-to-y %d show.pdf show", got.Rect.Dx(), got.Rect.Dy()), "show.png")
			file := filepath.Join(t.TempDir(), "show.png")
			if err := os.WriteFile(file, png, 0o600); err != nil {
				t.Fatal(err)
			}
			if off := testkit.Outside(got, testkit.ReadPNG(t, file), 24); off > 0.01 {
				t.Errorf("%s by %s: %.2f %% of the pixels differ from poppler", name, writer, off*100)
			}
		}
	}
}

// What a PostScript program does to tones at the printer is heeded, and what it asks for
// in other files is said: neither is passed over.
func TestPostScriptThatReachesOut(t *testing.T) {
	if !ghost.Ready() {
		t.Skip("ghostscript is not installed")
	}
	file := func(comments, program string) []byte {
		return fmt.Appendf(nil, "%%!PS-Adobe-3.0 EPSF-3.0\n%%%%BoundingBox: 0 0 100 100\n%s%%%%EndComments\n%s 0.2 setgray 10 10 60 60 rectfill showpage\n", comments, program)
	}
	for what, c := range map[string]struct {
		data     []byte
		severity finding.Severity // of the finding that says it; empty for none
		says     string
	}{
		"plain":             {file("", ""), "", ""},
		"tones of a press":  {file("", "{.9 exp} settransfer"), finding.Note, "tones"},
		"tones turned":      {file("", "{1 exch sub} settransfer"), finding.Stop, "tones"},
		"one plate's tones": {file("", "{} {} {} {1 exch sub} setcolortransfer"), finding.Stop, "tones"},
		"stand-ins":         {file("%ALDImageFileName: moor.tif\n", ""), finding.Warn, "stand in"},
		"a screen":          {file("", "60 45 {dup mul exch dup mul add 1 exch sub} setscreen"), "", ""},
	} {
		m, err := intake.Read(t.Context(), c.data, intake.Options{})
		var fs finding.List
		if m != nil {
			fs = m.Findings
		}
		if err != nil && c.severity != finding.Stop {
			t.Errorf("%s: %v", what, err)
		}
		found := c.severity == ""
		for _, f := range fs {
			found = found || f.Severity == c.severity && strings.Contains(f.Message, c.says)
			if c.severity == "" && f.Code == finding.Unsupported {
				t.Errorf("%s: %s", what, f.Message)
			}
		}
		if !found {
			t.Errorf("%s: %v %v", what, fs, err)
		}
	}
	if _, err := intake.Read(t.Context(), file("%%IncludeFile: moor.eps\n", ""), intake.Options{}); err == nil || !strings.Contains(err.Error(), "moor.eps") {
		t.Errorf("a file that is elsewhere: %v", err)
	}
}
