// Package geom is plane geometry for drawings: points, affine maps, boxes,
// paths made of lines and Bézier curves, and the outlines of strokes.
//
// Everything is float64 in page units (1 unit = 1 CSS px = 1/96 in) with y
// growing downwards, as in SVG. Nothing in here knows colours, files or
// pixels; those belong to drawing, export and raster.
package geom

import "math"

// A Point is a place, or a vector, in the plane.
type Point struct{ X, Y float64 }

// Pt is shorthand for Point{x, y}.
func Pt(x, y float64) Point { return Point{x, y} }

func (p Point) Add(q Point) Point     { return Point{p.X + q.X, p.Y + q.Y} }
func (p Point) Sub(q Point) Point     { return Point{p.X - q.X, p.Y - q.Y} }
func (p Point) Mul(k float64) Point   { return Point{p.X * k, p.Y * k} }
func (p Point) Dot(q Point) float64   { return p.X*q.X + p.Y*q.Y }
func (p Point) Cross(q Point) float64 { return p.X*q.Y - p.Y*q.X }

// Len is the distance from the origin.
func (p Point) Len() float64 {
	// Hypot minds squares that are no numbers, and takes four times as long.
	if d := p.X*p.X + p.Y*p.Y; d > 1e-280 && d < 1e280 {
		return math.Sqrt(d)
	}
	return math.Hypot(p.X, p.Y)
}

func (p Point) Lerp(q Point, t float64) Point {
	return Point{p.X + (q.X-p.X)*t, p.Y + (q.Y-p.Y)*t}
}

// Turn returns p turned by a quarter, x axis towards y axis.
func (p Point) Turn() Point { return Point{-p.Y, p.X} }

// Unit returns p scaled to length 1, or the zero vector if p has no length.
func (p Point) Unit() Point {
	l := p.Len()
	if l == 0 || math.IsInf(l, 0) || math.IsNaN(l) {
		return Point{}
	}
	return Point{p.X / l, p.Y / l}
}

// Finite reports whether both coordinates are ordinary numbers.
func (p Point) Finite() bool {
	return !math.IsNaN(p.X) && !math.IsNaN(p.Y) && !math.IsInf(p.X, 0) && !math.IsInf(p.Y, 0)
}

// A Rect is the box [X0, X1] × [Y0, Y1]. The zero Rect is empty; so is any
// with X1 <= X0 or Y1 <= Y0.
type Rect struct{ X0, Y0, X1, Y1 float64 }

func (r Rect) W() float64    { return r.X1 - r.X0 }
func (r Rect) H() float64    { return r.Y1 - r.Y0 }
func (r Rect) Empty() bool   { return !(r.X1 > r.X0 && r.Y1 > r.Y0) }
func (r Rect) Area() float64 { return max(0, r.W()) * max(0, r.H()) }
func (r Rect) Centre() Point { return Point{(r.X0 + r.X1) / 2, (r.Y0 + r.Y1) / 2} }

// Long is the longer side.
func (r Rect) Long() float64 { return max(r.W(), r.H()) }

// Grow moves each side outwards by d.
func (r Rect) Grow(d float64) Rect { return Rect{r.X0 - d, r.Y0 - d, r.X1 + d, r.Y1 + d} }

// Union returns the smallest box that holds both; an empty box adds nothing.
func (r Rect) Union(s Rect) Rect {
	if r.Empty() {
		return s
	}
	if s.Empty() {
		return r
	}
	return Rect{min(r.X0, s.X0), min(r.Y0, s.Y0), max(r.X1, s.X1), max(r.Y1, s.Y1)}
}

// Intersect returns what both have in common, perhaps an empty box.
func (r Rect) Intersect(s Rect) Rect {
	t := Rect{max(r.X0, s.X0), max(r.Y0, s.Y0), min(r.X1, s.X1), min(r.Y1, s.Y1)}
	if t.Empty() {
		return Rect{}
	}
	return t
}

