package preflight

import (
	"fmt"

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
	return boxes
}

func several(d *drawing.Drawing, fs *finding.List) {
	if n := len(Drawings(d)); n > 1 {
		fs.Add(finding.SeveralDrawings, finding.Note, fmt.Sprintf("%d drawings stand apart on the page: if they are candidates, look at them side by side and choose one", n), "", geom.Rect{})
	}
}
