package trace

import (
	"math"
	"slices"

	"dyekit/core/geom"
)

// Art without axes may still come out the same when it is turned about its middle:
// a wheel of blades, three arms, a letter S. It is made exactly so: of borders that
// are turned into one another one is fitted and laid down for all, and one that is
// turned into itself is cut into as many pieces.

// blurred is how far from the middle, in px, borders are not compared: what runs
// together there pixels do not tell apart.
const blurred = 3

// mostTurns is the most parts of a full turn that are tried: of more a part of them
// is found.
const mostTurns = 12

// A turning is a full turn about a place in so many parts, and the work on it.
// Nothing of the borders is changed before all of it has come out.
type turning struct {
	c     geom.Point
	n     int
	b     *borders
	tol   bound
	at    []geom.Point // of the meetings
	paths []geom.Path  // of the arcs
}

// turned fits the borders of art that can be turned about one of some places; false
// if it cannot, and nothing is fitted.
func (b *borders) turned(tol bound, middles []geom.Point) bool {
	for n := mostTurns; n > 1; n-- {
		for _, c := range middles {
			t := &turning{c: c, n: n, b: b, tol: tol, paths: make([]geom.Path, len(b.arcs))}
			turn := t.by(1).Apply
			if !b.coarsely(turn) || !b.alike(turn) || !t.meetings() || !t.borders() {
				continue
			}
			for i := range b.arcs {
				b.arcs[i].path = t.paths[i]
			}
			return true
		}
	}
	return false
}

// by maps what is turned by k parts.
func (t *turning) by(k int) geom.Affine {
	return geom.Translate(t.c.X, t.c.Y).Mul(geom.Rotate(2 * math.Pi * float64(k) / float64(t.n))).Mul(geom.Translate(-t.c.X, -t.c.Y))
}

// mean is where the first of places that are images of one another lies, each turned
// by a part more than the one before.
func (t *turning) mean(ps []geom.Point) (m geom.Point) {
	for k, p := range ps {
		m = m.Add(t.by(-k).Apply(p).Mul(1 / float64(len(ps))))
	}
	return m
}

// images finds, of so many places, those into which number i is turned, itself the
// first; false if one is missing.
func (t *turning) images(i, places int, at func(int) (geom.Point, bool)) (all []int, ok bool) {
	p, _ := at(i)
	all = append(all, i)
	off := endsOff + t.b.leeway
	if p.Sub(t.c).Len() < 2*blurred {
		off *= 2
	}
	for k := 1; k < t.n; k++ {
		want, best, near := t.by(k).Apply(p), -1, off
		for j := range places {
			q, free := at(j)
			if d := q.Sub(want).Len(); free && d < near && !slices.Contains(all, j) {
				best, near = j, d
			}
		}
		if best < 0 {
			return nil, false
		}
		all = append(all, best)
	}
	return all, true
}

// meetings puts the meetings of colours where their images are, or into the middle.
func (t *turning) meetings() bool {
	old := t.b.meetings()
	t.at = make([]geom.Point, len(old))
	done := make([]bool, len(old))
	middle := false // a meeting is there
	for i, p := range old {
		if done[i] {
			continue
		}
		all, ok := t.images(i, len(old), func(j int) (geom.Point, bool) { return old[j], !done[j] })
		if !ok && !middle && p.Sub(t.c).Len() < endsOff+t.b.leeway {
			t.at[i], done[i], middle = t.c, true, true
			continue
		}
		if !ok {
			return false
		}
		ps := make([]geom.Point, t.n)
		for k, j := range all {
			ps[k] = old[j]
		}
		m := t.mean(ps)
		for k, j := range all {
			t.at[j], done[j] = t.by(k).Apply(m), true
		}
	}
	return true
}

// borders fits all arcs.
func (t *turning) borders() bool {
	for i := range t.b.arcs {
		if t.paths[i] == nil && !t.round(i) && !t.own(i) && !t.several(i) {
			return false
		}
	}
	return true
}

// points are those of an arc, its ends where the meetings are now.
func (t *turning) points(i int) []geom.Point {
	a := &t.b.arcs[i]
	if a.from.node < 0 {
		return a.ps
	}
	p, q := t.at[a.from.node], t.at[a.to.node]
	return slices.Concat([]geom.Point{p}, awayFrom(a.ps[1:len(a.ps)-1], p, q), []geom.Point{q})
}

// round fits a circle about the middle.
func (t *turning) round(i int) bool {
	a := &t.b.arcs[i]
	if a.from.node >= 0 {
		return false
	}
	e, ok := ellipse(a.ps, t.tol)
	if !ok {
		return false
	}
	box := e.Bounds()
	if box.Centre().Sub(t.c).Len() > endsOff+t.b.leeway || math.Abs(box.W()-box.H()) > 2*(bordersOff+t.b.leeway) {
		return false
	}
	r := (box.W() + box.H()) / 4
	out := geom.Ellipse(t.c, r, r)
	if out.Area()*e.Area() < 0 {
		out = out.Reverse()
	}
	t.paths[i] = out
	return true
}

