package sheet

import (
	"fmt"
	"math"
	"slices"
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
	w := (b.width() - float64(n-1)*gap) / float64(n)
	for at := 0; at < len(cells); at += n {
		part := cells[at:min(len(cells), at+n)]
		words := 11.0
		for _, c := range part {
			if len(NewWriter(2.8, 450, Quiet).Lines(c.says, w)) > 1 {
				words = 11 + sayLine
			}
		}
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
				lines := says.Lines(c.says, w)
				if len(lines) > 2 {
					lines = []string{lines[0], Shorten(says, strings.Join(lines[1:], " "), w)}
				}
				for i, l := range lines {
					ns = append(ns, says.Line(l, geom.Pt(r.X0, r.Y1+8.2+sayLine*float64(i))))
				}
			}
			return ns
		}})
	}
	return rows
}

// sayLine is the distance between lines of what is said of a cell, in mm.
const sayLine = 3.7

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

// tint is a part of an ink: of a spot ink on its plate, of a build in all its parts. An
// ink that is a tint itself is told by its build at that tint.
func tint(k Ink, percent float64) colour.Colour {
	c := k.Colour
	t := percent / 100
	c.RGB = c.RGB.Over(colour.White, t)
	if c.Spot == "" || !c.Built {
		c.Build, c.Built = colour.CMYK{C: k.Build.C * t, M: k.Build.M * t, Y: k.Build.Y * t, K: k.Build.K * t}, true
	}
	if c.Spot != "" {
		// The plate's full build is its alternate; the tint is told beside.
		full := c.Tint
		if full == 0 {
			full = 100
		}
		c.Tint = full * t
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
	if m := k.Colour.Mix; !m.IsZero() {
		out = append(out, "Plates "+m.String())
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

// space shows the clear space, and the measure of the mark that it is told in.
func (b *builder) space() []row {
	v, ok := b.first()
	free := b.c.Room.Free
	if !ok || b.c.Art.Empty() || !(free > 0) {
		return nil
	}
	const high = 62.0
	return []row{{high + 3, func(x, y float64) (ns []drawing.Node) {
		into := geom.Rect{X0: x, Y0: y, X1: x + b.width()*0.56, Y1: y + high}
		ground := white
		if v.Light {
			ground = dark
		}
		whole := b.c.Art.Grow(free)
		art, box := Fit(v.Drawing.Nodes, whole, into.Grow(-9))
		k := box.W() / whole.W()
		inner := box.Grow(-free * k)
		stays := &drawing.Shape{Path: append(geom.Box(box), geom.Box(inner).Reverse()...), Paint: drawing.Solid{Colour: Grey(0xe0), Alpha: 1}}
		ns = append(ns, Fill(geom.Box(box), ground), stays)
		ns = append(ns, art...)
		ns = append(ns, Frame(box, 0.2, Quiet))
		// The measure where the mark has it, and as the room in each corner.
		m := b.c.Room.Shown
		at := geom.Rect{X0: box.X0 + (m.X0-whole.X0)*k, Y0: box.Y0 + (m.Y0-whole.Y0)*k, X1: box.X0 + (m.X1-whole.X0)*k, Y1: box.Y0 + (m.Y1-whole.Y0)*k}
		ns = append(ns, Frame(at.Grow(0.2), 0.2, wrong))
		for _, c := range inner.Corners() {
			r := geom.Rect{X0: c.X, Y0: c.Y, X1: c.X, Y1: c.Y}.Grow(free * k / 2)
			mid := box.Centre()
			dx, dy := math.Copysign(free*k/2, c.X-mid.X), math.Copysign(free*k/2, c.Y-mid.Y)
			ns = append(ns, Frame(geom.Rect{X0: r.X0 + dx, Y0: r.Y0 + dy, X1: r.X1 + dx, Y1: r.Y1 + dy}.Grow(-0.1), 0.2, wrong))
		}
		ns = append(ns, across(inner.X0, inner.X1, box.Y1+5, "100 %")...)
		ns = append(ns, across(box.X0, inner.X0, box.Y0-3, percent(free/b.c.Art.W()))...)
		right := x + b.width()*0.62
		t, h := NewWriter(3.3, 450, Printed).Text(spaceSays(b.c.Room.Says, free/b.c.Art.W()), geom.Pt(right, y+8), b.width()*0.38)
		ns = append(ns, t...)
		t, _ = NewWriter(3, 450, Quiet).Text("The red boxes are that measure. Nothing else stands in the grey.", geom.Pt(right, y+10+h), b.width()*0.38)
		return append(ns, t...)
	}}}
}

func percent(v float64) string { return fmt.Sprintf("%g %%", math.Round(v*1000)/10) }

// spaceSays tells the room by its measure, and by a mark that is 100 mm wide.
func spaceSays(measure string, share float64) string {
	return fmt.Sprintf("All round, %s stays free: %g mm where the mark is 100 mm wide.", measure, math.Round(share*1000)/10)
}

// across is a measure between two places, with ticks and a word.
func across(x0, x1, y float64, word string) []drawing.Node {
	w := NewWriter(2.6, 450, Printed)
	return append(bar(x0, x1, y), w.Line(word, geom.Pt((x0+x1)/2-w.Width(word)/2, y-1)))
}

// bar is a line with a tick at each end.
func bar(a, z, at float64) (ns []drawing.Node) {
	const thin, tick = 0.1, 0.9
	for _, r := range []geom.Rect{{X0: a, Y0: at - thin, X1: z, Y1: at + thin}, {X0: a - thin, Y0: at - tick, X1: a + thin, Y1: at + tick}, {X0: z - thin, Y0: at - tick, X1: z + thin, Y1: at + tick}} {
		ns = append(ns, Fill(geom.Box(r), Printed))
	}
	return ns
}

// screenInch is how many px of a screen are an inch (CSS Values 3, section 6.2).
const screenInch = 96

// small shows the mark and its lockups at their smallest sizes, each with a bar as wide on
// paper, however small the page is set.
func (b *builder) small() (rows []row) {
	for _, s := range b.c.Smallest {
		i := slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Name == s.Version && v.Drawing != nil })
		if i >= 0 {
			rows = append(rows, b.smallest(b.c.Versions[i], s))
		}
	}
	return rows
}

func (b *builder) smallest(v Version, s Smallest) row {
	type size struct {
		mm   float64
		word string
	}
	var sizes []size
	if s.MM > 0 {
		sizes = append(sizes, size{s.MM / b.scale, fmt.Sprintf("%g mm in print", s.MM)})
	}
	if s.Px > 0 {
		sizes = append(sizes, size{float64(s.Px) / screenInch * 25.4 / b.scale, fmt.Sprintf("%d px on a screen", s.Px)})
	}
	art := v.Drawing.Bounds()
	shape := art.H() / art.W()
	// What is large is told in words alone.
	const largest = 60
	fits := func(x size) bool { return x.mm <= largest && x.mm*shape <= largest }
	high := 0.0
	for _, x := range sizes {
		if fits(x) {
			high = max(high, x.mm*shape)
		}
	}
	says := NewWriter(3, 450, Quiet)
	lines := says.Lines(s.Says, b.width())
	words := 4.2 * float64(len(lines))
	return row{high + 13 + words, func(x, y float64) (ns []drawing.Node) {
		left := x
		for _, z := range sizes {
			w := NewWriter(3, 450, Printed)
			if !fits(z) {
				ns = append(ns, w.Line(z.word, geom.Pt(x, y+high+7.5)))
				x += w.Width(z.word) + 16
				continue
			}
			r := geom.Rect{X0: x, Y0: y, X1: x + z.mm, Y1: y + z.mm*shape}
			if v.Light && !v.Own {
				ns = append(ns, Fill(geom.Box(r.Grow(1)), dark))
			}
			drawn, _ := Fit(v.Drawing.Nodes, art, r)
			ns = append(ns, drawn...)
			ns = append(ns, bar(r.X0, r.X1, y+high+2.5)...)
			ns = append(ns, w.Line(z.word, geom.Pt(x, y+high+7.5)))
			x += max(z.mm, w.Width(z.word)) + 16
		}
		if high > 0 {
			ns = append(ns, says.Line("drawn at true size on paper", geom.Pt(x, y+high+7.5)))
		}
		t, _ := says.Text(s.Says, geom.Pt(left, y+high+12), b.width())
		return append(ns, t...)
	}}
}
