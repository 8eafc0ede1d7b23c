package trace

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
	"dyekit/core/island"
)

// A loop is one contour of a colour.
type loop struct {
	k     int16
	path  geom.Path
	poly  []geom.Point
	box   geom.Rect
	area  float64    // positive if the colour lies within
	in    geom.Point // a place of the colour, beside the contour
	depth int        // outer contours around it
}

// holds reports whether a point lies within the contour.
func (l *loop) holds(p geom.Point) bool {
	if p.X < l.box.X0 || p.X > l.box.X1 || p.Y < l.box.Y0 || p.Y > l.box.Y1 {
		return false
	}
	in := false
	for i, a := range l.poly {
		b := l.poly[(i+1)%len(l.poly)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < a.X+(p.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// regions makes of the arcs what is painted. A contour goes round each piece of
// a colour; holes stay open where the ground shows in them, the others are
// covered by what lies in them. What lies within other contours is painted after
// them, pieces of one colour together.
func (b *borders) regions() []Region {
	var outer, holes []*loop
	for k := range b.cs {
		if int16(k) == b.ground {
			continue
		}
		for _, l := range b.loops(int16(k)) {
			if l.area > 0 {
				outer = append(outer, l)
			} else {
				holes = append(holes, l)
			}
		}
	}
	slices.SortStableFunc(outer, func(x, y *loop) int { return cmp.Compare(y.area, x.area) })
	for i, l := range outer {
		for _, o := range outer[:i] {
			if o.area > l.area && o.holds(l.in) {
				l.depth++
			}
		}
	}
	bare := b.grounds()
	for _, h := range holes {
		if !slices.ContainsFunc(bare, h.holds) {
			continue
		}
		for i := len(outer) - 1; i >= 0; i-- { // the smallest that holds it
			if o := outer[i]; o.k == h.k && o.area > -h.area && o.holds(h.in) {
				o.path = append(o.path, h.path...)
				break
			}
		}
	}
	slices.SortStableFunc(outer, func(x, y *loop) int { return cmp.Or(cmp.Compare(x.depth, y.depth), cmp.Compare(x.k, y.k)) })
	var out []Region
	for i, l := range outer {
		if i > 0 && outer[i-1].depth == l.depth && outer[i-1].k == l.k {
			r := &out[len(out)-1]
			r.Path = append(r.Path, l.path...)
			continue
		}
		r := Region{Colour: b.colour(l.k), Path: slices.Clone(l.path)}
		if x := b.blends[l.k]; x != nil {
			r.Ramp = x.Ramp
		}
		out = append(out, r)
	}
	return out
}

// grounds are places of the ground, one of each piece of it.
func (b *borders) grounds() (out []geom.Point) {
	w := b.p.w
	on := make([]bool, len(b.l))
	for i, l := range b.l {
		on[i] = l == b.ground
	}
	for _, l := range island.Find(w, on, false, false) {
		i := l.Runs[0].From
		out = append(out, geom.Pt(float64(i%w)+0.5, float64(i/w)+0.5))
	}
	return out
}

// loops chains the arcs that have a colour on their right.
func (b *borders) loops(k int16) (out []*loop) {
	used := map[int]bool{} // 2·arc + 0 forwards, + 1 backwards
	for i := range b.arcs {
		for dir := range 2 {
			right := b.arcs[i].right
			if dir == 1 {
				right = b.arcs[i].left
			}
			if right != k || used[2*i+dir] {
				continue
			}
			l := &loop{k: k}
			for at := 2*i + dir; !used[at]; {
				used[at] = true
				a := &b.arcs[at/2]
				path, ps, to := a.path, a.ps, a.to
				if at%2 == 1 {
					path, ps, to = a.path.Reverse(), reversed(a.ps), a.from
				}
				if len(l.path) > 0 {
					path = path[1:] // it begins where the last one ended
				}
				l.path = append(l.path, path...)
				l.poly = append(l.poly, ps...)
				if to.node < 0 {
					break
				}
				// The next border anticlockwise at the meeting.
				spokes := b.nodes[to.node]
				s := to.spoke
				for {
					if s = (s + 3) % 4; spokes[s] >= 0 {
						break
					}
				}
				at = spokes[s]
			}
			if l.path[len(l.path)-1].Op != geom.Close {
				l.path.Close()
			}
			l.measure()
			if math.Abs(l.area) > 1e-6 {
				out = append(out, l)
			}
		}
	}
	return out
}

// measure finds the area and a place beside the contour.
func (l *loop) measure() {
	n := len(l.poly)
	l.box = geom.Rect{X0: math.Inf(1), Y0: math.Inf(1), X1: math.Inf(-1), Y1: math.Inf(-1)}
	long := 0.0
	for i, p := range l.poly {
		q := l.poly[(i+1)%n]
		l.area += p.Cross(q) / 2
		l.box = geom.Rect{X0: min(l.box.X0, p.X), Y0: min(l.box.Y0, p.Y), X1: max(l.box.X1, p.X), Y1: max(l.box.Y1, p.Y)}
		if d := q.Sub(p); d.Len() > long {
			long = d.Len()
			// The colour lies where x turns into y.
			l.in = p.Lerp(q, 0.5).Add(d.Unit().Turn().Mul(0.05))
		}
	}
}
