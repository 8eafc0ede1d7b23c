// Package webp writes lossless WebP (RFC 9649, section 3).
//
// A library does it; where a channel's values are spread so unevenly that its prefix
// codes would become longer than the format allows, which the library does not heed, a
// plain form is written here: pixel by pixel, with codes of at most 15 bits.
package webp

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"

	"github.com/HugoSmits86/nativewebp"
)

// maxSide is the largest width or height, in px (section 3.4: 14 bits).
const maxSide = 1 << 14

// Encode writes a picture with straight alpha. The colour of wholly transparent pixels is
// kept.
func Encode(w io.Writer, img *image.NRGBA) error {
	if img.Rect.Dx() < 1 || img.Rect.Dy() < 1 || img.Rect.Dx() > maxSide || img.Rect.Dy() > maxSide {
		return fmt.Errorf("webp: %d × %d px; each side is from 1 to %d", img.Rect.Dx(), img.Rect.Dy(), maxSide)
	}
	b, ok := packed(img)
	if !ok {
		b = plain(img)
	}
	_, err := w.Write(b)
	return err
}

// packed is what the library makes; ok is false where it fails.
func packed(img *image.NRGBA) (b []byte, ok bool) {
	defer func() {
		if recover() != nil { // its codes have become too long
			b, ok = nil, false
		}
	}()
	var buf bytes.Buffer
	err := nativewebp.Encode(&buf, img, nil)
	return buf.Bytes(), err == nil
}

// Alphabets of the five prefix codes: green with lengths of copies, red, blue, alpha,
// distances (section 3.7.1); neither copies nor distances are used here.
const (
	greens   = 256 + 24
	channels = 256
)

// plain writes a picture pixel by pixel, red and blue less green.
func plain(img *image.NRGBA) []byte {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	var freq [4][]int // green, red, blue, alpha
	freq[0] = make([]int, greens)
	for i := 1; i < 4; i++ {
		freq[i] = make([]int, channels)
	}
	each := func(f func(v [4]uint8)) {
		for y := range h {
			row := img.Pix[y*img.Stride:][:4*w]
			for x := 0; x < 4*w; x += 4 {
				g := row[x+1]
				f([4]uint8{g, row[x] - g, row[x+2] - g, row[x+3]})
			}
		}
	}
	opaque := true
	each(func(v [4]uint8) {
		for i := range v {
			freq[i][v[i]]++
		}
		opaque = opaque && v[3] == 255
	})
	o := &bits{}
	o.put(0x2f, 8)
	o.put(uint64(w-1), 14)
	o.put(uint64(h-1), 14)
	alpha := uint64(1)
	if opaque {
		alpha = 0
	}
	o.put(alpha, 1)
	o.put(0, 3)      // version
	o.put(1|2<<1, 3) // a transform: green is subtracted (section 3.5.3)
	o.put(0, 1)      // and no more
	o.put(0, 1)      // no cache of colours
	o.put(0, 1)      // one group of codes for all
	var codes [4]code
	for i, f := range freq {
		codes[i] = codeFor(f)
		codes[i].write(o)
	}
	o.put(1, 1) // distances: a simple code of one symbol, 0
	o.put(0, 3)
	each(func(v [4]uint8) {
		for i := range v {
			c := &codes[i]
			o.put(uint64(c.bits[v[i]]), int(c.length[v[i]]))
		}
	})
	return riff(o.bytes())
}

// riff puts a VP8L chunk into its file (section 2.3).
func riff(data []byte) []byte {
	n := len(data)
	if n%2 == 1 {
		data = append(data, 0)
	}
	b := append([]byte("RIFF"), 0, 0, 0, 0)
	b = append(b, "WEBPVP8L"...)
	b = binary.LittleEndian.AppendUint32(b, uint32(n))
	b = append(b, data...)
	binary.LittleEndian.PutUint32(b[4:], uint32(len(b)-8))
	return b
}

// bits are written from the least significant on.
type bits struct {
	out  []byte
	hold uint64
	n    int
}

func (b *bits) put(v uint64, n int) {
	b.hold |= v << b.n
	for b.n += n; b.n >= 8; b.n -= 8 {
		b.out = append(b.out, byte(b.hold))
		b.hold >>= 8
	}
}

func (b *bits) bytes() []byte {
	if b.n > 0 {
		return append(b.out, byte(b.hold))
	}
	return b.out
}
