package planar

import (
	"cmp"
	"context"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"dyekit/core/parallel"
)

// A cutting is a grid point through which a piece is to be led.
type cutting struct {
	piece int32
	at    pt
	along int64 // scalar product with the piece, for the order along it
}

// settle rounds the crossings to the grid so that no two pieces cross and no
// end lies on the inside of another piece: they then meet at ends only, or are
// the same. This is snap rounding (Hobby, "Practical segment intersection with
// finite precision output", 1999): every piece is led through the middle of
// each grid square that holds an end or a crossing and that the piece passes.
// Squares hold their lower and left borders, so that every point lies in one,
// and what is asked of them is answered exactly: once is then enough. Whether a
// piece passes is asked of the pieces as they came, never of bent ones: asked
// again and again, a line would drift along its neighbours. joins is how many ends
// of two pieces are the same.
func (p *Plane) settle(ctx context.Context, ps []piece) (out []piece, joins int, err error) {
	if len(ps) == 0 {
		return ps, 0, nil
	}
	near := newCells(ps)
	var crossings atomic.Int64
	met, err := inParts(ctx, len(ps), func(from, to int) []meeting {
		l := near.looks.Get().(*look)
		defer near.looks.Put(l)
		m := scratch.Get().(*meeting)
		defer scratch.Put(m)
		m.cuttings, m.hot, m.joins = m.cuttings[:0], m.hot[:0], 0
		for i := from; i < to && crossings.Load() <= MaxCrossings; i++ {
			n := len(m.hot)
			near.later(i, l, func(j int) { m.meet(ps, i, j) })
			crossings.Add(int64(len(m.hot) - n))
		}
		return []meeting{{slices.Clone(m.cuttings), slices.Clone(m.hot), m.joins}}
	})
	if crossings.Load() > MaxCrossings {
		return nil, 0, cmp.Or(err, ErrTooMany)
	}
	if err != nil {
		return nil, 0, err
	}
	cuts := make([][]cutting, 0, 2*len(met))
	hot := make([]keyed, 0, crossings.Load()) // crossings, each once
	for _, m := range met {
		cuts, joins = append(cuts, m.cuttings), joins+m.joins
		for _, v := range m.hot {
			hot = append(hot, keyed{key: v.key()})
		}
	}
	sortKeys(hot)
	hot = slices.CompactFunc(hot, func(a, b keyed) bool { return a.key == b.key })
	more, err := inParts(ctx, len(hot), func(from, to int) [][]cutting {
		var out []cutting
		for _, k := range hot[from:to] {
			v := unkey(k.key)
			near.at(v, func(j int) { out = passes(&ps[j], j, v, orient(ps[j].a, ps[j].b, v), out) })
		}
		return [][]cutting{out}
	})
	if err != nil {
		return nil, 0, err
	}
	out, err = apply(ctx, ps, append(cuts, more...))
	p.bent = p.bent || len(out) != len(ps)
	return out, joins, err
}

// inParts runs f over parts of n things on all cores and joins what it finds
// in order.
func inParts[T any](ctx context.Context, n int, f func(from, to int) []T) ([]T, error) {
	const part = 1024
	found := make([][]T, (n+part-1)/part)
	err := parallel.Do(ctx, len(found), func(_ context.Context, i int) error {
		found[i] = f(i*part, min(n, (i+1)*part))
		return nil
	})
	return slices.Concat(found...), err
}

// scratch is where meetings are gathered before it is known how many they are.
var scratch = sync.Pool{New: func() any { return new(meeting) }}

// A meeting is what pieces ask of each other.
type meeting struct {
	cuttings []cutting
	hot      []pt // crossings
	joins    int  // ends that are the same
}

// meet notes the cuttings that pieces i and j ask of each other.
func (m *meeting) meet(ps []piece, i, j int) {
	p, q := &ps[i], &ps[j]
	if p.a == q.a || p.b == q.b {
		m.joins++
		if p.a == q.a && p.b == q.b {
			m.joins++
			return
		}
	}
	if p.a == q.b || p.b == q.a {
		m.joins++
	}
	o1, o2 := orient(p.a, p.b, q.a), orient(p.a, p.b, q.b)
	if p.clear(o1, o2) {
		return
	}
	o3, o4 := orient(q.a, q.b, p.a), orient(q.a, q.b, p.b)
	if q.clear(o3, o4) {
		return
	}
	m.cuttings = passes(p, i, q.a, o1, m.cuttings)
	m.cuttings = passes(p, i, q.b, o2, m.cuttings)
	m.cuttings = passes(q, j, p.a, o3, m.cuttings)
	m.cuttings = passes(q, j, p.b, o4, m.cuttings)
	if (o1 > 0) == (o2 > 0) || (o3 > 0) == (o4 > 0) || o1 == 0 || o2 == 0 || o3 == 0 || o4 == 0 {
		return
	}
	// The crossing divides p as o3 : −o4.
	n, d := uint64(max(o3, -o3)), uint64(max(o3, -o3))+uint64(max(o4, -o4))
	x := pt{p.a.x + part(p.b.x-p.a.x, n, d), p.a.y + part(p.b.y-p.a.y, n, d)}
	m.hot = append(m.hot, x)
	m.cuttings = bend(p, i, x, m.cuttings)
	m.cuttings = bend(q, j, x, m.cuttings)
}

