package kit

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"golang.org/x/image/tiff"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/kit/outside"
	"dyekit/core/proof"

	"dyekit/internal/budget"
)

const printRecipe = `{"name": "print", "naming": "{brand}_{version}_{size}", "frame": {"fit": "artwork", "margin": "4%"},
 "versions": [
  {"name": "x1a", "treatment": "as-drawn"}, {"name": "x4", "treatment": "as-drawn"}, {"name": "a2b", "treatment": "as-drawn"},
  {"name": "black", "treatment": "single-ink", "ink": {"name": "Black", "rgb": "#000000", "cmyk": [0, 0, 0, 100]}},
  {"name": "build", "treatment": "single-ink", "ink": {"name": "Plum", "rgb": "#6b2d4f", "cmyk": [40, 85, 20, 35]}},
  {"name": "spot", "treatment": "single-ink", "ink": {"name": "Plum", "rgb": "#6b2d4f", "cmyk": [40, 85, 20, 35], "spot": "Kettle Plum"}},
  {"name": "tint", "treatment": "single-ink", "ink": {"name": "Plum", "rgb": "#6b2d4f", "cmyk": [40, 85, 20, 35], "spot": "Kettle Plum", "tint": 35}}],
 "files": [
  {"format": "pdf", "colour": "cmyk", "standard": "pdfx1a", "versions": ["x1a", "black", "build", "spot", "tint"], "pages": "one-per-version-file"},
  {"format": "pdf", "colour": "cmyk", "standard": "pdfx4", "press": "fogra29", "versions": ["x4"], "pages": "one-per-version-file"},
  {"format": "pdf", "standard": "pdfa2b", "versions": ["a2b"], "pages": "one-per-version-file"},
  {"format": "eps", "colour": "cmyk", "versions": ["black", "build", "spot", "tint"], "preview": true},
  {"format": "jpeg", "widths": [300], "ppi": 300, "colour": "cmyk", "versions": ["x1a"]},
  {"format": "svg", "versions": ["x1a"], "dark": "spot", "fluid": true},
  {"format": "svg", "versions": ["black"], "currentcolor": true}
 ]}`

// run calls an outside program on a file and returns what it says.
func run(t *testing.T, program string, args ...string) string {
	t.Helper()
	out, err := exec.Command(program, args...).CombinedOutput()
	if err != nil {
		t.Errorf("%s %s (make test installs it): %v %s", program, strings.Join(args, " "), err, out)
	}
	return string(out)
}

// Print files as qpdf, mupdf, poppler, exiftool and libxml2 see them.
func TestPrintFilesOutside(t *testing.T) {
	for _, name := range []string{"larkmoor-roundel.svg", "odd-kettle.svg"}[budget.Of(1, 0):] {
		k := build(t, Input{Master: master(t, name), MasterName: name, Brand: "Mark", Recipe: parse(t, printRecipe), Readers: outside.All})
		dir := t.TempDir()
		if err := k.Save(context.Background(), dir, true); err != nil {
			t.Fatal(err)
		}
		for _, f := range k.Files {
			file := filepath.Join(dir, f.Path)
			switch f.Format {
			case "svg":
				run(t, "xmllint", "--noout", file)
			case "jpeg":
				if out := run(t, "exiftool", file); !strings.Contains(out, "Offset on coated paper (FOGRA39)") || !strings.Contains(out, "Unknown (RGB or CMYK)") {
					t.Errorf("%s: %s", f.Path, out)
				}
			case "pdf":
				if out := run(t, "qpdf", "--check", file); strings.Contains(strings.ToLower(out), "warning") {
					t.Errorf("%s: %s", f.Path, out)
				}
				run(t, "mutool", "draw", "-q", "-r", "20", "-o", filepath.Join(dir, "m.png"), file)
				if out := run(t, "pdffonts", file); strings.Count(out, "\n") > 2 {
					t.Errorf("%s has fonts: %s", f.Path, out)
				}
				if out := run(t, "pdfimages", "-list", file); strings.Count(out, "\n") > 2 {
					t.Errorf("%s has pictures: %s", f.Path, out)
				}
				info, tags := run(t, "pdfinfo", file), run(t, "exiftool", file)
				want := map[string][]string{
					"x4":  {"PDF version:     1.6", "GTS PDFX Version                : PDF/X-4"},
					"a2b": {"PDF version:     1.7", "Part                            : 2", "Conformance                     : B"},
				}[f.Version]
				if want == nil {
					want = []string{"PDF version:     1.4", "ISO 15930"}
				}
				for _, w := range want {
					if !strings.Contains(info+tags, w) {
						t.Errorf("%s does not say %q: %s%s", f.Path, w, info, tags)
					}
				}
			}
		}
	}
}

