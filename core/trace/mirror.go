package trace

import (
	"math"
	"slices"

	"dyekit/core/geom"
)

// Art that is the same on both sides of an upright or a level axis is made exactly
// so: its borders are cut at the axes, those pieces that are images of one another
// are fitted once, and each is laid down from that.

// How far from its image a border may lie, in px beyond the tolerance of the
// fitting: within what pixels leave open.
const (
	endsOff    = 0.8 // of ends and meetings
	bordersOff = 0.3 // of the border between them
	onAxis     = 0.7 // from an axis to what stands on it
	mostPieces = 1500
)

// mirrors are the axes of the art.
type mirrors struct {
	x, y     float64
	byX, byY bool // x is that of an upright axis, y of a level one
}

// flip reflects a point; twice it is the same again to the last bit but one.
func (m mirrors) flip(p geom.Point, fx, fy bool) geom.Point {
	if fx {
		p.X = 2*m.x - p.X
	}
	if fy {
		p.Y = 2*m.y - p.Y
	}
	return p
}

// beyond tells on which far sides of the axes a point lies.
func (m mirrors) beyond(p geom.Point) (fx, fy bool) {
	return m.byX && p.X > m.x, m.byY && p.Y > m.y
}

// images is how many images of one another a piece beside the axes has.
func (m mirrors) images() int {
	n := 1
	if m.byX {
		n *= 2
	}
	if m.byY {
		n *= 2
	}
	return n
}

// A piece is a stretch of border on one side of each axis.
type piece struct {
	arc         int
	in          []geom.Point // reflected to the near side of the axes
	fx, fy      bool         // what reflects it back
	left, right int16        // colours beside it, as in
	cut         [2]rim       // its ends
	ring        bool
	group       int
	turned      bool // it runs against the first of its group
}

// A rim is an end of a piece: at an axis, or elsewhere.
type rim struct {
	x, y   bool // at the upright, the level axis
	smooth bool // the border goes on without a corner
}

// mirrored fits the borders of art that has axes through one of some places; false
// if it has none, and nothing is fitted.
func (b *borders) mirrored(tol bound, middles []geom.Point) bool {
	return slices.ContainsFunc(b.axes(middles), func(m mirrors) bool { return b.mirror(m, tol) })
}

func (b *borders) mirror(m mirrors, tol bound) bool {
	r := &reflection{mirrors: m, b: b, tol: tol, paths: make([]geom.Path, len(b.arcs))}
	if !r.meetings() || !r.rounds() || !r.cutAll() || !r.pair() {
		return false
	}
	r.lay()
	for i := range b.arcs {
		b.arcs[i].path = r.paths[i]
	}
	return true
}

// A reflection is the work on one set of axes. Nothing of the borders is changed
// before all of it has come out.
type reflection struct {
	mirrors
	b      *borders
	tol    bound
	at     []geom.Point // of the meetings
	paths  []geom.Path  // of the arcs
	pieces []*piece
	groups [][]*piece
}

// spot is a place on the near side that has images.
type spot struct {
	sum      geom.Point
	r        geom.Point // half axes of an ellipse
	n        int
	onX, onY bool
}

// settle finds the spot of a place, or makes one.
func (r *reflection) settle(spots []*spot, p, size geom.Point) (int, []*spot) {
	fx, fy := r.beyond(p)
	q := r.flip(p, fx, fy)
	onX, onY := r.byX && math.Abs(q.X-r.x) < onAxis, r.byY && math.Abs(q.Y-r.y) < onAxis
	for i, s := range spots {
		if s.sum.Mul(1/float64(s.n)).Sub(q).Len() < endsOff+r.b.leeway && s.r.Sub(size).Len() < bordersOff+r.b.leeway && s.onX == onX && s.onY == onY {
			s.sum = s.sum.Add(q)
			s.n++
			return i, spots
		}
	}
	return len(spots), append(spots, &spot{q, size, 1, onX, onY})
}

// whole reports whether a spot has as many images as it must, and puts it exactly
// onto the axes that it stands on: there it is its own image. Two images may stand so
// near an axis that they seem to be on it.
func (r *reflection) whole(s *spot) (geom.Point, bool) {
	p := s.sum.Mul(1 / float64(s.n))
	for _, on := range [][2]bool{{true, true}, {true, false}, {false, true}, {false, false}} {
		if on[0] && !s.onX || on[1] && !s.onY {
			continue
		}
		want := r.images()
		if on[0] {
			want /= 2
		}
		if on[1] {
			want /= 2
		}
		if s.n != want {
			continue
		}
		if on[0] {
			p.X = r.x
		}
		if on[1] {
			p.Y = r.y
		}
		return p, true
	}
	return p, false
}

