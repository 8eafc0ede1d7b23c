package geom

import "math"

// An Op says what a segment does.
type Op uint8

const (
	MoveTo Op = iota // starts a subpath at P[0]
	LineTo           // a line to P[0]
	QuadTo           // a quadratic curve to P[1] with the control point P[0]
	CubeTo           // a cubic curve to P[2] with the control points P[0], P[1]
	Close            // a line back to the start of the subpath
)

// A Seg is one step of a path.
type Seg struct {
	Op Op
	P  [3]Point
}

// End returns the point where the segment ends; Close has none of its own.
func (s Seg) End() Point {
	switch s.Op {
	case QuadTo:
		return s.P[1]
	case CubeTo:
		return s.P[2]
	}
	return s.P[0]
}

// A Path is a sequence of subpaths, each begun by MoveTo. A fill treats every
// subpath as closed. The zero Path is empty and ready to use.
type Path []Seg

// A Rule decides which points a path with crossings holds.
type Rule uint8

const (
	NonZero Rule = iota
	EvenOdd
)

func (p *Path) MoveTo(a Point)       { *p = append(*p, Seg{MoveTo, [3]Point{a}}) }
func (p *Path) LineTo(a Point)       { *p = append(*p, Seg{LineTo, [3]Point{a}}) }
func (p *Path) QuadTo(c, a Point)    { *p = append(*p, Seg{QuadTo, [3]Point{c, a}}) }
func (p *Path) CubeTo(c, d, a Point) { *p = append(*p, Seg{CubeTo, [3]Point{c, d, a}}) }
func (p *Path) Close()               { *p = append(*p, Seg{Op: Close}) }

// Transform returns the path mapped by m; p itself stays.
func (p Path) Transform(m Affine) Path {
	q := make(Path, len(p))
	for i, s := range p {
		q[i] = Seg{s.Op, [3]Point{m.Apply(s.P[0]), m.Apply(s.P[1]), m.Apply(s.P[2])}}
	}
	return q
}

// Finite reports whether every coordinate is an ordinary number.
func (p Path) Finite() bool {
	for _, s := range p {
		if !s.P[0].Finite() || !s.P[1].Finite() || !s.P[2].Finite() {
			return false
		}
	}
	return true
}

// Curve is one piece of a path with its start: a line, a quadratic or a cubic.
type Curve struct {
	Op   Op // LineTo, QuadTo or CubeTo
	A    Point
	B, C Point // control points, as far as Op has them
	D    Point // the end
}

// Each calls f for every piece in order. Close comes as a LineTo when it has
// any length. start is true on the first piece of a subpath; a subpath of a
// single point has no pieces.
func (p Path) Each(f func(c Curve, start bool)) {
	var at, from Point
	first := true
	for _, s := range p {
		switch s.Op {
		case MoveTo:
			at, from, first = s.P[0], s.P[0], true
			continue
		case LineTo:
			f(Curve{Op: LineTo, A: at, D: s.P[0]}, first)
		case QuadTo:
			f(Curve{Op: QuadTo, A: at, B: s.P[0], D: s.P[1]}, first)
		case CubeTo:
			f(Curve{Op: CubeTo, A: at, B: s.P[0], C: s.P[1], D: s.P[2]}, first)
		case Close:
			if at != from {
				f(Curve{Op: LineTo, A: at, D: from}, first)
			}
			at, first = from, true
			continue
		}
		at, first = s.End(), false
	}
}

// At returns the point of the curve at t in [0, 1].
func (c Curve) At(t float64) Point {
	u := 1 - t
	switch c.Op {
	case QuadTo:
		return c.A.Mul(u * u).Add(c.B.Mul(2 * u * t)).Add(c.D.Mul(t * t))
	case CubeTo:
		return c.A.Mul(u * u * u).Add(c.B.Mul(3 * u * u * t)).Add(c.C.Mul(3 * u * t * t)).Add(c.D.Mul(t * t * t))
	}
	return c.A.Lerp(c.D, t)
}

