package planar

import (
	"slices"

	"dyekit/core/geom"
	"dyekit/core/parallel"
)

// An arc is an edge walked in one direction.
type arc struct {
	e    int32
	back bool // from b to a
}

func (p *Plane) from(a arc) int32 {
	if a.back {
		return p.edges[a.e].b
	}
	return p.edges[a.e].a
}

func (p *Plane) to(a arc) int32 {
	if a.back {
		return p.edges[a.e].a
	}
	return p.edges[a.e].b
}

// params returns the parameters of the source at the arc's start and end.
func (p *Plane) params(a arc) (float64, float64) {
	e := p.edges[a.e]
	if a.back {
		return e.t1, e.t0
	}
	return e.t0, e.t1
}

// Path returns the boundary of the faces whose labels keep picks.
func (m *Map) Path(keep func(label int) bool) geom.Path {
	p := m.p
	var arcs []arc
	for e := range p.edges {
		below, above := keep(m.label[p.face[2*e]]), keep(m.label[p.face[2*e+1]])
		if below != above {
			arcs = append(arcs, arc{int32(e), below})
		}
	}
	var out geom.Path
	for _, loop := range p.loops(arcs) {
		p.sew(loop, false, &out)
	}
	return out
}

// Paths returns the boundaries of the faces of each label below n, as Path does
// of one; nothing for label 0.
func (m *Map) Paths(n int) []geom.Path {
	p := m.p
	arcs := make([][]arc, n)
	for e := range p.edges {
		if below, above := m.label[p.face[2*e]], m.label[p.face[2*e+1]]; below != above {
			arcs[below] = append(arcs[below], arc{int32(e), true})
			arcs[above] = append(arcs[above], arc{int32(e), false})
		}
	}
	out := make([]geom.Path, n)
	parallel.Each(n-1, func(i int) {
		for _, loop := range p.loops(arcs[i+1]) {
			p.sew(loop, false, &out[i+1])
		}
	})
	return out
}

// Seams returns for each label below n the borders that owner gives it, of those
// between two labels, as open and closed curves: for strokes along them; and the
// labels beyond those borders, rising. owner is below 0 for a border that no
// label gets.
func (m *Map) Seams(n int, owner func(below, above int) int) (lines []geom.Path, beyond [][]int) {
	p := m.p
	arcs := make([][]arc, n)
	beyond = make([][]int, n)
	for e := range p.edges {
		below, above := m.label[p.face[2*e]], m.label[p.face[2*e+1]]
		if below == above {
			continue
		}
		if l := owner(below, above); l >= 0 {
			arcs[l] = append(arcs[l], arc{e: int32(e)})
			beyond[l] = append(beyond[l], below+above-l)
		}
	}
	lines = make([]geom.Path, n)
	parallel.Each(n, func(i int) {
		lines[i] = p.lines(arcs[i])
		slices.Sort(beyond[i])
		beyond[i] = slices.Compact(beyond[i])
	})
	return lines, beyond
}

// Lines returns the borders between faces whose labels pick names, as Seams
// does.
func (m *Map) Lines(pick func(below, above int) bool) geom.Path {
	p := m.p
	var arcs []arc
	for e := range p.edges {
		below, above := m.label[p.face[2*e]], m.label[p.face[2*e+1]]
		if below != above && pick(below, above) {
			arcs = append(arcs, arc{e: int32(e)})
		}
	}
	return p.lines(arcs)
}

// lines joins arcs to curves that end where they branch.
func (p *Plane) lines(arcs []arc) geom.Path {
	at := make(map[int32][]int, len(arcs)) // the arcs at each vertex
	for i, a := range arcs {
		at[p.edges[a.e].a] = append(at[p.edges[a.e].a], i)
		at[p.edges[a.e].b] = append(at[p.edges[a.e].b], i)
	}
	used := make([]bool, len(arcs))
	// walk follows edges from a vertex until they branch, end or close.
	walk := func(i int, from int32) (chain []arc) {
		for {
			used[i] = true
			a := arc{arcs[i].e, p.edges[arcs[i].e].a != from}
			chain = append(chain, a)
			from = p.to(a)
			here := at[from]
			if len(here) != 2 {
				return chain
			}
			next := here[0]
			if next == i {
				next = here[1]
			}
			if used[next] {
				return chain
			}
			i = next
		}
	}
	var out geom.Path
	for _, open := range []bool{true, false} {
		for i, a := range arcs {
			for _, v := range []int32{p.edges[a.e].a, p.edges[a.e].b} {
				if !used[i] && (!open || len(at[v]) != 2) {
					p.sew(walk(i, v), open, &out)
				}
			}
		}
	}
	return out
}

// loops joins arcs into closed walks that hug the area on their left, so that
// areas that touch at a point come out as contours of their own.
func (p *Plane) loops(arcs []arc) [][]arc {
	leave := p.leaving(arcs)
	used := make([]bool, len(arcs))
	var all [][]arc
	for i := range arcs {
		if used[i] {
			continue
		}
		var loop []arc
		for at := int32(i); !used[at]; {
			used[at] = true
			loop = append(loop, arcs[at])
			v := p.to(arcs[at])
			best := int32(-1)
			back := p.vec(v, p.from(arcs[at]))
			for j := leave.first(v); j >= 0; j = leave.next[j] {
				if best < 0 || sooner(back, p.vec(v, p.to(arcs[j])), p.vec(v, p.to(arcs[best]))) {
					best = j
				}
			}
			at = best
		}
		all = append(all, loop)
	}
	return all
}

// leaving lists the arcs that leave each vertex, in order.
type leaving struct {
	few  map[int32]int32 // the first arc of a vertex, or
	all  []int32
	next []int32
}

func (p *Plane) leaving(arcs []arc) leaving {
	l := leaving{next: make([]int32, len(arcs))}
	if len(arcs) > len(p.points)/8 {
		l.all = make([]int32, len(p.points))
		for i := range l.all {
			l.all[i] = -1
		}
	} else {
		l.few = make(map[int32]int32, len(arcs))
	}
	for i := len(arcs) - 1; i >= 0; i-- {
		v := p.from(arcs[i])
		l.next[i] = l.first(v)
		if l.all != nil {
			l.all[v] = int32(i)
		} else {
			l.few[v] = int32(i)
		}
	}
	return l
}

func (l *leaving) first(v int32) int32 {
	if l.all != nil {
		return l.all[v]
	}
	if i, ok := l.few[v]; ok {
		return i
	}
	return -1
}

func (p *Plane) vec(a, b int32) pt {
	return pt{p.points[b].x - p.points[a].x, p.points[b].y - p.points[a].y}
}

// sooner reports whether turning from r against the sense of orient meets u
// before v. None of them point the same way.
func sooner(r, u, v pt) bool {
	hu, hv := half(r, u), half(r, v)
	if hu != hv {
		return hu < hv
	}
	return orient(pt{}, u, v) < 0
}

// half is 0 for directions less than half a turn from r against the sense of
// orient, 1 for the opposite one, 2 beyond.
func half(r, u pt) int {
	switch o := orient(pt{}, r, u); {
	case o < 0:
		return 0
	case o > 0:
		return 2
	}
	return 1
}
