package sheet

import (
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// grounds shows the version for each ground.
func (b *builder) grounds() []row {
	var cells []cell
	for _, g := range b.c.Grounds {
		x := cell{ground: g.Colour, edge: g.Colour.RGB.NearWhite(), name: "On " + g.Name, says: g.Says}
		x.draw = func(geom.Rect) []drawing.Node { return nil }
		i := slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Name == g.Version && v.Drawing != nil })
		if i >= 0 {
			v := b.c.Versions[i]
			x.name += ": " + v.Name
			x.draw = func(r geom.Rect) []drawing.Node {
				ns, _ := Fit(v.Drawing.Nodes, v.Box, r.Grow(-min(r.W(), r.H())*0.16))
				return ns
			}
		}
		cells = append(cells, x)
	}
	return b.grid(cells, 3, 30)
}

// cross is a small X.
func cross(at geom.Point, r float64) drawing.Node {
	var p geom.Path
	for _, a := range []float64{math.Pi / 4, -math.Pi / 4} {
		m := geom.Translate(at.X, at.Y).Mul(geom.Rotate(a))
		p = append(p, geom.Box(geom.Rect{X0: -r, Y0: -0.22, X1: r, Y1: 0.22}).Transform(m)...)
	}
	return Fill(p, wrong)
}

// strange gives a colour that is not the brand's.
func strange(c colour.Colour) colour.Colour {
	out := colour.RGB{R: c.RGB.B, G: c.RGB.R, B: c.RGB.G}
	if c.RGB.Lab().Chroma() < 8 && !c.RGB.NearWhite() {
		out = colour.FromBytes(0xc0, 0x4a, 0x9d)
	}
	return colour.Screen(out)
}

// How wrong the wrong uses are.
const (
	stretchBy = 1.45
	faintness = 0.22
	tiltBy    = -12 // degrees
)

// wrong shows the mark as it must not be used, made from the mark itself.
func (b *builder) wrong() []row {
	v, ok := b.first()
	if !ok {
		return nil
	}
	ground := white
	if v.Light {
		ground = dark
	}
	nodes, box := v.Drawing.Nodes, v.Box
	inner := func(r geom.Rect) geom.Rect { return r.Grow(-min(r.W(), r.H()) * 0.2) }
	turned := func(r geom.Rect, m geom.Affine) []drawing.Node {
		moved := drawing.Moved(nodes, m)
		ns, _ := Fit(moved, m.Rect(box), inner(r))
		return ns
	}
	c := func(name, says string, draw func(geom.Rect) []drawing.Node) cell {
		return cell{ground: ground, edge: !v.Light, name: name, says: says, draw: draw, isWrong: true}
	}
	recoloured := v.Drawing.Recolour(drawing.Recolouring{Colour: strange, Picture: func(p *drawing.Picture) *drawing.Picture {
		return p.MapPixels(func(c [3]uint8) [3]uint8 { return [3]uint8{c[2], c[0], c[1]} })
	}})
	cells := []cell{
		c("Stretched", "its proportions are part of it", func(r geom.Rect) []drawing.Node { return turned(r, geom.Scale(stretchBy, 1)) }),
		c("Tilted", "it stands level", func(r geom.Rect) []drawing.Node { return turned(r, geom.Rotate(tiltBy*math.Pi/180)) }),
		c("Too faint", "it is printed in its full inks", func(r geom.Rect) []drawing.Node {
			ns, _ := Fit(nodes, box, inner(r))
			return []drawing.Node{&drawing.Group{Nodes: ns, Alpha: faintness}}
		}),
		c("Recoloured", "only in the inks of this sheet", func(r geom.Rect) []drawing.Node {
			ns, _ := Fit(recoloured.Nodes, box, inner(r))
			return ns
		}),
		c("Crowded", "its clear space stays clear", func(r geom.Rect) []drawing.Node {
			ns, at := Fit(nodes, box, r.Grow(-min(r.W(), r.H())*0.27))
			for i := range 5 {
				y := r.Y0 + r.H()*(0.1+0.19*float64(i))
				for _, x := range [][2]float64{{r.X0 + 2, at.X0 - 0.4}, {at.X1 + 0.4, r.X1 - 2}} {
					if x[1] > x[0] {
						ns = append(ns, Fill(geom.Box(geom.Rect{X0: x[0], Y0: y, X1: x[1], Y1: y + 1.6}), mid))
					}
				}
			}
			return append(ns, Fill(geom.Box(geom.Rect{X0: r.X0 + 2, Y0: at.Y1 + 0.3, X1: r.X1 - 2, Y1: at.Y1 + 1.9}), mid))
		}),
		c("On unrest", "the ground is calm", func(r geom.Rect) []drawing.Node {
			var ns []drawing.Node
			for i := range 16 {
				x := r.X0 + r.W()*float64(i)/16
				ns = append(ns, Fill(geom.Box(geom.Rect{X0: x, Y0: r.Y0, X1: x + r.W()/32, Y1: r.Y1}), Grey(uint8(0x50+(i*53)%0x80))))
			}
			art, _ := Fit(nodes, box, inner(r))
			return append(ns, art...)
		}),
	}
	return b.grid(cells, 3, 30)
}
