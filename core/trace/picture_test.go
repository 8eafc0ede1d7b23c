package trace_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"sync"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/raster"
	"dyekit/core/trace"
)

func render(t testing.TB, d *drawing.Drawing, w, h int) *image.NRGBA {
	t.Helper()
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// traced is a tracing as a drawing.
func traced(t *trace.Tracing) *drawing.Drawing {
	d := &drawing.Drawing{Page: geom.Rect{X1: float64(t.W), Y1: float64(t.H)}}
	regions := t.Regions
	if t.Grounds {
		regions = append([]trace.Region{{Colour: t.Ground, Path: geom.Box(d.Page)}}, regions...)
	}
	for _, r := range regions {
		if r.Ramp != nil {
			g := &drawing.Gradient{P1: geom.Pt(1, 0), To: r.Ramp.To}
			if g.Radial = r.Ramp.Radial; g.Radial {
				g.P1, g.R1 = geom.Point{}, 1
			}
			for _, s := range r.Ramp.Stops {
				g.Stops = append(g.Stops, drawing.Stop{At: s.At, Colour: colour.Screen(colour.FromBytes(s.Colour.R, s.Colour.G, s.Colour.B)), Alpha: 1})
			}
			d.Nodes = append(d.Nodes, &drawing.Shape{Path: r.Path, Paint: g})
			continue
		}
		c := r.Colour
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: r.Path, Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(c.R, c.G, c.B)), Alpha: float64(c.A) / 255}})
	}
	return d
}

// A score is how near a tracing comes to what was drawn.
type score struct {
	name     string
	off      float64 // area that differs, as a share of the art
	segments float64 // as a share of those of the drawing
}

// difference is the area in which two pictures differ, weighted by how much, as a
// share of the area of the first one's art.
func difference(a, b *image.NRGBA) float64 {
	var off, art float64
	for i := 0; i < len(a.Pix); i += 4 {
		p, q := a.Pix[i:i+4], b.Pix[i:i+4]
		d := math.Abs(float64(p[3]) - float64(q[3]))
		for k := range 3 {
			d = max(d, math.Abs(float64(p[k])*float64(p[3])-float64(q[k])*float64(q[3]))/255)
		}
		off += d
		art += float64(p[3])
	}
	return off / art
}

func segments(d *drawing.Drawing) (n int) {
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if s, ok := x.(*drawing.Shape); ok {
			n += len(s.Path)
		}
	})
	return n
}

// flat tells whether a drawing is made of plain colours, which is what can be
// traced.
func flat(d *drawing.Drawing) bool {
	h := d.Has()
	return !h.Pictures && !h.Gradients && !h.Translucent && !h.Masks && !h.Blends && !h.Filters
}

type specimen struct {
	name string
	d    *drawing.Drawing
}

// specimens are drawings of open sets (NOTICES.md): icons, emoji and flags.
func specimens(t testing.TB) (out []specimen) {
	t.Helper()
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct{ Set, Name, SVG string }
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	for _, s := range all {
		d, fs, err := svg.Read(context.Background(), []byte(s.SVG), svg.Options{})
		if err != nil {
			continue
		}
		if _, stop := fs.Stopping(); !stop && flat(d) {
			out = append(out, specimen{s.Set + " " + s.Name, d})
		}
	}
	return out
}

// A spoiling is what happens to a picture before it comes here.
type spoiling struct {
	name string
	do   func(*image.NRGBA) *image.NRGBA
}

var spoilings = []spoiling{
	{"clean", func(img *image.NRGBA) *image.NRGBA { return img }},
	{"noise", func(img *image.NRGBA) *image.NRGBA {
		r := rand.New(rand.NewPCG(1, 2))
		img = onWhite(img)
		for i := range img.Pix {
			if i%4 != 3 {
				img.Pix[i] = uint8(min(255, max(0, float64(img.Pix[i])+r.NormFloat64()*6)))
			}
		}
		return img
	}},
	{"JPEG 60", func(img *image.NRGBA) *image.NRGBA {
		var b bytes.Buffer
		if err := jpeg.Encode(&b, onWhite(img), &jpeg.Options{Quality: 60}); err != nil {
			panic(err)
		}
		j, err := jpeg.Decode(&b)
		if err != nil {
			panic(err)
		}
		out := image.NewNRGBA(img.Rect)
		for y := range img.Rect.Dy() {
			for x := range img.Rect.Dx() {
				out.Set(x, y, j.At(x, y))
			}
		}
		return out
	}},
}

func onWhite(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	for i := 0; i < len(img.Pix); i += 4 {
		a := float64(img.Pix[i+3]) / 255
		for k := range 3 {
			out.Pix[i+k] = uint8(float64(img.Pix[i+k])*a + 255*(1-a) + 0.5)
		}
		out.Pix[i+3] = 255
	}
	return out
}

