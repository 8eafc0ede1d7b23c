package trace

import (
	"math"

	"dyekit/core/geom"
)

// one fits a cubic that leaves along u and arrives against v (P. J. Schneider,
// "An algorithm for automatically fitting digitized curves", Graphics Gems,
// 1990).
func one(ps []geom.Point, u, v geom.Point, tol bound) (c geom.Curve, ok bool) {
	n := len(ps)
	if n == 2 {
		a, b := ps[0], ps[1]
		return geom.Curve{Op: geom.CubeTo, A: a, B: a.Lerp(b, 1.0/3), C: a.Lerp(b, 2.0/3), D: b}, true
	}
	ts := lengths(ps)
	whole := 0.0
	for i, p := range ps[1:] {
		whole += p.Sub(ps[i]).Len()
	}
	for range 6 {
		c = least(ps, ts, u, v)
		off := furthest(c, ps, ts, tol.few)
		if off <= tol.off {
			// Handles longer than the border itself make loops between its points.
			return c, c.B.Sub(c.A).Len() <= 0.75*whole && c.C.Sub(c.D).Len() <= 0.75*whole
		}
		if off > 5*tol.off+1 {
			return c, false
		}
		for i, p := range ps {
			ts[i] = nearest(c, ts[i], p)
		}
	}
	return c, false
}

// lengths are the points' parameters by the length of the polygon.
func lengths(ps []geom.Point) []float64 {
	ts := make([]float64, len(ps))
	for i := 1; i < len(ps); i++ {
		ts[i] = ts[i-1] + ps[i].Sub(ps[i-1]).Len()
	}
	if l := ts[len(ts)-1]; l > 0 {
		for i := range ts {
			ts[i] /= l
		}
	}
	return ts
}

// least finds the lengths of the two handles by least squares.
func least(ps []geom.Point, ts []float64, u, v geom.Point) geom.Curve {
	a, d := ps[0], ps[len(ps)-1]
	var c00, c01, c11, x0, x1 float64
	for i, p := range ps {
		t := ts[i]
		s := 1 - t
		b0, b1, b2, b3 := s*s*s, 3*s*s*t, 3*s*t*t, t*t*t
		p0, p1 := u.Mul(b1), v.Mul(b2)
		rest := p.Sub(a.Mul(b0 + b1)).Sub(d.Mul(b2 + b3))
		c00 += p0.Dot(p0)
		c01 += p0.Dot(p1)
		c11 += p1.Dot(p1)
		x0 += p0.Dot(rest)
		x1 += p1.Dot(rest)
	}
	det := c00*c11 - c01*c01
	span := d.Sub(a).Len()
	h0, h1 := span/3, span/3
	if math.Abs(det) > 1e-12 {
		h0, h1 = (x0*c11-x1*c01)/det, (c00*x1-c01*x0)/det
	}
	if l := 1e-3 * span; span > 0 && (h0 < l || h1 < l) {
		h0, h1 = span/3, span/3
	}
	return geom.Curve{Op: geom.CubeTo, A: a, B: a.Add(u.Mul(h0)), C: d.Add(v.Mul(h1)), D: d}
}

// furthest is how far a cubic lies from the points, a few together.
func furthest(c geom.Curve, ps []geom.Point, ts []float64, few int) (off float64) {
	var ring [2*together + 1]geom.Point
	some := ring[:2*few+1]
	var sum geom.Point
	n := len(ps)
	for i := range n + few {
		k := i % len(some)
		sum, some[k] = sum.Sub(some[k]), geom.Point{}
		if i < n {
			some[k] = c.At(ts[i]).Sub(ps[i])
			sum = sum.Add(some[k])
		}
		if i >= few {
			off = max(off, sum.Len()/float64(min(i, n-1)-max(0, i-2*few)+1))
		}
	}
	return off
}

// nearest improves the parameter of a point by one step of Newton's method.
func nearest(c geom.Curve, t float64, p geom.Point) float64 {
	d := c.Deriv(t)
	if l := d.Dot(d); l > 0 {
		t -= c.At(t).Sub(p).Dot(d) / l
	}
	return min(max(t, 0), 1)
}
