package preview

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/lettering"
	"dyekit/studio/decision"
)

// joined puts a place that was lost into the line that it belongs to, or makes one of it.
func joined(lines []geom.Rect, p geom.Rect) []geom.Rect {
	for i, l := range lines {
		common := min(l.Y1, p.Y1) - max(l.Y0, p.Y0)
		gap := max(l.X0, p.X0) - min(l.X1, p.X1)
		if common > min(l.H(), p.H())/2 && gap < 3*max(l.H(), p.H()) {
			lines[i] = l.Union(p)
			return lines
		}
	}
	return append(lines, p)
}

// pixels are the master as the picture that it came as.
func (w *Snapshot) pixels(ctx context.Context) (*image.NRGBA, error) {
	if !w.Traceable() {
		return nil, ErrNotFound
	}
	d := decision.Decisions{}
	for _, m := range w.Decisions.Mends {
		if m.Sheet() > 0 {
			d.Mend(m, true)
		}
	}
	src, err := w.table.source(ctx, w.Subject, d)
	if err != nil {
		return nil, err
	}
	if len(src.master.Drawing.Nodes) == 1 {
		if p, ok := src.master.Drawing.Nodes[0].(*drawing.Picture); ok {
			return p.Image, nil
		}
	}
	return nil, errors.New("the picture has parts, and words in it cannot be set anew")
}

// PictureSize is how large the master is that came as a picture, px.
func (w *Snapshot) PictureSize() (width, height int) {
	p := w.Plan.Master.Drawing.Page
	return int(p.W()), int(p.H())
}

// Words fits the fonts at hand to what stands in a box of the picture, px, in the ink of a
// tracing that comes near.
func (w *Snapshot) Words(ctx context.Context, t *Tracing, box geom.Rect, words string) ([]lettering.Proposal, error) {
	img, err := w.pixels(ctx)
	if err != nil {
		return nil, err
	}
	set, err := w.table.Fonts(ctx, w.Subject.Fonts)
	if err != nil {
		return nil, err
	}
	ps, err := lettering.Propose(ctx, img, whole(box), words, set)
	if err != nil {
		return nil, err
	}
	d := w.Decisions
	d.Mend(t.Mend(), true)
	src, err := w.table.source(ctx, w.Subject, d)
	if err != nil {
		return nil, err
	}
	for i := range ps {
		ps[i].Ink = alike(src.master.Drawing, ps[i].Ink)
	}
	return ps, nil
}

// FreeFont reports whether a family comes with Dye Kit, under the SIL Open Font License; of
// others only who added them knows what their licence allows.
func (w *Snapshot) FreeFont(ctx context.Context, family string) bool {
	set, err := w.table.Fonts(ctx, w.Subject.Fonts)
	return err == nil && set.Ships(family)
}

// whole is a box on whole pixels.
func whole(r geom.Rect) image.Rectangle {
	return image.Rect(int(math.Floor(r.X0)), int(math.Floor(r.Y0)), int(math.Ceil(r.X1)), int(math.Ceil(r.Y1)))
}

// alike is the colour of a drawing that comes near one, or that one: small letters are seldom
// of a colour of their own.
func alike(d *drawing.Drawing, c colour.RGB) colour.RGB {
	const near = 14 // ΔE00: what packing and blur change of thin strokes
	best, off := c, near+0.0
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			if p, ok := s.Paint.(drawing.Solid); ok {
				if e := colour.Difference(p.Colour.RGB.Lab(), c.Lab()); e < off {
					best, off = p.Colour.RGB, e
				}
			}
		}
	})
	return best
}

// WordsPicture draws the place of words that are to be set anew, enlarged: the pixels alone,
// with the outlines of the letters "over" them, or the words as they are "set".
func (w *Snapshot) WordsPicture(ctx context.Context, s lettering.Setting, as string, width, height int) ([]byte, error) {
	img, err := w.pixels(ctx)
	if err != nil {
		return nil, err
	}
	set, err := w.table.Fonts(ctx, w.Subject.Fonts)
	if err != nil {
		return nil, err
	}
	box := whole(s.Box).Intersect(img.Rect)
	if box.Empty() || width < 1 {
		return nil, ErrNotFound
	}
	at := box.Inset(-3).Intersect(img.Rect)
	part := image.NewNRGBA(at)
	draw.Draw(part, at, img, at.Min, draw.Src)
	view := geom.Rect{X0: float64(at.Min.X), Y0: float64(at.Min.Y), X1: float64(at.Max.X), Y1: float64(at.Max.Y)}
	d := &drawing.Drawing{Page: view, Nodes: []drawing.Node{
		&drawing.Picture{Image: part, To: geom.Translate(view.X0, view.Y0).Mul(geom.Scale(view.W(), view.H())), Alpha: 1},
	}}
	paint := func(p geom.Path, c colour.RGB) {
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}})
	}
	if as != "" {
		p, err := s.Path(set)
		if err != nil {
			return nil, ErrNotFound
		}
		switch as {
		case "over":
			thin := view.W() / float64(width)
			paint(p.Stroke(geom.Pen{Width: 1.5 * thin}, thin/10), colour.FromBytes(0x2c, 0x52, 0x82))
		default:
			on, _ := lettering.Rim(img, box)
			draw.Draw(part, box, image.NewUniform(color.NRGBA{on[0], on[1], on[2], on[3]}), image.Point{}, draw.Src)
			paint(p, s.Ink)
		}
	}
	return w.picture(ctx, fmt.Sprintf("%s words %s %s", w.Subject.Master, as, s), d, view, width, height, nil)
}
