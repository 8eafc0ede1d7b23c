package raster

import (
	"math"
	"slices"
	"sync"

	"dyekit/core/geom"
)

// bandRows is the height of the strips a picture is drawn in: small enough
// that a strip stays in the processor's cache, and the unit of parallel work.
const bandRows = 32

// An edge is a line from (x0, y0) down to (x1, y1), y0 ≤ y1, in pixels. dir is
// +1 if the path ran downwards, −1 if upwards. A level one bounds nothing: it
// tells that its two ends belong together.
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

// An outline is a flattened path, its edges sorted into bands and, within each,
// into the rows in which they begin.
type outline struct {
	rule   geom.Rule
	simple bool   // it neither crosses nor covers itself
	first  int    // the first band that it touches
	starts []int  // where the edges of each row from that band's first on begin; one more than rows
	edges  []edge // an edge is in each band it touches
}

// bands is how many bands the outline touches, from first on.
func (o *outline) bands() int { return len(o.starts) / bandRows }

// touches reports whether the outline has edges in band i.
func (o *outline) touches(i int) bool {
	if i -= o.first; i < 0 || i >= o.bands() {
		return false
	}
	return o.starts[i*bandRows] < o.starts[(i+1)*bandRows]
}

// from returns the edges of a band that begin in its row k or, if k is 0, above.
func (o *outline) from(band, k int) []edge {
	i := (band-o.first)*bandRows + k
	return o.edges[o.starts[i]:o.starts[i+1]]
}

// An arena is the memory of the outlines of one picture. It is used again for
// the next, so that once warm all but the largest shapes cost no allocation.
type arena struct {
	edges heap[edge]
	ints  heap[int]
	tmp   []edge
	// Of a picture in parts, between which heights the outlines lie, in their order:
	// known after the first part.
	inParts bool
	lie     [][2]float64
	at      int
}

// rows are those of a picture from y0 on, before y1.
type rows struct{ y0, y1 int }

var arenas = sync.Pool{New: func() any { return new(arena) }}

func (a *arena) reset() {
	a.part()
	a.lie = a.lie[:0]
}

// part takes the memory of the outlines back, for those of the next part of the
// same picture.
func (a *arena) part() {
	a.edges.reset()
	a.ints.reset()
	a.tmp = a.tmp[:0]
	a.at = 0
}

// misses reports whether the next outline, p mapped by m, lies beyond a part of the
// picture.
func (a *arena) misses(p geom.Path, m geom.Affine, part rows) bool {
	if a.at == len(a.lie) {
		top, bottom := p.Heights(m)
		a.lie = append(a.lie, [2]float64{top, bottom})
	}
	l := a.lie[a.at]
	a.at++
	return l[1] <= float64(part.y0) || l[0] >= float64(part.y1)
}

// A heap hands out memory from chunks, so that it never moves and never has to be
// twice as large as what is in use.
type heap[T any] struct {
	chunks [][]T
	at     int // the chunk that is handed out from
}

// How many elements the first chunk holds, and the largest; each is twice as large
// as the one before. More than a quarter of the largest is memory of its own, and not
// kept.
const (
	firstChunk = 1 << 10
	mostChunk  = 1 << 15
)

// take returns n elements of any value.
func (h *heap[T]) take(n int) []T {
	if n > mostChunk/4 {
		return make([]T, n)
	}
	for ; h.at < len(h.chunks); h.at++ {
		if c := &h.chunks[h.at]; len(*c)+n <= cap(*c) {
			l := len(*c)
			*c = (*c)[:l+n]
			return (*c)[l : l+n : l+n]
		}
	}
	h.chunks = append(h.chunks, make([]T, n, max(n, min(mostChunk, firstChunk<<min(len(h.chunks), 16)))))
	return h.chunks[h.at][:n:n]
}

// reset takes all back.
func (h *heap[T]) reset() {
	for i := range h.chunks {
		h.chunks[i] = h.chunks[i][:0]
	}
	h.at = 0
}

