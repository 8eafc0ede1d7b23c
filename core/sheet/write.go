package sheet

import (
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/text"
)

// A Writer sets lines of text as outlines, in mm.
type Writer struct {
	Faces  []*fonts.Face // tried in order for each letter
	Weight float64       // 400 if 0
	Size   float64       // of the em, mm
	Colour colour.Colour
}

// plain is the family of everything that sheets and boards say.
const plain = "Hanken Grotesk"

// shipped are its faces.
func shipped() []*fonts.Face { return fonts.Shipped().Find(plain, fonts.Style{}) }

// Printed is the black of words: K 100 alone in print.
var Printed = colour.Colour{RGB: colour.FromBytes(0x19, 0x19, 0x18), Build: colour.CMYK{K: 100}, Built: true}

// Quiet is for what is said beside the matter.
var Quiet = colour.Colour{RGB: colour.FromBytes(0x5a, 0x5a, 0x59), Build: colour.CMYK{K: 70}, Built: true}

// NewWriter writes in the shipped family.
func NewWriter(size, weight float64, c colour.Colour) Writer {
	return Writer{Faces: shipped(), Size: size, Weight: weight, Colour: c}
}

// runs splits letters by the first face that has each; a letter that none has is
// set by the first.
func (w Writer) runs(letters []rune, f func(face *fonts.Face, part []rune)) {
	if len(w.Faces) == 0 {
		return
	}
	of := func(r rune) *fonts.Face {
		for _, x := range w.Faces {
			if x.Has(r) {
				return x
			}
		}
		return w.Faces[0]
	}
	for i := 0; i < len(letters); {
		face := of(letters[i])
		j := i + 1
		for j < len(letters) && (letters[j] == ' ' || of(letters[j]) == face) {
			j++
		}
		f(face, letters[i:j])
		i = j
	}
}

// Width is how wide a line is, mm.
func (w Writer) Width(s string) (wide float64) {
	w.runs([]rune(s), func(face *fonts.Face, part []rune) {
		_, x := text.Run{Face: face, Size: w.Size, Style: fonts.Style{Weight: w.Weight}}.Set(part, geom.Point{})
		wide += x
	})
	return wide
}

// Line sets a line from a point on its baseline, as one shape; nil if nothing of it
// is seen.
func (w Writer) Line(s string, at geom.Point) drawing.Node {
	var p geom.Path
	w.runs([]rune(s), func(face *fonts.Face, part []rune) {
		gs, x := text.Run{Face: face, Size: w.Size, Style: fonts.Style{Weight: w.Weight}}.Set(part, at)
		for i := range gs {
			p = append(p, gs[i].Path.Transform(gs[i].Place())...)
		}
		at.X += x
	})
	if len(p) == 0 {
		return nil
	}
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: w.Colour, Alpha: 1}, Origin: drawing.Lettered}
}

// Lines breaks a text into lines of at most width mm, between words, and within a
// word that is wider.
func (w Writer) Lines(s string, width float64) (out []string) {
	line := ""
	for _, word := range strings.Fields(s) {
		next := strings.TrimSpace(line + " " + word)
		if line != "" && w.Width(next) > width {
			out = append(out, line)
			next = word
		}
		for w.Width(next) > width && len([]rune(next)) > 1 {
			r := []rune(next)
			n := len(r) - 1
			for n > 1 && w.Width(string(r[:n])) > width {
				n--
			}
			out = append(out, string(r[:n]))
			next = string(r[n:])
		}
		line = next
	}
	if line != "" {
		out = append(out, line)
	}
	return out
}

// leading is from one baseline to the next, in sizes.
const leading = 1.35

// Text sets lines below one another within a width, the first baseline at at, and
// tells how high they are together.
func (w Writer) Text(s string, at geom.Point, width float64) (ns []drawing.Node, high float64) {
	for i, l := range w.Lines(s, width) {
		if n := w.Line(l, at.Add(geom.Pt(0, float64(i)*leading*w.Size))); n != nil {
			ns = append(ns, n)
		}
		high += leading * w.Size
	}
	return ns, high
}

// Fill is a path in one colour.
func Fill(p geom.Path, c colour.Colour) drawing.Node {
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: c, Alpha: 1}}
}

// Frame is the edge of a box, drawn inside it, thick mm wide.
func Frame(r geom.Rect, thick float64, c colour.Colour) drawing.Node {
	p := geom.Box(r)
	return &drawing.Shape{Path: append(p, geom.Box(r.Grow(-thick)).Reverse()...), Paint: drawing.Solid{Colour: c, Alpha: 1}}
}

// Fit lays art with a box of it into another box, as large as there is room and in
// its middle, and tells where the box comes to lie.
func Fit(nodes []drawing.Node, box, into geom.Rect) ([]drawing.Node, geom.Rect) {
	k := min(into.W()/box.W(), into.H()/box.H())
	return Put(nodes, box, into.Centre(), k)
}

// Put lays art with the middle of a box of it at a point, k times as large, and tells
// where the box comes to lie.
func Put(nodes []drawing.Node, box geom.Rect, at geom.Point, k float64) ([]drawing.Node, geom.Rect) {
	c := box.Centre()
	m := geom.Translate(at.X, at.Y).Mul(geom.Scale(k, k)).Mul(geom.Translate(-c.X, -c.Y))
	return []drawing.Node{&drawing.Group{Nodes: drawing.Moved(nodes, m), Alpha: 1, Isolated: true}}, m.Rect(box)
}

// Grey is a grey of a lightness from 0 to 255, in one ink in print.
func Grey(v uint8) colour.Colour {
	c := colour.FromBytes(v, v, v)
	return colour.Colour{RGB: c, Build: colour.CMYK{K: 100 - c.Lab().L}, Built: true}
}
