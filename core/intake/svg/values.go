package svg

import (
	"math"
	"strconv"
	"strings"

	"dyekit/core/geom"
)

// scanner reads numbers and words off a value as SVG writes them: separated
// by spaces, commas, or nothing where no doubt is possible.
type scanner struct {
	s string
}

func (p *scanner) space() {
	p.s = strings.TrimLeft(p.s, " \t\r\n\f")
}

// sep skips spaces and at most one comma.
func (p *scanner) sep() {
	p.space()
	if strings.HasPrefix(p.s, ",") {
		p.s = p.s[1:]
		p.space()
	}
}

// number reads one number by the grammar of SVG 1.1 section 8.3.9.
func (p *scanner) number() (float64, bool) {
	p.sep()
	s := p.s
	i := 0
	digits := func() bool {
		from := i
		for i < len(s) && s[i] >= '0' && s[i] <= '9' {
			i++
		}
		return i > from
	}
	if i < len(s) && (s[i] == '+' || s[i] == '-') {
		i++
	}
	whole := digits()
	if i < len(s) && s[i] == '.' {
		i++
		if !digits() && !whole {
			return 0, false
		}
	} else if !whole {
		return 0, false
	}
	if i < len(s) && s[i]|0x20 == 'e' {
		mark := i
		i++
		if i < len(s) && (s[i] == '+' || s[i] == '-') {
			i++
		}
		if !digits() {
			i = mark // "1em" is a length, not an exponent
		}
	}
	v, err := strconv.ParseFloat(s[:i], 64)
	if err != nil || math.IsInf(v, 0) {
		return 0, false
	}
	p.s = s[i:]
	return v, true
}

// flag reads a single 0 or 1, which needs no separator after it.
func (p *scanner) flag() (bool, bool) {
	p.sep()
	if p.s == "" || p.s[0] != '0' && p.s[0] != '1' {
		return false, false
	}
	v := p.s[0] == '1'
	p.s = p.s[1:]
	return v, true
}

// numbers reads a list of numbers.
func numbers(s string) []float64 {
	p := scanner{s}
	var out []float64
	for {
		v, ok := p.number()
		if !ok {
			return out
		}
		out = append(out, v)
	}
}

// units are lengths in px (CSS 2.1 section 4.3.2: 1 in = 96 px).
var units = map[string]float64{
	"": 1, "px": 1, "pt": 96.0 / 72, "pc": 16, "mm": 96 / 25.4, "cm": 960 / 25.4, "in": 96, "q": 96 / 101.6,
}

// A scale says what relative lengths refer to.
type lengths struct {
	w, h float64 // viewport, page units
	em   float64 // font size
	rem  float64 // that of the outermost element; 0 for 16
	vw   float64 // the outermost viewport; 0 for w and h
	vh   float64
}

// diagonal is the reference of percentages that are neither width nor height
// (SVG 1.1 section 7.10).
func (l lengths) diagonal() float64 { return math.Sqrt((l.w*l.w + l.h*l.h) / 2) }

// length reads a length; of is what 100 % means.
func (l lengths) length(s string, of float64) (float64, bool) {
	p := scanner{strings.TrimSpace(s)}
	v, ok := p.number()
	if !ok {
		if !isMaths(p.s) {
			return 0, false
		}
		return maths(p.s, func(v float64, u string) (float64, bool) { return l.unit(v, u, of) })
	}
	return l.unit(v, strings.ToLower(strings.TrimSpace(p.s)), of)
}

// unit is v of a unit, in px. The heights of x and 0 are taken as half an em, as is
// usual for want of a font (CSS Values 4, section 6.1.1).
func (l lengths) unit(v float64, u string, of float64) (float64, bool) {
	vw, vh, rem := l.vw, l.vh, l.rem
	if vw == 0 {
		vw, vh = l.w, l.h
	}
	if rem == 0 {
		rem = 16
	}
	switch u {
	case "%":
		return v / 100 * of, true
	case "em":
		return v * l.em, true
	case "rem":
		return v * rem, true
	case "ex", "ch":
		return v * l.em / 2, true
	case "vw", "svw", "lvw", "dvw", "vi":
		return v / 100 * vw, true
	case "vh", "svh", "lvh", "dvh", "vb":
		return v / 100 * vh, true
	case "vmin":
		return v / 100 * min(vw, vh), true
	case "vmax":
		return v / 100 * max(vw, vh), true
	}
	k, ok := units[u]
	return v * k, ok
}

// get reads a length attribute, or def if it is missing or wrong.
func (l lengths) get(e *element, name string, of, def float64) float64 {
	if v, ok := l.length(e.attrs[name], of); ok {
		return v
	}
	return def
}

// geo is a length of the geometry of an element: that of the style sheets, or the
// attribute (SVG 2, section 8.1); "auto" is none.
func (s state) geo(e *element, name string) string {
	v, ok := s.style[name]
	if !ok {
		v = e.attrs[name]
	}
	if strings.EqualFold(strings.TrimSpace(v), "auto") {
		return ""
	}
	return v
}

// at is a length of the geometry of an element, or def if it is missing or wrong.
func (s state) at(e *element, name string, of, def float64) float64 {
	if v, ok := s.len.length(s.geo(e, name), of); ok {
		return v
	}
	return def
}

// viewBox is the map from the box to a viewport at the origin of size w × h
// (SVG 1.1 section 7.8).
func viewBox(box geom.Rect, w, h float64, aspect string) geom.Affine {
	sx, sy := w/box.W(), h/box.H()
	words := strings.Fields(aspect)
	if len(words) > 0 && words[0] == "defer" {
		words = words[1:]
	}
	align := "xMidYMid"
	if len(words) > 0 {
		align = words[0]
	}
	if align == "none" {
		return geom.Scale(sx, sy).Mul(geom.Translate(-box.X0, -box.Y0))
	}
	k := min(sx, sy)
	if len(words) > 1 && words[1] == "slice" {
		k = max(sx, sy)
	}
	var tx, ty float64
	switch {
	case strings.HasPrefix(align, "xMid"):
		tx = (w - box.W()*k) / 2
	case strings.HasPrefix(align, "xMax"):
		tx = w - box.W()*k
	}
	switch {
	case strings.HasSuffix(align, "YMid"):
		ty = (h - box.H()*k) / 2
	case strings.HasSuffix(align, "YMax"):
		ty = h - box.H()*k
	}
	return geom.Translate(tx, ty).Mul(geom.Scale(k, k)).Mul(geom.Translate(-box.X0, -box.Y0))
}

// box reads a viewBox attribute.
func box(s string) (geom.Rect, bool) {
	v := numbers(s)
	if len(v) != 4 || !(v[2] > 0 && v[3] > 0) {
		return geom.Rect{}, false
	}
	return geom.Rect{X0: v[0], Y0: v[1], X1: v[0] + v[2], Y1: v[1] + v[3]}, true
}
