package svg

import (
	"context"
	"encoding/base64"
	"fmt"
	"image"
	"os"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/fonts"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// dejavu is of Debian's fonts-dejavu-core.
const dejavu = "/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf"

// Lines of many scripts, with figures, brackets and letters of another script in them, are
// set as Chromium sets them in the same font.
func TestLinesLikeChromium(t *testing.T) {
	data, err := os.ReadFile(dejavu)
	if err != nil {
		t.Fatal(err)
	}
	set := new(fonts.Set)
	if err := set.Add(data); err != nil {
		t.Fatal(err)
	}
	face := `@font-face{font-family:"DejaVu Sans";src:url(data:font/ttf;base64,` + base64.StdEncoding.EncodeToString(data) + `)}`
	b, err := testkit.StartBrowser()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	var all []browsed
	for _, line := range []string{
		"שלום", "שלום 123", "123 שלום", "טל 03-1234567", "מחיר: 19.90", "abc שלום def", "שלום abc עולם", "(שלום)", "קפה & תה", "בית-קפה 1987",
		"سلام", "سلام 123", "مقهى ١٩٨٧", "abc سلام def", "قهوة & شاي", "(سلام)", "ab 12 سلام 34 cd",
		"Odd Kettle", "Кафе 1987", "Καφές", "Ελλάδα & Co.", "Škoda Ťava", "AVATAR", "office flow", "Հայ 12", "ქართ", "ẞtraße",
	} {
		for _, dir := range []string{"ltr", "rtl"} {
			x := 6
			if dir == "rtl" {
				x = 94
			}
			text := fmt.Sprintf(`<text x="%d" y="55" font-family="DejaVu Sans" font-size="13" text-rendering="geometricPrecision" direction="%s">%s</text></svg>`, x, dir, strings.ReplaceAll(line, "&", "&amp;"))
			head := `<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100" viewBox="0 0 100 100">`
			all = append(all, browsed{line + ", " + dir, head + text})
		}
	}
	asChromium(t, b, all, face, set)
}

// noto is the folder of Debian's fonts-noto-core.
const noto = "/usr/share/fonts/truetype/noto/"

// Letters of some forty scripts stand, join and stack as Chromium sets them in the same
// font: marks above and below, vowels before their consonant, cascades of Nastaliq.
func TestScriptsLikeChromium(t *testing.T) {
	lines, err := os.ReadFile("testdata/lines.txt")
	if err != nil {
		t.Fatal(err)
	}
	set, faces, known := new(fonts.Set), "", map[string]bool{}
	var all []browsed
	for line := range strings.Lines(string(lines)) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		if len(f) != 3 {
			continue
		}
		if !known[f[1]] {
			known[f[1]] = true
			data, err := os.ReadFile(noto + f[1] + ".ttf")
			if err != nil {
				t.Fatal(err)
			}
			if err := set.AddAs(data, f[1]); err != nil {
				t.Fatal(err)
			}
			faces += fmt.Sprintf(`@font-face{font-family:"%s";src:url(data:font/ttf;base64,%s)}`, f[1], base64.StdEncoding.EncodeToString(data))
		}
		rtl := strings.Contains("Arabic Hebrew Syriac Thaana NKo Adlam", f[0])
		x, dir := 4, "ltr"
		if rtl {
			x, dir = 96, "rtl"
		}
		all = append(all, browsed{f[0] + ", " + f[1] + ", " + f[2], fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100" viewBox="0 0 100 100"><text x="%d" y="55" font-family="%s" font-size="14" text-rendering="geometricPrecision" direction="%s">%s</text></svg>`,
			x, f[1], dir, strings.ReplaceAll(f[2], "&", "&amp;"))})
	}
	if len(all) < 160 || len(known) < 40 {
		t.Fatalf("%d lines in %d fonts", len(all), len(known))
	}
	b, err := testkit.StartBrowser()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	asChromium(t, b, all, faces, set)
}

// asChromium holds lines of text to Chromium's pictures of them.
func asChromium(t *testing.T, b *testkit.Browser, all []browsed, faces string, set *fonts.Set) {
	t.Helper()
	pictures := inBrowser(t, b, all, faces)
	for i, x := range all {
		d, fs, err := Read(context.Background(), []byte(x.svg), Options{Fonts: set})
		if err != nil {
			t.Errorf("%s: %v", x.name, err)
			continue
		}
		if f, stop := fs.Stopping(); stop {
			t.Errorf("%s: %s", x.name, f.Message)
			continue
		}
		got, err := raster.Render(context.Background(), d, raster.Fit(d.Page, cell, cell), cell, cell, raster.Options{Ground: &colour.White})
		if err != nil {
			t.Fatal(err)
		}
		// Chromium hints and darkens small letters: where ink lies is compared.
		if off := apart(got, pictures[i]); off > 0.03 {
			t.Errorf("%s: %.0f %% of the ink lies elsewhere", x.name, 100*off)
		}
	}
}

// apart is how much of the ink of either picture has none of the other within a pixel
// and a half.
func apart(a, b *image.NRGBA) float64 {
	dark := func(img *image.NRGBA, x, y int) float64 {
		if x < 0 || y < 0 || x >= cell || y >= cell {
			return 0
		}
		return 255 - float64(img.NRGBAAt(x, y).G)
	}
	near := func(img *image.NRGBA, x, y int) (most float64) {
		for v := -1; v <= 1; v++ {
			for u := -1; u <= 1; u++ {
				most = max(most, dark(img, x+u, y+v))
			}
		}
		return most
	}
	off, all := 0.0, 1.0
	for y := range cell {
		for x := range cell {
			p, q := dark(a, x, y), dark(b, x, y)
			all += p + q
			off += max(0, p-near(b, x, y)) + max(0, q-near(a, x, y))
		}
	}
	return off / all
}
