package preflight

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/planar"
	"dyekit/core/raster"
)

// PageMend is the mend that makes the page this box, rounded outwards to a
// hundredth of a unit.
func PageMend(r geom.Rect) string {
	lo := func(v float64) float64 { return math.Floor(v*100) / 100 }
	hi := func(v float64) float64 { return math.Ceil(v*100) / 100 }
	return fmt.Sprintf("page %g %g %g %g", lo(r.X0), lo(r.Y0), hi(r.X1), hi(r.Y1))
}

// repage gives the drawing another page, and says what that does to it.
func repage(d *drawing.Drawing, page geom.Rect) (_ *drawing.Drawing, code finding.Code, done string) {
	e := *d
	e.Page = page
	size := fmt.Sprintf("%.5g × %.5g px", page.W(), page.H())
	switch {
	case page == d.Page:
		return d, finding.Page, ""
	case page.Contains(d.Page, 0):
		done = "the page became larger, " + size + ", so that nothing is cut"
		if n, parts := outside(d, page); n > 0 {
			done += fmt.Sprintf("; with it came back what lay outside: %d pieces", n)
			if len(parts) > 0 {
				done += " (" + strings.Join(parts, ", ") + ")"
			}
		}
		return &e, finding.CutOff, done
	case d.Page.Contains(page, 0):
		return &e, finding.EmptyRoom, "the page became smaller, " + size
	}
	return &e, finding.Page, "the page became another part of the drawing, " + size
}

// outside counts what lies wholly outside the drawing's page and on another one,
// and names a few of its parts.
func outside(d *drawing.Drawing, page geom.Rect) (n int, parts []string) {
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if _, group := x.(*drawing.Group); group {
			return
		}
		b := drawing.Bounds(x)
		if b.Empty() || !b.Intersect(d.Page).Empty() || b.Intersect(page).Empty() {
			return
		}
		n++
		if p := drawing.PartOf(x); p != "" && len(parts) < 5 && !slices.Contains(parts, p) {
			parts = append(parts, p)
		}
	})
	return n, parts
}

// uncover takes away what lies wholly behind other paint.
func uncover(ctx context.Context, d *drawing.Drawing) (*drawing.Drawing, int, error) {
	s := newSight(d)
	if len(s.nodes) > maxSeen || s.box.Empty() {
		return d, 0, nil
	}
	top, err := s.numbers(ctx, d, func(i int) bool { return s.solid[i] })
	if err != nil {
		return d, 0, err
	}
	ns, err := s.hidden(ctx, d, top)
	if err != nil || len(ns) == 0 {
		return d, 0, err
	}
	behind := map[drawing.Node]bool{}
	for _, n := range ns {
		behind[n] = true
	}
	return d.Map(func(n drawing.Node) drawing.Node {
		if behind[n] {
			return nil
		}
		return n
	}), len(ns), nil
}

// under is how far a filled hole reaches under what surrounds it, as a share of
// the longer side of the page: a pixel in a picture of 150 px, so that no seam
// of the background shows at any usual size.
const under = 1.0 / 150

// fill puts a shape of the colour into the hole at a place, behind all the
// art and reaching a little under it, so that no seam shows. A place that is
// painted, or open to the page around, is left as it is.
func fill(ctx context.Context, d *drawing.Drawing, at geom.Point, ink colour.RGB) (*drawing.Drawing, bool, error) {
	var layers []planar.Layer
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			layers = append(layers, planar.Layer{Path: n.Path, Rule: n.Rule})
		case *drawing.Picture:
			layers = append(layers, planar.Layer{Path: geom.Box(geom.Rect{X1: 1, Y1: 1}).Transform(n.To)})
		}
	})
	if len(layers) == 0 {
		return d, false, nil
	}
	all, err := planar.Union(ctx, layers...)
	if err != nil {
		return nil, false, err
	}
	if winding(all, at) != 0 {
		return d, false, nil
	}
	// Of the contours that hold the place the smallest bounds its hole.
	var hole geom.Path
	least := math.Inf(1)
	for _, sub := range all.Subpaths() {
		if a := math.Abs(sub.Area()); a < least && winding(sub, at) != 0 {
			hole, least = sub, a
		}
	}
	if hole == nil {
		return d, false, nil
	}
	edge := hole.Stroke(geom.Pen{Width: 2 * under * d.Page.Long(), Join: geom.RoundJoin}, d.Page.Long()/8000)
	edge, err = planar.Intersect(ctx, planar.Layer{Path: edge}, planar.Layer{Path: all}) // and no further than the art
	if err != nil {
		return nil, false, err
	}
	path, err := planar.Union(ctx, planar.Layer{Path: hole}, planar.Layer{Path: edge})
	if err != nil {
		return nil, false, err
	}
	e := *d
	e.Nodes = append([]drawing.Node{&drawing.Shape{Path: path, Paint: drawing.Solid{Colour: colour.Screen(ink), Alpha: 1}, Part: "filling"}}, d.Nodes...)
	return &e, true, nil
}

