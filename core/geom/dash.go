package geom

import "math"

// MaxDashes bounds the pieces a dash pattern may cut one path into.
const MaxDashes = 100_000

// Dash cuts the path into dashes: on, off, on, … lengths along the curve,
// beginning offset units into the pattern. An odd pattern is repeated, a
// pattern without any length leaves the path whole (SVG 1.1 section 11.4), and
// so does one of more than MaxDashes pieces: ask Dashes first.
func (p Path) Dash(pattern []float64, offset float64) Path {
	if len(pattern)%2 == 1 {
		pattern = append(append([]float64(nil), pattern...), pattern...)
	}
	var total float64
	for _, d := range pattern {
		if d < 0 || math.IsNaN(d) {
			return p
		}
		total += d
	}
	if !(total > 0) || math.IsInf(total, 0) {
		return p
	}
	offset = math.Mod(offset, total)
	if offset < 0 {
		offset += total
	}
	first := 0
	for offset > 0 && offset >= pattern[first] {
		offset -= pattern[first]
		first = (first + 1) % len(pattern)
	}
	var out Path
	for _, sub := range p.Subpaths() {
		if len(out) > 4*MaxDashes || p.Length()/total > MaxDashes {
			return p
		}
		out = append(out, sub.dash(pattern, first, pattern[first]-offset)...)
	}
	return out
}

// Dashes is about how many pieces a pattern cuts the path into.
func (p Path) Dashes(pattern []float64) float64 {
	var total float64
	for _, d := range pattern {
		total += d
	}
	if !(total > 0) {
		return 0
	}
	return p.Length() / total * float64(len(pattern)+1) / 2
}

// dash cuts one subpath, beginning in pattern[i] with rest of it left.
func (p Path) dash(pattern []float64, i int, rest float64) Path {
	var out Path
	pen := false // out ends where the next piece begins
	startOn := i%2 == 0
	on := startOn
	p.Each(func(c Curve, _ bool) {
		m := measure(c)
		done := 0.0
		for m.len-done > rest {
			t0, t1 := m.param(done), m.param(done+rest)
			switch {
			case on && rest == 0: // a dash without length shows its caps
				q := c.At(t0)
				out.MoveTo(q)
				out.LineTo(q.Add(c.Deriv(t0).Unit().Mul(1e-6)))
			case on:
				if !pen {
					out.MoveTo(c.At(t0))
				}
				out.add(c.Sub(t0, t1))
			}
			done += rest
			i = (i + 1) % len(pattern)
			rest, on, pen = pattern[i], i%2 == 0, false
		}
		if m.len > done {
			if on {
				if !pen {
					out.MoveTo(c.At(m.param(done)))
				}
				out.add(c.Sub(m.param(done), 1))
				pen = true
			}
			rest -= m.len - done
		}
	})
	// On a closed subpath the last dash runs on into the first.
	if p[len(p)-1].Op == Close && startOn && pen && len(out) > 0 {
		subs := out.Subpaths()
		if len(subs) == 1 {
			if on && sameLength(p, subs[0]) {
				out.Close()
			}
			return out
		}
		last := subs[len(subs)-1]
		out = append(Path(nil), append(last, subs[0][1:]...)...)
		for _, s := range subs[1 : len(subs)-1] {
			out = append(out, s...)
		}
	}
	return out
}

// sameLength reports whether one dash covers the whole of p.
func sameLength(p, q Path) bool {
	a, b := p.Length(), q.Length()
	return math.Abs(a-b) <= 1e-9*(a+b)
}

// Length is the arc length of all pieces.
func (p Path) Length() float64 {
	var l float64
	p.Each(func(c Curve, _ bool) { l += measure(c).len })
	return l
}

// lengthSteps is how many stretches a curve is measured in.
const lengthSteps = 16

// measured is a curve with its arc length tabulated.
type measured struct {
	c   Curve
	len float64
	sum [lengthSteps + 1]float64
}

func measure(c Curve) measured {
	m := measured{c: c}
	if c.Op == LineTo {
		m.len = c.D.Sub(c.A).Len()
		return m
	}
	for i := range lengthSteps {
		m.sum[i+1] = m.sum[i] + c.arc(float64(i)/lengthSteps, float64(i+1)/lengthSteps)
	}
	m.len = m.sum[lengthSteps]
	return m
}

// arc is the arc length between two parameters, by Gauss-Legendre quadrature
// of five points.
func (c Curve) arc(a, b float64) float64 {
	x := [...]float64{0, 0.5384693101056831, -0.5384693101056831, 0.906179845938664, -0.906179845938664}
	w := [...]float64{0.5688888888888889, 0.47862867049936647, 0.47862867049936647, 0.23692688505618908, 0.23692688505618908}
	var s float64
	h, m := (b-a)/2, (a+b)/2
	for i := range x {
		s += w[i] * c.Deriv(m+h*x[i]).Len()
	}
	return s * h
}

// param returns the parameter at arc length l from the start.
func (m measured) param(l float64) float64 {
	if l <= 0 {
		return 0
	}
	if l >= m.len {
		return 1
	}
	if m.c.Op == LineTo {
		return l / m.len
	}
	i := 0
	for i < lengthSteps-1 && m.sum[i+1] < l {
		i++
	}
	t0 := float64(i) / lengthSteps
	a, b := t0, float64(i+1)/lengthSteps
	for range 40 {
		t := (a + b) / 2
		if m.sum[i]+m.c.arc(t0, t) < l {
			a = t
		} else {
			b = t
		}
	}
	return (a + b) / 2
}

// A Ruler measures along a path.
type Ruler struct {
	pieces []measured
	total  float64
}

// NewRuler measures a path once, to find many places on it.
func NewRuler(p Path) *Ruler {
	r := &Ruler{}
	p.Each(func(c Curve, _ bool) {
		m := measure(c)
		r.pieces = append(r.pieces, m)
		r.total += m.len
	})
	return r
}

// Length is the length of the whole path.
func (r *Ruler) Length() float64 { return r.total }

// At returns the point at a distance along the path and the unit direction
// there; ok is false before the start and past the end.
func (r *Ruler) At(d float64) (p, dir Point, ok bool) {
	if d < 0 || d > r.total || len(r.pieces) == 0 {
		return Point{}, Point{}, false
	}
	for i, m := range r.pieces {
		if d <= m.len || i == len(r.pieces)-1 {
			t := m.param(d)
			if dir = m.c.Deriv(t).Unit(); dir == (Point{}) {
				dir, _ = m.c.Directions()
			}
			return m.c.At(t), dir, true
		}
		d -= m.len
	}
	return Point{}, Point{}, false
}
