package raster

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/planar"
)

// Outlines keeps outlines that were made free of crossings and overlaps, for all
// pictures of the same drawings: of such a one areas are summed, whatever the
// size. The zero value knows none; it may be used from several goroutines.
type Outlines struct {
	mu    sync.Mutex
	known map[pathKey]geom.Path
}

// A pathKey names a path under a rule by its place in memory: paths do not change.
type pathKey struct {
	first *geom.Seg
	n     int
	rule  geom.Rule
}

func keyOf(p geom.Path, r geom.Rule) pathKey { return pathKey{&p[0], len(p), r} }

// fewSegs is the length of a path up to which it is drawn as soon as resolved.
const fewSegs = 6

// maxReach is how far an outline may reach to be resolved, in longer sides of the
// page: what is settled is fine beside the outline, and a page is to be fine beside
// what is settled.
const maxReach = 2

// Resolve takes in the outlines of a drawing. One that is too fine for it, or far
// larger than the page, is drawn as it is.
func (o *Outlines) Resolve(ctx context.Context, d *drawing.Drawing) error {
	var todo []planar.Layer
	add := func(p geom.Path, r geom.Rule) {
		if len(p) <= fewSegs || p.Bounds().Long() > maxReach*d.Page.Long() {
			return
		}
		o.mu.Lock()
		defer o.mu.Unlock()
		k := keyOf(p, r)
		if _, ok := o.known[k]; !ok {
			if o.known == nil {
				o.known = map[pathKey]geom.Path{}
			}
			o.known[k] = nil // seen, and another may be at work on it
			todo = append(todo, planar.Layer{Path: p, Rule: r})
		}
	}
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			if !n.Simple {
				add(n.Path, n.Rule)
			}
		case *drawing.Group:
			for _, r := range n.Clip {
				add(r.Path, r.Rule)
			}
		}
	})
	slices.SortStableFunc(todo, func(a, b planar.Layer) int { return cmp.Compare(len(b.Path), len(a.Path)) })
	return parallel.Do(ctx, len(todo), func(ctx context.Context, i int) error {
		l := todo[i]
		p, err := planar.Simple(ctx, l)
		if err != nil {
			return ctx.Err()
		}
		o.mu.Lock()
		o.known[keyOf(l.Path, l.Rule)] = p
		o.mu.Unlock()
		return nil
	})
}

// Path returns the outline to draw in the place of p, whose areas may be summed;
// p itself and false if none is known. It may be asked of nil.
func (o *Outlines) Path(p geom.Path, r geom.Rule) (simple geom.Path, ok bool) {
	if o == nil || len(p) == 0 {
		return p, false
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if q := o.known[keyOf(p, r)]; q != nil {
		return q, true
	}
	return p, false
}
