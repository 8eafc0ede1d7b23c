package svg

import (
	"fmt"
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
}

// diagonal is the reference of percentages that are neither width nor height
// (SVG 1.1 section 7.10).
func (l lengths) diagonal() float64 { return math.Sqrt((l.w*l.w + l.h*l.h) / 2) }

// length reads a length; of is what 100 % means.
func (l lengths) length(s string, of float64) (float64, bool) {
	p := scanner{strings.TrimSpace(s)}
	v, ok := p.number()
	if !ok {
		return 0, false
	}
	switch u := strings.ToLower(strings.TrimSpace(p.s)); u {
	case "%":
		return v / 100 * of, true
	case "em", "rem":
		return v * l.em, true
	case "ex", "ch":
		return v * l.em / 2, true
	case "vw":
		return v / 100 * l.w, true
	case "vh":
		return v / 100 * l.h, true
	default:
		k, ok := units[u]
		return v * k, ok
	}
}

// get reads a length attribute, or def if it is missing or wrong.
func (l lengths) get(e *element, name string, of, def float64) float64 {
	if v, ok := l.length(e.attrs[name], of); ok {
		return v
	}
	return def
}

// transform reads a transform list, SVG's or that of CSS with units.
func transform(s string) (geom.Affine, error) {
	m := geom.Identity
	p := scanner{s}
	for {
		p.sep()
		if p.s == "" || p.s == "none" {
			return m, nil
		}
		name, rest, ok := strings.Cut(p.s, "(")
		args, after, ok2 := strings.Cut(rest, ")")
		if !ok || !ok2 {
			return m, fmt.Errorf("transform %q cannot be read", s)
		}
		p.s = after
		t, ok := oneTransform(strings.TrimSpace(name), args)
		if !ok {
			return m, fmt.Errorf("transform %q cannot be read", s)
		}
		m = m.Mul(t)
	}
}

func oneTransform(name, args string) (geom.Affine, bool) {
	var v []float64
	p := scanner{args}
	for {
		n, ok := p.number()
		if !ok {
			break
		}
		switch {
		case strings.HasPrefix(p.s, "deg"):
			p.s = p.s[3:]
		case strings.HasPrefix(p.s, "rad"):
			p.s, n = p.s[3:], n*180/math.Pi
		case strings.HasPrefix(p.s, "turn"):
			p.s, n = p.s[4:], n*360
		case strings.HasPrefix(p.s, "px"):
			p.s = p.s[2:]
		}
		v = append(v, n)
	}
	if p.sep(); p.s != "" {
		return geom.Affine{}, false
	}
	rad := func(d float64) float64 { return d * math.Pi / 180 }
	switch {
	case name == "matrix" && len(v) == 6:
		return geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]}, true
	case name == "translate" && len(v) == 1 || name == "translateX" && len(v) == 1:
		return geom.Translate(v[0], 0), true
	case name == "translateY" && len(v) == 1:
		return geom.Translate(0, v[0]), true
	case name == "translate" && len(v) == 2:
		return geom.Translate(v[0], v[1]), true
	case name == "scale" && len(v) == 1:
		return geom.Scale(v[0], v[0]), true
	case name == "scale" && len(v) == 2:
		return geom.Scale(v[0], v[1]), true
	case name == "rotate" && len(v) == 1:
		return geom.Rotate(rad(v[0])), true
	case name == "rotate" && len(v) == 3:
		return geom.Translate(v[1], v[2]).Mul(geom.Rotate(rad(v[0]))).Mul(geom.Translate(-v[1], -v[2])), true
	case name == "skewX" && len(v) == 1:
		return geom.Affine{A: 1, D: 1, C: math.Tan(rad(v[0]))}, true
	case name == "skewY" && len(v) == 1:
		return geom.Affine{A: 1, D: 1, B: math.Tan(rad(v[0]))}, true
	}
	return geom.Affine{}, false
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
