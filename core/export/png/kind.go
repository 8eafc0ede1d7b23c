package png

import (
	"cmp"
	"encoding/binary"
	"image"
	"math/bits"
	"slices"
)

// facts is what has to be known of a picture to choose its type.
type facts struct {
	img    *image.NRGBA
	opaque bool
	grey   bool
	colors []uint32 // straight RGBA in order of opacity; nil if over 256
	index  map[uint32]uint8
	flat   bool // neighbours are mostly the same
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
	f.flat = changes <= w*h/16
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
	case f.colors != nil && !o.NoPalette && len(f.colors) <= 256:
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
