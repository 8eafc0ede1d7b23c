package raster

import (
	"context"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/flat"
	"dyekit/core/geom"
)

// Flat reports whether a drawing makes runs of one colour: no shades, no pixels.
func Flat(d *drawing.Drawing) bool {
	h := d.Has()
	return !h.Gradients && !h.Pictures && !h.Filters
}

// RenderRuns draws d as Render does, with the same arguments, and returns the
// picture as runs. It is for drawings that are Flat.
func RenderRuns(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, opt Options) (*flat.Picture, error) {
	if err := checkSize(w, h); err != nil {
		return nil, err
	}
	nodes := isolated(d, opt)
	c := compiler{ctx: ctx, to: to, w: w, h: h, long: max(w, h), opt: opt}
	pic := &flat.Picture{W: w, H: h, Rows: make([][]flat.Run, h)}
	err := c.paint(nodes, func(p *painter, y, k int) {
		p.row = p.runs(p.base, k, p.row[:0])
		if k > 0 && slices.Equal(p.row, pic.Rows[y-1]) {
			pic.Rows[y] = pic.Rows[y-1]
		} else {
			pic.Rows[y] = slices.Clone(p.row)
		}
	})
	if err != nil {
		return nil, err
	}
	bare := []flat.Run{{End: int32(w)}}
	for y, row := range pic.Rows {
		switch {
		case row == nil:
			pic.Rows[y] = bare
		case y > 0 && y%bandRows == 0 && slices.Equal(row, pic.Rows[y-1]):
			pic.Rows[y] = pic.Rows[y-1]
			for z := y + 1; z < h && len(pic.Rows[z]) > 0 && &pic.Rows[z][0] == &row[0]; z++ {
				pic.Rows[z] = pic.Rows[y]
			}
		}
	}
	return pic, nil
}

// runs appends row y as runs of straight 8-bit colours.
func (p *painter) runs(s *sheet, y int, out []flat.Run) []flat.Run {
	add := func(end int, c uint32) {
		if n := len(out); n > 0 && out[n-1].Colour == c {
			out[n-1].End = int32(end)
		} else {
			out = append(out, flat.Run{End: int32(end), Colour: c})
		}
	}
	u := s.used[y]
	if u[0] > 0 {
		add(u[0], 0)
	}
	row := s.tag[y*s.w : (y+1)*s.w]
	for x := u[0]; x < u[1]; {
		end := run(row, x, u[1])
		if t := row[x]; t != own {
			add(end, flat.Colour(p.palette.bytes[t]))
		} else {
			for i := x; i < end; i++ {
				var b [4]uint8
				store(b[:], s.px[4*(y*s.w+i):4*(y*s.w+i)+4])
				add(i+1, flat.Colour(b))
			}
		}
		x = end
	}
	if u[1] < s.w {
		add(s.w, 0)
	}
	return out
}
