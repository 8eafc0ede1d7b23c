package svg

import (
	"fmt"
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
)

// A letter is one character of a text with all that places and paints it.
type letter struct {
	r      rune
	s      *state // of its tspan; letters of one tspan share it
	e      *element
	x, y   float64 // absolute, if hasX, hasY
	dx, dy float64
	rot    float64
	hasX   bool
	hasY   bool
}

// textElement turns a text into outlines: SVG 1.1 chapter 10 for horizontal
// text.
func (r *reader) textElement(e *element, s state) []drawing.Node {
	if s.style.get("visibility", "visible") != "visible" {
		return nil
	}
	var ls []letter
	r.letters(e, &s, &ls)
	ls = collapse(ls)
	if len(ls) == 0 {
		return nil
	}
	var out []drawing.Node
	pen := geom.Point{}
	for i := 0; i < len(ls); {
		j := i + 1
		for j < len(ls) && !ls[j].hasX && !ls[j].hasY {
			j++
		}
		out = append(out, r.chunk(ls[i:j], &pen)...)
		i = j
	}
	if len(out) > 0 {
		var place geom.Rect
		for _, n := range out {
			place = place.Union(drawing.Bounds(n))
		}
		r.findings.Add("live-text", finding.Mended, "live text was turned into shapes, so that no printer needs the font", r.name(e, s), place)
	}
	return out
}

// letters gathers the characters below e in order.
func (r *reader) letters(e *element, s *state, out *[]letter) {
	for _, p := range []struct{ prop, plain string }{
		{"baseline-shift", "baseline"}, {"dominant-baseline", "auto"}, {"alignment-baseline", "auto"}, {"text-decoration", "none"},
	} {
		v := s.style.get(p.prop, p.plain)
		if v != p.plain && v != "alphabetic" && v != "baseline" && v != "0" {
			r.cannot("text with "+p.prop+": "+v, e, *s)
		}
	}
	if v := s.style.get("writing-mode", "lr-tb"); strings.HasPrefix(v, "tb") || strings.HasPrefix(v, "vertical") {
		r.cannot("vertical text", e, *s)
	}
	if e.attrs["textLength"] != "" {
		r.cannot("text fitted to a length", e, *s)
	}
	list := func(name string, of float64) []float64 {
		var v []float64
		for f := range strings.FieldsFuncSeq(e.attrs[name], func(c rune) bool { return c == ',' || c <= ' ' }) {
			n, _ := s.len.length(f, of)
			v = append(v, n)
		}
		return v
	}
	first := len(*out)
	for _, k := range e.kids {
		switch k := k.(type) {
		case string:
			for _, c := range k {
				*out = append(*out, letter{r: c, s: s, e: e})
			}
		case *element:
			switch k.name {
			case "tspan", "a":
				c := *s
				c.style = r.sheet.cascade(k, s.style)
				c = r.inherit(k, c)
				if c.style["display"] != "none" {
					r.letters(k, &c, out)
				}
			case "textPath", "tref", "altGlyph":
				r.cannot("text on a path or by reference", k, *s)
			}
		}
	}
	// The lists of an element number its characters, those of children
	// included; a child's own lists have been set already and stay.
	xs, ys := list("x", s.len.w), list("y", s.len.h)
	dxs, dys, rots := list("dx", s.len.w), list("dy", s.len.h), numbers(e.attrs["rotate"])
	n := 0
	for i := first; i < len(*out); i++ {
		l := &(*out)[i]
		if n == 0 && isSpace(l.r) && s.style["xml:space"] != "preserve" {
			continue // it will be dropped, and addresses no position
		}
		if n < len(xs) && !l.hasX {
			l.x, l.hasX = xs[n], true
		}
		if n < len(ys) && !l.hasY {
			l.y, l.hasY = ys[n], true
		}
		if n < len(dxs) && l.dx == 0 {
			l.dx = dxs[n]
		}
		if n < len(dys) && l.dy == 0 {
			l.dy = dys[n]
		}
		if len(rots) > 0 && l.rot == 0 {
			l.rot = rots[min(n, len(rots)-1)]
		}
		n++
	}
}

func isSpace(c rune) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' }

// collapse handles white space as xml:space="default" does: runs become one
// space, none stays at the ends.
func collapse(ls []letter) []letter {
	var out []letter
	for _, l := range ls {
		if l.s.style["xml:space"] == "preserve" {
			if isSpace(l.r) {
				l.r = ' '
			}
			out = append(out, l)
			continue
		}
		if isSpace(l.r) {
			l.r = ' '
			if len(out) == 0 || out[len(out)-1].r == ' ' {
				continue
			}
		}
		out = append(out, l)
	}
	for len(out) > 0 && out[len(out)-1].r == ' ' && out[len(out)-1].s.style["xml:space"] != "preserve" {
		out = out[:len(out)-1]
	}
	return out
}

// A setting is a glyph placed along the line, before the anchor is applied.
type setting struct {
	g    fonts.Glyph
	at   geom.Point
	rot  float64
	from *letter
}

