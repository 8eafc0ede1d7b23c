package jpeg

import (
	"bytes"
	"image"
	stdjpeg "image/jpeg"
	"io"
	"math/rand/v2"
	"testing"

	"dyekit/core/export"
)

// mean is the mean difference of two sets of samples.
func mean(a, b []uint8) float64 {
	s := 0
	for i := range a {
		d := int(a[i]) - int(b[i])
		s += max(d, -d)
	}
	return float64(s) / float64(len(a))
}

// The decoder of the standard library reads what was written, at sizes that
// do and do not fill whole blocks.
func TestRGBIsReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, s := range [][2]int{{1, 1}, {8, 8}, {17, 9}, {64, 48}} {
		img := image.NewNRGBA(image.Rect(0, 0, s[0], s[1]))
		for i := 0; i < len(img.Pix); i += 4 {
			x, y := i/4%s[0], i/4/s[0]
			copy(img.Pix[i:], []uint8{uint8(x * 3), uint8(y * 5), uint8(r.IntN(30)), 255})
		}
		b, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, img, Options{Quality: 95, PPI: 300}) })
		if err != nil {
			t.Fatal(err)
		}
		got, err := stdjpeg.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatalf("%v: %v", s, err)
		}
		y, ok := got.(*image.YCbCr)
		if !ok || y.SubsampleRatio != image.YCbCrSubsampleRatio444 {
			t.Fatalf("%v: %T is subsampled", s, got)
		}
		var have, want []uint8
		for v := range s[1] {
			for u := range s[0] {
				rr, g, bb, _ := got.At(u, v).RGBA()
				have = append(have, uint8(rr>>8), uint8(g>>8), uint8(bb>>8))
				want = append(want, img.Pix[img.PixOffset(u, v):][:3]...)
			}
		}
		if d := mean(have, want); d > 4 {
			t.Errorf("%v: mean difference %.1f of 255", s, d)
		}
		// JFIF 1.02: units 1 is dots per inch.
		if string(b[6:11]) != "JFIF\x00" || b[13] != 1 || int(b[14])<<8|int(b[15]) != 300 {
			t.Errorf("%v: density % x", s, b[13:18])
		}
	}
}

// Flat areas of process ink come through to the step: that is why CMYK is not
// passed through another colour space.
func TestFlatInksAreExact(t *testing.T) {
	for _, ink := range [][4]uint8{{0, 0, 0, 255}, {0, 0, 0, 0}, {204, 51, 102, 153}, {255, 255, 0, 0}} {
		img := image.NewCMYK(image.Rect(0, 0, 24, 24))
		for i := 0; i < len(img.Pix); i += 4 {
			copy(img.Pix[i:], ink[:])
		}
		b, err := export.Bytes(func(w io.Writer) error { return EncodeCMYK(w, img, Options{Quality: 95, PPI: 300}) })
		if err != nil {
			t.Fatal(err)
		}
		got, err := stdjpeg.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		c, ok := got.(*image.CMYK)
		if !ok {
			t.Fatalf("%v comes back as %T", ink, got)
		}
		if d := mean(c.Pix, img.Pix); d > 0.5 {
			t.Errorf("%v comes back as %v", ink, c.Pix[:4])
		}
		if !bytes.Contains(b, []byte("Adobe")) {
			t.Error("the Adobe marker is missing")
		}
	}
}

func TestRefusals(t *testing.T) {
	if _, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, image.NewNRGBA(image.Rectangle{}), Options{}) }); err == nil {
		t.Error("a picture without pixels was written")
	}
	if _, err := export.Bytes(func(w io.Writer) error {
		return EncodeRGB(w, image.NewNRGBA(image.Rect(0, 0, 1, 1)), Options{Quality: 101})
	}); err == nil {
		t.Error("quality 101 was taken")
	}
}