// Deriv returns the first derivative at t.
func (c Curve) Deriv(t float64) Point {
	u := 1 - t
	switch c.Op {
	case QuadTo:
		return c.B.Sub(c.A).Mul(2 * u).Add(c.D.Sub(c.B).Mul(2 * t))
	case CubeTo:
		return c.B.Sub(c.A).Mul(3 * u * u).Add(c.C.Sub(c.B).Mul(6 * u * t)).Add(c.D.Sub(c.C).Mul(3 * t * t))
	}
	return c.D.Sub(c.A)
}

// second returns the second derivative at t.
func (c Curve) second(t float64) Point {
	switch c.Op {
	case QuadTo:
		return c.D.Sub(c.B.Mul(2)).Add(c.A).Mul(2)
	case CubeTo:
		return c.C.Sub(c.B.Mul(2)).Add(c.A).Mul(6 * (1 - t)).Add(c.D.Sub(c.C.Mul(2)).Add(c.B).Mul(6 * t))
	}
	return Point{}
}

// Cubic returns the same curve as a cubic; degree elevation is exact.
func (c Curve) Cubic() Curve {
	switch c.Op {
	case QuadTo:
		return Curve{CubeTo, c.A, c.A.Lerp(c.B, 2.0/3), c.D.Lerp(c.B, 2.0/3), c.D}
	case LineTo:
		return Curve{CubeTo, c.A, c.A.Lerp(c.D, 1.0/3), c.A.Lerp(c.D, 2.0/3), c.D}
	}
	return c
}

// Split cuts the curve at t into two that together are the same curve (de
// Casteljau).
func (c Curve) Split(t float64) (Curve, Curve) {
	switch c.Op {
	case QuadTo:
		ab, bd := c.A.Lerp(c.B, t), c.B.Lerp(c.D, t)
		m := ab.Lerp(bd, t)
		return Curve{Op: QuadTo, A: c.A, B: ab, D: m}, Curve{Op: QuadTo, A: m, B: bd, D: c.D}
	case CubeTo:
		ab, bc, cd := c.A.Lerp(c.B, t), c.B.Lerp(c.C, t), c.C.Lerp(c.D, t)
		abc, bcd := ab.Lerp(bc, t), bc.Lerp(cd, t)
		m := abc.Lerp(bcd, t)
		return Curve{CubeTo, c.A, ab, abc, m}, Curve{CubeTo, m, bcd, cd, c.D}
	}
	m := c.A.Lerp(c.D, t)
	return Curve{Op: LineTo, A: c.A, D: m}, Curve{Op: LineTo, A: m, D: c.D}
}

// Sub returns the part between t0 and t1.
func (c Curve) Sub(t0, t1 float64) Curve {
	if t0 > 0 {
		_, c = c.Split(t0)
		t1 = (t1 - t0) / (1 - t0)
	}
	if t1 < 1 {
		c, _ = c.Split(t1)
	}
	return c
}

// Bounds returns the exact box of the filled or stroked-to-zero path: curves
// count with their extremes, not with their control points. A path of points
// or of one straight horizontal line has a box without area.
func (p Path) Bounds() Rect {
	var b bounds
	p.Each(func(c Curve, _ bool) {
		b.add(c.A)
		b.add(c.D)
		// A curve lies among its control points: where they reach no further
		// than the box, neither does it.
		if c.Op == LineTo || b.holds(c.B) && (c.Op == QuadTo || b.holds(c.C)) {
			return
		}
		for _, t := range c.extremes() {
			b.add(c.At(t))
		}
	})
	return b.rect()
}

// Heights returns the least and the largest y of the points and control points of
// the path, mapped by m: between them lies all of it. Of an empty path they are +∞
// and −∞.
func (p Path) Heights(m Affine) (top, bottom float64) {
	top, bottom = math.Inf(1), math.Inf(-1)
	for i := range p {
		s := &p[i]
		for _, q := range s.P[:s.Op.Points()] {
			y := m.B*q.X + m.D*q.Y + m.F
			top, bottom = min(top, y), max(bottom, y)
		}
	}
	return top, bottom
}

// Points is how many points a segment has.
func (o Op) Points() int {
	switch o {
	case Close:
		return 0
	case QuadTo:
		return 2
	case CubeTo:
		return 3
	}
	return 1
}

