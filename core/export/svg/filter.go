package svg

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
)

// Filters reports whether SVG 1.1 can say all filters of a drawing as it is written
// here: those without light sources, noise, kernels and pictures, in lengths that are
// the same both ways.
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
	named := func(in ...int) bool { return !slices.Contains(in, drawing.Nothing) }
	for _, s := range f.Steps {
		switch o := s.Op.(type) {
		case drawing.Flood:
		case drawing.GaussianBlur, drawing.Offset, drawing.Morphology, drawing.ColourMatrix, drawing.ComponentTransfer:
			if !named(s.In) {
				return false
			}
		case drawing.Merge:
			if !named(o.In...) {
				return false
			}
		case drawing.Blend:
			if _, ok := modes[o.Mode]; !ok || !named(s.In, s.In2) {
				return false
			}
		case drawing.Composite:
			if o.Operator == "lighter" || !named(s.In, s.In2) { // lighter is of a later standard
				return false
			}
		default:
			return false
		}
	}
	return true
}

// modes are the blend modes of SVG 1.1 (section 15.9).
var modes = map[drawing.BlendMode]string{drawing.Normal: "normal", drawing.Multiply: "multiply", drawing.Screen: "screen", drawing.Darken: "darken", drawing.Lighten: "lighten"}

// transfer writes a function of a channel as one of SVG 1.1 (section 15.11): a line, or
// what it gives for each of the 256 values that a channel has.
func transfer(channel string, f func(float64) float64) string {
	const steps = 255
	at := func(k int) float64 { return f(float64(k) / steps) }
	slope, line := at(steps)-at(0), true
	for k := range steps {
		line = line && math.Abs(at(0)+slope*float64(k)/steps-at(k)) < 1e-9
	}
	if line {
		return fmt.Sprintf(`<feFunc%s type="linear" slope="%s" intercept="%s"/>`, channel, export.Number(nil, slope, 6), export.Number(nil, at(0), 6))
	}
	table := make([]byte, 0, 7*(steps+1))
	for k := range steps + 1 {
		if k > 0 {
			table = append(table, ' ')
		}
		table = export.Number(table, min(1, max(0, at(k))), 4)
	}
	return fmt.Sprintf(`<feFunc%s type="table" tableValues="%s"/>`, channel, table)
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
		case drawing.ColourMatrix:
			values := make([]string, len(o.M))
			for i, v := range o.M {
				values[i] = string(export.Number(nil, v, 6))
			}
			fmt.Fprintf(&b, `<feColorMatrix in="%s" type="matrix" values="%s" %s/>`+"\n", in(s.In), strings.Join(values, " "), rest)
		case drawing.ComponentTransfer:
			fmt.Fprintf(&b, `<feComponentTransfer in="%s" %s>`, in(s.In), rest)
			for i, f := range o.T {
				b.WriteString(transfer("RGBA"[i:i+1], f))
			}
			b.WriteString("</feComponentTransfer>\n")
		case drawing.Blend:
			fmt.Fprintf(&b, `<feBlend in="%s" in2="%s" mode="%s" %s/>`+"\n", in(s.In), in(s.In2), modes[o.Mode], rest)
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
