package board

import (
	"context"
	"fmt"
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

func shape(t testing.TB, name string, p geom.Path) Candidate {
	t.Helper()
	ink := colour.Screen(colour.FromBytes(0x20, 0x60, 0x47))
	d := &drawing.Drawing{Page: p.Bounds().Grow(5), Nodes: []drawing.Node{&drawing.Shape{Path: p, Paint: drawing.Solid{Colour: ink, Alpha: 1}}}}
	c, err := New(context.Background(), name, d)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func box(w, h float64) geom.Path { return geom.Box(geom.Rect{X0: 7, Y0: 3, X1: 7 + w, Y1: 3 + h}) }

// Ink and optical size of shapes with known areas: √(√area · height).
func TestOpticalSize(t *testing.T) {
	for _, x := range []struct {
		name       string
		p          geom.Path
		area, high float64
	}{
		{"square", box(100, 100), 10000, 100},
		{"the square, larger", box(500, 500), 250000, 500},
		{"circle", geom.Ellipse(geom.Pt(60, 60), 50, 50), math.Pi * 2500, 100},
		{"wordmark", box(400, 50), 20000, 50},
		{"mast", box(10, 300), 3000, 300},
		{"frame", append(box(100, 100), geom.Box(geom.Rect{X0: 17, Y0: 13, X1: 97, Y1: 93}).Reverse()...), 10000 - 6400, 100},
	} {
		c := shape(t, x.name, x.p)
		if math.Abs(c.Ink/x.area-1) > 0.003 {
			t.Errorf("%s: %.0f units of ink, not %.0f", x.name, c.Ink, x.area)
		}
		if want := math.Sqrt(math.Sqrt(x.area) * x.high); math.Abs(c.Optical()/want-1) > 0.003 {
			t.Errorf("%s: looks %.1f large, not %.1f", x.name, c.Optical(), want)
		}
	}
}

// painted is the box of what is not white in a part of a picture.
func painted(img *image.NRGBA, r image.Rectangle) (out image.Rectangle) {
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			if p := img.NRGBAAt(x, y); p.G < 0xa0 && p.R < 0x60 {
				out = out.Union(image.Rect(x, y, x+1, y+1))
			}
		}
	}
	return out
}

