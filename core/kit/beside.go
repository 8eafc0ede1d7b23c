package kit

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"slices"

	"dyekit/core/flat"
	"dyekit/core/kit/readback"
)

// A drawn picture is what a file was made of, row by row.
type drawn interface {
	// differ counts the pixels of row y that are seen to differ from those got:
	// what is bare in both has no colour.
	differ(y int, got []uint8) int
	// same reports that row y is that above it, where that is known.
	same(y int) bool
	// colours calls f with the straight colours of row y, some more than once.
	colours(y int, f func(c [4]uint8))
}

type drawnPixels struct{ *image.NRGBA }

func (d drawnPixels) row(y int) []uint8 { return d.Pix[y*d.Stride:][:4*d.Rect.Dx()] }

func (d drawnPixels) differ(y int, got []uint8) (n int) {
	row := d.row(y)
	if bytes.Equal(got, row) {
		return 0
	}
	for i := 0; i < len(row); i += 4 {
		p, q := (*[4]uint8)(got[i:]), (*[4]uint8)(row[i:])
		if *p != *q && (p[3] > 0 || q[3] > 0) {
			n++
		}
	}
	return n
}

func (d drawnPixels) same(y int) bool { return y > 0 && bytes.Equal(d.row(y), d.row(y-1)) }

func (d drawnPixels) colours(y int, f func(c [4]uint8)) { eachColour(d.row(y), f) }

// eachColour calls f with the colours of a row, once for each run.
func eachColour(row []uint8, f func(c [4]uint8)) {
	var last [4]uint8
	for i := 0; i < len(row); i += 4 {
		if p := [4]uint8(row[i:]); i == 0 || p != last {
			last = p
			f(p)
		}
	}
}

type drawnRuns struct{ *flat.Picture }

func (d drawnRuns) differ(y int, got []uint8) int { return flat.Differ(got, d.Rows[y]) }
func (d drawnRuns) same(y int) bool               { return d.Same(y) }

func (d drawnRuns) colours(y int, f func(c [4]uint8)) {
	for _, r := range d.Rows[y] {
		f(flat.Bytes(r.Colour))
	}
}

// A besides is what is found when a file is read beside what it was made of.
type besides struct {
	off                int // pixels that differ
	opaque, wantOpaque bool
	colours            [][3]uint8 // that can be seen, up to mostSeen
}

// beside reads a file row by row, each beside the one it was made of. It never
// holds more of the file than two rows.
func beside(p *readback.PNG, want drawn) (besides, error) {
	b := besides{opaque: true, wantOpaque: true}
	var seen sight
	off := 0
	each := p.Each
	differ, colours := want.differ, func(got []uint8) bool { eachColour(got, seen.add); return opaqueRow(got) }
	if r, ok := want.(drawnRuns); ok && p.Indexed() {
		each = p.EachIndexed
		differ = func(y int, got []uint8) int { return flat.DifferIndexed(got, p.Table(), r.Rows[y]) }
		colours = func(got []uint8) bool {
			opaque := true
			for _, i := range got {
				c := p.Table()[i]
				seen.add(c)
				opaque = opaque && c[3] == 255
			}
			return opaque
		}
	}
	err := each(func(y int, got []uint8, same bool) error {
		if same && want.same(y) {
			b.off += off // as many as in the row before
			return nil
		}
		off = differ(y, got)
		b.off += off
		opaque := true
		want.colours(y, func(c [4]uint8) {
			opaque = opaque && c[3] == 255
			if off == 0 {
				seen.add(c)
			}
		})
		b.wantOpaque = b.wantOpaque && opaque
		if off > 0 {
			opaque = colours(got)
		}
		b.opaque = b.opaque && opaque
		return nil
	})
	b.colours = seen.list
	return b, err
}

// An alike is a file that was read beside its picture, for those of the same
// picture in other inks.
type alike struct {
	file *readback.PNG
	besides
}

// besides reads a file beside what was drawn for it. If its lines are to the byte
// those of a file in another ink, which was found right, its palette is all that
// is left to look at.
func (j *job) besides(p *readback.PNG, px pixels) (besides, error) {
	if px.runs == nil {
		return beside(p, drawnPixels{px.screen[0]})
	}
	want := drawnRuns{px.runs}
	if px.runs.Of == nil {
		return beside(p, want)
	}
	first, err := j.reads.get(fmt.Sprintf("%p", px.runs.Of), func() (*alike, error) {
		b, err := beside(p, want)
		return &alike{p, b}, err
	})
	if err == nil && first.file == p {
		return first.besides, nil
	}
	if err != nil || first.off > 0 || !p.SameLines(first.file) {
		return beside(p, want)
	}
	b := first.besides
	b.colours = nil
	var seen sight
	ink, one := px.runs.Ink()
	for i, c := range p.Palette {
		if c[3] != first.file.Palette[i][3] || c[3] > 0 && !(one && [3]uint8(c[:]) == ink) {
			return beside(p, want)
		}
		seen.add(c)
	}
	b.colours = seen.list
	return b, nil
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

func (s *sight) add(p [4]uint8) {
	if p == s.last || len(s.list) >= mostSeen {
		return
	}
	s.last = p
	if c := [3]uint8(p[:]); p[3] > 0 && !slices.Contains(s.list, c) {
		s.list = append(s.list, c)
	}
}

// visible lists the colours of a picture that are seen, up to mostSeen.
func visible(img *image.NRGBA) [][3]uint8 {
	var s sight
	for y := range img.Rect.Dy() {
		eachColour(drawnPixels{img}.row(y), s.add)
	}
	return s.list
}
