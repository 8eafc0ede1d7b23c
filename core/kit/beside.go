package kit

import (
	"bytes"
	"encoding/binary"
	"image"
	"slices"

	"dyekit/core/kit/readback"
)

// A besides is what is found when a file is read beside what it was made of.
type besides struct {
	off                int // pixels that differ; what is bare in both has no colour
	opaque, wantOpaque bool
	colours            [][3]uint8 // that can be seen, up to mostSeen
}

// beside reads a file row by row, each beside the one it was made of. It never
// holds more of the file than two rows.
func beside(p *readback.PNG, want *image.NRGBA) (besides, error) {
	b := besides{opaque: true, wantOpaque: true}
	var seen sight
	off := 0
	var before []uint8
	err := p.Each(func(y int, got []uint8, same bool) error {
		row := want.Pix[y*want.Stride:][:4*p.W]
		if same && bytes.Equal(row, before) {
			b.off += off // as many as in the row before
			return nil
		}
		before, off = row, 0
		if !bytes.Equal(got, row) {
			off = differ(got, row)
			b.off += off
		}
		b.opaque = b.opaque && opaqueRow(got)
		b.wantOpaque = b.wantOpaque && opaqueRow(row)
		seen.row(got)
		return nil
	})
	b.colours = seen.list
	return b, err
}

// differ counts the pixels of two rows that are seen to differ.
func differ(a, b []uint8) (n int) {
	for i := 0; i < len(b); i += 4 {
		p, q := (*[4]uint8)(a[i:]), (*[4]uint8)(b[i:])
		if *p != *q && (p[3] > 0 || q[3] > 0) {
			n++
		}
	}
	return n
}

func opaqueRow(row []uint8) bool {
	const both = 0xff000000ff000000
	for len(row) >= 8 {
		if binary.LittleEndian.Uint64(row)&both != both {
			return false
		}
		row = row[8:]
	}
	return len(row) == 0 || row[3] == 0xff
}

// A sight gathers the colours that are seen.
type sight struct {
	last [4]uint8
	list [][3]uint8
}

func (s *sight) row(row []uint8) {
	for i := 0; i < len(row) && len(s.list) < mostSeen; i += 4 {
		p := [4]uint8(row[i:])
		if p == s.last {
			continue
		}
		s.last = p
		if c := [3]uint8(p[:]); p[3] > 0 && !slices.Contains(s.list, c) {
			s.list = append(s.list, c)
		}
	}
}

// visible lists the colours of a picture that are seen, up to mostSeen.
func visible(img *image.NRGBA) [][3]uint8 {
	var s sight
	for y := range img.Rect.Dy() {
		s.row(img.Pix[y*img.Stride:][:4*img.Rect.Dx()])
	}
	return s.list
}
