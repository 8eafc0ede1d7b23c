package trace_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/planar"
	"dyekit/core/trace"
	"dyekit/internal/budget"
)

func shape(p geom.Path, c color.NRGBA) *drawing.Shape {
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(c.R, c.G, c.B)), Alpha: 1}}
}

var (
	red   = color.NRGBA{200, 40, 30, 255}
	blue  = color.NRGBA{20, 60, 180, 255}
	green = color.NRGBA{30, 140, 60, 255}
)

func polygon(ps ...geom.Point) geom.Path {
	var p geom.Path
	for i, q := range ps {
		if i == 0 {
			p.MoveTo(q)
		} else {
			p.LineTo(q)
		}
	}
	p.Close()
	return p
}

func star(c geom.Point, r float64) geom.Path {
	var ps []geom.Point
	for i := range 10 {
		k := r
		if i%2 == 1 {
			k = r * 0.45
		}
		a := float64(i)*math.Pi/5 - math.Pi/2
		ps = append(ps, c.Add(geom.Pt(k*math.Cos(a), k*math.Sin(a))))
	}
	return polygon(ps...)
}

// Shapes with known outlines: how far their corners lie from the true ones, and
// of how many pieces they are made.
func TestKnownShapes(t *testing.T) {
	disc := geom.Ellipse(geom.Pt(60.3, 59.6), 41.7, 41.7)
	for what, x := range map[string]struct {
		path   geom.Path
		pieces int
		corner float64 // px that a corner may be off
	}{
		"disc":         {disc, 6, 0},
		"ellipse":      {geom.Ellipse(geom.Pt(60, 60), 50.2, 22.8), 6, 0},
		"box":          {geom.Box(geom.Rect{X0: 20.4, Y0: 30.7, X1: 99.8, Y1: 88.1}), 6, 0.15},
		"turned box":   {geom.Box(geom.Rect{X0: -35, Y0: -25, X1: 35, Y1: 25}).Transform(geom.Translate(60, 60).Mul(geom.Rotate(0.4))), 6, 0.35},
		"triangle":     {polygon(geom.Pt(60, 12.5), geom.Pt(108.2, 100), geom.Pt(11.5, 100)), 5, 0.5},
		"star":         {star(geom.Pt(60, 62), 52), 12, 0.6},
		"rounded box":  {geom.RoundBox(geom.Rect{X0: 15, Y0: 25, X1: 105, Y1: 95}, 18, 18), 12, 0},
		"ring":         {append(disc[:len(disc):len(disc)], geom.Ellipse(geom.Pt(60.3, 59.6), 20, 20).Reverse()...), 12, 0},
		"two and bare": {append(geom.Box(geom.Rect{X0: 10, Y0: 10, X1: 50, Y1: 110}), geom.Box(geom.Rect{X0: 70, Y0: 10, X1: 110, Y1: 110})...), 12, 0.15},
	} {
		d := &drawing.Drawing{Page: geom.Rect{X1: 120, Y1: 120}, Nodes: []drawing.Node{shape(x.path, red)}}
		tr, err := trace.Trace(context.Background(), render(t, d, 120, 120), trace.Options{})
		if err != nil {
			t.Errorf("%s: %v", what, err)
			continue
		}
		if len(tr.Regions) != 1 || tr.Regions[0].Colour != red || !tr.Bare {
			t.Errorf("%s: %d regions", what, len(tr.Regions))
			continue
		}
		got := tr.Regions[0].Path
		if a, want := math.Abs(got.Area()), math.Abs(x.path.Area()); math.Abs(a-want) > 0.004*want {
			t.Errorf("%s: area %.1f, want %.1f", what, a, want)
		}
		if len(got) > x.pieces {
			t.Errorf("%s: %d pieces, want at most %d: %v", what, len(got), x.pieces, got)
		}
		for _, s := range x.path {
			if x.corner == 0 || s.Op == geom.Close {
				continue
			}
			near := math.Inf(1)
			for _, g := range got {
				if g.Op != geom.Close {
					near = min(near, g.End().Sub(s.End()).Len())
				}
			}
			if near > x.corner {
				t.Errorf("%s: the corner at %.2f is %.2f px off", what, s.End(), near)
			}
		}
	}
}

