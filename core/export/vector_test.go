package export_test

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/pdf"
	"dyekit/core/export/svg"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/internal/testkit"
)

func shape(p geom.Path, c colour.Colour, alpha float64) *drawing.Shape {
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: c, Alpha: alpha}}
}

func inked(c, m, y, k float64) colour.Colour {
	b := colour.CMYK{C: c, M: m, Y: y, K: k}
	return colour.Colour{RGB: b.RGB(), Build: b, Built: true}
}

// page is 200 × 100 px, which is 150 × 75 pt.
func page(nodes ...drawing.Node) export.Page {
	box := geom.Rect{X1: 200, Y1: 100}
	return export.Page{Drawing: &drawing.Drawing{Page: box, Nodes: nodes}, Frame: frame.Frame{Box: box, W: 200, H: 100}}
}

// art is a page with a black, a coloured and a spot shape.
func art() export.Page {
	spot := inked(100, 40, 0, 10)
	spot.Spot = "Moor Blue 3"
	half := spot
	half.Tint = 35
	return page(
		shape(geom.Box(geom.Rect{X0: 10, Y0: 10, X1: 50, Y1: 90}), inked(0, 0, 0, 100), 1),
		shape(geom.Ellipse(geom.Pt(80, 50), 20, 30), inked(0, 60, 80, 0), 1),
		shape(geom.Box(geom.Rect{X0: 110, Y0: 20, X1: 140, Y1: 80}), spot, 1),
		shape(geom.Box(geom.Rect{X0: 150, Y0: 20, X1: 180, Y1: 80}), half, 1),
	)
}

// plates has ghostscript take the file apart into plates at 72 dpi and
// returns the darkest ink of each, in percent.
func plates(t *testing.T, name string, data []byte) map[string]int {
	t.Helper()
	args := []string{"-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiffsep", "-dEPSCrop", "-r72", "-sCompression=none", "-sOutputFile=out.tif", name}
	dir, out := testkit.Run(t, map[string][]byte{name: data}, "gs", args...)
	if strings.TrimSpace(out) != "" && !strings.Contains(out, "%%SeparationName") {
		t.Errorf("ghostscript says: %s", out)
	}
	got := map[string]int{}
	files, _ := filepath.Glob(filepath.Join(dir, "out*(*).tif"))
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		name := regexp.MustCompile(`\((.*)\)\.tif$`).FindStringSubmatch(f)[1]
		// Plates are written as uncompressed 8-bit grey with ink dark: the
		// darkest byte of the strip is the strongest ink.
		got[name] = 100 - int(darkest(t, b))*100/255
	}
	return got
}

// darkest finds the lowest sample of an uncompressed grey TIFF.
func darkest(t *testing.T, b []byte) byte {
	t.Helper()
	img, err := testkit.DecodeTIFF(b)
	if err != nil {
		t.Fatal(err)
	}
	low := byte(255)
	for i := 0; i < len(img.Pix); i += 4 {
		low = min(low, img.Pix[i])
	}
	return low
}

// Inks stay what they were declared to be (PDF 32000-1 8.6; the plates are
// ghostscript's).
func TestPlates(t *testing.T) {
	p, err := export.Bytes(func(w io.Writer) error {
		return pdf.Encode(w, []export.Page{art()}, pdf.Options{Title: "plates", Colour: format.CMYK})
	})
	if err != nil {
		t.Fatal(err)
	}
	e, err := export.Bytes(func(w io.Writer) error {
		return eps.Encode(w, art(), eps.Options{Title: "plates", Colour: format.CMYK})
	})
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"in.pdf": p, "in.eps": e} {
		got := plates(t, name, data)
		for plate, want := range map[string]int{"Black": 100, "Magenta": 60, "Yellow": 80, "Cyan": 0, "Moor Blue 3": 100} {
			if v, ok := got[plate]; !ok || v < want-1 || v > want+1 {
				t.Errorf("%s: plate %s has %d %%, want %d %% (%v)", name, plate, v, want, got)
			}
		}
	}
}

