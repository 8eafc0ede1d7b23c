package raster

import (
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"testing"
	"time"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// A blur spreads opacity and loses none, by the true kernel and by boxes, and
// spreads it by its standard deviation.
func TestBlurKeepsWhatItSpreads(t *testing.T) {
	for _, s := range []float64{0.5, 1.5, 2, 5, 12} {
		src := &bitmap{w: 161, h: 161, pix: make(layer, 4*161*161)}
		src.pix[4*(80*161+80)+3] = 1
		out := blur(src, s, s)
		var sum, second float64
		for y := range out.h {
			for x := range out.w {
				a := float64(out.at(x, y)[3])
				sum += a
				second += a * float64((x-80)*(x-80))
			}
		}
		if math.Abs(sum-1) > 1e-3 {
			t.Errorf("σ %v: %v of the opacity is left", s, sum)
		}
		if got := math.Sqrt(second / sum); math.Abs(got-s) > 0.12*s+0.05 { // the boxes of SVG 1.1 are whole pixels wide
			t.Errorf("σ %v: spread by %v", s, got)
		}
	}
}

// The formulae of Compositing and Blending Level 1 section 5, by hand for one
// pair of colours: backdrop 0.25, source 0.75.
func TestBlendFormulae(t *testing.T) {
	for mode, want := range map[drawing.BlendMode]float64{
		drawing.Multiply: 0.1875, drawing.Screen: 0.8125, drawing.Overlay: 0.375, drawing.Darken: 0.25, drawing.Lighten: 0.75,
		drawing.ColorDodge: 1, drawing.ColorBurn: 0, drawing.HardLight: 0.625, drawing.SoftLight: 0.375,
		drawing.Difference: 0.5, drawing.Exclusion: 0.625, drawing.Luminosity: 0.75, drawing.Color: 0.25,
	} {
		dst, src := layer{0.25, 0.25, 0.25, 1}, layer{0.75, 0.75, 0.75, 1}
		blend(dst, src, 1, mode)
		if math.Abs(float64(dst[0])-want) > 1e-5 || dst[3] != 1 {
			t.Errorf("mode %d: %v, want %v", mode, dst, want)
		}
	}
	// On nothing, every mode shows the source as it is.
	for mode := drawing.Multiply; mode <= drawing.Luminosity; mode++ {
		dst := make(layer, 4)
		blend(dst, layer{0.1, 0.2, 0.3, 0.5}, 1, mode)
		if math.Abs(float64(dst[1])-0.2) > 1e-6 || dst[3] != 0.5 {
			t.Errorf("mode %d on nothing: %v", mode, dst)
		}
	}
}

// The transfer function of IEC 61966-2-1 and back, by table.
func TestLinearLight(t *testing.T) {
	for i := range 256 {
		v := float32(i) / 255
		if d := encoded(linear(v)) - v; d > 0.4/255 || d < -0.4/255 {
			t.Errorf("%d comes back %v off", i, d*255)
		}
	}
	if l := linear(0.5); math.Abs(float64(l)-0.21404) > 1e-4 {
		t.Errorf("linear of 0.5 is %v", l)
	}
}

func TestMasks(t *testing.T) {
	box := geom.Box(geom.Rect{X1: 4, Y1: 4})
	paint := func(c colour.RGB, a float64) *drawing.Shape {
		return &drawing.Shape{Path: box, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: a}}
	}
	for name, c := range map[string]struct {
		mask drawing.Mask
		want uint8
	}{
		"white":         {drawing.Mask{Nodes: []drawing.Node{paint(colour.White, 1)}}, 255},
		"black":         {drawing.Mask{Nodes: []drawing.Node{paint(colour.Black, 1)}}, 0},
		"nothing":       {drawing.Mask{}, 0},
		"green":         {drawing.Mask{Nodes: []drawing.Node{paint(colour.RGB{G: 1}, 1)}}, 182}, // 0.7154
		"half white":    {drawing.Mask{Nodes: []drawing.Node{paint(colour.White, 0.5)}}, 128},
		"by opacity":    {drawing.Mask{Nodes: []drawing.Node{paint(colour.Black, 0.5)}, Alpha: true}, 128},
		"linear grey":   {drawing.Mask{Nodes: []drawing.Node{paint(colour.RGB{R: 0.5, G: 0.5, B: 0.5}, 1)}, Linear: true}, 55},
		"cut elsewhere": {drawing.Mask{Nodes: []drawing.Node{paint(colour.White, 1)}, Clip: []drawing.Region{}}, 0},
	} {
		img := render(t, 4, 4, &drawing.Group{Nodes: []drawing.Node{paint(colour.Black, 1)}, Alpha: 1, Mask: &c.mask})
		if a := img.NRGBAAt(2, 2).A; max(a, c.want)-min(a, c.want) > 1 {
			t.Errorf("%s: opacity %d, want %d", name, a, c.want)
		}
	}
}

