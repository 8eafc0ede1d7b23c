package readback

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"

	stdzlib "compress/zlib"

	"golang.org/x/image/tiff/lzw"
)

// TIFF is what a TIFF file says and shows.
type TIFF struct {
	Image   image.Image // *image.NRGBA or *image.CMYK
	PPI     float64
	Profile []byte
}

// maxPixels bounds what is unpacked.
const maxPixels = 1 << 30

// ReadTIFF reads 8-bit RGB, RGB with opacity, and CMYK in strips, by TIFF 6.0;
// the packages that unpack are not those that packed.
func ReadTIFF(b []byte) (*TIFF, error) {
	if len(b) < 8 || string(b[:4]) != "II*\x00" {
		return nil, errors.New("it does not begin as a TIFF")
	}
	le := binary.LittleEndian
	at := int(le.Uint32(b[4:]))
	if at < 8 || at+2 > len(b) {
		return nil, errors.New("its directory is missing")
	}
	if end := at + 2 + 12*int(le.Uint16(b[at:])); end+4 > len(b) || le.Uint32(b[end:]) != 0 {
		return nil, errors.New("its directory is cut off")
	}
	values := map[uint16][]int{}
	var out TIFF
	for i := range int(le.Uint16(b[at:])) {
		f := at + 2 + 12*i
		tag, kind, n := le.Uint16(b[f:]), le.Uint16(b[f+2:]), int(le.Uint32(b[f+4:]))
		size, ok := map[uint16]int{3: 2, 4: 4, 5: 8, 7: 1}[kind]
		if !ok || n < 0 || n > len(b) {
			return nil, fmt.Errorf("tag %d is of a kind not known", tag)
		}
		data := b[f+8 : f+12]
		if n*size > 4 {
			p := int(le.Uint32(data))
			if p < 0 || p+n*size > len(b) {
				return nil, fmt.Errorf("tag %d points past the end", tag)
			}
			data = b[p : p+n*size]
		}
		if kind == 7 {
			if tag != 34675 || out.Profile != nil {
				return nil, fmt.Errorf("tag %d is not one that is written here", tag)
			}
			out.Profile = data[:n]
			continue
		}
		for k := range n {
			switch kind {
			case 3:
				values[tag] = append(values[tag], int(le.Uint16(data[2*k:])))
			case 4:
				values[tag] = append(values[tag], int(le.Uint32(data[4*k:])))
			case 5:
				if tag != 282 && tag != 283 || le.Uint32(data[4:]) == 0 {
					return nil, fmt.Errorf("tag %d is no resolution", tag)
				}
				ppi := float64(le.Uint32(data)) / float64(le.Uint32(data[4:]))
				if tag == 283 && ppi != out.PPI {
					return nil, errors.New("its resolution differs across and down")
				}
				out.PPI = ppi
			}
		}
	}
	one := func(tag uint16) int {
		if v := values[tag]; len(v) > 0 {
			return v[0]
		}
		return 0
	}
	w, h, n := one(256), one(257), one(277)
	if w < 1 || h < 1 || n < 3 || n > 4 || w*h*n > maxPixels || one(317) != 2 || len(values[273]) != len(values[279]) {
		return nil, errors.New("its size or layout is not one we write")
	}
	// What readers need beside: samples of 8 bits, a pixel's together, inches, the usual
	// inks, the right way up.
	for _, v := range values[258] {
		if v != 8 {
			return nil, fmt.Errorf("a sample has %d bits", v)
		}
	}
	if len(values[258]) != n || one(284) != 1 || out.PPI > 0 && one(296) != 2 || one(262) == 5 && one(332) != 1 || one(274) > 1 {
		return nil, errors.New("its samples, unit of length or inks are not those we write")
	}
	raw := make([]byte, w*h*n)
	filled := 0
	for i, off := range values[273] {
		end := off + values[279][i]
		if off < 0 || end > len(b) || end < off {
			return nil, errors.New("a strip lies past the end")
		}
		var r io.ReadCloser
		var err error
		switch one(259) {
		case 5:
			r = lzw.NewReader(bytes.NewReader(b[off:end]), lzw.MSB, 8)
		case 8:
			r, err = stdzlib.NewReader(bytes.NewReader(b[off:end]))
		default:
			err = fmt.Errorf("compression %d is not known", one(259))
		}
		if err != nil {
			return nil, err
		}
		got, err := fill(raw[filled:], r)
		if err != nil {
			return nil, err
		}
		filled += got
	}
	if filled != len(raw) {
		return nil, fmt.Errorf("it holds %d bytes of pixels, not %d", filled, len(raw))
	}
	pix := raw
	if n == 3 {
		pix = make([]byte, w*h*4)
	}
	for y := range h {
		add(pix[y*w*4:(y+1)*w*4], raw[y*w*n:(y+1)*w*n], n)
	}
	switch stride, rect := 4*w, image.Rect(0, 0, w, h); {
	case one(262) == 5 && n == 4:
		out.Image = &image.CMYK{Pix: pix, Stride: stride, Rect: rect}
	case one(262) == 2 && (n == 3 || one(338) == 2):
		out.Image = &image.NRGBA{Pix: pix, Stride: stride, Rect: rect}
	default:
		return nil, fmt.Errorf("photometric %d with %d samples is not known", one(262), n)
	}
	return &out, nil
}

// fill reads to the end, of which no more may come than there is room for.
func fill(dst []byte, r io.Reader) (n int, err error) {
	for n < len(dst) {
		m, err := r.Read(dst[n:])
		n += m
		if err == io.EOF {
			return n, nil
		}
		if err != nil {
			return n, err
		}
	}
	if m, err := io.ReadFull(r, make([]byte, 1)); m > 0 {
		return n, errors.New("it holds more pixels than its size says")
	} else if err != io.EOF {
		return n, err
	}
	return n, nil
}

// add makes a row of four samples a pixel of the differences between pixels of n
// samples (TIFF 6.0, section 14): the fourth of three is full. Both may be the same
// slice.
func add(pix, diff []byte, n int) {
	if n == 3 {
		var sum [3]byte
		for ; len(pix) >= 4 && len(diff) >= 3; pix, diff = pix[4:], diff[3:] {
			sum[0], sum[1], sum[2] = sum[0]+diff[0], sum[1]+diff[1], sum[2]+diff[2]
			pix[0], pix[1], pix[2], pix[3] = sum[0], sum[1], sum[2], 255
		}
		return
	}
	// Four bytes are added at once, the highest bit of each without its carry.
	const low, high = 0x7f7f7f7f, 0x80808080
	sum := uint32(0)
	for ; len(pix) >= 4 && len(diff) >= 4; pix, diff = pix[4:], diff[4:] {
		v := binary.LittleEndian.Uint32(diff)
		sum = (sum&low + v&low) ^ (sum^v)&high
		binary.LittleEndian.PutUint32(pix, sum)
	}
}