// meetings puts the meetings of colours where their images are.
func (r *reflection) meetings() bool {
	old := r.b.meetings()
	var spots []*spot
	which := make([]int, len(old))
	for i, p := range old {
		which[i], spots = r.settle(spots, p, geom.Point{})
	}
	r.at = make([]geom.Point, len(old))
	for i, p := range old {
		q, ok := r.whole(spots[which[i]])
		if !ok {
			return false
		}
		fx, fy := r.beyond(p)
		r.at[i] = r.flip(q, fx, fy)
	}
	return true
}

// rounds fits the circles and ellipses.
func (r *reflection) rounds() bool {
	var spots []*spot
	which := map[int]int{}
	for i := range r.b.arcs {
		a := &r.b.arcs[i]
		if a.from.node >= 0 {
			continue
		}
		e, ok := ellipse(a.ps, r.tol)
		if !ok {
			continue
		}
		box := e.Bounds()
		which[i], spots = r.settle(spots, box.Centre(), geom.Pt(box.W()/2, box.H()/2))
	}
	for i := range r.b.arcs {
		k, ok := which[i]
		if !ok {
			continue
		}
		c, ok := r.whole(spots[k])
		if !ok {
			return false
		}
		e, _ := ellipse(r.b.arcs[i].ps, r.tol)
		fx, fy := r.beyond(e.Bounds().Centre())
		out := geom.Ellipse(r.flip(c, fx, fy), spots[k].r.X, spots[k].r.Y)
		if out.Area()*e.Area() < 0 {
			out = out.Reverse()
		}
		r.paths[i] = out
	}
	return true
}

// cutAll cuts all other borders at the axes.
func (r *reflection) cutAll() bool {
	for i := range r.b.arcs {
		if r.paths[i] == nil && !r.cutArc(i) || len(r.pieces) > mostPieces {
			return false
		}
	}
	return true
}

// A crossed point is one of a border, perhaps where it crosses axes.
type crossed struct {
	geom.Point
	rim rim
	cut bool
}

// cutArc cuts a border at the axes, so that each piece lies on one side of each.
func (r *reflection) cutArc(i int) bool {
	a := &r.b.arcs[i]
	ring := a.from.node < 0
	ps := slices.Clone(a.ps)
	if !ring { // its ends are where the meetings are now
		ps[0], ps[len(ps)-1] = r.at[a.from.node], r.at[a.to.node]
		ps = slices.Concat(ps[:1], awayFrom(ps[1:len(ps)-1], ps[0], ps[len(ps)-1]), ps[len(ps)-1:])
	}
	l := &line{ps: ps, ring: ring}
	l.measure()
	var corners []geom.Point
	for _, c := range l.corners() {
		if ring || c > 0 && c < len(ps)-1 {
			corners = append(corners, ps[c])
		}
	}
	var pts []crossed
	for k := range ps {
		pts = append(pts, crossed{Point: ps[k]})
		if k+1 < len(ps) || ring {
			pts = r.crossings(pts, ps[k], ps[(k+1)%len(ps)], corners)
		}
	}
	if !ring {
		return r.collect(i, pts, false)
	}
	k := slices.IndexFunc(pts, func(c crossed) bool { return c.cut })
	if k < 0 {
		return r.collect(i, pts, true)
	}
	pts = slices.Concat(pts[k:], pts[:k+1])
	return r.collect(i, pts, false)
}

// awayFrom drops the points that are as near to an end as pixels can tell.
func awayFrom(ps []geom.Point, a, b geom.Point) (out []geom.Point) {
	for _, p := range ps {
		if p.Sub(a).Len() > onAxis && p.Sub(b).Len() > onAxis {
			out = append(out, p)
		}
	}
	return out
}

