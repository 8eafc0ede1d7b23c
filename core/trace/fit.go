package trace

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"dyekit/core/geom"
)

const (
	reach = 3.5 // px of border over which a direction is taken
	blunt = 1.2 // px near a corner that pixels cut off
)

// fit gives an arc its curves.
func (a *arc) fit(tol bound) {
	switch {
	case a.oval != nil:
		a.path = a.oval.path()
	case a.from.node >= 0:
		l := &line{ps: a.ps}
		l.fit(tol, &a.path)
	default:
		fit(a.ps, tol, &a.path)
	}
}

// fit appends a closed polygon as curves: an ellipse if it is one, or pieces
// between corners.
func fit(poly []geom.Point, tol bound, out *geom.Path) {
	if e, ok := ellipse(poly, tol); ok {
		*out = append(*out, e...)
		return
	}
	l := &line{ps: poly, ring: true}
	l.fit(tol, out)
	out.Close()
}

// A line is a border: a ring, or a stretch with two ends.
type line struct {
	ps   []geom.Point
	ring bool
	u, v geom.Point    // directions at the ends, both into the border; zero if they are free
	wall [2]geom.Point // direction of the axis that a corner at an end lies on; zero for none
	far  []float64     // length of the border up to each point; one more for a ring
}

// at is a point by its number, round a ring or held at the ends.
func (l *line) at(i int) geom.Point {
	n := len(l.ps)
	if l.ring {
		return l.ps[((i%n)+n)%n]
	}
	return l.ps[min(max(i, 0), n-1)]
}

// measure makes the table of lengths.
func (l *line) measure() {
	n := len(l.ps)
	l.far = make([]float64, n, n+1)
	for i := 1; i < n; i++ {
		l.far[i] = l.far[i-1] + l.ps[i].Sub(l.ps[i-1]).Len()
	}
	if l.ring {
		l.far = append(l.far, l.far[n-1]+l.ps[0].Sub(l.ps[n-1]).Len())
	}
}

// along is the place at a length of border from point i, either way.
func (l *line) along(i int, d float64) geom.Point {
	n, whole := len(l.ps), l.far[len(l.far)-1]
	at := l.far[i] + d
	if l.ring {
		at = math.Mod(at, whole)
		if at < 0 {
			at += whole
		}
	}
	at = min(max(at, 0), whole)
	k := sort.SearchFloat64s(l.far, at)
	if k == 0 {
		return l.ps[0]
	}
	k = min(k, len(l.far)-1)
	a, b := l.far[k-1], l.far[k]
	p, q := l.ps[k-1], l.ps[k%n]
	if b == a {
		return q
	}
	return p.Lerp(q, (at-a)/(b-a))
}

// turn is how much the border turns at point i, in radians: between what lies
// from near to far before it and what lies so after it.
func (l *line) turn(i int, near, far float64) float64 {
	u := l.along(i, -near).Sub(l.along(i, -far))
	v := l.along(i, far).Sub(l.along(i, near))
	return math.Abs(math.Atan2(u.Cross(v), u.Dot(v)))
}

// A bend is a corner if it turns by so much, within a pixel or two: seen from
// further off it turns hardly more. An arc, seen from twice as far, turns twice as
// much.
const (
	corner   = 0.55 // radians, some 32°
	sudden   = 0.70 // of the turn that is seen from further off
	acute    = 1.7  // radians from which small pieces have corners in any case
	smallish = 26   // px round small pieces
)

// corners returns the points where the direction turns sharply, each the
// sharpest of those near it; the ends of a stretch are among them.
func (l *line) corners() []int {
	n := len(l.ps)
	whole := l.far[len(l.far)-1]
	turn := make([]float64, n)
	for i := range l.ps {
		if l.ring || i > 0 && i < n-1 {
			turn[i] = l.turn(i, 0.8, 2.6)
		}
	}
	// Near an end there is no corner but the end; at an axis, of which a corner is cut
	// in two, not as far as pixels cut it off.
	room := [2]float64{1.5, 1.5}
	for e, w := range l.wall {
		if w != (geom.Point{}) {
			room[e] = 3
		}
	}
	var cs []int
	for i := range l.ps {
		if !l.ring && (i == 0 || i == n-1) {
			cs = append(cs, i)
			continue
		}
		t := turn[i]
		if t < corner || !l.ring && (l.far[i] < room[0] || whole-l.far[i] < room[1]) {
			continue
		}
		if t < sudden*l.turn(i, 2.4, 5) && !(t > acute && whole < smallish) {
			continue
		}
		best := true
		for _, step := range []int{1, -1} {
			for k := 1; k < n/2 && best; k++ {
				j := i + step*k
				if !l.ring && (j < 0 || j >= n) {
					break
				}
				if j = ((j % n) + n) % n; l.ps[j].Sub(l.ps[i]).Len() > 2.4 {
					break
				}
				best = turn[j] < t || turn[j] == t && step > 0
			}
		}
		if best {
			cs = append(cs, i)
		}
	}
	return cs
}

