package raster

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// A scan computes the exact area that an outline covers of every pixel, row by
// row through a band.
//
// Of an outline that is known neither to cross nor to cover itself the signed
// areas right of its edges are summed, which costs edges and touched pixels.
// Any other is looked at in clusters: edges of a row that share columns of
// pixels. To the left and right of a cluster the winding number is the same at
// every height of the row. Most clusters are one border that runs down through
// the row, and are summed as well; the others are cut wherever an edge begins,
// ends or crosses another, and the winding rule decides which of the trapezoids
// between the cuts are inside. Overlaps and self-crossings are therefore exact
// too, which summing alone is not.
type scan struct {
	cover
	rows []cover // of a band, for what is summed edge by edge
	o    *outline
	live []lively // edges that reach into the row at hand, from left to right
	ys   []float64
	runs []*edge // those of a cluster that run through the slice at hand
	ps   []piece
}

// A lively edge reaches into the row at hand: between heights ya and yb it runs
// from x a to x b, through the columns from lo to hi.
type lively struct {
	e      *edge
	a, b   float64
	ya, yb float64
	lo, hi int
}

// A piece is an edge between two heights: its x at either.
type piece struct {
	a, b float64
	e    *edge
}

// band readies the outline in rows [y0, y1), a band.
func (s *scan) band(o *outline, w, y0, y1 int) {
	s.o, s.live = o, s.live[:0]
	if !o.simple {
		return
	}
	if len(s.rows) == 0 {
		for range bandRows {
			s.rows = append(s.rows, newCover(w, s.hard))
		}
	}
	band := y0 / bandRows
	for k := range y1 - y0 {
		edges := o.from(band, k)
		for i := range edges {
			e := &edges[i]
			if e.y0 == e.y1 {
				continue
			}
			s.fall(e, y0, min(y1, int(math.Ceil(e.y1))))
		}
	}
}

// fall adds an edge to the rows of a band that it runs through.
func (s *scan) fall(e *edge, y0, end int) {
	y := max(y0, int(e.y0))
	top := max(e.y0, float64(y0))
	a := e.at(top)
	dir := float64(e.dir)
	if e.x0 == e.x1 {
		for ; y < end; y++ {
			bottom := min(e.y1, float64(y+1))
			s.rows[y-y0].add(a, a, (bottom-top)*dir)
			top = bottom
		}
		return
	}
	slope := (e.x1 - e.x0) / (e.y1 - e.y0)
	lo, hi := min(e.x0, e.x1), max(e.x0, e.x1)
	for ; y < end; y++ {
		bottom, b := e.y1, e.x1
		if float64(y+1) < e.y1 {
			bottom = float64(y + 1)
			b = min(hi, max(lo, e.x0+(bottom-e.y0)*slope))
		}
		s.rows[y-y0].add(a, b, (bottom-top)*dir)
		top, a = bottom, b
	}
}

// row returns the spans of the outline in pixel row y, left to right; rows are
// asked for in order, from the first of the band on. The result is valid until
// the next call.
func (s *scan) row(y int) []span {
	k := y % bandRows
	if s.o.simple {
		s.rows[k].hard = s.hard
		return s.rows[k].flush()
	}
	s.enter(y, k)
	if len(s.live) == 0 {
		return nil
	}
	wind := 0
	for i := 0; i < len(s.live); {
		n, hi := i+1, s.live[i].hi
		for n < len(s.live) && s.live[n].lo <= hi {
			hi = max(hi, s.live[n].hi)
			n++
		}
		wind = s.cluster(s.live[i:n], wind)
		i = n
	}
	return s.flush()
}

// enter takes in the edges that begin in row y, row k of its band, lets go those
// that have ended, and brings the rest up to date.
func (s *scan) enter(y, k int) {
	top, bottom := float64(y), float64(y+1)
	live := s.live[:0]
	for _, l := range s.live {
		if l.e.y1 > top {
			live = append(live, l)
		}
	}
	edges := s.o.from(y/bandRows, k)
	for i := range edges {
		live = append(live, lively{e: &edges[i]})
	}
	s.live = live
	sorted := true
	for i := range live {
		l := &live[i]
		l.ya, l.yb = max(top, l.e.y0), min(bottom, l.e.y1)
		if l.e.y0 == l.e.y1 {
			l.a, l.b = l.e.x0, l.e.x1
		} else {
			l.a, l.b = l.e.at(l.ya), l.e.at(l.yb)
		}
		l.lo, l.hi = int(min(l.a, l.b)), int(max(l.a, l.b))
		sorted = sorted && (i == 0 || live[i-1].lo <= l.lo)
	}
	if sorted {
		return
	}
	moved := 0
	for i := 1; i < len(live); i++ { // the order hardly changes from row to row
		for j := i; j > 0 && live[j].lo < live[j-1].lo; j-- {
			live[j], live[j-1] = live[j-1], live[j]
			moved++
		}
		if moved > 8*len(live) {
			slices.SortStableFunc(live, func(a, b lively) int { return a.lo - b.lo })
			return
		}
	}
}

