package geom

import (
	"math"
	"slices"
)

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
	bent        *Path  // the side that turned inwards last, nil if that is done
	bend        int    // where on it
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
	s.left, s.right, s.pins, s.bent = nil, nil, [2]int{}, nil
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
		s.trim()
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

// meet lets both sides meet in one point each at p, where the direction turns from a
// to b, and reports whether it could: where that moves their ends by no more than
// may be. Of two lines, long is the length of the shorter, it lets the inner sides
// meet where they cross, and joins the outer ones.
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
	if last.Op == CubeTo {
		last.P[1], last.P[2] = last.P[1].Add(d), q
	} else {
		last.P[0] = q
	}
}

// join connects both sides at p, where the direction turns from a to b. The
// inner side goes through p itself, so that the area stays covered once.
func (s *stroker) join(p, a, b Point) {
	inner, n := &s.left, b.Turn().Mul(s.r)
	if a.Cross(b) < 0 {
		inner, n = &s.right, n.Mul(-1)
	}
	if s.bend = len(*inner); *s.pin(inner) != s.bend {
		s.bent = inner
	}
	inner.LineTo(p)
	inner.LineTo(p.Add(n))
	s.outer(p, a, b)
}

// trim takes off what the two pieces of a side that a join turned inwards have
// beyond the place where they cross, and the way through the middle with it: all
// of that lies inside the stroke.
func (s *stroker) trim() {
	side, i := s.bent, s.bend
	s.bent = nil
	if side == nil || i < 2 || len(*side) < i+3 {
		return
	}
	p := *side
	one, two := curveOf(p[i-2].End(), p[i-1]), curveOf(p[i+1].End(), p[i+2])
	t, u, ok := meeting(one, two, s.tol*1e-6)
	if !ok || one.Deriv(t).Cross(two.Deriv(u))*p[i-1].End().Sub(p[i].End()).Cross(p[i+1].End().Sub(p[i].End())) <= 0 {
		return
	}
	one, two = one.Sub(0, t), two.Sub(u, 1)
	p[i-1], p[i+2] = segOf(one), segOf(two)
	if pin := s.pin(side); *pin > i {
		*pin -= 2
	}
	*side = slices.Delete(p, i, i+2)
}

// curveOf is the line or cubic of a segment that begins at a.
func curveOf(a Point, s Seg) Curve {
	if s.Op == CubeTo {
		return Curve{CubeTo, a, s.P[0], s.P[1], s.P[2]}
	}
	return Curve{Op: LineTo, A: a, D: s.End()}
}

// segOf is the segment of a line or cubic.
func segOf(c Curve) Seg {
	if c.Op == CubeTo {
		return Seg{CubeTo, [3]Point{c.B, c.C, c.D}}
	}
	return Seg{LineTo, [3]Point{c.D}}
}

// meeting finds where the second half of one curve crosses the first half of
// another, by Newton's method from the ends between which they are nearest, to
// within tol; both run on nearly straight from there.
func meeting(one, two Curve, tol float64) (t, u float64, ok bool) {
	t, u = 1, 0
	for range 12 {
		f, a, b := one.At(t).Sub(two.At(u)), one.Deriv(t), two.Deriv(u)
		det := b.Cross(a)
		if f.Len() <= tol {
			straight := func(v, w Point) bool { return v.Unit().Dot(w.Unit()) > 0.5 }
			_, end := one.Directions()
			start, _ := two.Directions()
			return t, u, t >= 0.5 && t < 1 && u > 0 && u <= 0.5 && straight(a, end) && straight(b, start)
		}
		if det == 0 {
			break
		}
		// one(t) + a·dt = two(u) + b·du
		t, u = t+f.Cross(b)/det, u+f.Cross(a)/det
		if !(t > 0.3 && t < 1.2 && u > -0.2 && u < 0.7) {
			break
		}
	}
	return 0, 0, false
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
