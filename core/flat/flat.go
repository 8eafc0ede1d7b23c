// Package flat holds pictures of flat art: rows of runs of one colour. What is
// drawn so takes a fraction of the memory of its pixels, and can be written and
// compared without looking at each of them.
//
// Colours are straight (not premultiplied) 8-bit sRGB with opacity.
package flat

import (
	"encoding/binary"
	"image"
	"sort"
)

// A Run is pixels of one colour in a row: from the end of the run before it, or
// the left border, up to column End.
type Run struct {
	End    int32
	Colour uint32 // red in the lowest byte, opacity in the highest; 0 if bare
}

// A Picture is W × H pixels. The runs of every row end at W. Rows that equal the
// one above may share its runs.
type Picture struct {
	W, H int
	Rows [][]Run
	Of   *Picture // what it was inked from, if it was
}

// Inked is the picture with all that is seen of it in one colour, with the
// opacity it has.
func (p *Picture) Inked(r, g, b uint8) *Picture {
	ink := Colour([4]uint8{r, g, b, 255}) &^ (0xff << 24)
	q := &Picture{W: p.W, H: p.H, Rows: make([][]Run, len(p.Rows)), Of: p}
	for y, row := range p.Rows {
		if p.Same(y) {
			q.Rows[y] = q.Rows[y-1]
			continue
		}
		out := make([]Run, len(row))
		for i, k := range row {
			if k.Colour != 0 {
				k.Colour = k.Colour&(0xff<<24) | ink
			}
			out[i] = k
		}
		q.Rows[y] = out
	}
	return q
}

// On is the picture laid on an opaque ground.
func (p *Picture) On(r, g, b uint8) *Picture {
	q := &Picture{W: p.W, H: p.H, Rows: make([][]Run, len(p.Rows))}
	ground := [3]uint8{r, g, b}
	for y, row := range p.Rows {
		if p.Same(y) {
			q.Rows[y] = q.Rows[y-1]
			continue
		}
		out := make([]Run, 0, len(row))
		for _, k := range row {
			c := Colour(Over(Bytes(k.Colour), ground))
			if n := len(out); n > 0 && out[n-1].Colour == c {
				out[n-1].End = k.End
			} else {
				out = append(out, Run{k.End, c})
			}
		}
		q.Rows[y] = out
	}
	return q
}

// Over is a straight pixel laid on an opaque one.
func Over(p [4]uint8, ground [3]uint8) [4]uint8 {
	a := int(p[3])
	for c, g := range ground {
		p[c] = uint8((int(p[c])*a + int(g)*(255-a) + 127) / 255)
	}
	p[3] = 255
	return p
}

// Ink is the one colour of all that is seen; false if there are several, or none.
func (p *Picture) Ink() (ink [3]uint8, one bool) {
	for y, row := range p.Rows {
		if p.Same(y) {
			continue
		}
		for _, r := range row {
			c := Bytes(r.Colour)
			switch {
			case c[3] == 0:
			case !one:
				ink, one = [3]uint8(c[:]), true
			case ink != [3]uint8(c[:]):
				return ink, false
			}
		}
	}
	return ink, one
}

// Bytes are the four bytes of a colour: red, green, blue, opacity.
func Bytes(c uint32) (b [4]uint8) {
	binary.LittleEndian.PutUint32(b[:], c)
	return b
}

// Colour is the colour of four bytes; what is bare has none.
func Colour(b [4]uint8) uint32 {
	if b[3] == 0 {
		return 0
	}
	return binary.LittleEndian.Uint32(b[:])
}

// Same reports whether row y is that above it, as far as they share their runs.
func (p *Picture) Same(y int) bool {
	return y > 0 && len(p.Rows[y]) == len(p.Rows[y-1]) && &p.Rows[y][0] == &p.Rows[y-1][0]
}

// At is the colour at column x of row y.
func (p *Picture) At(x, y int) [4]uint8 {
	row := p.Rows[y]
	return Bytes(row[sort.Search(len(row), func(i int) bool { return int(row[i].End) > x })].Colour)
}

// Image returns the pixels.
func (p *Picture) Image() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	for y, row := range p.Rows {
		Fill(img.Pix[y*img.Stride:][:4*p.W], row)
	}
	return img
}

// Fill writes runs as pixels to a row that is bare.
func Fill(dst []uint8, row []Run) {
	at := 0
	for _, r := range row {
		end := 4 * int(r.End)
		if b := dst[at:end]; r.Colour != 0 && len(b) > 0 {
			binary.LittleEndian.PutUint32(b, r.Colour)
			for n := 4; n < len(b); n *= 2 {
				copy(b[n:], b[:n])
			}
		}
		at = end
	}
}

// Differ counts the pixels of a row in which it differs from runs. What is bare
// in both has no colour.
func Differ(got []uint8, row []Run) (n int) {
	at := 0
	for _, r := range row {
		end := 4 * int(r.End)
		two := uint64(r.Colour)<<32 | uint64(r.Colour)
		for at < end {
			for at+8 <= end && binary.LittleEndian.Uint64(got[at:]) == two {
				at += 8
			}
			if at == end {
				break
			}
			if c := binary.LittleEndian.Uint32(got[at:]); c != r.Colour && (c>>24 > 0 || r.Colour>>24 > 0) {
				n++
			}
			at += 4
		}
	}
	return n
}

// DifferIndexed is Differ of a row of indices into a table of straight colours, a
// byte for each pixel.
func DifferIndexed(got []uint8, table *[256][4]uint8, row []Run) (n int) {
	at := 0
	for _, r := range row {
		end := int(r.End)
		for at < end {
			i := got[at]
			c := Colour(table[i])
			from := at
			// As far as the same index goes, one look at the table is enough.
			for all := uint64(i) * 0x0101010101010101; at+8 <= end && binary.LittleEndian.Uint64(got[at:]) == all; {
				at += 8
			}
			for at < end && got[at] == i {
				at++
			}
			if c != r.Colour && (c != 0 || r.Colour>>24 > 0) {
				n += at - from
			}
		}
	}
	return n
}
