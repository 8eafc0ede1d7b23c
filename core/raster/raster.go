// Package raster turns a drawing into pixels.
//
// Coverage is the exact area of each pixel that a shape covers; colours are
// composed premultiplied, in encoded sRGB and 32-bit floats, and rounded once
// at the end. The package knows no file types: it returns *image.NRGBA.
package raster

import (
	"context"
	"errors"
	"fmt"
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/parallel"
)

// MaxPixels bounds the size of one picture.
const MaxPixels = format.MaxPixels

// ErrSize is returned for a picture without pixels or with too many.
var ErrSize = errors.New("picture size")

// Options changes how a drawing is rendered. The zero Options gives a
// transparent ground and smooth edges.
type Options struct {
	Ground *colour.RGB // painted first, if not nil
	Hard   bool        // no antialiasing: each pixel in or out
	// Outlines, if not nil, has outlines that were resolved before. What is drawn
	// is the same, but sooner.
	Outlines *Outlines
}

// Render draws d on w × h pixels; to maps page units to pixels. It returns
// early with ctx's error when ctx is done.
func Render(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, opt Options) (*image.NRGBA, error) {
	if err := checkSize(w, h); err != nil {
		return nil, err
	}
	nodes := isolated(d, opt)
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	rows := strip(nodes, to, w, h)
	for y := 0; y < h; y += rows {
		part := image.Rect(0, y, w, min(h, y+rows))
		if err := renderPart(ctx, nodes, to, img.SubImage(part).(*image.NRGBA), max(w, h), opt); err != nil {
			return nil, err
		}
	}
	return img, nil
}

func checkSize(w, h int) error {
	if w < 1 || h < 1 || w > MaxPixels/h {
		return fmt.Errorf("%w: %d × %d px is not between 1 × 1 px and %d megapixels", ErrSize, w, h, MaxPixels/1_000_000)
	}
	return nil
}

// isolated are the nodes to draw: art blends with itself, what it is laid on is
// another matter.
func isolated(d *drawing.Drawing, opt Options) []drawing.Node {
	if opt.Ground != nil && d.Has().Blends {
		return []drawing.Node{&drawing.Group{Nodes: d.Nodes, Alpha: 1, Isolated: true}}
	}
	return d.Nodes
}

// renderPart draws on a strip of a picture whose longer side is long.
func renderPart(ctx context.Context, nodes []drawing.Node, to geom.Affine, img *image.NRGBA, long int, opt Options) error {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	to = geom.Translate(0, -float64(img.Rect.Min.Y)).Mul(to)
	c := compiler{ctx: ctx, to: to, w: w, h: h, long: long, opt: opt}
	return c.paint(nodes, func(p *painter, y, k int) {
		p.put(p.base, k, img.Pix[y*img.Stride:][:4*w])
	})
}

// Fit returns the map that lays the frame exactly onto w × h pixels. The two
// scales differ at most by the rounding of the sizes to whole pixels.
func Fit(frame geom.Rect, w, h int) geom.Affine {
	sx, sy := float64(w)/frame.W(), float64(h)/frame.H()
	return geom.Affine{A: sx, D: sy, E: -frame.X0 * sx, F: -frame.Y0 * sy}
}

// An item is a node made ready for drawing: flattened, its paint set up.
type item struct {
	shape  outline
	drawn  bool    // it is a shape and no group
	colour premul  // its colour, if paint is nil
	paint  sampler // for all but plain colours
	group  []item
	clip   []region
	mask   *mask
	alpha  float32
	blend  drawing.BlendMode
	layer  bool // the group composes on its own before meeting what lies below
}

type region struct {
	shape outline
	clip  []region
}

// A mask is a drawing.Mask made ready.
type mask struct {
	items         []item
	clip          []region
	alpha, linear bool
	mask          *mask
}

// A compiler makes nodes ready and paints them.
type compiler struct {
	ctx  context.Context
	to   geom.Affine
	w, h int
	long int // the longer side of the whole picture, of which this may be a strip
	opt  Options
	*arena
	part rows
	err  error // of a filter: drawing ends
}

// partSegs is about how many segments of paths are made ready at a time: the edges
// of a picture take 40 bytes each, and a segment makes several.
const partSegs = 1 << 14

// leastPart is the least number of rows of a part.
const leastPart = 2 * bandRows

