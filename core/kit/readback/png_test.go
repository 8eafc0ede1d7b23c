package readback_test

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	stdpng "image/png"
	"io"
	"math/rand/v2"
	"testing"

	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/kit/readback"
)

// What is read is what the reader of the standard library reads and what was
// written, of every colour type, flat and shaded, in one pass and in seven.
func TestPNGLikeTheStandardLibrary(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	noise := func(int, int) color.NRGBA {
		return color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256))}
	}
	flat := func(n int) func(x, y int) color.NRGBA {
		return func(x, y int) color.NRGBA {
			k := (x/40 + y/25) % n
			return color.NRGBA{uint8(k * 250 / n), uint8(k * 77), 9, uint8(255 - k%3*k/3)}
		}
	}
	for name, f := range map[string]func(x, y int) color.NRGBA{
		"noise": noise, "two": flat(2), "four": flat(4), "sixteen": flat(16), "many": flat(90),
		"shade": func(x, y int) color.NRGBA { return color.NRGBA{uint8(x / 2), uint8(y), uint8(x + y), uint8(255 - y/2)} },
		"grey":  func(x, y int) color.NRGBA { return color.NRGBA{uint8(x / 9), uint8(x / 9), uint8(x / 9), 255} },
		"fade":  func(x, y int) color.NRGBA { return color.NRGBA{uint8(y), uint8(y), uint8(y), uint8(x)} },
		"solid": func(x, y int) color.NRGBA { c := noise(x, y); c.A = 255; return c },
	} {
		for _, size := range [][2]int{{302, 187}, {1, 1}, {3, 9}, {640, 7}} {
			img := image.NewNRGBA(image.Rect(0, 0, size[0], size[1]))
			for y := range size[1] {
				for x := range size[0] {
					img.SetNRGBA(x, y, f(x, y))
				}
			}
			for _, o := range []png.Options{{PPI: 300}, {Interlace: true}, {NoPalette: true}, {Quick: true}} {
				b, err := export.Bytes(func(w io.Writer) error { return png.Encode(w, img, o) })
				if err != nil {
					t.Fatal(err)
				}
				p, err := readback.ReadPNG(b)
				if err != nil {
					t.Fatalf("%s %v: %v", name, size, err)
				}
				got, err := p.Image()
				if err != nil {
					t.Fatalf("%s %v: %v", name, size, err)
				}
				std, err := stdpng.Decode(bytes.NewReader(b))
				if err != nil {
					t.Fatal(err)
				}
				for y := range size[1] {
					for x := range size[0] {
						g, w := got.NRGBAAt(x, y), img.NRGBAAt(x, y)
						if s := color.NRGBAModel.Convert(std.At(x, y)).(color.NRGBA); (g != w || g != s) && g.A|w.A|s.A > 0 {
							t.Fatalf("%s %v %+v: pixel %d,%d is %v, to the library %v, want %v", name, size, o, x, y, g, s, w)
						}
					}
				}
			}
		}
	}
}

// A stream whose head, checksum or length is not that of its lines is refused, and
// one in several chunks is read as in one.
func TestPNGHeldToItsChecksum(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 40, 30))
	for i := range img.Pix {
		img.Pix[i] = uint8(i / 640 * 40)
	}
	b, err := export.Bytes(func(w io.Writer) error { return png.Encode(w, img, png.Options{}) })
	if err != nil {
		t.Fatal(err)
	}
	at := bytes.Index(b, []byte("IDAT")) + 4
	data := b[at : at+int(binary.BigEndian.Uint32(b[at-8:]))]
	rest := b[at+len(data)+4:]
	chunk := func(out, body []byte) []byte {
		out = binary.BigEndian.AppendUint32(out, uint32(len(body)))
		named := append([]byte("IDAT"), body...)
		return binary.BigEndian.AppendUint32(append(out, named...), crc32.ChecksumIEEE(named))
	}
	change := func(f func(d []byte) [][]byte) []byte {
		out := bytes.Clone(b[:at-8])
		for _, d := range f(bytes.Clone(data)) {
			out = chunk(out, d)
		}
		return append(out, rest...)
	}
	for name, c := range map[string]struct {
		right bool
		file  []byte
	}{
		"as it is":           {true, change(func(d []byte) [][]byte { return [][]byte{d} })},
		"in three chunks":    {true, change(func(d []byte) [][]byte { return [][]byte{d[:1], d[1:9], d[9:]} })},
		"another checksum":   {false, change(func(d []byte) [][]byte { d[len(d)-1] ^= 1; return [][]byte{d} })},
		"no checksum":        {false, change(func(d []byte) [][]byte { return [][]byte{d[:len(d)-4]} })},
		"more behind it":     {false, change(func(d []byte) [][]byte { return [][]byte{append(d, 0)} })},
		"another method":     {false, change(func(d []byte) [][]byte { d[0] ^= 1; return [][]byte{d} })},
		"nothing":            {false, change(func([]byte) [][]byte { return [][]byte{{}} })},
		"a bit of the lines": {false, change(func(d []byte) [][]byte { d[len(d)/2] ^= 16; return [][]byte{d} })},
	} {
		p, err := readback.ReadPNG(c.file)
		var got *image.NRGBA
		if err == nil {
			got, err = p.Image()
		}
		if right := err == nil && bytes.Equal(got.Pix, img.Pix); right != c.right || !right && err == nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}
