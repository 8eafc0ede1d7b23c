package version

import (
	"context"
	"math"
	"slices"

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

// WithPictures returns the drawing with the effect of each filter as a picture, k px to
// the page unit and only as large as it is: a shadow below art that stays as it is
// drawn, a light above it; where the art itself is changed the picture shows that too.
// view is what the frame shows. Clips, masks, opacity and blends stay.
func WithPictures(ctx context.Context, d *drawing.Drawing, view geom.Rect, k float64) (*drawing.Drawing, error) {
	var first error
	shot := func(g *drawing.Group, f *drawing.Filter) []drawing.Node {
		if f == nil {
			return nil
		}
		only := with(d, &drawing.Group{Nodes: g.Nodes, Filter: f, Alpha: 1})
		p, err := picture(ctx, only, only.Bounds().Intersect(view), k, nil)
		if err != nil {
			if first == nil {
				first = err
			}
			return nil
		}
		if p == nil {
			return nil
		}
		p.Part = g.Part
		return []drawing.Node{p}
	}
	ns := eachGroup(d.Nodes, func(g *drawing.Group) drawing.Node {
		if g.Filter == nil {
			return g
		}
		below, above, ok := apart(g)
		if ok {
			art := g.Nodes
			if drawing.Blending(art) { // a filter works on the group alone, so that nothing in it mixes with what lies below
				art = []drawing.Node{&drawing.Group{Nodes: art, Alpha: 1, Isolated: true, Part: g.Part}}
			}
			g.Nodes = slices.Concat(shot(g, below), art, shot(g, above))
		} else {
			g.Nodes = shot(g, g.Filter)
		}
		g.Filter = nil
		return g
	})
	return with(d, ns...), first
}

// GroupsAsPictures returns the drawing with each outermost group that is asked for, or has
// such a one in it, as a picture, k px to the page unit and only as large as it is.
func GroupsAsPictures(ctx context.Context, d *drawing.Drawing, view geom.Rect, k float64, which func(g *drawing.Group) bool) (*drawing.Drawing, error) {
	out := make([]drawing.Node, 0, len(d.Nodes))
	for _, n := range d.Nodes {
		g, ok := n.(*drawing.Group)
		found := ok && which(g)
		if ok && !found {
			(&drawing.Drawing{Nodes: g.Nodes}).Walk(func(n drawing.Node, _ []*drawing.Group) {
				if h, ok := n.(*drawing.Group); ok {
					found = found || which(h)
				}
			})
		}
		if !found {
			out = append(out, n)
			continue
		}
		p, err := picture(ctx, with(d, g), drawing.Bounds(g).Intersect(view), k, nil)
		if err != nil {
			return nil, err
		}
		if p != nil {
			p.Part = g.Part
			out = append(out, p)
		}
	}
	return with(d, out...), nil
}

// apart divides the filter of a group that leaves the art as it is and lays something
// below it, above it or both: a shadow, a glow, an inner light. ok is false for others.
func apart(g *drawing.Group) (below, above *drawing.Filter, ok bool) {
	f := *g.Filter
	if len(f.Steps) == 0 {
		return nil, nil, false
	}
	last := f.Steps[len(f.Steps)-1]
	var in []int // what is laid over each other, from below
	switch op := last.Op.(type) {
	case drawing.Merge:
		in = op.In
	case drawing.Blend:
		if op.Mode == drawing.Normal {
			in = []int{last.In2, last.In}
		}
	case drawing.Composite:
		if op.Operator == "over" {
			in = []int{last.In2, last.In}
		}
	}
	at := slices.Index(in, drawing.SourceGraphic)
	art := drawing.Drawing{Nodes: g.Nodes}
	switch box := art.Bounds(); {
	case at < 0, slices.Contains(in[at+1:], drawing.SourceGraphic):
		return nil, nil, false
	case !f.To.Rect(f.Region).Contains(box, 0), !f.To.Rect(last.Region).Contains(box, 0):
		return nil, nil, false // it cuts the art
	case last.Linear && (at+1 < len(in) || art.Has().Translucent):
		return nil, nil, false // what shines through is mixed in linear light
	}
	some := func(in []int) *drawing.Filter {
		if len(in) == 0 {
			return nil
		}
		h := f
		end := last
		end.Op = drawing.Merge{In: in}
		h.Steps = append(slices.Clone(f.Steps[:len(f.Steps)-1]), end)
		return &h
	}
	return some(in[:at]), some(in[at+1:]), true
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
