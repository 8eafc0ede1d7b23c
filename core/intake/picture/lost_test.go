package picture

import (
	"image"
	"image/color"
	"math/rand/v2"
	"slices"
	"testing"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// bars is white with upright bars of two px, ten px high, and a large square.
func bars(n int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, 200, 100))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	fill := func(r image.Rectangle) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				img.SetNRGBA(x, y, color.NRGBA{20, 30, 60, 255})
			}
		}
	}
	fill(image.Rect(60, 5, 120, 65))
	for i := range n {
		fill(image.Rect(10+8*i, 80, 12+8*i, 90))
	}
	return img
}

// Small parts are counted one by one, and each that is gone, half gone or elsewhere is told
// with its place; a lighter ink and what is large are not.
func TestLostParts(t *testing.T) {
	img := bars(12)
	change := func(f func(g *image.NRGBA)) *image.NRGBA {
		g := image.NewNRGBA(img.Rect)
		copy(g.Pix, img.Pix)
		f(g)
		return g
	}
	white := func(g *image.NRGBA, r image.Rectangle) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				g.SetNRGBA(x, y, color.NRGBA{255, 255, 255, 255})
			}
		}
	}
	for what, c := range map[string]struct {
		got  *image.NRGBA
		lost int
	}{
		"the same":                {img, 0},
		"one is gone":             {change(func(g *image.NRGBA) { white(g, image.Rect(18, 80, 20, 90)) }), 1},
		"two thirds of one":       {change(func(g *image.NRGBA) { white(g, image.Rect(18, 83, 20, 90)) }), 1},
		"a third of one":          {change(func(g *image.NRGBA) { white(g, image.Rect(18, 87, 20, 90)) }), 0},
		"all are gone":            {change(func(g *image.NRGBA) { white(g, image.Rect(0, 75, 200, 100)) }), 12},
		"a hole in what is large": {change(func(g *image.NRGBA) { white(g, image.Rect(70, 20, 100, 50)) }), 0},
		"a lighter ink": {change(func(g *image.NRGBA) {
			for i := 0; i < len(g.Pix); i += 4 {
				for k := range 3 {
					g.Pix[i+k] = 255 - (255-g.Pix[i+k])*2/3
				}
			}
		}), 0},
		"two px aside": {change(func(g *image.NRGBA) {
			for y := 80; y < 90; y++ {
				copy(g.Pix[g.PixOffset(2, y):g.PixOffset(190, y)], img.Pix[img.PixOffset(0, y):img.PixOffset(188, y)])
			}
		}), 12},
	} {
		around := grounds(img)
		all := small(200, 100, art(img, around))
		parts := len(all)
		places, worst := lost(img, c.got, all, around)
		if parts != 12 || len(places) != c.lost || (worst < lostUnder) != (c.lost > 0) {
			t.Errorf("%s: %d parts, %d lost, want %d; the worst keeps %.2f", what, parts, len(places), c.lost, worst)
		}
		if what == "one is gone" && (places[0].X0 != 18 || places[0].Y0 != 80 || places[0].X1 != 20 || places[0].Y1 != 90) {
			t.Errorf("it was at %v", places[0])
		}
		var fs finding.List
		sayLost(&fs, parts, places, worst, nil)
		if (len(fs) == 1) != (c.lost > 0) || c.lost > 0 && (fs[0].Code != finding.LettersLost || len(fs[0].Spots) != c.lost || len(fs.Unseen()) != 1) {
			t.Errorf("%s: %+v", what, fs)
		}
	}
	if all := small(200, 100, art(bars(0), grounds(bars(0)))); all != nil {
		t.Errorf("without small parts: %v", all)
	}
}

// A line of letters is told if it is too low to be read, and only then: not what stands
// apart, not a row of what is high enough, nor a few dots.
func TestTinyLetters(t *testing.T) {
	row := func(n, high, y, step int) (out []part) {
		for i := range n {
			out = append(out, part{box: image.Rect(10+step*i, y-high+i%2, 14+step*i, y), n: 10 + 3*(i%4)})
		}
		return out
	}
	alike := func(ps []part) []part {
		for i := range ps {
			ps[i].n = 20
		}
		return ps
	}
	for what, c := range map[string]struct {
		parts []part
		lines int
	}{
		"eight of five px": {row(8, 5, 50, 6), 1}, "two lines": {append(row(8, 5, 50, 6), row(7, 6, 70, 6)...), 2},
		"of nine px": {row(8, 9, 50, 6), 0}, "four": {row(4, 5, 50, 6), 0}, "none": {nil, 0},
		"beside high ones":  {append(row(5, 5, 50, 6), row(6, 20, 50, 20)...), 0},
		"beads":             {alike(row(8, 5, 50, 6)), 0},
		"one below another": {append(append(row(1, 5, 20, 6), row(1, 5, 40, 6)...), row(3, 5, 60, 6)...), 0},
	} {
		lines, n := tiny(c.parts)
		var fs finding.List
		sayTiny(&fs, lines, n)
		if len(lines) != c.lines || (len(fs) == 1) != (c.lines > 0) {
			t.Errorf("%s: %d lines of %d parts: %v", what, len(lines), n, fs)
		}
	}
}

