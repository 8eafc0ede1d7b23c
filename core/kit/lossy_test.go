package kit

import (
	"bytes"
	"fmt"
	"image"
	stdjpeg "image/jpeg"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/export"
	"dyekit/core/export/jpeg"
	"dyekit/core/t81"
	"dyekit/core/t81/blocks"
)

// art is noise, flat areas and edges between, four opaque bytes a pixel.
func art(rnd *rand.Rand, w, h int) []uint8 {
	pix := make([]uint8, 4*w*h)
	for y := range h {
		for x := range w {
			p := pix[4*(y*w+x):][:4]
			switch (x/11 + y/7) % 3 {
			case 0:
				copy(p, []uint8{0, 200, 255, 255})
			case 1:
				copy(p, []uint8{255, 40, 0, 255})
			default:
				for c := range 3 {
					p[c] = uint8(rnd.IntN(256))
				}
				p[3] = 255
			}
		}
	}
	return pix
}

// JPEGs of every quality, of sides that are whole blocks and others, are near to
// what they were made of, as the standard library's reader finds too; with one
// coefficient a step off, or read by other tables or as other colours, they are not.
func TestCheckJPEGFromBothSides(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 6))
	for _, cmyk := range []bool{false, true} {
		for _, quality := range []int{1, 35, 50, 90, 99, 100} {
			for _, size := range [][2]int{{1, 1}, {8, 8}, {7, 9}, {64, 40}, {99, 51}} {
				w, h := size[0], size[1]
				name := fmt.Sprintf("%d × %d px, quality %d, inks %v", w, h, quality, cmyk)
				l := lossy{pix: art(rnd, w, h), stride: 4 * w, w: w, h: h, cmyk: cmyk}
				data, err := export.Bytes(func(to io.Writer) error {
					o, r := jpeg.Options{Quality: quality}, image.Rect(0, 0, w, h)
					if cmyk {
						return jpeg.EncodeCMYK(to, &image.CMYK{Pix: l.pix, Stride: l.stride, Rect: r}, o)
					}
					return jpeg.EncodeRGB(to, &image.NRGBA{Pix: l.pix, Stride: l.stride, Rect: r}, o)
				})
				if err != nil {
					t.Fatal(err)
				}
				passes := func(data []byte) (bool, error) {
					l.off = 0
					var cs checks
					if err := l.check(data, &cs); err != nil {
						return false, err
					}
					return cs[0].OK, nil
				}
				if ok, err := passes(data); !ok || err != nil {
					t.Errorf("%s: refused, %v", name, err)
				}
				img, err := stdjpeg.Decode(bytes.NewReader(data))
				if err != nil {
					t.Fatalf("%s: the standard library: %v", name, err)
				}
				if far := worst(img, l.pix, cmyk); quality == 100 && far > 5 {
					t.Errorf("%s: the standard library finds samples %.0f from what was drawn", name, far)
				}
				for c := range 3 {
					f, err := blocks.Read(data)
					if err != nil {
						t.Fatal(err)
					}
					k, at := f.Components[c], rnd.IntN(64)
					var step [64]float64
					step[t81.Zigzag[at]] = float64(k.Quant[at])
					t81.Inverse(&step)
					f.Blend(c, rnd.IntN(k.BW), rnd.IntN(k.BH), &step)
					if ok, _ := passes(f.Bytes()); ok {
						t.Errorf("%s: a coefficient of component %d is a step off, and passes", name, c)
					}
				}
				wrong := map[string]func(b []byte) []byte{
					"something behind it": func(b []byte) []byte { return append(b, 0) },
					"another table":       func(b []byte) []byte { b[bytes.Index(b, []byte("\xff\xdb"))+5]++; return b },
					"the other colours": func(b []byte) []byte {
						if cmyk {
							b[bytes.Index(b, []byte("Adobe"))+11] = 2
							return b
						}
						return append([]byte("\xff\xd8\xff\xee\x00\x0eAdobe\x00\x64\x00\x00\x00\x00\x00"), b[2:]...)
					},
				}
				for what, change := range wrong {
					if what == "another table" && w < 9 {
						continue // one block may be as near by it
					}
					if ok, _ := passes(change(bytes.Clone(data))); ok {
						t.Errorf("%s: %s, and it passes", name, what)
					}
				}
			}
		}
	}
}

// worst is how far a sample of a picture that was read back is from what was
// drawn, in luma or in ink.
func worst(img image.Image, pix []uint8, cmyk bool) (far float64) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	for y := range h {
		for x := range w {
			q := pix[4*(y*w+x):][:4]
			switch p := img.(type) {
			case *image.CMYK:
				for c, v := range p.Pix[p.PixOffset(x, y):][:4] {
					far = max(far, math.Abs(float64(v)-float64(q[c])))
				}
			case *image.YCbCr:
				luma := 0.299*float64(q[0]) + 0.587*float64(q[1]) + 0.114*float64(q[2])
				far = max(far, math.Abs(float64(p.Y[p.YOffset(x, y)])-luma))
			default:
				return math.Inf(1)
			}
			if _, isCMYK := img.(*image.CMYK); isCMYK != cmyk {
				return math.Inf(1)
			}
		}
	}
	return far
}
