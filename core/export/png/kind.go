package png

import (
	"bytes"
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
	lively bool // neighbours are mostly other
	// The runs of flat art: those of row y are runs[at[y][0]:at[y][1]]. A row
	// that equals the one above has the same.
	runs []run
	at   [][2]int32
}

// A run of pixels of one colour in a row, up to end.
type run struct {
	end    int32
	colour uint32 // as in the picture's memory
}

// shortest is how long, in px, the runs of flat art are on the mean at least.
const shortest = 16

func analyse(img *image.NRGBA) *facts {
	f := &facts{img: img, opaque: true, grey: true, flat: true}
	seen := make(map[uint32]struct{}, 257)
	var recent [256]uint32 // colours that need no second look
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	most, changes := w*h/shortest, 0
	f.at = make([][2]int32, 0, h)
	var above []byte
	for y := range h {
		row := img.Pix[y*img.Stride : y*img.Stride+4*w]
		if above != nil && bytes.Equal(row, above) {
			f.at = append(f.at, f.at[len(f.at)-1])
			continue
		}
		if f.flat {
			above = row
		}
		from := len(f.runs)
		for i := 0; i < len(row); {
			c := binary.LittleEndian.Uint32(row[i:])
			i = skip(row, i+4, c)
			changes++
			if f.flat {
				f.runs = append(f.runs, run{int32(i / 4), c})
			}
			if r := &recent[c*0x9e3779b1>>24]; *r != c || c == 0 {
				*r = c
				f.note(c, seen)
			}
		}
		f.at = append(f.at, [2]int32{int32(from), int32(len(f.runs))})
		if len(f.runs) > most {
			f.flat, f.runs, f.at, above = false, nil, nil, nil
		}
	}
	f.lively = changes > w*h/2
	if len(seen) <= 256 {
		f.sortColours(seen)
	}
	return f
}

// note takes in a colour that occurs.
func (f *facts) note(c uint32, seen map[uint32]struct{}) {
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
