package raster

import (
	"bytes"
	"context"
	"errors"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

func black(p geom.Path, r geom.Rule) *drawing.Shape {
	return &drawing.Shape{Path: p, Rule: r, Paint: drawing.Solid{Alpha: 1}}
}

func render(t *testing.T, w, h int, nodes ...drawing.Node) *image.NRGBA {
	t.Helper()
	img, err := Render(context.Background(), &drawing.Drawing{Nodes: nodes}, geom.Identity, w, h, Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// covered is the sum of all opacities, in pixels.
func covered(img *image.NRGBA) float64 {
	n := 0.0
	for i := 3; i < len(img.Pix); i += 4 {
		n += float64(img.Pix[i]) / 255
	}
	return n
}

func TestCoverageOfBoxesIsExact(t *testing.T) {
	img := render(t, 8, 8, black(geom.Box(geom.Rect{X0: 1.25, Y0: 2.5, X1: 4.75, Y1: 3.5}), geom.NonZero))
	for _, c := range []struct {
		x, y int
		want float64
	}{{1, 2, 0.375}, {2, 2, 0.5}, {4, 3, 0.375}, {3, 3, 0.5}, {0, 2, 0}, {5, 2, 0}, {2, 1, 0}, {2, 4, 0}} {
		got := float64(img.NRGBAAt(c.x, c.y).A) / 255
		if math.Abs(got-c.want) > 0.5/255+1e-9 {
			t.Errorf("pixel %d,%d: coverage %v, want %v", c.x, c.y, got, c.want)
		}
	}
}

// The sum of coverage is the area, for polygons of any slope: what no
// sampling rasteriser does.
func TestCoverageSumsToTheArea(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		var p geom.Path
		for i := range 3 {
			q := geom.Pt(2+r.Float64()*60, 2+r.Float64()*60)
			if i == 0 {
				p.MoveTo(q)
			} else {
				p.LineTo(q)
			}
		}
		got, want := covered(render(t, 64, 64, black(p, geom.NonZero))), math.Abs(p.Area())
		// Each edge pixel is rounded to 1/255.
		if math.Abs(got-want) > 0.12+want*1e-3 {
			t.Fatalf("coverage %v, area %v", got, want)
		}
	}
	c := geom.Ellipse(geom.Pt(32, 32), 25, 17)
	if got := covered(render(t, 64, 64, black(c, geom.NonZero))); math.Abs(got-c.Area()) > 1 {
		t.Errorf("ellipse: coverage %v, area %v", got, c.Area())
	}
}

// Overlaps inside one pixel count once under NonZero and not at all under
// EvenOdd; adding up signed areas gets both wrong.
func TestOverlapsWithinAPixel(t *testing.T) {
	p := append(geom.Box(geom.Rect{X0: 0.1, Y0: 0, X1: 0.6, Y1: 1}), geom.Box(geom.Rect{X0: 0.4, Y0: 0, X1: 0.9, Y1: 1})...)
	for _, c := range []struct {
		rule geom.Rule
		want float64
	}{{geom.NonZero, 0.8}, {geom.EvenOdd, 0.6}} {
		got := float64(render(t, 1, 1, black(p, c.rule)).NRGBAAt(0, 0).A) / 255
		if math.Abs(got-c.want) > 1.0/255 {
			t.Errorf("rule %v: coverage %v, want %v", c.rule, got, c.want)
		}
	}
	// A bow tie crosses itself in the middle of the pixel: both halves count.
	var bow geom.Path
	bow.MoveTo(geom.Pt(0, 0))
	bow.LineTo(geom.Pt(1, 1))
	bow.LineTo(geom.Pt(1, 0))
	bow.LineTo(geom.Pt(0, 1))
	if got := float64(render(t, 1, 1, black(bow, geom.NonZero)).NRGBAAt(0, 0).A) / 255; math.Abs(got-0.5) > 1.0/255 {
		t.Errorf("bow tie: coverage %v, want 0.5", got)
	}
}

func TestShapesBeyondTheEdges(t *testing.T) {
	// A box far larger than the picture covers all of it, whichever way it
	// reaches over, and nothing panics.
	for _, b := range []geom.Rect{{X0: -1e5, Y0: -1e5, X1: 1e5, Y1: 1e5}, {X0: -9, Y0: -3, X1: 30, Y1: 70}, {X0: 0, Y0: 0, X1: 16, Y1: 16}} {
		img := render(t, 16, 16, black(geom.Box(b), geom.NonZero))
		if got := covered(img); got != 256 {
			t.Errorf("%v: %v of 256 pixels", b, got)
		}
	}
	far := render(t, 16, 16, black(geom.Ellipse(geom.Pt(500, 8), 30, 30), geom.NonZero), black(geom.Ellipse(geom.Pt(-500, 8), 30, 30), geom.NonZero))
	if got := covered(far); got != 0 {
		t.Errorf("art outside covers %v pixels", got)
	}
}

func TestWholePixelMovesChangeNothingElse(t *testing.T) {
	p := geom.Ellipse(geom.Pt(20.3, 18.7), 13.1, 9.4)
	a := render(t, 64, 64, black(p, geom.NonZero))
	b := render(t, 64, 64, black(p.Transform(geom.Translate(7, 5)), geom.NonZero))
	for y := range 50 {
		for x := range 50 {
			if v, w := a.NRGBAAt(x, y).A, b.NRGBAAt(x+7, y+5).A; max(v, w)-min(v, w) > 1 {
				t.Fatalf("pixel %d,%d: %d, moved %d", x, y, v, w)
			}
		}
	}
}

func TestHardEdges(t *testing.T) {
	img, err := Render(context.Background(), &drawing.Drawing{Nodes: []drawing.Node{black(geom.Ellipse(geom.Pt(16, 16), 11.3, 11.3), geom.NonZero)}}, geom.Identity, 32, 32, Options{Hard: true})
	if err != nil {
		t.Fatal(err)
	}
	for i := 3; i < len(img.Pix); i += 4 {
		if a := img.Pix[i]; a != 0 && a != 255 {
			t.Fatalf("opacity %d with antialiasing off", a)
		}
	}
}

// Source over: two half-opaque layers leave a quarter of the ground; a group
// fades as one (SVG 1.1 section 14.5).
func TestComposition(t *testing.T) {
	box := geom.Box(geom.Rect{X1: 4, Y1: 4})
	half := func(c colour.RGB) *drawing.Shape {
		return &drawing.Shape{Path: box, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 0.5}}
	}
	if a := render(t, 4, 4, half(colour.Black), half(colour.Black)).NRGBAAt(1, 1).A; a != 191 {
		t.Errorf("two halves: opacity %d, want 191", a)
	}
	solid := func(c colour.RGB) *drawing.Shape {
		return &drawing.Shape{Path: box, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
	}
	g := &drawing.Group{Nodes: []drawing.Node{solid(colour.RGB{R: 1}), solid(colour.RGB{B: 1})}, Alpha: 0.5}
	if c := render(t, 4, 4, g).NRGBAAt(1, 1); c.R != 0 || c.B != 255 || c.A != 128 {
		t.Errorf("a group of two fades as %v", c)
	}
	clip := &drawing.Group{Nodes: []drawing.Node{solid(colour.RGB{G: 1})}, Alpha: 1, Clip: []drawing.Region{{Path: geom.Box(geom.Rect{X1: 2, Y1: 4})}}}
	img := render(t, 4, 4, clip)
	if img.NRGBAAt(1, 1).A != 255 || img.NRGBAAt(2, 1).A != 0 {
		t.Error("the clip does not cut at its edge")
	}
	none := &drawing.Group{Nodes: []drawing.Node{solid(colour.RGB{G: 1})}, Alpha: 1, Clip: []drawing.Region{}}
	if covered(render(t, 4, 4, none)) != 0 {
		t.Error("an empty clip lets something through")
	}
}

func TestGradientEnds(t *testing.T) {
	g := &drawing.Gradient{P0: geom.Pt(10, 0), P1: geom.Pt(90, 0), To: geom.Identity, Stops: []drawing.Stop{
		{At: 0, Colour: colour.Screen(colour.RGB{R: 1}), Alpha: 1}, {At: 1, Colour: colour.Screen(colour.RGB{B: 1}), Alpha: 1},
	}}
	img := render(t, 100, 2, &drawing.Shape{Path: geom.Box(geom.Rect{X1: 100, Y1: 2}), Paint: g})
	if c := img.NRGBAAt(2, 0); c.R != 255 || c.B != 0 {
		t.Errorf("before the start: %v", c)
	}
	if c := img.NRGBAAt(97, 0); c.R != 0 || c.B != 255 {
		t.Errorf("past the end: %v", c)
	}
	if c := img.NRGBAAt(49, 0); c.R < 126 || c.R > 130 {
		t.Errorf("in the middle: %v", c)
	}
}

func TestPicturesAreAveragedWhenReduced(t *testing.T) {
	src := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		v := uint8(0)
		if (i+i/8)%2 == 0 {
			v = 255
		}
		copy(src.Pix[4*i:], []uint8{v, v, v, 255})
	}
	img := render(t, 2, 2, &drawing.Picture{Image: src, To: geom.Scale(2, 2), Alpha: 1})
	if c := img.NRGBAAt(1, 1); c.R < 127 || c.R > 128 || c.A != 255 {
		t.Errorf("a chequer reduces to %v", c)
	}
}

func TestLimits(t *testing.T) {
	for _, s := range [][2]int{{0, 5}, {5, -1}, {MaxPixels, 2}} {
		if _, err := Render(context.Background(), &drawing.Drawing{}, geom.Identity, s[0], s[1], Options{}); !errors.Is(err, ErrSize) {
			t.Errorf("%v: %v", s, err)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Render(ctx, &drawing.Drawing{}, geom.Identity, 9, 9, Options{}); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
}

func TestSeparateKeepsBuilds(t *testing.T) {
	d := &drawing.Drawing{Nodes: []drawing.Node{&drawing.Shape{Path: geom.Box(geom.Rect{X1: 2, Y1: 4}), Paint: drawing.Solid{
		Colour: colour.Colour{RGB: colour.RGB{R: 0.1, G: 0.4, B: 0.5}, Build: colour.CMYK{C: 80, M: 20, Y: 40, K: 60}, Built: true}, Alpha: 1,
	}}}}
	img, err := Separate(context.Background(), d, geom.Identity, 4, 4, colour.Coated, colour.CMYK{})
	if err != nil {
		t.Fatal(err)
	}
	if c := img.CMYKAt(0, 0); c.C != 204 || c.M != 51 || c.Y != 102 || c.K != 153 {
		t.Errorf("the build came out as %v", c)
	}
	if c := img.CMYKAt(3, 0); c.C|c.M|c.Y|c.K != 0 {
		t.Errorf("the bare paper has ink %v", c)
	}
}

// Once warm, a plain shape costs no allocation: what is allocated does not
// grow with the number of shapes.
func TestShapesAllocateNothing(t *testing.T) {
	draw := func(n int) float64 {
		d := &drawing.Drawing{}
		for i := range n {
			d.Nodes = append(d.Nodes, black(geom.Ellipse(geom.Pt(float64(i%50), 30), 20, 10), geom.NonZero))
		}
		return testing.AllocsPerRun(20, func() {
			if _, err := Render(context.Background(), d, geom.Identity, 64, 64, Options{}); err != nil {
				t.Fatal(err)
			}
		})
	}
	// A pool may be emptied between two runs, so a few more are no fault.
	if few, many := draw(10), draw(1000); many > few+50 {
		t.Errorf("10 shapes allocate %v times, 1000 allocate %v times", few, many)
	}
}

// A painter that was used for one picture must leave nothing for the next.
func TestPaintersAreClean(t *testing.T) {
	full := black(geom.Box(geom.Rect{X1: 100, Y1: 100}), geom.NonZero)
	for range 4 {
		render(t, 64, 90, full)
		if n := covered(render(t, 64, 20, black(geom.Box(geom.Rect{X1: 1, Y1: 1}), geom.NonZero))); n != 1 {
			t.Fatalf("%v pixels are painted, want 1", n)
		}
		if n := covered(render(t, 64, 90)); n != 0 {
			t.Fatalf("an empty picture has %v pixels", n)
		}
	}
}

// Where edges cross at the very height at which another begins, rounding does
// not decide what is inside: a star of even-odd rule whose arms meet on one line
// is hollow in its middle at every size.
func TestEdgesThatPartAtAPoint(t *testing.T) {
	star := geom.Path{{Op: geom.MoveTo, P: [3]geom.Point{{X: 132.35, Y: 220}}}}
	for _, p := range []geom.Point{{X: 139.7, Y: 234.7}, {X: 125, Y: 224.9}, {X: 139.7, Y: 224.9}, {X: 125, Y: 234.7}} {
		star.LineTo(p)
	}
	star.Close()
	d := &drawing.Drawing{Nodes: []drawing.Node{&drawing.Shape{Path: star, Rule: geom.EvenOdd, Paint: drawing.Solid{Alpha: 1}}}}
	view := geom.Rect{X0: 0, Y0: 0, X1: 479, Y1: 359}
	for w := 60; w < 420; w += 3 {
		small, err := Render(context.Background(), d, Fit(view, w, w), w, w, Options{})
		if err != nil {
			t.Fatal(err)
		}
		large, err := Render(context.Background(), d, Fit(view, 8*w, 8*w), 8*w, 8*w, Options{})
		if err != nil {
			t.Fatal(err)
		}
		for y := w / 2; y < 3*w/4; y++ {
			for x := w / 5; x < w/3; x++ {
				sum := 0
				for i := range 64 {
					sum += int(large.NRGBAAt(8*x+i%8, 8*y+i/8).A)
				}
				if e := sum/64 - int(small.NRGBAAt(x, y).A); e < -4 || e > 4 {
					t.Fatalf("%d px: at %d, %d the opacity is %d, not %d", w, x, y, small.NRGBAAt(x, y).A, sum/64)
				}
			}
		}
	}
}

// A heap hands out memory that nobody else has, keeps what was handed out in its
// place, and hands the same out again after a reset.
// A picture drawn in parts is, to the bit, what is drawn at once.
func TestPartsDoNotShow(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	disc := func(r float64) geom.Path {
		return geom.Ellipse(geom.Pt(rng.Float64()*140-20, rng.Float64()*240-20), r, r/2)
	}
	solid := func(p geom.Path) *drawing.Shape {
		return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(colour.RGB{R: rng.Float64(), G: rng.Float64(), B: rng.Float64()}), Alpha: 0.3 + 0.7*rng.Float64()}}
	}
	var many geom.Path
	var ns []drawing.Node
	for range 60 {
		many = append(many, disc(3)...)
		ns = append(ns, solid(disc(1+9*rng.Float64())))
	}
	ns = append(ns, solid(many), solid(geom.Path{}), &drawing.Group{Alpha: 0.7, Nodes: []drawing.Node{solid(disc(50)), solid(disc(60))}, Clip: []drawing.Region{{Path: disc(30)}, {Path: many}}, Mask: &drawing.Mask{Nodes: []drawing.Node{solid(many), solid(disc(70))}}})
	const w, h = 100, 200
	draw := func(height int) *image.NRGBA {
		img := image.NewNRGBA(image.Rect(0, 0, w, h))
		c := compiler{ctx: context.Background(), to: geom.Affine{A: 1, B: 0.1, C: -0.2, D: 1}, w: w, h: h, long: h}
		if err := c.paintParts(ns, height, func(p *painter, y, k int) { p.put(p.base, k, img.Pix[y*img.Stride:][:4*w]) }); err != nil {
			t.Fatal(err)
		}
		return img
	}
	whole := draw(h)
	for _, height := range []int{bandRows, 2 * bandRows, 4 * bandRows} {
		if !bytes.Equal(draw(height).Pix, whole.Pix) {
			t.Errorf("parts of %d rows show", height)
		}
	}
	// Heavy drawings come in parts, those with filters never.
	heavy := []drawing.Node{&drawing.Shape{Path: make(geom.Path, 3*partSegs)}}
	if n := parts(heavy, 3000); n >= 1500 || n%bandRows != 0 {
		t.Errorf("parts of %d rows", n)
	}
	if n := parts(heavy, 50); n < 50 {
		t.Errorf("parts of %d of 50 rows", n)
	}
	if n := parts([]drawing.Node{&drawing.Group{Nodes: heavy, Filter: &drawing.Filter{}}}, 3000); n != 3000 {
		t.Errorf("parts of %d rows with a filter", n)
	}
}

func TestHeap(t *testing.T) {
	var h heap[int]
	r := rand.New(rand.NewPCG(8, 1))
	for range 3 {
		var all [][]int
		sum := 0
		for i := range 300 {
			n := r.IntN(2000)
			if i%50 == 0 {
				n = mostChunk + r.IntN(1000)
			}
			s := h.take(n)
			if len(s) != n || cap(s) != n {
				t.Fatalf("asked for %d, got %d of %d", n, len(s), cap(s))
			}
			for k := range s {
				s[k] = i
			}
			if all = append(all, s); n <= mostChunk/4 {
				sum += n
			}
		}
		for i, s := range all {
			for _, v := range s {
				if v != i {
					t.Fatalf("piece %d was written to by %d", i, v)
				}
			}
		}
		if size := h.size(); size < sum || size > 2*sum {
			t.Errorf("%d elements in memory of %d", sum, size)
		}
		h.reset()
	}
}
