package geom

import "math"

// side appends both parallels of c.
func (s *stroker) side(c Curve) {
	if c.Op == LineTo {
		_, b := c.Directions()
		n := b.Turn().Mul(s.r)
		s.left.LineTo(c.D.Add(n))
		s.right.LineTo(c.D.Sub(n))
		return
	}
	c = c.Cubic()
	ts := []float64{0}
	ts = append(ts, c.breaks(s.r)...)
	ts = append(ts, 1)
	for i := 1; i < len(ts); i++ {
		t0, t1 := ts[i-1], ts[i]
		if i > 1 && c.Deriv(t0).Len() < 1e-6*c.A.Sub(c.D).Len() {
			// A cusp: the direction jumps, which is a join.
			p, a, b := c.At(t0), c.near(t0, -1), c.near(t0, +1)
			if !s.meet(p, a, b, 0) {
				s.join(p, a, b)
			}
		}
		s.parallel(&s.left, c, t0, t1, s.r)
		s.parallel(&s.right, c, t0, t1, -s.r)
	}
}

// breaks returns where c must be cut before it can be offset by r either way:
// at cusps and where its curvature passes 1/r, so that each piece bends less
// than the offset or more than it all along.
func (c Curve) breaks(r float64) []float64 {
	const n = 64
	var ts []float64
	// Its sign changes where |κ| passes 1/r: |c′ × c″|·r against |c′|³.
	f := func(t float64) (v, speed float64) {
		d := c.Deriv(t)
		speed = d.Len()
		return math.Abs(d.Cross(c.second(t)))*r - speed*speed*speed, speed
	}
	still := 1e-6 * c.A.Sub(c.D).Len()
	fb, speed := f(0)
	for i := range n {
		a, b := float64(i)/n, float64(i+1)/n
		fa := fb
		if i > 0 && speed < still {
			ts = append(ts, a)
		}
		if fb, speed = f(b); (fa < 0) == (fb < 0) {
			continue
		}
		for range 50 {
			m := (a + b) / 2
			if v, _ := f(m); (v < 0) == (fa < 0) {
				a = m
			} else {
				b = m
			}
		}
		if a > 1e-9 && a < 1-1e-9 {
			ts = append(ts, a)
		}
	}
	return ts
}

// near returns the direction just before (sign −1) or after (+1) t.
func (c Curve) near(t, sign float64) Point {
	return c.Deriv(t + sign*1e-4).Unit()
}

// parallel appends the offset of c between t0 and t1 by d along its normal,
// to a path that stands at its beginning. Where the curve bends tighter than
// the offset can follow, see fan: the region is the union of all normals, and
// nothing may cancel another.
func (s *stroker) parallel(side *Path, c Curve, t0, t1, d float64) {
	mid := (t0 + t1) / 2
	v := c.Deriv(mid)
	if k := curvature(v, c.second(mid)); d*k > 1 {
		s.fan(side, c, t0, t1, d)
		return
	}
	s.fit(side, c, t0, t1, d, 0)
}

// fit appends the offset as one cubic if it stays within tol, else in halves.
// With matching ends, directions and speeds the error shrinks with the fourth
// power of the step.
func (s *stroker) fit(side *Path, c Curve, t0, t1, d float64, depth int) {
	p0, v0 := c.offset(t0, t1, d)
	p1, v1 := c.offset(t1, t0, d)
	h := (t1 - t0) / 3
	o := Curve{CubeTo, p0, p0.Add(v0.Mul(h)), p1.Sub(v1.Mul(h)), p1}
	if depth < 12 {
		for _, u := range []float64{0.2, 0.5, 0.8} {
			t := t0 + (t1-t0)*u
			dir := c.Deriv(t).Unit()
			want := c.At(t).Add(dir.Turn().Mul(d))
			off := o.At(u).Sub(want)
			if math.Abs(off.Dot(dir.Turn())) > s.tol || math.Abs(off.Dot(dir)) > 20*s.tol+math.Abs(d)*0.05 {
				if l, ok := c.approach(o, t0, t1, d, s.tol); ok {
					o = l
					break
				}
				m := (t0 + t1) / 2
				s.fit(side, c, t0, m, d, depth+1)
				s.fit(side, c, m, t1, d, depth+1)
				return
			}
		}
	}
	if side.Last().Sub(p0).Len() > s.tol*together*1.01 {
		side.LineTo(p0)
	}
	side.CubeTo(o.B, o.C, o.D)
}

