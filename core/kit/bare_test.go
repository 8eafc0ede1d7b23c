package kit

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/color"
	"image/png"
	"math"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/kit/readback"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// pictureMaster is a logo as pixels with a soft and a hard edge, on nothing.
func pictureMaster(t *testing.T) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 240, 160))
	for y := range 160 {
		for x := range 240 {
			d := geom.Pt(float64(x)-80, float64(y)-80).Len()
			switch {
			case d < 40:
				img.SetNRGBA(x, y, color.NRGBA{200, 40, 50, 255})
			case d < 70: // a glow
				img.SetNRGBA(x, y, color.NRGBA{200, 40, 50, uint8(200 * (70 - d) / 30)})
			case x > 170 && x < 220 && y > 50 && y < 110:
				img.SetNRGBA(x, y, color.NRGBA{30, 60, 150, 255})
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Files that know no transparency hold nothing where nothing was drawn, whatever is
// shaded in them: ghostscript draws them on a transparent page. Curves beside what is
// shaded stay curves.
func TestNoWhiteBox(t *testing.T) {
	const beside = `<path fill="#206047" d="M130 20h60v60h-60z"/></svg>`
	svg := func(body string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100">` + body + beside)
	}
	for name, c := range map[string]struct {
		master []byte
		curves bool
	}{
		"shadow":             {svg(`<filter id="f" x="-.5" y="-.5" width="2" height="2"><feDropShadow dx="4" dy="4" stdDeviation="3"/></filter><path filter="url(#f)" fill="#36c" d="M20 20h60v60H20z"/>`), true},
		"blur":               {svg(`<path style="filter:blur(3px)" fill="#36c" d="M20 20h60v60H20z"/>`), true},
		"a gradient fades":   {svg(`<linearGradient id="g"><stop stop-color="#36c"/><stop offset="1" stop-color="#36c" stop-opacity="0"/></linearGradient><path fill="url(#g)" d="M20 20h60v60H20z"/>`), true},
		"crossing fades":     {svg(`<radialGradient id="g"><stop stop-color="#36c"/><stop offset=".5" stop-color="#c63"/><stop offset="1" stop-color="#3c6" stop-opacity="0"/></radialGradient><linearGradient id="h" x2="0" y2="1"><stop stop-color="#fc0"/><stop offset="1" stop-color="#c0c" stop-opacity="0"/></linearGradient><path fill="url(#g)" d="M20 20h60v60H20z"/><path fill="url(#h)" d="M30 10h60v60H30z"/><path fill="url(#g)" d="M10 30h60v60H10z"/>`), true},
		"a picture":          {pictureMaster(t), false},
		"a picture in it":    {svg(`<g opacity=".8"><image width="90" height="90" x="10" y="5" href="data:image/png;base64,` + base64.StdEncoding.EncodeToString(pictureMaster(t)) + `"/></g>`), true},
		"in a clipped group": {svg(`<clipPath id="c"><circle cx="50" cy="50" r="35"/></clipPath><g clip-path="url(#c)"><filter id="f"><feGaussianBlur stdDeviation="4"/></filter><path filter="url(#f)" fill="#36c" d="M20 20h60v60H20z"/></g>`), true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			in := Input{Master: c.master, MasterName: "a.svg", Brand: "Ada"}
			if !c.curves {
				in.MasterName = "a.png"
			}
			in.Recipe = parse(t, `{"name":"x","frame":{"margin":"10%"},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"eps","colour":"cmyk","level":2,"effects":"picture","effects_ppi":72},{"format":"pdf","colour":"cmyk","standard":"pdfx1a","effects":"picture","effects_ppi":72},{"format":"eps","colour":"rgb","level":3,"effects":"picture","effects_ppi":72}],"naming":"{brand}_{version}_{colour}"}`)
			k := build(t, in)
			n := 0
			for _, f := range k.Files {
				if f.Format != "eps" && f.Format != "pdf" {
					continue
				}
				n++
				dir, _ := testkit.Run(t, map[string][]byte{"a": bytesOf(t, k, f)}, "true")
				args := []string{"-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pngalpha", "-r72", "-dGraphicsAlphaBits=4", "-sOutputFile=a.png"}
				if f.Format == "eps" {
					args = append(args, "-dEPSCrop")
				}
				cmd := exec.Command("gs", append(args, "a")...)
				cmd.Dir = dir
				if out, err := cmd.CombinedOutput(); err != nil {
					t.Fatalf("%s, %s: %v: %s", name, f.Path, err, out)
				}
				got := testkit.ReadPNG(t, filepath.Join(dir, "a.png"))
				p, err := NewPlan(t.Context(), in)
				if err != nil {
					t.Fatal(err)
				}
				w, h := got.Rect.Dx(), got.Rect.Dy()
				art, err := raster.Render(t.Context(), p.Versions[0].Drawing, raster.Fit(p.Frame.Box, w, h), w, h, raster.Options{})
				if err != nil {
					t.Fatal(err)
				}
				if n := laid(got, art); n > 0 {
					t.Errorf("%s, %s: %d of %d px hold something where nothing was drawn", name, f.Path, n, w*h)
				}
				if n := laid(art, got); n > 0 {
					t.Errorf("%s, %s: %d of %d px lack what was drawn", name, f.Path, n, w*h)
				}
				found := false
				for _, x := range f.Checks {
					found = found || x.Name == "bare-stays-bare" && x.OK
				}
				if !found {
					t.Errorf("%s, %s: the check of bare places is not there", name, f.Path)
				}
			}
			if n != 3 {
				t.Errorf("%s: %d files: %v", name, n, k.Omitted)
			}
			if !c.curves {
				return
			}
			// What lies beside is a curve in its own build still.
			for _, f := range k.Files {
				if f.Format == "eps" && strings.Contains(f.Path, "cmyk") {
					back, err := readback.EPS(bytesOf(t, k, f))
					if err != nil {
						t.Fatal(err)
					}
					curve := false
					back.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
						if s, ok := n.(*drawing.Shape); ok {
							b := s.Path.Bounds()
							curve = curve || len(s.Path) <= 6 && math.Abs(b.W()-b.H()) < 0.1 && b.W() > 0.2*back.Drawing.Page.W()
						}
					})
					if !curve {
						t.Errorf("%s: the square beside is no curve", name)
					}
				}
			}
		})
	}
}