// winding is how often the path, closed, goes round a place.
func winding(p geom.Path, at geom.Point) int {
	n := 0
	p.Flatten(p.Bounds().Long()/10_000, func(a, b geom.Point) {
		if (a.Y <= at.Y) == (b.Y <= at.Y) {
			return
		}
		if side := b.Sub(a).Cross(at.Sub(a)); a.Y <= at.Y && side > 0 {
			n++
		} else if a.Y > at.Y && side < 0 {
			n--
		}
	})
	return n
}

// knockOut makes holes of shapes: the topmost at a place, or all white paint
// over ink if at is nil. What lies below them is cut, and they go.
func knockOut(ctx context.Context, d *drawing.Drawing, at *geom.Point) (*drawing.Drawing, int, error) {
	s := newSight(d)
	if len(s.nodes) > maxSeen || s.box.Empty() {
		return d, 0, nil
	}
	cut := make([]bool, len(s.nodes))
	if at != nil {
		box := geom.Rect{X0: at.X, Y0: at.Y, X1: at.X, Y1: at.Y}.Grow(d.Page.Long() / 4000)
		index := map[drawing.Node]int{}
		for i, n := range s.nodes {
			index[n] = i + 1
		}
		seen, err := raster.Numbers(ctx, d, raster.Fit(box, 1, 1), 1, 1, func(n drawing.Node) int { return index[n] })
		if err != nil || seen[0] == 0 {
			return d, 0, err
		}
		cut[seen[0]-1] = true
	} else {
		all, err := s.numbers(ctx, d, func(int) bool { return true })
		if err != nil {
			return nil, 0, err
		}
		if cut, err = s.overInk(ctx, d, all); err != nil {
			return nil, 0, err
		}
	}
	holes := map[drawing.Node]planar.Layer{}
	d.Walk(func(n drawing.Node, in []*drawing.Group) {
		x, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		for i, m := range s.nodes {
			if m == n && cut[i] && whole(in) {
				holes[n] = planar.Layer{Path: x.Path, Rule: x.Rule}
			}
		}
	})
	if len(holes) == 0 {
		return d, 0, nil
	}
	var above []planar.Layer // of the node at hand, gathered from the top
	below := map[drawing.Node][]planar.Layer{}
	for i := len(s.nodes) - 1; i >= 0; i-- {
		n := s.nodes[i]
		if h, ok := holes[n]; ok {
			above = append(above, h)
			continue
		}
		below[n] = above[:len(above):len(above)]
	}
	var err error
	out := d.Map(func(n drawing.Node) drawing.Node {
		if _, ok := holes[n]; ok {
			return nil
		}
		x, ok := n.(*drawing.Shape)
		if !ok || err != nil {
			return n
		}
		var over []planar.Layer
		for _, h := range below[n] {
			if !h.Path.Bounds().Intersect(x.Path.Bounds()).Empty() {
				over = append(over, h)
			}
		}
		if len(over) == 0 {
			return n
		}
		c := *x
		if c.Path, err = planar.Subtract(ctx, planar.Layer{Path: x.Path, Rule: x.Rule}, over...); len(c.Path) == 0 {
			return nil
		}
		c.Rule = geom.NonZero
		return &c
	})
	return out, len(holes), err
}

// whole reports whether the groups around a shape show all of it.
func whole(in []*drawing.Group) bool {
	for _, g := range in {
		if g.Mask != nil || g.Filter != nil || g.Alpha < 1 || len(g.Clip) > 1 {
			return false
		}
	}
	return true
}
