package drawing

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

// A Spread says how a gradient goes on past its ends.
type Spread uint8

const (
	Pad Spread = iota
	Reflect
	Repeat
)

// A Stop is a colour at an offset from 0 to 1, with its opacity.
type Stop struct {
	At     float64
	Colour colour.Colour
	Alpha  float64
}

// A Gradient blends along a line (from P0 to P1) or, if Radial, from the
// circle (P0, R0) to the circle (P1, R1). Its coordinates are mapped onto the
// page by To. Stops are in order, at least one, offsets not falling.
type Gradient struct {
	Radial bool
	P0, P1 geom.Point
	R0, R1 float64
	Stops  []Stop
	Spread Spread
	To     geom.Affine
}

// Colour returns the screen colour and opacity at offset t of the ramp, after
// spreading, mixed in encoded sRGB without premultiplying (SVG 1.1 section
// 13.2.4).
func (g *Gradient) Colour(t float64) (colour.RGB, float64) {
	switch g.Spread {
	case Reflect:
		t = math.Abs(math.Mod(t, 2))
		if t > 1 {
			t = 2 - t
		}
	case Repeat:
		t -= math.Floor(t)
	}
	s := g.Stops
	if t <= s[0].At {
		return s[0].Colour.RGB, s[0].Alpha
	}
	for i := 1; i < len(s); i++ {
		if t < s[i].At {
			k := (t - s[i-1].At) / (s[i].At - s[i-1].At)
			return s[i].Colour.RGB.Over(s[i-1].Colour.RGB, k), s[i-1].Alpha + (s[i].Alpha-s[i-1].Alpha)*k
		}
	}
	l := s[len(s)-1]
	return l.Colour.RGB, l.Alpha
}

// Offset returns where on the ramp a point of gradient space lies. ok is
// false where a radial gradient paints nothing.
func (g *Gradient) Offset(p geom.Point) (t float64, ok bool) {
	d := g.P1.Sub(g.P0)
	if !g.Radial {
		l := d.Dot(d)
		if l == 0 {
			return 1, true
		}
		return p.Sub(g.P0).Dot(d) / l, true
	}
	// The largest t with |p − (P0 + t·d)| = R0 + t·(R1−R0) ≥ 0.
	q, dr := p.Sub(g.P0), g.R1-g.R0
	a := d.Dot(d) - dr*dr
	b := q.Dot(d) + g.R0*dr
	c := q.Dot(q) - g.R0*g.R0
	if math.Abs(a) < 1e-12*max(1, dr*dr) {
		if b == 0 {
			return 0, false
		}
		t = c / (2 * b)
		return t, g.R0+t*dr >= 0
	}
	disc := b*b - a*c
	if disc < 0 {
		return 0, false
	}
	r := math.Sqrt(disc)
	t0, t1 := (b+r)/a, (b-r)/a
	if t0 < t1 {
		t0, t1 = t1, t0
	}
	if g.R0+t0*dr >= 0 {
		return t0, true
	}
	return t1, g.R0+t1*dr >= 0
}

// maxUnroll bounds how often a spread gradient is laid out again.
const maxUnroll = 200

