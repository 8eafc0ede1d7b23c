package raster

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"dyekit/core/geom"
)

// bandRows is the height of the strips a picture is drawn in: small enough
// that a strip stays in the processor's cache, and the unit of parallel work.
const bandRows = 32

// An edge is a line from (x0, y0) down to (x1, y1), y0 < y1, in pixels. dir is
// +1 if the path ran downwards, −1 if upwards.
type edge struct {
	x0, y0, x1, y1 float64
	dir            int
}

func (e *edge) at(y float64) float64 {
	switch {
	case y <= e.y0:
		return e.x0
	case y >= e.y1:
		return e.x1
	}
	return e.x0 + (e.x1-e.x0)*((y-e.y0)/(e.y1-e.y0))
}

// An outline is a flattened path, its edges sorted into bands.
type outline struct {
	rule   geom.Rule
	simple bool   // it neither crosses nor covers itself
	first  int    // the first band that it touches
	starts []int  // where the edges of each band from first on begin; one more than bands
	edges  []edge // by band and then by y0; an edge is in each band it touches
}

// band returns the edges in a band, empty outside the outline's own.
func (o *outline) band(i int) []edge {
	if i -= o.first; i < 0 || i+1 >= len(o.starts) {
		return nil
	}
	return o.edges[o.starts[i]:o.starts[i+1]]
}

// An arena is the memory of the outlines of one picture. It is used again for
// the next, so that once warm a shape costs no allocation.
type arena struct {
	edges []edge
	ints  []int
	tmp   []edge
}

var arenas = sync.Pool{New: func() any { return new(arena) }}

func (a *arena) reset() { a.edges, a.ints, a.tmp = a.edges[:0], a.ints[:0], a.tmp[:0] }

// take returns n zeroed elements at the end of *s. What was taken before stays
// valid when the memory has to grow.
func take[T any](s *[]T, n int) []T {
	if len(*s)+n > cap(*s) {
		*s = make([]T, 0, max(2*cap(*s), n, 1024))
	}
	l := len(*s)
	*s = (*s)[:l+n]
	out := (*s)[l : l+n : l+n]
	clear(out)
	return out
}

// outline flattens p, mapped by m, for a picture of w × h pixels.
func (a *arena) outline(p geom.Path, rule geom.Rule, m geom.Affine, w, h int) outline {
	a.tmp = a.tmp[:0]
	height, width := float64(h), float64(w)
	p.FlattenBy(m, geom.Flatness, func(p, q geom.Point) {
		e := edge{p.X, p.Y, q.X, q.Y, 1}
		if p.Y > q.Y {
			e = edge{q.X, q.Y, p.X, p.Y, -1}
		}
		if e.y0 < e.y1 && e.y1 > 0 && e.y0 < height {
			a.clamp(e, width)
		}
	})
	o := outline{rule: rule}
	if len(a.tmp) == 0 {
		return o
	}
	last := (h + bandRows - 1) / bandRows
	span := func(e *edge) (lo, hi int) {
		return max(0, int(e.y0)/bandRows), min(last-1, int(math.Ceil(e.y1))/bandRows)
	}
	lo, hi := span(&a.tmp[0])
	for i := range a.tmp {
		l, h := span(&a.tmp[i])
		lo, hi = min(lo, l), max(hi, h)
	}
	o.first = lo
	o.starts = take(&a.ints, hi-lo+2)
	at := take(&a.ints, hi-lo+1)
	for i := range a.tmp {
		l, h := span(&a.tmp[i])
		for b := l; b <= h; b++ {
			o.starts[b-lo+1]++
		}
	}
	for i := range at {
		at[i] = o.starts[i]
		o.starts[i+1] += o.starts[i]
	}
	o.edges = take(&a.edges, o.starts[hi-lo+1])
	for i := range a.tmp {
		l, h := span(&a.tmp[i])
		for b := l; b <= h; b++ {
			o.edges[at[b-lo]] = a.tmp[i]
			at[b-lo]++
		}
	}
	for i := range at {
		slices.SortFunc(o.edges[o.starts[i]:o.starts[i+1]], func(a, b edge) int {
			switch { // rows are read up to the first edge that begins below
			case a.y0 < b.y0:
				return -1
			case a.y0 > b.y0:
				return 1
			case a.x0 != b.x0:
				return cmp.Compare(a.x0, b.x0)
			case a.x1 != b.x1:
				return cmp.Compare(a.x1, b.x1)
			}
			return a.dir - b.dir
		})
	}
	return o
}