// Fine lines that reach far are held to the picture in squares: a line that is gone in some is
// told there, one that is there, in a lighter ink too, is not, and large art has none.
func TestLostWires(t *testing.T) {
	plain := func(lines func(set func(x, y int))) *image.NRGBA {
		img := bars(0)
		lines(func(x, y int) { img.SetNRGBA(x, y, color.NRGBA{20, 30, 60, 255}) })
		return img
	}
	slanted := func(set func(x, y int), from, to int) {
		for x := from; x < to; x++ {
			set(x, 66+x/8)
			set(x, 67+x/8)
		}
	}
	img := plain(func(set func(x, y int)) { slanted(set, 6, 194) })
	around := grounds(img)
	marked := art(img, around)
	lines := wires(200, 100, marked, small(200, 100, marked))
	for what, c := range map[string]struct {
		got *image.NRGBA
		cut int
	}{
		"the same":        {img, 0},
		"all is gone":     {bars(0), 6},
		"the first third": {plain(func(set func(x, y int)) { slanted(set, 64, 194) }), 2},
		"dashed, a quarter": {plain(func(set func(x, y int)) {
			slanted(func(x, y int) {
				if x%8 != 0 && x%8 != 1 {
					set(x, y)
				}
			}, 6, 194)
		}), 0},
	} {
		places, all, worst := cut(img, c.got, lines, around)
		var fs finding.List
		sayCut(&fs, places, all, worst)
		if all != 6 && all != 7 || len(places) != c.cut && !(c.cut == 6 && len(places) == all) || (len(fs) == 1) != (c.cut > 0) {
			t.Errorf("%s: cut in %v of %d squares, %.2f at worst: %v", what, places, all, worst, fs)
		}
	}
	marked = art(bars(0), grounds(bars(0)))
	for _, is := range wires(200, 100, marked, nil) {
		if is {
			t.Fatal("a large square has fine lines")
		}
	}
}

// Areas that came out in another colour are told, the largest first; noise, a soft edge and
// what is small are not.
func TestPatches(t *testing.T) {
	img := bars(0)
	paint := func(r image.Rectangle, add uint8) *image.NRGBA {
		g := image.NewNRGBA(img.Rect)
		copy(g.Pix, img.Pix)
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				c := g.NRGBAAt(x, y)
				g.SetNRGBA(x, y, color.NRGBA{c.R + add, c.G, c.B, 255})
			}
		}
		return g
	}
	for what, c := range map[string]struct {
		got  *image.NRGBA
		want []geom.Rect
	}{
		"the same":                  {img, nil},
		"a patch":                   {paint(image.Rect(70, 20, 90, 40), 40), []geom.Rect{{X0: 70, Y0: 20, X1: 90, Y1: 40}}},
		"a faint one":               {paint(image.Rect(70, 20, 90, 40), 15), nil},
		"a line of two px":          {paint(image.Rect(62, 20, 118, 22), 90), nil},
		"a speck of seven by seven": {paint(image.Rect(70, 20, 77, 27), 90), nil},
	} {
		got := patches(img, c.got)
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %v", what, got)
		}
		var fs finding.List
		if sayPatches(&fs, got); (len(fs) == 1) != (len(c.want) > 0) || len(fs) == 1 && len(fs.Unseen()) != 1 {
			t.Errorf("%s: %v", what, fs)
		}
	}
}

// An opening keeps what squares fill and nothing else, as a look at every square does.
func TestOpened(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	for range 300 {
		w, h, side := 1+r.IntN(14), 1+r.IntN(14), 1+r.IntN(4)
		in, want := make([]bool, w*h), make([]bool, w*h)
		for i := range in {
			in[i] = r.IntN(5) > 0
		}
		for y := 0; y+side <= h; y++ {
			for x := 0; x+side <= w; x++ {
				full := true
				for k := range side * side {
					full = full && in[(y+k/side)*w+x+k%side]
				}
				for k := 0; full && k < side*side; k++ {
					want[(y+k/side)*w+x+k%side] = true
				}
			}
		}
		if got := opened(w, h, in, side); !slices.Equal(got, want) {
			t.Fatalf("%d × %d, squares of %d: %v becomes %v", w, h, side, in, got)
		}
	}
}
