package eps

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/kit/readback"
)

// page is a disc on a frame of w × h px.
func page(w, h float64) export.Page {
	box := geom.Rect{X1: w, Y1: h}
	disc := &drawing.Shape{Path: geom.Ellipse(box.Centre(), w/4, h/4), Paint: drawing.Solid{Colour: colour.Colour{RGB: colour.FromBytes(0, 160, 120), Build: colour.CMYK{C: 90, Y: 60}, Built: true, Spot: "Leaf (7)"}, Alpha: 1}}
	return export.Page{Drawing: &drawing.Drawing{Page: box, Nodes: []drawing.Node{disc}}, Frame: frame.Frame{Box: box, W: w, H: h}}
}

// The header is what Adobe's Document Structuring Conventions 3.0 and EPSF 3.0
// ask for: the version line first, a box in whole points rounded outwards, the
// exact box beside it, the plates named, no page set up, lines of at most 255
// letters, nothing but ASCII.
func TestHeader(t *testing.T) {
	for _, wide := range []float64{133, 400, 1} {
		b, err := export.Bytes(func(w io.Writer) error {
			return Encode(w, page(wide, 77), Options{Title: "Élan (& co.)", Colour: format.CMYK})
		})
		if err != nil {
			t.Fatal(err)
		}
		lines := strings.Split(string(b), "\n")
		if lines[0] != "%!PS-Adobe-3.0 EPSF-3.0" {
			t.Errorf("it begins with %q", lines[0])
		}
		var x0, y0, x1, y1 int
		var hx0, hy0, hx1, hy1 float64
		plate := false
		for _, l := range lines {
			fmt.Sscanf(l, "%%%%BoundingBox: %d %d %d %d", &x0, &y0, &x1, &y1)
			fmt.Sscanf(l, "%%%%HiResBoundingBox: %g %g %g %g", &hx0, &hy0, &hx1, &hy1)
			plate = plate || strings.HasPrefix(l, "%%DocumentCustomColors:") && strings.Contains(l, "Leaf")
			if len(l) > 255 {
				t.Errorf("a line has %d letters", len(l))
			}
		}
		if x0 != 0 || y0 != 0 || float64(x1) != math.Ceil(wide*0.75) || float64(y1) != math.Ceil(77*0.75) {
			t.Errorf("the box of %v px is %d %d %d %d", wide, x0, y0, x1, y1)
		}
		if math.Abs(hx1-wide*0.75) > 1e-3 || math.Abs(hy1-77*0.75) > 1e-3 {
			t.Errorf("the exact box of %v px is %v %v", wide, hx1, hy1)
		}
		if !plate {
			t.Error("the plate is not named")
		}
		for _, c := range b {
			if c > 126 || c < 32 && c != '\n' {
				t.Fatalf("the file holds the byte %d", c)
			}
		}
		for _, bad := range []string{"setpagedevice", "initgraphics", "findfont", "erasepage", "quit"} {
			if bytes.Contains(b, []byte(bad)) {
				t.Errorf("the file uses %s", bad)
			}
		}
		if !strings.HasSuffix(strings.TrimSpace(string(b)), "%%EOF") {
			t.Error("it does not end with EOF")
		}
	}
}

// The box in whole points is the exact one rounded outwards, as it is written: near to whole
// points too, where the last decimal decides (EPSF 3.0, section 5.1).
func TestBoxesNearWholePoints(t *testing.T) {
	for _, near := range []float64{60, 595, 1000} {
		for k := -30; k <= 30; k++ {
			w := near + float64(k)*1.37e-5
			said := export.Sides(w, 10)
			x, _ := outwards(said)
			var exact float64
			fmt.Sscan(said, &exact)
			if float64(x) < exact-2e-4 || float64(x) > exact+1 {
				t.Errorf("%v: %d of %s", w, x, said)
			}
			b, err := export.Bytes(func(dst io.Writer) error { return Encode(dst, page(w*96/72, 10*96/72), Options{}) })
			if err != nil {
				t.Fatal(err)
			}
			if _, err := readback.EPS(b); err != nil {
				t.Errorf("%v pt: %v", w, err)
			}
		}
	}
}
