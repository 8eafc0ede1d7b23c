package preview

import (
	"context"
	"fmt"
	"image"
	"io"
	"math"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/flat"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/kit"
	"dyekit/core/raster"
)

// Preview draws a version in the middle of width × height px of a ground. The
// picture is the engine's own output, drawn once for all grounds of a size and
// then laid on each.
func (w *Snapshot) Preview(ctx context.Context, name string, width, height int, g Ground) ([]byte, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil {
		return nil, ErrNotFound
	}
	box := w.Window(name, width, height)
	key := fmt.Sprintf("%s %d×%d on %s", w.looks[name], width, height, g.Key)
	return w.table.pngs.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		art, err := w.bare(ctx, w.looks[name], v.Drawing, box, width, height)
		if err != nil {
			return nil, err
		}
		if art.runs != nil && !g.Photo {
			return export.Bytes(func(to io.Writer) error {
				return png.EncodeRuns(to, art.runs.On(g.Colour.Bytes()), png.Options{Quick: true})
			})
		}
		under, err := w.under(ctx, g, width, height)
		if err != nil {
			return nil, err
		}
		img := art.pixels()
		out := image.NewNRGBA(img.Rect)
		for i := 0; i < len(img.Pix); i += 4 {
			lay(out.Pix[i:i+4], img.Pix[i:i+4], under(i))
		}
		return plainPNG(out)
	})
}

// under is a ground as pixels: what lies below the one that begins at i.
func (w *Snapshot) under(ctx context.Context, g Ground, width, height int) (func(i int) []uint8, error) {
	ground := []uint8{0, 0, 0, 255}
	ground[0], ground[1], ground[2] = g.Colour.Bytes()
	under := func(int) []uint8 { return ground }
	if g.Photo {
		// The photograph fills the picture as a page is filled: cut, not
		// squeezed.
		p := photo()
		if g.Key == duskKey {
			p = dusk()
		}
		b := frame.Around(geom.Rect{X1: 1, Y1: 1}, float64(p.Rect.Dx()), float64(p.Rect.Dy()), "")
		k := max(float64(width)/b.W(), float64(height)/b.H())
		page := geom.Rect{X1: float64(width), Y1: float64(height)}
		to := geom.Affine{A: b.W() * k, D: b.H() * k, E: page.Centre().X - b.W()*k/2, F: page.Centre().Y - b.H()*k/2}
		d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{&drawing.Picture{Image: p, To: to, Alpha: 1}}}
		back, err := w.bare(ctx, g.Key, d, page, width, height)
		if err != nil {
			return nil, err
		}
		pix := back.pixels().Pix
		under = func(i int) []uint8 { return pix[i : i+4] }
	}
	return under, nil
}

// lay puts a straight pixel over an opaque one.
func lay(dst, p, ground []uint8) {
	*(*[4]uint8)(dst) = flat.Over([4]uint8(p), [3]uint8(ground))
}

// A bare is a drawing on nothing: as runs if it is flat, else as pixels.
type bare struct {
	runs *flat.Picture
	img  *image.NRGBA
}

func (b bare) pixels() *image.NRGBA {
	if b.runs != nil {
		return b.runs.Image()
	}
	return b.img
}

// weight is about what it takes, in bytes.
func (b bare) weight() int {
	if b.runs == nil {
		return len(b.img.Pix)
	}
	n := 0
	for y, row := range b.runs.Rows {
		n += 24
		if !b.runs.Same(y) {
			n += 8 * len(row)
		}
	}
	return n
}

// bare draws d through box on nothing; what names the drawing.
func (w *Snapshot) bare(ctx context.Context, what string, d *drawing.Drawing, box geom.Rect, width, height int) (bare, error) {
	return w.table.bares.Get(ctx, fmt.Sprintf("%s %d×%d", what, width, height), func(ctx context.Context) (b bare, err error) {
		to := raster.Fit(box, width, height)
		if raster.Flat(d) {
			b.runs, err = raster.RenderRuns(ctx, d, to, width, height, raster.Options{})
			return b, err
		}
		b.img, err = raster.Render(ctx, d, to, width, height, raster.Options{})
		return b, err
	})
}

// Window is what a preview shows, in page units: the frame of the version and a
// little more.
func (w *Snapshot) Window(name string, width, height int) geom.Rect {
	f := w.Plan.FrameOf(name).Box
	return frame.Around(f.Grow(f.Long()*0.06), float64(width), float64(height), "")
}