// A run is what lies between two corners.
type run struct {
	ps       []geom.Point
	straight bool
	p, d     geom.Point // of the straight line: a point and the direction
}

// fit cuts the border at its corners and appends curves, beginning with MoveTo.
func (l *line) fit(tol bound, out *geom.Path) {
	l.measure()
	cs := l.corners()
	if l.ring && len(cs) == 0 {
		// Round all the way: begin where it is straightest, with the same
		// direction at both ends.
		k := l.straightest()
		ring := l.from(k)
		d := l.at(k + 2).Sub(l.at(k - 2)).Unit()
		if ss := straights(ring, tol); len(ss) > 0 { // or where a straight stretch begins
			s := slices.MaxFunc(ss, func(a, b rule) int { return cmp.Compare(a.to-a.from, b.to-b.from) })
			ring = l.from(k + s.from)
			ring[0] = s.foot(ring[0])
			ring[len(ring)-1] = ring[0]
			d = s.d
		}
		out.MoveTo(ring[0])
		smooth(ring, d, d.Mul(-1), tol, out)
		return
	}
	n := len(l.ps)
	var runs []run
	for i, a := range cs {
		if !l.ring && i == len(cs)-1 {
			break
		}
		b := cs[(i+1)%len(cs)]
		if b <= a {
			b += n
		}
		r := run{}
		for k := a; k <= b; k++ {
			r.ps = append(r.ps, l.at(k))
		}
		r.line(tol)
		runs = append(runs, r)
	}
	l.meet(runs)
	out.MoveTo(runs[0].ps[0])
	for i := range runs {
		r := &runs[i]
		ps := r.ps
		if i > 0 && ps[0] != out.Last() {
			out.LineTo(ps[0]) // a corner that is cut off
		}
		if r.straight || len(ps) == 2 {
			out.LineTo(ps[len(ps)-1])
			continue
		}
		ps = cutOff(ps)
		u, v := ahead(ps), ahead(reversed(ps))
		if i == 0 && l.u != (geom.Point{}) {
			u = l.u
		}
		if i == len(runs)-1 && l.v != (geom.Point{}) {
			v = l.v
		}
		smooth(ps, u, v, tol, out)
	}
}

// line tells whether a run is straight but for its cut corners, and where the
// line lies; one that is almost upright or level is.
func (r *run) line(tol bound) {
	n := len(r.ps)
	a, b := r.ps[0], r.ps[n-1]
	var mean geom.Point
	var in []geom.Point
	for _, p := range r.ps {
		if p.Sub(a).Len() > blunt && p.Sub(b).Len() > blunt {
			in = append(in, p)
			mean = mean.Add(p)
		}
	}
	if len(in) < 2 {
		r.straight = b.Sub(a).Len() < 3*blunt || n == 2
		r.p, r.d = a, b.Sub(a).Unit()
		return
	}
	mean = mean.Mul(1 / float64(len(in)))
	var xx, xy, yy float64
	for _, p := range in {
		d := p.Sub(mean)
		xx, xy, yy = xx+d.X*d.X, xy+d.X*d.Y, yy+d.Y*d.Y
	}
	t := math.Atan2(2*xy, xx-yy) / 2
	d := geom.Pt(math.Cos(t), math.Sin(t))
	if d.Dot(b.Sub(a)) < 0 {
		d = d.Mul(-1)
	}
	long := in[len(in)-1].Sub(in[0]).Len()
	if near := 0.4 / max(long, 1); math.Abs(d.X) < near && long > 4 {
		d = geom.Pt(0, math.Copysign(1, d.Y))
	} else if math.Abs(d.Y) < near && long > 4 {
		d = geom.Pt(math.Copysign(1, d.X), 0)
	}
	slack := max(0.16, 0.8*tol.off)
	for _, p := range in {
		if math.Abs(d.Cross(p.Sub(mean))) > slack {
			return
		}
	}
	r.straight, r.p, r.d = true, mean, d
}

