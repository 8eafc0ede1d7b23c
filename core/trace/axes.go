package trace

import (
	"math"

	"dyekit/core/geom"
)

// symmetric fits the borders of art that is the same on both sides of an axis, or
// when it is turned; false if it is neither, and nothing is fitted.
func (b *borders) symmetric(tol bound) bool {
	if len(b.arcs) > mostPieces {
		return false
	}
	middles := b.middles()
	return b.mirrored(tol, middles) || b.turned(tol, middles)
}

// meetings are where colours meet, by the number of the node.
func (b *borders) meetings() []geom.Point {
	at := make([]geom.Point, len(b.nodes))
	for i := range b.arcs {
		if a := &b.arcs[i]; a.from.node >= 0 {
			at[a.from.node], at[a.to.node] = a.ps[0], a.ps[len(a.ps)-1]
		}
	}
	return at
}

// middles are where the axes may be, one guess in each point: the middle of all
// borders, that of their bounds, that of all that is painted. What pixels leave open
// moves each otherwise.
func (b *borders) middles() []geom.Point {
	var sum, area geom.Point
	var whole, n float64
	box := geom.Rect{X0: math.Inf(1), Y0: math.Inf(1), X1: math.Inf(-1), Y1: math.Inf(-1)}
	for i := range b.arcs {
		ps := b.arcs[i].ps
		for k, p := range ps {
			q := ps[max(k-1, 0)]
			if k == 0 && b.arcs[i].from.node < 0 {
				q = ps[len(ps)-1]
			}
			d := p.Sub(q).Len()
			sum = sum.Add(p.Add(q).Mul(d / 2))
			whole += d
			box = geom.Rect{X0: min(box.X0, p.X), Y0: min(box.Y0, p.Y), X1: max(box.X1, p.X), Y1: max(box.Y1, p.Y)}
		}
	}
	for y := range b.p.h {
		xs, many := 0, 0
		for x, l := range b.l[y*b.p.w : (y+1)*b.p.w] {
			if l != b.ground {
				xs += x
				many++
			}
		}
		area = area.Add(geom.Pt(float64(xs)+0.5*float64(many), (float64(y)+0.5)*float64(many)))
		n += float64(many)
	}
	if whole == 0 || n == 0 {
		return nil
	}
	return []geom.Point{sum.Mul(1 / whole), box.Centre(), area.Mul(1 / n)}
}

// axes lists the axes that may be, through one of some places: the likeliest first,
// both, and each alone.
func (b *borders) axes(middles []geom.Point) (all []mirrors) {
	var xs, ys []float64
	for _, c := range middles {
		m := mirrors{x: c.X, y: c.Y}
		if b.same(m, true) {
			xs = append(xs, c.X)
		}
		if b.same(m, false) {
			ys = append(ys, c.Y)
		}
	}
	for _, x := range xs {
		for _, y := range ys {
			all = append(all, mirrors{x, y, true, true})
		}
	}
	for _, x := range xs {
		all = append(all, mirrors{x, 0, true, false})
	}
	for _, y := range ys {
		all = append(all, mirrors{0, y, false, true})
	}
	return all
}

// same reports whether the colours across an axis are the same.
func (b *borders) same(m mirrors, upright bool) bool {
	return b.alike(func(p geom.Point) geom.Point { return m.flip(p, upright, !upright) })
}

// alike reports whether the colours at the image of each place are those of the
// place, but for a pixel here or there.
func (b *borders) alike(image func(geom.Point) geom.Point) bool {
	const few = 500 // one in so many may differ
	return b.compare(image, 1, few)
}

// coarsely is alike by a look at few places: most art is not symmetric, and is told
// soon.
func (b *borders) coarsely(image func(geom.Point) geom.Point) bool {
	const places, few = 4000, 50
	return b.compare(image, max(1, int(math.Sqrt(float64(b.p.w*b.p.h)/places))), few)
}

// compare looks at every so many pixels across and down.
func (b *borders) compare(image func(geom.Point) geom.Point, step, few int) bool {
	w, h := b.p.w, b.p.h
	painted, wrong := 0, 0
	for y := 0; y < h; y += step {
		for x := 0; x < w; x += step {
			l := b.l[y*w+x]
			if l == b.ground {
				continue
			}
			painted++
			q := image(geom.Pt(float64(x)+0.5, float64(y)+0.5))
			nx, ny := int(math.Floor(q.X)), int(math.Floor(q.Y))
			near := b.lab(nx, ny) == l
			for d := 0; d < 9 && !near; d++ {
				near = b.lab(nx+d%3-1, ny+d/3-1) == l
			}
			if !near {
				if wrong++; wrong*few*step*step > w*h {
					return false
				}
			}
		}
	}
	return painted > 0 && wrong*few <= painted
}
