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
	c := compiler{ctx: ctx, to: to, w: w, h: h, long: long, hard: opt.Hard, outlines: opt.Outlines, arena: arenas.Get().(*arena)}
	defer c.free()
	items := c.nodes(nodes)
	if c.err != nil {
		return c.err
	}
	return paint(ctx, items, w, h, opt, func(p *painter, y, k int) {
		p.put(p.base, k, img.Pix[y*img.Stride:][:4*w])
	})
}

// paint draws the items band by band on all cores and hands each row that was
// painted to put: row y of the picture is row k of the painter's base.
func paint(ctx context.Context, items []item, w, h int, opt Options, put func(p *painter, y, k int)) error {
	bands := (h + bandRows - 1) / bandRows
	return parallel.Do(ctx, bands, func(ctx context.Context, i int) error {
		p := newPainter(ctx, w, opt)
		defer p.done()
		y0 := i * bandRows
		p.band(items, func(p *painter, k int) { put(p, y0+k, k) }, y0, min(h, y0+bandRows))
		return ctx.Err()
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

type compiler struct {
	ctx  context.Context
	to   geom.Affine
	w, h int
	long int // the longer side of the whole picture, of which this may be a strip
	hard bool
	*arena
	outlines *Outlines
	err      error // of a filter: drawing ends
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
			it := item{drawn: true}
			switch p := n.Paint.(type) {
			case drawing.Solid:
				if p.Alpha <= 0 {
					continue
				}
				it.colour = premultiplied(p.Colour.RGB, min(1, p.Alpha))
			case *drawing.Gradient:
				it.paint = newRamp(p, c.to)
			}
			it.shape = c.shape(n.Path, n.Rule, n.Simple)
			out = append(out, it)
		case *drawing.Picture:
			if p := newPixels(n, c.to); p != nil {
				unit := geom.Box(geom.Rect{X1: 1, Y1: 1})
				out = append(out, item{drawn: true, shape: c.outline(unit, geom.NonZero, c.to.Mul(n.To), c.w, c.h), paint: p})
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
		p, simple = c.outlines.Path(p, r)
	}
	o := c.outline(p, r, c.to, c.w, c.h)
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
