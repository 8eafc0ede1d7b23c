package planar

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// A pt is a point of the grid, each coordinate within ±2^gridBits.
type pt struct{ x, y int32 }

// key orders points by x, then y.
func (p pt) key() uint64 { return uint64(uint32(p.x)^1<<31)<<32 | uint64(uint32(p.y)^1<<31) }

// unkey is the point of a key.
func unkey(k uint64) pt { return pt{int32(uint32(k>>32) ^ 1<<31), int32(uint32(k) ^ 1<<31)} }

// orient is twice the area of the triangle a, b, p: positive where p lies on
// the side of a→b to which x turns into y. It is exact: differences have at
// most 28 bits.
func orient(a, b, p pt) int64 {
	return int64(b.x-a.x)*int64(p.y-a.y) - int64(b.y-a.y)*int64(p.x-a.x)
}

// A grid maps the page to grid points: k grid units to a page unit, o the
// page's point at the origin.
type grid struct {
	k float64
	o geom.Point
}

func (g grid) snap(p geom.Point) pt {
	return pt{int32(math.RoundToEven((p.X - g.o.X) * g.k)), int32(math.RoundToEven((p.Y - g.o.Y) * g.k))}
}

func (g grid) point(p pt) geom.Point {
	return geom.Point{X: float64(p.x)/g.k + g.o.X, Y: float64(p.y)/g.k + g.o.Y}
}

// A piece is a straight bit of a curve between grid points, a before b.
type piece struct {
	a, b   pt
	t0, t1 float64 // parameters of the curve at a and b
	src    int32
	layer  int32
	wind   int8 // +1 where the layer's path runs from a to b, else -1
}

// add appends a piece unless it has no length, turning it to run from the
// lesser point.
func (q piece) add(to []piece) []piece {
	switch ka, kb := q.a.key(), q.b.key(); {
	case ka == kb:
		return to
	case ka > kb:
		q.a, q.b, q.t0, q.t1, q.wind = q.b, q.a, q.t1, q.t0, -q.wind
	}
	return append(to, q)
}

// sort brings curves near each other in the plane near each other in the
// list (Morton order of their middles), which makes the boxes of the tree
// small. The order among equals stays.
func (g grid) sort(cs []source, box geom.Rect) {
	keys := make([]keyed, len(cs))
	for i, s := range cs {
		m := g.snap(clamp(hull(s.c).Centre(), box))
		keys[i] = keyed{spread(uint32(m.x)^1<<31) | spread(uint32(m.y)^1<<31)<<1, int32(i)}
	}
	sortKeys(keys)
	old := slices.Clone(cs)
	for i, k := range keys {
		cs[i] = old[k.i]
	}
}

// spread puts the bits of v at the even places.
func spread(v uint32) uint64 {
	x := uint64(v)
	x = (x | x<<16) & 0x0000ffff0000ffff
	x = (x | x<<8) & 0x00ff00ff00ff00ff
	x = (x | x<<4) & 0x0f0f0f0f0f0f0f0f
	x = (x | x<<2) & 0x3333333333333333
	return (x | x<<1) & 0x5555555555555555
}

// cut flattens all curves. A curve is always walked from its lesser end, so
// that the same curve run backwards gives the same pieces.
func (p *Plane) cut() ([]piece, error) {
	most := 0
	for _, s := range p.curves {
		most += p.grid.steps(s.c)
	}
	if most > MaxPieces {
		return nil, ErrTooMany
	}
	out := make([]piece, 0, most)
	for i, s := range p.curves {
		q := piece{src: int32(i), layer: s.layer}
		first := true
		p.grid.flatten(s.c, func(t float64, at geom.Point) {
			q.a, q.t0, q.b, q.t1 = q.b, q.t1, p.grid.snap(at), t
			if first {
				first = false
				return
			}
			if q.a == q.b { // shorter than the grid: part of the next piece
				q.t1 = q.t0
				return
			}
			q.wind = 1
			if q.t0 > q.t1 {
				q.wind = -1
			}
			out = q.add(out)
		})
	}
	return out, nil
}

// flatten calls f with points of the curve and their parameters, from its
// lesser end to its greater, and returns the number of pieces.
func (g grid) flatten(c geom.Curve, f func(t float64, at geom.Point)) int {
	back := after(c)
	if back {
		c.A, c.D = c.D, c.A
		if c.Op == geom.CubeTo {
			c.B, c.C = c.C, c.B
		}
	}
	n := g.steps(c)
	for j := 0; j <= n; j++ {
		t := float64(j) / float64(n)
		at := c.D
		if j < n {
			at = c.At(t)
		}
		if back {
			t = 1 - t
		}
		f(t, at)
	}
	return n
}

// after reports whether the curve runs against the order of points.
func after(c geom.Curve) bool {
	cmpPt := func(p, q geom.Point) int { return cmp.Or(cmp.Compare(p.X, q.X), cmp.Compare(p.Y, q.Y)) }
	d := cmpPt(c.A, c.D)
	if d == 0 && c.Op == geom.CubeTo {
		d = cmpPt(c.B, c.C)
	}
	return d > 0
}

// steps is the number of equal parameter steps whose chords stay within the
// tolerance (Wang's bound). A small curve gets at least the steps that keep
// its chords within 1/250 of its own size.
func (g grid) steps(c geom.Curve) int {
	var m float64
	switch c.Op {
	case geom.QuadTo:
		m = 2 * c.A.Sub(c.B.Mul(2)).Add(c.D).Len()
	case geom.CubeTo:
		m = 6 * max(c.A.Sub(c.B.Mul(2)).Add(c.C).Len(), c.B.Sub(c.C.Mul(2)).Add(c.D).Len())
	default:
		return 1
	}
	h := hull(c)
	tol := min(float64(1<<gridBits)*chord/g.k, (h.W()+h.H())/250)
	n := math.Ceil(math.Sqrt(m / (8 * tol)))
	if !(n > 1) {
		return 1
	}
	return int(min(n, 4096))
}