// inside reports whether a winding number counts as inside.
func inside(rule geom.Rule, wind int) bool {
	if rule == geom.EvenOdd {
		return wind&1 != 0
	}
	return wind != 0
}

// cluster adds the area of edges that share columns; wind is the winding number
// to their left. It returns that to their right.
func (s *scan) cluster(ls []lively, wind int) int {
	net, ups, downs := 0.0, false, false
	for i := range ls {
		l := &ls[i]
		if l.ya < l.yb {
			net += (l.yb - l.ya) * float64(l.e.dir)
			ups, downs = ups || l.e.dir < 0, downs || l.e.dir > 0
		}
	}
	next := wind + int(math.Round(net))
	d := 0.0
	if was, is := inside(s.o.rule, wind), inside(s.o.rule, next); is != was {
		d = 1
		if was {
			d = -1
		}
	}
	if next-wind == 1 && !ups || wind-next == 1 && !downs {
		// One border from top to bottom: at every height one edge is passed.
		if d != 0 {
			for i := range ls {
				l := &ls[i]
				if l.ya < l.yb {
					s.add(l.a, l.b, d*(l.yb-l.ya))
				}
			}
		}
		return next
	}
	s.cut(ls, wind)
	return next
}

// cut goes down through a cluster from each height at which an edge begins or
// ends to the next, with the edges that run there.
func (s *scan) cut(ls []lively, wind int) {
	s.ys, s.runs = s.ys[:0], s.runs[:0]
	for i := range ls {
		if l := &ls[i]; l.ya < l.yb {
			s.ys = append(s.ys, l.ya, l.yb)
		}
	}
	slices.Sort(s.ys)
	if len(ls) > few {
		slices.SortStableFunc(ls, func(a, b lively) int { return cmp.Compare(a.ya, b.ya) })
	} else {
		for i := 1; i < len(ls); i++ {
			for j := i; j > 0 && ls[j].ya < ls[j-1].ya; j-- {
				ls[j], ls[j-1] = ls[j-1], ls[j]
			}
		}
	}
	next := 0
	for i := 1; i < len(s.ys); i++ {
		ya, yb := s.ys[i-1], s.ys[i]
		if ya == yb {
			continue
		}
		runs := s.runs[:0]
		for _, e := range s.runs {
			if e.y1 > ya {
				runs = append(runs, e)
			}
		}
		for ; next < len(ls) && ls[next].ya <= ya; next++ {
			if l := &ls[next]; l.yb > ya {
				runs = append(runs, l.e)
			}
		}
		s.runs = runs
		s.slice(wind, ya, yb, 0)
	}
}

// slice adds the area between heights ya and yb, between which no edge begins
// or ends; wind is the winding number to the left.
func (s *scan) slice(wind int, ya, yb float64, depth int) {
	p := s.ps[:0]
	for _, e := range s.runs {
		p = append(p, piece{e.at(ya), e.at(yb), e})
	}
	s.ps = p
	sortPieces(p)
	for i := range p { // the next slice finds them nearly in order
		s.runs[i] = p[i].e
	}
	// Where neighbours swap, cut at the first crossing.
	first := 1.0
	for i := 1; i < len(p); i++ {
		if l, r := p[i-1], p[i]; l.b > r.b+same {
			if t := (r.a - l.a) / ((r.a - l.a) + (l.b - r.b)); t < first {
				first = t
			}
		}
	}
	const deepest = 48
	if mid := ya + (yb-ya)*first; first < 1 && depth < deepest && mid > ya && mid < yb {
		s.slice(wind, ya, mid, depth+1)
		s.slice(wind, mid, yb, depth+1)
		return
	} else if first < 1 && depth < deepest && mid <= ya {
		// The crossing is at ya itself: the order is that at yb.
		slices.SortStableFunc(p, func(a, b piece) int { return cmp.Compare(a.b, b.b) })
	}
	in := inside(s.o.rule, wind)
	for _, e := range p {
		wind += e.e.dir
		if now := inside(s.o.rule, wind); now != in {
			d := yb - ya
			if in {
				d = -d
			}
			s.add(e.a, e.b, d)
			in = now
		}
	}
}

// few things are sorted by insertion.
const few = 24

// sortPieces orders pieces from left to right.
func sortPieces(p []piece) {
	// Pieces come as the slice above left them: few are out of their place.
	moves := 8*len(p) + few*few
	for i := 1; i < len(p); i++ {
		for j := i; j > 0 && less(p[j], p[j-1]); j-- {
			p[j], p[j-1] = p[j-1], p[j]
			moves--
		}
		if moves < 0 {
			break
		}
	}
	if moves >= 0 {
		return
	}
	slices.SortStableFunc(p, func(a, b piece) int {
		switch {
		case less(a, b):
			return -1
		case less(b, a):
			return 1
		}
		return 0
	})
}

// same is how near, in px, two edges at one height count as meeting there:
// rounding must not decide which of two that part at a point is the left one.
const same = 1e-9

func less(a, b piece) bool {
	if d := a.a - b.a; d < -same || d > same {
		return d < 0
	}
	return a.b < b.b
}