// crossings adds the points where the way from p to q crosses axes.
func (r *reflection) crossings(pts []crossed, p, q geom.Point, corners []geom.Point) []crossed {
	type hit struct {
		t float64
		c crossed
	}
	var hits []hit
	add := func(u, v float64, upright bool) {
		if u*v >= 0 {
			return
		}
		t := u / (u - v)
		c := crossed{Point: p.Lerp(q, t), rim: rim{x: upright, y: !upright, smooth: true}, cut: true}
		if upright {
			c.X = r.x
		} else {
			c.Y = r.y
		}
		for _, k := range corners {
			c.rim.smooth = c.rim.smooth && k.Sub(c.Point).Len() > 2
		}
		hits = append(hits, hit{t, c})
	}
	if r.byX {
		add(p.X-r.x, q.X-r.x, true)
	}
	if r.byY {
		add(p.Y-r.y, q.Y-r.y, false)
	}
	if len(hits) == 2 && hits[1].t < hits[0].t {
		hits[0], hits[1] = hits[1], hits[0]
	}
	for _, h := range hits {
		pts = append(pts, h.c)
	}
	return pts
}

// collect makes the pieces of an arc.
func (r *reflection) collect(i int, pts []crossed, ring bool) bool {
	a := &r.b.arcs[i]
	add := func(ps []crossed) bool {
		p := &piece{arc: i, ring: ring, left: a.left, right: a.right, cut: [2]rim{ps[0].rim, ps[len(ps)-1].rim}, group: -1}
		long, mid := 0.0, geom.Point{}
		for k := 1; k < len(ps); k++ {
			long += ps[k].Sub(ps[k-1].Point).Len()
		}
		for _, c := range ps {
			mid = mid.Add(c.Point.Mul(1 / float64(len(ps))))
		}
		if long < 0.2 {
			return false // too short to say which side it is on
		}
		p.fx, p.fy = r.beyond(mid)
		if p.fx != p.fy {
			p.left, p.right = p.right, p.left
		}
		for _, c := range ps {
			p.in = append(p.in, r.flip(c.Point, p.fx, p.fy))
		}
		r.pieces = append(r.pieces, p)
		return true
	}
	from := 0
	for k := 1; k < len(pts); k++ {
		if pts[k].cut {
			if !add(pts[from : k+1]) {
				return false
			}
			from = k
		}
	}
	return from == len(pts)-1 || add(pts[from:])
}

// pair finds which pieces are images of one another: all must be.
func (r *reflection) pair() bool {
	for i, p := range r.pieces {
		if p.group >= 0 {
			continue
		}
		p.group = len(r.groups)
		g := []*piece{p}
		for _, q := range r.pieces[i+1:] {
			if q.group < 0 && p.image(q, r.b.leeway) && !slices.ContainsFunc(g, func(o *piece) bool { return o.fx == q.fx && o.fy == q.fy }) {
				q.group = p.group
				g = append(g, q)
			}
		}
		if len(g) != r.images() {
			return false
		}
		r.groups = append(r.groups, g)
	}
	return true
}

// image reports whether q lies where p does, and which way it runs.
func (p *piece) image(q *piece, leeway float64) bool {
	if p.ring != q.ring {
		return false
	}
	pa, pb, qa, qb := p.in[0], p.in[len(p.in)-1], q.in[0], q.in[len(q.in)-1]
	switch {
	case p.left == q.left && p.right == q.right && (p.ring || pa.Sub(qa).Len() < endsOff+leeway && pb.Sub(qb).Len() < endsOff+leeway):
		q.turned = false
	case p.left == q.right && p.right == q.left && (p.ring || pa.Sub(qb).Len() < endsOff+leeway && pb.Sub(qa).Len() < endsOff+leeway):
		q.turned = true
	default:
		return false
	}
	return along(p.in, q.in, p.ring, bordersOff+leeway) && along(q.in, p.in, p.ring, bordersOff+leeway)
}

// along reports whether points lie beside a border, off px at most.
func along(ps, border []geom.Point, ring bool, off float64) bool {
	step := max(1, len(ps)/40)
	for i := 0; i < len(ps); i += step {
		best := math.Inf(1)
		for k := range border {
			j := k + 1
			if j == len(border) {
				if !ring {
					break
				}
				j = 0
			}
			a, d := border[k], border[j].Sub(border[k])
			t := 0.0
			if n := d.Dot(d); n > 0 {
				t = min(1, max(0, ps[i].Sub(a).Dot(d)/n))
			}
			best = min(best, ps[i].Sub(a.Add(d.Mul(t))).Len())
		}
		if best > off {
			return false
		}
	}
	return true
}
