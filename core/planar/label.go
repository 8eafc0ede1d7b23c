package planar

import (
	"math/bits"
	"sync"

	"dyekit/core/geom"
)

// A Set tells which layers hold a face. Layers are numbered in the order in
// which they were given to Overlay.
type Set struct {
	words []uint64
	wind  []int32
	rules []geom.Rule
}

// Has reports whether layer i holds the face.
func (s *Set) Has(i int) bool { return s.words[i>>6]>>(i&63)&1 != 0 }

// Top returns the highest layer that holds the face, or -1.
func (s *Set) Top() int { return s.Below(len(s.rules)) }

// Below returns the highest layer under layer i that holds the face, or -1.
func (s *Set) Below(i int) int {
	if i <= 0 {
		return -1
	}
	i--
	w := s.words[i>>6] << (63 - i&63) >> (63 - i&63)
	for k := i >> 6; ; w = s.words[k] {
		if w != 0 {
			return k<<6 + 63 - bits.LeadingZeros64(w)
		}
		if k--; k < 0 {
			return -1
		}
	}
}

// From returns the lowest layer from i on that holds the face, or -1.
func (s *Set) From(i int) int {
	if i >= len(s.rules) {
		return -1
	}
	w := s.words[i>>6] >> (i & 63) << (i & 63)
	for k := i >> 6; ; w = s.words[k] {
		if w != 0 {
			return k<<6 + bits.TrailingZeros64(w)
		}
		if k++; k == len(s.words) {
			return -1
		}
	}
}

// turn adds deltas to the winding numbers, or takes them back.
func (s *Set) turn(ds []delta, sign int32) {
	for _, d := range ds {
		i := d.layer
		s.wind[i] += sign * d.wind
		in := s.wind[i] != 0
		if s.rules[i] == geom.EvenOdd {
			in = s.wind[i]&1 != 0
		}
		if bit := uint64(1) << (i & 63); in {
			s.words[i>>6] |= bit
		} else {
			s.words[i>>6] &^= bit
		}
	}
}

// A Map gives every face of a plane a label.
type Map struct {
	p     *Plane
	label []int // of each face

	once    sync.Once
	regions []Region
	of      []int32 // the region of each face
}

// Label calls f once for each face that has an edge, in a fixed order, and
// keeps what it says. The set is only valid during the call. Faces thinner
// than Sliver then take the label of the neighbour they share most with.
func (p *Plane) Label(f func(in *Set) int) *Map {
	m := p.label(f)
	m.absorb()
	return m
}

// label is Label without the joining of thin faces.
func (p *Plane) label(f func(in *Set) int) *Map {
	s := &Set{words: make([]uint64, len(p.rules)>>6+1), wind: make([]int32, len(p.rules)), rules: p.rules}
	m := &Map{p: p, label: make([]int, max(1, p.faces))}
	known := make([]bool, len(m.label))
	m.label[0], known[0] = f(s), true
	// The edges above each edge, as first child and next sibling.
	child, sibling := make([]int32, len(p.edges)+1), make([]int32, len(p.edges))
	for i := range child {
		child[i] = -1
	}
	root := int32(len(p.edges))
	for e := len(p.edges) - 1; e >= 0; e-- {
		under := p.parent[e]
		if under < 0 {
			under = root
		}
		sibling[e], child[under] = child[under], int32(e)
	}
	var walk []int32 // edges that have been stepped over
	for e := child[root]; e >= 0 || len(walk) > 0; {
		if e < 0 {
			e = walk[len(walk)-1]
			walk = walk[:len(walk)-1]
			s.turn(p.deltas[p.edges[e].d0:p.edges[e].d1], -1)
			e = sibling[e]
			continue
		}
		s.turn(p.deltas[p.edges[e].d0:p.edges[e].d1], 1)
		if up := p.face[2*e+1]; !known[up] {
			m.label[up], known[up] = f(s), true
		}
		walk = append(walk, e)
		e = child[e]
	}
	return m
}

// Area returns the area of the faces whose label f picks, in square page
// units, measured on the pieces: curves count with their chords.
func (m *Map) Area(pick func(label int) bool) float64 {
	var sum float64
	for e := range m.p.edges {
		below, above := pick(m.label[m.p.face[2*e]]), pick(m.label[m.p.face[2*e+1]])
		if below == above {
			continue
		}
		a, b := m.p.points[m.p.edges[e].a], m.p.points[m.p.edges[e].b]
		under := float64(b.x-a.x) * (float64(a.y) + float64(b.y)) / 2
		if above {
			under = -under
		}
		sum += under
	}
	return sum / (m.p.grid.k * m.p.grid.k)
}

// Long is the longer side of the plane, in page units.
func (m *Map) Long() float64 { return m.p.Long() }