// Black is K 100 and nothing else (common practice).
func TestBlackIsBlackAlone(t *testing.T) {
	black := page(shape(geom.Box(geom.Rect{X0: 10, Y0: 10, X1: 50, Y1: 90}), colour.Screen(colour.Black), 1))
	p, err := export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{black}, pdf.Options{Colour: format.CMYK}) })
	if err != nil {
		t.Fatal(err)
	}
	e, err := export.Bytes(func(w io.Writer) error { return eps.Encode(w, black, eps.Options{Colour: format.CMYK}) })
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"in.pdf": p, "in.eps": e} {
		got := plates(t, name, data)
		if got["Black"] != 100 || got["Cyan"]+got["Magenta"]+got["Yellow"] != 0 {
			t.Errorf("%s: plates %v", name, got)
		}
	}
	if !bytes.Contains(e, []byte("%%DocumentProcessColors: Black\n")) {
		t.Error("the EPS does not say that it is black alone")
	}
}

func TestBoxes(t *testing.T) {
	p, err := export.Bytes(func(w io.Writer) error {
		return pdf.Encode(w, []export.Page{art(), art()}, pdf.Options{Title: "Café (2)", Colour: format.CMYK})
	})
	if err != nil {
		t.Fatal(err)
	}
	_, info := testkit.Run(t, map[string][]byte{"in.pdf": p}, "pdfinfo", "-box", "in.pdf")
	for _, want := range []string{"Pages:           2", "Page size:       150 x 75 pts", "TrimBox:             0.00     0.00   150.00    75.00", "ArtBox:              0.00     0.00   150.00    75.00", "Title:           Café (2)"} {
		if !strings.Contains(info, want) {
			t.Errorf("pdfinfo does not say %q:\n%s", want, info)
		}
	}
	if !bytes.Contains(p, []byte("/CreationDate(D:20260101000000Z)")) {
		t.Error("the file holds a clock")
	}
	_, fonts := testkit.Run(t, map[string][]byte{"in.pdf": p}, "pdffonts", "in.pdf")
	if len(strings.Split(strings.TrimSpace(fonts), "\n")) > 2 {
		t.Errorf("fonts: %s", fonts)
	}
	e, err := export.Bytes(func(w io.Writer) error { return eps.Encode(w, art(), eps.Options{Title: "boxes", Colour: format.CMYK}) })
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Contains(e, []byte("%%BoundingBox: 0 0 150 75\n%%HiResBoundingBox: 0 0 150 75\n")) {
		t.Errorf("boxes:\n%.300s", e)
	}
	// What ghostscript finds painted lies where the art lies: x 10 to 180 px
	// is 7.5 to 135 pt.
	_, bbox := testkit.Run(t, map[string][]byte{"in.eps": e}, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=bbox", "in.eps")
	if !strings.Contains(bbox, "%%HiResBoundingBox: 7.4") || !strings.Contains(bbox, " 135.") && !strings.Contains(bbox, " 134.9") {
		t.Errorf("bbox: %s", bbox)
	}
}

// DSC 3.0: the header, whole-point boxes rounded outwards, lines of at most
// 255 characters, seven bits.
func TestEPSIsCleanDSC(t *testing.T) {
	a := art()
	a.Frame.W, a.Frame.H = 201, 100.5
	a.Frame.Box = geom.Rect{X1: 201, Y1: 100.5}
	e, err := export.Bytes(func(w io.Writer) error {
		return eps.Encode(w, a, eps.Options{Title: strings.Repeat("né(", 150), Colour: format.CMYK, Level: 3})
	})
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(string(e), "\n")
	if lines[0] != "%!PS-Adobe-3.0 EPSF-3.0" || lines[1] != "%%BoundingBox: 0 0 151 76" {
		t.Errorf("%q", lines[:2])
	}
	for i, l := range lines {
		if len(l) > 255 {
			t.Errorf("line %d has %d characters", i+1, len(l))
		}
	}
	for _, c := range e {
		if c > 126 || c < 32 && c != '\n' {
			t.Fatalf("byte %d is not seven-bit text", c)
		}
	}
	for _, bad := range []string{"findfont", "setpagedevice", "setcachedevice", "initgraphics"} {
		if bytes.Contains(e, []byte(bad)) {
			t.Errorf("it uses %s", bad)
		}
	}
}

// What a file type cannot carry is refused with a reason, not approximated.
func TestRefusals(t *testing.T) {
	box := geom.Box(geom.Rect{X1: 50, Y1: 50})
	half := page(shape(box, colour.Screen(colour.Black), 0.5))
	if _, err := export.Bytes(func(w io.Writer) error { return eps.Encode(w, half, eps.Options{}) }); !unsupported(err) {
		t.Errorf("translucent EPS: %v", err)
	}
	two := page(&drawing.Group{Alpha: 1, Nodes: []drawing.Node{shape(box, colour.Screen(colour.Black), 1)},
		Clip: []drawing.Region{{Path: box}, {Path: geom.Ellipse(geom.Pt(60, 60), 20, 20)}}})
	fading := page(&drawing.Shape{Path: box, Paint: &drawing.Gradient{P1: geom.Pt(50, 0), To: geom.Identity, Stops: []drawing.Stop{{At: 0, Alpha: 1}, {At: 1}}}})
	for name, p := range map[string]export.Page{"a clip of two shapes": two, "a gradient that fades": fading, "half a black": half} {
		if _, err := export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{p}, pdf.Options{}) }); err != nil {
			t.Errorf("%s in PDF: %v", name, err)
		}
		want := name != "a clip of two shapes" // which is opaque
		if _, err := export.Bytes(func(w io.Writer) error {
			return pdf.Encode(w, []export.Page{p}, pdf.Options{Colour: format.CMYK, Standard: format.X1a})
		}); unsupported(err) != want {
			t.Errorf("%s in PDF/X-1a: %v", name, err)
		}
	}
	if _, err := export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{art()}, pdf.Options{Standard: format.X4}) }); !unsupported(err) {
		t.Errorf("screen colours in PDF/X-4: %v", err)
	}
	light := page(&drawing.Group{Alpha: 1, Blend: drawing.Screen, Nodes: []drawing.Node{shape(box, colour.Screen(colour.White), 1)}})
	if _, err := export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{light}, pdf.Options{Colour: format.CMYK}) }); !unsupported(err) {
		t.Errorf("a blend of light in process inks: %v", err)
	}
	if _, err := export.Bytes(func(w io.Writer) error { return svg.Encode(w, fading, svg.Options{}) }); err != nil {
		t.Errorf("fading gradient in SVG: %v", err)
	}
	if _, err := export.Bytes(func(w io.Writer) error { return eps.Encode(w, art(), eps.Options{Level: 1}) }); err == nil {
		t.Error("level 1 was taken")
	}
}

