package proof

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

// art is shapes of one colour on a page of w × h units.
func art(w, h float64, c colour.Colour, ps ...geom.Path) Art {
	d := &drawing.Drawing{Page: geom.Rect{X1: w, Y1: h}}
	for _, p := range ps {
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: c, Alpha: 1}})
	}
	return Art{d, d.Page}
}

var black = colour.Screen(colour.Black)

func bar(x, y, w, h float64) geom.Path {
	return geom.Box(geom.Rect{X0: x, Y0: y, X1: x + w, Y1: y + h})
}

func union(t *testing.T, ps ...geom.Path) geom.Path {
	t.Helper()
	var ls []planar.Layer
	for _, p := range ps {
		ls = append(ls, planar.Layer{Path: p})
	}
	u, err := planar.Union(t.Context(), ls...)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

// ring is a circle's line.
func ring(x, y, r, width float64) geom.Path {
	return geom.Ellipse(geom.Pt(x, y), r, r).Stroke(geom.Pen{Width: width}, 1e-4)
}

// Widths that are known from how the drawing was made.
func TestDetails(t *testing.T) {
	for _, c := range []struct {
		name      string
		path      geom.Path
		line, gap float64
	}{
		{"two bars", union(t, bar(0, 0, 100, 3), bar(0, 8, 100, 10)), 3, 5},
		{"a frame", union(t, ring(50, 50, 40, 2.5)), 2.5, 77.5},
		{"rings in each other", union(t, ring(50, 50, 40, 6), ring(50, 50, 30, 5)), 5, 4.5},
		{"a slanted line", union(t, bar(0, 0, 90, 4).Transform(geom.Rotate(0.4)), bar(0, 60, 90, 30)), 4, 0},
		{"a wedge is no line", union(t, wedge()), 0, 0},
		{"a small dot", union(t, bar(0, 0, 50, 50), geom.Ellipse(geom.Pt(70, 25), 2, 2)), 4, 0},
		{"a small counter", mustSub(t, bar(0, 0, 60, 60), bar(20, 20, 3, 3)), 0, 3},
	} {
		d := Details(c.path)
		// What is 0 in the table is whatever the whole shape has.
		if c.line > 0 && math.Abs(d.Line-c.line) > 0.02*c.line {
			t.Errorf("%s: the thinnest line is %.3f, drawn %v", c.name, d.Line, c.line)
		}
		if c.gap > 0 && math.Abs(d.Gap-c.gap) > 0.03*c.gap {
			t.Errorf("%s: the narrowest gap is %.3f, drawn %v", c.name, d.Gap, c.gap)
		}
	}
	if d := Details(union(t, wedge())); d.Line != 0 && d.Line < 10 {
		t.Errorf("the tip of a wedge counts as a line of %v", d.Line)
	}
}

// Looking for what is thin first finds what looking everywhere finds.
func TestThinFirst(t *testing.T) {
	for i, p := range []geom.Path{
		union(t, bar(0, 0, 100, 3), bar(0, 8, 100, 10)),
		union(t, bar(0, 0, 100, 20), bar(0, 40, 100, 30)), // nothing thin
		union(t, ring(50, 50, 40, 2.5)),
		union(t, wedge()),
	} {
		e := newEdges(p, p.Bounds())
		for _, side := range []float64{1, -1} {
			got, at := e.thinnest(side)
			want, there := e.thinner(side, math.Inf(1))
			if got != want || at != there {
				t.Errorf("path %d, side %v: %v at %v, by all rays %v at %v", i, side, got, at, want, there)
			}
		}
	}
}

func wedge() geom.Path {
	var p geom.Path
	p.MoveTo(geom.Pt(0, 0))
	p.LineTo(geom.Pt(100, -20))
	p.LineTo(geom.Pt(100, 20))
	p.Close()
	return p
}

func mustSub(t *testing.T, a, b geom.Path) geom.Path {
	t.Helper()
	p, err := planar.Subtract(t.Context(), planar.Layer{Path: a}, planar.Layer{Path: b})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// The quick transform says what comparing every pair of pixels says.
func TestDistances(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20 {
		w, h := 1+r.IntN(20), 1+r.IntN(20)
		on := make([]bool, w*h)
		for i := range on {
			on[i] = r.IntN(9) == 0
		}
		for i, got := range distances(on, w, h) {
			want := math.Inf(1)
			for j := range on {
				if on[j] {
					want = min(want, math.Hypot(float64(i%w-j%w), float64(i/w-j/w)))
				}
			}
			if math.Abs(got-want) > 1e-9 {
				t.Fatalf("%d × %d: pixel %d is %v away, want %v", w, h, i, got, want)
			}
		}
	}
}

func count(img *image.Paletted) int {
	n := 0
	for _, v := range img.Pix {
		n += int(v)
	}
	return n
}

// An inch of a fax is 204 dots across and 98 or 196 down (ITU-T T.4); half a
// page of ink is half the dots.
func TestFax(t *testing.T) {
	a := art(100, 100, black, bar(0, 0, 50, 100))
	for _, fine := range []bool{false, true} {
		img, err := Fax(t.Context(), a, 25.4, fine)
		if err != nil {
			t.Fatal(err)
		}
		h := 98
		if fine {
			h = 196
		}
		if s := img.Rect.Size(); s != image.Pt(204, h) {
			t.Errorf("an inch is %v dots", s)
		}
		if n := count(img); n != 102*h {
			t.Errorf("%d dots are black, want %d", n, 102*h)
		}
		if len(img.Palette) != 2 {
			t.Errorf("%d colours", len(img.Palette))
		}
	}
	// Light colours are white to a fax.
	pale := art(100, 100, colour.Screen(colour.FromBytes(0xf4, 0xe3, 0xb5)), bar(0, 0, 100, 100))
	if img, err := Fax(t.Context(), pale, 25.4, true); err != nil || count(img) != 0 {
		t.Errorf("a pale colour leaves %d dots (%v)", count(img), err)
	}
	if _, err := Fax(t.Context(), a, 1e6, true); err != ErrSize {
		t.Errorf("a fax of a kilometre: %v", err)
	}
}

// A stamp closes a gap of 0.2 mm and keeps one of 0.4; thread loses a line of
// 0.8 mm and keeps one of 1.3; the rest keeps its place.
func TestStampAndThread(t *testing.T) {
	at := func(img *image.Paletted, mm, dpi float64) uint8 {
		return img.ColorIndexAt(int(mm/inch*dpi), img.Rect.Dy()/2)
	}
	gaps := art(20, 5, black, bar(0, 0, 5, 5), bar(5.2, 0, 4.8, 5), bar(10.4, 0, 9.6, 5))
	img, err := Stamp(t.Context(), gaps, 20)
	if err != nil {
		t.Fatal(err)
	}
	if at(img, 5.1, machineDPI) != 1 || at(img, 10.2, machineDPI) != 0 {
		t.Error("a stamp's gaps are wrong")
	}
	lines := art(20, 20, black, bar(2, 0, 0.8, 20), bar(8, 0, 1.3, 20), bar(14, 0, 4, 20))
	img, lost, err := Sewn(t.Context(), lines, 20)
	if err != nil {
		t.Fatal(err)
	}
	if at(img, 2.4, machineDPI/2) != 0 || at(img, 8.65, machineDPI/2) != 1 || at(img, 16, machineDPI/2) != 1 {
		t.Error("the thread is wrong")
	}
	if want := 0.8 / 6.1; math.Abs(lost-want) > 0.03 {
		t.Errorf("%.3f of the ink is lost, want %.3f", lost, want)
	}
	// A block loses its corners' worth at most, a page of hairs all, and none is no loss.
	for name, c := range map[string]struct {
		a          Art
		want, near float64
	}{"a block": {art(20, 20, black, bar(2, 2, 16, 16)), 0, 1e-3}, "hairs": {art(20, 20, black, bar(2, 0, 0.5, 20), bar(8, 0, 0.5, 20)), 1, 0}, "white": {art(20, 20, colour.Screen(colour.White), bar(2, 2, 16, 16)), 0, 0}} {
		if _, lost, err := Sewn(t.Context(), c.a, 20); err != nil || math.Abs(lost-c.want) > c.near {
			t.Errorf("%s: %v of the ink is lost, %v, want %v", name, lost, err, c.want)
		}
	}
}

// Two copies turn a light tint to paper and a dark one to black; the share of
// ink on newsprint is that of the art with its gain.
func TestCopyAndNewsprint(t *testing.T) {
	mean := func(v uint8) float64 {
		a := art(30, 30, colour.Screen(colour.FromBytes(v, v, v)), bar(0, 0, 30, 30))
		img, err := Photocopy(t.Context(), a, 30)
		if err != nil {
			t.Fatal(err)
		}
		return float64(img.GrayAt(img.Rect.Dx()/2, img.Rect.Dy()/2).Y)
	}
	if light, dark := mean(0xd8), mean(0x40); light != 255 || dark != 0 {
		t.Errorf("a light tint becomes %v, a dark one %v", light, dark)
	}
	for _, v := range []uint8{255, 191, 128, 64, 0} {
		a := art(30, 30, colour.Screen(colour.FromBytes(v, v, v)), bar(0, 0, 30, 30))
		img, err := Newsprint(t.Context(), a, 30)
		if err != nil {
			t.Fatal(err)
		}
		ink := 0
		for _, p := range img.Pix {
			if p < 128 {
				ink++
			}
		}
		c := 1 - float64(v)/255
		want := c + 4*newsGain*c*(1-c)
		if got := float64(ink) / float64(len(img.Pix)); math.Abs(got-min(1, want)) > 0.02 {
			t.Errorf("grey %d prints %.3f of ink, want %.3f", v, got, want)
		}
	}
}

// A frame of 10 mm outside and 8 inside is 72 mm to cut, its hole the shortest
// path, its strips 1 mm thick.
func TestCutting(t *testing.T) {
	c := Cutting(mustSub(t, bar(0, 0, 50, 50), bar(5, 5, 40, 40)), 50, 10)
	if c.Paths != 2 || math.Abs(c.Length-72) > 1e-6 || math.Abs(c.Shortest-32) > 1e-6 || math.Abs(c.Smallest-10) > 1e-6 || math.Abs(c.Narrow-1) > 0.01 {
		t.Errorf("%+v", c)
	}
	if c := Cutting(nil, 50, 10); c != (Cut{}) {
		t.Errorf("nothing to cut: %+v", c)
	}
}

// White and greys stay; each matrix takes the axis its cones see. The rows of
// the published matrices sum to 1 within their rounding.
func TestVisions(t *testing.T) {
	for _, v := range Visions {
		for r := range 3 {
			if s := v.m[3*r] + v.m[3*r+1] + v.m[3*r+2]; math.Abs(s-1) > 2e-6 {
				t.Errorf("%s: row %d sums to %v", v.Key, r, s)
			}
		}
		for _, g := range []uint8{0, 128, 255} {
			if h := v.See(colour.FromBytes(g, g, g)).Hex(); h != colour.FromBytes(g, g, g).Hex() {
				t.Errorf("%s: grey %d is seen as %s", v.Key, g, h)
			}
		}
	}
	// Red and green of one brightness fall together without red or green
	// cones, blue and green without blue ones.
	red, green := colour.FromBytes(0xb0, 0x6a, 0x2c), colour.FromBytes(0x7e, 0x7e, 0x2c)
	p, ok := Visions[1].Nearest([]colour.RGB{red, green, colour.White})
	if !ok || p.Difference > 10 || colour.Difference(red.Lab(), green.Lab()) < 15 {
		t.Errorf("without green cones: %+v, by others %v", p, colour.Difference(red.Lab(), green.Lab()))
	}
	if _, ok := Visions[0].Nearest([]colour.RGB{colour.White}); ok {
		t.Error("one colour makes a pair")
	}
}

func TestCompare(t *testing.T) {
	a := image.NewNRGBA(image.Rect(0, 0, 4, 1))
	b := image.NewNRGBA(image.Rect(0, 0, 4, 1))
	set := func(img *image.NRGBA, i int, v ...uint8) { copy(img.Pix[4*i:], v) }
	set(a, 0, 200, 30, 30, 255)
	set(b, 0, 200, 30, 30, 255)
	set(a, 1, 10, 20, 30, 255)
	set(b, 1, 30, 60, 90, 255)
	set(a, 2, 255, 255, 255, 255) // white against nothing: seen on black
	d, err := Compare(a, b)
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(d.Most-100) > 1e-4 || d.At != image.Pt(2, 0) || math.Abs(d.Seen-2.0/3) > 1e-9 {
		t.Errorf("%+v", d)
	}
	want := colour.Difference(colour.FromBytes(10, 20, 30).Lab(), colour.FromBytes(30, 60, 90).Lab())
	if math.Abs(d.Mean-(want+100)/3) > 1e-4 || d.Map.Pix[0] != 0 || d.Map.Pix[2] != 255 {
		t.Errorf("mean %v, want %v; map %v", d.Mean, (want+100)/3, d.Map.Pix)
	}
	if _, err := Compare(a, image.NewNRGBA(image.Rect(0, 0, 3, 1))); err == nil {
		t.Error("pictures of two sizes were compared")
	}
}

// Plates carry the build; laid over each other they look as the press shows
// it; shifted, only the edges change.
func TestPlatesLaidOver(t *testing.T) {
	c := colour.Colour{RGB: colour.FromBytes(0x6b, 0x2d, 0x4f), Build: colour.CMYK{C: 40, M: 85, Y: 20, K: 35}, Built: true}
	a := art(100, 50, c, bar(25, 10, 50, 30))
	a.Drawing.Nodes = append(a.Drawing.Nodes, &drawing.Shape{Path: bar(40, 20, 20, 10), Paint: drawing.Solid{Colour: colour.Colour{RGB: colour.FromBytes(0, 160, 120), Spot: "Leaf", Built: true}, Alpha: 1}})
	ps, err := Plates(t.Context(), a, 200, 100, colour.Coated)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]float64{"Cyan": 0.26 * 0.4, "Magenta": 0.26 * 0.85, "Yellow": 0.26 * 0.2, "Black": 0.26 * 0.35, "Leaf": 0.04}
	for _, p := range ps {
		if math.Abs(p.Coverage-want[p.Name]) > 0.002 {
			t.Errorf("%s covers %.4f, want %.4f", p.Name, p.Coverage, want[p.Name])
		}
	}
	if len(ps) != 5 {
		t.Fatalf("%d plates", len(ps))
	}
	img := Printed(ps, colour.Coated, 50, nil)
	shown := colour.Coated.Show(c.Build)
	if got := colour.FromBytes(img.Pix[4*(50*200+60)], img.Pix[4*(50*200+60)+1], img.Pix[4*(50*200+60)+2]); colour.Difference(got.Lab(), shown.Lab()) > 1 {
		t.Errorf("printed as %s, want %s", got.Hex(), shown.Hex())
	}
	off := Printed(ps, colour.Coated, 50, map[string][2]float64{"Cyan": {0.25, 0}}) // one px
	for _, x := range []struct {
		at   int
		same bool
	}{{50*200 + 70, true}, {50*200 + 50, false}, {50*200 + 150, false}, {5 * 200, true}} {
		if same := string(img.Pix[4*x.at:4*x.at+4]) == string(off.Pix[4*x.at:4*x.at+4]); same != x.same {
			t.Errorf("pixel %d is the same: %v", x.at, same)
		}
	}
}

func BenchmarkDetails(b *testing.B) {
	var ls []planar.Layer
	for i := range 100 {
		ls = append(ls, planar.Layer{Path: ring(float64(i%10)*20, float64(i/10)*20, 8, 3)})
	}
	u, err := planar.Union(context.Background(), ls...)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if d := Details(u); fmt.Sprintf("%.1f", d.Line) != "3.0" {
			b.Fatal(d)
		}
	}
}