// extremes returns the parameters inside (0, 1) where x or y turns.
func (c Curve) extremes() []float64 {
	var ts []float64
	in := func(t float64) {
		if t > 0 && t < 1 {
			ts = append(ts, t)
		}
	}
	axis := func(a, b, cc, d float64) {
		switch c.Op {
		case QuadTo: // 2(b-a)(1-t) + 2(d-b)t = 0
			if den := a - 2*b + d; den != 0 {
				in((a - b) / den)
			}
		case CubeTo: // derivative is a quadratic
			k2, k1, k0 := d-3*cc+3*b-a, 2*(cc-2*b+a), b-a
			for _, t := range quadratic(k2, k1, k0) {
				in(t)
			}
		}
	}
	axis(c.A.X, c.B.X, c.C.X, c.D.X)
	axis(c.A.Y, c.B.Y, c.C.Y, c.D.Y)
	return ts
}

// quadratic returns the real roots of a·t² + b·t + c, by the form that does
// not lose digits when b² is much larger than 4ac.
func quadratic(a, b, c float64) []float64 {
	if math.Abs(a) < 1e-12*(math.Abs(b)+math.Abs(c)) {
		if b == 0 {
			return nil
		}
		return []float64{-c / b}
	}
	disc := b*b - 4*a*c
	if disc < 0 {
		return nil
	}
	q := -(b + math.Copysign(math.Sqrt(disc), b)) / 2
	if q == 0 {
		return []float64{0}
	}
	return []float64{q / a, c / q}
}

// Area returns the signed area by Green's theorem, exact for curves: positive
// when the path runs from the x axis towards the y axis. Parts that the path
// goes round twice count twice.
func (p Path) Area() float64 {
	var sum float64
	p.EachClosed(func(c Curve) {
		k := c.Cubic()
		// ½∮ x dy - y dx of a cubic, in the cross products of its points.
		sum += (6*k.A.Cross(k.B) + 3*k.A.Cross(k.C) + k.A.Cross(k.D) +
			3*k.B.Cross(k.C) + 3*k.B.Cross(k.D) + 6*k.C.Cross(k.D)) / 20
	})
	return sum
}

// EachClosed is Each with every subpath closed, as a fill sees it.
func (p Path) EachClosed(f func(Curve)) {
	var from, at Point
	open := false
	end := func() {
		if open && at != from {
			f(Curve{Op: LineTo, A: at, D: from})
		}
	}
	p.Each(func(c Curve, start bool) {
		if start {
			end()
			from, open = c.A, true
		}
		f(c)
		at = c.D
	})
	end()
}

// Subpaths splits the path at its MoveTos. Closing a subpath and going on
// without MoveTo starts a new one at the same point, as SVG 1.1 section 8.3.3
// says.
func (p Path) Subpaths() []Path {
	var all []Path
	var from Point
	var cur Path
	for _, s := range p {
		if s.Op == MoveTo {
			if len(cur) > 0 {
				all = append(all, cur)
			}
			cur, from = Path{s}, s.P[0]
			continue
		}
		if len(cur) == 0 {
			cur.MoveTo(from)
		}
		cur = append(cur, s)
		if s.Op == Close {
			all, cur = append(all, cur), nil
		}
	}
	if len(cur) > 0 {
		all = append(all, cur)
	}
	return all
}

// WithoutPoints returns the path without subpaths that are single points, and
// how many there were; path itself if there are none.
func (p Path) WithoutPoints() (path Path, points int) {
	var out Path
	for _, sub := range p.Subpaths() {
		if b := sub.Bounds(); b.W() == 0 && b.H() == 0 {
			points++
			continue
		}
		out = append(out, sub...)
	}
	if points == 0 {
		return p, 0
	}
	return out, points
}

// Flatness is how far, in px, lines in place of curves may lie from the true ones
// in all that is drawn as pixels.
const Flatness = 1.0 / 80

// Flatten calls f with the line pieces of the closed path, nowhere further
// than tol from the curves. The count for each curve comes from its second
// derivative (Wang's bound), so no recursion is needed.
func (p Path) Flatten(tol float64, f func(a, b Point)) { p.FlattenBy(Identity, tol, f) }

