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
	byStart(ps)
	p.edges = make([]edge, 0, len(ps))
	p.deltas = make([]delta, 0, len(ps))
	starts, ends := make([]uint64, 0, len(ps)), make([]keyed, 0, len(ps))
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
			e := int32(len(p.edges))
			p.edges = append(p.edges, edge{src: q.src, t0: q.t0, t1: q.t1, d0: int32(d0), d1: int32(len(p.deltas))})
			starts, ends = append(starts, q.a.key()), append(ends, keyed{q.b.key(), e})
		}
		ps = ps[n:]
	}
	// Number the vertices in the order of the sweep: the starts are in it.
	sortKeys(ends)
	p.ending = make([]int32, len(ends))
	for i, k := range ends {
		p.ending[i] = k.i
	}
	p.points = make([]pt, 0, len(ends)+1)
	for i, j := 0, 0; i < len(starts) || j < len(ends); {
		var k uint64
		if j == len(ends) || i < len(starts) && starts[i] < ends[j].key {
			k = starts[i]
		} else {
			k = ends[j].key
		}
		v := int32(len(p.points))
		p.points = append(p.points, unkey(k))
		for ; i < len(starts) && starts[i] == k; i++ {
			p.edges[i].a = v
		}
		for ; j < len(ends) && ends[j].key == k; j++ {
			p.edges[ends[j].i].b = v
		}
	}
}

// pieces are what the edges were made of, but for what was the same.
func (p *Plane) pieces() []piece {
	var out []piece
	for _, e := range p.edges {
		for _, d := range p.deltas[e.d0:e.d1] {
			wind := int8(1)
			if d.wind < 0 {
				wind = -1
			}
			for range max(d.wind, -d.wind) {
				out = append(out, piece{p.points[e.a], p.points[e.b], e.t0, e.t1, e.src, d.layer, wind})
			}
		}
	}
	return out
}

// byStart sorts the pieces by their lesser end, then slope from below, then other
// end and source. They are moved where they lie, along the cycles of the
// permutation: a second slice of them would be the most memory of all the work.
func byStart(ps []piece) {
	keys := make([]keyed, len(ps))
	for i := range ps {
		keys[i] = keyed{ps[i].a.key(), int32(i)}
	}
	sortKeys(keys)
	for i := range keys {
		first, to := ps[i], int32(i)
		for from := keys[to].i; from != int32(i); from = keys[to].i {
			ps[to], keys[to].i = ps[from], to
			to = from
		}
		ps[to], keys[to].i = first, to
	}
	for from := 0; from < len(ps); {
		to := from + 1
		for to < len(ps) && keys[to].key == keys[from].key {
			to++
		}
		if to > from+1 {
			slices.SortFunc(ps[from:to], func(a, b piece) int {
				if a.b != b.b {
					// The directions span less than half a turn.
					return cmp.Or(cmp.Compare(0, orient(a.a, a.b, b.b)), cmp.Compare(a.b.key(), b.b.key()))
				}
				return cmp.Or(cmp.Compare(a.src, b.src), cmp.Compare(a.t0, b.t0))
			})
		}
		from = to
	}
}

// A keyed is a thing's number by what it is sorted.
type keyed struct {
	key uint64
	i   int32
}

// sortKeys sorts by key, equal ones as they stand, which must be by number, digit
// by digit: for hundreds of thousands of them this takes a fifth of the time of
// comparing.
func sortKeys(ks []keyed) {
	const digit, few = 11, 512
	if len(ks) < few {
		slices.SortFunc(ks, func(a, b keyed) int {
			if a.key != b.key {
				return cmp.Compare(a.key, b.key)
			}
			return int(a.i) - int(b.i)
		})
		return
	}
	var low, high uint64 = ^uint64(0), 0 // bits that are the same in all need no pass
	for _, k := range ks {
		low, high = low&k.key, high|k.key
	}
	spare := make([]keyed, len(ks))
	from, to := ks, spare
	for shift := 0; shift < 64; shift += digit {
		if (low^high)>>shift&(1<<digit-1) == 0 {
			continue
		}
		var at [1 << digit]int32
		for _, k := range from {
			at[k.key>>shift&(1<<digit-1)]++
		}
		sum := int32(0)
		for d, n := range at {
			at[d] = sum
			sum += n
		}
		for _, k := range from {
			d := k.key >> shift & (1<<digit - 1)
			to[at[d]] = k
			at[d]++
		}
		from, to = to, from
	}
	if &from[0] != &ks[0] {
		copy(ks, from)
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
