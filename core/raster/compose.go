package raster

import (
	"context"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// A painter draws one band at a time. Its buffers are reused from band to
// band; each goroutine has its own.
type painter struct {
	ctx  context.Context // a row may take long: it is asked at each
	w    int
	opt  Options
	scan scan
	base layer
	used [bandRows][2]int // columns [from, to) of base that were painted, by row
	free []layer          // spare layers for groups
	line []float32
}

// A layer is a strip of premultiplied pixels, four floats each.
type layer []float32

var painters = sync.Pool{New: func() any { return new(painter) }}

// newPainter takes a painter that was used before, if one is there.
func newPainter(ctx context.Context, w int, opt Options) *painter {
	p := painters.Get().(*painter)
	p.ctx, p.opt, p.scan.hard = ctx, opt, opt.Hard
	if p.w == w {
		return p
	}
	*p = painter{ctx: ctx, w: w, opt: opt, scan: scan{acc: make([]float32, w+2), hard: opt.Hard}, base: make(layer, 4*w*bandRows), line: make([]float32, 4*w)}
	for y := range p.used {
		p.used[y] = [2]int{w, 0}
	}
	return p
}

// band draws the items on rows [y0, y1) and hands them to put. Only what was
// painted is cleared and stored: art leaves most of a page bare.
func (p *painter) band(items []item, put func(y, from, to int, row layer), y0, y1 int) {
	l := p.base[:4*p.w*(y1-y0)]
	for y := range bandRows {
		u := &p.used[y]
		if u[1] > u[0] {
			clear(p.base[4*(y*p.w+u[0]) : 4*(y*p.w+u[1])])
		}
		*u = [2]int{p.w, 0}
	}
	if g := p.opt.Ground; g != nil {
		fill(l, flat{float32(g.R), float32(g.G), float32(g.B), 1})
		for y := range y1 - y0 {
			p.used[y] = [2]int{0, p.w}
		}
	}
	p.draw(items, l, y0, y1)
	for y := range y1 - y0 {
		if u := p.used[y]; u[1] > u[0] {
			put(y0+y, u[0], u[1], l[4*(y*p.w+u[0]):4*(y*p.w+u[1])])
		}
	}
}

// touch notes that columns [x0, x1) of row y of the base are painted.
func (p *painter) touch(l layer, y, x0, x1 int) {
	if &l[0] == &p.base[0] {
		u := &p.used[y]
		u[0], u[1] = min(u[0], x0), max(u[1], x1)
	}
}

func (p *painter) draw(items []item, l layer, y0, y1 int) {
	for i := range items {
		it := &items[i]
		switch {
		case it.drawn:
			p.shape(it, l, y0, y1)
		case !it.layer:
			p.draw(it.group, l, y0, y1)
		default:
			p.group(it, l, y0, y1)
		}
	}
}

func (p *painter) shape(it *item, l layer, y0, y1 int) {
	if len(it.shape.band(y0/bandRows)) == 0 {
		return
	}
	for y := y0; y < y1 && p.ctx.Err() == nil; y++ {
		row := l[4*p.w*(y-y0) : 4*p.w*(y-y0+1)]
		spans := p.scan.row(&it.shape, y)
		if n := len(spans); n > 0 {
			p.touch(l, y-y0, spans[0].x0, spans[n-1].x1)
		}
		for _, s := range spans {
			dst := row[4*s.x0 : 4*s.x1]
			if it.paint == nil {
				it.flat.over(dst, s.a)
				continue
			}
			src := p.line[:len(dst)]
			it.paint.fill(src, s.x0, y)
			over(dst, src, s.a)
		}
	}
}

// group draws a group on a layer of its own, cuts it by its clip and mask and
// lays it over what is there.
func (p *painter) group(it *item, l layer, y0, y1 int) {
	sub := p.take(len(l))
	p.draw(it.group, sub, y0, y1)
	for y := range y1 - y0 {
		p.touch(l, y, 0, p.w)
	}
	if it.clip != nil {
		m := p.clip(it.clip, y0, y1)
		scale(sub, m)
		p.free = append(p.free, m)
	}
	if it.mask != nil {
		m := p.mask(it.mask, y0, y1)
		scale(sub, m)
		p.free = append(p.free, m)
	}
	if it.blend == drawing.Normal {
		over(l, sub, it.alpha)
	} else {
		blend(l, sub, it.alpha, it.blend)
	}
	p.free = append(p.free, sub)
}

// scale multiplies pixels by the opacity of m.
func scale(l, m layer) {
	for i := 0; i < len(l); i += 4 {
		if a := m[i+3]; a < 1 && l[i+3] > 0 {
			l[i], l[i+1], l[i+2], l[i+3] = l[i]*a, l[i+1]*a, l[i+2]*a, l[i+3]*a
		}
	}
}

// mask returns a layer whose opacity is that of the mask: its brightness
// times its opacity, or its opacity alone.
func (p *painter) mask(m *mask, y0, y1 int) layer {
	l := p.take(4 * p.w * (y1 - y0))
	p.draw(m.items, l, y0, y1)
	if m.clip != nil {
		c := p.clip(m.clip, y0, y1)
		scale(l, c)
		p.free = append(p.free, c)
	}
	if !m.alpha {
		for i := 0; i < len(l); i += 4 {
			a := l[i+3]
			if a == 0 {
				continue
			}
			r, g, b := l[i], l[i+1], l[i+2]
			if m.linear {
				r, g, b = linear(r/a)*a, linear(g/a)*a, linear(b/a)*a
			}
			l[i+3] = colour.LumaR*r + colour.LumaG*g + colour.LumaB*b
		}
	}
	if m.mask != nil {
		k := p.mask(m.mask, y0, y1)
		for i := 3; i < len(l); i += 4 {
			l[i] *= k[i]
		}
		p.free = append(p.free, k)
	}
	return l
}

// clip returns a layer whose opacity is the coverage of the union of regions.
func (p *painter) clip(ms []region, y0, y1 int) layer {
	m := p.take(4 * p.w * (y1 - y0))
	for i := range ms {
		if len(ms[i].shape.band(y0/bandRows)) == 0 {
			continue
		}
		one := item{drawn: true, shape: ms[i].shape, flat: flat{1, 1, 1, 1}}
		if ms[i].clip == nil {
			p.shape(&one, m, y0, y1)
			continue
		}
		g := item{group: []item{one}, clip: ms[i].clip, alpha: 1}
		p.group(&g, m, y0, y1)
	}
	return m
}

// take returns a clear layer of n floats.
func (p *painter) take(n int) layer {
	if k := len(p.free); k > 0 {
		l := p.free[k-1][:n]
		p.free = p.free[:k-1]
		clear(l)
		return l
	}
	return make(layer, 4*p.w*bandRows)[:n]
}

// A flat is one premultiplied colour.
type flat [4]float32

// fill implements sampler.
func (f flat) fill(dst []float32, _, _ int) { fill(dst, f) }

func fill(dst []float32, f flat) {
	if len(dst) < 4 {
		return
	}
	copy(dst, f[:])
	for n := 4; n < len(dst); n *= 2 {
		copy(dst[n:], dst[:n])
	}
}

// over lays the colour over dst with coverage a.
func (f flat) over(dst []float32, a float32) {
	if a == 1 && f[3] == 1 {
		fill(dst, f)
		return
	}
	r, g, b, k := f[0]*a, f[1]*a, f[2]*a, f[3]*a
	u := 1 - k
	for i := 0; i+3 < len(dst); i += 4 {
		dst[i] = r + dst[i]*u
		dst[i+1] = g + dst[i+1]*u
		dst[i+2] = b + dst[i+2]*u
		dst[i+3] = k + dst[i+3]*u
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
	var last flat
	var out [4]uint8
	for i := 0; i+3 < len(src); i += 4 {
		p := (*flat)(src[i : i+4])
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