func TestSVGIsPlain(t *testing.T) {
	b, err := export.Bytes(func(w io.Writer) error { return svg.Encode(w, art(), svg.Options{Title: `A & B <"1">`}) })
	if err != nil {
		t.Fatal(err)
	}
	s := string(b)
	for _, bad := range []string{"<script", "<text", "font", "style=", "e-0", "NaN", "-0 "} {
		if strings.Contains(s, bad) {
			t.Errorf("it holds %q", bad)
		}
	}
	if !strings.Contains(s, `version="1.1"`) || !strings.Contains(s, `viewBox="0 0 200 100"`) || !strings.Contains(s, "A &amp; B &lt;") {
		t.Errorf("%.200s", s)
	}
	testkit.Run(t, map[string][]byte{"in.svg": b}, "rsvg-convert", "-o", "out.png", "in.svg")
}

func TestNumber(t *testing.T) {
	for _, c := range []struct {
		v      float64
		places int
		want   string
	}{{1, 3, "1"}, {0.5, 3, "0.5"}, {-0.0001, 3, "0"}, {1e-9, 6, "0"}, {123456.789, 2, "123456.79"}, {-2.5, 0, "-3"}, {1e7, 2, "10000000"}} {
		if got := string(export.Number(nil, c.v, c.places)); got != c.want {
			t.Errorf("%v to %d places: %s, want %s", c.v, c.places, got, c.want)
		}
	}
}