// size is how many elements the chunks hold.
func (h *heap[T]) size() (n int) {
	for _, c := range h.chunks {
		n += cap(c)
	}
	return n
}

// outline flattens p, mapped by m, for a part of a picture that is w px wide.
func (a *arena) outline(p geom.Path, rule geom.Rule, m geom.Affine, w int, part rows) outline {
	o := outline{rule: rule}
	if a.inParts && a.misses(p, m, part) {
		return o
	}
	a.tmp = a.tmp[:0]
	top, bottom, width := float64(part.y0), float64(part.y1), float64(w)
	line := func(p, q geom.Point) {
		e := edge{p.X, p.Y, q.X, q.Y, 1}
		if p.Y > q.Y {
			e = edge{q.X, q.Y, p.X, p.Y, -1}
		}
		if e.y1 > top && e.y0 < bottom {
			a.clamp(e, width)
		}
	}
	if !a.inParts {
		p.FlattenBy(m, geom.Flatness, line)
	}
	for len(p) > 0 && a.inParts { // one may be nearly all there is
		n := 1
		for n < len(p) && p[n].Op != geom.MoveTo {
			n++
		}
		if y0, y1 := p[:n].Heights(m); y1 > top && y0 < bottom {
			p[:n].FlattenBy(m, geom.Flatness, line)
		}
		p = p[n:]
	}
	if len(a.tmp) == 0 {
		return o
	}
	end := (part.y1 + bandRows - 1) / bandRows * bandRows
	span := func(e *edge) (lo, hi int) { // rows
		return max(part.y0, int(e.y0)), min(end, max(int(math.Ceil(e.y1)), int(e.y0)+1)) - 1
	}
	lo, hi := span(&a.tmp[0])
	for i := range a.tmp {
		l, h := span(&a.tmp[i])
		lo, hi = min(lo, l), max(hi, h)
	}
	o.first = lo / bandRows
	base := o.first * bandRows
	o.starts = a.ints.take((hi/bandRows-o.first+1)*bandRows + 1)
	clear(o.starts)
	each := func(f func(e *edge, row int)) { // from base on, in each band once
		for i := range a.tmp {
			e := &a.tmp[i]
			l, h := span(e)
			for r := l; r <= h; r = (r/bandRows + 1) * bandRows {
				f(e, r-base)
			}
		}
	}
	each(func(_ *edge, r int) { o.starts[r+1]++ })
	for i := 1; i < len(o.starts); i++ {
		o.starts[i] += o.starts[i-1]
	}
	o.edges = a.edges.take(o.starts[len(o.starts)-1])
	each(func(e *edge, r int) {
		o.edges[o.starts[r]] = *e
		o.starts[r]++
	})
	copy(o.starts[1:], o.starts) // they have moved on by one
	o.starts[0] = 0
	return o
}

// add appends e to the edges at hand. They are many: the memory is doubled when it
// is full.
func (a *arena) add(e edge) {
	if len(a.tmp) == cap(a.tmp) {
		a.tmp = slices.Grow(a.tmp, max(1024, len(a.tmp)))
	}
	a.tmp = append(a.tmp, e)
}

// clamp appends e to the edges at hand. It is cut at x = 0 and x = w, and what
// lies outside is moved onto those lines: parts beyond the left border still
// count for the winding, and no column outside the picture is ever touched.
func (a *arena) clamp(e edge, w float64) {
	if e.x0 >= 0 && e.x1 >= 0 && e.x0 <= w && e.x1 <= w {
		a.add(e)
		return
	}
	inside := func(x float64) float64 { return min(w, max(0, x)) }
	if e.y0 == e.y1 {
		e.x0, e.x1 = inside(e.x0), inside(e.x1)
		a.add(e)
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
		if y0, y1 := cuts[i], cuts[i+1]; y0 < y1 {
			a.add(edge{inside(e.at(y0)), y0, inside(e.at(y1)), y1, e.dir})
		}
	}
}
