package planar

import (
	"slices"

	"dyekit/core/geom"
)

// cutOff is cut for curves that leave the view. A stretch outside is moved to
// the side of the view it lies beyond, where it bounds the same inside.
func (p *Plane) cutOff(view geom.Rect) ([]piece, error) {
	var out []piece
	curves := p.curves
	sides := int32(len(curves)) // the four sides are sources of their own
	corners := view.Corners()
	for i := range corners {
		p.curves = append(p.curves, source{geom.Curve{Op: geom.LineTo, A: corners[i], D: corners[(i+1)%4]}, -1})
	}
	for i, s := range curves {
		var from geom.Point
		var t0 float64
		first := true
		// What a curve does beyond one side is one stretch of that side: only
		// where it begins and ends counts.
		var side piece
		n := p.grid.flatten(s.c, func(t float64, to geom.Point) {
			if !first {
				wind := int8(1)
				if t0 > t {
					wind = -1
				}
				a, ta := from, t0
				for _, u := range leaves(from, to, view) {
					b, tb := from.Lerp(to, u), t0+(t-t0)*u
					q := piece{src: int32(i), layer: s.layer, wind: wind, t0: ta, t1: tb}
					q.a, q.b = p.grid.snap(clamp(a, view)), p.grid.snap(clamp(b, view))
					k := beyond(a.Lerp(b, 0.5), view)
					if k < 0 { // back in the view: the stretch beyond has ended
						out, side = q.add(side.add(out)), piece{}
					} else {
						q.src = sides + int32(k)
						q.t0, q.t1 = 0, 1 // a straight line needs no more
						if side.wind != 0 && side.src == q.src {
							side.b = q.b
						} else {
							out = side.add(out)
							side = q
						}
					}
					a, ta = b, tb
				}
			}
			from, t0, first = to, t, false
		})
		out = side.add(out)
		if len(out)+n > MaxPieces {
			return nil, ErrTooMany
		}
	}
	return out, nil
}

// leaves returns where the segment passes the lines of the view's sides, as
// shares of its length, and 1 for its end.
func leaves(a, b geom.Point, view geom.Rect) []float64 {
	us := make([]float64, 0, 5)
	pass := func(a, b, at float64) {
		if (a < at) != (b < at) {
			if u := (at - a) / (b - a); u > 0 && u < 1 {
				us = append(us, u)
			}
		}
	}
	pass(a.X, b.X, view.X0)
	pass(a.X, b.X, view.X1)
	pass(a.Y, b.Y, view.Y0)
	pass(a.Y, b.Y, view.Y1)
	slices.Sort(us)
	return append(us, 1)
}

// beyond returns the side of the view that q lies beyond, counted as its
// corners are, or -1 inside.
func beyond(q geom.Point, view geom.Rect) int {
	switch {
	case q.Y < view.Y0:
		return 0
	case q.X > view.X1:
		return 1
	case q.Y > view.Y1:
		return 2
	case q.X < view.X0:
		return 3
	}
	return -1
}

func clamp(q geom.Point, view geom.Rect) geom.Point {
	return geom.Pt(min(max(q.X, view.X0), view.X1), min(max(q.Y, view.Y0), view.Y1))
}