// What is written in bits of any size comes out whole, in memory of its size.
func TestBytes(t *testing.T) {
	for _, n := range []int{0, 1, 5000, 3 << 20} {
		want := make([]byte, n)
		for i := range want {
			want[i] = byte(i * i >> 3)
		}
		got, err := export.Bytes(func(w io.Writer) error {
			for from, k := 0, 1; from < n; k = k*3%70_001 + 1 {
				to := min(n, from+k)
				if m, err := w.Write(want[from:to]); m != to-from || err != nil {
					return fmt.Errorf("%d of %d bytes are written: %w", m, to-from, err)
				}
				from = to
			}
			return io.ErrShortWrite
		})
		if !bytes.Equal(got, want) || cap(got) > n+n/8+64 || err != io.ErrShortWrite {
			t.Errorf("%d bytes: %d in memory of %d, %v", n, len(got), cap(got), err)
		}
	}
}

func TestSameBytes(t *testing.T) {
	make := func() string {
		p, _ := export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{art()}, pdf.Options{Colour: format.CMYK}) })
		e, _ := export.Bytes(func(w io.Writer) error { return eps.Encode(w, art(), eps.Options{Colour: format.CMYK}) })
		s, _ := export.Bytes(func(w io.Writer) error { return svg.Encode(w, art(), svg.Options{}) })
		return fmt.Sprint(p, e, s)
	}
	if first := make(); first != make() {
		t.Error("not the same bytes twice")
	}
}

// A picture keeps its pixels and its opacity in PDF (poppler is the reader).
func TestPictureInPDF(t *testing.T) {
	src := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	copy(src.Pix, []uint8{255, 0, 0, 255, 0, 0, 255, 128})
	p, err := export.Bytes(func(w io.Writer) error {
		return pdf.Encode(w, []export.Page{page(&drawing.Picture{Image: src, To: geom.Scale(200, 100), Alpha: 1})}, pdf.Options{Colour: format.RGB})
	})
	if err != nil {
		t.Fatal(err)
	}
	dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": p}, "pdftocairo", "-png", "-transp", "-singlefile", "-scale-to-x", "20", "-scale-to-y", "10", "in.pdf", "out")
	img := testkit.ReadPNG(t, filepath.Join(dir, "out.png"))
	if c := img.NRGBAAt(4, 5); c.R < 250 || c.A != 255 {
		t.Errorf("left: %v", c)
	}
	if c := img.NRGBAAt(15, 5); c.B < 250 || c.A < 120 || c.A > 136 {
		t.Errorf("right: %v", c)
	}
}

func unsupported(err error) bool {
	var no *export.Unsupported
	return errors.As(err, &no)
}

// A shape without a path paints nothing and leaves nothing in a file.
func TestEmptyShapes(t *testing.T) {
	more := art()
	empty := shape(nil, inked(10, 0, 0, 0), 1)
	more.Drawing = &drawing.Drawing{Page: more.Drawing.Page, Nodes: append([]drawing.Node{empty}, append(more.Drawing.Nodes, empty)...)}
	for name, encode := range map[string]func(w io.Writer, p export.Page) error{
		"PDF": func(w io.Writer, p export.Page) error {
			return pdf.Encode(w, []export.Page{p}, pdf.Options{Colour: format.CMYK})
		},
		"EPS": func(w io.Writer, p export.Page) error { return eps.Encode(w, p, eps.Options{Colour: format.CMYK}) },
		"SVG": func(w io.Writer, p export.Page) error { return svg.Encode(w, p, svg.Options{}) },
	} {
		var files [2][]byte
		for i, p := range []export.Page{art(), more} {
			var err error
			if files[i], err = export.Bytes(func(w io.Writer) error { return encode(w, p) }); err != nil {
				t.Fatal(err)
			}
		}
		if !bytes.Equal(files[0], files[1]) {
			t.Errorf("%s: %d bytes, %d with empty shapes", name, len(files[0]), len(files[1]))
		}
	}
}