func drawn(t testing.TB, p export.Page, ppi float64) *image.NRGBA {
	t.Helper()
	w, h := int(p.Frame.W/96*ppi), int(p.Frame.H/96*ppi)
	img, err := raster.Render(context.Background(), p.Drawing, raster.Fit(p.Frame.Box, w, h), w, h, raster.Options{Ground: &colour.White})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// Drawn however large, a square and a circle stand on the page at the same optical
// size: the circle is √(1/√(√(π/4))) times as high as the square, 1.062 times.
func TestEqualOnThePage(t *testing.T) {
	cs := []Candidate{shape(t, "square", box(31, 31)), shape(t, "circle", geom.Ellipse(geom.Pt(900, 900), 700, 700)), shape(t, "square again", box(2000, 2000))}
	high := make([]float64, len(cs))
	for i := range cs {
		p, err := One(cs, i, Layout{}, "white", 100, 100)
		if err != nil {
			t.Fatal(err)
		}
		img := drawn(t, p, 254) // 10 px to the mm
		high[i] = float64(painted(img, img.Rect.Inset(5)).Dy())
	}
	if math.Abs(high[0]-high[2]) > 1 {
		t.Errorf("the same square is %.0f and %.0f px high", high[0], high[2])
	}
	if want := 1 / math.Sqrt(math.Sqrt(math.Pi/4)); math.Abs(high[1]/high[0]-want) > 0.01 {
		t.Errorf("the circle is %.3f times as high as the square, not %.3f", high[1]/high[0], want)
	}
}

// Two to thirty candidates fit on one page, by candidate and by ground; one that is
// very wide does not make the others small.
func TestBoards(t *testing.T) {
	var all []Candidate
	for i := range Most {
		all = append(all, shape(t, fmt.Sprintf("candidate with a rather long name %d", i), box(100+float64(i*7%60), 80)))
	}
	all[4].Chosen = true
	for _, n := range []int{2, 3, 5, 12, 30} {
		for _, l := range []Layout{{}, {ByGround: true}, {Tall: true, Notes: true, Title: "Candidates", Line: "Vat Nine"}, {Paper: "letter", Ground: "#d9b310", ByGround: true, Notes: true, Tall: true}} {
			p, err := Page(all[:n], l)
			if err != nil {
				t.Fatal(err)
			}
			if b := p.Drawing.Bounds(); !p.Frame.Box.Contains(b, 1e-6) {
				t.Errorf("%d, %+v: something lies outside the page: %v", n, l, b)
			}
		}
	}
	usual := scaleFor(all, 50, 40)
	wide := append([]Candidate{shape(t, "wide", box(3000, 20))}, all[:8]...)
	s := scaleFor(wide, 50, 40)
	if s.k < usual.k*odd*0.9 || !s.smaller(&wide[0]) || s.smaller(&wide[1]) {
		t.Errorf("a very wide one: %.2f instead of %.2f", s.k, usual.k)
	}
	if w := wide[0].Box.W() * s.of(&wide[0]); w > 50+1e-6 {
		t.Errorf("it is %.1f wide in a box of 50", w)
	}
	for name, l := range map[string]Layout{"paper": {Paper: "a0"}, "ground": {Ground: "blue"}} {
		if _, err := Page(all[:4], l); err == nil {
			t.Errorf("a wrong %s is taken", name)
		}
	}
	for _, n := range []int{0, 1, 31} {
		if _, err := Page(make([]Candidate, n), Layout{}); err == nil {
			t.Errorf("%d candidates are taken", n)
		}
	}
}

func BenchmarkThirty(b *testing.B) {
	for b.Loop() {
		var cs []Candidate
		for i := range Most {
			cs = append(cs, shape(b, "x", box(100, 50+float64(i))))
		}
		if _, err := Page(cs, Layout{}); err != nil {
			b.Fatal(err)
		}
	}
}

// By ground the numbers are told apart by a legend: its letters stand above the rows,
// and are those of the names.
func TestByGroundHasALegend(t *testing.T) {
	letters := func(names ...string) (n int, foot float64) {
		var cs []Candidate
		for _, name := range names {
			cs = append(cs, shape(t, name, box(100, 80)))
		}
		p, err := Page(cs, Layout{ByGround: true})
		if err != nil {
			t.Fatal(err)
		}
		s, ok := p.Drawing.Nodes[0].(*drawing.Shape)
		if !ok || s.Origin != drawing.Lettered {
			t.Fatalf("%q: the page begins with %T", names, p.Drawing.Nodes[0])
		}
		return len(s.Path.Subpaths()), s.Path.Bounds().Y1
	}
	short, foot := letters("l", "l")
	long, _ := letters("lll", "lllll")
	if long-short != 6 { // an l is one outline
		t.Errorf("six letters more are %d outlines", long-short)
	}
	if foot > 40 {
		t.Errorf("the legend stands %.0f mm down the page", foot)
	}
}

// On a ground of choice candidates stand as a person would put them there (answers by
// hand): white on their own colour, in colour where all of it stands out.
func TestGroundOfChoice(t *testing.T) {
	c := shape(t, "disc", geom.Ellipse(geom.Pt(60, 60), 50, 50)) // dark green
	for ground, want := range map[string]*drawing.Drawing{"#206047": c.White, "#1a1a1a": c.White, "#ffffff": c.Colour, "#f5e9b0": c.Colour} {
		g, err := colour.ParseHex(ground)
		if err != nil {
			t.Fatal(err)
		}
		if c.On(g) != want {
			t.Errorf("on %s stands another version", ground)
		}
		vs := Layout{Ground: ground}.views()
		if last := vs[len(vs)-1]; last.name != ground || last.of(&c) != want {
			t.Errorf("the board shows another version on %s", last.name)
		}
	}
}

// Cells stand so that they are as large as can be: answered by hand for sheets that leave no
// doubt.
func TestColumns(t *testing.T) {
	for _, c := range []struct {
		n     int
		w, h  float64
		shape float64
		want  int
	}{{1, 200, 100, 1, 1}, {2, 300, 100, 1, 2}, {2, 100, 300, 1, 1}, {4, 200, 200, 1, 2}, {6, 300, 200, 1, 3}, {6, 200, 300, 1, 2}, {9, 300, 300, 1, 3}, {5, 1000, 100, 1, 5}, {4, 200, 100, 2, 2}, {3, 100, 100, 4, 1}} {
		if got := columns(c.n, c.w, c.h, c.shape); got != c.want {
			t.Errorf("%d cells on %v × %v stand %d side by side, want %d", c.n, c.w, c.h, got, c.want)
		}
	}
}
