// Package content writes what PDF and PostScript say alike: paths, clips and
// numbers in points with y growing upwards. EPS files define the PDF operator
// names in their prolog, so one body serves both and one reader reads both.
package content

import (
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
)

// PtPerPx is 72 pt to the inch over 96 px to the inch.
const PtPerPx = 0.75

// A Writer gathers operators.
type Writer struct {
	Buf    []byte
	To     geom.Affine // page units of the drawing to points
	Places int
}

// New returns a writer for a page; w and h are its size in points.
func New(p export.Page) (wr *Writer, w, h float64) {
	w, h = p.Frame.W*PtPerPx, p.Frame.H*PtPerPx
	k := p.Frame.Scale() * PtPerPx
	to := geom.Affine{A: k, D: -k, E: -p.Frame.Box.X0 * k, F: h + p.Frame.Box.Y0*k}
	return &Writer{To: to, Places: export.Places(max(w, h))}, w, h
}

// Op appends operands and an operator, and ends the line.
func (w *Writer) Op(op string, args ...float64) {
	for _, a := range args {
		w.Buf = export.Number(w.Buf, a, w.Places)
		w.Buf = append(w.Buf, ' ')
	}
	w.Buf = append(w.Buf, op...)
	w.Buf = append(w.Buf, '\n')
}

// Matrix appends a cm operator with the digits a matrix needs.
func (w *Writer) Matrix(m geom.Affine) {
	for _, v := range []float64{m.A, m.B, m.C, m.D, m.E, m.F} {
		w.Buf = export.Number(w.Buf, v, 6)
		w.Buf = append(w.Buf, ' ')
	}
	w.Buf = append(w.Buf, "cm\n"...)
}

// Path appends the construction of a path. Quadratic curves become the same
// curves as cubics.
func (w *Writer) Path(p geom.Path) {
	q := p.Transform(w.To)
	var at, from geom.Point
	for _, s := range q {
		switch s.Op {
		case geom.MoveTo:
			w.Op("m", s.P[0].X, s.P[0].Y)
			from = s.P[0]
		case geom.LineTo:
			w.Op("l", s.P[0].X, s.P[0].Y)
		case geom.QuadTo:
			c := geom.Curve{Op: geom.QuadTo, A: at, B: s.P[0], D: s.P[1]}.Cubic()
			w.Op("c", c.B.X, c.B.Y, c.C.X, c.C.Y, c.D.X, c.D.Y)
		case geom.CubeTo:
			w.Op("c", s.P[0].X, s.P[0].Y, s.P[1].X, s.P[1].Y, s.P[2].X, s.P[2].Y)
		case geom.Close:
			w.Op("h")
			at = from
			continue
		}
		at = s.End()
	}
}

// Fill paints the path last constructed.
func (w *Writer) Fill(r geom.Rule) {
	if r == geom.EvenOdd {
		w.Op("f*")
	} else {
		w.Op("f")
	}
}

// Clip intersects the clip with regions; a union of several cannot be said.
func (w *Writer) Clip(c []drawing.Region) error {
	paths, err := export.OneClip(c)
	if err != nil {
		return err
	}
	for _, r := range paths {
		w.Path(r.Path)
		if r.Rule == geom.EvenOdd {
			w.Op("W*")
		} else {
			w.Op("W")
		}
		w.Op("n")
	}
	return nil
}

// Plain refuses groups with effects that are not kept in print files yet.
func Plain(g *drawing.Group, kind string) error {
	switch {
	case g.Filter != nil:
		return export.Cannot("a filter (shadow, glow, blur) is made of pixels and cannot be kept in " + kind + " yet")
	case g.Mask != nil:
		return export.Cannot("a mask cannot be kept in " + kind + " yet")
	case g.Blend != drawing.Normal:
		return export.Cannot("a blend with what lies below cannot be kept in " + kind + " yet")
	}
	return nil
}

// Colour sets the process fill colour.
func (w *Writer) Colour(c colour.Colour, cmyk bool) {
	op := "rg"
	if cmyk {
		op = "k"
	}
	for _, v := range c.Inks(cmyk) {
		w.Buf = export.Number(w.Buf, v, 4)
		w.Buf = append(w.Buf, ' ')
	}
	w.Buf = append(w.Buf, op+"\n"...)
}
