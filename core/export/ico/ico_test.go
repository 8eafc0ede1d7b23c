package ico_test

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/png"
	"io"
	"testing"

	"dyekit/core/export"
	"dyekit/core/export/ico"
	"dyekit/core/kit/readback"
)

// square is a picture with every kind of opacity, the same for the same seed.
func square(side int, seed uint32) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, side, side))
	for i := 0; i < len(img.Pix); i += 4 {
		seed ^= seed<<13 | 1
		seed ^= seed >> 17
		seed ^= seed << 5
		binary.LittleEndian.PutUint32(img.Pix[i:], seed)
		if seed%3 == 0 {
			clear(img.Pix[i : i+4]) // bare, and without a colour
		}
	}
	return img
}

// The directory as the format's description has it (common practice, as many
// readers and writers agree): six bytes of head, sixteen for each picture, 256
// written as 0; small pictures are bitmaps of twice their height with a mask,
// large ones PNG.
func TestLayout(t *testing.T) {
	sides := []int{16, 32, 48, 64, 256}
	var imgs []*image.NRGBA
	for i, s := range sides {
		imgs = append(imgs, square(s, uint32(i+1)))
	}
	b, err := export.Bytes(func(w io.Writer) error { return ico.Encode(w, imgs) })
	if err != nil {
		t.Fatal(err)
	}
	le := binary.LittleEndian
	if le.Uint16(b) != 0 || le.Uint16(b[2:]) != 1 || int(le.Uint16(b[4:])) != len(sides) {
		t.Fatalf("the head is % x", b[:6])
	}
	at := 6 + 16*len(sides)
	for i, side := range sides {
		e := b[6+16*i:]
		if int(e[0]) != side%256 || e[1] != e[0] || le.Uint16(e[4:]) != 1 || le.Uint16(e[6:]) != 32 || int(le.Uint32(e[12:])) != at {
			t.Errorf("the entry of %d px is % x", side, e[:16])
		}
		data := b[at : at+int(le.Uint32(e[8:]))]
		if side <= 48 {
			if le.Uint32(data) != 40 || int(le.Uint32(data[4:])) != side || int(le.Uint32(data[8:])) != 2*side {
				t.Errorf("%d px is no bitmap", side)
			}
		} else if img, err := png.Decode(bytes.NewReader(data)); err != nil || img.Bounds().Dx() != side {
			t.Errorf("%d px is no PNG: %v", side, err)
		}
		at += len(data)
	}
	if at != len(b) {
		t.Errorf("%d bytes follow the last picture", len(b)-at)
	}
}

func TestWhatCannotBe(t *testing.T) {
	for name, imgs := range map[string][]*image.NRGBA{
		"none": nil, "not square": {image.NewNRGBA(image.Rect(0, 0, 16, 15))}, "too large": {image.NewNRGBA(image.Rect(0, 0, 257, 257))}, "empty": {image.NewNRGBA(image.Rectangle{})},
	} {
		if err := ico.Encode(new(bytes.Buffer), imgs); err == nil {
			t.Errorf("%s: it was written", name)
		}
	}
}

// A writer that fails fails the icon.
func TestFullWriter(t *testing.T) {
	if err := ico.Encode(full{}, []*image.NRGBA{square(16, 1)}); err != io.ErrShortWrite {
		t.Errorf("%v", err)
	}
}

type full struct{}

func (full) Write([]byte) (int, error) { return 0, io.ErrShortWrite }

// FuzzIcon writes pictures of any size and content, and reads the same back.
func FuzzIcon(f *testing.F) {
	f.Add(uint8(16), uint8(48), uint32(1))
	f.Add(uint8(1), uint8(255), uint32(9))
	f.Add(uint8(49), uint8(0), uint32(77))
	f.Fuzz(func(t *testing.T, a, b uint8, seed uint32) {
		imgs := []*image.NRGBA{square(int(a)+1, seed), square(int(b)+1, seed^0x5a5a)}
		data, err := export.Bytes(func(w io.Writer) error { return ico.Encode(w, imgs) })
		if err != nil {
			t.Fatal(err)
		}
		back, err := readback.Icon(data)
		if err != nil || len(back) != len(imgs) {
			t.Fatalf("%d and %d px came back as %d pictures, %v", int(a)+1, int(b)+1, len(back), err)
		}
		for i := range imgs {
			for k := 0; k < len(imgs[i].Pix); k += 4 {
				p, q := imgs[i].Pix[k:k+4], back[i].Pix[k:k+4]
				if p[3] != q[3] || p[3] > 0 && !bytes.Equal(p, q) {
					t.Fatalf("picture %d, pixel %d: % x came back as % x", i, k/4, p, q)
				}
			}
		}
	})
}
