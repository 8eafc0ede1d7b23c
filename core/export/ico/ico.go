// Package ico writes icons of several sizes in one file, as browsers and
// desktops read them: small pictures as plain bitmaps, which every reader
// knows, large ones as PNG. The layout is common practice; the bitmaps are
// those of BITMAPINFOHEADER with 32 bits and a mask.
package ico

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"

	"dyekit/core/export/png"
)

// MaxSide is the largest side the directory can name.
const MaxSide = 256

// plain is the side up to which a picture is a plain bitmap.
const plain = 48

// Encode returns the file with the pictures in order; they are square.
func Encode(dst io.Writer, imgs []*image.NRGBA) error {
	if len(imgs) == 0 {
		return fmt.Errorf("an icon without pictures cannot be")
	}
	var body bytes.Buffer
	head := []byte{0, 0, 1, 0}
	head = binary.LittleEndian.AppendUint16(head, uint16(len(imgs)))
	for _, img := range imgs {
		side := img.Rect.Dx()
		if side != img.Rect.Dy() || side < 1 || side > MaxSide {
			return fmt.Errorf("an icon of %d × %d px cannot be: it is square and at most %d px", side, img.Rect.Dy(), MaxSide)
		}
		at := 6 + 16*len(imgs) + body.Len()
		if side <= plain {
			bitmap(&body, img)
		} else {
			if err := png.Encode(&body, img, png.Options{NoPalette: true}); err != nil {
				return err
			}
		}
		size := 6 + 16*len(imgs) + body.Len() - at
		head = append(head, byte(side), byte(side), 0, 0) // 256 is written as 0
		head = binary.LittleEndian.AppendUint16(head, 1)  // planes
		head = binary.LittleEndian.AppendUint16(head, 32) // bits
		head = binary.LittleEndian.AppendUint32(head, uint32(size))
		head = binary.LittleEndian.AppendUint32(head, uint32(at))
	}
	_, err := dst.Write(append(head, body.Bytes()...))
	return err
}

// bitmap writes rows from the bottom up in blue, green, red, opacity, and a
// mask of what is bare.
func bitmap(out *bytes.Buffer, img *image.NRGBA) {
	side := img.Rect.Dx()
	head := binary.LittleEndian.AppendUint32(nil, 40)
	head = binary.LittleEndian.AppendUint32(head, uint32(side))
	head = binary.LittleEndian.AppendUint32(head, uint32(2*side)) // picture and mask
	head = binary.LittleEndian.AppendUint16(head, 1)
	head = binary.LittleEndian.AppendUint16(head, 32)
	out.Write(append(head, make([]byte, 24)...))
	line := (side + 31) / 32 * 4
	mask := make([]byte, 0, line*side)
	for y := side - 1; y >= 0; y-- {
		bits := make([]byte, line)
		for x := range side {
			p := img.Pix[y*img.Stride+4*x:][:4]
			out.Write([]byte{p[2], p[1], p[0], p[3]})
			if p[3] == 0 {
				bits[x/8] |= 0x80 >> (x % 8)
			}
		}
		mask = append(mask, bits...)
	}
	out.Write(mask)
}
