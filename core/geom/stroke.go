package geom

import "math"

// A Join is the shape put where two pieces of a stroke meet.
type Join uint8

const (
	MiterJoin Join = iota
	RoundJoin
	BevelJoin
)

// A Cap is the shape put at an open end.
type Cap uint8

const (
	ButtCap Cap = iota
	RoundCap
	SquareCap
)

// A Pen describes a stroke. Lengths are in the units of the path.
type Pen struct {
	Width  float64
	Join   Join
	Cap    Cap
	Miter  float64   // limit of miter length over width; 0 means 4
	Dashes []float64 // on, off, on, … ; empty for a solid line
	Offset float64   // where in the dash pattern the stroke begins
}

// Stroke returns the outline that fills the same area as the stroked path,
// under the NonZero rule. Parallel curves are fitted with cubics that stay
// within tol of the true offset; where two meet almost smoothly their ends are
// drawn together, by tol/2 at most. The stroke is as SVG 1.1 section 11.4 defines
// it.
func (p Path) Stroke(pen Pen, tol float64) Path {
	if !(pen.Width > 0) {
		return nil
	}
	if pen.Miter == 0 {
		pen.Miter = 4
	}
	if len(pen.Dashes) > 0 {
		p = p.Dash(pen.Dashes, pen.Offset)
	}
	s := stroker{pen: pen, r: pen.Width / 2, tol: tol}
	for _, sub := range p.Subpaths() {
		s.subpath(sub)
	}
	return s.out
}

// stroker gathers the outline. left and right are the two sides of the
// subpath at hand, both in its direction.
type stroker struct {
	pen         Pen
	r, tol      float64
	out         Path
	left, right Path
	pins        [2]int // the lengths of left and right at which their ends must stay
}

// pin is the length of a side at which its end must stay where it is.
func (s *stroker) pin(side *Path) *int {
	if side == &s.left {
		return &s.pins[0]
	}
	return &s.pins[1]
}

func (s *stroker) subpath(sub Path) {
	var cs []Curve
	sub.Each(func(c Curve, _ bool) {
		if c.A != c.D || (c.Op == CubeTo && (c.B != c.A || c.C != c.A)) || (c.Op == QuadTo && c.B != c.A) {
			cs = append(cs, c)
		}
	})
	closed := sub[len(sub)-1].Op == Close
	if len(cs) == 0 {
		if len(sub) > 1 { // a zero-length subpath shows its caps only
			s.dot(sub[0].P[0])
		}
		return
	}
	s.left, s.right, s.pins = nil, nil, [2]int{}
	t0, _ := cs[0].Directions()
	n0 := t0.Turn().Mul(s.r)
	s.left.MoveTo(cs[0].A.Add(n0))
	s.right.MoveTo(cs[0].A.Sub(n0))
	var tEnd Point
	for i, c := range cs {
		a, b := c.Directions()
		if i > 0 && !s.meet(c.A, tEnd, a, min(cs[i-1].straight(), c.straight())) {
			s.join(c.A, tEnd, a)
		}
		s.side(c)
		tEnd = b
	}
	if closed {
		if p := cs[0].A; s.meet(p, tEnd, t0, min(cs[len(cs)-1].straight(), cs[0].straight())) {
			s.left[0].P[0], s.right[0].P[0] = s.left.Last(), s.right.Last()
		} else {
			s.join(p, tEnd, t0)
		}
		s.left.Close()
		s.right.Close()
		s.out = append(s.out, s.left...)
		s.out = append(s.out, s.right.Reverse()...)
		return
	}
	line := s.left
	s.cap(&line, cs[len(cs)-1].D, tEnd)
	back := s.right.Reverse()
	line = append(line, back[1:]...)
	s.cap(&line, cs[0].A, t0.Mul(-1))
	line.Close()
	s.out = append(s.out, line...)
}

// dot draws a subpath without length: nothing, a disc or a square.
func (s *stroker) dot(c Point) {
	switch s.pen.Cap {
	case RoundCap:
		s.out = append(s.out, Ellipse(c, s.r, s.r).Reverse()...)
	case SquareCap:
		s.out = append(s.out, Box(Rect{c.X - s.r, c.Y - s.r, c.X + s.r, c.Y + s.r}).Reverse()...)
	}
}

// Directions returns the unit directions at both ends, looking further along
// the control points where the nearest ones coincide.
func (c Curve) Directions() (a, b Point) {
	ps := []Point{c.A, c.D}
	switch c.Op {
	case QuadTo:
		ps = []Point{c.A, c.B, c.D}
	case CubeTo:
		ps = []Point{c.A, c.B, c.C, c.D}
	}
	for _, q := range ps[1:] {
		if a = q.Sub(c.A).Unit(); a != (Point{}) {
			break
		}
	}
	for i := len(ps) - 2; i >= 0; i-- {
		if b = c.D.Sub(ps[i]).Unit(); b != (Point{}) {
			break
		}
	}
	return a, b
}

// straight is the length of a line, 0 of a curve.
func (c Curve) straight() float64 {
	if c.Op != LineTo {
		return 0
	}
	return c.D.Sub(c.A).Len()
}

// together is how far, as a share of tol, ends are moved that are drawn together.
const together = 0.5

