package preflight

import (
	"cmp"
	"fmt"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// Drawings that stand apart by this share of the page, and are at least so
// large beside the largest, are probably several candidates on one page.
const (
	apart   = 0.12
	ofLarge = 0.3
)

// mostApart bounds the pieces that are looked at pair by pair.
const mostApart = 2000

// Drawings returns the boxes of the drawings that stand apart on a page, with
// a little room each, in reading order; nil if there is only one.
func Drawings(d *drawing.Drawing) []geom.Rect {
	var boxes []geom.Rect
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if _, ok := n.(*drawing.Group); !ok {
			if b := drawing.Bounds(n); !b.Empty() {
				boxes = append(boxes, b)
			}
		}
	})
	if len(boxes) > mostApart {
		return nil
	}
	gap := apart * d.Page.Long()
	for joined := true; joined; { // until nothing is near anything else
		joined = false
		for i := 0; i < len(boxes); i++ {
			for j := i + 1; j < len(boxes); j++ {
				if !boxes[i].Grow(gap / 2).Intersect(boxes[j].Grow(gap / 2)).Empty() {
					boxes[i] = boxes[i].Union(boxes[j])
					boxes = append(boxes[:j], boxes[j+1:]...)
					j, joined = i, true
				}
			}
		}
	}
	large := 0.0
	for _, b := range boxes {
		large = max(large, b.Long())
	}
	if len(boxes) < 2 {
		return nil
	}
	for i, b := range boxes {
		if b.Long() < ofLarge*large {
			return nil // something small beside the art, not another drawing
		}
		boxes[i] = b.Grow(gap / 4)
	}
	return inReadingOrder(boxes)
}

// inReadingOrder sorts boxes by rows from above, and in each row from the left. A box belongs to
// the row whose first box its middle lies beside.
func inReadingOrder(boxes []geom.Rect) (out []geom.Rect) {
	slices.SortStableFunc(boxes, func(a, b geom.Rect) int { return cmp.Compare(a.Y0, b.Y0) })
	for len(boxes) > 0 {
		first := boxes[0]
		var row, rest []geom.Rect
		for _, b := range boxes {
			if y := b.Centre().Y; y >= first.Y0 && y <= first.Y1 {
				row = append(row, b)
			} else {
				rest = append(rest, b)
			}
		}
		slices.SortStableFunc(row, func(a, b geom.Rect) int { return cmp.Compare(a.X0, b.X0) })
		out, boxes = append(out, row...), rest
	}
	return out
}

func several(d *drawing.Drawing, fs *finding.List) {
	if n := len(Drawings(d)); n > 1 {
		fs.Add(finding.SeveralDrawings, finding.Note, fmt.Sprintf("%d drawings stand apart on the page: if they are candidates, look at them side by side and choose one", n), "", geom.Rect{})
	}
}
