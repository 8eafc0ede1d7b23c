package kit

import (
	"bytes"
	"context"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/image/webp"

	"dyekit/core/format"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/core/kit/readback"
	"dyekit/core/recipe"
)

// Whatever a recipe can ask for, and what comes with it, can be written and
// checked.
func TestEveryFormatHasACraft(t *testing.T) {
	files := []format.Key{format.WebManifest, format.HeadLines}
	for _, f := range format.Wanted() {
		if f.Key != format.Icons { // which are files of other types
			files = append(files, f.Key)
		}
	}
	for _, k := range files {
		if c := crafts[k]; c.encode == nil || c.check == nil {
			t.Errorf("%s cannot be written or checked", k)
		}
	}
	if len(files) != len(crafts) {
		t.Errorf("%d crafts for %d formats", len(crafts), len(files))
	}
}

const pixelRecipe = `{"name": "pixels", "frame": {"fit": "artwork", "margin": "4%"},
 "versions": [
  {"name": "colour", "treatment": "as-drawn"},
  {"name": "black", "treatment": "single-ink", "ink": {"name": "Black", "rgb": "#000000", "cmyk": [0, 0, 0, 100]}},
  {"name": "white", "treatment": "single-ink", "ink": {"name": "White", "rgb": "#ffffff", "cmyk": [0, 0, 0, 0]}}],
 "files": [
  {"format": "tiff", "widths": [400], "ppi": 300},
  {"format": "tiff", "widths": [401], "ppi": 350, "colour": "cmyk", "compression": "lzw"},
  {"format": "webp", "widths": [300]},
  {"format": "ico", "widths": [16, 24, 64, 256], "versions": ["black"]},
  {"format": "icons", "versions": ["colour"], "backing": "#f4e3b5"},
  {"format": "png", "widths": [300], "palette": "auto"},
  {"format": "png", "widths": [301], "palette": 16},
  {"format": "png", "widths": [302], "interlace": true},
  {"format": "png", "widths": [303], "backing": "#206047", "versions": ["white"]},
  {"format": "png", "widths": [304], "antialias": false}
 ]}`

func pixelKit(t *testing.T, name string) (*Kit, map[string]File) {
	t.Helper()
	k := build(t, Input{Master: master(t, name), MasterName: name, Brand: "Mark", Recipe: parse(t, pixelRecipe), Readers: outside.None})
	files := map[string]File{}
	for _, f := range k.Files {
		files[f.Path] = f
	}
	return k, files
}

// Files of pixels as outside programs see them: pngcheck, libtiff, libwebp.
func TestPixelFormatsOutside(t *testing.T) {
	for _, name := range []string{"larkmoor-roundel.svg", "odd-kettle.svg", "fennick-diamond.jpg"} {
		k, files := pixelKit(t, name)
		dir := t.TempDir()
		for p, f := range files {
			name := filepath.Join(dir, strings.ReplaceAll(p, "/", "_"))
			if err := os.WriteFile(name, bytesOf(t, k, f), 0o600); err != nil {
				t.Fatal(err)
			}
			run := func(program string, args ...string) string {
				out, err := exec.Command(program, args...).CombinedOutput()
				if err != nil {
					t.Errorf("%s: %s (make test installs it): %v %s", p, program, err, out)
				}
				return string(out)
			}
			switch f.Format {
			case "png":
				out := run("pngcheck", "-v", name)
				if !strings.Contains(out, "No errors detected") || strings.Contains(p, "_302") == strings.Contains(out, "non-interlaced") {
					t.Errorf("%s: %s", p, out)
				}
			case "tiff":
				if out := run("tiffinfo", "-D", name); strings.Contains(out, "arning") {
					t.Errorf("%s: %s", p, out)
				}
			case "webp":
				run("dwebp", "-quiet", name, "-o", name+".png")
				b, err := os.ReadFile(name + ".png")
				if err != nil {
					t.Fatal(err)
				}
				theirs, err := png.Decode(bytes.NewReader(b))
				if err != nil {
					t.Fatal(err)
				}
				ours, err := webp.Decode(bytes.NewReader(bytesOf(t, k, f)))
				if err != nil {
					t.Fatal(err)
				}
				if !bytes.Equal(straight(theirs).Pix, straight(ours).Pix) {
					t.Errorf("%s: libwebp sees other pixels", p)
				}
			}
		}
	}
}

