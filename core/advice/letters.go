package advice

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

// A row is letters that stand on one line, measured in samples.
type row struct {
	pieces  []int // of the Look, from left to right
	box     geom.Rect
	height  float64 // what is read: the x-height, or that of the capitals
	capital bool    // there are capitals alone
	stem    float64 // mean thickness of the letters
	light   bool    // thin for their height
	bare    bool    // lighter than what they stand on
	round   bool    // they stand on a circle
}

// Light letters have stems of less than these parts of their height; those of
// regular weight have a sixth of the x-height and an eighth of the capitals
// (common practice).
const (
	lightSmall   = 0.12
	lightCapital = 0.09
)

// Of letters that came from outlines:
const (
	fewestLetters = 4
	mostLetters   = 3000 // pieces that are compared in pairs
	leastLetter   = 5    // samples: smaller ones are specks
)

// letters finds the rows of letters: what was text, and pieces of like height and
// weight that stand on one line without being all alike.
func (l *Look) letters() {
	var text, rest []int
	for i := 1; i < len(l.pieces); i++ {
		p := &l.pieces[i]
		switch {
		case p.lettered && !p.bare:
			text = append(text, i)
		case p.box.H() >= leastLetter && p.thick < 0.6*p.box.H() && p.box.Long() < 0.4*l.side:
			rest = append(rest, i)
		}
	}
	// Circles first: where they are level, their letters look like a line.
	text = l.arcs(text)
	for _, g := range l.marks(l.lines(text, true)) {
		l.add(g)
	}
	if len(rest) <= mostLetters {
		rest = l.arcs(rest)
		groups := l.lines(rest, false)
		var set [][]int
		groups = slices.DeleteFunc(groups, func(g []int) bool {
			if !l.looksSet(g) {
				return false
			}
			set = append(set, g)
			return true
		})
		for _, g := range l.words(set, groups) {
			l.add(g)
		}
	} else {
		l.crowd = len(rest)
	}
	l.dropCounters()
	l.accents()
}

// accents gives to a row what lies close over, under or behind its letters and is smaller:
// dots, accents, full stops. They are read with it, and no shapes.
func (l *Look) accents() {
	for n, r := range l.rows {
		if r.round {
			continue // what lies in its box may lie far from its letters
		}
		near := geom.Rect{X0: r.box.X0 - 0.3*r.height, Y0: r.box.Y0 - 0.5*r.height, X1: r.box.X1 + 0.7*r.height, Y1: r.box.Y1 + 0.3*r.height}
		for i := 1; i < len(l.pieces); i++ {
			if p := &l.pieces[i]; p.row == 0 && !p.bare && p.in == l.pieces[r.pieces[0]].in && p.box.H() < 0.6*r.height && p.box.W() < r.height && near.Contains(p.box, 0) {
				p.row = n + 1
			}
		}
	}
}

// lines groups pieces that stand beside each other.
func (l *Look) lines(pieces []int, text bool) [][]int {
	if len(pieces) > mostLetters {
		pieces = pieces[:mostLetters]
	}
	slices.SortFunc(pieces, func(a, b int) int { return cmp.Compare(l.pieces[a].box.X0, l.pieces[b].box.X0) })
	return grouped(pieces, func(i, j int) bool { // j begins further left
		a, b := &l.pieces[i], &l.pieces[j]
		lo, hi := min(a.box.H(), b.box.H()), max(a.box.H(), b.box.H())
		level := min(a.box.Y1, b.box.Y1) - max(a.box.Y0, b.box.Y0)
		gap := a.box.X0 - b.box.X1
		beside := level > 0.3*lo && gap < 2*hi && hi < 3.2*lo
		if !text {
			beside = hi < 1.8*lo && a.box.W() < 2.5*hi && b.box.W() < 2.5*hi && level > 0.5*lo && gap > -0.3*hi && gap < 0.9*lo && max(a.thick, b.thick) < 2.2*min(a.thick, b.thick)
		}
		return beside && l.sameInk(i, j)
	})
}

// sameInk reports whether two pieces look alike in colour.
func (l *Look) sameInk(i, j int) bool {
	a, b := &l.pieces[i], &l.pieces[j]
	return a.bare == b.bare && (a.colour == b.colour || colour.Difference(a.colour.Lab(), b.colour.Lab()) <= 2*sameColour)
}

