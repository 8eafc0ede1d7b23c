package intake

import (
	"context"
	"fmt"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/preflight"
)

// readSVG reads an SVG. It has no pages; the one that is asked for is a view that the file names,
// or else, in a file without views, one of the drawings that stand apart in it.
func readSVG(ctx context.Context, data []byte, opt Options) (source, error) {
	d, boxes, fs, err := svg.ReadViews(ctx, data, svg.Options{Fonts: opt.Fonts, StandIn: opt.StandIn})
	page, _ := chosen(opt.Mends)
	if err != nil || page == 0 {
		return source{d, fs, 0, false}, err
	}
	if len(boxes) == 0 {
		boxes = preflight.Drawings(d)
	}
	switch n := len(boxes); {
	case n == 0: // the sheet is one that finds nothing to do, or is not there
		return source{d, fs, 0, false}, nil
	case page > n:
		return source{}, fmt.Errorf("the file has %d drawings, so there is no number %d", n, page)
	}
	pages(&fs, page, len(boxes), page)
	return source{view(d, boxes[page-1]), fs, len(boxes), false}, nil
}

// view is what a box of the page shows of a drawing.
func view(d *drawing.Drawing, box geom.Rect) *drawing.Drawing {
	e := d.Map(func(n drawing.Node) drawing.Node {
		if _, group := n.(*drawing.Group); !group && drawing.Bounds(n).Intersect(box).Empty() {
			return nil
		}
		return n
	})
	c := *e
	c.Page = box
	return &c
}
