package readback

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
)

// Icon reads every picture of an icon file, in order.
func Icon(b []byte) ([]*image.NRGBA, error) {
	le := binary.LittleEndian
	if len(b) < 6 || le.Uint16(b) != 0 || le.Uint16(b[2:]) != 1 {
		return nil, errors.New("it does not begin as an icon")
	}
	n := int(le.Uint16(b[4:]))
	if len(b) < 6+16*n {
		return nil, errors.New("its directory is cut off")
	}
	var out []*image.NRGBA
	for i := range n {
		e := b[6+16*i:]
		side, size, at := int(e[0]), int(le.Uint32(e[8:])), int(le.Uint32(e[12:]))
		if side == 0 {
			side = 256
		}
		if e[0] != e[1] || at+size > len(b) || at < 6+16*n || size < 40 {
			return nil, fmt.Errorf("picture %d is not where the directory says", i+1)
		}
		data := b[at : at+size]
		var img *image.NRGBA
		if bytes.HasPrefix(data, []byte("\x89PNG")) {
			p, err := ReadPNG(data)
			if err != nil {
				return nil, err
			}
			if img, err = p.Image(); err != nil {
				return nil, err
			}
		} else {
			line := (side + 31) / 32 * 4
			if le.Uint32(data) != 40 || int(le.Uint32(data[4:])) != side || int(le.Uint32(data[8:])) != 2*side || le.Uint16(data[14:]) != 32 || size != 40+4*side*side+line*side {
				return nil, fmt.Errorf("picture %d is no bitmap of %d px with a mask", i+1, side)
			}
			img = image.NewNRGBA(image.Rect(0, 0, side, side))
			pix, mask := data[40:], data[40+4*side*side:]
			for y := range side {
				for x := range side {
					p, q := pix[4*((side-1-y)*side+x):], img.Pix[y*img.Stride+4*x:]
					q[0], q[1], q[2], q[3] = p[2], p[1], p[0], p[3]
					if bare := mask[(side-1-y)*line+x/8]<<(x%8)&0x80 != 0; bare != (p[3] == 0) {
						return nil, fmt.Errorf("picture %d: its mask is not what is bare", i+1)
					}
				}
			}
		}
		if img.Rect.Dx() != side || img.Rect.Dy() != side {
			return nil, fmt.Errorf("picture %d is not of the size the directory says", i+1)
		}
		out = append(out, img)
	}
	return out, nil
}
