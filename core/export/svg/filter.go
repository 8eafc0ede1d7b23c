package svg

import (
	"fmt"
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
)

// Filters reports whether SVG 1.1 can say all filters of a drawing as it is written
// here: those of a few plain steps, in lengths that are the same both ways.
func Filters(d *drawing.Drawing) bool {
	ok := true
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if g, is := n.(*drawing.Group); is {
			ok = ok && (g.Filter == nil || plainFilter(g.Filter)) && g.Blend == drawing.Normal
			ok = ok && (g.Mask == nil || !(&drawing.Drawing{Nodes: g.Mask.Nodes}).Has().Filters)
		}
	})
	return ok
}

// even reports whether a map turns nothing and scales both ways alike.
func even(m geom.Affine) bool {
	const tol = 1e-9
	return math.Abs(m.B) < tol && math.Abs(m.C) < tol && m.A > 0 && math.Abs(m.A-m.D) < tol*m.A
}

func plainFilter(f *drawing.Filter) bool {
	if !even(f.To) {
		return false
	}
	for _, s := range f.Steps {
		switch o := s.Op.(type) {
		case drawing.GaussianBlur, drawing.Offset, drawing.Flood, drawing.Merge, drawing.Morphology:
		case drawing.Composite:
			if o.Operator == "lighter" { // of a later standard
				return false
			}
		default:
			return false
		}
	}
	return true
}

// filter defines a filter and returns its id (SVG 1.1, chapter 15).
func (w *writer) filter(f *drawing.Filter) (string, error) {
	m := w.to.Mul(f.To)
	if !plainFilter(f) || !even(m) {
		return "", export.Cannot("it has an effect that SVG 1.1 cannot say in a few steps")
	}
	num := func(v float64) string { return string(export.Number(nil, v, w.places+1)) }
	box := func(r geom.Rect) string {
		q := m.Rect(r)
		return fmt.Sprintf(`x="%s" y="%s" width="%s" height="%s"`, num(q.X0), num(q.Y0), num(q.W()), num(q.H()))
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<filter id="%%s" filterUnits="userSpaceOnUse" primitiveUnits="userSpaceOnUse" %s>`+"\n", box(f.Region))
	in := func(i int) string {
		switch i {
		case drawing.SourceGraphic:
			return "SourceGraphic"
		case drawing.SourceAlpha:
			return "SourceAlpha"
		}
		return fmt.Sprintf("s%d", i)
	}
	for i, s := range f.Steps {
		space := "sRGB"
		if s.Linear {
			space = "linearRGB"
		}
		rest := fmt.Sprintf(`color-interpolation-filters="%s" result="s%d"`, space, i)
		if s.Region != f.Region {
			rest = box(s.Region) + " " + rest
		}
		switch o := s.Op.(type) {
		case drawing.GaussianBlur:
			dev := num(o.X * m.A)
			if o.X != o.Y {
				dev += " " + num(o.Y*m.D)
			}
			fmt.Fprintf(&b, `<feGaussianBlur in="%s" stdDeviation="%s" %s/>`+"\n", in(s.In), dev, rest)
		case drawing.Offset:
			fmt.Fprintf(&b, `<feOffset in="%s" dx="%s" dy="%s" %s/>`+"\n", in(s.In), num(o.X*m.A), num(o.Y*m.D), rest)
		case drawing.Flood:
			fmt.Fprintf(&b, `<feFlood flood-color="%s" flood-opacity="%s" %s/>`+"\n", short(o.Colour), export.Number(nil, o.Alpha, 4), rest)
		case drawing.Composite:
			k := ""
			if o.Operator == "arithmetic" {
				k = fmt.Sprintf(`k1="%g" k2="%g" k3="%g" k4="%g" `, o.K[0], o.K[1], o.K[2], o.K[3])
			}
			fmt.Fprintf(&b, `<feComposite in="%s" in2="%s" operator="%s" %s%s/>`+"\n", in(s.In), in(s.In2), o.Operator, k, rest)
		case drawing.Merge:
			fmt.Fprintf(&b, "<feMerge %s>", rest)
			for _, n := range o.In {
				fmt.Fprintf(&b, `<feMergeNode in="%s"/>`, in(n))
			}
			b.WriteString("</feMerge>\n")
		case drawing.Morphology:
			op := "erode"
			if o.Dilate {
				op = "dilate"
			}
			fmt.Fprintf(&b, `<feMorphology in="%s" operator="%s" radius="%s %s" %s/>`+"\n", in(s.In), op, num(o.X*m.A), num(o.Y*m.D), rest)
		}
	}
	b.WriteString("</filter>\n")
	return w.define(b.String()), nil
}