// from is a ring from point k on, back to it.
func (l *line) from(k int) []geom.Point {
	n := len(l.ps)
	out := make([]geom.Point, 0, n+1)
	for i := range n + 1 {
		out = append(out, l.ps[(k+i)%n])
	}
	return out
}

// straightest is the point of a ring around which it bends least.
func (l *line) straightest() int {
	best, most := 0, math.Inf(-1)
	for i := range l.ps {
		if t := -l.turn(i, 0.5, 5); t > most {
			best, most = i, t
		}
	}
	return best
}

func reversed(ps []geom.Point) []geom.Point {
	out := make([]geom.Point, len(ps))
	for i, p := range ps {
		out[len(ps)-1-i] = p
	}
	return out
}

// ahead is the direction in which points set out, over a few pixels.
func ahead(ps []geom.Point) geom.Point {
	for _, p := range ps[1:] {
		if d := p.Sub(ps[0]); d.Len() > reach*0.6 {
			return d.Unit()
		}
	}
	return ps[len(ps)-1].Sub(ps[0]).Unit()
}

// smooth fits points without corners: lines where they are straight, and between them as few
// cubics as reach along them within tol. u and v are the directions at the ends, both into
// the border.
func smooth(ps []geom.Point, u, v geom.Point, tol bound, out *geom.Path) {
	from := 0
	ps = slices.Clone(ps)
	for _, s := range straights(ps, tol) {
		if s.from > 0 {
			ps[s.from] = s.foot(ps[s.from])
			curved(ps[from:s.from+1], u, s.d.Mul(-1), tol, out)
		}
		if s.to < len(ps)-1 {
			ps[s.to] = s.foot(ps[s.to])
		}
		out.LineTo(ps[s.to])
		from, u = s.to, s.d
	}
	if from < len(ps)-1 {
		curved(ps[from:], u, v, tol, out)
	}
}

// curved fits points that are nowhere straight for long.
func curved(ps []geom.Point, u, v geom.Point, tol bound, out *geom.Path) {
	n := len(ps)
	for from := 0; from < n-1; {
		dir := u
		if from > 0 {
			dir = tangent(ps, from)
		}
		to, c := longest(ps, from, dir, v, tol)
		if flat(c, 0.5*tol.off) {
			out.LineTo(c.D)
		} else {
			out.CubeTo(c.B, c.C, c.D)
		}
		from = to
	}
}

// tangent is the direction of the border at a point, from a little before it to
// a little after.
func tangent(ps []geom.Point, i int) geom.Point {
	a, b := i, i
	for a > 0 && ps[i].Sub(ps[a]).Len() < reach*0.7 {
		a--
	}
	for b < len(ps)-1 && ps[b].Sub(ps[i]).Len() < reach*0.7 {
		b++
	}
	return ps[b].Sub(ps[a]).Unit()
}

// longest finds how far one cubic goes from a point.
func longest(ps []geom.Point, from int, u, v geom.Point, tol bound) (to int, c geom.Curve) {
	n := len(ps)
	try := func(to int) (geom.Curve, bool) {
		w := v
		if to < n-1 {
			w = tangent(ps, to).Mul(-1)
		}
		return one(ps[from:to+1], u, w, tol)
	}
	if c, ok := try(n - 1); ok {
		return n - 1, c
	}
	lo, step := from+1, 4
	c = geom.Curve{Op: geom.CubeTo, A: ps[from], B: ps[from], C: ps[lo], D: ps[lo]}
	for hi := from + 1 + step; hi < n-1; hi = lo + step {
		d, ok := try(hi)
		if !ok {
			break
		}
		lo, c = hi, d
		step *= 2
	}
	// Between what goes and what does not, halve.
	for hi := min(n-1, lo+step); hi-lo > 1; {
		mid := (lo + hi) / 2
		if d, ok := try(mid); ok {
			lo, c = mid, d
		} else {
			hi = mid
		}
	}
	// A small rest is worth a little of the bound.
	const rest, more = 0.25, 1.4
	if float64(n-1-lo) < rest*float64(n-1-from) {
		if c, ok := one(ps[from:], u, v, bound{more * tol.off, tol.few}); ok {
			return n - 1, c
		}
	}
	return lo, c
}

// flat reports whether a cubic is as good as a line.
func flat(c geom.Curve, slack float64) bool {
	d := c.D.Sub(c.A).Unit()
	return math.Abs(d.Cross(c.B.Sub(c.A))) < slack && math.Abs(d.Cross(c.C.Sub(c.A))) < slack
}
