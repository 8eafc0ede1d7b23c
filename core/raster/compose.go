package raster

import (
	"context"
	"sync"

	"dyekit/core/flat"
)

// A painter draws one band at a time. Its buffers are reused from band to
// band; each goroutine has its own.
type painter struct {
	ctx     context.Context // a row may take long: it is asked at each
	w       int
	opt     Options
	scan    scan
	palette palette
	base    *sheet
	free    []*sheet // spare sheets for groups
	line    []float32
	row     []flat.Run
}

// A layer is a run of premultiplied pixels, four floats each.
type layer []float32

var painters = sync.Pool{New: func() any { return new(painter) }}

// newPainter takes a painter that was used before, if one is there.
func newPainter(ctx context.Context, w int, opt Options) *painter {
	p := painters.Get().(*painter)
	if p.w != w {
		*p = painter{w: w, scan: scan{cover: newCover(w, opt.Hard)}, base: newSheet(w), line: make([]float32, 4*w)}
		p.palette.reset()
	}
	p.ctx, p.opt, p.scan.hard = ctx, opt, opt.Hard
	return p
}

// done gives the painter back, unless it was stopped in the middle of its work.
func (p *painter) done() {
	if p.ctx.Err() != nil {
		return
	}
	p.ctx = nil
	painters.Put(p)
}

// band draws the items on rows [y0, y1) and hands each that was painted to put,
// by its place in the band: art leaves most of a page bare.
func (p *painter) band(items []item, put func(p *painter, y int), y0, y1 int) {
	const full = 3 * mostColours / 4
	if len(p.palette.colours) > full {
		p.palette.reset()
	}
	p.base.clear()
	if g := p.opt.Ground; g != nil {
		for y := range y1 - y0 {
			p.base.touch(y, 0, p.w)
			p.paint(p.base, y, 0, p.w, premultiplied(*g, 1))
		}
	}
	p.draw(items, p.base, y0, y1)
	for y := range y1 - y0 {
		if u := p.base.used[y]; u[1] > u[0] {
			put(p, y)
		}
	}
}

func (p *painter) draw(items []item, s *sheet, y0, y1 int) {
	for i := range items {
		it := &items[i]
		switch {
		case it.drawn:
			p.shape(it, s, y0, y1)
		case !it.layer:
			p.draw(it.group, s, y0, y1)
		default:
			p.group(it, s, y0, y1)
		}
	}
}

func (p *painter) shape(it *item, s *sheet, y0, y1 int) {
	if !it.shape.touches(y0 / bandRows) {
		return
	}
	p.scan.band(&it.shape, p.w, y0, y1)
	for y := y0; y < y1 && p.ctx.Err() == nil; y++ {
		spans := p.scan.row(y)
		if n := len(spans); n > 0 {
			s.touch(y-y0, spans[0].x0, spans[n-1].x1)
		}
		for _, r := range spans {
			if it.paint == nil {
				p.lay(s, y-y0, r.x0, r.x1, it.colour, r.a)
				continue
			}
			src := p.line[:4*(r.x1-r.x0)]
			it.paint.fill(src, r.x0, y)
			over(p.dense(s, y-y0, r.x0, r.x1), src, r.a)
		}
	}
}

// group draws a group on a sheet of its own, cuts it by its clip and mask and
// lays it over what is there.
func (p *painter) group(it *item, s *sheet, y0, y1 int) {
	sub := p.take()
	p.draw(it.group, sub, y0, y1)
	if it.clip != nil {
		p.cut(sub, p.clip(it.clip, y0, y1), y1-y0)
	}
	if it.mask != nil {
		p.cut(sub, p.mask(it.mask, y0, y1), y1-y0)
	}
	for y := range y1 - y0 {
		p.laySheet(s, sub, y, it.alpha, it.blend)
	}
	p.give(sub)
}

// cut multiplies rows of a sheet by the opacity of m, which is given back.
func (p *painter) cut(s, m *sheet, rows int) {
	for y := range rows {
		p.scale(s, m, y)
	}
	p.give(m)
}

// mask returns a sheet whose opacity is that of the mask: its brightness
// times its opacity, or its opacity alone.
func (p *painter) mask(m *mask, y0, y1 int) *sheet {
	s := p.take()
	p.draw(m.items, s, y0, y1)
	if m.clip != nil {
		p.cut(s, p.clip(m.clip, y0, y1), y1-y0)
	}
	if !m.alpha {
		for y := range y1 - y0 {
			p.alter(s, y, func(f premul) premul {
				f[3] = float32(Pixel(f).Light(m.linear))
				return f
			})
		}
	}
	if m.mask != nil {
		p.cut(s, p.mask(m.mask, y0, y1), y1-y0)
	}
	return s
}

// clip returns a sheet whose opacity is the coverage of the union of regions.
func (p *painter) clip(ms []region, y0, y1 int) *sheet {
	s := p.take()
	for i := range ms {
		if !ms[i].shape.touches(y0 / bandRows) {
			continue
		}
		one := item{drawn: true, shape: ms[i].shape, colour: premul{1, 1, 1, 1}}
		if ms[i].clip == nil {
			p.shape(&one, s, y0, y1)
			continue
		}
		g := item{group: []item{one}, clip: ms[i].clip, alpha: 1}
		p.group(&g, s, y0, y1)
	}
	return s
}

// take returns a bare sheet, to be given back.
func (p *painter) take() *sheet {
	if k := len(p.free); k > 0 {
		s := p.free[k-1]
		p.free = p.free[:k-1]
		return s
	}
	return newSheet(p.w)
}

func (p *painter) give(s *sheet) {
	s.clear()
	p.free = append(p.free, s)
}

// A premul is one premultiplied colour.
type premul [4]float32

// fill implements sampler.
func (f premul) fill(dst []float32, _, _ int) { fill(dst, f) }

func fill(dst []float32, f premul) {
	if len(dst) < 4 {
		return
	}
	copy(dst, f[:])
	for n := 4; n < len(dst); n *= 2 {
		copy(dst[n:], dst[:n])
	}
}

// over lays the pixels src over dst with coverage a.
func over(dst, src []float32, a float32) {
	for i := 0; i+3 < len(dst); i += 4 {
		k := src[i+3] * a
		if k == 0 {
			continue
		}
		u := 1 - k
		dst[i] = src[i]*a + dst[i]*u
		dst[i+1] = src[i+1]*a + dst[i+1]*u
		dst[i+2] = src[i+2]*a + dst[i+2]*u
		dst[i+3] = k + dst[i+3]*u
	}
}

// store rounds a row of premultiplied floats to straight 8-bit pixels.
func store(dst []uint8, src []float32) {
	var last premul
	var out [4]uint8
	for i := 0; i+3 < len(src); i += 4 {
		p := (*premul)(src[i : i+4])
		if p[3] < 0.5/255 {
			continue // img is clear already
		}
		if p[3] != last[3] || p[0] != last[0] || p[1] != last[1] || p[2] != last[2] {
			last = *p
			k := 255 / p[3]
			out = [4]uint8{round8(p[0] * k), round8(p[1] * k), round8(p[2] * k), round8(p[3] * 255)}
		}
		*(*[4]uint8)(dst[i : i+4]) = out
	}
}

func round8(v float32) uint8 { return uint8(min(255, max(0, v)) + 0.5) }
