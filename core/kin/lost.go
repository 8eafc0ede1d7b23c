package kin

import (
	"cmp"
	"slices"

	"dyekit/core/geom"
)

// What makes shapes a line of lettering, and when one of them is missed (rules of this engine).
const (
	lineHeight = 1.7 // times as high as another one of the line
	lineApart  = 1.2 // heights between neighbours
	fewest     = 3   // shapes of a line
	legible    = 20  // px of a shape's height from which its form can be told
	mostLost   = 3   // one in so many of a line, and at least one: where more are others it is another hand
)

// lost lists the shapes of o that v has not, among lettering of which it has the rest: a letter is
// missing there, or another one is in its place. A line that is left out altogether is meant so.
// In o's page units.
func (v view) lost(o view, box geom.Rect) (out []geom.Rect) {
	pair := v.pairs(o)
	of := make([]*shape, len(o.shapes)) // the shape of v that is each of o's
	for i, j := range pair {
		if j >= 0 {
			of[j] = &v.shapes[i]
		}
	}
	for _, line := range lines(o.shapes) {
		var gone []int
		var grown []float64
		for _, j := range line {
			if of[j] == nil {
				gone = append(gone, j)
			} else {
				grown = append(grown, float64(of[j].box.Dy())/float64(o.shapes[j].box.Dy()))
			}
		}
		if len(gone) == 0 || len(gone) > max(1, len(line)/mostLost) {
			continue
		}
		slices.Sort(grown)
		scale := grown[len(grown)/2]
		for _, j := range gone {
			if h := float64(o.shapes[j].box.Dy()); min(h, h*scale) < legible {
				continue
			}
			out = append(out, o.place(o.shapes[j], box))
		}
	}
	return out
}

// lines groups shapes that stand beside each other as letters do, from the left; those alone are in
// none.
func lines(shapes []shape) (out [][]int) {
	order := make([]int, len(shapes))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(shapes[a].box.Min.X, shapes[b].box.Min.X) })
	used := make([]bool, len(shapes))
	for _, first := range order {
		if used[first] {
			continue
		}
		line := []int{first}
		for _, j := range order {
			last := shapes[line[len(line)-1]].box
			b := shapes[j].box
			h := float64(max(b.Dy(), last.Dy()))
			if used[j] || j == first || b.Min.X < last.Min.X || slices.Contains(line, j) {
				continue
			}
			both := min(b.Max.Y, last.Max.Y) - max(b.Min.Y, last.Min.Y)
			if h > lineHeight*float64(min(b.Dy(), last.Dy())) || float64(both) < 0.5*h || float64(b.Min.X-last.Max.X) > lineApart*h {
				continue
			}
			line = append(line, j)
		}
		if len(line) >= fewest {
			for _, j := range line {
				used[j] = true
			}
			out = append(out, line)
		}
	}
	return out
}
