package advice

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// Of letters that stand on a circle and came from outlines:
const (
	fewestRound = 6    // letters: fewer tell no circle from a heap
	leastRadius = 1.2  // heights of its letters that a circle has at least
	widestGap   = 2.4  // lengths of a letter to the next one, word spaces included
	sameRing    = 0.45 // heights within which the middles of its letters lie
	turnsLeast  = 0.5  // radians from the first letter to the last: less is a line
	leastRound  = 40   // times its height that the mark is long at most: smaller ones are ornament
	closest     = 0.3  // heights that two of them overlap at most, each seen as a box
	widest      = 0.7  // heights between two of them, but for the spaces between words
)

// A ringed piece is one seen from the middle of a circle.
type ringed struct {
	piece          int
	foot, top, mid float64 // from the middle, in samples
	turn           float64 // its direction, radians
	wide           float64 // along the circle, in samples
	area           float64
}

// arcs finds letters that stand on circles: of like height and weight, from one radius
// outwards or inwards, and not all alike. The middles that are tried are those of what
// is large, and the one that the pieces themselves lie about. It returns the pieces that
// are in no such row.
func (l *Look) arcs(pieces []int) []int {
	if len(pieces) > mostLetters {
		return pieces
	}
	free := func(i int) bool { return l.pieces[i].row == 0 }
	for _, g := range l.heaps(pieces) {
		for _, c := range l.middles(g) {
			for len(g) >= fewestRound {
				arc := l.ring(g, c)
				if arc == nil {
					break
				}
				l.addRound(arc)
				for _, i := range pieces { // dots and accents
					if r, ok := l.roundly(i, c); ok && free(i) && belongs(r, arc, l.pieces[i].lettered) {
						l.pieces[i].row = len(l.rows)
					}
				}
				g = slices.DeleteFunc(g, func(i int) bool { return !free(i) })
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(pieces), func(i int) bool { return !free(i) })
}

// belongs reports whether a piece is a dot, an accent or a stop of letters on a circle,
// or, of what was text, letters that touch.
func belongs(r ringed, arc []ringed, text bool) bool {
	for _, a := range arc {
		high := a.top - a.foot
		if text && r.foot > a.foot-high && r.top < a.top+high {
			return true
		}
		away := math.Abs(math.Remainder(r.turn-a.turn, 2*math.Pi)) * r.mid
		if r.foot > a.foot-0.6*high && r.top < a.top+0.6*high && max(r.top-r.foot, r.wide) < 0.7*high && away < (a.wide+r.wide)/2+0.4*high {
			return true
		}
	}
	return false
}

// heaps groups pieces of like size, weight and colour that lie near each other.
func (l *Look) heaps(pieces []int) [][]int {
	return grouped(pieces, func(i, j int) bool {
		a, b := &l.pieces[i], &l.pieces[j]
		long := max(a.box.Long(), b.box.Long())
		return a.box.Centre().Sub(b.box.Centre()).Len() < widestGap*long &&
			long < 2.5*min(a.box.Long(), b.box.Long()) && max(a.thick, b.thick) < 2.2*min(a.thick, b.thick) && l.sameInk(i, j)
	})
}

// grouped puts together what is alike, directly or through others, in the order given.
func grouped(of []int, alike func(i, j int) bool) (groups [][]int) {
	root := make([]int, len(of))
	find := func(i int) int {
		for root[i] != i {
			root[i] = root[root[i]]
			i = root[i]
		}
		return i
	}
	for i := range of {
		root[i] = i
		for j := range i {
			if a, b := find(i), find(j); a != b && alike(of[i], of[j]) {
				root[max(a, b)] = min(a, b)
			}
		}
	}
	at := map[int]int{}
	for i := range of {
		r := find(i)
		if _, ok := at[r]; !ok {
			at[r] = len(groups)
			groups = append(groups, nil)
		}
		groups[at[r]] = append(groups[at[r]], of[i])
	}
	return groups
}

// middles are the points that letters may stand round.
func (l *Look) middles(g []int) []geom.Point {
	var cs []geom.Point
	add := func(c geom.Point) {
		if !slices.ContainsFunc(cs, func(o geom.Point) bool { return o.Sub(c).Len() < 0.01*l.side }) {
			cs = append(cs, c)
		}
	}
	if c, ok := l.circle(g); ok {
		add(c)
	}
	box := l.boxOf(g)
	for i := range l.pieces {
		b := l.pieces[i].box
		if i > 0 && b.Long() > 0.3*box.Long() && b.W() < 1.2*b.H() && b.H() < 1.2*b.W() && len(cs) < 6 {
			add(b.Centre())
		}
	}
	return cs
}

// circle is the middle of the circle on which the middles of pieces lie best, by least
// squares of the algebraic distance (Kåsa 1976).
func (l *Look) circle(g []int) (geom.Point, bool) {
	var m geom.Point
	for _, i := range g {
		m = m.Add(l.pieces[i].box.Centre())
	}
	m = m.Mul(1 / float64(len(g)))
	var xx, xy, yy, xz, yz float64
	for _, i := range g {
		p := l.pieces[i].box.Centre().Sub(m)
		z := p.X*p.X + p.Y*p.Y
		xx, xy, yy, xz, yz = xx+p.X*p.X, xy+p.X*p.Y, yy+p.Y*p.Y, xz+p.X*z, yz+p.Y*z
	}
	det := xx*yy - xy*xy
	if det < 1e-6*xx*yy {
		return m, false // on a line
	}
	return m.Add(geom.Pt((xz*yy-yz*xy)/(2*det), (yz*xx-xz*xy)/(2*det))), true
}

// ring is those of some pieces that are letters set round a point; nil if too few are.
func (l *Look) ring(g []int, c geom.Point) []ringed {
	var all []ringed
	for _, i := range g {
		if r, ok := l.roundly(i, c); ok {
			all = append(all, r)
		}
	}
	if len(all) < fewestRound {
		return nil
	}
	slices.SortStableFunc(all, func(a, b ringed) int { return cmp.Compare(a.mid, b.mid) })
	var best []ringed
	for i := range all {
		tall := all[i].top - all[i].foot
		j := i
		for j < len(all) && all[j].mid < all[i].mid+2*sameRing*tall {
			j++
		}
		if some := all[i:j]; len(some) > len(best) && tall*leastRound > l.side && looksRound(some) {
			best = some
		}
	}
	return best
}

// roundly sees a piece from a point outside it.
func (l *Look) roundly(i int, c geom.Point) (r ringed, ok bool) {
	p := &l.pieces[i]
	r = ringed{piece: i, foot: math.Inf(1), area: p.area}
	mid := p.box.Centre().Sub(c)
	r.turn, r.mid = math.Atan2(mid.Y, mid.X), mid.Len()
	if r.mid < p.box.Long() {
		return r, false
	}
	out := mid.Unit()
	across := out.Turn()
	lo, hi := math.Inf(1), math.Inf(-1)
	for y := int(p.box.Y0); y < int(p.box.Y1); y++ {
		for x := int(p.box.X0); x < int(p.box.X1); x++ {
			if int(l.label[y*l.w+x]) != i {
				continue
			}
			d := geom.Pt(float64(x)+0.5, float64(y)+0.5).Sub(c)
			far, along := d.Dot(out), d.Dot(across)
			r.foot, r.top = min(r.foot, far-0.5), max(r.top, far+0.5)
			lo, hi = min(lo, along-0.5), max(hi, along+0.5)
		}
	}
	r.wide, r.mid = hi-lo, (r.foot+r.top)/2
	return r, r.foot > 0
}

// looksRound reports whether pieces about a point are letters, as looksSet does of those
// on a level line: they may stand with their feet or, read from below, with their heads inwards.
func looksRound(g []ringed) bool {
	if len(g) < fewestRound {
		return false
	}
	var feet, tops, tall, turns []float64
	for _, r := range g {
		feet, tops, tall, turns = append(feet, r.foot), append(tops, r.top), append(tall, r.top-r.foot), append(turns, r.turn)
	}
	high, foot, top := median(tall), median(feet), median(tops)
	if foot < leastRadius*high || spread(turns) < turnsLeast {
		return false
	}
	stand, hang := 0, 0
	var looks, areas [][2]float64
	for _, r := range g {
		if math.Abs(r.foot-foot) < 0.12*high {
			stand++
		}
		if math.Abs(r.top-top) < 0.12*high {
			hang++
		}
		full := r.area / (high * high)
		looks, areas = append(looks, [2]float64{r.wide / high, full}), append(areas, [2]float64{0, full})
	}
	// The same star turned this way and that is of several widths and of one area.
	return max(stand, hang)*10 >= 8*len(g) && varied(looks) && kinds(areas) >= 3 && twoHeights(tall) && spaced(g, high)
}

// spaced reports whether pieces follow each other along a circle as letters do.
func spaced(g []ringed, high float64) bool {
	order := slices.Clone(g)
	slices.SortStableFunc(order, func(a, b ringed) int { return cmp.Compare(a.turn, b.turn) })
	near := 0
	for i, a := range order {
		b := order[(i+1)%len(order)]
		turn := b.turn - a.turn
		if turn <= 0 {
			turn += 2 * math.Pi
		}
		switch gap := turn*(a.mid+b.mid)/2 - (a.wide+b.wide)/2; {
		case gap < -closest*high:
			return false
		case gap < widest*high:
			near++
		}
	}
	return 3*near >= 2*(len(order)-1)
}

// spread is how much of a turn holds some directions: a whole one less the widest gap.
func spread(turns []float64) float64 {
	t := slices.Sorted(slices.Values(turns))
	gap := t[0] + 2*math.Pi - t[len(t)-1]
	for i := range t[1:] {
		gap = max(gap, t[i+1]-t[i])
	}
	return 2*math.Pi - gap
}

// addRound makes a row of letters on a circle.
func (l *Look) addRound(arc []ringed) {
	r := row{round: true}
	var tall []float64
	var thick, area float64
	for _, x := range arc {
		p := &l.pieces[x.piece]
		r.pieces, r.box = append(r.pieces, x.piece), r.box.Union(p.box)
		tall = append(tall, x.top-x.foot)
		thick, area = thick+p.thick*p.area, area+p.area
		r.bare = r.bare || l.lighter(x.piece)
		p.row = len(l.rows) + 1
	}
	r.stem = thick / area
	r.height, r.capital = read(tall)
	r.weigh()
	l.rows = append(l.rows, r)
}
