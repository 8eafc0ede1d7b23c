package raster

import (
	"cmp"
	"context"
	"math"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Numbers paints every shape and picture as its number instead of its colour
// and returns, row by row, the number seen at the middle of each of w × h
// pixels: 0 where nothing is. number gives them; 0 leaves a node out. Paint
// counts as opaque, effects and masks as absent.
//
// What lies at a point asks for no areas: every row is crossed once, along the
// middles of its pixels, whatever crosses or covers itself.
func Numbers(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, number func(drawing.Node) int) ([]int32, error) {
	if err := checkSize(w, h); err != nil {
		return nil, err
	}
	p := &points{ctx: ctx, to: to, w: w, h: h, starts: make([]int32, h+1)}
	out := make([]int32, w*h)
	if err := p.nodes(d.Nodes, out, number, nil); err != nil {
		return nil, err
	}
	return out, nil
}

// points are the middles of w × h pixels.
type points struct {
	ctx    context.Context
	to     geom.Affine
	w, h   int
	edges  []pointEdge
	starts []int32 // how many hits each row has, then where those of it begin
	hits   []hit
}

// A pointEdge runs through the middles of rows [y0, y1): at x at the first of
// them, and by step more at each next. Where rows were filled, x is that of the next.
type pointEdge struct {
	y0, y1  int32
	dir     int32
	x, step float64
}

// A hit is where an edge crosses the middle of a row.
type hit struct {
	x   float64
	dir int32
}

// nodes paints what lies within clip, which is nil for everywhere.
func (p *points) nodes(ns []drawing.Node, out []int32, number func(drawing.Node) int, clip []bool) error {
	for _, n := range ns {
		if err := p.ctx.Err(); err != nil {
			return err
		}
		if g, ok := n.(*drawing.Group); ok {
			in := clip
			if g.Clip != nil && len(g.Nodes) > 0 {
				in = p.within(g.Clip, clip)
			}
			if err := p.nodes(g.Nodes, out, number, in); err != nil {
				return err
			}
			continue
		}
		id := int32(number(n))
		if id == 0 {
			continue
		}
		fill := func(from, to int) {
			to -= from
			out := out[from:][:to]
			if clip == nil {
				for i := range out {
					out[i] = id
				}
				return
			}
			for i, in := range clip[from:][:to] {
				if in {
					out[i] = id
				}
			}
		}
		switch n := n.(type) {
		case *drawing.Shape:
			p.each(n.Path, p.to, n.Rule, fill)
		case *drawing.Picture:
			p.each(geom.Box(geom.Rect{X1: 1, Y1: 1}), p.to.Mul(n.To), geom.NonZero, fill)
		}
	}
	return nil
}

// within tells which points lie in any of the regions, and in what is around
// them.
func (p *points) within(rs []drawing.Region, around []bool) []bool {
	in := make([]bool, p.w*p.h)
	for _, r := range rs {
		clip := around
		if r.Clip != nil {
			clip = p.within(r.Clip, around)
		}
		p.each(r.Path, p.to, r.Rule, func(from, to int) {
			for i := from; i < to; i++ {
				in[i] = in[i] || clip == nil || clip[i]
			}
		})
	}
	return in
}

// each calls fill with each stretch of points, counted row by row, that lie in a
// path mapped by m.
func (p *points) each(path geom.Path, m geom.Affine, rule geom.Rule, fill func(from, to int)) {
	p.edges = p.edges[:0]
	clear(p.starts)
	path.FlattenBy(m, geom.Flatness, p.edge)
	for y := int32(0); y < int32(p.h); {
		y = p.rows(y, rule, fill)
	}
}

// mostHits is how many hits are held at a time, unless one row has more.
const mostHits = 1 << 20

// rows fills rows from y on, and returns the first that it leaves: edges wait there.
func (p *points) rows(y int32, rule geom.Rule, fill func(from, to int)) int32 {
	end, total := y, int32(0)
	for end < int32(p.h) && (end == y || total+p.starts[end] <= mostHits) {
		p.starts[end], total = total, total+p.starts[end]
		end++
	}
	p.hits = slices.Grow(p.hits[:0], int(total))[:total]
	for i := range p.edges {
		e := &p.edges[i]
		x := e.x
		for r := max(e.y0, y); r < min(e.y1, end); r++ {
			p.hits[p.starts[r]] = hit{x, e.dir}
			p.starts[r]++
			x += e.step
		}
		e.x = x
	}
	from := int32(0)
	for r, to := range p.starts[y:end] { // they are where the next row begins now
		p.row(p.hits[from:to], (int(y)+r)*p.w, rule, fill)
		from = to
	}
	return end
}

// edge takes in a line, and counts the rows whose middles it crosses.
func (p *points) edge(a, b geom.Point) {
	dir := int32(1)
	if a.Y > b.Y {
		a, b, dir = b, a, -1
	}
	if !(b.Y > 0 && a.Y < float64(p.h)) {
		return
	}
	y0, y1 := int32(math.Ceil(max(a.Y, 0)-0.5)), int32(math.Ceil(min(b.Y, float64(p.h))-0.5))
	if y0 >= y1 {
		return
	}
	slope := (b.X - a.X) / (b.Y - a.Y)
	p.edges = append(p.edges, pointEdge{y0, y1, dir, a.X + (float64(y0)+0.5-a.Y)*slope, slope})
	for y := y0; y < y1; y++ {
		p.starts[y]++
	}
}

// row fills between the crossings of one row; at is its first point.
func (p *points) row(hits []hit, at int, rule geom.Rule, fill func(from, to int)) {
	if len(hits) > few {
		slices.SortFunc(hits, func(a, b hit) int { return cmp.Compare(a.x, b.x) })
	} else {
		for i := 1; i < len(hits); i++ {
			for j := i; j > 0 && hits[j].x < hits[j-1].x; j-- {
				hits[j], hits[j-1] = hits[j-1], hits[j]
			}
		}
	}
	wind := 0
	for i, k := range hits {
		if wind += int(k.dir); i+1 < len(hits) && inside(rule, wind) {
			if from, to := p.column(k.x), p.column(hits[i+1].x); from < to {
				fill(at+from, at+to)
			}
		}
	}
}

// column is the first whose middle does not lie left of x, which is no number
// where an edge is too long for it.
func (p *points) column(x float64) int {
	switch {
	case !(x > 0.5):
		return 0
	case x >= float64(p.w):
		return p.w
	}
	return int(math.Ceil(x - 0.5))
}
