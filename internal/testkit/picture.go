// Package testkit is for tests alone: outside readers, picture comparison, a
// MariaDB server and a browser. What is missing on the machine is a failure,
// never a skipped test; make test installs it.
package testkit

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/image/tiff"
)

// Run runs a program of the machine in an empty folder that holds the files,
// and returns the folder and what was printed.
func Run(t testing.TB, files map[string][]byte, program string, args ...string) (dir, out string) {
	t.Helper()
	dir = t.TempDir()
	for name, data := range files {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	b, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s %s: %v\n%s", program, strings.Join(args, " "), err, b)
	}
	return dir, string(b)
}

// ReadPNG reads a picture made by an outside program.
func ReadPNG(t testing.TB, path string) *image.NRGBA {
	t.Helper()
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatalf("%s: %v", path, err)
	}
	if n, ok := img.(*image.NRGBA); ok && n.Rect.Min == (image.Point{}) {
		return n
	}
	out := image.NewNRGBA(image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy()))
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			out.SetNRGBA(x, y, color.NRGBAModel.Convert(img.At(img.Bounds().Min.X+x, img.Bounds().Min.Y+y)).(color.NRGBA))
		}
	}
	return out
}

// Outside is the share of pixels of got that do not lie within the range of
// the 3 × 3 pixels around them in want, give or take slack of 255. Colours
// are compared premultiplied, so that antialiasing of other renderers counts
// as little as it is seen.
func Outside(got, want *image.NRGBA, slack int) float64 {
	if got.Rect.Dx() != want.Rect.Dx() || got.Rect.Dy() != want.Rect.Dy() {
		return 1
	}
	w, h := got.Rect.Dx(), got.Rect.Dy()
	at := func(img *image.NRGBA, x, y, c int) int {
		p := img.Pix[img.PixOffset(x, y):]
		if c == 3 {
			return int(p[3])
		}
		return int(p[c]) * int(p[3]) / 255
	}
	off := 0
	for y := range h {
		for x := range w {
			for c := range 4 {
				k := at(got, x, y, c)
				if e := k - at(want, x, y, c); -slack <= e && e <= slack {
					continue // no need to look around
				}
				lo, hi := 255, 0
				for v := max(0, y-1); v <= min(h-1, y+1); v++ {
					for u := max(0, x-1); u <= min(w-1, x+1); u++ {
						n := at(want, u, v, c)
						lo, hi = min(lo, n), max(hi, n)
					}
				}
				if k < lo-slack || k > hi+slack {
					off++
					break
				}
			}
		}
	}
	return float64(off) / float64(w*h)
}

// DecodeTIFF reads a TIFF picture, such as a plate.
func DecodeTIFF(b []byte) (*image.NRGBA, error) {
	img, err := tiff.Decode(bytes.NewReader(b))
	if err != nil {
		return nil, err
	}
	out := image.NewNRGBA(image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy()))
	draw.Draw(out, out.Rect, img, img.Bounds().Min, draw.Src)
	return out, nil
}
