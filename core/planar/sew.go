package planar

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// A run is a stretch of a boundary along one curve.
type run struct {
	src      int32
	t0, t1   float64 // falling where the curve is walked backwards
	v0, v1   int32
	p0, p1   geom.Point
	straight bool
}

// sew appends a walk as curves: arcs of one source make one run, and runs
// meet where their curves truly do.
func (p *Plane) sew(walk []arc, open bool, out *geom.Path) {
	rs := p.bridge(p.runs(walk, open))
	if len(rs) == 0 {
		return
	}
	for i := range rs {
		if i < len(rs)-1 || !open {
			j := (i + 1) % len(rs)
			at := p.place(rs[i].v1)
			rs[i].p1, rs[j].p0 = at, at
		}
	}
	if last := &rs[len(rs)-1]; open {
		rs[0].p0, last.p1 = p.place(rs[0].v0), p.place(last.v1)
	}
	rs = p.tidy(rs, open)
	if len(rs) == 0 || !open && len(rs) == 1 && rs[0].straight {
		return
	}
	out.MoveTo(rs[0].p0)
	for i, r := range rs {
		if r.straight {
			if i < len(rs)-1 || open {
				out.LineTo(r.p1)
			}
			continue
		}
		switch c := p.part(r); c.Op {
		case geom.QuadTo:
			out.QuadTo(c.B, c.D)
		case geom.CubeTo:
			out.CubeTo(c.B, c.C, c.D)
		default:
			out.LineTo(c.D)
		}
	}
	if !open {
		out.Close()
	}
}

// runs groups the arcs of a walk; a closed one begins where a run begins.
func (p *Plane) runs(walk []arc, open bool) []run {
	breaks := func(i int) bool {
		a, b := walk[(i+len(walk)-1)%len(walk)], walk[i]
		return !p.follows(a, b)
	}
	start := 0
	for !open && start < len(walk) && !breaks(start) {
		start++
	}
	var rs []run
	for k := range walk {
		i := (start + k) % len(walk)
		a := walk[i]
		t0, t1 := p.params(a)
		if k > 0 && !breaks(i) {
			r := &rs[len(rs)-1]
			r.t1, r.v1 = t1, p.to(a)
			continue
		}
		src := p.edges[a.e].src
		rs = append(rs, run{src: src, t0: t0, t1: t1, v0: p.from(a), v1: p.to(a), straight: p.curves[src].c.Op == geom.LineTo})
	}
	return rs
}

// follows reports whether arc b goes on where a ends on the same curve.
func (p *Plane) follows(a, b arc) bool {
	if p.edges[a.e].src != p.edges[b.e].src {
		return false
	}
	a0, a1 := p.params(a)
	b0, b1 := p.params(b)
	if (a1 > a0) != (b1 > b0) {
		return false
	}
	if math.Abs(b0-a1) < 1e-9 {
		return true
	}
	// Bits shorter than the grid may be missing in between, but no loop.
	c := p.curves[p.edges[a.e].src].c
	near := 8 / p.grid.k
	m := c.At((a1 + b0) / 2)
	return math.Abs(b0-a1) < 0.25 && m.Sub(c.At(a1)).Len() < near && m.Sub(c.At(b0)).Len() < near
}

// bridge joins runs of one curve that are parted by short runs along curves
// which lie on it: the same line drawn with other points.
func (p *Plane) bridge(rs []run) []run {
	const ahead = 8
	for i := 0; i < len(rs); i++ {
		for n := min(ahead, len(rs)-1-i); n > 1; n-- {
			a, b := rs[i], rs[i+n]
			if a.src != b.src || (a.t1 > a.t0) != (b.t1 > b.t0) || (b.t0 > a.t1) != (a.t1 > a.t0) {
				continue
			}
			if p.along(p.curves[a.src].c, a.t1, b.t0, rs[i+1:i+n]) {
				rs[i].t1, rs[i].v1 = b.t1, b.v1
				rs = append(rs[:i+1], rs[i+n+1:]...)
				i--
				break
			}
		}
	}
	return rs
}

