package png

import (
	"bytes"
	"compress/flate"
	"compress/zlib"
	"image/color"
	"io"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	kflate "github.com/klauspost/compress/flate"

	"dyekit/core/export"
	"dyekit/core/flat"
)

// scene is flat art with soft edges: discs of a few colours over each other.
func scene(seed uint64, w, h, colours int) func(x, y int) color.NRGBA {
	r := rand.New(rand.NewPCG(seed, 7))
	type disc struct {
		x, y, r float64
		c       color.NRGBA
	}
	var ds []disc
	for i := range colours {
		ds = append(ds, disc{r.Float64() * float64(w), r.Float64() * float64(h), (0.1 + r.Float64()*0.3) * float64(h), color.NRGBA{uint8(i * 67), uint8(i * 131), uint8(255 - i*40), 255}})
	}
	return func(x, y int) (c color.NRGBA) {
		for _, d := range ds {
			a := min(1, max(0, d.r-math.Hypot(float64(x)-d.x, float64(y)-d.y)))
			switch {
			case a == 1:
				c = d.c
			case a > 0 && c.A == 0:
				c = d.c
				c.A = uint8(a * 255)
			case a > 0:
				mix := func(p, q uint8) uint8 { return uint8(float64(p)*(1-a) + float64(q)*a) }
				c = color.NRGBA{mix(c.R, d.c.R), mix(c.G, d.c.G), mix(c.B, d.c.B), max(c.A, uint8(a*255))}
			}
		}
		return c
	}
}

// The stream of tokens is what the inflater of the standard library reads back
// to the very lines, of every colour type and however long the lines are.
func TestTokensInflate(t *testing.T) {
	for _, size := range [][2]int{{900, 700}, {30, 4000}, {12_000, 40}, {1, 90_000}, {300, 2}} {
		for n := 1; n < 6; n += 2 {
			img := paint(size[0], size[1], scene(uint64(n), size[0], size[1], n))
			f := analyse(img)
			for _, kind := range []int{trueAlpha, trueColor, greyAlpha} {
				r := f.rows(kind, 8, false)
				z, err := zlib.NewReader(bytes.NewReader(r.tokens()))
				if err != nil {
					t.Fatal(err)
				}
				got, err := io.ReadAll(z)
				if err != nil {
					t.Fatalf("%v, %d discs, type %d: %v", size, n, kind, err)
				}
				if want := r.lines(r.passes[0], 0, size[1]); !bytes.Equal(got, want) {
					t.Errorf("%v, %d discs, type %d: the lines come back otherwise", size, n, kind)
				}
			}
		}
	}
}

// Of flat art the files are not larger by more than 2 % in all than those of
// deflate's highest level without filters, which took ten times as long.
func TestTokensAreSmall(t *testing.T) {
	ours, theirs := 0, 0
	for n := 1; n < 7; n++ {
		img := paint(1500, 1100, scene(uint64(n), 1500, 1100, n))
		f := analyse(img)
		if !f.flat {
			t.Fatalf("%d discs are not flat", n)
		}
		kind, depth := f.kind(Options{})
		r := f.rows(kind, depth, false)
		ours += len(r.tokens())
		var b bytes.Buffer
		w, _ := kflate.NewWriter(&b, kflate.BestCompression)
		w.Write(r.lines(r.passes[0], 0, 1100))
		w.Close()
		theirs += b.Len()
	}
	if float64(ours) > 1.02*float64(theirs) {
		t.Errorf("%d bytes, at the highest level %d", ours, theirs)
	}
}

// A file made of runs is the file made of their pixels.
func TestRunsGiveTheSameFile(t *testing.T) {
	for n := 1; n < 5; n++ {
		img := paint(333, 222, scene(uint64(n), 333, 222, n))
		pic := analyse(img).pic
		if pic == nil {
			pic = &flat.Picture{W: 333, H: 222}
			for y := range 222 {
				var row []flat.Run
				for x := range 333 {
					row = append(row, flat.Run{End: int32(x + 1), Colour: flat.Colour([4]uint8(img.Pix[img.PixOffset(x, y):]))})
				}
				pic.Rows = append(pic.Rows, row)
			}
		}
		for _, o := range []Options{{}, {PPI: 300, NoPalette: true}, {Interlace: true}, {Colours: 4}, {Auto: true}, {Quick: true}} {
			a, err := export.Bytes(func(w io.Writer) error { return Encode(w, img, o) })
			if err != nil {
				t.Fatal(err)
			}
			b, err := export.Bytes(func(w io.Writer) error { return EncodeRuns(w, pic, o) })
			if err != nil {
				t.Fatal(err)
			}
			if !bytes.Equal(a, b) {
				t.Errorf("%d discs, %+v: %d bytes of pixels, %d of runs", n, o, len(a), len(b))
			}
		}
	}
}

// Codes are whole (Kraft's sum is 1), no longer than allowed, and as short in
// all as those of Huffman where the limit does not bind.
func TestCodes(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 300 {
		freq := make([]int32, 2+r.IntN(284))
		for i := range freq {
			if r.IntN(4) > 0 {
				freq[i] = int32(math.Exp(r.Float64() * 12))
			}
		}
		freq[0], freq[1] = 1, 3
		for _, limit := range []int{15, 9} {
			cs := codes(freq, limit)
			kraft, bits := 0.0, 0
			for s, c := range cs {
				if (c.n > 0) != (freq[s] > 0) || int(c.n) > limit {
					t.Fatalf("symbol %d occurs %d times and has %d bits", s, freq[s], c.n)
				}
				if c.n > 0 {
					kraft += math.Exp2(-float64(c.n))
					bits += int(c.n) * int(freq[s])
				}
			}
			if kraft != 1 {
				t.Fatalf("limit %d: Kraft's sum is %v", limit, kraft)
			}
			if best, deep := huffman(freq); deep <= limit && bits != best {
				t.Fatalf("limit %d: %d bits, Huffman's codes take %d", limit, bits, best)
			}
		}
	}
}

// huffman is the least number of bits of a code without a limit (Huffman, "A
// method for the construction of minimum-redundancy codes", 1952), and its
// longest code.
func huffman(freq []int32) (bits, deep int) {
	type node struct{ f, deep int }
	var all []node
	for _, f := range freq {
		if f > 0 {
			all = append(all, node{int(f), 0})
		}
	}
	for len(all) > 1 {
		slices.SortFunc(all, func(a, b node) int {
			if a.f != b.f {
				return a.f - b.f
			}
			return a.deep - b.deep
		})
		n := node{all[0].f + all[1].f, 1 + max(all[0].deep, all[1].deep)}
		bits += n.f
		all = append(all[2:], n)
	}
	return bits, all[0].deep
}

// FuzzTokens writes lines of any bytes.
func FuzzTokens(f *testing.F) {
	f.Add([]byte("aaaaabaaaaabaaaaab"), uint16(3))
	f.Fuzz(func(t *testing.T, pix []byte, w uint16) {
		n := 4 * (int(w)%200 + 1)
		if len(pix) < n {
			return
		}
		h := len(pix) / n
		img := paint(n/4, h, func(x, y int) color.NRGBA {
			q := pix[y*n+4*x:]
			return color.NRGBA{q[0], q[1], q[2], q[3]}
		})
		r := analyse(img).rows(trueAlpha, 8, false)
		got, err := io.ReadAll(flate.NewReader(bytes.NewReader(r.tokens()[2:])))
		if err != nil || !bytes.Equal(got, r.lines(r.passes[0], 0, h)) {
			t.Errorf("%d × %d px: %v", n/4, h, err)
		}
	})
}
