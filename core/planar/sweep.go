package planar

import (
	"cmp"
	"context"
	"slices"
)

// gather sorts the settled pieces by their lesser end and slope, and makes one
// edge of those that are the same. Edges that change no layer's inside are
// dropped.
func (p *Plane) gather(ps []piece) {
	slices.SortFunc(ps, func(a, b piece) int {
		if a.a != b.a {
			return cmp.Compare(a.a.key(), b.a.key())
		}
		if a.b != b.b {
			// Lower slope first; the directions span less than half a turn.
			return cmp.Or(cmp.Compare(0, orient(a.a, a.b, b.b)), cmp.Compare(a.b.key(), b.b.key()))
		}
		return cmp.Or(cmp.Compare(a.src, b.src), cmp.Compare(a.t0, b.t0))
	})
	p.edges = make([]edge, 0, len(ps))
	p.deltas = make([]delta, 0, len(ps))
	ends := make([]uint64, 0, len(ps))
	var starts []uint64
	for len(ps) > 0 {
		n := 1
		for n < len(ps) && ps[n].a == ps[0].a && ps[n].b == ps[0].b {
			n++
		}
		d0 := len(p.deltas)
		for _, q := range ps[:n] {
			p.turn(d0, delta{q.layer, int32(q.wind)})
		}
		if len(p.deltas) > d0 {
			q := ps[0]
			p.edges = append(p.edges, edge{src: q.src, t0: q.t0, t1: q.t1, d0: int32(d0), d1: int32(len(p.deltas))})
			starts, ends = append(starts, q.a.key()), append(ends, q.b.key())
		}
		ps = ps[n:]
	}
	// Number the vertices in the order of the sweep.
	all := slices.Concat(starts, ends)
	slices.Sort(all)
	all = slices.Compact(all)
	p.points = make([]pt, len(all))
	for i, k := range all {
		p.points[i] = pt{int32(uint32(k>>32) ^ 1<<31), int32(uint32(k) ^ 1<<31)}
	}
	v := 0
	for i := range p.edges {
		for all[v] != starts[i] {
			v++
		}
		p.edges[i].a = int32(v)
		w, _ := slices.BinarySearch(all[v:], ends[i])
		p.edges[i].b = int32(v + w)
	}
}

// turn adds a delta to those from d0 on, dropping what comes to nothing.
func (p *Plane) turn(d0 int, d delta) {
	for i := d0; i < len(p.deltas); i++ {
		e := &p.deltas[i]
		if e.layer != d.layer {
			continue
		}
		if e.wind += d.wind; e.wind == 0 {
			p.deltas = slices.Delete(p.deltas, i, i+1)
		}
		return
	}
	p.deltas = append(p.deltas, d)
}

// sweep walks the vertices from left to right, keeps the edges that cross the
// sweep line in order from below, and finds for every edge the one below its
// left end and which of the places between edges are one face. "Below" and
// "above" are meant with y upwards; an upright edge is leant over a little.
func (p *Plane) sweep(ctx context.Context) error {
	outer := int32(2 * len(p.edges))
	sets := newSets(2*len(p.edges) + 1)
	p.parent = make([]int32, len(p.edges))
	ending := make([]int32, len(p.points)+1)
	for _, e := range p.edges {
		ending[e.b]++
	}
	var line []int32
	next := int32(0)
	for v := range p.points {
		if v&4095 == 0 {
			if err := ctx.Err(); err != nil {
				return err
			}
		}
		at := p.points[v]
		lo, _ := slices.BinarySearchFunc(line, at, func(e int32, at pt) int {
			if orient(p.points[p.edges[e].a], p.points[p.edges[e].b], at) > 0 {
				return -1
			}
			return 1
		})
		n := int(ending[v])
		if lo+n > len(line) {
			return errTangled
		}
		for _, e := range line[lo : lo+n] {
			if int(p.edges[e].b) != v {
				return errTangled
			}
		}
		below, above := outer, outer // sides of the neighbours
		under := int32(-1)
		if lo > 0 {
			under = line[lo-1]
			below = 2*under + 1
		}
		if lo+n < len(line) {
			above = 2 * line[lo+n]
			if e := p.edges[line[lo+n]]; orient(p.points[e.a], p.points[e.b], at) == 0 {
				return errTangled
			}
		}
		first := next
		for int(next) < len(p.edges) && int(p.edges[next].a) == v {
			p.parent[next] = under
			sets.join(below, 2*next)
			below, under = 2*next+1, next
			next++
		}
		sets.join(below, above)
		line = replace(line, lo, lo+n, first, next)
	}
	if len(line) > 0 || int(next) != len(p.edges) {
		return errTangled
	}
	p.face = make([]int32, outer)
	number := make([]int32, outer+1)
	number[sets.root(outer)] = 1
	p.faces = 1
	for side := range p.face {
		r := sets.root(int32(side))
		if number[r] == 0 {
			p.faces++
			number[r] = int32(p.faces)
		}
		p.face[side] = number[r] - 1
	}
	return nil
}

// replace puts the edges from first to last in the place of line[i:j].
func replace(line []int32, i, j int, first, last int32) []int32 {
	n := int(last - first)
	if d := n - (j - i); d > 0 {
		line = append(line, make([]int32, d)...)
		copy(line[j+d:], line[j:])
	} else if d < 0 {
		copy(line[j+d:], line[j:])
		line = line[:len(line)+d]
	}
	for k := range n {
		line[i+k] = first + int32(k)
	}
	return line
}

// sets are disjoint sets of small numbers.
type sets []int32

func newSets(n int) sets {
	s := make(sets, n)
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

func (s sets) root(i int32) int32 {
	for s[i] != i {
		s[i] = s[s[i]]
		i = s[i]
	}
	return i
}

// join makes one set of two; the lesser number names it.
func (s sets) join(i, j int32) {
	i, j = s.root(i), s.root(j)
	if i < j {
		s[j] = i
	} else {
		s[i] = j
	}
}