// along reports whether the runs lie on the curve between two parameters: no
// point of either is further than Sliver from the other.
func (p *Plane) along(c geom.Curve, t0, t1 float64, rs []run) bool {
	near := Sliver * p.Long()
	var line []geom.Point
	for _, r := range rs {
		o := p.curves[r.src].c
		for i := range 4 {
			line = append(line, o.At(r.t0+(r.t1-r.t0)*float64(i)/4))
		}
	}
	line = append(line, p.grid.point(p.points[rs[len(rs)-1].v1]))
	var arc []geom.Point
	for i := range 17 {
		arc = append(arc, c.At(t0+(t1-t0)*float64(i)/16))
	}
	return within(line, arc, near) && within(arc, line, near)
}

// within reports whether every point lies near the line.
func within(points, line []geom.Point, near float64) bool {
	for _, q := range points {
		best := math.Inf(1)
		for j := 1; j < len(line); j++ {
			best = min(best, distance(q, line[j-1], line[j]))
		}
		if best > near {
			return false
		}
	}
	return true
}

// distance is that of q from the segment from a to b.
func distance(q, a, b geom.Point) float64 {
	d := b.Sub(a)
	if l := d.Dot(d); l > 0 {
		a = a.Add(d.Mul(min(max(q.Sub(a).Dot(d)/l, 0), 1)))
	}
	return q.Sub(a).Len()
}

// foot finds the parameter near t at which the curve comes nearest to q.
func foot(c geom.Curve, t float64, q geom.Point) float64 {
	for range 6 {
		d := c.Deriv(t)
		l := d.Dot(d)
		if l == 0 {
			break
		}
		t = min(max(t-c.At(t).Sub(q).Dot(d)/l, 0), 1)
	}
	return t
}

// place returns where a vertex truly is. It is asked again for each boundary that
// comes by, in any order, and looks at all curves that end or cross there whether
// they are of that boundary or not: so neighbours have no gap, and the same plane
// gives the same paths.
func (p *Plane) place(v int32) geom.Point {
	p.mu.Lock()
	q, ok := p.joint[v]
	p.mu.Unlock()
	if ok {
		return q
	}
	q = p.crossing(v)
	p.mu.Lock()
	p.joint[v] = q
	p.mu.Unlock()
	return q
}

// A passing is a curve that comes to a vertex, and its parameter there.
type passing struct {
	src int32
	t   float64
}

// passings lists the curves at a vertex, in their order.
func (p *Plane) passings(v int32) []passing {
	var ps []passing
	at, _ := slices.BinarySearchFunc(p.edges, v, func(e edge, v int32) int { return cmp.Compare(e.a, v) })
	for ; at < len(p.edges) && p.edges[at].a == v; at++ {
		ps = append(ps, passing{p.edges[at].src, p.edges[at].t0})
	}
	at, _ = slices.BinarySearchFunc(p.ending, v, func(e, v int32) int { return cmp.Compare(p.edges[e].b, v) })
	for ; at < len(p.ending) && p.edges[p.ending[at]].b == v; at++ {
		e := &p.edges[p.ending[at]]
		ps = append(ps, passing{e.src, e.t1})
	}
	slices.SortFunc(ps, func(a, b passing) int { return cmp.Or(cmp.Compare(a.src, b.src), cmp.Compare(a.t, b.t)) })
	return slices.Compact(ps)
}

// crossing finds the place on the true curves: an end of the first that ends
// there, or of the places where two cross that nearest to the grid point. Curves that
// only touch have no such place within reach; then the grid point serves.
func (p *Plane) crossing(v int32) geom.Point {
	at, near := p.grid.point(p.points[v]), 4/p.grid.k
	ps := p.passings(v)
	for _, e := range ps {
		c := p.curves[e.src].c
		if e.t == 0 && c.A.Sub(at).Len() < near {
			return c.A
		}
		if e.t == 1 && c.D.Sub(at).Len() < near {
			return c.D
		}
	}
	place, best := at, 8*chord*p.Long()
	ps = ps[:min(len(ps), crossers)]
	for i, a := range ps {
		for _, b := range ps[i+1:] {
			if q, ok := p.cross(a, b); ok && q.Sub(at).Len() <= best {
				place, best = q, q.Sub(at).Len()
			}
		}
	}
	return place
}