// The set of icons: sizes, room, the safe zone of maskable ones (W3C Web
// Application Manifest: a circle of 40 % of the side), links that lead
// somewhere.
func TestIconSet(t *testing.T) {
	k, files := pixelKit(t, "odd-kettle.svg")
	imgs, err := readback.Icon(bytesOf(t, k, files["ICONS/favicon.ico"]))
	if err != nil {
		t.Fatal(err)
	}
	var sides []int
	for _, m := range imgs {
		sides = append(sides, m.Rect.Dx())
	}
	if !slices.Equal(sides, []int{16, 32, 48}) {
		t.Errorf("the favicon holds %v px", sides)
	}
	ground := [3]uint8{0xf4, 0xe3, 0xb5}
	for name, room := range map[string]float64{"maskable-512.png": 0, "touch-icon-180.png": 0.1} {
		img, err := png.Decode(bytes.NewReader(bytesOf(t, k, files["ICONS/"+name])))
		if err != nil {
			t.Fatal(err)
		}
		px := straight(img)
		if !px.Opaque() {
			t.Errorf("%s is not opaque", name)
		}
		side := float64(px.Rect.Dx())
		for y := range px.Rect.Dy() {
			for x := range px.Rect.Dx() {
				p := px.Pix[y*px.Stride+4*x:]
				art := [3]uint8(p[:3]) != ground
				if room == 0 && art && math.Hypot(float64(x)+0.5-side/2, float64(y)+0.5-side/2) > recipe.SafeZone*side+1 {
					t.Fatalf("%s: art at %d, %d lies outside the safe zone", name, x, y)
				}
				if edge := min(float64(x), float64(y), side-1-float64(x), side-1-float64(y)); art && edge < room*side-1 {
					t.Fatalf("%s: art at %d, %d lies in the room", name, x, y)
				}
			}
		}
	}
	head := string(bytesOf(t, k, files["ICONS/head.html"]))
	for _, want := range []string{`href="/favicon.ico"`, `href="/icon.svg" type="image/svg+xml"`, `rel="manifest"`} {
		if !strings.Contains(head, want) {
			t.Errorf("%s is not in %s", want, head)
		}
	}
	if strings.Count(string(bytesOf(t, k, files["ICONS/site.webmanifest"])), `"purpose": "maskable"`) != 2 {
		t.Errorf("the manifest is %s", bytesOf(t, k, files["ICONS/site.webmanifest"]))
	}
	// Small icons are fitted to their pixels: a rule that would lie half on one
	// row and half on the next lies on one.
	rule, err := intake.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32"><path d="M0 15h32v2H0z"/></svg>`), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	box := fit(rule.Drawing, rule.Drawing.Page, 16)
	px := box.W() / 16
	if top := (15 - box.Y0) / px; math.Abs(top-math.Round(top)) > 0.07 || px > 2.3 {
		t.Errorf("the rule lies %.2f rows down, at %.2f units a pixel", top, px)
	}
}

// A broken file of any kind is refused by its reader.
func TestBrokenPixelFiles(t *testing.T) {
	k, files := pixelKit(t, "odd-kettle.svg")
	for p, f := range files {
		if f.Format != "tiff" && f.Format != "ico" {
			continue
		}
		for _, cut := range []int{3, 40, len(bytesOf(t, k, f)) / 2, len(bytesOf(t, k, f)) - 1} {
			b := bytesOf(t, k, f)[:cut]
			var err error
			if f.Format == "tiff" {
				_, err = readback.ReadTIFF(b)
			} else {
				_, err = readback.Icon(b)
			}
			if err == nil {
				t.Errorf("%s: the first %d bytes of %d are taken for whole", p, cut, len(bytesOf(t, k, f)))
			}
		}
	}
}

// A PDF master that declares builds and plates, from a writer of its own, goes
// into files for screens and for presses alike.
func TestInksOfAPDFMaster(t *testing.T) {
	master, err := os.ReadFile("../intake/pdf/testdata/reportlab.pdf")
	if err != nil {
		t.Fatal(err)
	}
	r, err := recipe.Parse([]byte(`{"name": "inks", "naming": "{brand}_{version}_{colour}", "versions": [{"name": "colour", "treatment": "as-drawn"}], "files": [
  {"format": "pdf", "colour": "rgb"}, {"format": "pdf", "colour": "cmyk"}, {"format": "eps"}, {"format": "svg"}, {"format": "png", "widths": [300]}]}`))
	if err != nil {
		t.Fatal(err)
	}
	k, err := Build(context.Background(), Input{Master: master, MasterName: "moor.pdf", Brand: "Moor", Recipe: r, Readers: outside.None})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range k.Files {
		if f.Format != format.PDF && f.Format != format.EPS {
			continue
		}
		if !slices.ContainsFunc(f.Checks, func(c Check) bool { return strings.Contains(c.Found, "Moor Blue 3") }) {
			t.Errorf("%s has lost its plate: %v", f.Path, f.Checks)
		}
	}
}
