package trace

import (
	"math"

	"dyekit/core/geom"
)

// side is the line along which a run comes to its end, or sets out: a place on it,
// away from where pixels cut the corner off, and its direction.
func (r *run) side(first bool) (geom.Point, geom.Point) {
	if r.straight {
		return r.p, r.d
	}
	ps := r.ps
	if !first {
		ps = reversed(ps)
	}
	k := 0
	for k < len(ps)-2 && ps[k].Sub(ps[0]).Len() < blunt {
		k++
	}
	return ps[k], ahead(ps[k:])
}

// tip is where a corner at old was before pixels cut it off: where the lines p + u
// and q + v meet. turn is the cosine between the ways into it and out of it.
func tip(old, p, u, q, v geom.Point, turn float64, curved bool) geom.Point {
	det := u.Cross(v)
	if math.Abs(det) <= 0.25 {
		return old
	}
	// Pixels cut off the more, the sharper the corner is.
	far := 0.75 / max(0.2, math.Sqrt((1+turn)/2))
	if curved {
		far = min(far, 1.2)
	} else {
		far *= 1.5
	}
	if x := p.Add(u.Mul(q.Sub(p).Cross(v) / det)); x.Sub(old).Len() < far {
		return x
	}
	return old
}

// onto is the foot of a point on the line through p in direction d.
func onto(x, p, d geom.Point) geom.Point { return p.Add(d.Mul(d.Dot(x.Sub(p)))) }

// meet moves the corners between runs to where their sides meet: pixels can only
// cut them off.
func (l *line) meet(runs []run) {
	for i := range runs {
		j := i + 1
		if j == len(runs) {
			if !l.ring {
				break
			}
			j = 0
		}
		a, b := &runs[i], &runs[j]
		p, u := a.side(false)
		q, v := b.side(true)
		old := b.ps[0]
		at := tip(old, p, u, q, v, u.Dot(v), !a.straight || !b.straight)
		a.ps[len(a.ps)-1], b.ps[0] = at, at
		if at != old {
			continue
		}
		// Too much is cut off for a corner: straight sides end where they stand, and do not
		// lean towards it.
		if a.straight {
			at = onto(old, p, u)
			a.ps[len(a.ps)-1], b.ps[0] = at, at
		}
		if b.straight {
			b.ps[0] = onto(old, q, v)
			if !a.straight {
				a.ps[len(a.ps)-1] = b.ps[0]
			}
		}
	}
	if !l.ring { // the ends stay where other borders meet them, or on their axis
		for e, w := range l.wall {
			if w == (geom.Point{}) {
				continue
			}
			r, end := &runs[0], &runs[0].ps[0]
			if e == 1 {
				r = &runs[len(runs)-1]
				end = &r.ps[len(r.ps)-1]
			}
			p, u := r.side(e == 0)
			c := w.Dot(u) // on the other side of the axis the border comes as in a mirror
			*end = tip(*end, p, u, *end, w, 1-2*c*c, !r.straight)
			if w.X == 0 {
				end.X = l.at(e * (len(l.ps) - 1)).X
			} else {
				end.Y = l.at(e * (len(l.ps) - 1)).Y
			}
		}
		return
	}
	if len(runs) == 1 {
		runs[0].ps[len(runs[0].ps)-1] = runs[0].ps[0]
	}
}

// cutOff drops the points near the ends that lie on cut corners.
func cutOff(ps []geom.Point) []geom.Point {
	n := len(ps)
	out := []geom.Point{ps[0]}
	for _, p := range ps[1 : n-1] {
		if p.Sub(ps[0]).Len() > blunt && p.Sub(ps[n-1]).Len() > blunt {
			out = append(out, p)
		}
	}
	return append(out, ps[n-1])
}