// words gives short words to the rows that they stand in: pieces too few to be told
// for letters by themselves.
func (l *Look) words(rows, short [][]int) [][]int {
	joined := true
	for joined {
		joined = false
		for i := range rows {
			row := l.boxOf(rows[i])
			short = slices.DeleteFunc(short, func(g []int) bool {
				b := l.boxOf(g)
				gap := max(b.X0-row.X1, row.X0-b.X1)
				level := math.Abs(b.Y1-row.Y1) < 0.35*row.H() && b.Y0 > row.Y0-0.15*row.H()
				thick := l.pieces[g[0]].thick / l.pieces[rows[i][0]].thick
				if len(g) >= fewestLetters || !level || b.H() < 0.4*row.H() || gap > 1.5*row.H() || thick > 1.8 || thick < 0.55 || l.pieces[g[0]].bare != l.pieces[rows[i][0]].bare {
					return false
				}
				rows[i] = append(rows[i], g...)
				row, joined = row.Union(b), true
				return true
			})
		}
	}
	return rows
}

// marks gives full stops, middle dots and the like to the letters beside them.
func (l *Look) marks(groups [][]int) [][]int {
	box := make([]geom.Rect, len(groups))
	for i, g := range groups {
		box[i] = l.boxOf(g)
	}
	for i, g := range groups {
		home := -1
		for j, b := range box {
			near := geom.Rect{X0: b.X0 - 2*b.H(), Y0: b.Y0, X1: b.X1 + 2*b.H(), Y1: b.Y1 + 0.3*b.H()}
			if i != j && box[i].H() < 0.4*b.H() && len(g) <= 2 && near.Contains(box[i], 0) {
				home = j
			}
		}
		if home < 0 {
			continue
		}
		groups[home] = append(groups[home], g...)
		groups[i] = nil
	}
	return slices.DeleteFunc(groups, func(g []int) bool { return len(g) == 0 })
}

// looksSet reports whether pieces beside each other are letters: most stand on one
// line, and they are not the same few shapes again and again, as dots, hatches and
// ornaments are.
func (l *Look) looksSet(g []int) bool {
	if len(g) < fewestLetters {
		return false
	}
	var feet, tall []float64
	for _, i := range g {
		feet, tall = append(feet, l.pieces[i].box.Y1), append(tall, l.pieces[i].box.H())
	}
	foot, high := median(feet), median(tall)
	stand, bars := 0, 0
	var looks [][2]float64
	for _, i := range g {
		p := l.pieces[i]
		if p.area > 0.9*p.box.Area() { // as an I without serifs is; a row of such is a chart
			bars++
		}
		if math.Abs(p.box.Y1-foot) < 0.1*high {
			stand++
		}
		looks = append(looks, [2]float64{p.box.W() / high, p.area / (high * high)})
	}
	return stand*10 >= 7*len(g) && 2*bars < len(g) && varied(looks) && twoHeights(tall)
}

// varied reports whether pieces, told by their width and area against their height, are
// not the same few again and again.
func varied(looks [][2]float64) bool {
	n := kinds(looks)
	return n >= 3 && 3*n >= len(looks)
}

// kinds counts looks that differ.
func kinds(looks [][2]float64) int {
	var ks [][2]float64
	for _, k := range looks {
		if !slices.ContainsFunc(ks, func(o [2]float64) bool {
			return math.Abs(o[0]-k[0]) < 0.06 && math.Abs(o[1]-k[1]) < 0.05
		}) {
			ks = append(ks, k)
		}
	}
	return len(ks)
}

// twoHeights reports whether most of some heights are about one value, or one of
// two, as those of letters are.
func twoHeights(tall []float64) bool {
	left, covered := slices.Sorted(slices.Values(tall)), 0
	for range 2 {
		most, from := 0, 0
		for i := range left {
			n := 0
			for _, t := range left[i:] {
				if t <= 1.1*left[i] {
					n++
				}
			}
			if n > most {
				most, from = n, i
			}
		}
		covered += most
		left = slices.Delete(left, from, from+most)
	}
	return 4*covered >= 3*len(tall)
}

// add makes a row of pieces.
func (l *Look) add(g []int) {
	r := row{pieces: g}
	var thick, light float64
	for _, i := range g {
		p := l.pieces[i]
		r.box = r.box.Union(p.box)
		thick += p.thick * p.area
		light += p.area
		r.bare = r.bare || l.lighter(i)
	}
	r.stem = thick / light
	r.height, r.capital = l.height(r)
	if r.height < 1 {
		return
	}
	r.weigh()
	l.rows = append(l.rows, r)
	for _, i := range g {
		l.pieces[i].row = len(l.rows)
	}
}

