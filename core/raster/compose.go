package raster

import (
	"image"
)

// A painter draws one band at a time. Its buffers are reused from band to
// band; each goroutine has its own.
type painter struct {
	w    int
	opt  Options
	scan scan
	base layer
	free []layer // spare layers for groups
	line []float32
}

// A layer is a strip of premultiplied pixels, four floats each.
type layer []float32

func newPainter(w int, opt Options) *painter {
	return &painter{
		w: w, opt: opt,
		scan: scan{acc: make([]float32, w+2), hard: opt.Hard},
		base: make(layer, 4*w*bandRows),
		line: make([]float32, 4*w),
	}
}

// band draws the items on rows [y0, y1) and stores them in img.
func (p *painter) band(items []item, img *image.NRGBA, y0, y1 int) {
	l := p.base[:4*p.w*(y1-y0)]
	clear(l)
	if g := p.opt.Ground; g != nil {
		f := flat{float32(g.R), float32(g.G), float32(g.B), 1}
		fill(l, f)
	}
	p.draw(items, l, y0, y1)
	for y := y0; y < y1; y++ {
		store(img.Pix[y*img.Stride:], l[4*p.w*(y-y0):4*p.w*(y-y0+1)])
	}
}

func (p *painter) draw(items []item, l layer, y0, y1 int) {
	for i := range items {
		it := &items[i]
		switch {
		case it.shape != nil:
			p.shape(it, l, y0, y1)
		case !it.layer:
			p.draw(it.group, l, y0, y1)
		default:
			p.group(it, l, y0, y1)
		}
	}
}

func (p *painter) shape(it *item, l layer, y0, y1 int) {
	if len(it.shape.bands[y0/bandRows]) == 0 {
		return
	}
	for y := y0; y < y1; y++ {
		row := l[4*p.w*(y-y0) : 4*p.w*(y-y0+1)]
		for _, s := range p.scan.row(it.shape, y) {
			dst := row[4*s.x0 : 4*s.x1]
			if f, ok := it.paint.(flat); ok {
				f.over(dst, s.a)
				continue
			}
			src := p.line[:len(dst)]
			it.paint.fill(src, s.x0, y)
			over(dst, src, s.a)
		}
	}
}

// group draws a group on a layer of its own, cuts it by its clip and lays it
// over what is there.
func (p *painter) group(it *item, l layer, y0, y1 int) {
	sub := p.take(len(l))
	p.draw(it.group, sub, y0, y1)
	if it.clip == nil {
		over(l, sub, it.alpha)
	} else {
		m := p.clip(it.clip, y0, y1)
		for i := 0; i < len(l); i += 4 {
			if a := m[i+3] * it.alpha; a > 0 && sub[i+3] > 0 {
				over(l[i:i+4], sub[i:i+4], a)
			}
		}
		p.free = append(p.free, m)
	}
	p.free = append(p.free, sub)
}

// clip returns a layer whose opacity is the coverage of the union of masks.
func (p *painter) clip(ms []mask, y0, y1 int) layer {
	m := p.take(4 * p.w * (y1 - y0))
	for i := range ms {
		if len(ms[i].shape.bands[y0/bandRows]) == 0 {
			continue
		}
		one := item{shape: ms[i].shape, paint: flat{1, 1, 1, 1}}
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
	for i := 0; i+3 < len(src); i += 4 {
		a := src[i+3]
		if a < 0.5/255 {
			continue // img is clear already
		}
		if i >= 4 && a == src[i-1] && src[i] == src[i-4] && src[i+1] == src[i-3] && src[i+2] == src[i-2] {
			copy(dst[i:i+4], dst[i-4:i])
			continue
		}
		k := 255 / a
		dst[i] = round8(src[i] * k)
		dst[i+1] = round8(src[i+1] * k)
		dst[i+2] = round8(src[i+2] * k)
		dst[i+3] = round8(a * 255)
	}
}

func round8(v float32) uint8 { return uint8(min(255, max(0, v)) + 0.5) }
