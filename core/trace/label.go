package trace

import (
	"context"
	"math"
	"slices"

	"dyekit/core/island"
	"dyekit/core/parallel"
)

// labels tell of each pixel which colour of the palette it belongs to.
type labels struct {
	p      *hues
	cs     []hue // the colours, as pixels are compared with them
	paints []hue // the same, as they are painted
	l      []int16
	blends map[int16]*blend // of those labels whose areas are ramps
}

// none marks pixels that are not decided yet.
const none = -1

// label gives plain pixels the colour they have, and those of edges the nearer of
// the two they mix.
func (p *hues) label(ctx context.Context, cs []hue, noise float64, speck int) (*labels, error) {
	m := &labels{p: p, cs: cs, paints: cs, l: make([]int16, len(p.v))}
	sure := 0.06 + noise
	parallel.Each(p.h, func(y int) {
		for i := y * p.w; i < (y+1)*p.w; i++ {
			c := p.v[i]
			m.l[i] = none
			best, second := math.Inf(1), math.Inf(1)
			at := 0
			for k := range cs {
				if d := c.far2(cs[k]); d < best {
					best, second, at = d, best, k
				} else if d < second {
					second = d
				}
			}
			if best <= sure*sure || best < 0.25*0.25*second && p.step(i%p.w, y) < 0.1+2*noise {
				m.l[i] = int16(at)
			}
		}
	})
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	m.thinEdges()
	m.fill()
	m.specks(speck, noise)
	return m, ctx.Err()
}

func (m *labels) at(x, y int) int16 {
	if x < 0 || y < 0 || x >= m.p.w || y >= m.p.h {
		return none
	}
	return m.l[y*m.p.w+x]
}

// thinEdges takes back what looks like a colour and is the edge between two
// others: pixels without a neighbourhood of their own colour that mix two
// colours which lie on either side.
func (m *labels) thinEdges() {
	w, h := m.p.w, m.p.h
	core := m.core()
	gone := make([][]int, h) // of each row
	parallel.Each(h, func(y int) {
		for x := range w {
			i := y*w + x
			own := m.l[i]
			if own == none || core[i] {
				continue
			}
			var around [16]int16
			n := 0
			for dy := -2; dy <= 2; dy++ {
				for dx := -2; dx <= 2; dx++ {
					nx, ny := x+dx, y+dy
					if nx < 0 || ny < 0 || nx >= w || ny >= h || !core[ny*w+nx] {
						continue
					}
					l, seen := m.l[ny*w+nx], false
					for _, o := range around[:n] {
						seen = seen || o == l
					}
					if !seen && n < len(around) && l != own {
						around[n] = l
						n++
					}
				}
			}
			for a := range n {
				for b := range a {
					if t, off := m.p.v[i].along(m.cs[around[a]], m.cs[around[b]]); off < unmixed && t > 0.05 && t < 0.95 {
						gone[y] = append(gone[y], i)
					}
				}
			}
		}
	})
	for _, i := range slices.Concat(gone...) {
		m.l[i] = none
	}
}

// core marks the pixels of squares of two by two of one colour.
func (m *labels) core() []bool {
	w := m.p.w
	return squares(w, m.p.h, func(i int) bool {
		l := m.l[i]
		return l != none && m.l[i+1] == l && m.l[i+w] == l && m.l[i+w+1] == l
	})
}

// fill decides the pixels of edges: of the colours around, the two that mix to
// the pixel best, and of these the nearer.
func (m *labels) fill() {
	from := slices.Clone(m.l)
	parallel.Each(m.p.h, func(y int) {
		for x := range m.p.w {
			if i := y*m.p.w + x; from[i] == none {
				m.l[i] = m.nearest(x, y, from)
			}
		}
	})
}

// nearest is the colour that a pixel of an edge belongs to, by those around that are decided.
func (m *labels) nearest(x, y int, from []int16) int16 {
	w := m.p.w
	c := m.p.v[y*w+x]
	var around [25]int16
	n := 0
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			if nx, ny := x+dx, y+dy; nx >= 0 && ny >= 0 && nx < w && ny < m.p.h {
				if l := from[ny*w+nx]; l != none && !slices.Contains(around[:n], l) {
					around[n] = l
					n++
				}
			}
		}
	}
	best, least := none, math.Inf(1)
	try := func(a, b int16, fine float64) {
		t, off := c.along(m.cs[a], m.cs[b])
		if off *= fine; off < least-1e-9 {
			least, best = off, int(a)
			if t > 0.5 {
				best = int(b)
			}
		}
	}
	for a := range n {
		for b := range a {
			try(around[a], around[b], 1)
		}
	}
	if least > unmixed { // a colour that stands nowhere plain nearby
		for a := range n {
			for b := range m.cs {
				try(around[a], int16(b), 1.2)
			}
		}
	}
	if least > 2*unmixed {
		for k := range m.cs {
			if d := c.far(m.cs[k]); d < least {
				least, best = d, k
			}
		}
	}
	return int16(max(best, 0))
}

