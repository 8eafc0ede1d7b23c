package trace

import (
	"math"

	"dyekit/core/geom"
)

// An oval is a circle or an upright ellipse that a border is.
type oval struct {
	c      geom.Point
	rx, ry float64
	turned bool // it runs the other way round
}

func (o *oval) path() geom.Path {
	p := geom.Ellipse(o.c, o.rx, o.ry)
	if o.turned {
		p = p.Reverse()
	}
	return p
}

// thin is how much of its shorter half axis the border of an oval may lie beside it.
const thin = 0.1

// ellipse is the oval of a polygon as a path; false if it is none.
func ellipse(poly []geom.Point, tol bound) (geom.Path, bool) {
	o, ok := ovalOf(poly, tol)
	if !ok {
		return nil, false
	}
	return o.path(), true
}

// ovalOf tells whether a polygon is a circle or an upright ellipse, by its moments: those of
// an ellipse are a quarter of its half axes squared.
func ovalOf(poly []geom.Point, tol bound) (oval, bool) {
	if len(poly) < 8 {
		return oval{}, false
	}
	o := poly[0]
	var area, mx, my, xx, yy, xy float64
	for i, p := range poly {
		p, q := p.Sub(o), poly[(i+1)%len(poly)].Sub(o)
		c := p.Cross(q)
		area += c / 2
		mx += (p.X + q.X) * c / 6
		my += (p.Y + q.Y) * c / 6
		xx += (p.X*p.X + p.X*q.X + q.X*q.X) * c / 12
		yy += (p.Y*p.Y + p.Y*q.Y + q.Y*q.Y) * c / 12
		xy += (p.X*q.Y + 2*p.X*p.Y + 2*q.X*q.Y + q.X*p.Y) * c / 24
	}
	if math.Abs(area) < 6 {
		return oval{}, false
	}
	mx, my = mx/area, my/area
	xx, yy, xy = xx/area-mx*mx, yy/area-my*my, xy/area-mx*my
	if !(xx > 0 && yy > 0) {
		return oval{}, false
	}
	rx, ry := 2*math.Sqrt(xx), 2*math.Sqrt(yy)
	const round = 0.02 // of the radius, or a third of a pixel
	if math.Abs(rx-ry) < max(round*max(rx, ry), 0.3) {
		rx = (rx + ry) / 2
		ry = rx
	} else if math.Abs(xy) > 0.01*math.Sqrt(xx*yy) {
		return oval{}, false // it is turned
	}
	centre := o.Add(geom.Pt(mx, my))
	// A thin box is an ellipse but for a seventh of its half width, in the middle of its sides.
	slack := min(max(0.22, 0.8*tol.off), thin*min(rx, ry))
	for _, p := range poly {
		d := p.Sub(centre)
		if off := math.Abs(math.Hypot(d.X/rx, d.Y/ry)-1) * min(rx, ry); off > slack {
			return oval{}, false
		}
	}
	return oval{centre, rx, ry, area < 0}, true
}

// concentric gives borders that are ovals about nearly one middle just one: rings stay rings.
func (b *borders) concentric(tol bound) {
	const near = 0.35 // px, and what borders waver by
	var all []*oval
	for i := range b.arcs {
		a := &b.arcs[i]
		if a.from.node >= 0 {
			continue
		}
		if o, ok := ovalOf(a.ps, tol); ok {
			a.oval = &o
			all = append(all, a.oval)
		}
	}
	done := make([]bool, len(all))
	for i, o := range all {
		if done[i] {
			continue
		}
		var sum geom.Point
		var of []*oval
		whole := 0.0
		for j := i; j < len(all); j++ {
			if p := all[j]; !done[j] && p.c.Sub(o.c).Len() < near+tol.off {
				done[j] = true
				of = append(of, p)
				sum, whole = sum.Add(p.c.Mul(p.rx+p.ry)), whole+p.rx+p.ry // the longer, the surer
			}
		}
		for _, p := range of {
			p.c = sum.Mul(1 / whole)
		}
	}
}
