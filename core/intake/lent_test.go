package intake_test

import (
	"context"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/raster"
)

// lentPDF is a page of 300 × 100 pt with text in a font that is not inside.
func lentPDF(name string, file []byte) []byte {
	f, err := sfnt.Parse(file)
	if err != nil {
		panic(err)
	}
	var widths []string
	var buf sfnt.Buffer
	for c := rune(32); c < 127; c++ {
		g, err := f.GlyphIndex(&buf, c)
		if err != nil {
			panic(err)
		}
		w, err := f.GlyphAdvance(&buf, g, fixed.I(1000), font.HintingNone)
		if err != nil {
			panic(err)
		}
		widths = append(widths, fmt.Sprintf("%.2f", float64(w)/64))
	}
	content := "BT /F 48 Tf 12 30 Td (minimum) Tj ET"
	objects := []string{
		"<</Type/Catalog/Pages 2 0 R>>",
		"<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 300 100]/Resources<</Font<</F 5 0 R>>>>/Contents 4 0 R>>",
		fmt.Sprintf("<</Length %d>>stream\n%s\nendstream", len(content), content),
		fmt.Sprintf("<</Type/Font/Subtype/TrueType/BaseFont/%s/Encoding/WinAnsiEncoding/FirstChar 32/LastChar 126/Widths[%s]/FontDescriptor<</Type/FontDescriptor/FontName/%[1]s/Flags 32/FontBBox[0 -200 1000 900]/ItalicAngle 0/Ascent 900/Descent -200/CapHeight 700/StemV 120>>>>", name, strings.Join(widths, " ")),
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

// Text of a PDF and of PostScript whose font is not inside is set in that font, once
// it is added, as a drawing in SVG that names it; without it the work stops, and no
// other stands in its place, whatever the machine has.
func TestFontsThatAreAdded(t *testing.T) {
	const name = "AlfaSlabOne-Regular"
	file, err := os.ReadFile("../fonts/shipped/alfa-slab-one.ttf")
	if err != nil {
		t.Fatal(err)
	}
	set := new(fonts.Set)
	if err := set.Add(file); err != nil {
		t.Fatal(err)
	}
	if set.PostScript(name) == nil || set.PostScript("AlfaSlabOne-Bold") != nil || fonts.Shipped().PostScript(name) != nil {
		t.Fatal("fonts are not found by their PostScript names")
	}
	// Others have their tables in an order of their own.
	for file, name := range map[string]string{"cabin": "Cabin-Regular", "lora": "Lora-Regular", "dancing-script": "DancingScript-Regular"} {
		data, err := os.ReadFile("../fonts/shipped/" + file + ".ttf")
		if err != nil {
			t.Fatal(err)
		}
		var s fonts.Set
		if err := s.Add(data); err != nil || s.PostScript(name) == nil {
			t.Errorf("%s is not found as %s: %v", file, name, err)
		}
	}
	draw := func(data []byte, opt intake.Options) ([]uint8, finding.List) {
		t.Helper()
		m, err := intake.Read(context.Background(), data, opt)
		if err != nil {
			t.Fatal(err)
		}
		img, err := raster.Render(context.Background(), m.Drawing, raster.Fit(geom.Rect{X1: 400, Y1: 400.0 / 3}, 600, 200), 600, 200, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		return img.Pix, m.Findings
	}
	want, _ := draw([]byte(`<svg xmlns="http://www.w3.org/2000/svg" width="300pt" height="100pt" viewBox="0 0 300 100"><text x="12" y="70" font-family="Alfa Slab One" font-size="48">minimum</text></svg>`), intake.Options{Fonts: set})
	for what, data := range map[string][]byte{
		"PDF":        lentPDF(name, file),
		"PostScript": []byte("%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 300 100\n/" + name + " findfont 48 scalefont setfont 12 30 moveto (minimum) show showpage\n"),
	} {
		got, fs := draw(data, intake.Options{Fonts: set})
		if f, stop := fs.Stopping(); stop {
			t.Errorf("%s: %s", what, f.Message)
		}
		said := false
		for _, f := range fs {
			said = said || f.Code == finding.LiveText && f.Severity == finding.Warn && strings.Contains(f.Message, name)
		}
		if !said {
			t.Errorf("%s: nothing is said of the font: %v", what, fs)
		}
		off, art := 0.0, 0.0
		for i := 3; i < len(got); i += 4 {
			off += math.Abs(float64(got[i]) - float64(want[i]))
			art += float64(want[i])
		}
		if off > 0.01*art || art == 0 {
			t.Errorf("%s: %.2f %% of the text is not where it is in SVG", what, 100*off/art)
		}
		if what == "PDF" { // glyphs by number, which no file but the one that is missing explains
			composite := strings.Replace(string(data), "/Subtype/TrueType/BaseFont", "/Subtype/Type0/DescendantFonts[<</Type/Font/Subtype/CIDFontType2/BaseFont/"+name+"/CIDSystemInfo<</Registry(Adobe)/Ordering(Identity)/Supplement 0>>>>]/BaseFont", 1)
			composite = strings.Replace(composite, "/WinAnsiEncoding", "/Identity-H", 1)
			if _, fs := draw([]byte(composite), intake.Options{Fonts: set}); len(fs) == 0 {
				t.Errorf("a composite font that is not inside: nothing is said")
			} else if f, stop := fs.Stopping(); !stop || f.Code != finding.MissingFont {
				t.Errorf("a composite font that is not inside: %v", fs)
			}
		}
		_, fs = draw(data, intake.Options{})
		if f, stop := fs.Stopping(); !stop || f.Code != finding.MissingFont || !strings.Contains(f.Message, name) {
			t.Errorf("%s without the font: %v", what, fs)
		}
	}
}
