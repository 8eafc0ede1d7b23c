package trace

import (
	"cmp"
	"math"
	"slices"
)

// A heap of pixels of about one hue.
type heap struct {
	sum  hue
	n    float64
	side int // px of the largest square that it fills somewhere, in pictures with noise
}

func (h heap) mean() hue {
	return hue{h.sum[0] / h.n, h.sum[1] / h.n, h.sum[2] / h.n, h.sum[3] / h.n}
}

// gather makes heaps of bins that lie near one another, the fullest first, and tells of each
// bin which heap it came to.
func gather(bins map[[4]uint8]*heap, near float64) (out []heap, of map[[4]uint8]int) {
	of = map[[4]uint8]int{}
	type bin struct {
		key [4]uint8
		*heap
	}
	var all []bin
	for k, b := range bins {
		all = append(all, bin{k, b})
	}
	slices.SortFunc(all, func(a, b bin) int {
		return cmp.Or(cmp.Compare(b.n, a.n), slices.Compare(a.key[:], b.key[:]))
	})
	for _, b := range all {
		at, far := -1, near
		for i := range out {
			if d := b.mean().far(out[i].mean()); d < far {
				at, far = i, d
			}
		}
		if at < 0 {
			of[b.key] = len(out)
			out = append(out, *b.heap)
			continue
		}
		of[b.key] = at
		for i := range b.sum {
			out[at].sum[i] += b.sum[i]
		}
		out[at].n += b.n
	}
	return out, of
}

// noRing is the side of a square, px, that what packing throws about edges does not fill: that is
// as wide as its waves, and a shade that was drawn is wider.
const noRing = 7

// squared finds the largest square of each heap.
func (p *hues) squared(hs []heap, of map[[4]uint8]int) {
	row := make([]int, p.w)
	own := make([]int, p.w) // of the row before
	var last [4]uint8
	at := none
	for y := range p.h {
		left, corner, leftOwn, cornerOwn := 0, 0, none, none
		for x := range p.w {
			if k := p.v[y*p.w+x].bin(); x == 0 && y == 0 || k != last {
				var ok bool
				if at, ok = of[k]; !ok {
					at = none
				}
				last = k
			}
			n := 0
			if at != none {
				n = 1
				if leftOwn == at && cornerOwn == at && own[x] == at {
					n += min(left, corner, row[x])
				}
				hs[at].side = max(hs[at].side, n)
			}
			corner, cornerOwn = row[x], own[x]
			row[x], own[x] = n, at
			left, leftOwn = n, at
		}
	}
}

// withoutRings drops heaps that noise and packing make beside larger ones: mixtures
// of two far larger heaps, and near one that is. If more colours are wanted than are left,
// those come back that fill the largest squares.
func withoutRings(hs []heap, want int) []heap {
	slices.SortStableFunc(hs, func(a, b heap) int { return cmp.Compare(b.n, a.n) })
	var out, rings []heap
	for _, h := range hs {
		m, ring := h.mean(), false
		for i, a := range out {
			if h.side >= noRing {
				break
			}
			far := m.far(a.mean())
			ring = ring || h.n < 0.04*a.n && far < 0.25 || h.n < 0.3*a.n && far < 0.16
			for _, b := range out[:i] {
				t, off := m.along(a.mean(), b.mean())
				ring = ring || h.n < 0.12*min(a.n, b.n) && off < 0.09 && t > 0.03 && t < 0.97
			}
		}
		if ring {
			rings = append(rings, h)
		} else {
			out = append(out, h)
		}
	}
	slices.SortStableFunc(rings, func(a, b heap) int { return cmp.Or(cmp.Compare(b.side, a.side), cmp.Compare(b.n, a.n)) })
	return append(out, rings[:min(len(rings), max(0, want-len(out)))]...)
}

// joinNearest makes one of the two heaps that are missed least.
func joinNearest(hs []heap) []heap {
	bi, bj, least := 0, 1, math.Inf(1)
	for i := range hs {
		for j := i + 1; j < len(hs); j++ {
			d := hs[i].mean().far(hs[j].mean())
			if cost := d * d * min(hs[i].n, hs[j].n); cost < least {
				bi, bj, least = i, j, cost
			}
		}
	}
	a, b := hs[bi], hs[bj]
	for i := range a.sum {
		a.sum[i] += b.sum[i]
	}
	a.n += b.n
	hs = slices.Delete(slices.Clone(hs), bj, bj+1)
	hs[bi] = a
	return hs
}