// The screen of newsprint is made of dots and not of lines: ink and paper change along both
// diagonals, and across and down.
func TestNewsprintHasDots(t *testing.T) {
	a := art(30, 30, colour.Screen(colour.FromBytes(150, 150, 150)), bar(0, 0, 30, 30))
	img, err := Newsprint(t.Context(), a, 30)
	if err != nil {
		t.Fatal(err)
	}
	w, h := img.Rect.Dx(), img.Rect.Dy()
	for _, d := range []image.Point{{1, 0}, {0, 1}, {1, 1}, {1, -1}} {
		changes := 0
		for y := 1; y < h-1; y++ {
			for x := range w - 1 {
				if (img.GrayAt(x, y).Y < 128) != (img.GrayAt(x+d.X, y+d.Y).Y < 128) {
					changes++
				}
			}
		}
		if share := float64(changes) / float64(w*h); share < 0.05 {
			t.Errorf("along %v ink and paper change at %.3f of the px", d, share)
		}
	}
	late, cancel := context.WithCancel(t.Context())
	cancel()
	if img, err := Newsprint(late, a, 30); err == nil || img != nil {
		t.Errorf("nobody waits, and it is drawn: %v", err)
	}
}

// Each plate holds its share of every colour: of a mixture too, and of a picture in a plate
// its tints. What lies over a plate and is none of it takes it away, and a plate looks like
// its full ink wherever that stands.
func TestPlatesOfMixtures(t *testing.T) {
	ember := colour.Colour{RGB: colour.FromBytes(217, 72, 120), Build: colour.CMYK{M: 80, Y: 20, K: 10}, Built: true, Spot: "Ember"}
	tint := ember
	tint.RGB, tint.Tint = colour.FromBytes(240, 189, 202), 40
	mix, _ := colour.NewMixture([]colour.Amount{{Plate: "Ember", Tint: 60}, {Plate: "Black", Tint: 25}}, func(full []bool) (k colour.CMYK) {
		if full[0] {
			k.M, k.Y = 80, 20
		}
		if full[1] {
			k.K = 100
		}
		return k
	})
	mixed := colour.Colour{RGB: colour.FromBytes(120, 80, 90), Build: mix.Build(), Built: true, Mix: mix}
	cell := func(i int, c colour.Colour) *drawing.Shape {
		return &drawing.Shape{Path: geom.Box(geom.Rect{X0: float64(10 * i), X1: float64(10*i + 10), Y1: 10}), Paint: drawing.Solid{Colour: c, Alpha: 1}}
	}
	pixels := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	pixels.Pix = []uint8{200, 150, 160, 255}
	picture := func(i int, k *drawing.Inks) *drawing.Picture {
		return &drawing.Picture{Image: pixels, Inks: k, Alpha: 1, To: geom.Translate(float64(10*i), 0).Mul(geom.Scale(10, 10))}
	}
	d := &drawing.Drawing{Page: geom.Rect{X1: 50, Y1: 10}, Nodes: []drawing.Node{cell(0, tint), cell(1, mixed), cell(2, ember), cell(3, ember), picture(3, nil), picture(4, &drawing.Inks{Spot: ember, Pix: []uint8{51}})}}
	ps, err := Plates(t.Context(), Art{Drawing: d, Box: d.Page}, 50, 10, colour.Coated)
	if err != nil || len(ps) != 5 {
		t.Fatalf("%d plates: %v", len(ps), err)
	}
	for name, want := range map[string][5]float64{"Ember": {.4, .6, 1, 0, .2}, "Black": {0, .25, 0, -1, 0}, "Cyan": {0, 0, 0, -1, 0}, "Magenta": {0, 0, 0, -1, 0}} {
		for _, p := range ps {
			for i, v := range want {
				if got := float64(p.Image.GrayAt(10*i+5, 5).Y) / 255; p.Name == name && v >= 0 && math.Abs(got-v) > 0.01 {
					t.Errorf("%s of cell %d is %.2f, want %.2f", name, i, got, v)
				}
			}
			if p.Name == "Ember" && p.Ink != ember.RGB {
				t.Errorf("%s looks like %s, want %s", p.Name, p.Ink.Hex(), ember.RGB.Hex())
			}
		}
	}
}