// The plates of ghostscript's tiffsep carry the ink that the art says: its
// area times the percentage, to 0.5 % of the page.
func TestPlates(t *testing.T) {
	in := Input{Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Mark", Recipe: parse(t, printRecipe), Readers: outside.None}
	k := build(t, in)
	p, err := NewPlan(t.Context(), in)
	if err != nil {
		t.Fatal(err)
	}
	area := 0.0
	proofs := map[string][]proof.Plate{} // by version
	for _, v := range p.Versions {
		if v.Drawing != nil {
			if proofs[v.Spec.Name], err = proof.Plates(t.Context(), proof.Art{Drawing: v.Drawing, Box: p.FrameOf(v.Spec.Name).Box}, 800, int(800*p.Frame.H/p.Frame.W+0.5), colour.Coated); err != nil {
				t.Fatal(err)
			}
		}

		if v.Spec.Name == "black" {
			area = v.Drawing.Nodes[0].(*drawing.Shape).Path.Area() / (p.Frame.Box.W() * p.Frame.Box.H())
		}
	}
	want := map[string]map[string]float64{
		"black": {"Black": 1},
		"build": {"Cyan": 0.4, "Magenta": 0.85, "Yellow": 0.2, "Black": 0.35},
		"spot":  {"Kettle Plum": 1},
		"tint":  {"Kettle Plum": 0.35},
	}
	if !budget.Whole() {
		delete(want, "black") // as the others, which have more plates
	}
	for _, f := range k.Files {
		plates, ok := want[f.Version]
		if !ok || f.Format == "svg" {
			continue
		}
		dir := t.TempDir()
		file := filepath.Join(dir, "in."+string(f.Format))
		if err := os.WriteFile(file, bytesOf(t, k, f), 0o600); err != nil {
			t.Fatal(err)
		}
		run(t, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-dEPSCrop", "-sDEVICE=tiffsep", "-r288", "-sOutputFile="+filepath.Join(dir, "out.tif"), file)
		for _, name := range []string{"Cyan", "Magenta", "Yellow", "Black", "Kettle Plum"} {
			r, err := os.Open(filepath.Join(dir, fmt.Sprintf("out(%s).tif", name)))
			if err != nil {
				if plates[name] > 0 {
					t.Errorf("%s has no plate %s", f.Path, name)
				}
				continue
			}
			img, err := tiff.Decode(r)
			r.Close()
			if err != nil {
				t.Fatal(err)
			}
			sum := 0.0
			for _, v := range img.(*image.Gray).Pix {
				sum += 1 - float64(v)/255
			}
			// Dots that are touched are inked: fine ones keep that small.
			got := sum / (f.WidthPt * 4 * f.HeightPt * 4)
			for _, q := range proofs[f.Version] { // the proof's plate is this plate
				if q.Name == name {
					if math.Abs(got-q.Coverage) > 0.005 {
						t.Errorf("%s: the proof's plate %s covers %.4f, ghostscript's %.4f", f.Path, name, q.Coverage, got)
					}
					if off := unlikePlates(img.(*image.Gray), q.Image); off > 0.01 {
						t.Errorf("%s: %.2f %% of the proof's plate %s differ from ghostscript's", f.Path, off*100, name)
					}
				}
			}
			if math.Abs(got-area*plates[name]) > 0.005 {
				t.Errorf("%s: plate %s carries %.4f of the page, want %.4f", f.Path, name, got, area*plates[name])
			}
		}
	}
}

// unlikePlates is the share of a plate's pixels that differ by more than half a
// tone from another, each seen as the mean of its surroundings in the other.
func unlikePlates(sep, plate *image.Gray) float64 {
	w, h := plate.Rect.Dx(), plate.Rect.Dy()
	off := 0
	for y := range h {
		for x := range w {
			x0, x1 := x*sep.Rect.Dx()/w, max((x+1)*sep.Rect.Dx()/w, x*sep.Rect.Dx()/w+1)
			y0, y1 := y*sep.Rect.Dy()/h, max((y+1)*sep.Rect.Dy()/h, y*sep.Rect.Dy()/h+1)
			sum, n := 0, 0
			for v := y0; v < y1; v++ {
				for u := x0; u < x1; u++ {
					sum += 255 - int(sep.Pix[v*sep.Stride+u])
					n++
				}
			}
			if d := sum/n - int(plate.Pix[y*plate.Stride+x]); max(d, -d) > 128 {
				off++
			}
		}
	}
	return float64(off) / float64(w*h)
}

// soft has all that is translucent: fades, masks of both kinds, a clip of
// several shapes, a blend and an opacity.
const soft = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100">
<defs><linearGradient id="f" x2="1"><stop offset="0" stop-color="#c00"/><stop offset="1" stop-color="#c00" stop-opacity="0"/></linearGradient>
<radialGradient id="r"><stop offset="0" stop-color="#fff"/><stop offset="1" stop-color="#000"/></radialGradient>
<mask id="m"><rect width="200" height="100" fill="url(#r)"/></mask>
<mask id="n" mask-type="alpha"><circle cx="150" cy="70" r="20" fill-opacity=".6"/></mask>
<clipPath id="c"><circle cx="30" cy="70" r="18"/><circle cx="50" cy="70" r="18"/><rect x="60" y="60" width="20" height="30" clip-path="url(#d)"/></clipPath><clipPath id="d"><circle cx="70" cy="75" r="10"/></clipPath></defs>
<rect x="5" y="5" width="90" height="30" fill="url(#f)"/>
<g mask="url(#m)"><rect x="100" y="5" width="95" height="45" fill="#206047"/></g>
<g mask="url(#n)"><rect x="120" y="45" width="60" height="50" fill="#6b2d4f"/></g>
<rect x="5" y="45" width="90" height="50" fill="#cf7a22" clip-path="url(#c)"/>
<g style="mix-blend-mode:multiply"><rect x="60" y="20" width="60" height="50" fill="#8cf"/></g>
<circle cx="100" cy="80" r="15" fill="#00f" opacity=".5"/></svg>`

// Translucent art goes into every print file: as it is where the type knows
// it, resolved where not; and every reader sees the same.
func TestTranslucentArtInPrint(t *testing.T) {
	k := build(t, Input{Master: []byte(soft), MasterName: "soft.svg", Brand: "Soft", Readers: outside.All, Recipe: parse(t, `{"name": "soft",
		"naming": "{brand}_{version}_{colour}", "frame": {"fit": "viewbox"},
		"versions": [{"name": "colour", "treatment": "as-drawn"}, {"name": "x1a", "treatment": "as-drawn"}, {"name": "x4", "treatment": "as-drawn"}, {"name": "eps3", "treatment": "as-drawn"}],
		"files": [
		 {"format": "pdf", "versions": ["colour"], "pages": "one-per-version-file"},
		 {"format": "pdf", "colour": "cmyk", "versions": ["colour"], "pages": "one-per-version-file"},
		 {"format": "pdf", "colour": "cmyk", "standard": "pdfx1a", "versions": ["x1a"], "pages": "one-per-version-file"},
		 {"format": "pdf", "colour": "cmyk", "standard": "pdfx4", "versions": ["x4"], "pages": "one-per-version-file"},
		 {"format": "eps", "versions": ["colour"]}, {"format": "eps", "colour": "cmyk", "versions": ["colour"]}, {"format": "eps", "level": 3, "versions": ["eps3"]}]}`)})
	if len(k.Files) != 7 || len(k.Omitted) > 0 {
		t.Fatalf("%d files, left out: %+v", len(k.Files), k.Omitted)
	}
	for _, f := range k.Files {
		flat := f.Format == "eps" || f.Version == "x1a"
		said := strings.Contains(fmt.Sprint(f.Checks), "flattened")
		if flat != said {
			t.Errorf("%s: flattened is %v, and said %v", f.Path, flat, said)
		}
	}
}

// crossed is translucent circles that all cross in nearly the same two points: some
// of the regions between them are too thin to be left.
func crossed() string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 200">`)
	for i := range 24 {
		h := -55 + 5*float64(i)
		fmt.Fprintf(&b, `<circle cx="%g" cy="%g" r="%g" fill="#%02x4080" fill-opacity=".5"/>`, 100+h, 100+1e-6*float64(i*i%7), math.Hypot(h, 25), 10*i)
	}
	b.WriteString(`</svg>`)
	return b.String()
}