// weigh tells whether the letters are thin.
func (r *row) weigh() {
	r.light = r.capital && r.stem < lightCapital*r.height || !r.capital && r.stem < lightSmall*r.height
}

// height is what is read of a row. Letters that are not joined stand on a line and
// are of two heights, or of one: then they are capitals.
func (l *Look) height(r row) (h float64, capital bool) {
	if len(r.pieces) < 3 || r.box.W() < 1.3*r.box.H() {
		return l.band(r)
	}
	var feet []float64
	for _, i := range r.pieces {
		feet = append(feet, l.pieces[i].box.Y1)
	}
	foot := median(feet)
	var tall []float64
	for _, i := range r.pieces {
		b := l.pieces[i].box
		if math.Abs(b.Y1-foot) < 0.18*(foot-b.Y0) && b.Y0 < foot {
			tall = append(tall, foot-b.Y0)
		}
	}
	if 2*len(tall) < len(r.pieces) { // on a curve, or script
		return l.turned(r), true
	}
	return read(tall)
}

// read is what is read of letters of some heights: of two, the lesser one is that of
// small letters.
func read(tall []float64) (h float64, capital bool) {
	slices.Sort(tall)
	most := tall[len(tall)*9/10]
	var small []float64
	for _, t := range tall {
		if t > 0.4*most && t < 0.85*most {
			small = append(small, t)
		}
	}
	if 6*len(small) >= len(tall) {
		return median(small), false
	}
	return median(slices.DeleteFunc(tall, func(t float64) bool { return t < 0.5*most })), true
}

// band is how high the part of joined letters is in which most of the ink lies: the
// x-height, without what reaches above and below.
func (l *Look) band(r row) (h float64, capital bool) {
	ink := make([]float64, int(r.box.H())+1)
	most := 0.0
	for y := range ink {
		at := (int(r.box.Y0) + y) * l.w
		if at+int(r.box.X1) > len(l.label) {
			break
		}
		for x := int(r.box.X0); x < int(r.box.X1); x++ {
			if slices.Contains(r.pieces, int(l.label[at+x])) {
				ink[y]++
			}
		}
		most = max(most, ink[y])
	}
	for _, v := range ink {
		if v >= most/2 {
			h++
		}
	}
	return max(h, 0.35*r.box.H()), h > 0.8*r.box.H()
}

// turned is the height of letters that do not stand on a level line: across the way
// to their neighbours.
func (l *Look) turned(r row) float64 {
	mid := func(i int) geom.Point { return l.pieces[i].box.Centre() }
	var tall []float64
	for _, i := range r.pieces {
		near := slices.Clone(r.pieces)
		slices.SortStableFunc(near, func(a, b int) int {
			return cmp.Compare(mid(a).Sub(mid(i)).Len(), mid(b).Sub(mid(i)).Len())
		})
		way := mid(near[min(2, len(near)-1)]).Sub(mid(near[1]))
		if way.Len() < mid(near[1]).Sub(mid(i)).Len() { // both on one side: an end
			way = mid(near[1]).Sub(mid(i))
		}
		across := way.Unit().Turn()
		lo, hi := math.Inf(1), math.Inf(-1)
		b := l.pieces[i].box
		for y := int(b.Y0); y < int(b.Y1); y++ {
			for x := int(b.X0); x < int(b.X1); x++ {
				if int(l.label[y*l.w+x]) == i {
					d := geom.Pt(float64(x), float64(y)).Dot(across)
					lo, hi = min(lo, d), max(hi, d)
				}
			}
		}
		tall = append(tall, hi-lo+1)
	}
	return median(tall)
}

// dropCounters takes back rows that are the insides of other letters, and those
// that stand in pieces of a row.
func (l *Look) dropCounters() {
	keep := l.rows[:0]
	for n, r := range l.rows {
		inside := 0
		for _, i := range r.pieces {
			if in := l.pieces[l.pieces[i].in].row; in > 0 && in != n+1 {
				inside++
			}
		}
		if 2*inside > len(r.pieces) {
			r.height = 0
		}
		keep = append(keep, r)
	}
	l.rows = slices.DeleteFunc(keep, func(r row) bool { return r.height == 0 })
	for i := range l.pieces {
		l.pieces[i].row = 0
	}
	for n, r := range l.rows {
		for _, i := range r.pieces {
			l.pieces[i].row = n + 1
		}
	}
}

func median(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	s := slices.Sorted(slices.Values(v))
	return s[len(s)/2]
}