func filtered(region geom.Rect, steps ...drawing.Step) *drawing.Group {
	return &drawing.Group{Nodes: []drawing.Node{black(geom.Box(geom.Rect{X0: 4, Y0: 4, X1: 12, Y1: 12}), geom.NonZero)}, Alpha: 1,
		Filter: &drawing.Filter{Region: region, To: geom.Identity, Steps: steps}}
}

func TestFilterRegion(t *testing.T) {
	region := geom.Rect{X0: 2, Y0: 2, X1: 14, Y1: 10}
	img := render(t, 16, 16, filtered(region, drawing.Step{Op: drawing.Flood{Colour: colour.White, Alpha: 1}, Region: region}))
	if covered(img) != 12*8 || img.NRGBAAt(3, 3).R != 255 {
		t.Errorf("a flood covers %v pixels of a region of 96", covered(img))
	}
	// A filter of no steps shows nothing (SVG 1.1 section 15.3).
	if covered(render(t, 16, 16, filtered(region))) != 0 {
		t.Error("an empty filter shows something")
	}
	moved := render(t, 16, 16, filtered(geom.Rect{X1: 16, Y1: 16}, drawing.Step{Op: drawing.Offset{X: 3, Y: -2}, In: drawing.SourceGraphic, Region: geom.Rect{X1: 16, Y1: 16}}))
	if moved.NRGBAAt(7, 2).A != 255 || moved.NRGBAAt(4, 5).A != 0 || covered(moved) != 64 {
		t.Error("an offset does not move by whole pixels")
	}
}

// Pictures with filters are drawn in strips; nothing tells where one ends.
func TestStripsDoNotShow(t *testing.T) {
	region := geom.Rect{X0: -50, Y0: -50, X1: 450, Y1: 450}
	steps := map[string]drawing.Op{
		"blur": drawing.GaussianBlur{X: 4, Y: 4}, "soft blur": drawing.GaussianBlur{X: 1, Y: 1}, "morphology": drawing.Morphology{X: 3, Y: 3, Dilate: true},
		"shift": drawing.Offset{X: 3.5, Y: -7.25}, "noise": drawing.Turbulence{FX: 0.05, FY: 0.05, Octaves: 2},
		"light":    drawing.Lighting{Scale: 5, K: 1, Colour: colour.White, Kind: "distant", Azimuth: 30, Height: 40},
		"convolve": drawing.ConvolveMatrix{W: 3, H: 3, Kernel: []float64{1, 2, 1, 0, 0, 0, -1, -2, -1}, Divisor: 1, TX: 1, TY: 1, Edge: "duplicate", Preserve: true},
	}
	for name, op := range steps {
		g := filtered(region, drawing.Step{Op: drawing.GaussianBlur{X: 2, Y: 2}, In: drawing.SourceGraphic, Region: region}, drawing.Step{Op: op, In: 0, Region: region})
		g.Nodes = []drawing.Node{&drawing.Shape{Path: geom.Ellipse(geom.Pt(200, 200), 150, 190), Paint: drawing.Solid{Colour: colour.Colour{RGB: colour.RGB{R: 0.8, G: 0.3}}, Alpha: 0.9}}}
		const w, h = 400, 400
		draw := func(rows int) *image.NRGBA {
			img := image.NewNRGBA(image.Rect(0, 0, w, h))
			for y := 0; y < h; y += rows {
				part := img.SubImage(image.Rect(0, y, w, min(h, y+rows))).(*image.NRGBA)
				if err := renderPart(context.Background(), []drawing.Node{g}, geom.Identity, part, w, Options{}); err != nil {
					t.Fatal(err)
				}
			}
			return img
		}
		whole, strips := draw(h), draw(96)
		most := 0
		for i := range whole.Pix {
			d := int(whole.Pix[i]) - int(strips.Pix[i])
			most = max(most, d, -d)
		}
		if most > 1 { // rounding
			t.Errorf("%s differs by %d of 255", name, most)
		}
	}
	far := filtered(region, drawing.Step{Op: drawing.Tile{From: geom.Rect{X1: 9, Y1: 9}}, In: drawing.SourceGraphic, Region: region})
	if n := strip([]drawing.Node{far}, geom.Identity, 100_000, 5000); n != 5000 {
		t.Errorf("a tile, which takes from afar, is drawn in strips of %d", n)
	}
}

func TestFilterAreaIsLimited(t *testing.T) {
	g := filtered(geom.Rect{X1: 1e6, Y1: 1e6}, drawing.Step{Op: drawing.GaussianBlur{X: 1e5, Y: 1e5}, In: drawing.SourceGraphic, Region: geom.Rect{X1: 1e6, Y1: 1e6}})
	_, err := Render(context.Background(), &drawing.Drawing{Nodes: []drawing.Node{g}}, geom.Identity, 4000, 4000, Options{})
	if !errors.Is(err, ErrFilter) {
		t.Errorf("%v", err)
	}
}