// Where three colours meet, the regions share their borders: no place is painted
// twice and none is bare. Stripes have straight ends.
func TestRegionsShareBorders(t *testing.T) {
	d := &drawing.Drawing{Page: geom.Rect{X1: 120, Y1: 80}, Nodes: []drawing.Node{
		shape(geom.Box(geom.Rect{X1: 120, Y1: 80}), red), shape(geom.Box(geom.Rect{Y0: 40.4, X1: 120, Y1: 80}), blue), shape(geom.Box(geom.Rect{X0: 70.3, Y0: 40.4, X1: 120, Y1: 80}), green),
	}}
	tr, err := trace.Trace(context.Background(), render(t, d, 120, 80), trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if len(tr.Regions) != 3 {
		t.Fatalf("%d regions", len(tr.Regions))
	}
	sum := 0.0
	var layers []planar.Layer
	for _, r := range tr.Regions {
		sum += r.Path.Area()
		layers = append(layers, planar.Layer{Path: r.Path})
		if len(r.Path) > 9 {
			t.Errorf("a stripe has %d pieces: %v", len(r.Path), r.Path)
		}
	}
	all, err := planar.Union(context.Background(), layers...)
	if err != nil {
		t.Fatal(err)
	}
	if a := all.Area(); math.Abs(a-120*80) > 1 || math.Abs(sum-a) > 1 {
		t.Errorf("the regions cover %.2f px² of 9600, %.2f when each is counted", a, sum)
	}
}

// Pictures without soft edges, as old programs make them, become smooth all the
// same.
func TestHardEdges(t *testing.T) {
	d := &drawing.Drawing{Page: geom.Rect{X1: 240, Y1: 160}, Nodes: []drawing.Node{
		shape(geom.Ellipse(geom.Pt(80, 80), 60, 60), red), shape(geom.Box(geom.Rect{X0: 160, Y0: 40, X1: 220, Y1: 120}), blue), shape(polygon(geom.Pt(150, 150), geom.Pt(235, 125), geom.Pt(235, 155)), green),
	}}
	img := render(t, d, 240, 160)
	for i := 0; i < len(img.Pix); i += 4 {
		if img.Pix[i+3] < 128 {
			copy(img.Pix[i:], []byte{0, 0, 0, 0})
		} else {
			img.Pix[i+3] = 255
		}
	}
	tr, err := trace.Trace(context.Background(), img, trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, r := range tr.Regions {
		n += len(r.Path)
	}
	if n > 26 {
		t.Errorf("%d pieces: %v", n, tr.Regions)
	}
	if off := difference(render(t, d, 960, 640), render(t, traced(tr), 960, 640)); off > 0.01 {
		t.Errorf("%.2f %% of it differs", 100*off)
	}
}

// What lies within another is painted after it; where the ground shows, there is a
// hole.
func TestNested(t *testing.T) {
	hole := geom.Ellipse(geom.Pt(90, 60), 15, 15).Reverse()
	d := &drawing.Drawing{Page: geom.Rect{X1: 120, Y1: 120}, Nodes: []drawing.Node{
		shape(append(geom.Ellipse(geom.Pt(60, 60), 55, 55), hole...), red),
		shape(geom.Ellipse(geom.Pt(45, 60), 25, 25), blue), shape(geom.Ellipse(geom.Pt(45, 60), 10, 10), red),
	}}
	tr, err := trace.Trace(context.Background(), render(t, d, 120, 120), trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var order []string
	for _, r := range tr.Regions {
		order = append(order, fmt.Sprintf("%v/%d", r.Colour.R, len(r.Path.Subpaths())))
	}
	if got := strings.Join(order, " "); got != "200/2 20/1 200/1" {
		t.Errorf("painted as %s", got)
	}
	if off := difference(render(t, d, 480, 480), render(t, traced(tr), 480, 480)); off > 0.005 {
		t.Errorf("%.2f %% of it differs", 100*off)
	}
}

// Asked for fewer colours, the nearest become one; the same picture gives the same
// shapes.
func TestColoursAndOrder(t *testing.T) {
	d := &drawing.Drawing{Page: geom.Rect{X1: 90, Y1: 30}, Nodes: []drawing.Node{
		shape(geom.Box(geom.Rect{X0: 2, Y0: 2, X1: 28, Y1: 28}), red), shape(geom.Box(geom.Rect{X0: 32, Y0: 2, X1: 58, Y1: 28}), color.NRGBA{220, 60, 50, 255}), shape(geom.Box(geom.Rect{X0: 62, Y0: 2, X1: 88, Y1: 28}), blue),
	}}
	img := render(t, d, 180, 60)
	for want, n := range map[int]int{0: 3, 2: 2, 3: 3} { // the bare ground does not count
		tr, err := trace.Trace(context.Background(), img, trace.Options{Colours: want})
		if err != nil {
			t.Fatal(err)
		}
		colours := map[color.NRGBA]bool{}
		for _, r := range tr.Regions {
			colours[r.Colour] = true
		}
		if len(colours) != n {
			t.Errorf("of %d colours asked for came %d", want, len(colours))
		}
		again, _ := trace.Trace(context.Background(), img, trace.Options{Colours: want})
		if fmt.Sprint(again.Regions) != fmt.Sprint(tr.Regions) {
			t.Error("traced twice, it is something else")
		}
	}
}

// Pictures that cannot be traced are refused in a sentence.
func TestRefused(t *testing.T) {
	for what, img := range map[string]*image.NRGBA{"one colour": image.NewNRGBA(image.Rect(0, 0, 40, 40)), "one px": image.NewNRGBA(image.Rect(0, 0, 1, 1)), "huge": {Rect: image.Rect(0, 0, 9000, 9000)}} {
		if _, err := trace.Trace(context.Background(), img, trace.Options{}); err == nil {
			t.Errorf("%s was traced", what)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	img := image.NewNRGBA(image.Rect(0, 0, 100, 100))
	for i := range img.Pix {
		img.Pix[i] = byte(i / 4 % 3 * 100)
	}
	if _, err := trace.Trace(ctx, img, trace.Options{}); err == nil {
		t.Error("nobody waited, and it was traced")
	}
}

// Open drawings at 256 px come out as what they were, whatever happened to them:
// what is reached today, of every tenth, or fifth with DYEKIT_TEST_ALL set.
func TestTracingsComeNear(t *testing.T) {
	every := budget.Of(10, 5)
	var some []specimen
	for i, x := range specimens(t) {
		if i%every == 0 {
			some = append(some, x)
		}
	}
	for i, most := range []struct{ middle, nearly, pieces, most float64 }{{0.0045, 0.0170, 1.40, 2.90}, {0.0075, 0.0270, 1.30, 4.00}, {0.0088, 0.0320, 1.35, 4.30}} {
		r := rate(t, some, 256, spoilings[i])
		if m, n, p, q := quantile(r, 0.5, off), quantile(r, 0.95, off), quantile(r, 0.5, more), quantile(r, 0.95, more); m > most.middle || n > most.nearly || p > most.pieces || q > most.most {
			t.Errorf("%s: %.2f %% of the area off in the middle, %.2f %% for 95 %%; segments × %.2f in the middle, × %.2f for 95 %%", spoilings[i].name, 100*m, 100*n, p, q)
		}
	}
}

// Whatever the pixels, a tracing or an error.
func FuzzTrace(f *testing.F) {
	f.Add([]byte("abcdefghijklmnop"), uint8(4), uint8(0), uint8(30))
	f.Add(bytes.Repeat([]byte{255, 0, 0, 255, 0, 0, 0, 0}, 40), uint8(8), uint8(3), uint8(100))
	f.Fuzz(func(t *testing.T, pix []byte, w, n, smooth uint8) {
		width := max(1, int(w))
		h := len(pix) / 4 / width
		if h < 1 || len(pix) > 1<<14 {
			return
		}
		img := &image.NRGBA{Pix: pix, Stride: 4 * width, Rect: image.Rect(0, 0, width, h)}
		tr, err := trace.Trace(context.Background(), img, trace.Options{Colours: int(n % 70), Smooth: float64(smooth) / 255})
		if err != nil {
			return
		}
		for _, r := range tr.Regions {
			if !r.Path.Finite() {
				t.Fatal("a path that leads nowhere")
			}
		}
	})
}