// clamp appends e to the edges at hand. It is cut at x = 0 and x = w, and what
// lies outside is moved onto those lines: parts beyond the left border still
// count for the winding, and no column outside the picture is ever touched.
func (a *arena) clamp(e edge, w float64) {
	if e.x0 >= 0 && e.x1 >= 0 && e.x0 <= w && e.x1 <= w {
		a.tmp = append(a.tmp, e)
		return
	}
	cuts := [4]float64{e.y0, e.y1, e.y1, e.y1}
	n := 1
	for _, x := range [2]float64{0, w} {
		if (e.x0 < x) != (e.x1 < x) {
			cuts[n] = min(e.y1, max(e.y0, e.y0+(x-e.x0)/(e.x1-e.x0)*(e.y1-e.y0)))
			n++
		}
	}
	if n == 3 && cuts[1] > cuts[2] {
		cuts[1], cuts[2] = cuts[2], cuts[1]
	}
	cuts[n] = e.y1
	for i := range n {
		y0, y1 := cuts[i], cuts[i+1]
		if y0 < y1 {
			a.tmp = append(a.tmp, edge{min(w, max(0, e.at(y0))), y0, min(w, max(0, e.at(y1))), y1, e.dir})
		}
	}
}

// A span is a run of pixels [x0, x1) in one row with the same coverage.
type span struct {
	x0, x1 int
	a      float32
}

// A scan computes the exact area that a region covers of every pixel in a
// row. Within a row, the edges are cut wherever one begins, ends or crosses
// another; between cuts their order is fixed, the winding rule decides which
// trapezoids are inside, and each trapezoid adds its exact area. Overlaps and
// self-crossings are therefore exact too, which summing signed areas is not.
type scan struct {
	acc    []float32 // differences of coverage along the row
	dirty  [][2]int  // touched ranges of acc
	spans  []span
	ys     []float64
	live   []piece
	hard   bool // no antialiasing: coverage is 0 or 1
	active []edge
	places []int  // of the live edges among the active ones; see sort
	moving []edge // the live edges in their new order
}

// A piece is an edge between two heights: its x at either.
type piece struct {
	a, b float64
	dir  int
	edge int // its place among the active edges
}

// sort orders pieces from left to right by insertion, and the active edges
// alike: from one slice to the next the order hardly changes, so that all but
// the first sort take one pass.
func (s *scan) sort(p []piece) {
	moved := 0
	for i := 1; i < len(p); i++ {
		if moved > 8*len(p) { // far from order: the first slice of a row
			slices.SortStableFunc(p, func(a, b piece) int {
				switch {
				case less(a, b):
					return -1
				case less(b, a):
					return 1
				}
				return 0
			})
			break
		}
		for j := i; j > 0 && less(p[j], p[j-1]); j-- {
			p[j], p[j-1] = p[j-1], p[j]
			moved++
		}
	}
	if moved == 0 {
		return
	}
	s.moving = s.moving[:0]
	for i := range p {
		s.moving = append(s.moving, s.active[p[i].edge])
	}
	for i, at := range s.places {
		s.active[at], p[i].edge = s.moving[i], at
	}
}

// row returns the spans of the outline in pixel row y, left to right. The
// result is valid until the next call.
func (s *scan) row(o *outline, y int) []span {
	top, bottom := float64(y), float64(y+1)
	s.active, s.ys = s.active[:0], append(s.ys[:0], top)
	band := o.band(y / bandRows)
	for i := range band {
		e := &band[i]
		if e.y0 >= bottom {
			break
		}
		if e.y1 <= top {
			continue
		}
		s.active = append(s.active, *e)
		if e.y0 > top {
			s.ys = append(s.ys, e.y0)
		}
		if e.y1 < bottom {
			s.ys = append(s.ys, e.y1)
		}
	}
	s.spans = s.spans[:0]
	if len(s.active) == 0 {
		return nil
	}
	if o.simple {
		return s.sum(top, bottom)
	}
	s.ys = append(s.ys, bottom)
	slices.Sort(s.ys)
	s.dirty = s.dirty[:0]
	for i := 1; i < len(s.ys); i++ {
		if s.ys[i] > s.ys[i-1] {
			s.slice(o.rule, s.ys[i-1], s.ys[i], 0)
		}
	}
	s.flush()
	return s.spans
}

// sum is row for an outline that neither crosses nor covers itself: what lies
// to the right of each edge is added with the sign of its direction, and what is
// left is the area inside. Its cost is that of the edges and the pixels they
// touch.
func (s *scan) sum(top, bottom float64) []span {
	s.dirty = s.dirty[:0]
	for i := range s.active {
		e := &s.active[i]
		a, b := max(top, e.y0), min(bottom, e.y1)
		s.add(e.at(a), e.at(b), (b-a)*float64(e.dir))
	}
	s.flush()
	return s.spans
}