// approach looks for the cubic with the ends and end directions of o that comes
// nearest to the offset of c between t0 and t1, by least squares over the
// lengths of its handles, the parameters of the samples being moved to their
// nearest points in between (Schneider 1990, from memory). ok is false if it
// does not come within tol.
func (c Curve) approach(o Curve, t0, t1, d, tol float64) (_ Curve, ok bool) {
	const n = 9
	a, b := o.B.Sub(o.A).Unit(), o.C.Sub(o.D).Unit()
	if a == (Point{}) || b == (Point{}) {
		return o, false
	}
	var want [n]Point
	var u [n]float64
	for i := range n {
		u[i] = float64(i+1) / (n + 1)
		t := t0 + (t1-t0)*u[i]
		want[i] = c.At(t).Add(c.Deriv(t).Unit().Turn().Mul(d))
	}
	for range 4 {
		var aa, ab, bb, ax, bx float64
		for i, q := range want {
			t, v := u[i], 1-u[i]
			ha, hb := a.Mul(3*t*v*v), b.Mul(3*t*t*v)
			rest := q.Sub(o.A.Mul(v*v*v + 3*t*v*v)).Sub(o.D.Mul(t*t*t + 3*t*t*v))
			aa, ab, bb = aa+ha.Dot(ha), ab+ha.Dot(hb), bb+hb.Dot(hb)
			ax, bx = ax+ha.Dot(rest), bx+hb.Dot(rest)
		}
		det := aa*bb - ab*ab
		if !(det > 1e-12*aa*bb) {
			return o, false
		}
		la, lb := (ax*bb-bx*ab)/det, (bx*aa-ax*ab)/det
		if !(la > 0 && lb > 0) {
			return o, false
		}
		o.B, o.C = o.A.Add(a.Mul(la)), o.D.Add(b.Mul(lb))
		worst := 0.0
		for i, q := range want {
			for range 2 { // Newton, towards the nearest point
				e, v := o.At(u[i]).Sub(q), o.Deriv(u[i])
				if k := v.Dot(v) + e.Dot(o.second(u[i])); k > 0 {
					u[i] = min(1, max(0, u[i]-e.Dot(v)/k))
				}
			}
			worst = max(worst, o.At(u[i]).Sub(q).Len())
		}
		if worst <= tol {
			return o, true
		}
	}
	return o, false
}

// curvature is the signed curvature where the first and second derivatives are v
// and w.
func curvature(v, w Point) float64 {
	l := v.Len()
	return v.Cross(w) / (l * l * l)
}

// offset returns the point at distance d beside c(t) and the velocity of the
// offset there: c'(t)·(1 − d·κ), κ the signed curvature. Where c' vanishes
// the direction is taken from inside the piece, towards other.
func (c Curve) offset(t, other, d float64) (Point, Point) {
	v := c.Deriv(t)
	if v.Len() < 1e-9*(c.B.Sub(c.A).Len()+c.C.Sub(c.B).Len()+c.D.Sub(c.C).Len()) {
		dir := c.Deriv(t + (other-t)*1e-4).Unit()
		return c.At(t).Add(dir.Turn().Mul(d)), v
	}
	k := curvature(v, c.second(t))
	return c.At(t).Add(v.Unit().Turn().Mul(d)), v.Mul(1 - d*k)
}

// fan handles a piece whose centre of curvature lies nearer than the offset: each
// normal crosses the next, at the points of the evolute. As far as there the
// normals sweep the plane as elsewhere, and the side follows the evolute; beyond,
// they sweep it the other way round, which is an outline of its own.
func (s *stroker) fan(side *Path, c Curve, t0, t1, d float64) {
	n := max(4, c.Sub(t0, t1).steps(s.tol))
	at := func(i int) (p, q Point) {
		t := t0 + (t1-t0)*float64(i)/float64(n)
		q, _ = c.offset(t, (t0+t1)/2, d)
		return c.At(t), q
	}
	p0, q0 := at(0)
	if side.Last() != q0 || len(*side) == 1 { // the beginning of a side may be moved
		side.LineTo(q0)
	}
	if side == s.bent && len(*side) == s.bend+2 { // what lies beyond begins there, too
		s.bent = nil
	}
	var beyond Path
	beyond.MoveTo(q0)
	evolute := make([]Point, n)
	for i := range n {
		p1, q1 := at(i + 1)
		evolute[i] = crossing(p0, q0, p1, q1)
		side.LineTo(evolute[i])
		beyond.LineTo(q1)
		p0, q0 = p1, q1
	}
	side.LineTo(q0)
	*s.pin(side) = len(*side)
	for i := range evolute {
		beyond.LineTo(evolute[n-1-i])
	}
	beyond.Close()
	// The outline of a stroke runs against the area's sign: left side forwards,
	// right side back, which is negative here.
	if beyond.Area() > 0 {
		beyond = beyond.Reverse()
	}
	s.out = append(s.out, beyond...)
}

// crossing is where the line from a to b crosses the one through c and d, or the
// end of it that is nearer to that.
func crossing(a, b, c, d Point) Point {
	u, v := b.Sub(a), d.Sub(c)
	det := u.Cross(v)
	if det == 0 {
		return b
	}
	return a.Lerp(b, min(1, max(0, c.Sub(a).Cross(v)/det)))
}
