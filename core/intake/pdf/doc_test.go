package pdf

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/intake/ghost"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// A doc is a PDF in the making: object n is doc[n-1].
type doc []string

func (d *doc) add(body string) string {
	*d = append(*d, body)
	return fmt.Sprintf("%d 0 R", len(*d))
}

func (d *doc) stream(dict, data string) string {
	return d.add(fmt.Sprintf("<<%s/Length %d>>\nstream\n%s\nendstream", dict, len(data), data))
}

// file closes a document with pages of 200 × 100 pt that hold content; root and
// page are further entries of the catalog and of each page.
func (d *doc) file(root, page string, contents ...string) []byte {
	tree := len(*d) + 1
	d.add("")
	var kids []string
	for _, c := range contents {
		body := d.stream("", c)
		p := page
		if !strings.Contains(p, "/MediaBox") {
			p += "/MediaBox[0 0 200 100]"
		}
		kids = append(kids, d.add(fmt.Sprintf("<</Type/Page/Parent %d 0 R%s/Contents %s>>", tree, p, body)))
	}
	(*d)[tree-1] = fmt.Sprintf("<</Type/Pages/Kids[%s]/Count %d>>", strings.Join(kids, " "), len(kids))
	catalog := d.add(fmt.Sprintf("<</Type/Catalog/Pages %d 0 R%s>>", tree, root))
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n")
	var at []int
	for i, o := range *d {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, n := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", n)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root %s>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, catalog, start)
	return b.Bytes()
}

func mustRead(t testing.TB, data []byte, opt Options) (*drawing.Drawing, finding.List) {
	t.Helper()
	opt.Outline = ghost.Outline
	d, fs, _, err := Read(context.Background(), data, opt)
	if err != nil {
		t.Fatal(err)
	}
	return d, fs
}

// scale is how many px a point has where pages are compared.
const scale = 3

func render(t testing.TB, d *drawing.Drawing) *image.NRGBA {
	t.Helper()
	w, h := int(math.Round(d.Page.W()/point*scale)), int(math.Round(d.Page.H()/point*scale))
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// poppler and mupdf are general readers that share nothing with ours.
func poppler(t testing.TB, data []byte, w, h int) *image.NRGBA {
	dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": data}, "pdftocairo", "-png", "-transp", "-singlefile", "-cropbox",
		"-scale-to-x", strconv.Itoa(w), "-scale-to-y", strconv.Itoa(h), "in.pdf", "out")
	return testkit.ReadPNG(t, filepath.Join(dir, "out.png"))
}

func mupdf(t testing.TB, data []byte, w, h int) *image.NRGBA {
	dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": data}, "mutool", "draw", "-q", "-c", "rgba", "-w", strconv.Itoa(w), "-h", strconv.Itoa(h), "-f", "-o", "out.png", "in.pdf", "1")
	return testkit.ReadPNG(t, filepath.Join(dir, "out.png"))
}

// A sample is a page that shows one thing that PDF can do. by says who draws it
// right beside us; both if it is empty.
type sample struct {
	res, content string
	by           string
	slack        int     // of 255; 12 if 0
	share        float64 // of pixels that may differ; 0.4 % if 0
}

// like holds a page to how other readers draw it.
func like(t *testing.T, what string, data []byte, s sample) {
	t.Helper()
	d, fs := mustRead(t, data, Options{})
	if f, stop := fs.Stopping(); stop {
		t.Errorf("%s: %s", what, f.Message)
		return
	}
	got := render(t, d)
	if s.slack == 0 {
		s.slack = 12
	}
	if s.share == 0 {
		s.share = 0.004
	}
	for reader, by := range map[string]func(testing.TB, []byte, int, int) *image.NRGBA{"poppler": poppler, "mupdf": mupdf} {
		if s.by != "" && s.by != reader {
			continue
		}
		want := by(t, data, got.Rect.Dx(), got.Rect.Dy())
		if off := testkit.Outside(got, want, s.slack); off > s.share {
			t.Errorf("%s: %.2f %% of the pixels differ from %s", what, off*100, reader)
			keep(t, what, got, want)
		}
	}
}
