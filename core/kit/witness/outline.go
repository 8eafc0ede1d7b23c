package witness

import (
	"math"
	"sync"

	"dyekit/core/geom"
)

// Paths keeps what is known of the outlines of drawings, for all who witness
// pictures of them. It may be used from several goroutines; the zero value is
// empty.
type Paths struct {
	mu    sync.Mutex
	known map[pathKey]*outline
}

// A pathKey names a path by its place in memory: paths do not change.
type pathKey struct {
	first *geom.Seg
	n     int
}

// An outline is a path in stretches, with the boxes of the control points of each:
// what lies elsewhere is passed over without a look at its curves.
type outline struct {
	path      geom.Path
	box       geom.Rect
	stretches []stretch
}

// long is how many segments a stretch has.
const long = 16

type stretch struct {
	box  geom.Rect
	from pen // where the stretch begins
	a, d geom.Point
	one  bool // its curves lead from a to d without a leap
}

// A pen goes along a path.
type pen struct {
	at, start geom.Point
	open      bool
}

// A curve is a cubic.
type curve struct {
	a, b, c, d geom.Point
	straight   bool
}

func (x curve) box() geom.Rect {
	return geom.Rect{
		X0: min(x.a.X, x.b.X, x.c.X, x.d.X), Y0: min(x.a.Y, x.b.Y, x.c.Y, x.d.Y),
		X1: max(x.a.X, x.b.X, x.c.X, x.d.X), Y1: max(x.a.Y, x.b.Y, x.c.Y, x.d.Y),
	}
}

// step goes along a segment and calls f with its curve, if it has one, and with
// the one that closes what was left open.
func (w *pen) step(s *geom.Seg, f func(x curve)) {
	a, b, c := s.P[0], s.P[1], s.P[2]
	switch s.Op {
	case geom.MoveTo:
		w.end(f)
		*w = pen{a, a, true}
	case geom.LineTo:
		w.line(a, f)
	case geom.QuadTo:
		f(curve{w.at, w.at.Add(a.Sub(w.at).Mul(2.0 / 3)), b.Add(a.Sub(b).Mul(2.0 / 3)), b, false})
		w.at = b
	case geom.CubeTo:
		f(curve{w.at, a, b, c, false})
		w.at = c
	case geom.Close:
		w.line(w.start, f)
	}
}

func (w *pen) line(to geom.Point, f func(x curve)) {
	if to != w.at {
		f(curve{w.at, to, to, to, true})
		w.at = to
	}
}

// end closes what is open.
func (w *pen) end(f func(x curve)) {
	if w.open {
		w.line(w.start, f)
	}
}

// of returns the outline of a path.
func (ps *Paths) of(p geom.Path) *outline {
	key := pathKey{&p[0], len(p)}
	ps.mu.Lock()
	o := ps.known[key]
	ps.mu.Unlock()
	if o != nil {
		return o
	}
	o = newOutline(p)
	ps.mu.Lock()
	defer ps.mu.Unlock()
	if ps.known == nil {
		ps.known = map[pathKey]*outline{}
	}
	ps.known[key] = o
	return o
}

// none is the box of nothing.
var none = geom.Rect{X0: math.Inf(1), Y0: math.Inf(1), X1: math.Inf(-1), Y1: math.Inf(-1)}

func newOutline(p geom.Path) *outline {
	o := &outline{path: p, box: none}
	var w pen
	for i := 0; i < len(p); i += long {
		s := stretch{box: none, from: w, one: true}
		o.stretches = append(o.stretches, s)
		w = o.along(i/long, func(x curve) {
			if s.box == none {
				s.a, s.d = x.a, x.a
			}
			s.one = s.one && x.a == s.d
			s.box, s.d = joined(s.box, x.box()), x.d
		})
		o.stretches[i/long] = s
		o.box = joined(o.box, s.box)
	}
	return o
}

// along calls f with the curves of a stretch and returns where they lead.
func (o *outline) along(k int, f func(x curve)) pen {
	w := o.stretches[k].from
	for i := k * long; i < min(len(o.path), (k+1)*long); i++ {
		w.step(&o.path[i], f)
	}
	if (k+1)*long >= len(o.path) {
		w.end(f)
	}
	return w
}

// joined is the box of two boxes; one of no width or height counts too.
func joined(a, b geom.Rect) geom.Rect {
	return geom.Rect{X0: min(a.X0, b.X0), Y0: min(a.Y0, b.Y0), X1: max(a.X1, b.X1), Y1: max(a.Y1, b.Y1)}
}

// walk goes along a curve, mapped by m, in steps of equal parameter, so many
// that a chord lies at most 1/100 px off: the second derivative bounds the
// distance by |B″| ÷ 8n². It appends the chords.
func (x *curve) walk(m geom.Affine, to []line) []line {
	a, d := m.Apply(x.a), m.Apply(x.d)
	if x.straight {
		return append(to, line{a.X, a.Y, d.X, d.Y})
	}
	b, c := m.Apply(x.b), m.Apply(x.c)
	bend := 6 * max(a.Sub(b.Mul(2)).Add(c).Len(), b.Sub(c.Mul(2)).Add(d).Len())
	n := int(min(500, 1+math.Sqrt(bend*100/8)))
	at := a
	for i := 1; i <= n; i++ {
		next := d
		if i < n {
			t := float64(i) / float64(n)
			u := 1 - t
			next = a.Mul(u * u * u).Add(b.Mul(3 * u * u * t)).Add(c.Mul(3 * u * t * t)).Add(d.Mul(t * t * t))
		}
		to = append(to, line{at.X, at.Y, next.X, next.Y})
		at = next
	}
	return to
}

// mapped is the box of a box that m maps; one of no width or height counts too.
func mapped(b geom.Rect, m geom.Affine) geom.Rect {
	if m.B == 0 && m.C == 0 && m.A >= 0 && m.D >= 0 {
		return geom.Rect{X0: m.A*b.X0 + m.E, Y0: m.D*b.Y0 + m.F, X1: m.A*b.X1 + m.E, Y1: m.D*b.Y1 + m.F}
	}
	c, x, y := m.Apply(b.Centre()), b.W()/2, b.H()/2
	x, y = math.Abs(m.A)*x+math.Abs(m.C)*y, math.Abs(m.B)*x+math.Abs(m.D)*y
	return geom.Rect{X0: c.X - x, Y0: c.Y - y, X1: c.X + x, Y1: c.Y + y}
}
