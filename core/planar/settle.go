package planar

import (
	"cmp"
	"context"
	"math"
	"slices"
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
// Whether it passes is asked of the pieces as they came, never of bent ones:
// asked again and again, a line would drift along its neighbours.
func settle(ctx context.Context, ps []piece) ([]piece, error) {
	if len(ps) == 0 {
		return ps, nil
	}
	t := build(ps)
	cuts, hot, err := pairs(ctx, t, ps)
	if err != nil {
		return nil, err
	}
	more, err := passers(ctx, t, ps, hot)
	if err != nil {
		return nil, err
	}
	cuts = append(cuts, more...)
	if len(ps)+len(cuts) > 2*MaxPieces {
		return nil, ErrTooMany
	}
	return apply(ps, cuts), nil
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

// A meeting is what two pieces ask of each other.
type meeting struct {
	cuttings []cutting
	hot      []pt // crossings
}

// pairs compares every piece with those near it.
func pairs(ctx context.Context, t *tree, ps []piece) (cuts []cutting, hot []pt, err error) {
	var crossings atomic.Int64
	all, err := inParts(ctx, len(ps), func(from, to int) []meeting {
		var m meeting
		for i := from; i < to && crossings.Load() <= MaxCrossings; i += fan {
			before := len(m.hot)
			t.pairs(ps, i, min(i+fan, to), func(i, j int) { m.meet(ps, i, j) })
			crossings.Add(int64(len(m.hot) - before))
		}
		return []meeting{m}
	})
	if crossings.Load() > MaxCrossings {
		return nil, nil, cmp.Or(err, ErrTooMany)
	}
	for _, m := range all {
		cuts, hot = append(cuts, m.cuttings...), append(hot, m.hot...)
	}
	return cuts, hot, err
}

// passers finds the pieces that pass the squares of crossings they have no
// part in.
func passers(ctx context.Context, t *tree, ps []piece, hot []pt) ([]cutting, error) {
	slices.SortFunc(hot, func(a, b pt) int { return cmp.Compare(a.key(), b.key()) })
	hot = slices.Compact(hot)
	return inParts(ctx, len(hot), func(from, to int) (out []cutting) {
		for _, v := range hot[from:to] {
			t.near(piece{a: v, b: v}, 0, func(i int) {
				out = passes(&ps[i], i, v, orient(ps[i].a, ps[i].b, v), out)
			})
		}
		return out
	})
}

// meet notes the cuttings that pieces i and j ask of each other.
func (m *meeting) meet(ps []piece, i, j int) {
	p, q := &ps[i], &ps[j]
	if p.a == q.a && p.b == q.b {
		return
	}
	o1, o2 := orient(p.a, p.b, q.a), orient(p.a, p.b, q.b)
	o3, o4 := orient(q.a, q.b, p.a), orient(q.a, q.b, p.b)
	m.cuttings = passes(p, i, q.a, o1, m.cuttings)
	m.cuttings = passes(p, i, q.b, o2, m.cuttings)
	m.cuttings = passes(q, j, p.a, o3, m.cuttings)
	m.cuttings = passes(q, j, p.b, o4, m.cuttings)
	if (o1 > 0) == (o2 > 0) || (o3 > 0) == (o4 > 0) || o1 == 0 || o2 == 0 || o3 == 0 || o4 == 0 {
		return
	}
	// The crossing divides p as o3 : −o4. The rounding of float64 is some
	// 2^-26 of a grid unit here. Where that picks the square next door, both
	// pieces are led there all the same.
	t := float64(o3) / (float64(o3) - float64(o4))
	x := pt{
		p.a.x + int32(math.RoundToEven(float64(p.b.x-p.a.x)*t)),
		p.a.y + int32(math.RoundToEven(float64(p.b.y-p.a.y)*t)),
	}
	m.hot = append(m.hot, x)
	m.cuttings = bend(p, i, x, m.cuttings)
	m.cuttings = bend(q, j, x, m.cuttings)
}

// passes appends a cutting if p, number i, passes the grid square round v: o
// is orient of p and v.
func passes(p *piece, i int, v pt, o int64, out []cutting) []cutting {
	dx, dy := int64(p.b.x-p.a.x), int64(p.b.y-p.a.y)
	if dy < 0 {
		dy = -dy
	}
	if o < 0 {
		o = -o
	}
	// A square of half a unit reaches (dx+dy)/2 along the normal of p. To
	// touch its corner is not to pass it: two diagonals of one square would
	// otherwise bend each other.
	if 2*o >= dx+dy || v.x < p.a.x || v.x > p.b.x || v.y < min(p.a.y, p.b.y) || v.y > max(p.a.y, p.b.y) {
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
func apply(ps []piece, cuts []cutting) []piece {
	slices.SortFunc(cuts, func(a, b cutting) int {
		return cmp.Or(cmp.Compare(a.piece, b.piece), cmp.Compare(a.along, b.along), cmp.Compare(a.at.key(), b.at.key()))
	})
	out := make([]piece, 0, len(ps)+len(cuts))
	for i := range ps {
		p := ps[i]
		if len(cuts) == 0 || cuts[0].piece != int32(i) {
			out = append(out, p)
			continue
		}
		dx, dy := float64(p.b.x-p.a.x), float64(p.b.y-p.a.y)
		q := p
		for len(cuts) > 0 && cuts[0].piece == int32(i) {
			c := cuts[0]
			cuts = cuts[1:]
			if c.at == q.a {
				continue
			}
			u := min(max(float64(c.along)/(dx*dx+dy*dy), 0), 1)
			q.b, q.t1 = c.at, p.t0+(p.t1-p.t0)*u
			out = q.add(out)
			q.a, q.t0 = q.b, q.t1
		}
		q.b, q.t1 = p.b, p.t1
		out = q.add(out)
	}
	return out
}
