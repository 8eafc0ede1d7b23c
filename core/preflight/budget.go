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
		left := MaxCrossings - int(crossings.Load())
		if n := crossings.Add(int64(crossed(ls, left))); n > MaxCrossings {
			return fmt.Errorf("the edges of its shapes cross more than %d times", MaxCrossings)
		}
		return ctx.Err()
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

type line struct{ a, b geom.Point }

// crossed counts how often lines cross each other, until there are more than
// most. Lines that only meet at their ends do not cross.
func crossed(ls []line, most int) int {
	if len(ls) < 4 {
		return 0
	}
	var box geom.Rect
	long := 0.0
	for i, l := range ls {
		r := geom.Rect{X0: min(l.a.X, l.b.X), Y0: min(l.a.Y, l.b.Y), X1: max(l.a.X, l.b.X), Y1: max(l.a.Y, l.b.Y)}
		if i == 0 {
			box = r
		}
		box = geom.Rect{X0: min(box.X0, r.X0), Y0: min(box.Y0, r.Y0), X1: max(box.X1, r.X1), Y1: max(box.Y1, r.Y1)}
		long += l.b.Sub(l.a).Len()
	}
	// Cells a quarter as wide as a line is long on average: each line lies in
	// few of them, and few lie in each. Those that hold any are kept by hash.
	side := max(long/float64(len(ls))/4, box.Long()/(1<<20))
	if !(side > 0) {
		return 0
	}
	mask := uint64(1)
	for mask < uint64(4*len(ls)) {
		mask *= 2
	}
	mask--
	in := func(v, from float64) uint64 { return uint64(max(0, (v-from)/side)) }
	// each hands the cells of a line to f.
	each := func(l line, f func(key uint64)) {
		dy := l.b.Y - l.a.Y
		for r, last := in(min(l.a.Y, l.b.Y), box.Y0), in(max(l.a.Y, l.b.Y), box.Y0); r <= last; r++ {
			// Where the line runs within this row of cells.
			x0, x1 := min(l.a.X, l.b.X), max(l.a.X, l.b.X)
			if dy != 0 {
				at := func(y float64) float64 {
					return l.a.X + min(1, max(0, (y-l.a.Y)/dy))*(l.b.X-l.a.X)
				}
				p, q := at(box.Y0+float64(r)*side), at(box.Y0+float64(r+1)*side)
				x0, x1 = min(p, q), max(p, q)
			}
			for c, end := in(x0, box.X0), in(x1, box.X0); c <= end; c++ {
				f(r<<32 | c)
			}
		}
	}
	hash := func(key uint64) uint64 { return key * 0x9e3779b97f4a7c15 >> 20 & mask } // Fibonacci hashing
	starts := make([]int32, mask+2)
	for _, l := range ls {
		each(l, func(key uint64) { starts[hash(key)+1]++ })
	}
	for i := range mask + 1 {
		starts[i+1] += starts[i]
	}
	type entry struct {
		key  uint64
		line int32
	}
	entries := make([]entry, starts[mask+1])
	filled := make([]int32, mask+1)
	n := 0
	for i, l := range ls {
		each(l, func(key uint64) {
			h := hash(key)
			at := starts[h] + filled[h]
			for _, e := range entries[starts[h]:at] {
				if e.key != key || n > most {
					continue
				}
				// A crossing is counted in the cell it lies in.
				if p, ok := cross(l, ls[e.line]); ok && in(p.Y, box.Y0)<<32|in(p.X, box.X0) == key {
					n++
				}
			}
			entries[at] = entry{key, int32(i)}
			filled[h]++
		})
		if n > most {
			break
		}
	}
	return n
}

// cross is where two lines cross, if they do so between their ends.
func cross(l, m line) (geom.Point, bool) {
	d, e, o := l.b.Sub(l.a), m.b.Sub(m.a), m.a.Sub(l.a)
	den := d.X*e.Y - d.Y*e.X
	if den == 0 {
		return geom.Point{}, false
	}
	t, u := (o.X*e.Y-o.Y*e.X)/den, (o.X*d.Y-o.Y*d.X)/den
	const end = 1e-9
	if t <= end || t >= 1-end || u <= end || u >= 1-end {
		return geom.Point{}, false
	}
	return l.a.Add(d.Mul(t)), true
}
