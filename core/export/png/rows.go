package png

import (
	"bytes"
	"encoding/binary"
	"math"
	"math/bits"

	"dyekit/core/flat"
)

// rows is the picture as the lines to be compressed: one pass, or the seven of
// an interlaced file (section 8.2). Line i of a pass is filtered against the
// line before it.
type rows struct {
	*facts
	kind, depth int
	bpp         int // bytes of a whole pixel, at least 1
	passes      []pass
	filtered    bool
}

// A pass holds every dx-th pixel of every dy-th line from x0, y0 on.
type pass struct {
	x0, y0, dx, dy int
	w, h           int // px
	line           int // bytes of a line with its filter's number
}

// adam7 are the passes of section 8.2.
var adam7 = [7][4]int{{0, 0, 8, 8}, {4, 0, 8, 8}, {0, 4, 4, 8}, {2, 0, 4, 4}, {0, 2, 2, 4}, {1, 0, 2, 2}, {0, 1, 1, 2}}

func (f *facts) rows(kind, depth int, interlace bool) *rows {
	samples := map[int]int{grey: 1, trueColor: 3, palette: 1, greyAlpha: 2, trueAlpha: 4}[kind]
	r := &rows{facts: f, kind: kind, depth: depth, bpp: samples}
	w, h := f.w, f.h
	if interlace && f.img == nil {
		f.img = f.pic.Image() // passes take every so many pixels
	}
	add := func(p pass) {
		p.w, p.h = (w-p.x0+p.dx-1)/p.dx, (h-p.y0+p.dy-1)/p.dy
		p.line = 1 + (p.w*samples*depth+7)/8
		if p.w > 0 && p.h > 0 {
			r.passes = append(r.passes, p)
		}
	}
	if !interlace {
		add(pass{dx: 1, dy: 1})
		return r
	}
	for _, a := range adam7 {
		add(pass{x0: a[0], y0: a[1], dx: a[2], dy: a[3]})
	}
	return r
}

// lines returns lines from up to to of a pass, ready to be compressed.
func (r *rows) lines(p pass, from, to int) []byte {
	out := make([]byte, 0, (to-from)*p.line)
	cur, prev := make([]byte, p.line), make([]byte, p.line)
	best, try := make([]byte, p.line), make([]byte, p.line)
	if from > 0 {
		r.line(prev[1:], p, from-1)
	}
	for y := from; y < to; y++ {
		r.line(cur[1:], p, y)
		if r.filtered {
			out = append(out, r.filter(cur, prev, best, try, r.bpp)...)
		} else {
			out = append(out, cur...)
		}
		cur, prev = prev, cur
	}
	return out
}

// line packs line y of a pass.
func (r *rows) line(dst []byte, p pass, y int) {
	if r.pic != nil && p.dx == 1 {
		r.fill(dst, p.y0+y*p.dy)
		return
	}
	img := r.img
	at := (p.y0 + y*p.dy) * img.Stride
	src := img.Pix[at : at+4*img.Bounds().Dx()]
	if p.dx > 1 {
		thin := make([]byte, 0, 4*p.w)
		for x := p.x0 * 4; x < len(src); x += 4 * p.dx {
			thin = append(thin, src[x:x+4]...)
		}
		src = thin
	}
	r.row(dst, src, r.kind, r.depth)
}

// fill makes a line from the runs of row y of the picture.
func (r *rows) fill(dst []byte, y int) {
	at := 0
	for _, run := range r.pic.Rows[y] {
		end := int(run.End)
		c := flat.Bytes(run.Colour)
		switch r.kind {
		case grey:
			fillBytes(dst[at:end], c[:1])
		case greyAlpha:
			fillBytes(dst[2*at:2*end], []byte{c[0], c[3]})
		case trueColor:
			fillBytes(dst[3*at:3*end], c[:3])
		case trueAlpha:
			fillBytes(dst[4*at:4*end], c[:])
		case palette:
			fillIndex(dst, at, end, r.index[bits.ReverseBytes32(run.Colour)], r.depth)
		}
		at = end
	}
}

// fillIndex gives pixels [from, to) of a line an index of so many bits. Pixels
// are given in order.
func fillIndex(dst []byte, from, to int, index byte, depth int) {
	per := 8 / depth
	for ; from < to && from%per != 0; from++ {
		dst[from/per] |= index << (8 - depth - from%per*depth)
	}
	full := index
	for n := depth; n < 8; n *= 2 {
		full |= full << n
	}
	if whole := to / per; from/per < whole {
		fillBytes(dst[from/per:whole], []byte{full})
		from = whole * per
	}
	if from < to {
		dst[from/per] = 0
	}
	for ; from < to; from++ {
		dst[from/per] |= index << (8 - depth - from%per*depth)
	}
}

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
		for i := 0; i < len(src); {
			c := binary.LittleEndian.Uint32(src[i:])
			end := skip(src, i+4, c)
			fillIndex(dst, i/4, end/4, f.index[bits.ReverseBytes32(c)], depth)
			i = end
		}
	}
}

// fillBytes repeats a pattern.
func fillBytes(b, pattern []byte) {
	copy(b, pattern)
	for n := len(pattern); n < len(b); n *= 2 {
		copy(b[n:], b[:n])
	}
}

// filter returns the line in the one of the five filters (section 9.2) that
// leaves the smallest sum of absolute differences (section 12.8).
func (r *rows) filter(cur, prev, best, try []byte, bpp int) []byte {
	if bytes.Equal(cur[1:], prev[1:]) { // nothing is left
		clear(best)
		best[0] = 2
		return best
	}
	least := math.MaxInt
	for ft := range 5 {
		try[0] = byte(ft)
		if sum := difference(ft, try[1:], cur[1:], prev[1:], bpp); sum < least {
			least = sum
			copy(best, try)
		}
	}
	return best
}

// difference fills dst with what one filter leaves and sums it up.
func difference(ft int, dst, cur, prev []byte, bpp int) int {
	n := len(cur)
	dst, prev = dst[:n], prev[:n]
	first := min(bpp, n)
	for i, v := range cur[:first] { // nothing lies to the left
		switch ft {
		case 2, 4:
			v -= prev[i]
		case 3:
			v -= prev[i] / 2
		}
		dst[i] = v
	}
	left, corner := cur[:n-first], prev[:n-first]
	here, above, out := cur[first:], prev[first:], dst[first:]
	switch ft {
	case 0:
		copy(out, here)
	case 1:
		for i, v := range here {
			out[i] = v - left[i]
		}
	case 2:
		for i, v := range here {
			out[i] = v - above[i]
		}
	case 3:
		for i, v := range here {
			out[i] = v - byte((int(left[i])+int(above[i]))/2)
		}
	case 4:
		for i, v := range here {
			out[i] = v - paeth(left[i], above[i], corner[i])
		}
	}
	sum := 0
	for _, v := range dst {
		d := int(int8(v))
		sum += (d ^ d>>63) - d>>63
	}
	return sum
}

// paeth is the neighbour nearest to left + above − corner (section 9.4).
func paeth(a, b, c byte) byte {
	pa, pb := int(b)-int(c), int(a)-int(c)
	pc := pa + pb
	pa, pb, pc = max(pa, -pa), max(pb, -pb), max(pc, -pc)
	if pa <= pb && pa <= pc {
		return a
	}
	if pb <= pc {
		return b
	}
	return c
}
