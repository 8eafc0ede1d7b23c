package planar

import (
	"cmp"
	"slices"

	"dyekit/core/geom"
)

// A Region is a connected area of one label.
type Region struct {
	Label   int
	Area    float64  // square page units, curves counted with their chords
	Round   float64  // length of all its borders in page units
	Borders []Border // by rising region
}

// A Border is what a region shares with another.
type Border struct {
	Region int
	Length float64 // page units
}

// Regions lists the connected areas of the map; region 0 is the outer one,
// whose area is not counted. of gives the region of each face. Neither is to be
// changed.
func (m *Map) Regions() (rs []Region, of []int32) {
	m.once.Do(func() { m.regions, m.of = m.divide() })
	return m.regions, m.of
}

func (m *Map) divide() (rs []Region, of []int32) {
	p := m.p
	areas := newSets(len(m.label))
	for e := range p.edges {
		if a, b := p.face[2*e], p.face[2*e+1]; m.label[a] == m.label[b] {
			areas.join(a, b)
		}
	}
	of = make([]int32, len(m.label))
	for f := range of {
		r := areas.root(int32(f))
		if r == int32(f) { // the least face of a region comes first
			of[f] = int32(len(rs))
			rs = append(rs, Region{Label: m.label[f]})
		}
		of[f] = of[r]
	}
	type pair struct{ a, b int32 }
	at := map[pair]int{} // where a pair stands in pairs
	var pairs []pair
	var lengths []float64
	last, lastAt := pair{-1, -1}, 0
	k := p.grid.k
	for e := range p.edges {
		below, above := of[p.face[2*e]], of[p.face[2*e+1]]
		if below == above {
			continue
		}
		a, b := p.points[p.edges[e].a], p.points[p.edges[e].b]
		under := float64(b.x-a.x) / k * (float64(a.y) + float64(b.y)) / k / 2
		rs[below].Area += under
		rs[above].Area -= under
		l := geom.Pt(float64(b.x-a.x), float64(b.y-a.y)).Len() / k
		rs[below].Round += l
		rs[above].Round += l
		if x := (pair{min(below, above), max(below, above)}); x != last {
			i, known := at[x]
			if !known {
				i = len(pairs)
				at[x] = i
				pairs, lengths = append(pairs, x), append(lengths, 0)
			}
			last, lastAt = x, i
		}
		lengths[lastAt] += l
	}
	rs[0].Area = 0
	for i, x := range pairs {
		rs[x.a].Borders = append(rs[x.a].Borders, Border{int(x.b), lengths[i]})
		rs[x.b].Borders = append(rs[x.b].Borders, Border{int(x.a), lengths[i]})
	}
	for i := range rs {
		slices.SortFunc(rs[i].Borders, func(x, y Border) int { return cmp.Compare(x.Region, y.Region) })
	}
	return rs, of
}

// Relabel returns the map with new labels for the regions that Regions lists.
func (m *Map) Relabel(label func(region int) int) *Map {
	rs, of := m.Regions()
	ls := make([]int, len(rs))
	for i := range ls {
		ls[i] = label(i)
	}
	n := &Map{p: m.p, label: make([]int, len(m.label))}
	for f, r := range of {
		n.label[f] = ls[r]
	}
	return n
}

// absorb gives slivers the label of their longest neighbour. A sliver is a
// region whose mean width is less than Sliver.
func (m *Map) absorb() {
	limit := Sliver * m.p.Long()
	for range 3 {
		rs, of := m.divide()
		thin := func(i int) bool { return i != 0 && 2*rs[i].Area < limit*rs[i].Round }
		some := false
		label := make([]int, len(rs))
		for i, r := range rs {
			label[i] = r.Label
			if !thin(i) {
				continue
			}
			shared := map[int]float64{}
			for _, b := range r.Borders {
				if !thin(b.Region) {
					shared[rs[b.Region].Label] += b.Length
				}
			}
			most := 0.0
			for l, length := range shared {
				if length > most || length == most && l < label[i] {
					label[i], most, some = l, length, true
				}
			}
		}
		if !some {
			m.once.Do(func() { m.regions, m.of = rs, of })
			return
		}
		for f, r := range of {
			m.label[f] = label[r]
		}
	}
}

// Borders calls f for every edge between faces of different labels, with its
// ends in page units.
func (m *Map) Borders(f func(below, above int, a, b geom.Point)) {
	p := m.p
	for e := range p.edges {
		if below, above := m.label[p.face[2*e]], m.label[p.face[2*e+1]]; below != above {
			f(below, above, p.grid.point(p.points[p.edges[e].a]), p.grid.point(p.points[p.edges[e].b]))
		}
	}
}
