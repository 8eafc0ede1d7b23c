package sheet

import (
	"fmt"
	"math"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Colours of grounds and lines.
var (
	white = colour.Colour{RGB: colour.White, Built: true}
	mid   = Grey(0x80)
	dark  = Grey(0x2b)
	black = colour.Colour{RGB: colour.Black, Build: colour.CMYK{K: 100}, Built: true}
	line  = Grey(0xc4)
	wrong = colour.Colour{RGB: colour.FromBytes(0xa3, 0x32, 0x2b), Build: colour.CMYK{C: 0, M: 80, Y: 70, K: 30}, Built: true}
)

func (b *builder) rows(name string) []row {
	switch name {
	case "versions":
		return b.versions(false)
	case "lockups":
		return b.versions(true)
	case "inks":
		return b.inks()
	case "fonts":
		return b.fonts()
	case "space":
		return b.space()
	case "small":
		return b.small()
	case "grounds":
		return b.grounds()
	case "wrong":
		return b.wrong()
	}
	return nil
}

// A cell is a picture in a grid, with words below.
type cell struct {
	ground  colour.Colour
	edge    bool
	draw    func(into geom.Rect) []drawing.Node
	name    string
	says    string
	isWrong bool
}

// grid lays cells side by side, n in a row, pictures high mm high.
func (b *builder) grid(cells []cell, n int, high float64) (rows []row) {
	const words = 11
	w := (b.width() - float64(n-1)*gap) / float64(n)
	for at := 0; at < len(cells); at += n {
		part := cells[at:min(len(cells), at+n)]
		rows = append(rows, row{high + words, func(x, y float64) (ns []drawing.Node) {
			for i, c := range part {
				r := geom.Rect{X0: x + float64(i)*(w+gap), Y0: y}
				r.X1, r.Y1 = r.X0+w, y+high
				ns = append(ns, Fill(geom.Box(r), c.ground))
				if c.edge {
					ns = append(ns, Frame(r, 0.2, line))
				}
				ns = append(ns, &drawing.Group{Nodes: c.draw(r), Alpha: 1, Clip: []drawing.Region{{Path: geom.Box(r)}}})
				name := NewWriter(3.3, 650, Printed)
				left := r.X0
				if c.isWrong {
					ns = append(ns, cross(geom.Pt(r.X0+1.6, r.Y1+3.3), 1.3))
					left += 4.6
				}
				ns = append(ns, name.Line(Shorten(name, c.name, r.X1-left), geom.Pt(left, r.Y1+4.4)))
				says := NewWriter(2.8, 450, Quiet)
				ns = append(ns, says.Line(Shorten(says, c.says, w), geom.Pt(r.X0, r.Y1+8.2)))
			}
			return ns
		}})
	}
	return rows
}

// Shorten keeps a line within a width.
func Shorten(w Writer, s string, width float64) string {
	if w.Width(s) <= width {
		return s
	}
	r := []rune(s)
	for len(r) > 1 && w.Width(string(r)+"…") > width {
		r = r[:len(r)-1]
	}
	return strings.TrimSpace(string(r)) + "…"
}

func (b *builder) versions(lockups bool) []row {
	var cells []cell
	for _, v := range b.c.Versions {
		if v.Drawing == nil || v.Part != lockups {
			continue
		}
		c := cell{ground: white, edge: true, name: v.Name, says: v.Says}
		if v.Light && !v.Own {
			c.ground, c.edge = dark, false
		}
		c.draw = func(r geom.Rect) []drawing.Node {
			ns, _ := Fit(v.Drawing.Nodes, v.Box, r.Grow(-min(r.W(), r.H())*0.14))
			return ns
		}
		cells = append(cells, c)
	}
	return b.grid(cells, 3, 34)
}

// Steps of tints, percent of the full ink.
var Steps = []float64{100, 80, 60, 40, 20}

// tint is a part of an ink: of a spot ink on its plate, of a build in all its parts.
func tint(k Ink, percent float64) colour.Colour {
	c := k.Colour
	t := percent / 100
	c.RGB = c.RGB.Over(colour.White, t)
	c.Build, c.Built = colour.CMYK{C: k.Build.C * t, M: k.Build.M * t, Y: k.Build.Y * t, K: k.Build.K * t}, true
	if c.Spot != "" {
		// The plate's full build is its alternate; the tint is told beside.
		full := c.Tint
		if full == 0 {
			full = 100
		}
		c.Build, c.Tint = k.Build, full*t
		if c.Tint == 100 {
			c.Tint = 0
		}
	}
	return c
}

func (b *builder) inks() (rows []row) {
	const high, swatch, step = 22, 34, 13
	for _, k := range b.c.Inks {
		rows = append(rows, row{high, func(x, y float64) (ns []drawing.Node) {
			r := geom.Rect{X0: x, Y0: y, X1: x + swatch, Y1: y + high - 4}
			ns = append(ns, Fill(geom.Box(r), tint(k, 100)))
			if k.Colour.RGB.NearWhite() {
				ns = append(ns, Frame(r, 0.2, line))
			}
			name := NewWriter(3.6, 650, Printed)
			ns = append(ns, name.Line(Shorten(name, k.Name, 60), geom.Pt(x+swatch+gap, y+4)))
			values := NewWriter(3, 450, Printed)
			for i, s := range Values(k) {
				ns = append(ns, values.Line(Shorten(values, s, 62), geom.Pt(x+swatch+gap, y+8.6+4.2*float64(i))))
			}
			if k.Colour.RGB.NearWhite() {
				return ns // a tint of the paper is the paper
			}
			left := x + b.width() - step*float64(len(Steps))
			for i, t := range Steps {
				r := geom.Rect{X0: left + step*float64(i), Y0: y, X1: left + step*float64(i+1), Y1: y + high - 9}
				says := NewWriter(2.6, 450, Quiet)
				word := fmt.Sprintf("%g %%", t)
				ns = append(ns, Fill(geom.Box(r), tint(k, t)), says.Line(word, geom.Pt(r.Centre().X-says.Width(word)/2, r.Y1+3.6)))
			}
			return ns
		}})
	}
	return rows
}

// Values are those of an ink as people copy them, a line for each way of saying it.
func Values(k Ink) []string {
	r, g, bl := k.Colour.RGB.Bytes()
	one := func(v float64) string { return fmt.Sprintf("%g", math.Round(v*10)/10) }
	out := []string{
		fmt.Sprintf("%s   RGB %d %d %d", k.Colour.RGB.Hex(), r, g, bl),
		fmt.Sprintf("CMYK %s %s %s %s", one(k.Build.C), one(k.Build.M), one(k.Build.Y), one(k.Build.K)),
	}
	if k.Colour.Spot != "" {
		s := "Spot " + k.Colour.Spot
		if t := k.Colour.Tint; t > 0 && t < 100 {
			s += fmt.Sprintf(", %g %%", t)
		}
		out = append(out, s)
	}
	return out
}

func (b *builder) fonts() (rows []row) {
	for _, f := range b.c.Fonts {
		rows = append(rows, row{21, func(x, y float64) (ns []drawing.Node) {
			name := NewWriter(3.6, 650, Printed)
			ns = append(ns, name.Line(Shorten(name, f.Family, 40), geom.Pt(x, y+5)))
			if len(f.Faces) == 0 {
				return append(ns, NewWriter(3, 450, Quiet).Line("not at hand here", geom.Pt(x+44, y+5)))
			}
			large, rest := NewWriter(9, 400, Printed), NewWriter(4, 400, Printed)
			large.Faces, rest.Faces = f.Faces, f.Faces
			return append(ns, large.Line("Aa Gg Rr 123", geom.Pt(x+44, y+8)), rest.Line("abcdefghijklmnopqrstuvwxyz 0123456789 &?!", geom.Pt(x+44, y+15.5)))
		}})
	}
	return rows
}

// first is the version that stands for the mark.
func (b *builder) first() (v Version, ok bool) {
	for _, light := range []bool{false, true} {
		for _, v := range b.c.Versions {
			if v.Drawing != nil && !v.Part && !v.Own && v.Light == light {
				return v, true
			}
		}
	}
	return v, false
}

// sides are how much room the frame keeps round the art, in parts of the art's
// width: above, right, below, left.
func (b *builder) sides() [4]float64 {
	a, f := b.c.Art, b.c.Frame
	w := a.W()
	return [4]float64{(a.Y0 - f.Y0) / w, (f.X1 - a.X1) / w, (f.Y1 - a.Y1) / w, (a.X0 - f.X0) / w}
}

// seen is the room, in parts of the width, from which on it is worth a block.
const seen = 0.002

func (b *builder) space() []row {
	v, ok := b.first()
	side := b.sides()
	if !ok || b.c.Art.Empty() || min(side[0], side[1], side[2], side[3]) < seen {
		return nil
	}
	const high = 62.0
	return []row{{high + 3, func(x, y float64) (ns []drawing.Node) {
		into := geom.Rect{X0: x, Y0: y, X1: x + b.width()*0.56, Y1: y + high}
		ground := white
		if v.Light {
			ground = dark
		}
		art, box := Fit(v.Drawing.Nodes, b.c.Frame, into.Grow(-9))
		k := box.W() / b.c.Frame.W()
		inner := geom.Rect{X0: box.X0 + (b.c.Art.X0-b.c.Frame.X0)*k, Y0: box.Y0 + (b.c.Art.Y0-b.c.Frame.Y0)*k}
		inner.X1, inner.Y1 = inner.X0+b.c.Art.W()*k, inner.Y0+b.c.Art.H()*k
		free := &drawing.Shape{Path: append(geom.Box(box), geom.Box(inner).Reverse()...), Paint: drawing.Solid{Colour: Grey(0xe0), Alpha: 1}}
		ns = append(ns, Fill(geom.Box(box), ground), free)
		ns = append(ns, art...)
		ns = append(ns, Frame(box, 0.2, Quiet))
		ns = append(ns, across(inner.X0, inner.X1, box.Y1+5, "100 %")...)
		ns = append(ns, across(box.X0, inner.X0, box.Y0-3, percent(side[3]))...)
		ns = append(ns, down(box.X1+3, box.Y0, inner.Y0, percent(side[0]))...)
		says := NewWriter(3.3, 450, Printed)
		right := x + b.width()*0.62
		t, h := says.Text(spaceSays(side), geom.Pt(right, y+8), b.width()*0.38)
		ns = append(ns, t...)
		t, _ = NewWriter(3, 450, Quiet).Text("In parts of the width of the art. Nothing else stands in the grey.", geom.Pt(right, y+10+h), b.width()*0.38)
		return append(ns, t...)
	}}}
}

func percent(v float64) string { return fmt.Sprintf("%g %%", math.Round(v*1000)/10) }

// spaceSays tells the room by a mark that is 100 mm wide.
func spaceSays(side [4]float64) string {
	mm := func(v float64) string { return fmt.Sprintf("%g mm", math.Round(v*1000)/10) }
	if max(side[0], side[1], side[2], side[3])-min(side[0], side[1], side[2], side[3]) < seen {
		return fmt.Sprintf("All round, %s of the width stays free: %s where the mark is 100 mm wide.", percent(side[0]), mm(side[0]))
	}
	return fmt.Sprintf("Where the mark is 100 mm wide, %s stay free above, %s on the right, %s below and %s on the left.", mm(side[0]), mm(side[1]), mm(side[2]), mm(side[3]))
}

// across and down are measures between two places, with ticks and a word.
func across(x0, x1, y float64, word string) []drawing.Node {
	w := NewWriter(2.6, 450, Printed)
	return append(bar(x0, x1, y, false), w.Line(word, geom.Pt((x0+x1)/2-w.Width(word)/2, y-1)))
}

func down(x, y0, y1 float64, word string) []drawing.Node {
	w := NewWriter(2.6, 450, Printed)
	return append(bar(y0, y1, x, true), w.Line(word, geom.Pt(x+1.2, (y0+y1)/2+0.9)))
}

// bar is a line with a tick at each end.
func bar(a, z, at float64, upright bool) (ns []drawing.Node) {
	const thin, tick = 0.1, 0.9
	for _, r := range []geom.Rect{{X0: a, Y0: at - thin, X1: z, Y1: at + thin}, {X0: a - thin, Y0: at - tick, X1: a + thin, Y1: at + tick}, {X0: z - thin, Y0: at - tick, X1: z + thin, Y1: at + tick}} {
		if upright {
			r = geom.Rect{X0: r.Y0, Y0: r.X0, X1: r.Y1, Y1: r.X1}
		}
		ns = append(ns, Fill(geom.Box(r), Printed))
	}
	return ns
}

// screenInch is how many px of a screen are an inch (CSS Values 3, section 6.2).
const screenInch = 96

func (b *builder) small() []row {
	v, ok := b.first()
	s := b.c.Smallest
	if !ok || s.Px == 0 && s.MM == 0 {
		return nil
	}
	type size struct {
		mm   float64
		word string
	}
	var sizes []size
	if s.MM > 0 {
		sizes = append(sizes, size{s.MM, fmt.Sprintf("%g mm in print", s.MM)})
	}
	if s.Px > 0 {
		sizes = append(sizes, size{float64(s.Px) / screenInch * 25.4, fmt.Sprintf("%d px on a screen", s.Px)})
	}
	// What is large is told in words alone.
	const largest = 60
	shape := v.Box.H() / v.Box.W()
	fits := func(x size) bool { return x.mm <= largest && x.mm*shape <= largest }
	high := 0.0
	for _, x := range sizes {
		if fits(x) {
			high = max(high, x.mm*shape)
		}
	}
	return []row{{high + 13, func(x, y float64) (ns []drawing.Node) {
		for _, z := range sizes {
			w := NewWriter(3, 450, Printed)
			if !fits(z) {
				ns = append(ns, w.Line(z.word, geom.Pt(x, y+high+7.5)))
				x += w.Width(z.word) + 16
				continue
			}
			r := geom.Rect{X0: x, Y0: y, X1: x + z.mm, Y1: y + z.mm*shape}
			if v.Light {
				ns = append(ns, Fill(geom.Box(r.Grow(1)), dark))
			}
			art, _ := Fit(v.Drawing.Nodes, v.Box, r)
			ns = append(ns, art...)
			ns = append(ns, bar(r.X0, r.X1, y+high+2.5, false)...)
			ns = append(ns, w.Line(z.word, geom.Pt(x, y+high+7.5)))
			x += max(z.mm, w.Width(z.word)) + 16
		}
		if high == 0 {
			return ns
		}
		return append(ns, NewWriter(3, 450, Quiet).Line("drawn at true size on paper", geom.Pt(x, y+high+7.5)))
	}}}
}