// specks gives pieces of fewer pixels than a speck to the neighbour that surrounds
// them most; in noise also larger ones that hardly differ from it.
func (m *labels) specks(speck int, noise float64) {
	w, h := m.p.w, m.p.h
	for _, piece := range island.Find(w, m.l, none, false) {
		if piece.N >= speck && (noise == 0 || piece.N >= rings*speck) {
			continue
		}
		px := piece.Pixels()
		own := m.l[px[0]]
		beside := map[int16]int{}
		for _, i := range px {
			take := func(j int, within bool) {
				if within && m.l[j] != own {
					beside[m.l[j]]++
				}
			}
			x := i % w
			take(i+1, x+1 < w)
			take(i-1, x > 0)
			take(i+w, i+w < w*h)
			take(i-w, i >= w)
		}
		best, most := own, 0
		for l := range m.cs { // in order: equal inputs, equal outcome
			if n := beside[int16(l)]; n > most {
				best, most = int16(l), n
			}
		}
		mixed := int16(none)
		if noise > noisy {
			mixed = m.mixed(own, beside, noise)
		}
		switch {
		case mixed != none:
			best = mixed
		case piece.N >= speck && m.cs[best].far(m.cs[own]) > 0.1+3*noise:
			continue
		}
		for _, i := range px {
			m.l[i] = best
		}
	}
}

// mixed returns the colour of a small piece whose own is a mixture of the two that
// surround it most, as packing leaves it of thin lines: the one that it has more of;
// none if it is no such mixture.
func (m *labels) mixed(own int16, beside map[int16]int, noise float64) int16 {
	a, b := int16(none), int16(none)
	all := 0
	for l := range m.cs {
		n := beside[int16(l)]
		all += n
		switch {
		case n == 0:
		case a < 0 || n > beside[a]:
			a, b = int16(l), a
		case b < 0 || n > beside[b]:
			b = int16(l)
		}
	}
	if b < 0 || beside[b]*8 < all {
		return none
	}
	t, off := m.cs[own].along(m.cs[a], m.cs[b])
	switch {
	case off > unmixed+noise || t < 0.1 || t > 0.9:
		return none
	case t < 0.5:
		return a
	}
	return b
}

// rings is how many times larger than a speck what noise makes can be.
const rings = 12

// place is where between the middles of two pixels, one step along (dx, dy), the
// border of their colours runs, from 0 to 1. Where the whole of a soft edge is
// seen along the line, its sum tells exactly.
func (m *labels) place(x, y, dx, dy int) float64 {
	a, b := m.hue(x, y), m.hue(x+dx, y+dy)
	la, lb := m.at(x, y), m.at(x+dx, y+dy)
	t := func(k int) float64 {
		v, _ := m.p.v[(y+k*dy)*m.p.w+x+k*dx].along(a, b)
		return v
	}
	const bare, full, reach = 0.03, 0.97, 3
	t0, t1 := t(0), t(1)
	lo, hi := 0, 1
	sum := t0 + t1
	for last := t0; last > bare; {
		if k := lo - 1; lo > -reach && m.at(x+k*dx, y+k*dy) == la {
			if v := t(k); v <= last+0.02 {
				lo, last, sum = k, v, sum+v
				continue
			}
		}
		break
	}
	for last := t1; last < full; {
		if k := hi + 1; hi < 1+reach && m.at(x+k*dx, y+k*dy) == lb {
			if v := t(k); v >= last-0.02 {
				hi, last, sum = k, v, sum+v
				continue
			}
		}
		break
	}
	if t(lo) <= bare && t(hi) >= full {
		// The coverage of the line from lo-½ to hi+½ is what lies beyond the edge.
		return min(0.999, max(0.001, float64(hi)+0.5-sum))
	}
	if t1-t0 < 1e-6 {
		return 0.5
	}
	return min(0.98, max(0.02, (0.5-t0)/(t1-t0)))
}

// stride is between the pixels that are looked at where a hundred thousand tell as
// much as all.
func (m *labels) stride() int { return len(m.l)/100_000 | 1 }

// hard reports whether the picture has no soft edges: hardly a pixel beside a
// border is a mixture.
func (m *labels) hard() bool {
	w := m.p.w
	soft, all := 0, 0
	for i := 0; i < len(m.l); i += m.stride() {
		x, y, l := i%w, i/w, m.l[i]
		for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			o := m.at(x+d[0], y+d[1])
			if o == none || o == l {
				continue
			}
			all++
			if t, _ := m.p.v[i].along(m.cs[l], m.cs[o]); t > 0.06 {
				soft++
			}
		}
	}
	return soft*20 < all
}

// edge is how many pixels an edge between two colours takes, in the middle of
// those that lie level or upright.
func (m *labels) edge() float64 {
	w := m.p.w
	var all []float64
	for i := 0; i < len(m.l); i += m.stride() {
		x, y := i%w, i/w
		for _, d := range [2][2]int{{1, 0}, {0, 1}} {
			la, lb := m.at(x, y), m.at(x+d[0], y+d[1])
			if lb == none || la == lb {
				continue
			}
			// The steepest step tells the width: a sharp edge takes one pixel.
			steepest := 0.0
			for k := -2; k <= 2; k++ {
				if m.at(x+k*d[0], y+k*d[1]) == none || m.at(x+(k+1)*d[0], y+(k+1)*d[1]) == none {
					continue
				}
				t0, _ := m.p.v[(y+k*d[1])*w+x+k*d[0]].along(m.cs[la], m.cs[lb])
				t1, _ := m.p.v[(y+(k+1)*d[1])*w+x+(k+1)*d[0]].along(m.cs[la], m.cs[lb])
				steepest = max(steepest, t1-t0)
			}
			if steepest > 0.02 {
				all = append(all, 1/steepest)
			}
		}
	}
	if len(all) == 0 {
		return 1
	}
	slices.Sort(all)
	return all[len(all)/2]
}
