package trace

import (
	"math"

	"dyekit/core/geom"
)

const (
	reach  = 3.5  // px of contour on each side over which a corner is looked for
	corner = 0.80 // cosine of the turn from which a bend is a corner: some 37°
)

// fit appends a closed polygon as curves.
func fit(poly []geom.Point, tol float64, out *geom.Path) {
	poly, cs := sharpen(poly, corners(poly))
	n := len(poly)
	out.MoveTo(poly[first(cs)])
	if len(cs) == 0 {
		// Round all the way: begin anywhere, with the same direction at both
		// ends.
		ring := append(append([]geom.Point{}, poly...), poly[0])
		d := poly[1].Sub(poly[n-1]).Unit()
		section(ring, d, d.Mul(-1), tol, 0, out)
		out.Close()
		return
	}
	for i, a := range cs {
		b := cs[(i+1)%len(cs)]
		if b <= a {
			b += n
		}
		var ps []geom.Point
		for k := a; k <= b; k++ {
			ps = append(ps, poly[k%n])
		}
		if straight(ps, tol) {
			out.LineTo(ps[len(ps)-1])
			continue
		}
		section(ps, ahead(ps), ahead(reversed(ps)), tol, 0, out)
	}
	out.Close()
}

// sharpen moves each corner to where its two sides meet: between the middles
// of pixels a contour can only cut it off. Points on the cut go.
func sharpen(poly []geom.Point, cs []int) ([]geom.Point, []int) {
	const blunt = 1.0 // px that a corner is cut by, at most
	n := len(poly)
	moved := map[int]geom.Point{}
	gone := map[int]bool{}
	for _, c := range cs {
		var side [2][2]geom.Point
		for k, step := range []int{-1, 1} {
			i := c
			for j := 1; j < n && poly[i].Sub(poly[c]).Len() < blunt; j++ {
				i = ((c+j*step)%n + n) % n
			}
			side[k] = [2]geom.Point{poly[i], beside(poly, i, step)}
		}
		a, u, b, v := side[0][0], side[0][1], side[1][0], side[1][1]
		if det := u.Cross(v); math.Abs(det) > 0.2 {
			if x := a.Add(u.Mul(b.Sub(a).Cross(v) / det)); x.Sub(poly[c]).Len() < 1.5*blunt {
				moved[c] = x
				for j := 1; j < n/4 && poly[(c+j)%n].Sub(poly[c]).Len() < blunt; j++ {
					gone[(c+j)%n] = true
				}
				for j := 1; j < n/4 && poly[(c-j+n)%n].Sub(poly[c]).Len() < blunt; j++ {
					gone[(c-j+n)%n] = true
				}
			}
		}
	}
	var out []geom.Point
	var at []int
	k := 0
	for i, p := range poly {
		isCorner := k < len(cs) && cs[k] == i
		if isCorner {
			k++
			at = append(at, len(out))
			if x, ok := moved[i]; ok {
				p = x
			}
		} else if gone[i] {
			continue
		}
		out = append(out, p)
	}
	return out, at
}

func first(cs []int) int {
	if len(cs) == 0 {
		return 0
	}
	return cs[0]
}

func reversed(ps []geom.Point) []geom.Point {
	out := make([]geom.Point, len(ps))
	for i, p := range ps {
		out[len(ps)-1-i] = p
	}
	return out
}

// ahead is the direction in which points set out, over a few pixels.
func ahead(ps []geom.Point) geom.Point {
	for _, p := range ps[1:] {
		if d := p.Sub(ps[0]); d.Len() > reach*0.6 {
			return d.Unit()
		}
	}
	return ps[len(ps)-1].Sub(ps[0]).Unit()
}

// corners returns the points where the direction turns sharply, each the
// sharpest within reach.
func corners(poly []geom.Point) []int {
	n := len(poly)
	turn := make([]float64, n)
	for i := range poly {
		turn[i] = beside(poly, i, 1).Dot(beside(poly, i, -1).Mul(-1))
	}
	var cs []int
	for i := range poly {
		if turn[i] > corner {
			continue
		}
		best := true
		for k := 1; k < n/2 && poly[(i+k)%n].Sub(poly[i]).Len() < reach; k++ {
			best = best && turn[(i+k)%n] >= turn[i]
		}
		for k := 1; k < n/2 && poly[(i-k+n)%n].Sub(poly[i]).Len() < reach; k++ {
			best = best && turn[(i-k+n)%n] > turn[i]
		}
		if best {
			cs = append(cs, i)
		}
	}
	return cs
}

// beside is the direction from point i to the one about reach further on.
func beside(poly []geom.Point, i, step int) geom.Point {
	n := len(poly)
	for k := 1; k < n; k++ {
		if d := poly[((i+k*step)%n+n)%n].Sub(poly[i]); d.Len() >= reach {
			return d.Unit()
		}
	}
	return geom.Point{}
}

func straight(ps []geom.Point, tol float64) bool {
	a, d := ps[0], ps[len(ps)-1].Sub(ps[0])
	for _, p := range ps {
		if math.Abs(d.Cross(p.Sub(a))) > tol*d.Len() {
			return false
		}
	}
	return d.Len() > 0
}

// section fits points with cubics that leave along u and arrive against v,
// halving where one does not do (P. J. Schneider, "An algorithm for
// automatically fitting digitized curves", Graphics Gems, 1990).
func section(ps []geom.Point, u, v geom.Point, tol float64, depth int, out *geom.Path) {
	n := len(ps)
	if n == 2 || depth > 24 {
		out.LineTo(ps[n-1])
		return
	}
	ts := lengths(ps)
	var c geom.Curve
	worst := 0
	for range 4 {
		c = least(ps, ts, u, v)
		var off float64
		worst, off = furthest(c, ps, ts)
		if off <= tol {
			out.CubeTo(c.B, c.C, c.D)
			return
		}
		if off > 4*tol {
			break
		}
		for i, p := range ps {
			ts[i] = nearest(c, ts[i], p)
		}
	}
	worst = min(max(worst, 1), n-2)
	m := ps[min(worst+2, n-1)].Sub(ps[max(worst-2, 0)]).Unit()
	section(ps[:worst+1], u, m.Mul(-1), tol, depth+1, out)
	section(ps[worst:], m, v, tol, depth+1, out)
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

func furthest(c geom.Curve, ps []geom.Point, ts []float64) (at int, off float64) {
	for i, p := range ps {
		if d := c.At(ts[i]).Sub(p).Len(); d > off {
			at, off = i, d
		}
	}
	return at, off
}

// nearest improves the parameter of a point by one step of Newton's method.
func nearest(c geom.Curve, t float64, p geom.Point) float64 {
	d := c.Deriv(t)
	if l := d.Dot(d); l > 0 {
		t -= c.At(t).Sub(p).Dot(d) / l
	}
	return min(max(t, 0), 1)
}