// Drawing heeds its context, in filters too.
func TestFiltersHeedTheirContext(t *testing.T) {
	region := geom.Rect{X1: 2000, Y1: 2000}
	var steps []drawing.Step
	for range 200 {
		steps = append(steps, drawing.Step{Op: drawing.GaussianBlur{X: 30, Y: 30}, In: drawing.SourceGraphic, Region: region})
	}
	ctx, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
	defer cancel()
	start := time.Now()
	_, err := Render(ctx, &drawing.Drawing{Nodes: []drawing.Node{filtered(region, steps...)}}, geom.Identity, 2000, 2000, Options{})
	if !errors.Is(err, context.DeadlineExceeded) || time.Since(start) > time.Minute {
		t.Errorf("%v after %v", err, time.Since(start))
	}
}

// BenchmarkBlur shows that the cost of a blur does not grow with its radius.
func BenchmarkBlur(b *testing.B) {
	src := &bitmap{w: 1000, h: 1000, pix: make(layer, 4*1000*1000)}
	for i := range src.pix {
		src.pix[i] = 0.5
	}
	for _, s := range []float64{2, 20, 200} {
		b.Run(fmt.Sprintf("sigma-%v", s), func(b *testing.B) {
			for range b.N {
				blur(src, s, s)
			}
		})
	}
}

// BenchmarkShapes shows the allocations of the hot path.
func BenchmarkShapes(b *testing.B) {
	d := &drawing.Drawing{}
	for i := range 500 {
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: geom.Ellipse(geom.Pt(float64(i%50)*10, float64(i/50)*50), 40, 30), Paint: drawing.Solid{Alpha: 1}})
	}
	b.ReportAllocs()
	var img *image.NRGBA
	for b.Loop() {
		img, _ = Render(context.Background(), d, geom.Identity, 512, 512, Options{})
	}
	_ = img
}

// The normals of SVG 1.1 section 15.14 on a slope of 0.1 a pixel across and 0.2 down:
// all nine forms of its kernels give twice the slope, and where a region is one pixel
// wide or high there is none and light falls straight on it.
func TestNormals(t *testing.T) {
	slope := func(w, h int) *bitmap {
		b := &bitmap{w: w, h: h, pix: make(layer, 4*w*h)}
		for y := range h {
			for x := range w {
				b.pix[4*(y*w+x)+3] = float32(x)*0.1 + float32(y)*0.2
			}
		}
		return b
	}
	want := vec{-0.2, -0.4, 1}.unit()
	for _, size := range [][2]int{{3, 3}, {2, 2}, {4, 2}, {2, 5}} {
		b := slope(size[0], size[1])
		for y := range b.h {
			for x := range b.w {
				if n := normal(b, x, y, 1); math.Abs(n.x-want.x)+math.Abs(n.y-want.y)+math.Abs(n.z-want.z) > 1e-6 {
					t.Errorf("%d × %d px, at %d %d: %v, want %v", b.w, b.h, x, y, n, want)
				}
			}
		}
	}
	for _, size := range [][2]int{{1, 1}, {1, 4}, {4, 1}} {
		b := slope(size[0], size[1])
		for y := range b.h {
			for x := range b.w {
				if n := normal(b, x, y, 1); n != (vec{0, 0, 1}) {
					t.Errorf("%d × %d px, at %d %d: %v", b.w, b.h, x, y, n)
				}
			}
		}
	}
}

// Each number of a colour matrix has its place: by hand on one colour (SVG 1.1, section
// 15.10, on straight colours).
func TestColourMatrixByHand(t *testing.T) {
	in := [5]float64{0.8, 0.4, 0.2, 0.6, 1} // red, green, blue, opacity, and one
	for row := range 4 {
		for col := range 5 {
			op := drawing.ColourMatrix{}
			op.M = [20]float64{0: 0.1, 6: 0.1, 12: 0.1, 18: 1} // opacity stays, colours are a tenth
			for k := range 5 {
				op.M[5*row+k] = 0
			}
			op.M[5*row+col] = 0.5
			g := &drawing.Group{Alpha: 1, Nodes: []drawing.Node{&drawing.Shape{Path: geom.Box(geom.Rect{X1: 10, Y1: 10}), Paint: drawing.Solid{Colour: colour.Screen(colour.RGB{R: in[0], G: in[1], B: in[2]}), Alpha: in[3]}}},
				Filter: &drawing.Filter{Region: geom.Rect{X1: 10, Y1: 10}, To: geom.Identity, Steps: []drawing.Step{{Op: op, In: drawing.SourceGraphic, Region: geom.Rect{X1: 10, Y1: 10}}}}}
			img, err := Render(context.Background(), &drawing.Drawing{Page: geom.Rect{X1: 10, Y1: 10}, Nodes: []drawing.Node{g}}, geom.Identity, 10, 10, Options{})
			if err != nil {
				t.Fatal(err)
			}
			got, want := img.NRGBAAt(5, 5), [4]float64{0.08, 0.04, 0.02, 0.6}
			want[row] = 0.5 * in[col]
			for k, v := range []uint8{got.R, got.G, got.B, got.A} {
				if math.Abs(float64(v)/255-want[k]) > 0.008 {
					t.Errorf("row %d, column %d: %v, want %.2f", row, col, got, want)
					break
				}
			}
		}
	}
}