// FlattenBy is Flatten of the path mapped by m, without making that path. All that
// is drawn goes through it, so that it walks the segments itself.
func (p Path) FlattenBy(m Affine, tol float64, f func(a, b Point)) {
	var at, from Point // as the path has them, and mapped
	here := m.Apply(at)
	home := here
	for i := range p {
		s := &p[i]
		c := Curve{Op: s.Op, A: here}
		switch s.Op {
		case MoveTo, Close:
			if at != from {
				f(here, home)
			}
			at, here = from, home
			if s.Op == MoveTo {
				at, here = s.P[0], m.Apply(s.P[0])
				from, home = at, here
			}
			continue
		case LineTo:
			at, here = s.P[0], m.Apply(s.P[0])
			f(c.A, here)
			continue
		case QuadTo:
			at, here = s.P[1], m.Apply(s.P[1])
			c.B, c.D = m.Apply(s.P[0]), here
		case CubeTo:
			at, here = s.P[2], m.Apply(s.P[2])
			c.B, c.C, c.D = m.Apply(s.P[0]), m.Apply(s.P[1]), here
		}
		n := c.steps(tol)
		a := c.A
		for i := 1; i < n; i++ {
			t := float64(i) / float64(n)
			u := 1 - t
			wb, wc := 2*u*t, 0.0
			wa, wd := u*u, t*t
			if s.Op == CubeTo {
				wb, wc = 3*u*u*t, 3*u*t*t
				wa, wd = u*u*u, t*t*t
			}
			b := Point{c.A.X*wa + c.B.X*wb + c.C.X*wc + c.D.X*wd, c.A.Y*wa + c.B.Y*wb + c.C.Y*wc + c.D.Y*wd}
			f(a, b)
			a = b
		}
		f(a, c.D)
	}
	if at != from {
		f(here, home)
	}
}

// maxSteps bounds the pieces of one flattened curve.
const maxSteps = 4096

// steps is Wang's bound: the number of equal parameter steps after which no
// chord is further than tol from the curve.
func (c Curve) steps(tol float64) int {
	var m float64
	switch c.Op {
	case QuadTo:
		m = 2 * c.A.Sub(c.B.Mul(2)).Add(c.D).Len()
	case CubeTo:
		m = 6 * max(c.A.Sub(c.B.Mul(2)).Add(c.C).Len(), c.B.Sub(c.C.Mul(2)).Add(c.D).Len())
	default:
		return 1
	}
	n := math.Ceil(math.Sqrt(m / (8 * tol)))
	if !(n > 1) {
		return 1
	}
	return int(min(n, maxSteps))
}

// Reverse returns the path run backwards, subpath by subpath.
func (p Path) Reverse() Path {
	var out Path
	for _, sub := range p.Subpaths() {
		var cs []Curve
		sub.Each(func(c Curve, _ bool) { cs = append(cs, c) })
		if len(cs) == 0 {
			out = append(out, sub...)
			continue
		}
		out.MoveTo(cs[len(cs)-1].D)
		for i := len(cs) - 1; i >= 0; i-- {
			c := cs[i]
			out.add(Curve{c.Op, c.D, pick(c.Op == CubeTo, c.C, c.B), c.B, c.A})
		}
		if sub[len(sub)-1].Op == Close {
			out.Close()
		}
	}
	return out
}

func pick(b bool, p, q Point) Point {
	if b {
		return p
	}
	return q
}

// add appends a piece that begins where the path ends.
func (p *Path) add(c Curve) {
	switch c.Op {
	case QuadTo:
		p.QuadTo(c.B, c.D)
	case CubeTo:
		p.CubeTo(c.B, c.C, c.D)
	default:
		p.LineTo(c.D)
	}
}

// Last returns the current point, where the next segment would begin.
func (p Path) Last() Point {
	i := len(p) - 1
	switch {
	case i < 0:
		return Point{}
	case p[i].Op != Close:
		return p[i].End()
	}
	for i > 0 && p[i].Op != MoveTo {
		i--
	}
	return p[i].P[0]
}
