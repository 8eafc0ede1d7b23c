package picture

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"
)

func plain(w, h int, c color.Color) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.Set(x, y, c)
		}
	}
	return img
}

// Samples of 16 bits become the nearest of 8, also where they let through, and it is said.
func TestSixteenBits(t *testing.T) {
	deep := image.NewNRGBA64(image.Rect(0, 0, 4, 1))
	for x, c := range []color.NRGBA64{{128, 129, 0xffff, 0xffff}, {0x8080, 0x80ff, 0x8101, 0xffff}, {0xff7f, 0xff80, 0, 0x4040}, {}} {
		deep.SetNRGBA64(x, 0, c)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, deep); err != nil {
		t.Fatal(err)
	}
	img, err := Decode(b.Bytes())
	// PNG (third edition), 13.12: sample depth is scaled by floor(v · 255 / 65535 + ½).
	if want := []uint8{0, 1, 255, 255, 128, 128, 129, 255, 255, 255, 0, 64, 0, 0, 0, 0}; err != nil || !bytes.Equal(img.Pix, want) {
		t.Errorf("%v, %v, want %v", img.Pix, err, want)
	}
	_, fs, err := Read(t.Context(), b.Bytes(), Options{})
	if err != nil || len(fs) < 2 || !strings.Contains(fs[1].Message, "16 bits") {
		t.Errorf("%v, %v", fs, err)
	}
}

func TestKinds(t *testing.T) {
	src := plain(6, 4, color.NRGBA{200, 40, 40, 255})
	var p, j, g bytes.Buffer
	if err := png.Encode(&p, src); err != nil {
		t.Fatal(err)
	}
	if err := jpeg.Encode(&j, src, nil); err != nil {
		t.Fatal(err)
	}
	if err := gif.Encode(&g, src, nil); err != nil {
		t.Fatal(err)
	}
	for name, b := range map[string][]byte{"png": p.Bytes(), "jpeg": j.Bytes(), "gif": g.Bytes()} {
		img, err := Decode(b)
		if err != nil || img.Rect.Dx() != 6 || img.Rect.Dy() != 4 {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if c := img.NRGBAAt(3, 2); c.R < 180 || c.G > 70 || c.A != 255 {
			t.Errorf("%s: %v", name, c)
		}
	}
	d, fs, err := Read(t.Context(), p.Bytes(), Options{})
	if err != nil || d.Page.W() != 6 || len(fs) != 2 || fs[0].Code != "raster-inside" || fs[1].Code != "backing" {
		t.Errorf("as a master: %v %v", fs, err)
	}
}

// The size is known before any pixel is unpacked: a header that promises too
// much is refused at once.
func TestTooManyPixels(t *testing.T) {
	var b bytes.Buffer
	if err := png.Encode(&b, plain(1, 1, color.White)); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	binary.BigEndian.PutUint32(data[16:], 60_000)
	binary.BigEndian.PutUint32(data[20:], 60_000)
	binary.BigEndian.PutUint32(data[29:], crc32.ChecksumIEEE(data[12:29]))
	if _, err := Decode(data); err == nil || !strings.Contains(err.Error(), "larger than 40 megapixels") {
		t.Errorf("%v", err)
	}
	for _, bad := range []string{"", "hello", "\x89PNG\r\n\x1a\n", string(data[:20])} {
		if _, err := Decode([]byte(bad)); err == nil {
			t.Errorf("%q was read", bad)
		}
	}
}