// chunk sets the letters from one absolute position to the next, beginning at
// pen, and leaves pen behind the last of them.
func (r *reader) chunk(ls []letter, pen *geom.Point) []drawing.Node {
	if ls[0].hasX {
		pen.X = ls[0].x
	}
	if ls[0].hasY {
		pen.Y = ls[0].y
	}
	start := *pen
	var set []setting
	for i := 0; i < len(ls); {
		face, ok := r.face(&ls[i])
		if !ok {
			return nil
		}
		j := i + 1
		for j < len(ls) && ls[j].s == ls[i].s && ls[j].dx == 0 && ls[j].dy == 0 && ls[j].rot == 0 && ls[i].rot == 0 && face.Has(ls[j].r) {
			j++
		}
		set = append(set, r.run(ls[i:j], face, pen)...)
		i = j
	}
	shift := 0.0
	switch ls[0].s.style["text-anchor"] {
	case "middle":
		shift = (pen.X - start.X) / 2
	case "end":
		shift = pen.X - start.X
	}
	if ls[0].s.style["direction"] == "rtl" {
		shift = pen.X - start.X - shift
	}
	pen.X -= shift
	var out []drawing.Node
	for i := 0; i < len(set); {
		// The glyphs of one tspan are one path: one shape to recolour.
		s := set[i].from.s
		var p geom.Path
		j := i
		for ; j < len(set) && set[j].from.s == s; j++ {
			m := geom.Translate(set[j].at.X-shift, set[j].at.Y).Mul(geom.Rotate(set[j].rot * math.Pi / 180))
			p = append(p, set[j].g.Path.Transform(m)...)
		}
		if len(p) > 0 {
			out = append(out, r.paintPath(set[i].from.e, *s, r.counted(p), p.Bounds(), drawing.Lettered)...)
		}
		i = j
	}
	return out
}

// run shapes letters that share a style and moves the pen.
func (r *reader) run(ls []letter, f *fonts.Face, pen *geom.Point) []setting {
	text := make([]rune, len(ls))
	for i, l := range ls {
		text[i] = l.r
	}
	st := ls[0].s
	space := func(prop string) float64 {
		v, _ := st.len.length(st.style.get(prop, "0"), st.len.em)
		return v
	}
	letterGap, wordGap := space("letter-spacing"), space("word-spacing")
	rtl := isRTL(text)
	var out []setting
	pen.X, pen.Y = pen.X+ls[0].dx, pen.Y+ls[0].dy
	for _, g := range f.Shape(text, 0, len(text), st.len.em, weight(st.style), rtl, letterGap == 0) {
		l := &ls[min(len(ls)-1, g.Rune)]
		out = append(out, setting{g, pen.Add(g.Offset), l.rot, l})
		pen.X += g.Advance
		if g.Advance != 0 {
			pen.X += letterGap
		}
		if l.r == ' ' {
			pen.X += wordGap
		}
	}
	return out
}

// isRTL reports whether the text is written from right to left (Hebrew,
// Arabic and their neighbours).
func isRTL(text []rune) bool {
	for _, c := range text {
		if c >= 0x590 && c <= 0x8ff || c >= 0xfb1d && c <= 0xfdff || c >= 0xfe70 && c <= 0xfeff {
			return true
		}
	}
	return false
}

// weight reads font-weight as a number.
func weight(st style) float64 {
	switch v := st.get("font-weight", "normal"); v {
	case "normal":
		return 400
	case "bold", "bolder":
		return 700
	case "lighter":
		return 300
	default:
		if n := numbers(v); len(n) == 1 {
			return min(1000, max(1, n[0]))
		}
	}
	return 400
}

// nearest finds a face to look at instead of a missing one, if that was asked
// for: the first of the list that is here, or the stand-in.
func (r *reader) nearest(list string, weight float64, italic bool) []*fonts.Face {
	if r.standIn == "" {
		return nil
	}
	for f := range strings.SplitSeq(list, ",") {
		f = strings.Trim(strings.TrimSpace(f), `"'`)
		if fs := r.fonts.Find(f, weight, italic); len(fs) > 0 && !fonts.Generic(f) {
			return fs
		}
	}
	if fs := r.fonts.Find(r.standIn, weight, italic); len(fs) > 0 {
		return fs
	}
	return r.fonts.Find(r.standIn, weight, false)
}

// face finds the face for a letter, or says which font is missing. Only the
// family named first counts: another one would set another mark.
func (r *reader) face(l *letter) (*fonts.Face, bool) {
	st := l.s.style
	list := st["font-family"]
	family, _, _ := strings.Cut(list, ",")
	family = strings.Trim(strings.TrimSpace(family), `"'`)
	if family == "" {
		r.findings.Add("missing-font", finding.Stop, "the text names no font, so every program would set another one; name it, or turn the text into shapes", r.name(l.e, *l.s), geom.Rect{})
		if family = r.standIn; family == "" {
			return nil, false
		}
	}
	italic := st["font-style"] == "italic" || st["font-style"] == "oblique"
	faces := r.fonts.Find(family, weight(st), italic)
	if len(faces) == 0 {
		r.findings.Add("missing-font", finding.Stop, fmt.Sprintf("the font %q is not here; add its file, or turn the text into shapes", family), r.name(l.e, *l.s), geom.Rect{})
		faces = r.nearest(list, weight(st), italic)
	}
	for _, f := range faces {
		if f.Has(l.r) {
			if !f.Sets(weight(st)) {
				r.findings.Add("missing-font", finding.Warn, fmt.Sprintf("the font %q is here in weight %.0f alone, and %.0f is asked for; the weight at hand was set", family, f.Weight, weight(st)), r.name(l.e, *l.s), geom.Rect{})
			}
			return f, true
		}
	}
	if len(faces) == 0 {
		return nil, false
	}
	r.findings.Add("missing-font", finding.Stop, fmt.Sprintf("the font %q has no letter %q", family, l.r), r.name(l.e, *l.s), geom.Rect{})
	return nil, false
}
