package svg

import (
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
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
	path   *textPath // the path it runs along, if any
}

// textElement turns a text into outlines: SVG 1.1 chapter 10 for horizontal
// text.
func (r *reader) textElement(e *element, s state) []drawing.Node {
	if s.style.get("visibility", "visible") != "visible" {
		return nil
	}
	var ls []letter
	s = s.shifted(s.len.em)
	r.letters(e, &s, &ls)
	ls = collapse(ls)
	if len(ls) == 0 {
		return nil
	}
	var out []drawing.Node
	pen := geom.Point{}
	for i := 0; i < len(ls); {
		j := i + 1
		for j < len(ls) && !ls[j].hasX && !ls[j].hasY && ls[j].path == ls[i].path {
			j++
		}
		length, _ := s.len.length(e.attrs["textLength"], s.len.w)
		if i > 0 || j < len(ls) {
			length = 0 // it is said of the whole text
		}
		out = append(out, r.chunk(ls[i:j], &pen, length, e.attrs["lengthAdjust"] == "spacingAndGlyphs")...)
		i = j
	}
	if len(out) > 0 {
		var place geom.Rect
		for _, n := range out {
			place = place.Union(drawing.Bounds(n))
		}
		r.findings.Add(finding.LiveText, finding.Mended, "live text was turned into shapes, so that no printer needs the font", r.name(e, s), place)
	}
	return out
}

// A textPath is a path that letters run along.
type textPath struct {
	ruler *geom.Ruler
	start float64 // where they begin
}

// shifted returns the state of a tspan with its baseline shift (SVG 1.1
// section 10.9.2); em is the font size around it.
func (s state) shifted(em float64) state {
	switch v := s.style["baseline-shift"]; v {
	case "", "baseline", "0":
	case "sub":
		s.lift -= 0.2 * em // common practice: fonts seldom say
	case "super":
		s.lift += 0.4 * em
	default:
		if d, ok := s.len.length(v, s.len.em); ok {
			s.lift += d
		}
	}
	return s
}

// letters gathers the characters below e in order.
func (r *reader) letters(e *element, s *state, out *[]letter) {
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
			if r.chars += len(k); r.chars > MaxLetters {
				r.fail("the drawing has more than %d letters of live text", MaxLetters)
				return
			}
			for _, c := range k {
				*out = append(*out, letter{r: c, s: s, e: e})
			}
		case *element:
			switch k.name {
			case "tspan", "a", "textPath", "tref":
				c := *s
				c.style = r.sheet.cascade(k, s.shadow, s.style)
				c = inherit(c).shifted(s.len.em)
				if c.style["display"] == "none" {
					continue
				}
				from := len(*out)
				if k.name == "tref" {
					if t := r.target(k, *s); t != nil {
						text := plainText(t, 0)
						if r.chars += len(text); r.chars > MaxLetters {
							r.fail("the drawing has more than %d letters of live text", MaxLetters)
							return
						}
						for _, ch := range text {
							*out = append(*out, letter{r: ch, s: &c, e: k})
						}
					}
				}
				r.letters(k, &c, out)
				r.heed(k, c)
				if k.attrs["textLength"] != "" || k.attrs["path"] != "" || k.attrs["side"] == "right" {
					r.unread("textLength of a part of a text, or path or side of a textPath", k, c) // browsers differ
				}
				if k.name == "textPath" {
					r.along(k, c, (*out)[from:])
				}
			case "altGlyph":
				r.cannot("a glyph chosen by number", k, *s)
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
		if n == 0 && isSpace(l.r) && !s.style.keepsSpaces() {
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

// plainText is all character data below an element.
func plainText(e *element, depth int) string {
	var b strings.Builder
	for _, k := range e.kids {
		switch k := k.(type) {
		case string:
			b.WriteString(k)
		case *element:
			if depth < MaxDepth {
				b.WriteString(plainText(k, depth+1))
			}
		}
	}
	return b.String()
}

// along lets letters run along the path that a textPath names.
func (r *reader) along(e *element, s state, ls []letter) {
	t := r.target(e, s)
	if t == nil || len(ls) == 0 {
		for i := range ls {
			ls[i].r = 0 // nothing to run along: they are not drawn
		}
		return
	}
	p := r.outline(t, s)
	if m, err := transform(t.attrs["transform"]); err == nil {
		p = p.Transform(m)
	}
	tp := &textPath{ruler: geom.NewRuler(p)}
	whole := tp.ruler.Length()
	k := 1.0
	if pl := one(t.attrs["pathLength"], 0); pl > 0 {
		k = whole / pl
	}
	if v, ok := s.len.length(e.attrs["startOffset"], whole/k); ok {
		tp.start = v * k
	}
	for i := range ls {
		ls[i].path = tp
	}
	ls[0].hasX, ls[0].x = true, 0
	ls[0].hasY, ls[0].y = true, 0
}

func isSpace(c rune) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' }

// keepsSpaces reports whether each space counts: by white-space, or where that says
// nothing by xml:space (SVG 2, section 11.7).
func (s style) keepsSpaces() bool {
	switch s["white-space"] {
	case "":
		return s["xml:space"] == "preserve"
	case "pre", "pre-wrap", "break-spaces":
		return true
	}
	return false
}

// collapse handles white space as xml:space="default" does: runs become one
// space, none stays at the ends.
func collapse(ls []letter) []letter {
	var out []letter
	for _, l := range ls {
		if l.r == 0 {
			continue
		}
		if l.s.style.keepsSpaces() {
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
	for len(out) > 0 && out[len(out)-1].r == ' ' && !out[len(out)-1].s.style.keepsSpaces() {
		out = out[:len(out)-1]
	}
	return out
}
