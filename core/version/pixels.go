package version

import (
	"context"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// maxSide bounds a side of a picture that stands for art in a file of curves,
// in px.
const maxSide = 6000

// WithoutEffects returns the drawing without filters (shadow, glow, blur); what
// they were put on stays. Blends become plain paint.
func WithoutEffects(d *drawing.Drawing) *drawing.Drawing {
	return with(d, eachGroup(d.Nodes, func(g *drawing.Group) drawing.Node {
		g.Filter, g.Blend = nil, drawing.Normal
		return g
	})...)
}

// eachGroup returns copies of the nodes in which f has changed every group, the
// innermost first. f gets a copy.
func eachGroup(ns []drawing.Node, f func(*drawing.Group) drawing.Node) []drawing.Node {
	out := make([]drawing.Node, len(ns))
	for i, n := range ns {
		out[i] = n
		if g, ok := n.(*drawing.Group); ok {
			c := *g
			c.Nodes = eachGroup(g.Nodes, f)
			out[i] = f(&c)
		}
	}
	return out
}

// WithPictures returns the drawing with each group that has a filter as a
// picture of itself, k px to the page unit, clear where it is bare. view is what
// the frame shows. Clips, masks, opacity and blends stay as they are.
func WithPictures(ctx context.Context, d *drawing.Drawing, view geom.Rect, k float64) (*drawing.Drawing, error) {
	var first error
	ns := eachGroup(d.Nodes, func(g *drawing.Group) drawing.Node {
		if g.Filter == nil {
			return g
		}
		only := with(d, &drawing.Group{Nodes: g.Nodes, Filter: g.Filter, Alpha: 1})
		p, err := picture(ctx, only, only.Bounds().Intersect(view), k, nil)
		if err != nil {
			if first == nil {
				first = err
			}
			return g
		}
		g.Nodes, g.Filter = nil, nil
		if p != nil {
			p.Part = g.Part
			g.Nodes = []drawing.Node{p}
		}
		return g
	})
	return with(d, ns...), first
}

// AsPicture returns what is seen of the drawing through a frame as one picture,
// k px to the page unit, on a ground if that is not nil.
func AsPicture(ctx context.Context, d *drawing.Drawing, view geom.Rect, k float64, ground *colour.RGB) (*drawing.Drawing, error) {
	p, err := picture(ctx, d, view, k, ground)
	if err != nil || p == nil {
		return d, err
	}
	return with(d, p), nil
}

func picture(ctx context.Context, d *drawing.Drawing, box geom.Rect, k float64, ground *colour.RGB) (*drawing.Picture, error) {
	if box.Empty() {
		return nil, nil
	}
	k = min(k, maxSide/box.Long())
	w, h := max(1, int(math.Ceil(box.W()*k))), max(1, int(math.Ceil(box.H()*k)))
	img, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{Ground: ground})
	if err != nil {
		return nil, err
	}
	return &drawing.Picture{Image: img, To: geom.Affine{A: box.W(), D: box.H(), E: box.X0, F: box.Y0}, Alpha: 1}, nil
}
