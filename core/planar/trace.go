package planar

import "dyekit/core/geom"

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

// loops joins arcs into closed walks that hug the area on their left, so that
// areas that touch at a point come out as contours of their own.
func (p *Plane) loops(arcs []arc) [][]arc {
	// The arcs that leave each vertex, as a list.
	first := map[int32]int32{}
	next := make([]int32, len(arcs))
	for i := len(arcs) - 1; i >= 0; i-- {
		v := p.from(arcs[i])
		next[i] = -1
		if j, ok := first[v]; ok {
			next[i] = j
		}
		first[v] = int32(i)
	}
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
			for j := first[v]; j >= 0; j = next[j] {
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
