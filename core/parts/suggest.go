package parts

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/preflight"
)

// The names that are suggested.
const (
	Symbol   = "symbol"
	Wordmark = "wordmark"
	Tagline  = "tagline"
	Backing  = "backing"
)

// Suggest names the parts by how they lie, with the keys of their pieces: a
// row of pieces of one height is lettering, the tallest rows are the wordmark,
// smaller ones a tagline, a rectangle behind all is the backing and the rest
// the symbol. Lettering that lies within another shape belongs to it. Where
// all would be one part nothing is suggested.
func Suggest(d *drawing.Drawing, keys []string) []Naming {
	back, _ := preflight.Backing(d)
	of := map[int]string{} // by piece
	var open []block
	leaves(d, func(n drawing.Node) {
		i, b := drawing.PieceOf(n), drawing.Bounds(n)
		if i < 1 || i > len(keys) || b.Empty() {
			return
		}
		s, shape := n.(*drawing.Shape)
		if shape && s == back {
			of[i] = Backing
			return
		}
		open = append(open, block{box: b, pieces: []int{i}, text: shape && (s.Origin == drawing.Lettered || rowOfContours(s.Path))})
	})
	lines, rest := rows(open)
	lines, rest = accents(lines, rest)
	tallest := 0.0
	var standing []block
	for _, l := range lines {
		if within(l.box, rest) {
			rest = append(rest, l)
			continue
		}
		standing = append(standing, l)
		tallest = max(tallest, l.height())
	}
	for _, l := range standing {
		name := Wordmark
		if l.height() < 0.6*tallest { // common practice: a tagline is half as tall or less
			name = Tagline
		}
		for _, p := range l.pieces {
			of[p] = name
		}
	}
	for _, b := range rest {
		for _, p := range b.pieces {
			of[p] = Symbol
		}
	}
	var out []Naming
	for _, name := range []string{Symbol, Wordmark, Tagline, Backing} {
		var n Naming
		for i, k := range keys {
			if of[i+1] == name {
				n.Name, n.Pieces = name, append(n.Pieces, k)
			}
		}
		if n.Name != "" {
			out = append(out, n)
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// A block is some pieces that lie together.
type block struct {
	box    geom.Rect
	pieces []int
	text   bool
	tall   []float64 // heights of what it is made of
}

// height is that of the letters: of a row, the median of its pieces.
func (b block) height() float64 {
	if len(b.tall) == 0 {
		return b.box.H()
	}
	t := slices.Sorted(slices.Values(b.tall))
	return t[len(t)/2]
}

// beside reports whether two boxes can be letters of one row: of like height,
// at one level, and near each other.
func beside(a, b geom.Rect) bool {
	ha, hb := a.H(), b.H()
	lo, hi := min(ha, hb), max(ha, hb)
	if hi > 1.7*lo || a.W() > 2.5*hi || b.W() > 2.5*hi {
		return false
	}
	if min(a.Y1, b.Y1)-max(a.Y0, b.Y0) < 0.5*lo {
		return false
	}
	gap := max(a.X0, b.X0) - min(a.X1, b.X1)
	return gap > -0.3*hi && gap < 0.9*lo
}

// gather joins boxes for which near holds, directly or through others.
func gather(n int, near func(i, j int) bool) [][]int {
	root := make([]int, n)
	for i := range root {
		root[i] = i
	}
	var find func(i int) int
	find = func(i int) int {
		if root[i] != i {
			root[i] = find(root[i])
		}
		return root[i]
	}
	for i := range n {
		for j := range i {
			if near(i, j) {
				root[find(i)] = find(j)
			}
		}
	}
	groups := map[int][]int{}
	for i := range n {
		groups[find(i)] = append(groups[find(i)], i)
	}
	var out [][]int
	for i := range n {
		if g := groups[i]; g != nil {
			out = append(out, g)
		}
	}
	return out
}

// mostCompared bounds the pieces whose layout is looked at pair by pair.
const mostCompared = 3000

// rows finds lettering: blocks that are text, in one row or more, and rows of
// at least three pieces that are like letters.
func rows(bs []block) (lines, rest []block) {
	if len(bs) > mostCompared {
		return nil, bs
	}
	for _, g := range gather(len(bs), func(i, j int) bool {
		a, b := bs[i], bs[j]
		if a.text && b.text {
			h := max(a.box.H(), b.box.H())
			level := min(a.box.Y1, b.box.Y1)-max(a.box.Y0, b.box.Y0) > 0.5*min(a.box.H(), b.box.H())
			return level && max(a.box.X0, b.box.X0)-min(a.box.X1, b.box.X1) < 2*h && h < 2.2*min(a.box.H(), b.box.H())
		}
		return !a.text && !b.text && beside(a.box, b.box)
	}) {
		var l block
		for _, i := range g {
			l.box, l.pieces = l.box.Union(bs[i].box), append(l.pieces, bs[i].pieces...)
			l.tall = append(l.tall, bs[i].box.H())
			l.text = l.text || bs[i].text
		}
		if l.text || len(g) >= 3 && l.box.W() > 2*l.box.H() {
			lines = append(lines, l)
			continue
		}
		for _, i := range g {
			rest = append(rest, bs[i])
		}
	}
	return lines, rest
}

// accents gives to a row the small pieces that lie in it or just over it: the
// dots of an i, a comma.
func accents(lines, rest []block) (_, left []block) {
	for _, b := range rest {
		i := slices.IndexFunc(lines, func(l block) bool {
			h := l.height()
			room := geom.Rect{X0: l.box.X0 - 0.3*h, Y0: l.box.Y0 - 0.5*h, X1: l.box.X1 + 0.5*h, Y1: l.box.Y1 + 0.3*h}
			return b.box.H() < 0.6*h && b.box.W() < h && room.Contains(b.box, 0)
		})
		if i < 0 {
			left = append(left, b)
			continue
		}
		lines[i].pieces = append(lines[i].pieces, b.pieces...)
		lines[i].box = lines[i].box.Union(b.box)
	}
	return lines, left
}

// within reports whether a row lies inside one of the blocks.
func within(r geom.Rect, bs []block) bool {
	return slices.ContainsFunc(bs, func(b block) bool { return b.box.Contains(r, 0.02*r.H()) })
}

// rowOfContours reports whether a path is a word in outlines: most of its
// outer contours lie in one row like letters.
func rowOfContours(p geom.Path) bool {
	var boxes []geom.Rect
	subs := p.Subpaths()
	if len(subs) < 3 || len(subs) > mostCompared {
		return false
	}
	for _, s := range subs {
		if b := s.Bounds(); !b.Empty() {
			boxes = append(boxes, b)
		}
	}
	slices.SortStableFunc(boxes, func(a, b geom.Rect) int { return cmp.Compare(b.Area(), a.Area()) })
	var outer []geom.Rect
	for _, b := range boxes {
		if !slices.ContainsFunc(outer, func(o geom.Rect) bool { return o.Contains(b, 0) }) {
			outer = append(outer, b)
		}
	}
	most := 0
	for _, g := range gather(len(outer), func(i, j int) bool { return beside(outer[i], outer[j]) }) {
		most = max(most, len(g))
	}
	b := p.Bounds()
	return most >= 3 && float64(most) >= math.Ceil(0.6*float64(len(outer))) && b.W() > 2*b.H()
}
