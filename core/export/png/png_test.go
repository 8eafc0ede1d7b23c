package png

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	stdpng "image/png"
	"io"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"dyekit/core/export"
)

// paint makes a picture from a function of place.
func paint(w, h int, f func(x, y int) color.NRGBA) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, f(x, y))
		}
	}
	return img
}

// Whatever colour type is chosen, the reader of the standard library sees the
// very same pixels.
func TestEveryTypeIsLossless(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	noise := func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(1 + r.IntN(255))}
	}
	for _, c := range []struct {
		name        string
		img         *image.NRGBA
		kind, depth byte
	}{
		{"one colour", paint(5, 3, func(x, y int) color.NRGBA { return color.NRGBA{200, 10, 10, 255} }), palette, 1},
		{"two with bare", paint(17, 9, func(x, y int) color.NRGBA { return color.NRGBA{200, 10, 10, uint8(255 * (x & 1))} }), palette, 1},
		{"four", paint(9, 9, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x % 4 * 60), 10, 10, 255} }), palette, 2},
		{"sixteen", paint(33, 9, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x % 16 * 16), 10, 90, 255} }), palette, 4},
		{"ramp of opacity", paint(256, 4, func(x, y int) color.NRGBA {
			if x == 0 {
				return color.NRGBA{}
			}
			return color.NRGBA{26, 95, 122, uint8(x)}
		}), palette, 8},
		{"grey", paint(64, 64, func(x, y int) color.NRGBA { v := uint8(x * y); return color.NRGBA{v, v, v, 255} }), grey, 8},
		{"grey and opacity", paint(64, 64, func(x, y int) color.NRGBA { v := uint8(x * 4); return color.NRGBA{v, v, v, uint8(1 + y*3)} }), greyAlpha, 8},
		{"photograph", paint(64, 64, func(x, y int) color.NRGBA { c := noise(x, y); c.A = 255; return c }), trueColor, 8},
		{"all of it", paint(64, 64, noise), trueAlpha, 8},
	} {
		b, err := export.Bytes(func(w io.Writer) error { return Encode(w, c.img, Options{PPI: 300}) })
		if err != nil {
			t.Fatal(err)
		}
		if b[25] != c.kind || b[24] != c.depth {
			t.Errorf("%s: colour type %d of %d bits, want %d of %d", c.name, b[25], b[24], c.kind, c.depth)
		}
		got, err := stdpng.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		for y := range c.img.Rect.Dy() {
			for x := range c.img.Rect.Dx() {
				if g, w := color.NRGBAModel.Convert(got.At(x, y)), c.img.NRGBAAt(x, y); g != w {
					t.Fatalf("%s: pixel %d,%d is %v, want %v", c.name, x, y, g, w)
				}
			}
		}
		again, _ := export.Bytes(func(w io.Writer) error { return Encode(w, c.img, Options{PPI: 300}) })
		if !bytes.Equal(b, again) {
			t.Errorf("%s: not the same bytes twice", c.name)
		}
	}
}

// Interlaced or not, in one block or many, the pixels are the same.
func TestInterlaceAndBlocks(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, size := range [][2]int{{1, 1}, {3, 2}, {5, 9}, {64, 64}, {310, 400}} {
		img := paint(size[0], size[1], func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(x), uint8(y), uint8(r.IntN(9)), uint8(255 - r.IntN(3)*(x&1))}
		})
		for _, o := range []Options{{Interlace: true}, {}, {Quick: true}, {NoPalette: true, Interlace: true}} {
			b, err := export.Bytes(func(w io.Writer) error { return Encode(w, img, o) })
			if err != nil {
				t.Fatal(err)
			}
			if (b[28] == 1) != o.Interlace {
				t.Errorf("%v: interlace method %d", size, b[28])
			}
			got, err := stdpng.Decode(bytes.NewReader(b))
			if err != nil {
				t.Fatalf("%v %+v: %v", size, o, err)
			}
			for y := range size[1] {
				for x := range size[0] {
					if g, w := color.NRGBAModel.Convert(got.At(x, y)), img.NRGBAAt(x, y); g != w {
						t.Fatalf("%v %+v: pixel %d,%d is %v, want %v", size, o, x, y, g, w)
					}
				}
			}
		}
	}
}

// The same bytes whatever the number of cores.
func TestCoresDoNotMatter(t *testing.T) {
	img := paint(900, 700, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x * y), uint8(x), uint8(y), 255} })
	var files [2][]byte
	for i, n := range []int{1, 8} {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(n))
		files[i], _ = export.Bytes(func(w io.Writer) error { return Encode(w, img, Options{}) })
	}
	if !bytes.Equal(files[0], files[1]) {
		t.Error("one core and eight write different files")
	}
}

