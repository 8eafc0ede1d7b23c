package intake_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/pdf"
	"dyekit/core/format"
)

// pageOf is a PDF of one page of 100 × 100 pt with a content.
func pageOf(content string) []byte {
	objects := []string{
		"<</Type/Catalog/Pages 2 0 R>>",
		"<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 100 100]/Resources<<>>/Contents 4 0 R>>",
		fmt.Sprintf("<</Length %d>>stream\n%s\nendstream", len(content), content),
	}
	out, at := "%PDF-1.4\n", []int{}
	for i, o := range objects {
		at = append(at, len(out))
		out += fmt.Sprintf("%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	start := len(out)
	out += fmt.Sprintf("xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, o := range at {
		out += fmt.Sprintf("%010d 00000 n \n", o)
	}
	return []byte(out + fmt.Sprintf("trailer<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, start))
}

// A device grey is so much of the black ink, and nothing else, in PDF and in PostScript:
// k = 1 - g (ISO 32000-1, 10.3.3; PLRM 7.2.3; both from memory). It goes out so, too.
func TestGreyIsBlack(t *testing.T) {
	for _, g := range []float64{0, 0.35, 0.5, 0.72, 1} {
		for kind, data := range map[string][]byte{
			"PDF":        pageOf(fmt.Sprintf("%g g 10 10 60 60 re f", g)),
			"PDF, by cs": pageOf(fmt.Sprintf("/DeviceGray cs %g sc 10 10 60 60 re f", g)),
			"PostScript": fmt.Appendf(nil, "%%!PS-Adobe-3.0 EPSF-3.0\n%%%%BoundingBox: 0 0 100 100\n%g setgray 10 10 60 60 rectfill showpage\n", g),
		} {
			m := read(t, data)
			s, ok := m.Drawing.Nodes[0].(*drawing.Shape)
			if !ok {
				t.Fatalf("%s: %T", kind, m.Drawing.Nodes[0])
			}
			c := s.Paint.(drawing.Solid).Colour
			tol := 0.01 // percent
			if kind == "PostScript" {
				tol = 0.1 // it comes through twelve bits
			}
			if math.Abs(c.Build.K-100*(1-g)) > tol || c.Build.C+c.Build.M+c.Build.Y != 0 || !c.Built {
				t.Errorf("%s, grey %g: %+v", kind, g, c)
			}
			if math.Abs(c.RGB.R-g) > 0.002 || c.RGB.R != c.RGB.G || c.RGB.G != c.RGB.B {
				t.Errorf("%s, grey %g is shown as %s", kind, g, c.RGB.Hex())
			}
		}
	}
	m := read(t, pageOf("0.35 g 10 10 60 60 re f"))
	var b strings.Builder
	if err := pdf.Encode(&b, []export.Page{whole(m.Drawing)}, pdf.Options{Colour: format.CMYK}); err != nil {
		t.Fatal(err)
	}
	again := read(t, []byte(b.String()))
	if c := again.Drawing.Nodes[0].(*drawing.Shape).Paint.(drawing.Solid).Colour; c.Build.K != 65 || c.Build.C != 0 {
		t.Errorf("it went out as %+v", c.Build)
	}
}
