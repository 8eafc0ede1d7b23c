package preflight

import (
	"context"
	"fmt"
	"math"
	"sync/atomic"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/parallel"
)

// Limits on the work that a drawing asks for, counted before any of it is done.
const (
	// MaxWork bounds what groups, filters and masks are laid over the page, in
	// pages: a group of half a page that blends counts a half.
	MaxWork = 100
	// MaxCrossings bounds how often the edges of the shapes cross edges of the
	// same shape.
	MaxCrossings = 50_000
	// MaxFlat bounds the straight pieces that curves become at a usual size.
	MaxFlat = 4_000_000
)

// Budget reports, as an error, what a drawing asks beyond the limits.
func Budget(ctx context.Context, d *drawing.Drawing) error {
	if w := work(d.Nodes, d.Page); w > MaxWork {
		return fmt.Errorf("its filters, masks, blends, fades and pictures cover the page %.0f times over; at most %d times can be drawn", w, MaxWork)
	}
	tol := d.Page.Long() / 4000 // a quarter of a pixel at 1000 px
	var shapes []*drawing.Shape
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			shapes = append(shapes, s)
		}
	})
	var flat, crossings atomic.Int64
	return parallel.Do(ctx, len(shapes), func(ctx context.Context, i int) error {
		s := shapes[i]
		ls := make([]line, 0, 2*len(s.Path))
		// A small shape drawn coarsely would cross itself where its curves do not.
		s.Path.Flatten(min(tol, s.Path.Bounds().Long()/400), func(a, b geom.Point) { ls = append(ls, line{a, b}) })
		if flat.Add(int64(len(ls))) > MaxFlat {
			return fmt.Errorf("its curves become more than %d straight pieces", MaxFlat)
		}
		if s.Simple {
			return ctx.Err()
		}
		n, err := crossed(ctx, ls, MaxCrossings-int(crossings.Load()))
		if crossings.Add(int64(n)) > MaxCrossings {
			return fmt.Errorf("the edges of its shapes cross more than %d times", MaxCrossings)
		}
		return err
	})
}

// pagePixels is about what a page has in the largest usual picture.
const pagePixels = 9_000_000

// work is what nodes lay over the page, in pages.
func work(ns []drawing.Node, page geom.Rect) float64 {
	if page.Empty() {
		return 0
	}
	sum := 0.0
	for _, n := range ns {
		if p, ok := n.(*drawing.Picture); ok {
			sum += float64(p.Image.Rect.Dx()*p.Image.Rect.Dy()) / pagePixels * 4
		}
		if s, ok := n.(*drawing.Shape); ok {
			if k := painting(s.Paint); k > 0 {
				// What it covers, not its box: a thin line across the page is little.
				sum += min(s.Path.Bounds().Intersect(page).Area(), math.Abs(s.Path.Area())) / page.Area() * k
			}
		}
		g, ok := n.(*drawing.Group)
		if !ok {
			continue
		}
		sum += work(g.Nodes, page)
		if g.Alpha < 1 || g.Blend != drawing.Normal || g.Isolated || g.Clip != nil || g.Mask != nil {
			sum += drawing.Bounds(g).Intersect(page).Area() / page.Area()
		}
		for m := g.Mask; m != nil; m = m.Mask {
			sum += work(m.Nodes, page) + drawing.Bounds(g).Intersect(page).Area()/page.Area()
		}
		if f := g.Filter; f != nil {
			// The page and what lies around it count: blurs reach in from there.
			area := f.To.Rect(f.Region).Intersect(page.Grow(page.Long())).Area() / page.Area()
			for _, s := range f.Steps {
				sum += area * cost(s.Op)
				if p, ok := s.Op.(drawing.FilterImage); ok {
					sum += work(p.Nodes, page)
				}
			}
		}
	}
	return sum
}

// painting is about what a paint takes for each pixel; what is opaque is next to
// nothing.
func painting(p drawing.Paint) float64 {
	switch p := p.(type) {
	case drawing.Solid:
		if p.Alpha > 0 && p.Alpha < 1 {
			return 0.5
		}
	case *drawing.Gradient:
		return 2
	}
	return 0
}

// cost is about what a step of a filter takes for each pixel, measured against
// laying one picture over another.
func cost(op drawing.Op) float64 {
	switch o := op.(type) {
	case drawing.GaussianBlur, drawing.Morphology:
		return 5
	case drawing.ConvolveMatrix:
		return 1 + float64(o.W*o.H)/4
	case drawing.Turbulence:
		return 1 + 12*float64(o.Octaves)
	case drawing.Lighting:
		return 3
	case drawing.Merge:
		return float64(len(o.In))
	}
	return 1
}
