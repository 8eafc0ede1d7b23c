package version

import (
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/core/trace"
)

const (
	// seenAt is the opacity from which something is seen: what is fainter is left out
	// of a patch.
	seenAt = 1.5 / 255
	// softEdge is how many pixels deep the edge of hard-edged art may be: an antialiased
	// edge has one or two pixels of some opacity, a shadow has many.
	softEdge = 3
	// maxOutline bounds the segments of a patch's outline; what has more is cut by its box.
	maxOutline = 20_000
)

// patch is a run of nodes, on what lies below, as an opaque picture on white paper that is
// clipped by its own outline: nothing lies where nothing was drawn.
func (f *flattener) patch(run []drawing.Node, clip geom.Rect) ([]drawing.Node, error) {
	var box geom.Rect
	for _, n := range run {
		box = box.Union(drawing.Bounds(n))
	}
	if box = box.Intersect(clip); box.Empty() {
		return nil, nil
	}
	d := &drawing.Drawing{Page: f.box}
	for _, l := range f.below {
		if !l.box.Intersect(box).Empty() {
			d.Nodes = append(d.Nodes, l.node)
		}
	}
	alone := len(d.Nodes) == 0
	own, _ := run[0].(*drawing.Picture)
	p := &drawing.Picture{Alpha: 1, To: geom.Affine{A: box.W(), D: box.H(), E: box.X0, F: box.Y0}}
	straight := own != nil && len(run) == 1 && own.Alpha == 1 && (alone || own.To.B == 0 && own.To.C == 0 && own.To.A > 0 && own.To.D > 0)
	if straight {
		p.Image, p.To = own.Image, own.To // at its own pixels
	} else {
		shot, err := picture(f.ctx, &drawing.Drawing{Page: f.box, Nodes: run}, box, f.k, nil)
		if err != nil {
			return nil, err
		}
		p.Image = shot.Image
	}
	outline, hard := outlineOf(p.Image, alone)
	if len(outline) == 0 {
		return nil, nil
	}
	switch {
	case alone && hard:
		p.Image = filled(p.Image)
	case alone:
		p.Image = onWhite(p.Image)
	default:
		w, h := p.Image.Rect.Dx(), p.Image.Rect.Dy()
		if !straight {
			d.Nodes = append(d.Nodes, run...)
		}
		at := p.To.Rect(geom.Rect{X1: 1, Y1: 1})
		shown, err := raster.Render(f.ctx, d, raster.Fit(at, w, h), w, h, raster.Options{Ground: &colour.White})
		if err != nil {
			return nil, err
		}
		if straight {
			lay(shown, own.Image)
		}
		p.Image = shown
	}
	if straight { // what keeps its colour keeps its inks
		p.Inks = own.Repainted(p.Image).Inks
	}
	b := p.Image.Rect
	outline = outline.Transform(p.To.Mul(geom.Scale(1/float64(b.Dx()), 1/float64(b.Dy()))))
	p.Part = drawing.PartOf(run[0])
	return []drawing.Node{&drawing.Group{Nodes: []drawing.Node{p}, Alpha: 1, Clip: []drawing.Region{{Path: outline}}, Part: p.Part}}, nil
}

// outlineOf is the outline of what is seen of a picture, in its px. Of one that may be
// hard, whose edges are no softer than those of shapes, it runs through their middle.
func outlineOf(img *image.NRGBA, may bool) (p geom.Path, hard bool) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	f := &trace.Field{W: w, H: h, V: make([]float64, w*h)}
	part, edge := 0, 0
	all := true
	for y := range h {
		for x := range w {
			a := img.Pix[y*img.Stride+4*x+3]
			f.V[y*w+x] = float64(a) / 255
			all = all && a == 255
			if a > 0 && a < 255 {
				part++
			}
			if x > 0 && (a >= 128) != (img.Pix[y*img.Stride+4*x-1] >= 128) {
				edge++
			}
			if y > 0 && (a >= 128) != (img.Pix[(y-1)*img.Stride+4*x+3] >= 128) {
				edge++
			}
		}
	}
	box := geom.Box(geom.Rect{X1: float64(w), Y1: float64(h)})
	if all {
		return box, true
	}
	level := seenAt
	if hard = may && part <= softEdge*edge; hard {
		level = 0.5
	}
	if p = f.Contours(level, tracedTol); len(p) > maxOutline {
		return box, false
	}
	return p, hard
}

// filled is a picture made opaque: what is seen has its own colour, the rest is white.
func filled(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, img.Rect.Dx(), img.Rect.Dy()))
	each(out, img, func(q, p []uint8) {
		if p[3] == 0 {
			q[0], q[1], q[2] = 255, 255, 255
		} else {
			copy(q, p[:3])
		}
	})
	return out
}

// onWhite is a picture on white paper.
func onWhite(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, img.Rect.Dx(), img.Rect.Dy()))
	each(out, img, func(q, p []uint8) {
		a := int(p[3])
		for i := range 3 {
			q[i] = uint8((int(p[i])*a + 255*(255-a) + 127) / 255)
		}
	})
	return out
}

// lay puts a picture on an opaque one of the same size.
func lay(on, img *image.NRGBA) {
	for y := range on.Rect.Dy() {
		for x := range on.Rect.Dx() {
			q, p := on.Pix[y*on.Stride+4*x:][:3], img.Pix[y*img.Stride+4*x:][:4]
			a := int(p[3])
			for i := range q {
				q[i] = uint8((int(p[i])*a + int(q[i])*(255-a) + 127) / 255)
			}
		}
	}
}

// each gives f the pixels of two pictures; those of the first are opaque.
func each(out, img *image.NRGBA, f func(q, p []uint8)) {
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			q := out.Pix[y*out.Stride+4*x:][:4]
			f(q[:3], img.Pix[y*img.Stride+4*x:][:4])
			q[3] = 255
		}
	}
}
