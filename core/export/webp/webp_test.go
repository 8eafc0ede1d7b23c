package webp

import (
	"bytes"
	"image"
	"image/color"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"testing"

	xwebp "golang.org/x/image/webp"

	"dyekit/internal/testkit"
)

// uneven is a picture whose greens occur as often as the numbers of Fibonacci: the words of
// their code are as many bits long as there are greens.
func uneven(n int, alpha bool) *image.NRGBA {
	r := rand.New(rand.NewPCG(1, 2))
	var vals []uint8
	for i, a, b := 0, 1, 1; i < n; i, a, b = i+1, b, a+b {
		for range a {
			vals = append(vals, uint8(i*9))
		}
	}
	r.Shuffle(len(vals), func(i, j int) { vals[i], vals[j] = vals[j], vals[i] })
	w := 1
	for w*w < len(vals) {
		w++
	}
	img := image.NewNRGBA(image.Rect(0, 0, w, w))
	for i := range w * w {
		c := color.NRGBA{uint8(r.IntN(256)), vals[i%len(vals)], uint8(r.IntN(256)), 255}
		if alpha {
			c.A = uint8(r.IntN(3) * 127)
		}
		img.SetNRGBA(i%w, i/w, c)
	}
	return img
}

// What is written is read back bit for bit by two readers that did not write it: the Go
// project's and libwebp's (dwebp).
func TestReadBack(t *testing.T) {
	one := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	one.SetNRGBA(0, 0, color.NRGBA{1, 2, 3, 4})
	flat := image.NewNRGBA(image.Rect(0, 0, 33, 7))
	for i := range flat.Pix {
		flat.Pix[i] = []uint8{200, 30, 40, 255}[i%4]
	}
	part := uneven(12, true).SubImage(image.Rect(3, 4, 15, 18)).(*image.NRGBA)
	for name, img := range map[string]*image.NRGBA{"one pixel": one, "flat": flat, "uneven": uneven(14, false), "uneven with alpha": uneven(12, true), "too uneven": uneven(22, false), "part": part} {
		forms := map[string][]byte{"plain": plain(img)}
		var b bytes.Buffer
		if err := Encode(&b, img); err != nil {
			t.Fatal(name, err)
		}
		forms["as written"] = b.Bytes()
		for form, data := range forms {
			got, err := xwebp.Decode(bytes.NewReader(data))
			if err != nil {
				t.Errorf("%s, %s: %v", name, form, err)
				continue
			}
			dir, _ := testkit.Run(t, map[string][]byte{"x.webp": data}, "true")
			if out, err := exec.Command("dwebp", "-quiet", filepath.Join(dir, "x.webp"), "-o", filepath.Join(dir, "x.png")).CombinedOutput(); err != nil {
				t.Errorf("%s, %s: dwebp: %v: %s", name, form, err, out)
				continue
			}
			other := testkit.ReadPNG(t, filepath.Join(dir, "x.png"))
			w, h := img.Rect.Dx(), img.Rect.Dy()
			off := 0
			for y := range h {
				for x := range w {
					want := img.NRGBAAt(img.Rect.Min.X+x, img.Rect.Min.Y+y)
					if color.NRGBAModel.Convert(got.At(x, y)) != want || want.A > 0 && other.NRGBAAt(x, y) != want {
						off++
					}
				}
			}
			if off > 0 || got.Bounds().Dx() != w || got.Bounds().Dy() != h {
				t.Errorf("%s, %s: %d pixels differ", name, form, off)
			}
		}
	}
	if _, ok := packed(uneven(22, false)); ok {
		t.Error("the library has learnt to keep its codes short: the plain form is needed no more")
	}
	if err := Encode(&bytes.Buffer{}, image.NewNRGBA(image.Rect(0, 0, maxSide+1, 1))); err == nil {
		t.Error("a side that is too long was taken")
	}
}