// Tag draws the first version on white for the desk.
func (w *Snapshot) Tag(ctx context.Context, width, height int) ([]byte, error) {
	name := w.Plan.Versions[0].Spec.Name
	return w.Preview(ctx, name, width, height, Ground{Colour: w.groundFor(name)})
}

// Whole draws the master with its whole page.
func (w *Snapshot) Whole(ctx context.Context, width, height int) ([]byte, error) {
	return w.table.whole(ctx, w.Source, w.Plan.Master.Drawing, width, height)
}

// maxZoom is how small a part of the page may be drawn, as a share of its
// longer side.
const maxZoom = 1.0 / 2000

// Part draws a box of the master's page, with its true edges however small it
// is. The box may reach past the page, where there is nothing.
func (w *Snapshot) Part(ctx context.Context, box geom.Rect, width, height int) ([]byte, error) {
	page := w.Plan.Master.Drawing.Page
	if !(box.Long() >= maxZoom*page.Long() && box.Long() <= 50*page.Long()) || box.Empty() {
		return nil, ErrNotFound
	}
	what := fmt.Sprintf("%s part %g %g %g %g", w.Source, box.X0, box.Y0, box.X1, box.Y1)
	return w.picture(ctx, what, w.Plan.Master.Drawing, box, width, height, nil)
}

// standInFamily is set instead of a missing font, for looking only.
const standInFamily = "Hanken Grotesk"

// StandIn draws the master with its whole page, text without its font set in
// another one: it shows where the text is, not how it looks.
func (w *Snapshot) StandIn(ctx context.Context, width, height int) ([]byte, error) {
	m, err := w.standIn()
	if err != nil {
		return nil, err
	}
	return w.picture(ctx, w.Source+" stand-in", m.Drawing, m.Drawing.Page, width, height, nil)
}

// Tone draws the master with one colour in its own and all others faint.
func (w *Snapshot) Tone(ctx context.Context, n, width, height int) ([]byte, error) {
	if n < 0 || n >= len(w.Tones) {
		return nil, ErrNotFound
	}
	t := w.Tones[n]
	d := w.Plan.Master.Drawing.Map(func(x drawing.Node) drawing.Node {
		s, ok := x.(*drawing.Shape)
		if !ok {
			return x
		}
		switch p := s.Paint.(type) {
		case drawing.Solid:
			if p.Colour == t.Colour {
				return x
			}
		case *drawing.Gradient:
			if slices.ContainsFunc(p.Stops, func(s drawing.Stop) bool { return s.Colour == t.Colour }) {
				return x
			}
		}
		c := *s
		c.Paint = solid(faint)
		return &c
	})
	return w.picture(ctx, fmt.Sprintf("%s tone %d", w.Source, n), d, w.Plan.Master.Drawing.Page, width, height, nil)
}

// What lights up keeps its colour and gets an edge in woad; a veil in the grey
// of the page lies over all else.
var (
	woad  = colour.FromBytes(0x2c, 0x52, 0x82)
	veil  = colour.FromBytes(0xd2, 0xd2, 0xd1)
	faint = colour.FromBytes(0xc4, 0xc4, 0xc3)
)

func solid(c colour.RGB) drawing.Solid { return drawing.Solid{Colour: colour.Screen(c), Alpha: 1} }

// Light draws where a version reads its n-th colour, to be laid over a preview
// of the same size.
func (w *Snapshot) Light(ctx context.Context, name string, n, width, height int) ([]byte, error) {
	v, ok := w.Version(name)
	if !ok || n < 0 || n >= len(v.Readings) {
		return nil, ErrNotFound
	}
	r := v.Readings[n]
	box := w.Window(name, width, height)
	edge := r.Region().Stroke(geom.Pen{Width: box.W() / 150, Join: geom.RoundJoin}, box.W()/2000)
	d := &drawing.Drawing{Page: box, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(box), Paint: drawing.Solid{Colour: colour.Screen(veil), Alpha: 0.85}},
		&drawing.Shape{Path: edge, Paint: solid(woad)},
		&drawing.Shape{Path: r.Region(), Paint: drawing.Solid{Colour: colour.Screen(r.Colour), Alpha: 1}},
	}}
	return w.picture(ctx, fmt.Sprintf("%s light %s %d", w.looks[name], w.Source, n), d, box, width, height, nil)
}

func (w *Snapshot) picture(ctx context.Context, what string, d *drawing.Drawing, box geom.Rect, width, height int, ground *colour.RGB) ([]byte, error) {
	return w.table.picture(ctx, what, d, box, width, height, ground)
}

