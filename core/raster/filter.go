package raster

import (
	"errors"
	"fmt"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

const (
	// MaxFilterPixels bounds the area of one filter.
	MaxFilterPixels = 16_000_000
	// MaxFilterLive is how many pictures of that area a filter may need at a
	// time; of smaller ones as many more.
	MaxFilterLive = 3
)

// ErrFilter is returned for a filter over too large an area.
var ErrFilter = errors.New("filter area")

// A bitmap is a rectangle of premultiplied pixels in device space. Filters
// work on bitmaps as wide as their region.
type bitmap struct {
	x, y, w, h int // place on the picture
	pix        layer
	linear     bool // colours are in linear light
}

func newBitmap(like *bitmap) *bitmap {
	return &bitmap{x: like.x, y: like.y, w: like.w, h: like.h, pix: make(layer, len(like.pix)), linear: like.linear}
}

// fill implements sampler: the bitmap paints itself, pixel for pixel.
func (b *bitmap) fill(dst []float32, x, y int) {
	y -= b.y
	x -= b.x
	for i := 0; i+3 < len(dst); i += 4 {
		if x >= 0 && x < b.w && y >= 0 && y < b.h {
			copy(dst[i:i+4], b.pix[4*(y*b.w+x):])
		} else {
			clear(dst[i : i+4])
		}
		x++
	}
}

// at is the pixel at (x, y) of the bitmap, bare outside.
func (b *bitmap) at(x, y int) premul {
	if x < 0 || y < 0 || x >= b.w || y >= b.h {
		return premul{}
	}
	return premul(b.pix[4*(y*b.w+x):][:4])
}

// in returns the bitmap with its colours in linear light or encoded.
func (b *bitmap) in(lin bool) *bitmap {
	if b.linear == lin {
		return b
	}
	out := newBitmap(b)
	out.linear = lin
	f := encoded
	if lin {
		f = linear
	}
	for i := 0; i < len(b.pix); i += 4 {
		a := b.pix[i+3]
		if a == 0 {
			continue
		}
		for c := range 3 {
			out.pix[i+c] = f(b.pix[i+c]/a) * a
		}
		out.pix[i+3] = a
	}
	return out
}

// filtering is one run of a filter.
type filtering struct {
	c      *compiler
	to     geom.Affine // user space to pixels of the picture
	sx, sy float64     // its scales
	source *bitmap
	alpha  *bitmap
	done   []*bitmap
}

// stripPixels is about what a strip of a picture with filters holds: filters
// keep pictures of all they work on, so they work on one strip at a time.
const stripPixels = 2_000_000

// strip is how many rows of a picture are drawn at a time. It follows from the
// drawing and the size alone: the bytes must not depend on the machine.
func strip(ns []drawing.Node, to geom.Affine, w, h int) int {
	far, whole := reaches(ns, to)
	if far < 0 || whole {
		return h
	}
	// Of strips that are lower than twice the reach more would be drawn beyond
	// them than in them.
	return min(h, max(int(2*min(far, float64(h))), stripPixels/w, bandRows))
}

// reaches is how far, in px, what filters make of a place depends on others:
// below 0 if there are none. whole says that it depends on the whole picture.
func reaches(ns []drawing.Node, to geom.Affine) (far float64, whole bool) {
	far = -1
	add := func(ns []drawing.Node, own float64) {
		r, w := reaches(ns, to)
		whole = whole || w
		if own >= 0 || r >= 0 {
			far = max(far, max(own, 0)+max(r, 0))
		}
	}
	for _, n := range ns {
		g, ok := n.(*drawing.Group)
		if !ok {
			continue
		}
		own := -1.0
		if f := g.Filter; f != nil {
			m := to.Mul(f.To)
			own = reach(f, math.Hypot(m.A, m.B), math.Hypot(m.C, m.D))
			for _, s := range f.Steps {
				switch o := s.Op.(type) {
				case drawing.Tile:
					whole = true
				case drawing.ConvolveMatrix:
					whole = whole || o.Edge == "wrap"
				case drawing.FilterImage:
					add(o.Nodes, own)
				}
			}
		}
		add(g.Nodes, own)
		for m := g.Mask; m != nil; m = m.Mask {
			add(m.Nodes, -1)
		}
	}
	return far, whole
}

// reach is how far, in px, the steps of a filter can carry paint; sx and sy are
// the scales of its user space.
func reach(f *drawing.Filter, sx, sy float64) float64 {
	far := 2.0
	for _, s := range f.Steps {
		switch o := s.Op.(type) {
		case drawing.GaussianBlur:
			far += 3*max(o.X*sx, o.Y*sy) + 2
		case drawing.Offset:
			far += max(math.Abs(o.X*sx), math.Abs(o.Y*sy)) + 1
		case drawing.Morphology:
			far += max(o.X*sx, o.Y*sy) + 1
		case drawing.DisplacementMap:
			far += math.Abs(o.Scale) * max(sx, sy)
		case drawing.ConvolveMatrix:
			far += float64(o.W + o.H)
		case drawing.Lighting:
			far += 2
		case drawing.Tile:
			far += max(o.From.W()*sx, o.From.H()*sy)
		}
	}
	return far
}

// lastUses tells after which step the result of each is not needed any more;
// the last result is what the filter gives.
func lastUses(steps []drawing.Step) []int {
	last := make([]int, len(steps))
	for i, s := range steps {
		last[i] = i // unless somebody uses it
		use := func(k int) {
			if k >= 0 && k < i {
				last[k] = i
			}
		}
		use(s.In)
		switch o := s.Op.(type) {
		case drawing.Blend, drawing.Composite, drawing.DisplacementMap:
			use(s.In2)
		case drawing.Merge:
			for _, k := range o.In {
				use(k)
			}
		}
	}
	last[len(last)-1] = len(steps)
	return last
}

// filter draws the contents of a group, runs its filter and returns an item
// that paints the result. ok is false if nothing is left of it.
func (c *compiler) filter(g *drawing.Group) (item, bool) {
	f := g.Filter
	run := &filtering{c: c, to: c.to.Mul(f.To)}
	run.sx = math.Hypot(run.to.A, run.to.B)
	run.sy = math.Hypot(run.to.C, run.to.D)
	// What lies beyond the picture matters as far as the steps reach.
	reach := min(reach(f, run.sx, run.sy), float64(2*c.long))
	box := run.to.Rect(f.Region).Intersect(geom.Rect{X1: float64(c.w), Y1: float64(c.h)}.Grow(reach))
	if box.Empty() {
		return item{}, false
	}
	b := &bitmap{x: int(math.Floor(box.X0)), y: int(math.Floor(box.Y0))}
	b.w, b.h = int(math.Ceil(box.X1))-b.x, int(math.Ceil(box.Y1))-b.y
	if b.w > MaxFilterPixels/b.h {
		c.err = fmt.Errorf("%w: %d × %d px is more than %d megapixels", ErrFilter, b.w, b.h, MaxFilterPixels/1_000_000)
		return item{}, false
	}
	b.pix = make(layer, 4*b.w*b.h)
	run.source = b
	if c.err = run.draw(b, g.Nodes); c.err != nil {
		return item{}, false
	}
	run.cut(b, f.Region)
	if len(f.Steps) == 0 {
		return item{}, false
	}
	last, live := lastUses(f.Steps), 0
	for i, s := range f.Steps {
		if c.ctx.Err() != nil {
			c.err = c.ctx.Err()
			return item{}, false
		}
		if live++; live > MaxFilterLive*MaxFilterPixels/(b.w*b.h) {
			c.err = fmt.Errorf("%w: %d pictures of %d × %d px are needed at a time", ErrFilter, live, b.w, b.h)
			return item{}, false
		}
		r, err := run.step(s)
		if err != nil {
			c.err = err
			return item{}, false
		}
		run.cut(r, s.Region.Intersect(f.Region))
		run.done = append(run.done, r)
		for k := range run.done {
			if run.done[k] != nil && last[k] <= i {
				run.done[k] = nil
				live--
			}
		}
	}
	out := run.done[len(run.done)-1].in(false)
	frame := geom.Box(geom.Rect{X0: float64(out.x), Y0: float64(out.y), X1: float64(out.x + out.w), Y1: float64(out.y + out.h)})
	return item{drawn: true, shape: c.outline(frame, geom.NonZero, geom.Identity, c.w, c.part), paint: out}, true
}

// draw renders nodes of the page onto a bitmap.
func (r *filtering) draw(b *bitmap, ns []drawing.Node) error {
	sub := &compiler{ctx: r.c.ctx, to: geom.Translate(float64(-b.x), float64(-b.y)).Mul(r.c.to), w: b.w, h: b.h, long: r.c.long, opt: r.c.opt}
	sub.opt.Ground = nil
	return sub.paint(ns, func(p *painter, y, k int) {
		u := p.base.used[k]
		copy(b.pix[4*(y*b.w+u[0]):4*(y*b.w+u[1])], p.dense(p.base, k, u[0], u[1]))
	})
}

// box is the pixels of b that lie in a region of user space.
func (r *filtering) box(b *bitmap, region geom.Rect) (x0, y0, x1, y1 int) {
	p := r.to.Rect(region)
	const eps = 1e-3
	x0 = max(0, int(math.Floor(p.X0+eps))-b.x)
	y0 = max(0, int(math.Floor(p.Y0+eps))-b.y)
	x1 = min(b.w, int(math.Ceil(p.X1-eps))-b.x)
	y1 = min(b.h, int(math.Ceil(p.Y1-eps))-b.y)
	return x0, y0, max(x0, x1), max(y0, y1)
}

// cut clears what lies outside a region of user space.
func (r *filtering) cut(b *bitmap, region geom.Rect) {
	x0, y0, x1, y1 := r.box(b, region)
	for y := range b.h {
		row := b.pix[4*y*b.w : 4*(y+1)*b.w]
		if y < y0 || y >= y1 {
			clear(row)
			continue
		}
		clear(row[:4*x0])
		clear(row[4*x1:])
	}
}

// input finds what a step works on, in the light it works in.
func (r *filtering) input(i int, lin bool) *bitmap {
	switch {
	case i >= 0 && i < len(r.done):
		return r.done[i].in(lin)
	case i == drawing.SourceGraphic:
		return r.source.in(lin)
	case i == drawing.SourceAlpha:
		if r.alpha == nil {
			r.alpha = newBitmap(r.source)
			for k := 3; k < len(r.source.pix); k += 4 {
				r.alpha.pix[k] = r.source.pix[k]
			}
		}
		return r.alpha.in(lin)
	}
	b := newBitmap(r.source)
	b.linear = lin
	return b
}

func (r *filtering) step(s drawing.Step) (*bitmap, error) {
	a := r.input(s.In, s.Linear)
	out := newBitmap(a)
	switch o := s.Op.(type) {
	case drawing.GaussianBlur:
		return blur(a, o.X*r.sx, o.Y*r.sy), nil
	case drawing.Offset:
		v := r.to.Vec(geom.Pt(o.X, o.Y))
		shift(out, a, v.X, v.Y)
	case drawing.Flood:
		out.linear = false
		fill(out.pix, premultiplied(o.Colour, o.Alpha))
		return out.in(s.Linear), nil
	case drawing.Blend:
		copy(out.pix, r.input(s.In2, s.Linear).pix)
		if o.Mode == drawing.Normal {
			over(out.pix, a.pix, 1)
		} else {
			blend(out.pix, a.pix, 1, o.Mode)
		}
	case drawing.Composite:
		combine(out.pix, a.pix, r.input(s.In2, s.Linear).pix, o)
	case drawing.Merge:
		for _, i := range o.In {
			over(out.pix, r.input(i, s.Linear).pix, 1)
		}
	case drawing.ColourMatrix:
		perPixel(out.pix, a.pix, func(p [4]float64) (q [4]float64) {
			for i := range 4 {
				m := o.M[5*i:]
				q[i] = m[0]*p[0] + m[1]*p[1] + m[2]*p[2] + m[3]*p[3] + m[4]
			}
			return q
		})
	case drawing.ComponentTransfer:
		perPixel(out.pix, a.pix, func(p [4]float64) (q [4]float64) {
			for i := range 4 {
				q[i] = o.T[i](p[i])
			}
			return q
		})
	case drawing.ConvolveMatrix:
		convolve(out, a, o)
	case drawing.Morphology:
		morph(out, a, int(min(o.X*r.sx, maxDeviation)+0.5), int(min(o.Y*r.sy, maxDeviation)+0.5), o.Dilate)
	case drawing.Tile:
		x0, y0, x1, y1 := r.box(a, o.From)
		if x1 > x0 && y1 > y0 {
			for y := range out.h {
				for x := range out.w {
					p := a.at(x0+mod(x-x0, x1-x0), y0+mod(y-y0, y1-y0))
					copy(out.pix[4*(y*out.w+x):], p[:])
				}
			}
		}
	case drawing.FilterImage:
		out.linear = false
		if err := r.draw(out, o.Nodes); err != nil {
			return nil, err
		}
		return out.in(s.Linear), nil
	case drawing.DisplacementMap:
		displace(out, a, r.input(s.In2, s.Linear), o, r.to)
	case drawing.Turbulence:
		return r.noise(out, o, s), nil
	case drawing.Lighting:
		r.light(out, a, o, s.Linear)
	default:
		return nil, fmt.Errorf("filter primitive %T is not known", o)
	}
	return out, nil
}

func mod(a, b int) int { return ((a % b) + b) % b }

func premultiplied(c colour.RGB, alpha float64) premul {
	return premul{float32(c.R * alpha), float32(c.G * alpha), float32(c.B * alpha), float32(alpha)}
}

// perPixel applies f to straight colours.
func perPixel(dst, src layer, f func([4]float64) [4]float64) {
	var last, out premul
	first := true
	for i := 0; i+3 < len(src); i += 4 {
		p := premul(src[i : i+4])
		if p != last || first {
			last, first = p, false
			var q [4]float64
			if p[3] > 0 {
				q = [4]float64{float64(p[0] / p[3]), float64(p[1] / p[3]), float64(p[2] / p[3]), float64(p[3])}
			}
			q = f(q)
			a := float32(min(1, max(0, q[3])))
			for c := range 3 {
				out[c] = float32(min(1, max(0, q[c]))) * a
			}
			out[3] = a
		}
		copy(dst[i:i+4], out[:])
	}
}

// combine is feComposite.
func combine(dst, a, b layer, o drawing.Composite) {
	for i := 0; i+3 < len(dst); i += 4 {
		aa, ab := a[i+3], b[i+3]
		var fa, fb float32
		switch o.Operator {
		case "in":
			fa = ab
		case "out":
			fa = 1 - ab
		case "atop":
			fa, fb = ab, 1-aa
		case "xor":
			fa, fb = 1-ab, 1-aa
		case "lighter":
			fa, fb = 1, 1
		case "arithmetic":
			k := o.K
			var v [4]float32
			for c := range 4 {
				x, y := float64(a[i+c]), float64(b[i+c])
				v[c] = float32(min(1, max(0, k[0]*x*y+k[1]*x+k[2]*y+k[3])))
			}
			for c := range 3 {
				dst[i+c] = min(v[c], v[3]) // premultiplied colours stay within opacity
			}
			dst[i+3] = v[3]
			continue
		default:
			fa, fb = 1, 1-aa
		}
		for c := range 4 {
			dst[i+c] = min(1, a[i+c]*fa+b[i+c]*fb)
		}
	}
}

// shift moves by whole and part pixels, mixing neighbours linearly.
func shift(dst, src *bitmap, dx, dy float64) {
	ix, iy := math.Floor(dx), math.Floor(dy)
	fx, fy := float32(dx-ix), float32(dy-iy)
	if fx < 1e-3 && fy < 1e-3 {
		fx, fy = 0, 0
	}
	for y := range dst.h {
		for x := range dst.w {
			sx, sy := x-int(ix), y-int(iy)
			p := src.at(sx, sy)
			if fx != 0 || fy != 0 {
				q, r, s := src.at(sx-1, sy), src.at(sx, sy-1), src.at(sx-1, sy-1)
				for c := range 4 {
					p[c] = (p[c]*(1-fx)+q[c]*fx)*(1-fy) + (r[c]*(1-fx)+s[c]*fx)*fy
				}
			}
			copy(dst.pix[4*(y*dst.w+x):], p[:])
		}
	}
}
