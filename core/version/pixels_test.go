package version_test

import (
	"context"
	"encoding/json"
	"image"
	"io"
	"os"
	"strings"
	"sync"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/pdf"
	"dyekit/core/export/svg"
	"dyekit/core/format"
	"dyekit/core/frame"
	intake "dyekit/core/intake/svg"
	"dyekit/core/kit/outside"
	"dyekit/core/preflight"
	"dyekit/core/raster"
	"dyekit/core/version"
	"dyekit/internal/budget"
	"dyekit/internal/testkit"
)

var black = version.Spec{Name: "black", Treatment: version.SingleInk, Ink: &version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}}

// specimens are drawings of open sets from npm; NOTICES.md says which.
func specimens(t testing.TB) (out []struct{ Set, Name, SVG string }) {
	t.Helper()
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err == nil {
		err = json.Unmarshal(b, &out)
	}
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// The black version of open drawings (40, or 200 with DYEKIT_TEST_ALL set, as make
// test-all has it), drawn from SVG by librsvg, from PDF
// by poppler and from EPS by ghostscript, is the picture one gets by drawing
// the master at 4× and reading every pixel's colour as the version says. The
// reading on pixels uses no geometry of this package; drawings with gradients
// are left to the cases by hand, as their pixels have no one colour.
func TestBlackVersionsAreTheReadingOnPixels(t *testing.T) {
	const side = 192
	want, every := budget.Of(12, 200), budget.Of(15, 1)
	found, missing := outside.Find()
	if len(missing) > 0 {
		t.Fatalf("missing on this machine: %v", missing)
	}
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	var mu sync.Mutex
	done, paper, in, out := 0, 0, 0, 0
	for i, s := range specimens(t) {
		if i%every != 0 {
			continue
		}
		if done == want {
			break
		}
		if strings.Contains(s.SVG, "radient") || strings.Contains(s.SVG, "<image") || strings.Contains(s.SVG, "<filter") {
			continue
		}
		done++
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			ctx := context.Background()
			name := s.Set + " " + s.Name
			d, _, err := intake.Read(ctx, []byte(s.SVG), intake.Options{})
			if err != nil {
				t.Errorf("%s: %v", name, err)
				return
			}
			if d, _, err = preflight.Check(ctx, d); err != nil {
				t.Errorf("%s: %v", name, err)
				return
			}
			v, err := version.NewArt(d).Make(ctx, black)
			if err != nil || v.Refused != "" {
				t.Errorf("%s: %v %s", name, err, v.Refused)
				return
			}
			f, err := frame.Spec{Margin: frame.Margins{"2%"}}.Of(d)
			if err != nil {
				t.Errorf("%s: %v", name, err)
				return
			}
			k := side / max(f.W, f.H)
			w, h := max(1, int(f.W*k+0.5)), max(1, int(f.H*k+0.5))
			read := readPixels(t, d, v, f, w, h)
			page := export.Page{Drawing: v.Drawing, Frame: f}
			for _, r := range found {
				for _, k := range r.Formats {
					var data []byte
					switch {
					case k == format.SVG:
						data, err = export.Bytes(func(w io.Writer) error { return svg.Encode(w, page, svg.Options{}) })
					case k == format.EPS:
						data, err = export.Bytes(func(w io.Writer) error { return eps.Encode(w, page, eps.Options{Colour: format.CMYK}) })
					case r.Name == "poppler":
						data, err = export.Bytes(func(w io.Writer) error { return pdf.Encode(w, []export.Page{page}, pdf.Options{Colour: format.CMYK}) })
					default:
						continue
					}
					if err != nil {
						t.Errorf("%s: %s: %v", name, k, err)
						continue
					}
					// Ghostscript paints every pixel that a shape touches: it
					// draws larger, and the mean is taken.
					n := 1
					if r.Name == "ghostscript" {
						n = 4
					}
					wpt, hpt := f.Points()
					img, err := r.Picture(ctx, k, data, n*w, n*h, 1, wpt, hpt)
					if err != nil {
						t.Errorf("%s: %v", name, err)
						continue
					}
					// Coverage alone: poppler and ghostscript show K 100 each
					// in their own black.
					if off := testkit.Outside(cover(img, n), read, 48); off > 0.004 {
						t.Errorf("%s: %.2f %% of the pixels of the %s differ from the reading on pixels", name, off*100, k)
					}
				}
			}
			mu.Lock()
			defer mu.Unlock()
			in, out = in+v.Curves[0], out+v.Curves[1]
			for _, r := range v.Readings {
				if r.As == version.AsPaper {
					paper++
					break
				}
			}
		})
	}
	wg.Wait()
	if done < want {
		t.Errorf("%d drawings, want %d", done, want)
	}
	t.Logf("%d drawings, %d with paper cut out; %d curves came to %d", done, paper, in, out)
}

