package eps

import (
	"bytes"
	"image"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

// speckled is a made-up picture: flat where flat is true, else without any pattern.
func speckled(w, h int, flat bool) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	seed := uint32(7)
	for i := 0; i < len(img.Pix); i += 4 {
		c := []uint8{0x1a, 0x5f, 0x7a}
		if flat && i/4%w > w/2 {
			c = []uint8{0xf0, 0xe0, 0x10}
		}
		for k := range c {
			if seed = seed*1664525 + 1013904223; !flat {
				c[k] = uint8(seed >> 24)
			}
		}
		copy(img.Pix[i:], append(c, 255))
	}
	return img
}

// Pictures are packed without loss by what the language level has, and ghostscript
// finds every byte of them again.
func TestPicturesArePacked(t *testing.T) {
	const w, h = 61, 47
	for name, c := range map[string]struct {
		img    *image.NRGBA
		colour format.Space
		level  int
		filter string
		most   float64 // bytes to a sample
	}{
		"noise, level 2":     {speckled(w, h, false), format.RGB, 2, "/RunLengthDecode", 1.4},
		"flat, level 2":      {speckled(w, h, true), format.RGB, 2, "", 0.3},
		"inks, level 2":      {speckled(w, h, true), format.CMYK, 2, "", 0.3},
		"noise, level 3":     {speckled(w, h, false), format.RGB, 3, "/FlateDecode", 1.4},
		"flat, level 3":      {speckled(w, h, true), format.RGB, 3, "/FlateDecode", 0.3},
		"a sweep in level 3": {sweep(w, h), format.RGB, 3, "/Predictor 11", 0.3},
		"a sweep in inks":    {sweep(w, h), format.CMYK, 3, "/FlateDecode", 1},
	} {
		box := geom.Rect{X1: w, Y1: h}
		p := &drawing.Picture{Image: c.img, To: geom.Affine{A: w, D: h}, Alpha: 1}
		d := &drawing.Drawing{Page: box, Nodes: []drawing.Node{p}}
		b, err := export.Bytes(func(out io.Writer) error {
			// A pixel is a point.
			return Encode(out, export.Page{Drawing: d, Frame: frame.Frame{Box: box, W: w * 96 / 72., H: h * 96 / 72.}}, Options{Colour: c.colour, Level: c.level, Press: colour.Coated})
		})
		if err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(string(b), c.filter) {
			t.Errorf("%s: it is not packed by %s", name, c.filter)
		}
		samples, device := 3, "ppmraw"
		if c.colour == format.CMYK {
			samples, device = 4, "pamcmyk32"
		}
		if each := float64(len(b)-2000) / (w * h * float64(samples)); each > c.most {
			t.Errorf("%s: %.2f bytes to a sample", name, each)
		}
		dir := t.TempDir()
		if err := os.WriteFile(filepath.Join(dir, "x.eps"), b, 0o666); err != nil {
			t.Fatal(err)
		}
		gs := exec.Command("gs", "-q", "-dNOPAUSE", "-dBATCH", "-dSAFER", "-dEPSCrop", "-r72", "-sDEVICE="+device, "-dUseFastColor", "-sOutputFile=x.out", "x.eps")
		gs.Dir = dir
		if out, err := gs.CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", name, err, out)
		}
		got, err := os.ReadFile(filepath.Join(dir, "x.out"))
		if err != nil {
			t.Fatal(err)
		}
		var want []byte
		if c.colour == format.CMYK {
			for i := 0; i < len(c.img.Pix); i += 4 {
				q := colour.Coated.Pixel(colour.FromBytes(c.img.Pix[i], c.img.Pix[i+1], c.img.Pix[i+2]))
				for _, v := range []float64{q.C, q.M, q.Y, q.K} {
					want = append(want, byte(v*2.55+0.5))
				}
			}
		} else {
			for i := 0; i < len(c.img.Pix); i += 4 {
				want = append(want, c.img.Pix[i:i+3]...)
			}
		}
		if !bytes.HasSuffix(got, want) {
			t.Errorf("%s: ghostscript reads other samples", name)
		}
	}
}

// sweep runs from one side to the other, no two rows alike.
func sweep(w, h int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		x, y := i/4%w, i/4/w
		copy(img.Pix[i:], []uint8{uint8(3*x + y*y), uint8(3*x + 7*y*y), uint8(2*x + 31*y), 255})
	}
	return img
}