// several fits an arc that is turned into others, and lays it down for them.
func (t *turning) several(i int) bool {
	a, ps := &t.b.arcs[i], t.points(i)
	ring := a.from.node < 0
	type image struct {
		arc       int
		backwards bool
	}
	all := []image{{i, false}}
	for k := 1; k < t.n; k++ {
		m := t.by(k)
		want := make([]geom.Point, len(ps))
		for j, p := range ps {
			want[j] = m.Apply(p)
		}
		found := false
		for j := range t.b.arcs {
			o := &t.b.arcs[j]
			if t.paths[j] != nil || (o.from.node < 0) != ring || slices.ContainsFunc(all, func(x image) bool { return x.arc == j }) {
				continue
			}
			same, swapped := o.left == a.left && o.right == a.right, o.left == a.right && o.right == a.left
			if !same && !swapped {
				continue
			}
			got := t.points(j)
			if !ring {
				p, q := got[0], got[len(got)-1]
				if swapped {
					p, q = q, p
				}
				if p.Sub(want[0]).Len() > 0.01 || q.Sub(want[len(want)-1]).Len() > 0.01 { // the meetings are in their places
					continue
				}
			}
			if t.beside(want, got, ring) && t.beside(got, want, ring) {
				all, found = append(all, image{j, !same}), true
				break
			}
		}
		if !found {
			return false
		}
	}
	var path geom.Path
	if ring {
		fit(ps, t.tol, &path)
	} else {
		l := &line{ps: ps}
		l.fit(t.tol, &path)
	}
	for k, x := range all {
		out := path.Transform(t.by(k))
		if x.backwards {
			out = out.Reverse()
		}
		t.paths[x.arc] = out
	}
	return true
}

// own fits an arc that is turned into itself: a ring about the middle, or one that
// leads through it from one side to the other.
func (t *turning) own(i int) bool {
	a, ps := &t.b.arcs[i], t.points(i)
	ring := a.from.node < 0
	if !ring && t.n != 2 {
		return false
	}
	want := make([]geom.Point, len(ps))
	m := t.by(1)
	for j, p := range ps {
		want[j] = m.Apply(p)
	}
	if !t.beside(want, ps, ring) || !t.beside(ps, want, ring) {
		return false
	}
	if !ring {
		return t.through(i, ps)
	}
	return t.about(i, ps)
}

// beside reports whether points lie along a border, but for those about the middle.
func (t *turning) beside(ps, border []geom.Point, ring bool) bool {
	clear := make([]geom.Point, 0, len(ps))
	for _, p := range ps {
		if p.Sub(t.c).Len() > blurred {
			clear = append(clear, p)
		}
	}
	return along(clear, border, ring, bordersOff+t.b.leeway)
}

// through fits an arc that leads through the middle: its first half, and that again.
func (t *turning) through(i int, ps []geom.Point) bool {
	mid := 0
	for k, p := range ps {
		if p.Sub(t.c).Len() < ps[mid].Sub(t.c).Len() {
			mid = k
		}
	}
	if mid == 0 || mid == len(ps)-1 {
		return false
	}
	var half geom.Path
	l := &line{ps: append(awayFrom(ps[:mid], t.c, t.c), t.c)}
	if len(l.ps) < 2 {
		return false
	}
	l.fit(t.tol, &half)
	t.paths[i] = join(half, half.Transform(t.by(1)).Reverse())
	return true
}

// about fits a ring about the middle: from one of its corners to that corner's next
// image or, if it has none, from where it is furthest from the middle: there it is
// square to the line to the middle.
func (t *turning) about(i int, ps []geom.Point) bool {
	l := &line{ps: ps, ring: true}
	l.measure()
	cs := l.corners()
	among := make([]bool, len(ps))
	from := -1
	for k, p := range ps {
		if among[k] = len(cs) == 0 || slices.Contains(cs, k); among[k] && (from < 0 || p.Sub(t.c).Len() > ps[from].Sub(t.c).Len()) {
			from = k
		}
	}
	cuts, ok := t.images(from, len(ps), func(j int) (geom.Point, bool) { return ps[j], among[j] })
	if !ok {
		return false
	}
	var whole geom.Path // in which corners are where their sides meet, not where pixels cut them off
	if len(cs) > 0 {
		l.fit(t.tol, &whole)
	}
	places := make([]geom.Point, t.n)
	for k, j := range cuts {
		places[k] = ps[j]
		best := 2 * blunt
		for _, s := range whole {
			if d := s.End().Sub(ps[j]).Len(); s.Op != geom.Close && d < best {
				places[k], best = s.End(), d
			}
		}
	}
	p := t.mean(places)
	way := 1 // its direction
	area := 0.0
	for k, q := range ps {
		area += q.Cross(ps[(k+1)%len(ps)])
	}
	if area < 0 {
		way = -1
	}
	end := cuts[(way+t.n)%t.n]
	q := t.by(way).Apply(p)
	piece := []geom.Point{}
	for k := (from + 1) % len(ps); k != end; k = (k + 1) % len(ps) {
		piece = append(piece, ps[k])
	}
	stretch := &line{ps: slices.Concat([]geom.Point{p}, awayFrom(piece, p, q), []geom.Point{q})}
	if len(cs) == 0 {
		stretch.u = p.Sub(t.c).Unit().Turn().Mul(float64(way))
		stretch.v = q.Sub(t.c).Unit().Turn().Mul(-float64(way))
	}
	var one, all geom.Path
	stretch.fit(t.tol, &one)
	for k := range t.n {
		all = join(all, one.Transform(t.by(way*k)))
	}
	if last := &all[len(all)-1]; last.Op == geom.CubeTo { // the way round ends where it began, to the bit
		last.P[2] = all[0].P[0]
	} else {
		last.P[0] = all[0].P[0]
	}
	t.paths[i] = closed(all)
	return true
}
