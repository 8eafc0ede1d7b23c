package kit

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	gopng "image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/image/tiff"

	"dyekit/core/board"
	"dyekit/core/colour"
	"dyekit/core/export"
	"dyekit/core/kit/outside"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/sheet"
	"dyekit/core/version"
	"dyekit/internal/testkit"
	"dyekit/startpage"
)

const twoInks = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><g id="symbol"><circle cx="50" cy="50" r="40" fill="#206047"/></g><g id="word"><rect x="110" y="30" width="80" height="40" fill="#d9412b"/></g></svg>`

func planOf(t testing.TB, master, r string, inks ...version.InkMapping) *Plan {
	t.Helper()
	rec, err := recipe.Parse([]byte(r))
	if err != nil {
		t.Fatal(err)
	}
	in := Input{Master: []byte(master), MasterName: "a.svg", Brand: "Ada", Recipe: rec}
	in.Inks = inks
	p, err := NewPlan(context.Background(), in)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

const sheetRecipe = `{"name":"s","frame":{"margin":"10%"},"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},{"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]}}],"files":[{"format":"svg"},{"format":"png","widths":[300,150]}]}`

// Measures by hand. The art is 180 × 80 units, from 10 to 190; 10 % of its longer
// side, 18 units, stay free, which is 10 % of its width: 10 mm where it is 100 mm wide.
func TestSheetMeasures(t *testing.T) {
	p := planOf(t, twoInks, sheetRecipe)
	r, _ := recipe.Parse([]byte(sheetRecipe))
	c, err := p.Sheet(context.Background(), "Ada", "Vat Nine", r, nil)
	if err != nil {
		t.Fatal(err)
	}
	for paper, want := range map[string][2]float64{"a4": {595.28, 841.89}, "letter": {612, 792}} { // pt: 210 × 297 mm, 8.5 × 11 in
		for _, wide := range []bool{false, true} {
			s, err := sheet.Pages(c, sheet.Layout{Paper: paper, Wide: wide})
			if err != nil {
				t.Fatal(err)
			}
			w, h := s.Pages[0].Frame.Points()
			if wide {
				w, h = h, w
			}
			if math.Abs(w-want[0]) > 0.01 || math.Abs(h-want[1]) > 0.01 {
				t.Errorf("%s: %.2f × %.2f pt, not %v", paper, w, h, want)
			}
			for _, x := range s.Pages {
				if b := x.Drawing.Bounds(); !x.Frame.Box.Contains(b, 1e-6) {
					t.Errorf("%s, wide %v: something lies outside the page: %v", paper, wide, b)
				}
			}
		}
	}
	if got := c.Art; math.Abs(got.W()-180) > 1e-6 || !(c.Room.Free > 0) {
		t.Errorf("art %v, room %v", got, c.Room)
	}
	if len(c.Inks) != 2 || len(c.Smallest) == 0 || c.Smallest[0].Px == 0 {
		t.Errorf("%d inks, smallest %+v", len(c.Inks), c.Smallest)
	}
	one, err := sheet.Pages(c, sheet.Layout{One: true})
	if err != nil || len(one.Pages) != 1 || !one.Pages[0].Frame.Box.Contains(one.Pages[0].Drawing.Bounds(), 1e-6) {
		t.Errorf("all on one page: %v, %v", one, err)
	}
	some, err := sheet.Pages(c, sheet.Layout{Blocks: []string{"wrong", "inks"}})
	if err != nil || len(some.Places) != 2 || some.Places[0].Block != "wrong" {
		t.Errorf("two blocks: %+v, %v", some.Places, err)
	}
	for _, l := range []sheet.Layout{{Paper: "a3"}, {Blocks: []string{"inks", "inks"}}, {Blocks: []string{"history"}}} {
		if _, err := sheet.Pages(c, l); err == nil {
			t.Errorf("%+v is taken", l)
		}
	}
}

// The sheet keeps the inks of the brand apart: ghostscript's tiffsep finds the spot
// plate with its tints, and black words on the black plate alone.
func TestSheetPlates(t *testing.T) {
	p := planOf(t, twoInks, sheetRecipe, version.InkMapping{Ink: version.Ink{Name: "Fir", RGB: "#206047", CMYK: &[4]float64{80, 20, 70, 30}, Spot: "FIR 7"}, Drawn: "#206047"})
	r, _ := recipe.Parse([]byte(sheetRecipe))
	c, err := p.Sheet(context.Background(), "Ada", "", r, nil)
	if err != nil {
		t.Fatal(err)
	}
	s, err := sheet.Pages(c, sheet.Layout{Blocks: []string{"inks"}})
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	var b bytes.Buffer
	if err := SheetPDF(t.Context(), &b, "Ada", s.Pages, p.Press); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "s.pdf"), b.Bytes(), 0o666); err != nil {
		t.Fatal(err)
	}
	const dpi = 72
	gs := exec.Command("gs", "-q", "-dNOPAUSE", "-dBATCH", "-dSAFER", "-sDEVICE=tiffsep", fmt.Sprintf("-r%d", dpi), "-sOutputFile=s%d.tif", "s.pdf")
	gs.Dir = dir
	if out, err := gs.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	plate := func(name string) image.Image {
		f, err := os.Open(filepath.Join(dir, "s1("+name+").tif"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		img, err := tiff.Decode(f)
		if err != nil {
			t.Fatal(err)
		}
		return img
	}
	at := func(img image.Image, x, y float64) float64 { // mm; percent of ink
		v, _, _, _ := img.At(int(x/25.4*dpi), int(y/25.4*dpi)).RGBA()
		return 100 - float64(v)/655.35
	}
	// The block begins where its place says; its rows 15.1 mm below that, 22 mm high:
	// 34 mm of the full ink on the left, tints of 13 mm on the right.
	y := s.Places[0].Box.Y0 + 6 + 4.5 + 4
	fir, black := plate("FIR 7"), plate("Black")
	which := 0.0
	if c.Inks[0].Colour.Spot == "" {
		which = 22
	}
	if got := at(fir, 18+10, y+which); math.Abs(got-100) > 1 {
		t.Errorf("the spot ink is %.0f %% on its plate", got)
	}
	for i, want := range sheet.Steps {
		x := 210 - 18 - 13*float64(len(sheet.Steps)) + 13*float64(i) + 6
		if got := at(fir, x, y+which); math.Abs(got-want) > 1 {
			t.Errorf("tint %g %% is %.1f %% on the plate", want, got)
		}
		for _, other := range []string{"Cyan", "Magenta", "Yellow", "Black"} {
			if got := at(plate(other), x, y+which); got > 0.5 {
				t.Errorf("tint %g %% has %.1f %% %s", want, got, other)
			}
		}
	}
	if got := at(fir, 18+10, y+22-which); got > 0.5 {
		t.Errorf("the other ink has %.0f %% on the spot plate", got)
	}
	most := 0.0 // the title is printed in black alone
	for x := 18.0; x < 40; x += 0.2 {
		v := at(black, x, 25)
		most = max(most, v)
		if c := at(plate("Cyan"), x, 25); c > 0.5 {
			t.Fatalf("a word has %.0f %% cyan", c)
		}
	}
	if most < 90 {
		t.Errorf("words have %.0f %% black", most)
	}
}

// What lies beside the files is right by outside readers, leads nowhere that is not
// there, and is the same twice.
func TestBesides(t *testing.T) {
	r := strings.Replace(sheetRecipe, `"frame"`, `"beside":{"sheet":{"paper":"letter"},"line":"Vat Nine","working":true,"snippet":true},"frame"`, 1)
	rec, err := recipe.Parse([]byte(r))
	if err != nil {
		t.Fatal(err)
	}
	build := func() map[string][]byte {
		store := new(Store)
		t.Cleanup(func() { store.Close() })
		k, err := Build(context.Background(), Input{Master: []byte(twoInks), MasterName: "a.svg", Brand: "Ada & Co", Recipe: rec, Pages: startpage.Pages{}, Readers: outside.None, Depot: store})
		if err != nil {
			t.Fatal(err)
		}
		out := map[string][]byte{}
		for _, f := range k.All() {
			b, err := k.depot.Get(context.Background(), f.SHA256)
			if err != nil {
				t.Fatal(err)
			}
			out[f.Path] = b
		}
		return out
	}
	a, b := build(), build()
	for p := range a {
		if !bytes.Equal(a[p], b[p]) {
			t.Errorf("%s is not the same twice", p)
		}
	}
	if _, err := Verify(context.Background(), a, nil); err != nil {
		t.Error(err)
	}
	changed := map[string][]byte{}
	for p := range a {
		changed[p] = a[p]
	}
	changed["working.svg"] = append(bytes.Clone(a["working.svg"]), ' ')
	if _, err := Verify(context.Background(), changed, nil); err == nil {
		t.Error("a working file that was changed passes")
	}
	// The working file: groups by version and part, and well-formed.
	var ids []string
	for d := xml.NewDecoder(bytes.NewReader(a["working.svg"])); ; {
		tok, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		if e, ok := tok.(xml.StartElement); ok && e.Name.Local == "g" {
			for _, at := range e.Attr {
				if at.Name.Local == "id" {
					ids = append(ids, at.Value)
				}
			}
		}
	}
	if got := strings.Join(ids, " "); !strings.HasPrefix(got, "colour symbol word black") || !strings.Contains(got, "white") {
		t.Errorf("the working file has the groups %s", got)
	}
	// The snippet names files that are there, and the brand.
	snippet := string(a["web-snippet.html"])
	for _, want := range []string{"SVG/ada-co_colour.svg", `media="(prefers-color-scheme: dark)"`, "SVG/ada-co_white.svg", "150w", `<img src="PNG/ada-co_colour_300.png"`, `alt="Ada &amp; Co"`} {
		if !strings.Contains(snippet, want) {
			t.Errorf("the snippet has no %s:\n%s", want, snippet)
		}
	}
	for part := range strings.FieldsFuncSeq(snippet, func(r rune) bool { return strings.ContainsRune("\" ,\n", r) }) {
		if strings.HasPrefix(part, "PNG/") || strings.HasPrefix(part, "SVG/") {
			if _, ok := a[strings.TrimSuffix(part, "&#34;")]; !ok {
				t.Errorf("the snippet leads to %s, which is not there", part)
			}
		}
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "s.pdf"), a["brand-sheet.pdf"], 0o666); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("qpdf", "--check", filepath.Join(dir, "s.pdf")).CombinedOutput()
	if err != nil {
		t.Errorf("qpdf: %s", out)
	}
	if out, err := exec.Command("pdfinfo", filepath.Join(dir, "s.pdf")).Output(); err != nil || !strings.Contains(string(out), "612 x 792 pts (letter)") {
		t.Errorf("pdfinfo: %v %s", err, out)
	}
	for _, x := range []string{"brand-sheet.html", "brand-sheet.pdf", "working.svg", "web-snippet.html"} {
		if !bytes.Contains(a["START-HERE.html"], []byte(`<a href="`+x+`">`)) {
			t.Errorf("START-HERE leads to no %s", x)
		}
	}
	if !bytes.Contains(a["brand-sheet.html"], []byte("Vat Nine")) || !bytes.Contains(a["brand-sheet.html"], []byte(colour.FromBytes(0x20, 0x60, 0x47).Hex())) {
		t.Error("the page of the sheet lacks its line or its inks")
	}
}

func BenchmarkSheet(b *testing.B) {
	p := planOf(b, twoInks, sheetRecipe)
	r, _ := recipe.Parse([]byte(sheetRecipe))
	for b.Loop() {
		c, err := p.Sheet(context.Background(), "Ada", "", r, nil)
		if err != nil {
			b.Fatal(err)
		}
		s, err := sheet.Pages(c, sheet.Layout{})
		if err != nil {
			b.Fatal(err)
		}
		if err := SheetPDF(context.Background(), io.Discard, "Ada", s.Pages, p.Press); err != nil {
			b.Fatal(err)
		}
	}
}

// A sheet and a board of whatever a PDF cannot hold are made all the same: the effects are
// pictures, what casts them stays in curves, and poppler sees the same page as ours.
func TestSheetsOfEffects(t *testing.T) {
	const rest = `<path fill="#206047" d="M20 20h60v60H20z"/></g><rect x="10" y="60" width="60" height="30" fill="#d9412b"/></svg>`
	for name, head := range map[string]string{
		"shadow": `<filter id="f"><feDropShadow dx="3" dy="3" stdDeviation="2"/></filter><g filter="url(#f)">`,
		"blur":   `<g style="filter:blur(3px)">`,
		"light":  `<g style="mix-blend-mode:screen">`,
		"masked": `<filter id="f"><feGaussianBlur stdDeviation="3"/></filter><mask id="m"><circle cx="50" cy="50" r="30" fill="#fff" filter="url(#f)"/></mask><g mask="url(#m)">`,
	} {
		p := planOf(t, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">`+head+rest, sheetRecipe)
		r, err := recipe.Parse([]byte(sheetRecipe))
		if err != nil {
			t.Fatal(err)
		}
		c, err := p.Sheet(t.Context(), "Ada", "", r, nil)
		if err != nil {
			t.Fatal(name, err)
		}
		s, err := sheet.Pages(c, sheet.Layout{Blocks: []string{"versions", "grounds"}})
		if err != nil {
			t.Fatal(name, err)
		}
		one, err := board.New(t.Context(), "one", p.Master.Drawing)
		if err != nil {
			t.Fatal(name, err)
		}
		b, err := board.Page([]board.Candidate{one, one}, board.Layout{})
		if err != nil {
			t.Fatal(name, err)
		}
		for what, pages := range map[string][]export.Page{"sheet": s.Pages, "board": {b}} {
			if (what == "sheet") != (name == "shadow" || name == "light") {
				continue // each once is enough
			}
			if !Softened(pages) {
				t.Errorf("%s, %s: nothing is said of pictures", name, what)
			}
			var out bytes.Buffer
			if err := SheetPDF(t.Context(), &out, "Ada", pages, nil); err != nil {
				t.Errorf("%s, %s: %v", name, what, err)
				continue
			}
			if !bytes.Contains(out.Bytes(), []byte("/Image")) {
				t.Errorf("%s, %s: there is no picture in it", name, what)
			}
			dir, _ := testkit.Run(t, map[string][]byte{"a.pdf": out.Bytes()}, "pdftocairo", "-png", "-r", "40", "-f", "1", "-l", "1", "-singlefile", "a.pdf", "a")
			got := testkit.ReadPNG(t, filepath.Join(dir, "a.png"))
			want, err := raster.Render(t.Context(), pages[0].Drawing, raster.Fit(pages[0].Frame.Box, got.Rect.Dx(), got.Rect.Dy()), got.Rect.Dx(), got.Rect.Dy(), raster.Options{Ground: &colour.White})
			if err != nil {
				t.Fatal(err)
			}
			// Inks are shown by other profiles: what is dark and light is compared.
			if off := testkit.Outside(got, want, 90); off > 0.01 {
				t.Errorf("%s, %s: %.1f %% of the page differ from ours", name, what, 100*off)
			}
		}
	}
}

// A page as a picture has the pixels that its inches ask for; work that nobody waits for ends.
func TestSheetAsAPicture(t *testing.T) {
	p := planOf(t, twoInks, sheetRecipe)
	r, _ := recipe.Parse([]byte(sheetRecipe))
	c, err := p.Sheet(t.Context(), "Ada", "", r, nil)
	if err != nil {
		t.Fatal(err)
	}
	s, err := sheet.Pages(c, sheet.Layout{Paper: "letter", One: true})
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := SheetPNG(t.Context(), &b, s.Pages[0], 40); err != nil {
		t.Fatal(err)
	}
	w, h := s.Pages[0].Frame.Points()
	got, err := gopng.DecodeConfig(&b)
	b.Reset()
	if err != nil || math.Abs(float64(got.Width)-w*40/72) > 1 || math.Abs(float64(got.Height)-h*40/72) > 1 {
		t.Errorf("%d × %d px of %.0f × %.0f pt, %v", got.Width, got.Height, w, h, err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := SheetPNG(ctx, &b, s.Pages[0], 40); !errors.Is(err, context.Canceled) || b.Len() > 0 {
		t.Errorf("nobody waits: %v, and %d bytes", err, b.Len())
	}
}