// parts is how many rows of a picture nodes are made ready for at a time. What is
// drawn does not depend on it. Filters run once.
func parts(ns []drawing.Node, h int) int {
	segs, filters := 0, false
	d := drawing.Drawing{Nodes: ns}
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			segs += len(n.Path)
		case *drawing.Group:
			filters = filters || n.Filter != nil
		}
	})
	if filters || segs <= partSegs {
		return h
	}
	n := (segs + partSegs - 1) / partSegs
	return max(leastPart, (h/n+bandRows)/bandRows*bandRows)
}

// paint draws nodes band by band on all cores and hands each row that was painted
// to put: row y of the picture is row k of the painter's base.
func (c *compiler) paint(nodes []drawing.Node, put func(p *painter, y, k int)) error {
	return c.paintParts(nodes, parts(nodes, c.h), put)
}

// paintParts is paint for parts of so many rows, a multiple of a band's.
func (c *compiler) paintParts(nodes []drawing.Node, height int, put func(p *painter, y, k int)) error {
	c.arena = arenas.Get().(*arena)
	defer c.free()
	c.inParts = height < c.h
	for y := 0; y < c.h; y += height {
		c.part = rows{y, min(c.h, y+height)}
		c.arena.part()
		items := c.nodes(nodes)
		if c.err != nil {
			return c.err
		}
		bands := (c.part.y1 - y + bandRows - 1) / bandRows
		err := parallel.Do(c.ctx, bands, func(ctx context.Context, i int) error {
			p := newPainter(ctx, c.w, c.opt)
			defer p.done()
			y0 := y + i*bandRows
			p.band(items, func(p *painter, k int) { put(p, y0+k, k) }, y0, min(c.part.y1, y0+bandRows))
			return ctx.Err()
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// mostKept is how many edges of an arena are kept for the next picture.
const mostKept = 1 << 17

// free gives the memory of the outlines back.
func (c *compiler) free() {
	if c.arena.edges.size()+cap(c.arena.tmp) > mostKept {
		return
	}
	c.arena.reset()
	arenas.Put(c.arena)
}

func (c *compiler) nodes(ns []drawing.Node) []item {
	out := make([]item, 0, len(ns))
	for _, n := range ns {
		switch n := n.(type) {
		case *drawing.Shape:
			it := item{drawn: true, shape: c.shape(n.Path, n.Rule, n.Simple)}
			if len(it.shape.edges) == 0 {
				continue
			}
			switch p := n.Paint.(type) {
			case drawing.Solid:
				if p.Alpha <= 0 {
					continue
				}
				it.colour = premultiplied(p.Colour.RGB, min(1, p.Alpha))
			case *drawing.Gradient:
				it.paint = newRamp(p, c.to, c.to.Rect(n.Path.Bounds()))
			}
			out = append(out, it)
		case *drawing.Picture:
			unit := geom.Box(geom.Rect{X1: 1, Y1: 1})
			it := item{drawn: true, shape: c.outline(unit, geom.NonZero, c.to.Mul(n.To), c.w, c.part)}
			if len(it.shape.edges) == 0 {
				continue
			}
			if p := newPixels(n, c.to); p != nil {
				it.paint = p
				out = append(out, it)
			}
		case *drawing.Group:
			if n.Alpha <= 0 {
				continue
			}
			g := item{alpha: float32(n.Alpha), blend: n.Blend, mask: c.mask(n.Mask)}
			g.layer = n.Alpha < 1 || n.Clip != nil || n.Mask != nil || n.Blend != drawing.Normal || n.Isolated
			if n.Filter == nil {
				g.group = c.nodes(n.Nodes)
			} else if it, ok := c.filter(n); ok {
				g.group = []item{it}
			}
			if n.Clip != nil {
				g.clip = c.regions(n.Clip)
			}
			out = append(out, g)
		}
	}
	return out
}

// shape flattens the outline of a shape or a clip.
func (c *compiler) shape(p geom.Path, r geom.Rule, simple bool) outline {
	if !simple {
		p, simple = c.opt.Outlines.Path(p, r)
	}
	o := c.outline(p, r, c.to, c.w, c.part)
	o.simple = simple
	return o
}

func (c *compiler) mask(m *drawing.Mask) *mask {
	if m == nil {
		return nil
	}
	k := &mask{items: c.nodes(m.Nodes), alpha: m.Alpha, linear: m.Linear, mask: c.mask(m.Mask)}
	if m.Clip != nil {
		k.clip = c.regions(m.Clip)
	}
	return k
}

func (c *compiler) regions(rs []drawing.Region) []region {
	ms := make([]region, len(rs))
	for i, r := range rs {
		ms[i].shape = c.shape(r.Path, r.Rule, false)
		if r.Clip != nil {
			ms[i].clip = c.regions(r.Clip)
		}
	}
	return ms
}
