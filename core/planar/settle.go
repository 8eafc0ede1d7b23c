package planar

import (
	"cmp"
	"context"
	"math"
	"runtime"
	"slices"
	"sync"
)

// A cutting is a grid point at which a piece is to be bent or cut.
type cutting struct {
	piece int32
	at    pt
	along int64 // scalar product with the piece, for the order along it
}

// settle rounds the crossings to the grid until no two pieces cross and no
// end lies on the inside of another piece: they then meet at ends only, or
// are the same. This is snap rounding (Hobby, "Practical segment intersection
// with finite precision output", 1999) done in rounds: a piece is led through
// the middle of every grid square that holds an end or a crossing and that it
// passes, and what has moved is looked at again.
func settle(ctx context.Context, ps []piece) ([]piece, error) {
	for range maxRounds {
		cuts, err := cuttings(ctx, ps)
		if err != nil {
			return nil, err
		}
		if len(cuts) == 0 {
			return ps, nil
		}
		if len(ps)+len(cuts) > MaxPieces {
			return nil, ErrTooMany
		}
		ps = apply(ps, cuts)
	}
	return nil, errTangled
}

// cuttings compares every fresh piece with all others, on all cores.
func cuttings(ctx context.Context, ps []piece) ([]cutting, error) {
	if len(ps) == 0 {
		return nil, nil
	}
	t := build(ps)
	workers := max(1, min(runtime.GOMAXPROCS(0), len(ps)/2048))
	found := make([][]cutting, workers)
	all := true
	for i := range ps {
		all = all && ps[i].fresh
	}
	var wait sync.WaitGroup
	for w := range workers {
		wait.Go(func() {
			var out []cutting
			for i := w * len(ps) / workers; i < (w+1)*len(ps)/workers; i++ {
				if i&4095 == 0 && ctx.Err() != nil {
					return
				}
				if !ps[i].fresh {
					continue
				}
				first := 0
				if all {
					first = i + 1
				}
				t.near(ps[i], first, func(j int) {
					// Of two fresh pieces the earlier finds the pair.
					if j != i && (j > i || !ps[j].fresh) {
						out = meet(ps, i, j, out)
					}
				})
			}
			found[w] = out
		})
	}
	wait.Wait()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return slices.Concat(found...), nil
}

// meet appends the cuttings that pieces i and j ask of each other.
func meet(ps []piece, i, j int, out []cutting) []cutting {
	p, q := &ps[i], &ps[j]
	if p.a == q.a && p.b == q.b {
		return out
	}
	o1, o2 := orient(p.a, p.b, q.a), orient(p.a, p.b, q.b)
	o3, o4 := orient(q.a, q.b, p.a), orient(q.a, q.b, p.b)
	out = passes(p, i, q.a, o1, out)
	out = passes(p, i, q.b, o2, out)
	out = passes(q, j, p.a, o3, out)
	out = passes(q, j, p.b, o4, out)
	if (o1 > 0) == (o2 > 0) || (o3 > 0) == (o4 > 0) || o1 == 0 || o2 == 0 || o3 == 0 || o4 == 0 {
		return out
	}
	// The crossing divides p as o3 : −o4. The rounding of float64 is some
	// 2^-26 of a grid unit here; where that picks the square next door, the
	// next round puts it right.
	t := float64(o3) / (float64(o3) - float64(o4))
	x := pt{
		p.a.x + int32(math.RoundToEven(float64(p.b.x-p.a.x)*t)),
		p.a.y + int32(math.RoundToEven(float64(p.b.y-p.a.y)*t)),
	}
	out = bend(p, i, x, out)
	return bend(q, j, x, out)
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
	// A square of half a unit reaches (dx+dy)/2 along the normal of p.
	if 2*o > dx+dy || v.x < p.a.x || v.x > p.b.x || v.y < min(p.a.y, p.b.y) || v.y > max(p.a.y, p.b.y) {
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
		p.fresh = false
		if len(cuts) == 0 || cuts[0].piece != int32(i) {
			out = append(out, p)
			continue
		}
		dx, dy := float64(p.b.x-p.a.x), float64(p.b.y-p.a.y)
		q := p
		q.fresh = true
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