// rate draws all specimens at a size, spoils and traces them, and tells how near
// they come, the worst last.
func rate(t testing.TB, all []specimen, side int, s spoiling) (out []score) {
	var mu sync.Mutex
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	for _, x := range all {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			k := float64(side) / x.d.Page.Long()
			w, h := max(2, int(math.Round(x.d.Page.W()*k))), max(2, int(math.Round(x.d.Page.H()*k)))
			tr, err := trace.Trace(context.Background(), s.do(render(t, x.d, w, h)), trace.Options{})
			if err != nil {
				mu.Lock()
				out = append(out, score{x.name + " (" + err.Error() + ")", 1, 1})
				mu.Unlock()
				return
			}
			const close = 4 // times larger, where they are compared
			got := traced(tr)
			a, b := render(t, x.d, close*w, close*h), render(t, got, close*w, close*h)
			if s.name != "clean" {
				a, b = onWhite(a), onWhite(b)
			}
			mu.Lock()
			out = append(out, score{x.name, difference(a, b), float64(segments(got)) / float64(segments(x.d))})
			mu.Unlock()
		})
	}
	wg.Wait()
	slices.SortFunc(out, func(a, b score) int {
		switch {
		case a.off < b.off:
			return -1
		case a.off > b.off:
			return 1
		}
		return 0
	})
	return out
}

func quantile(s []score, q float64, f func(score) float64) float64 {
	v := make([]float64, len(s))
	for i := range s {
		v[i] = f(s[i])
	}
	slices.Sort(v)
	return v[min(len(v)-1, int(q*float64(len(v))))]
}

func off(s score) float64 { return s.off }

func more(s score) float64 { return s.segments }

// Prints how near tracings come, for make bench.
func BenchmarkTracings(b *testing.B) {
	const some = 200
	var all []specimen
	for i, x := range specimens(b) {
		if i*some/280 != (i-1)*some/280 && len(all) < some {
			all = append(all, x)
		}
	}
	for range b.N {
		for _, s := range spoilings {
			for _, side := range []int{64, 128, 256, 512} {
				if side == 256 && s.name != "clean" {
					continue
				}
				r := rate(b, all, side, s)
				fmt.Printf("FIGURE tracing %d drawings, %d px, %s: area off %.2f %% in the middle, %.2f %% for 95 %%; segments × %.2f in the middle, × %.2f for 95 %%\n",
					len(r), side, s.name, 100*quantile(r, 0.5, off), 100*quantile(r, 0.95, off), quantile(r, 0.5, more), quantile(r, 0.95, more))
				if os.Getenv("DYEKIT_WORST") != "" {
					for _, x := range r[max(0, len(r)-20):] {
						fmt.Printf("    %s: %.2f %%, × %.2f\n", x.name, 100*x.off, x.segments)
					}
				}
			}
		}
	}
}

// Letters of 8 to 10 px in packed pictures stay letters of one colour: where packing took
// colour from their strokes, the pieces are theirs and not those of another ink.
func TestSmallLettersKeepTheirInk(t *testing.T) {
	data, err := os.ReadFile("../../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	d, _, err := svg.Read(context.Background(), data, svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	orange := colour.FromBytes(0xcf, 0x7a, 0x22).Lab()
	inked := func(img *image.NRGBA) (ink, other float64) { // below the name: the line of small letters
		for y := img.Rect.Dy() * 93 / 100; y < img.Rect.Dy(); y++ {
			for x := range img.Rect.Dx() {
				p := img.Pix[img.PixOffset(x, y):]
				c := colour.FromBytes(p[0], p[1], p[2]).Lab()
				part := (100 - c.L) / (100 - orange.L)
				if part < 0.3 {
					continue
				}
				// As far from grey as a mixture of the ink and white is, or not.
				if c.Chroma() > 0.75*part*orange.Chroma() {
					ink += part
				} else {
					other += part
				}
			}
		}
		return ink, other
	}
	var want, ink, other float64
	for _, w := range []int{600, 640, 720} {
		h := int(float64(w)*d.Page.H()/d.Page.W() + 0.5)
		clean := render(t, d, w, h)
		tr, err := trace.Trace(context.Background(), spoilings[2].do(clean), trace.Options{Smooth: 0.3})
		if err != nil {
			t.Fatal(err)
		}
		x, _ := inked(onWhite(clean))
		y, z := inked(onWhite(render(t, traced(tr), w, h)))
		want, ink, other = want+x, ink+y, other+z
	}
	if want < 1000 {
		t.Fatalf("the letters cover %.0f px", want)
	}
	if ink < 0.55*want || other > 0.22*want { // 0.33 and 0.48 where each piece keeps the nearest ink
		t.Errorf("of %.0f px of small letters %.0f are there in their ink, and %.0f in another", want, ink, other)
	}
}
