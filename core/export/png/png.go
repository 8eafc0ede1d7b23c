// Package png writes PNG files (W3C Recommendation, second edition): the
// smallest colour type that loses nothing, resolution in pHYs.
package png

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"math"
	"math/bits"
	"slices"

	"github.com/klauspost/compress/zlib"
)

// Options of a file. The zero Options writes no resolution and any palette
// that is lossless.
type Options struct {
	PPI       float64 // pixels per inch, kept as pixels per metre; 0 for none
	NoPalette bool    // truecolour or grey even where a palette is lossless
}

// Colour types of PNG section 11.2.2.
const (
	grey      = 0
	trueColor = 2
	palette   = 3
	greyAlpha = 4
	trueAlpha = 6
)

// Encode returns the file. img holds straight 8-bit sRGB.
func Encode(img *image.NRGBA, o Options) ([]byte, error) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w < 1 || h < 1 {
		return nil, fmt.Errorf("a PNG of %d × %d px cannot be", w, h)
	}
	f := analyse(img)
	kind, depth := f.kind(o)
	var out bytes.Buffer
	out.WriteString("\x89PNG\r\n\x1a\n")
	head := make([]byte, 13)
	binary.BigEndian.PutUint32(head, uint32(w))
	binary.BigEndian.PutUint32(head[4:], uint32(h))
	head[8], head[9] = byte(depth), byte(kind)
	chunk(&out, "IHDR", head)
	chunk(&out, "sRGB", []byte{0}) // perceptual, section 11.3.3.5
	if o.PPI > 0 {
		b := make([]byte, 9)
		m := uint32(math.Round(o.PPI / 0.0254))
		binary.BigEndian.PutUint32(b, m)
		binary.BigEndian.PutUint32(b[4:], m)
		b[8] = 1 // the unit is the metre
		chunk(&out, "pHYs", b)
	}
	if kind == palette {
		plte, trns := f.tables()
		chunk(&out, "PLTE", plte)
		if len(trns) > 0 {
			chunk(&out, "tRNS", trns)
		}
	}
	data, err := f.compress(kind, depth)
	if err != nil {
		return nil, err
	}
	chunk(&out, "IDAT", data)
	chunk(&out, "IEND", nil)
	return out.Bytes(), nil
}

func chunk(out *bytes.Buffer, name string, data []byte) {
	var n [4]byte
	binary.BigEndian.PutUint32(n[:], uint32(len(data)))
	out.Write(n[:])
	out.WriteString(name)
	out.Write(data)
	c := crc32.NewIEEE()
	c.Write([]byte(name))
	c.Write(data)
	binary.BigEndian.PutUint32(n[:], c.Sum32())
	out.Write(n[:])
}

// facts is what has to be known of a picture to choose its type.
type facts struct {
	img    *image.NRGBA
	opaque bool
	grey   bool
	colors []uint32 // straight RGBA in order of opacity; nil if over 256
	index  map[uint32]uint8
	smooth bool // neighbours mostly differ: filters pay
}

func analyse(img *image.NRGBA) *facts {
	f := &facts{img: img, opaque: true, grey: true}
	seen := make(map[uint32]struct{}, 257)
	changes := 0
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	last := ^binary.LittleEndian.Uint32(img.Pix)
	for y := range h {
		row := img.Pix[y*img.Stride : y*img.Stride+4*w]
		for i := 0; i < len(row); i += 4 {
			c := binary.LittleEndian.Uint32(row[i:])
			if c == last {
				i = skip(row, i+4, c) - 4
				continue
			}
			changes++
			last = c
			if c>>24 != 0xff {
				f.opaque = false
			}
			if r, g, b := c&0xff, c>>8&0xff, c>>16&0xff; r != g || g != b {
				f.grey = false
			}
			if len(seen) <= 256 {
				seen[bits.ReverseBytes32(c)] = struct{}{}
			}
		}
	}
	f.smooth = changes > w*h/4
	if len(seen) <= 256 {
		f.sortColours(seen)
	}
	return f
}

// skip returns where the run of pixels c that goes on at i ends: flat art is
// mostly runs, and two pixels are compared at a time.
func skip(row []byte, i int, c uint32) int {
	two := uint64(c)<<32 | uint64(c)
	for i+8 <= len(row) && binary.LittleEndian.Uint64(row[i:]) == two {
		i += 8
	}
	for i < len(row) && binary.LittleEndian.Uint32(row[i:]) == c {
		i += 4
	}
	return i
}

// sortColours puts translucent colours first, so that tRNS can be short
// (section 11.3.2.1), then by value: the same picture gives the same file.
func (f *facts) sortColours(seen map[uint32]struct{}) {
	for c := range seen {
		f.colors = append(f.colors, c)
	}
	key := func(c uint32) uint64 {
		a := uint64(c & 0xff)
		return a<<32 | uint64(c)
	}
	slices.SortFunc(f.colors, func(a, b uint32) int { return cmp.Compare(key(a), key(b)) })
	f.index = make(map[uint32]uint8, len(f.colors))
	for i, c := range f.colors {
		f.index[c] = uint8(i)
	}
}