// Contains reports whether s lies within r, allowing slack on every side.
func (r Rect) Contains(s Rect, slack float64) bool {
	return s.X0 >= r.X0-slack && s.Y0 >= r.Y0-slack && s.X1 <= r.X1+slack && s.Y1 <= r.Y1+slack
}

// Corners returns the four corners in order round the box.
func (r Rect) Corners() [4]Point {
	return [4]Point{{r.X0, r.Y0}, {r.X1, r.Y0}, {r.X1, r.Y1}, {r.X0, r.Y1}}
}

// An Affine maps (x, y) to (A·x + C·y + E, B·x + D·y + F), the order of SVG's
// matrix(a b c d e f). The zero Affine collapses everything; start from
// Identity.
type Affine struct{ A, B, C, D, E, F float64 }

// Identity leaves every point where it is.
var Identity = Affine{A: 1, D: 1}

func Translate(x, y float64) Affine { return Affine{1, 0, 0, 1, x, y} }
func Scale(x, y float64) Affine     { return Affine{x, 0, 0, y, 0, 0} }

// Rotate turns by the angle in radians, x axis towards y axis.
func Rotate(a float64) Affine {
	s, c := math.Sincos(a)
	return Affine{c, s, -s, c, 0, 0}
}

// Mul returns the map that applies n first and m after it.
func (m Affine) Mul(n Affine) Affine {
	return Affine{
		m.A*n.A + m.C*n.B, m.B*n.A + m.D*n.B,
		m.A*n.C + m.C*n.D, m.B*n.C + m.D*n.D,
		m.A*n.E + m.C*n.F + m.E, m.B*n.E + m.D*n.F + m.F,
	}
}

// Apply maps a point.
func (m Affine) Apply(p Point) Point {
	return Point{m.A*p.X + m.C*p.Y + m.E, m.B*p.X + m.D*p.Y + m.F}
}

// Vec maps a vector, leaving the translation out.
func (m Affine) Vec(p Point) Point { return Point{m.A*p.X + m.C*p.Y, m.B*p.X + m.D*p.Y} }

// Det is the factor by which the map scales areas, negative if it mirrors.
func (m Affine) Det() float64 { return m.A*m.D - m.B*m.C }

// Mean is the mean scale of lengths: the square root of the area factor.
func (m Affine) Mean() float64 { return math.Sqrt(math.Abs(m.Det())) }

// Inverse returns the map back; ok is false if m collapses the plane.
func (m Affine) Inverse() (inv Affine, ok bool) {
	d := m.Det()
	if d == 0 || math.IsNaN(d) || math.IsInf(d, 0) || math.IsInf(1/d, 0) {
		return Affine{}, false
	}
	return Affine{
		m.D / d, -m.B / d, -m.C / d, m.A / d,
		(m.C*m.F - m.D*m.E) / d, (m.B*m.E - m.A*m.F) / d,
	}, true
}

// Rect returns the box round the image of r.
func (m Affine) Rect(r Rect) Rect {
	if r.Empty() {
		return Rect{}
	}
	var b bounds
	for _, c := range r.Corners() {
		b.add(m.Apply(c))
	}
	return b.rect()
}

// bounds gathers points into a box. Its zero value holds nothing.
type bounds struct {
	r    Rect
	some bool
}

func (b *bounds) add(p Point) {
	if !b.some {
		b.r, b.some = Rect{p.X, p.Y, p.X, p.Y}, true
		return
	}
	b.r.X0, b.r.X1 = min(b.r.X0, p.X), max(b.r.X1, p.X)
	b.r.Y0, b.r.Y1 = min(b.r.Y0, p.Y), max(b.r.Y1, p.Y)
}

func (b *bounds) holds(p Point) bool {
	return b.some && p.X >= b.r.X0 && p.X <= b.r.X1 && p.Y >= b.r.Y0 && p.Y <= b.r.Y1
}

func (b *bounds) rect() Rect { return b.r }
