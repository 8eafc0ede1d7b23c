package pdf

import (
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/geom"
)

// blends are the names of PDF (section 11.3.5), which are those of SVG.
var blends = map[drawing.BlendMode]string{
	drawing.Multiply: "Multiply", drawing.Screen: "Screen", drawing.Overlay: "Overlay", drawing.Darken: "Darken",
	drawing.Lighten: "Lighten", drawing.ColorDodge: "ColorDodge", drawing.ColorBurn: "ColorBurn", drawing.HardLight: "HardLight",
	drawing.SoftLight: "SoftLight", drawing.Difference: "Difference", drawing.Exclusion: "Exclusion", drawing.Hue: "Hue",
	drawing.Saturation: "Saturation", drawing.Color: "Color", drawing.Luminosity: "Luminosity",
}

// form adds a form XObject that is an isolated transparency group.
func (c *canvas) form(ns []drawing.Node, box geom.Rect, space string) (string, error) {
	sub := &canvas{&content.Writer{To: c.To, Places: c.Places}, c.file, &resources{}, space == "/DeviceGray"}
	if err := sub.nodes(ns); err != nil {
		return "", err
	}
	b := c.To.Rect(box.Grow(1))
	bbox := fmt.Sprintf("[%s %s %s %s]", export.Number(nil, b.X0, 3), export.Number(nil, b.Y0, 3), export.Number(nil, b.X1, 3), export.Number(nil, b.Y1, 3))
	return c.file.stream("/Type/XObject/Subtype/Form/BBox"+bbox+"/Group<</S/Transparency/CS"+space+"/I true>>/Resources"+sub.res.dict(), sub.Buf), nil
}

// soft sets a mask for what is painted next (section 11.6.5.2).
func (c *canvas) soft(m *drawing.Mask) error {
	kind, space, ns := "/Luminosity", "/DeviceGray", m.Nodes
	if m.Alpha {
		kind = "/Alpha"
	}
	d := (&drawing.Drawing{Nodes: ns}).Recolour(grey(m.Linear))
	inner := &drawing.Group{Nodes: d.Nodes, Alpha: 1, Clip: m.Clip, Mask: m.Mask}
	form, err := c.form([]drawing.Node{inner}, drawing.Bounds(inner), space)
	if err != nil {
		return err
	}
	c.state("/SMask<</Type/Mask/S" + kind + "/G " + form + ">>")
	return nil
}

// state sets graphics state of which something is translucent.
func (c *canvas) state(entries string) {
	c.res.translucent = true
	c.Op(c.res.name(&c.res.states, "G", "<</Type/ExtGState"+entries+">>") + " gs")
}

// grey turns paint into its brightness, as masks take it.
func grey(linear bool) drawing.Recolouring {
	bright := func(c colour.RGB) colour.Colour {
		v := c.Luma()
		if linear {
			v = c.Luminance()
		}
		return colour.Screen(colour.RGB{R: v, G: v, B: v})
	}
	return drawing.Recolouring{
		Colour: func(c colour.Colour) colour.Colour { return bright(c.RGB) },
		Gradient: func(p *drawing.Gradient) drawing.Paint {
			g := *p
			g.Stops = nil
			for i, st := range p.Stops {
				// Brightness in linear light bends between the stops.
				if i > 0 && linear {
					const between = 8
					a := p.Stops[i-1]
					for k := 1; k < between && st.At > a.At; k++ {
						t := float64(k) / between
						g.Stops = append(g.Stops, drawing.Stop{At: a.At + (st.At-a.At)*t, Colour: bright(st.Colour.RGB.Over(a.Colour.RGB, t)), Alpha: a.Alpha + (st.Alpha-a.Alpha)*t})
					}
				}
				st.Colour = bright(st.Colour.RGB)
				g.Stops = append(g.Stops, st)
			}
			return &g
		},
		Picture: func(p *drawing.Picture) *drawing.Picture {
			return p.MapPixels(func(k [3]uint8) [3]uint8 {
				v, _, _ := bright(colour.FromBytes(k[0], k[1], k[2])).RGB.Bytes()
				return [3]uint8{v, v, v}
			})
		},
	}
}

// fading paints a gradient whose opacity changes: its colours through a mask
// of its opacities. The mask reaches past the shape, or the edge would be soft
// twice.
func (c *canvas) fading(s *drawing.Shape, g *drawing.Gradient) error {
	opaque, veil := *g, *g
	opaque.Stops, veil.Stops = nil, nil
	for _, st := range g.Stops {
		a := colour.Screen(colour.RGB{R: st.Alpha, G: st.Alpha, B: st.Alpha})
		veil.Stops = append(veil.Stops, drawing.Stop{At: st.At, Colour: a, Alpha: 1})
		st.Alpha = 1
		opaque.Stops = append(opaque.Stops, st)
	}
	box := s.Path.Bounds()
	box = box.Grow(box.Long()/10 + 1)
	c.Op("q")
	if err := c.soft(&drawing.Mask{Nodes: []drawing.Node{&drawing.Shape{Path: geom.Box(box), Paint: &veil}}}); err != nil {
		return err
	}
	form, err := c.form([]drawing.Node{&drawing.Shape{Path: s.Path, Rule: s.Rule, Paint: &opaque}}, box, c.space())
	if err != nil {
		return err
	}
	c.Op(c.res.name(&c.res.objects, "X", form) + " Do")
	c.Op("Q")
	return nil
}