// clear reports whether a piece whose ends have these orients to p lies on one side
// of it, further off than a grid square round any point of p reaches: then neither
// asks anything of the other.
func (p *piece) clear(o1, o2 int64) bool {
	reach := p.reach()
	return 2*o1 > reach && 2*o2 > reach || -2*o1 > reach && -2*o2 > reach
}

// reach is how far a grid square round a point of p reaches along the normal of p,
// times twice the length of p: (dx + |dy|)/2 for the square of one unit.
func (p *piece) reach() int64 {
	return int64(p.b.x-p.a.x) + int64(max(p.b.y-p.a.y, p.a.y-p.b.y))
}

// part is v·n/d, n < d, rounded to the nearest, and up where two are as near.
func part(v int32, n, d uint64) int32 {
	m := uint64(max(int64(v), -int64(v)))
	hi, lo := bits.Mul64(m, n)
	q, r := bits.Div64(hi, lo, d)
	if v < 0 {
		if 2*r > d {
			q++
		}
		return -int32(q)
	}
	if 2*r >= d {
		q++
	}
	return int32(q)
}

// passes appends a cutting if p, number i, passes the grid square round v: o
// is orient of p and v.
func passes(p *piece, i int, v pt, o int64, out []cutting) []cutting {
	// Of the corners of a square it holds the lower left one alone, which a falling
	// piece touches that runs below it.
	reach := p.reach()
	if far := 2 * max(o, -o); far > reach || far == reach && (p.b.y >= p.a.y || o < 0) {
		return out
	}
	if v.x < p.a.x || v.x > p.b.x || v.y < min(p.a.y, p.b.y) || v.y > max(p.a.y, p.b.y) {
		return out
	}
	return bend(p, i, v, out)
}

func bend(p *piece, i int, v pt, out []cutting) []cutting {
	if v == p.a || v == p.b {
		return out
	}
	along := int64(v.x-p.a.x)*int64(p.b.x-p.a.x) + int64(v.y-p.a.y)*int64(p.b.y-p.a.y)
	return append(out, cutting{int32(i), v, along})
}

// apply cuts the pieces. Parameters divide as the piece does.
func apply(ctx context.Context, ps []piece, cuts [][]cutting) ([]piece, error) {
	// By piece, counted; those of one piece are few.
	starts := make([]int32, len(ps)+1)
	n := 0
	for _, cs := range cuts {
		n += len(cs)
		for i := range cs {
			starts[cs[i].piece+1]++
		}
	}
	if len(ps)+n > 2*MaxPieces {
		return nil, ErrTooMany
	}
	if n == 0 {
		return ps, nil
	}
	for i := range ps {
		starts[i+1] += starts[i]
	}
	sorted := make([]cutting, n)
	for _, cs := range cuts {
		for i := range cs {
			c := &cs[i]
			sorted[starts[c.piece]] = *c
			starts[c.piece]++
		}
	} // starts[i] is now where those of piece i end
	// Each part has room for one piece more than it has cuttings of each.
	all := make([]piece, len(ps)+n)
	parts, err := inParts(ctx, len(ps), func(from, to int) [][]piece {
		at := int32(0)
		if from > 0 {
			at = starts[from-1]
		}
		first := from + int(at)
		out := all[first : first : to+int(starts[to-1])]
		for i := from; i < to; i++ {
			out = ps[i].at(sorted[at:starts[i]], out)
			at = starts[i]
		}
		return [][]piece{out}
	})
	if err != nil {
		return nil, err
	}
	out := all[:0]
	for _, p := range parts {
		out = append(out, p...) // moves nothing before the first that needed less
	}
	return out, nil
}

// at appends the piece as its cuttings divide it.
func (p piece) at(cuts []cutting, out []piece) []piece {
	if len(cuts) == 0 {
		return append(out, p)
	}
	slices.SortFunc(cuts, func(a, b cutting) int {
		switch {
		case a.along < b.along:
			return -1
		case a.along > b.along:
			return 1
		}
		return cmp.Compare(a.at.key(), b.at.key())
	})
	dx, dy := float64(p.b.x-p.a.x), float64(p.b.y-p.a.y)
	q := p
	for _, c := range cuts {
		if c.at == q.a {
			continue
		}
		u := min(max(float64(c.along)/(dx*dx+dy*dy), 0), 1)
		q.b, q.t1 = c.at, p.t0+(p.t1-p.t0)*u
		out = q.add(out)
		q.a, q.t0 = q.b, q.t1
	}
	q.b, q.t1 = p.b, p.t1
	return q.add(out)
}
