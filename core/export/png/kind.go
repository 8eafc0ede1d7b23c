package png

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"image"
	"math/bits"
	"slices"

	"dyekit/core/flat"
)

// facts is what has to be known of a picture to choose its type.
type facts struct {
	w, h   int
	img    *image.NRGBA  // nil if it came as runs
	pic    *flat.Picture // nil if it came as pixels that make no runs
	opaque bool
	grey   bool
	colors []uint32 // straight RGBA in order of opacity; nil if over 256
	index  map[uint32]uint8
	flat   bool // neighbours are mostly the same
	lively bool // neighbours are mostly other
	seen   map[uint32]struct{}
	recent [256]uint32 // colours that need no second look
}

// shortest is how long, in px, the runs of flat art are on the mean at least.
const shortest = 16

func newFacts(w, h int) *facts {
	return &facts{w: w, h: h, opaque: true, grey: true, seen: make(map[uint32]struct{}, 257)}
}

// analyse looks at pixels, and keeps the runs of flat art.
func analyse(img *image.NRGBA) *facts {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	f := newFacts(w, h)
	f.img, f.pic = img, &flat.Picture{W: w, H: h, Rows: make([][]flat.Run, 0, h)}
	most, changes := w*h/shortest, 0
	var above []byte
	var runs []flat.Run
	for y := range h {
		row := img.Pix[y*img.Stride : y*img.Stride+4*w]
		if above != nil && bytes.Equal(row, above) {
			f.pic.Rows = append(f.pic.Rows, f.pic.Rows[y-1])
			continue
		}
		runs = runs[:0]
		for i := 0; i < len(row); {
			c := binary.LittleEndian.Uint32(row[i:])
			i = skip(row, i+4, c)
			changes++
			if f.pic != nil {
				runs = append(runs, flat.Run{End: int32(i / 4), Colour: c})
			}
			f.note(c)
		}
		if changes > most {
			f.pic, above = nil, nil
		}
		if f.pic != nil {
			above = row
			f.pic.Rows = append(f.pic.Rows, slices.Clone(runs))
		}
	}
	f.done(changes)
	return f
}

// analyseRuns looks at runs.
func analyseRuns(pic *flat.Picture) *facts {
	f := newFacts(pic.W, pic.H)
	f.pic = pic
	changes := 0
	for y, row := range pic.Rows {
		if pic.Same(y) {
			continue
		}
		changes += len(row)
		for _, r := range row {
			f.note(r.Colour)
		}
	}
	f.done(changes)
	return f
}

// note takes in a colour that occurs.
func (f *facts) note(c uint32) {
	r := &f.recent[c*0x9e3779b1>>24]
	if *r == c && c != 0 {
		return
	}
	*r = c
	if c>>24 != 0xff {
		f.opaque = false
	}
	if r, g, b := c&0xff, c>>8&0xff, c>>16&0xff; r != g || g != b {
		f.grey = false
	}
	if len(f.seen) <= 256 {
		f.seen[bits.ReverseBytes32(c)] = struct{}{}
	}
}

// done draws the conclusions, once every colour was noted.
func (f *facts) done(changes int) {
	f.flat, f.lively = changes <= f.w*f.h/shortest, changes > f.w*f.h/2
	if len(f.seen) <= 256 {
		f.sortColours(f.seen)
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