// cover keeps the opacity, the mean of n × n pixels, and drops the colour.
func cover(img *image.NRGBA, n int) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, img.Rect.Dx()/n, img.Rect.Dy()/n))
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			sum := 0
			for i := range n * n {
				sum += int(img.NRGBAAt(n*x+i%n, n*y+i/n).A)
			}
			out.Pix[out.PixOffset(x, y)+3] = uint8(sum / (n * n))
		}
	}
	return out
}

// readPixels draws the master at 4× without smoothing, looks up what the
// version says of each pixel's colour and averages the ink.
func readPixels(t *testing.T, d *drawing.Drawing, v *version.Version, f frame.Frame, w, h int) *image.NRGBA {
	const n = 4
	for _, r := range v.Readings {
		if r.As == version.AsOmit {
			d, _, _, _ = preflight.DropBacking.Apply(context.Background(), d)
		}
	}
	// A highlight of faint white changes no reading of what it lies on.
	d = d.Map(func(n drawing.Node) drawing.Node {
		if s, ok := n.(*drawing.Shape); ok {
			if p, ok := s.Paint.(drawing.Solid); ok && p.Alpha < 0.5 && p.Colour.RGB.NearWhite() {
				return nil
			}
		}
		return n
	})
	img, err := raster.Render(context.Background(), d, raster.Fit(f.Box, n*w, n*h), n*w, n*h, raster.Options{Hard: true})
	if err != nil {
		t.Error(err)
		return image.NewNRGBA(image.Rect(0, 0, w, h))
	}
	const page, white = 0, 1 // above: number of the reading + 2
	labels := make([]int, n*n*w*h)
	known := map[[4]uint8]int{}
	for i := range labels {
		p := [4]uint8(img.Pix[4*i:])
		l, ok := known[p]
		if !ok {
			l = page
			if p[3] > 5 {
				c := colour.FromBytes(p[0], p[1], p[2]).Over(colour.White, float64(p[3])/255)
				if l = white; !c.NearWhite() {
					best := 4.0
					for k, r := range v.Readings {
						if e := colour.Difference(r.Colour.Lab(), c.Lab()); e < best {
							best, l = e, k+2
						}
					}
				}
			}
			known[p] = l
		}
		labels[i] = l
	}
	ink := make([]bool, len(labels))
	for i, l := range labels {
		ink[i] = l > white && v.Readings[l-2].As == version.AsInk
	}
	// White is ink where nothing but the page is round it.
	seen := make([]bool, len(labels))
	for i := range labels {
		if labels[i] != white || seen[i] {
			continue
		}
		area, alone := []int{i}, true
		seen[i] = true
		for k := 0; k < len(area); k++ {
			at := area[k]
			x, y := at%(n*w), at/(n*w)
			for _, q := range [4][2]int{{x - 1, y}, {x + 1, y}, {x, y - 1}, {x, y + 1}} {
				if q[0] < 0 || q[1] < 0 || q[0] >= n*w || q[1] >= n*h {
					continue
				}
				j := q[1]*n*w + q[0]
				if labels[j] > white {
					alone = false
				} else if labels[j] == white && !seen[j] {
					seen[j] = true
					area = append(area, j)
				}
			}
		}
		for _, at := range area {
			ink[at] = alone
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i, is := range ink {
		if is {
			x, y := i%(n*w)/n, i/(n*w)/n
			p := &out.Pix[out.PixOffset(x, y)+3]
			*p = uint8(min(255, int(*p)+16))
		}
	}
	return out
}