// slice adds the area between heights ya and yb, between which no edge begins
// or ends.
func (s *scan) slice(rule geom.Rule, ya, yb float64, depth int) {
	s.live, s.places = s.live[:0], s.places[:0]
	for i := range s.active {
		if e := &s.active[i]; e.y0 <= ya && e.y1 >= yb {
			s.live = append(s.live, piece{e.at(ya), e.at(yb), e.dir, i})
			s.places = append(s.places, i)
		}
	}
	p := s.live
	s.sort(p)
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
		s.slice(rule, ya, mid, depth+1)
		s.slice(rule, mid, yb, depth+1)
		return
	} else if first < 1 && depth < deepest && mid <= ya {
		// The crossing is at ya itself: the order is that at yb.
		slices.SortStableFunc(p, func(a, b piece) int { return cmp.Compare(a.b, b.b) })
	}
	wind := 0
	inside := false
	for _, e := range p {
		wind += e.dir
		now := wind != 0
		if rule == geom.EvenOdd {
			now = wind&1 != 0
		}
		if now != inside {
			d := yb - ya
			if inside {
				d = -d
			}
			s.add(e.a, e.b, d)
			inside = now
		}
	}
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

// add accounts for a boundary from x a to x b over a height d (negative for a
// right border): everything to its right gains d.
func (s *scan) add(a, b, d float64) {
	if a > b {
		a, b = b, a
	}
	i, j := int(a), int(b)
	if i == j { // within one pixel: the area to the right of the mean
		m := (a+b)/2 - float64(i)
		s.acc[i] += float32(d * (1 - m))
		s.acc[i+1] += float32(d * m)
		s.touch(i, i+2)
		return
	}
	k := d / (b - a) // height gained for each pixel across
	// Coverage of pixel n is the integral of the height reached; acc holds
	// its differences from pixel to pixel.
	prev := 0.0
	for n := i; n <= j; n++ {
		l, r := max(a, float64(n)), min(b, float64(n+1))
		c := k*(r-l)*(l-a+(r-l)/2) + k*(r-a)*(float64(n+1)-r)
		s.acc[n] += float32(c - prev)
		prev = c
	}
	s.acc[j+1] += float32(d - prev)
	s.touch(i, j+2)
}

// touch notes that acc was changed in [i, j). Of very many places only the
// stretch from the first to the last is kept: sorting them would take longer
// than looking through it.
func (s *scan) touch(i, j int) {
	const many = 1024
	if len(s.dirty) == many {
		all := s.dirty[0]
		for _, d := range s.dirty {
			all = [2]int{min(all[0], d[0]), max(all[1], d[1])}
		}
		s.dirty = append(s.dirty[:0], all)
	}
	s.dirty = append(s.dirty, [2]int{i, j})
}

// flush turns the differences into spans and clears them.
func (s *scan) flush() {
	d := s.dirty
	if len(d) > 48 {
		slices.SortFunc(d, func(a, b [2]int) int { return a[0] - b[0] })
	} else {
		for i := 1; i < len(d); i++ { // few, and nearly in order
			for j := i; j > 0 && d[j][0] < d[j-1][0]; j-- {
				d[j], d[j-1] = d[j-1], d[j]
			}
		}
	}
	width := len(s.acc) - 2
	var sum float32
	at := 0
	for i := 0; i < len(s.dirty); {
		lo, hi := s.dirty[i][0], s.dirty[i][1]
		for i++; i < len(s.dirty) && s.dirty[i][0] <= hi; i++ {
			hi = max(hi, s.dirty[i][1])
		}
		s.put(at, min(lo, width), sum)
		for x := lo; x < hi; x++ {
			sum += s.acc[x]
			s.acc[x] = 0
			s.put(x, min(x+1, width), sum)
		}
		at = hi
	}
	s.put(at, width, sum)
}

// put appends a run, joining it to its neighbour when both are full.
func (s *scan) put(x0, x1 int, a float32) {
	const nothing = 1.0 / 4096
	if a < 0 { // an outline wound the other way
		a = -a
	}
	if x1 <= x0 || a < nothing {
		return
	}
	if s.hard {
		if a < 0.5 {
			return
		}
		a = 1
	}
	if a > 1-nothing {
		a = 1
	}
	if n := len(s.spans); n > 0 && s.spans[n-1].x1 == x0 && s.spans[n-1].a == a {
		s.spans[n-1].x1 = x1
		return
	}
	s.spans = append(s.spans, span{x0, x1, a})
}