// Few colours where asked, and by itself only where nobody sees it.
func TestQuantise(t *testing.T) {
	ramp := paint(512, 64, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(x / 2), uint8(90 + x/8), uint8(200 - y), uint8(255 - y/8)}
	})
	kinds := func(o Options) (kind byte, n int, l Loss) {
		b, err := export.Bytes(func(w io.Writer) error { return Encode(w, ramp, o) })
		if err != nil {
			t.Fatal(err)
		}
		got, err := stdpng.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		flat := paint(512, 64, func(x, y int) color.NRGBA { return color.NRGBAModel.Convert(got.At(x, y)).(color.NRGBA) })
		if p, ok := got.(*image.Paletted); ok {
			n = len(p.Palette)
		}
		return b[25], n, Compare(ramp, flat)
	}
	last := 0.0
	for _, n := range []int{256, 64, 16, 2} {
		kind, got, l := kinds(Options{Colours: n})
		if kind != palette || got > n || l.Mean <= last {
			t.Errorf("%d colours: type %d, %d entries, loss %+v after a mean of %v", n, kind, got, l, last)
		}
		last = l.Mean
	}
	if kind, _, l := kinds(Options{}); kind != trueAlpha || l != (Loss{}) {
		t.Errorf("unasked: type %d, loss %+v", kind, l)
	}
	if kind, _, l := kinds(Options{Auto: true}); kind != trueAlpha || l != (Loss{}) {
		t.Errorf("a wide ramp in 256 colours is seen, yet it came as type %d with %+v", kind, l)
	}
	// Two inks and their edges: more than 256 mixtures, none far from another.
	ramp = paint(512, 64, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(30 + x%24), uint8(90 + y%20), 120, 255}
	})
	if kind, n, l := kinds(Options{Auto: true}); kind != palette || n > 256 || !l.Unseen() || l.Most == 0 {
		t.Errorf("near-equal colours: type %d, %d entries, %+v", kind, n, l)
	}
	bare := paint(300, 9, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), 9, uint8(y), uint8(x / 2)} })
	if q := Quantise(bare, 8); q.NRGBAAt(0, 0) != (color.NRGBA{}) {
		t.Errorf("what is bare became %v", q.NRGBAAt(0, 0))
	}
}

// Pixels per metre for the resolutions of the trade: round(ppi / 0.0254),
// PNG section 11.3.5.3.
// A search finds what looking at every centre finds, also where two are as near.
func TestSearchIsNearest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(11, 2))
	grid := func() (v [4]float64) { // coarse, so that distances tie
		for k := range v {
			v[k] = float64(rnd.IntN(9) * 32)
		}
		return v
	}
	for range 200 {
		centres := make([][4]float64, 1+rnd.IntN(40))
		for i := range centres {
			centres[i] = grid()
		}
		s := newSearch(centres)
		for range 50 {
			v := grid()
			best, want := math.Inf(1), 0
			for i, c := range centres {
				d := 0.0
				for k := range v {
					d += (v[k] - c[k]) * (v[k] - c[k])
				}
				if d < best {
					best, want = d, i
				}
			}
			if got := s.nearest(v); got != want {
				t.Fatalf("%v: centre %d, the nearest is %d of %v", v, got, want, centres)
			}
		}
	}
}

func TestResolution(t *testing.T) {
	img := paint(1, 1, func(x, y int) color.NRGBA { return color.NRGBA{A: 255} })
	for ppi, want := range map[float64]uint32{72: 2835, 150: 5906, 300: 11811, 350: 13780} {
		b, err := export.Bytes(func(w io.Writer) error { return Encode(w, img, Options{PPI: ppi}) })
		if err != nil {
			t.Fatal(err)
		}
		i := bytes.Index(b, []byte("pHYs"))
		if i < 0 || binary.BigEndian.Uint32(b[i+4:]) != want || binary.BigEndian.Uint32(b[i+8:]) != want || b[i+12] != 1 {
			t.Errorf("%v ppi: % x, want %d twice and the metre", ppi, b[i+4:i+13], want)
		}
	}
	b, _ := export.Bytes(func(w io.Writer) error { return Encode(w, img, Options{}) })
	if bytes.Contains(b, []byte("pHYs")) {
		t.Error("a resolution nobody asked for")
	}
}

func TestNoPalette(t *testing.T) {
	img := paint(8, 8, func(x, y int) color.NRGBA { return color.NRGBA{200, 0, 0, uint8(x * 30)} })
	if b, _ := export.Bytes(func(w io.Writer) error { return Encode(w, img, Options{NoPalette: true}) }); b[25] != trueAlpha {
		t.Errorf("colour type %d", b[25])
	}
	if _, err := export.Bytes(func(w io.Writer) error { return Encode(w, image.NewNRGBA(image.Rectangle{}), Options{}) }); err == nil {
		t.Error("a picture without pixels was written")
	}
}