// meet lets both sides meet at p, where the direction turns from a to b, in one
// point each, and reports whether it could: where that moves their ends by no more
// than may be. On the inner side of two lines that meet, long is the length of the
// shorter, it takes off what lies inside the other; the outer one is joined.
func (s *stroker) meet(p, a, b Point, long float64) bool {
	if a.Dot(b) <= 0 && long == 0 {
		return false
	}
	half := math.Sqrt(max(0, (1+a.Dot(b))/2)) // cos of half the turn
	if half < 1e-9 {
		return false
	}
	over := s.r * math.Sqrt(max(0, 1-half*half)) / half // of one side over the other
	m := a.Add(b).Unit().Turn().Mul(s.r / half)
	switch {
	case a.Dot(b) > 0 && over <= s.tol*together:
		s.shift(&s.left, p.Add(m), s.tol)
		s.shift(&s.right, p.Sub(m), s.tol)
		return true
	case over <= long/2: // half of each line is left for its other end
		inner := &s.left
		if a.Cross(b) < 0 {
			inner, m = &s.right, m.Mul(-1)
		}
		s.shift(inner, p.Add(m), over*1.001)
		s.outer(p, a, b)
		return true
	}
	return false
}

// shift moves the end of a side to q, with the handle before it, if it is no further
// than far and need not stay; otherwise it draws a line there.
func (s *stroker) shift(side *Path, q Point, far float64) {
	last := &(*side)[len(*side)-1]
	d := q.Sub(last.End())
	if last.Op == MoveTo || d.Len() > far || *s.pin(side) == len(*side) {
		side.LineTo(q)
		return
	}
	switch last.Op {
	case LineTo:
		last.P[0] = q
	case QuadTo:
		last.P[1] = q
	case CubeTo:
		last.P[1], last.P[2] = last.P[1].Add(d), q
	}
}

// join connects both sides at p, where the direction turns from a to b. The
// inner side goes through p itself, so that the area stays covered once.
func (s *stroker) join(p, a, b Point) {
	nb := b.Turn().Mul(s.r)
	if a.Cross(b) < 0 {
		s.right.LineTo(p)
		s.right.LineTo(p.Sub(nb))
	} else {
		s.left.LineTo(p)
		s.left.LineTo(p.Add(nb))
	}
	s.outer(p, a, b)
}

// outer joins the outer side as the pen says.
func (s *stroker) outer(p, a, b Point) {
	na, nb := a.Turn().Mul(s.r), b.Turn().Mul(s.r)
	turn := a.Cross(b)
	// y grows downwards and Turn leads from x to y: with turn > 0 the path
	// bends towards its left side, so the right side is the outer one.
	outer, sign := &s.right, -1.0
	if turn < 0 {
		outer, sign = &s.left, 1.0
	}
	end := p.Add(nb.Mul(sign))
	switch s.pen.Join {
	case RoundJoin:
		u := na.Mul(sign)
		dt := math.Atan2(u.Cross(nb.Mul(sign)), u.Dot(nb.Mul(sign)))
		if turn == 0 { // straight back
			dt = -sign * math.Pi
		}
		outer.unitArc(Translate(p.X, p.Y).Mul(Scale(s.r, s.r)), math.Atan2(u.Y, u.X), dt)
	case MiterJoin:
		// Miter length over width is 1/sin(θ/2), θ the angle between the
		// pieces; cos of the turn is -cos θ.
		half := math.Sqrt(max(0, (1+a.Dot(b))/2)) // sin(θ/2)
		if half > 1e-9 && 1/half <= s.pen.Miter {
			m := na.Add(nb).Unit().Mul(s.r / half * sign)
			outer.LineTo(p.Add(m))
		}
	}
	outer.LineTo(end)
}

// cap closes an end at p from the left side of direction t to its right side.
func (s *stroker) cap(line *Path, p, t Point) {
	n := t.Turn().Mul(s.r)
	switch s.pen.Cap {
	case RoundCap:
		line.unitArc(Translate(p.X, p.Y).Mul(Scale(s.r, s.r)), math.Atan2(n.Y, n.X), -math.Pi)
	case SquareCap:
		e := t.Mul(s.r)
		line.LineTo(p.Add(n).Add(e))
		line.LineTo(p.Sub(n).Add(e))
	}
	line.LineTo(p.Sub(n))
}

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
	f := func(t float64) float64 { // sign changes where |κ| passes 1/r
		d := c.Deriv(t)
		return math.Abs(d.Cross(c.second(t)))*r - math.Pow(d.Len(), 3)
	}
	for i := range n {
		a, b := float64(i)/n, float64(i+1)/n
		fa, fb := f(a), f(b)
		if i > 0 && c.Deriv(a).Len() < 1e-6*c.A.Sub(c.D).Len() {
			ts = append(ts, a)
		}
		if (fa < 0) == (fb < 0) {
			continue
		}
		for range 50 {
			m := (a + b) / 2
			if (f(m) < 0) == (fa < 0) {
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
	if k := v.Cross(c.second(mid)) / math.Pow(v.Len(), 3); d*k > 1 {
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

// offset returns the point at distance d beside c(t) and the velocity of the
// offset there: c'(t)·(1 − d·κ), κ the signed curvature. Where c' vanishes
// the direction is taken from inside the piece, towards other.
func (c Curve) offset(t, other, d float64) (Point, Point) {
	v := c.Deriv(t)
	if v.Len() < 1e-9*(c.B.Sub(c.A).Len()+c.C.Sub(c.B).Len()+c.D.Sub(c.C).Len()) {
		dir := c.Deriv(t + (other-t)*1e-4).Unit()
		return c.At(t).Add(dir.Turn().Mul(d)), v
	}
	k := v.Cross(c.second(t)) / math.Pow(v.Len(), 3)
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
	if side.Last() != q0 {
		side.LineTo(q0)
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
