package geom

import "math"

// arcK places the control points of a cubic so that it follows a quarter
// circle of radius 1 to within 0.03 % (4/3·(√2−1)).
const arcK = 0.5522847498307936

// Box returns r as a closed path.
func Box(r Rect) Path {
	var p Path
	c := r.Corners()
	p.MoveTo(c[0])
	for _, q := range c[1:] {
		p.LineTo(q)
	}
	p.Close()
	return p
}

// RoundBox returns r with elliptic corners of the given radii, each at most
// half a side (SVG 1.1 section 9.2).
func RoundBox(r Rect, rx, ry float64) Path {
	rx, ry = min(rx, r.W()/2), min(ry, r.H()/2)
	if rx <= 0 || ry <= 0 {
		return Box(r)
	}
	kx, ky := rx*(1-arcK), ry*(1-arcK)
	var p Path
	p.MoveTo(Pt(r.X0+rx, r.Y0))
	p.LineTo(Pt(r.X1-rx, r.Y0))
	p.CubeTo(Pt(r.X1-kx, r.Y0), Pt(r.X1, r.Y0+ky), Pt(r.X1, r.Y0+ry))
	p.LineTo(Pt(r.X1, r.Y1-ry))
	p.CubeTo(Pt(r.X1, r.Y1-ky), Pt(r.X1-kx, r.Y1), Pt(r.X1-rx, r.Y1))
	p.LineTo(Pt(r.X0+rx, r.Y1))
	p.CubeTo(Pt(r.X0+kx, r.Y1), Pt(r.X0, r.Y1-ky), Pt(r.X0, r.Y1-ry))
	p.LineTo(Pt(r.X0, r.Y0+ry))
	p.CubeTo(Pt(r.X0, r.Y0+ky), Pt(r.X0+kx, r.Y0), Pt(r.X0+rx, r.Y0))
	p.Close()
	return p
}

// Ellipse returns the ellipse round c as four cubics, beginning at the right
// as SVG 1.1 section 9.4 asks.
func Ellipse(c Point, rx, ry float64) Path {
	kx, ky := rx*arcK, ry*arcK
	var p Path
	p.MoveTo(Pt(c.X+rx, c.Y))
	p.CubeTo(Pt(c.X+rx, c.Y+ky), Pt(c.X+kx, c.Y+ry), Pt(c.X, c.Y+ry))
	p.CubeTo(Pt(c.X-kx, c.Y+ry), Pt(c.X-rx, c.Y+ky), Pt(c.X-rx, c.Y))
	p.CubeTo(Pt(c.X-rx, c.Y-ky), Pt(c.X-kx, c.Y-ry), Pt(c.X, c.Y-ry))
	p.CubeTo(Pt(c.X+kx, c.Y-ry), Pt(c.X+rx, c.Y-ky), Pt(c.X+rx, c.Y))
	p.Close()
	return p
}

// ArcTo appends an elliptical arc from the current point a to b, given as in
// SVG path data: radii, rotation of the x axis in degrees, and the two flags.
// The conversion is that of SVG 1.1 appendix F.6, out-of-range radii included.
func (p *Path) ArcTo(a Point, rx, ry, rot float64, large, sweep bool, b Point) {
	if a == b {
		return
	}
	rx, ry = math.Abs(rx), math.Abs(ry)
	if rx == 0 || ry == 0 {
		p.LineTo(b)
		return
	}
	phi := rot * math.Pi / 180
	// F.6.5.1: into the frame of the ellipse.
	h := Rotate(-phi).Vec(a.Sub(b).Mul(0.5))
	// F.6.6.2: enlarge radii that cannot span the chord.
	if l := h.X*h.X/(rx*rx) + h.Y*h.Y/(ry*ry); l > 1 {
		rx, ry = rx*math.Sqrt(l), ry*math.Sqrt(l)
	}
	// F.6.5.2: the centre in that frame.
	den := rx*rx*h.Y*h.Y + ry*ry*h.X*h.X
	k := math.Sqrt(max(0, rx*rx*ry*ry-den) / den)
	if large == sweep {
		k = -k
	}
	cc := Pt(k*rx*h.Y/ry, -k*ry*h.X/rx)
	mid := a.Lerp(b, 0.5)
	m := Translate(mid.X, mid.Y).Mul(Rotate(phi)).Mul(Translate(cc.X, cc.Y)).Mul(Scale(rx, ry))
	// F.6.5.5, F.6.5.6: the angles.
	u := Pt((h.X-cc.X)/rx, (h.Y-cc.Y)/ry)
	v := Pt((-h.X-cc.X)/rx, (-h.Y-cc.Y)/ry)
	t0 := math.Atan2(u.Y, u.X)
	dt := math.Atan2(u.Cross(v), u.Dot(v))
	if sweep && dt < 0 {
		dt += 2 * math.Pi
	} else if !sweep && dt > 0 {
		dt -= 2 * math.Pi
	}
	p.unitArc(m, t0, dt)
	(*p)[len(*p)-1].P[2] = b // exactly where the data says
}

// unitArc appends the arc of the unit circle from angle t0 over dt, mapped by
// m, as cubics of at most a quarter turn.
func (p *Path) unitArc(m Affine, t0, dt float64) {
	n := max(1, int(math.Ceil(math.Abs(dt)/(math.Pi/2)-1e-9)))
	d := dt / float64(n)
	k := 4.0 / 3 * math.Tan(d/4)
	for i := range n {
		s0, c0 := math.Sincos(t0 + d*float64(i))
		s1, c1 := math.Sincos(t0 + d*float64(i+1))
		p.CubeTo(m.Apply(Pt(c0-k*s0, s0+k*c0)), m.Apply(Pt(c1+k*s1, s1-k*c1)), m.Apply(Pt(c1, s1)))
	}
}