// picture draws d through box into the largest size that fits. What names the
// drawing, for what is kept.
func (t *Table) picture(ctx context.Context, what string, d *drawing.Drawing, box geom.Rect, width, height int, ground *colour.RGB) ([]byte, error) {
	pw, ph := within(box, width, height)
	key := fmt.Sprintf("%s %d×%d", what, pw, ph)
	if ground != nil {
		key += " on " + ground.Hex()
	}
	return t.pngs.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		return export.Bytes(func(to io.Writer) error {
			return kit.DrawPNG(ctx, to, d, raster.Fit(box, pw, ph), pw, ph, raster.Options{Ground: ground}, png.Options{Quick: true})
		})
	})
}

// within is the largest size in px that a box takes within another.
func within(box geom.Rect, width, height int) (w, h int) {
	k := min(float64(width)/box.W(), float64(height)/box.H())
	return max(1, int(math.Round(box.W()*k))), max(1, int(math.Round(box.H()*k)))
}

// On tells how a version stands on a ground.
func (w *Snapshot) On(ctx context.Context, name string, ground colour.RGB) (advice.Standing, error) {
	j, err := w.judged(ctx, name, advice.Coarse)
	if err != nil {
		return advice.Standing{}, err
	}
	return j.On(ground), nil
}

// judged is a version with what is seen of it.
func (w *Snapshot) judged(ctx context.Context, name string, grain advice.Grain) (advice.Judged, error) {
	if v, ok := w.Version(name); !ok || v.Drawing == nil {
		return advice.Judged{}, ErrNotFound
	}
	return w.Plan.JudgedBy(ctx, name, grain)
}

// Room is the clear space of the mark, set or proposed; nil if there is none.
func (w *Snapshot) Room(ctx context.Context) (*advice.Room, error) {
	vs, err := w.Plan.Judged(ctx, advice.Fine)
	if err != nil {
		return nil, err
	}
	return w.Plan.Room(vs), nil
}

// Smallest tells how small a version may be.
func (w *Snapshot) Smallest(ctx context.Context, name string) (advice.Smallest, error) {
	j, err := w.judged(ctx, name, advice.Fine)
	if err != nil {
		return advice.Smallest{}, err
	}
	return j.Smallest(), nil
}

// Through draws a version through a box of the page. With another over it, what
// only the first paints is woad, what only the second paints madder, and what
// both paint grey: that they sit alike is seen at once.
func (w *Snapshot) Through(ctx context.Context, name, over string, box geom.Rect, width, height int) ([]byte, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil || box.Empty() || box.Long() > 1000*w.Plan.Frame.Box.Long() {
		return nil, ErrNotFound
	}
	what := fmt.Sprintf("%s through %v", w.looks[name], box)
	if over == "" {
		return w.picture(ctx, what, v.Drawing, box, width, height, nil)
	}
	o, ok := w.Version(over)
	if !ok || o.Drawing == nil {
		return nil, ErrNotFound
	}
	pw, ph := within(box, width, height)
	key := fmt.Sprintf("%s over %s %d×%d", what, w.looks[over], width, height)
	return w.table.pngs.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		var a [2]*image.NRGBA
		for i, d := range []*drawing.Drawing{v.Drawing, o.Drawing} {
			var err error
			if a[i], err = raster.Render(ctx, d, raster.Fit(box, pw, ph), pw, ph, raster.Options{}); err != nil {
				return nil, err
			}
		}
		return plainPNG(overlaid(a))
	})
}

// overlaid are two pictures of one size over each other: what only the first paints is woad, what
// only the second paints madder, and what both paint grey.
func overlaid(a [2]*image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(a[0].Rect)
	tints := [4]colour.RGB{{}, woad, madder, colour.FromBytes(0x77, 0x77, 0x76)}
	for i := 0; i < len(out.Pix); i += 4 {
		p, q := a[0].Pix[i+3], a[1].Pix[i+3]
		which := 0
		if p > q/2 {
			which |= 1
		}
		if q > p/2 {
			which |= 2
		}
		out.Pix[i], out.Pix[i+1], out.Pix[i+2] = tints[which].Bytes()
		out.Pix[i+3] = max(p, q)
	}
	return out
}

// Drawn draws a drawing that is no master yet, with its whole page; name tells it
// from others.
func (t *Table) Drawn(ctx context.Context, name string, d *drawing.Drawing, width, height int) ([]byte, error) {
	return t.picture(ctx, name, d, d.Page, width, height, nil)
}