// Unroll returns a gradient with Pad that looks the same within the box on
// the page: reflected and repeated ramps are laid out as often as needed, for
// file types that know no spread. ok is false if that would be too often.
func (g *Gradient) Unroll(box geom.Rect) (u *Gradient, ok bool) {
	if g.Spread == Pad {
		return g, true
	}
	inv, ok := g.To.Inverse()
	if !ok {
		return nil, false
	}
	lo, hi := 0.0, 1.0
	if g.Radial {
		// A ramp that grows outwards from a circle of no size begins at 0.
		far := 0.0
		for _, c := range box.Corners() {
			far = max(far, inv.Apply(c).Sub(g.P0).Len())
		}
		if grow := (g.R1 - g.R0) - g.P1.Sub(g.P0).Len(); grow > 0 {
			hi = max(hi, math.Ceil(far/grow))
		} else {
			return nil, false
		}
		if g.R0 > 0 {
			lo = -math.Ceil(g.R0 / (g.R1 - g.R0))
		}
	} else {
		for _, c := range box.Corners() {
			t, _ := g.Offset(inv.Apply(c))
			lo, hi = min(lo, math.Floor(t)), max(hi, math.Ceil(t))
		}
	}
	if hi-lo > maxUnroll || g.Radial && lo < 0 {
		return nil, false
	}
	v := *g
	v.Spread, v.Stops = Pad, nil
	d := g.P1.Sub(g.P0)
	v.P0, v.P1 = g.P0.Add(d.Mul(lo)), g.P0.Add(d.Mul(hi))
	v.R0, v.R1 = g.R0+(g.R1-g.R0)*lo, g.R0+(g.R1-g.R0)*hi
	put := func(at float64, s Stop) {
		s.At = (at - lo) / (hi - lo)
		v.Stops = append(v.Stops, s)
	}
	first, last := g.Stops[0], g.Stops[len(g.Stops)-1]
	for k := lo; k < hi; k++ {
		if g.Spread == Reflect && math.Mod(math.Abs(k), 2) == 1 {
			put(k, last)
			for i := len(g.Stops) - 1; i >= 0; i-- {
				put(k+1-g.Stops[i].At, g.Stops[i])
			}
			put(k+1, first)
			continue
		}
		put(k, first)
		for _, s := range g.Stops {
			put(k+s.At, s)
		}
		put(k+1, last)
	}
	return &v, true
}

// beyond is how far past an end of a ramp an edge on it is given room, as a share of the ramp.
const beyond = 1.0 / 16

// Inward returns a gradient that looks the same and whose colours do not leap at its very
// ends: PDF and PostScript paint what lies past an end in the colour that the function has
// there, and a function has one, not two (ISO 32000-1, section 8.7.4.5.3). Only a gradient
// with Pad has ends.
func (g *Gradient) Inward() *Gradient {
	n := len(g.Stops) - 1
	if n < 1 || g.Spread != Pad {
		return g
	}
	leaps := func(a, b Stop, end float64) bool { return a.At == end && b.At == end && a != b }
	lo, hi := 0.0, 1.0
	if leaps(g.Stops[0], g.Stops[1], 0) {
		lo = -beyond
	}
	if leaps(g.Stops[n-1], g.Stops[n], 1) {
		hi = 1 + beyond
	}
	if grow := g.R1 - g.R0; g.Radial { // no circle is smaller than a point
		if grow > 0 {
			lo = max(lo, -g.R0/grow)
		} else if grow < 0 {
			hi = min(hi, 1-g.R1/grow)
		}
	}
	if lo == 0 && hi == 1 {
		return g
	}
	v, d := *g, g.P1.Sub(g.P0)
	v.P0, v.P1 = g.P0.Add(d.Mul(lo)), g.P0.Add(d.Mul(hi))
	v.R0, v.R1 = g.R0+(g.R1-g.R0)*lo, g.R0+(g.R1-g.R0)*hi
	v.Stops = nil
	if lo < 0 {
		s := g.Stops[0]
		s.At = 0
		v.Stops = append(v.Stops, s)
	}
	for _, s := range g.Stops {
		s.At = (s.At - lo) / (hi - lo)
		v.Stops = append(v.Stops, s)
	}
	if hi > 1 {
		s := g.Stops[n]
		s.At = 1
		v.Stops = append(v.Stops, s)
	}
	return &v
}

// Mean returns the ramp's mean colour as seen on white.
func (g *Gradient) Mean() colour.RGB {
	const n = 32
	var m colour.RGB
	for i := range n {
		c, a := g.Colour((float64(i) + 0.5) / n)
		c = c.Over(colour.White, a)
		m.R, m.G, m.B = m.R+c.R/n, m.G+c.G/n, m.B+c.B/n
	}
	return m
}