// kind chooses the colour type and bit depth.
func (f *facts) kind(o Options) (kind, depth int) {
	switch {
	case f.grey && f.opaque:
		return grey, 8
	case f.colors != nil && !o.NoPalette:
		switch n := len(f.colors); {
		case n <= 2:
			return palette, 1
		case n <= 4:
			return palette, 2
		case n <= 16:
			return palette, 4
		}
		return palette, 8
	case f.grey:
		return greyAlpha, 8
	case f.opaque:
		return trueColor, 8
	}
	return trueAlpha, 8
}

func (f *facts) tables() (plte, trns []byte) {
	for _, c := range f.colors {
		plte = append(plte, byte(c>>24), byte(c>>16), byte(c>>8))
		if a := byte(c); a != 255 {
			trns = append(trns, a)
		}
	}
	return plte, trns
}

// compress packs the rows. Flat art is smallest unfiltered; where neighbours
// mostly differ each row takes the filter with the smallest sum of absolute
// differences (section 12.8).
func (f *facts) compress(kind, depth int) ([]byte, error) {
	var out bytes.Buffer
	z, err := zlib.NewWriterLevel(&out, level)
	if err != nil {
		return nil, err
	}
	w, h := f.img.Bounds().Dx(), f.img.Bounds().Dy()
	bpp := map[int]int{grey: 1, trueColor: 3, palette: 1, greyAlpha: 2, trueAlpha: 4}[kind]
	n := (w*bpp*depth + 7) / 8
	cur, prev := make([]byte, 1+n), make([]byte, 1+n)
	best, try := make([]byte, 1+n), make([]byte, 1+n)
	for y := range h {
		f.row(cur[1:], f.img.Pix[y*f.img.Stride:y*f.img.Stride+4*w], kind, depth)
		line := cur
		if f.smooth && kind != palette {
			line = filter(cur, prev, best, try, bpp)
		}
		if _, err := z.Write(line); err != nil {
			return nil, err
		}
		cur, prev = prev, cur
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// level of deflate: on flat art higher ones take long and win little.
const level = 4

// row converts one row of pixels to samples.
func (f *facts) row(dst, src []byte, kind, depth int) {
	switch kind {
	case grey:
		for i := range dst {
			dst[i] = src[4*i]
		}
	case greyAlpha:
		for i, j := 0, 0; j < len(src); i, j = i+2, j+4 {
			dst[i], dst[i+1] = src[j], src[j+3]
		}
	case trueColor:
		for i, j := 0, 0; j < len(src); i, j = i+3, j+4 {
			dst[i], dst[i+1], dst[i+2] = src[j], src[j+1], src[j+2]
		}
	case trueAlpha:
		copy(dst, src)
	case palette:
		if depth < 8 {
			clear(dst)
		}
		for i := 0; i < len(src); {
			c := binary.LittleEndian.Uint32(src[i:])
			at := f.index[bits.ReverseBytes32(c)]
			end := skip(src, i+4, c)
			run := [2]int{i / 4, end / 4}
			i = end
			if depth == 8 {
				fillBytes(dst[run[0]:run[1]], at)
				continue
			}
			for x := run[0]; x < run[1] && at > 0; x++ {
				bit := x * depth
				dst[bit/8] |= at << (8 - depth - bit%8)
			}
		}
	}
}

func fillBytes(b []byte, v byte) {
	if len(b) == 0 {
		return
	}
	b[0] = v
	for n := 1; n < len(b); n *= 2 {
		copy(b[n:], b[:n])
	}
}

// filter returns the row in the best of the five filters (section 9.2).
func filter(cur, prev, best, try []byte, bpp int) []byte {
	min := math.MaxInt
	for ft := range 5 {
		sum := 0
		try[0] = byte(ft)
		for i := 1; i < len(cur); i++ {
			var a, c int
			b := int(prev[i])
			if i > bpp {
				a, c = int(cur[i-bpp]), int(prev[i-bpp])
			}
			v := int(cur[i])
			switch ft {
			case 1:
				v -= a
			case 2:
				v -= b
			case 3:
				v -= (a + b) / 2
			case 4:
				v -= paeth(a, b, c)
			}
			try[i] = byte(v)
			if d := int(int8(v)); d < 0 {
				sum -= d
			} else {
				sum += d
			}
		}
		if sum < min {
			min = sum
			copy(best, try)
		}
	}
	return best
}

func paeth(a, b, c int) int {
	abs := func(v int) int { return max(v, -v) }
	p := a + b - c
	pa, pb, pc := abs(p-a), abs(p-b), abs(p-c)
	if pa <= pb && pa <= pc {
		return a
	}
	if pb <= pc {
		return b
	}
	return c
}