// The same bytes on one core and on eight.
func TestCoresDoNotMatter(t *testing.T) {
	curves := `{"name":"curves","naming":"{brand}_{version}_{colour}","versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"eps"},{"format":"eps","colour":"cmyk"},{"format":"svg"}]}`
	for master, files := range map[string]string{soft: pixelRecipe, crossed(): curves} {
		var zips [2][]byte
		for i, n := range []int{1, 8} {
			old := runtime.GOMAXPROCS(n)
			zips[i] = zipped(t, build(t, Input{Master: []byte(master), MasterName: "soft.svg", Brand: "Soft", Readers: outside.None, Recipe: parse(t, files)}))
			runtime.GOMAXPROCS(old)
		}
		if !bytes.Equal(zips[0], zips[1]) {
			t.Errorf("one core and eight make different kits of %.300s", master)
		}
	}
}

// Blends that are cut, by the page's edge or a clip, look the same in every file and
// to every reader, on a backing, too.
func TestBlendsThatAreCut(t *testing.T) {
	for name, art := range map[string]string{
		"edge": `<rect x="20" y="20" width="90" height="90" fill="#c33"/><g style="mix-blend-mode:multiply"><circle cx="156" cy="100" r="60" fill="#8cf"/></g>`,
		"clip": `<rect width="120" height="120" fill="#c33"/><clipPath id="k"><circle cx="100" cy="100" r="50"/></clipPath><g clip-path="url(#k)"><rect x="90" y="60" width="80" height="80" fill="#ee8"/><g style="mix-blend-mode:multiply"><circle cx="110" cy="100" r="40" fill="#8cf"/></g></g>`,
		"row":  `<rect width="120" height="120" fill="#c33"/><g style="mix-blend-mode:multiply"><circle cx="156" cy="100" r="60" fill="#8cf"/></g><circle cx="180" cy="60" r="50" fill="#ee8"/><circle cx="20" cy="180" r="50" fill="#494"/>`,
		"both": `<rect x="20" y="20" width="90" height="90" fill="#c33"/><clipPath id="k"><circle cx="150" cy="100" r="60"/></clipPath><g clip-path="url(#k)" style="mix-blend-mode:multiply"><rect x="60" y="60" width="80" height="80" fill="#8cf"/></g>`,
	} {
		if !budget.Whole() && name != "clip" && name != "row" {
			continue // the others are parts of these
		}
		k := build(t, Input{Master: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 200">` + art + `</svg>`), MasterName: name + ".svg", Brand: "Cut", Readers: outside.All, Recipe: parse(t, `{"name":"cut","naming":"{brand}_{version}_{colour}",
			"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"backed","treatment":"backed","backing":{"shape":"rounded","ink":{"name":"Sea","rgb":"#1a5f7a","cmyk":[90,40,30,20]}}}],
			"files":[{"format":"pdf"},{"format":"pdf","colour":"cmyk"},{"format":"eps"},{"format":"svg"},{"format":"png","widths":[200]}]}`)})
		for _, r := range k.Readers.Read {
			if r.Differs {
				t.Errorf("%s: %s: %s: %s", name, r.Path, r.Reader, r.Found)
			}
		}
	}
}