// crossers is how many of the curves at a vertex are tried, each with each.
const crossers = 8

// cross finds where two curves cross near their parameters, by Newton's method.
func (p *Plane) cross(a, b passing) (q geom.Point, ok bool) {
	ca, cb := p.curves[a.src].c, p.curves[b.src].c
	s, t := a.t, b.t
	for range 12 {
		d := cb.At(t).Sub(ca.At(s))
		da, db := ca.Deriv(s), cb.Deriv(t)
		det := da.Cross(db)
		if math.Abs(det) < 1e-6*da.Len()*db.Len() || det == 0 {
			return q, false
		}
		s, t = s+d.Cross(db)/det, t+d.Cross(da)/det
		if s < -0.1 || s > 1.1 || t < -0.1 || t > 1.1 {
			return q, false
		}
	}
	q = ca.At(s)
	return q, q.Sub(cb.At(t)).Len() <= 4/p.grid.k/16
}

// part returns the curve of a run, its ends moved to where the run begins and
// ends and its controls with them.
func (p *Plane) part(r run) geom.Curve {
	c := p.curves[r.src].c
	t0, t1 := settled(c, r.t0, r.p0), settled(c, r.t1, r.p1)
	if math.Abs(t1-t0) < 1e-12 || c.Op == geom.LineTo {
		return geom.Curve{Op: geom.LineTo, A: r.p0, D: r.p1}
	}
	s := c.Sub(min(t0, t1), max(t0, t1))
	if t0 > t1 {
		s.A, s.D = s.D, s.A
		if s.Op == geom.CubeTo {
			s.B, s.C = s.C, s.B
		}
	}
	d0, d1 := r.p0.Sub(s.A), r.p1.Sub(s.D)
	if s.Op == geom.CubeTo {
		s.B, s.C = s.B.Add(d0), s.C.Add(d1)
	} else {
		s.B = s.B.Add(d0.Add(d1).Mul(0.5))
	}
	s.A, s.D = r.p0, r.p1
	return s
}

// settled is foot, unless that runs away.
func settled(c geom.Curve, t float64, q geom.Point) float64 {
	if u := foot(c, t, q); math.Abs(u-t) < 0.1 {
		return u
	}
	return t
}

// tidy drops runs without length and joins straight ones that go on in one
// line.
func (p *Plane) tidy(rs []run, open bool) []run {
	near := 2 / p.grid.k
	out := rs[:0]
	for _, r := range rs {
		if r.p1.Sub(r.p0).Len() < near && (r.straight || hull(p.part(r)).Long() < 2*near) {
			continue
		}
		if len(out) > 0 {
			r.p0 = out[len(out)-1].p1
			if q := &out[len(out)-1]; q.straight && r.straight && inLine(q.p0, q.p1, r.p1, near) {
				q.p1, q.v1 = r.p1, r.v1
				continue
			}
		}
		out = append(out, r)
	}
	if open {
		return out
	}
	if len(out) > 1 {
		out[0].p0 = out[len(out)-1].p1
	}
	if n := len(out); n > 2 {
		if q := out[n-1]; q.straight && out[0].straight && inLine(q.p0, q.p1, out[0].p1, near) {
			out[0].p0, out[0].v0 = q.p0, q.v0
			out = out[:n-1]
		}
	}
	return out
}

// inLine reports whether b lies between a and c, nowhere further than near
// from the line.
func inLine(a, b, c geom.Point, near float64) bool {
	d := c.Sub(a)
	return math.Abs(d.Cross(b.Sub(a))) <= near*d.Len() && b.Sub(a).Dot(d) > 0 && c.Sub(b).Dot(d) > 0
}
