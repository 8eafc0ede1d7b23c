package svg

import (
	"fmt"
	"math"
	"strings"

	"dyekit/core/geom"
)

// transform reads a transform attribute (SVG 1.1 section 7.6): numbers without units.
func transform(s string) (geom.Affine, error) {
	return transforms(s, func(name, args string) (geom.Affine, bool) {
		p := scanner{args}
		var v []float64
		for {
			n, ok := p.number()
			if !ok {
				break
			}
			v = append(v, n)
		}
		if p.sep(); p.s != "" {
			return geom.Affine{}, false
		}
		return oneTransform(name, v)
	})
}

// transforms multiplies a list of transform functions.
func transforms(s string, one func(name, args string) (geom.Affine, bool)) (geom.Affine, error) {
	m := geom.Identity
	p := scanner{s}
	for {
		p.sep()
		if p.s == "" || strings.EqualFold(p.s, "none") {
			return m, nil
		}
		name, _, ok := strings.Cut(p.s, "(")
		end := closing(p.s)
		if !ok || end < 0 {
			return m, fmt.Errorf("transform %q cannot be read", s)
		}
		t, ok := one(strings.TrimSpace(name), p.s[len(name)+1:end])
		if !ok {
			return m, fmt.Errorf("transform %q cannot be read", s)
		}
		p.s = p.s[end+1:]
		m = m.Mul(t)
	}
}

// oneTransform is a function of the attribute: angles in degrees.
func oneTransform(name string, v []float64) (geom.Affine, bool) {
	rad := func(d float64) float64 { return d * math.Pi / 180 }
	switch n := len(v); {
	case name == "matrix" && n == 6:
		return geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]}, true
	case name == "translate" && n == 1:
		return geom.Translate(v[0], 0), true
	case name == "translate" && n == 2:
		return geom.Translate(v[0], v[1]), true
	case name == "scale" && n == 1:
		return geom.Scale(v[0], v[0]), true
	case name == "scale" && n == 2:
		return geom.Scale(v[0], v[1]), true
	case name == "rotate" && n == 1:
		return geom.Rotate(rad(v[0])), true
	case name == "rotate" && n == 3:
		return geom.Translate(v[1], v[2]).Mul(geom.Rotate(rad(v[0]))).Mul(geom.Translate(-v[1], -v[2])), true
	case name == "skewX" && n == 1:
		return geom.Affine{A: 1, D: 1, C: math.Tan(rad(v[0]))}, true
	case name == "skewY" && n == 1:
		return geom.Affine{A: 1, D: 1, B: math.Tan(rad(v[0]))}, true
	}
	return geom.Affine{}, false
}

// angle reads an angle in degrees.
func angle(s string) (float64, bool) {
	unit := func(v float64, u string) (float64, bool) {
		switch u {
		case "deg":
			return v, true
		case "rad":
			return v * 180 / math.Pi, true
		case "grad":
			return v * 0.9, true
		case "turn":
			return v * 360, true
		case "":
			return v, v == 0
		}
		return 0, false
	}
	p := scanner{strings.TrimSpace(s)}
	if v, ok := p.number(); ok {
		return unit(v, strings.ToLower(p.s))
	}
	return maths(s, func(v float64, u string) (float64, bool) {
		if u == "" {
			return v, true // a factor
		}
		return unit(v, u)
	})
}

// ratio reads a number or a percentage.
func ratio(s string) (float64, bool) {
	l := lengths{}
	p := scanner{strings.TrimSpace(s)}
	if v, ok := p.number(); ok {
		if p.s == "%" {
			return v / 100, true
		}
		return v, p.s == ""
	}
	return l.length(s, 1)
}

// A refBox is what transforms of CSS measure themselves against.
type refBox struct {
	box geom.Rect
	len lengths
}

// one is a transform function of CSS that stays in the plane (CSS Transforms 1,
// section 11, and those of CSS Transforms 2 that turn nothing out of it).
func (f refBox) one(name, args string) (geom.Affine, bool) {
	parts := split(args, ',')
	n := len(parts)
	length := func(i int, of float64) (float64, bool) {
		if i >= n {
			return 0, true
		}
		v := strings.TrimSpace(parts[i])
		if u, ok := bareNumber(v); ok && u != 0 {
			return 0, false // lengths have units here
		}
		return f.len.length(v, of)
	}
	num := func(i int) (float64, bool) {
		if i >= n {
			return 1, true
		}
		return ratio(parts[i])
	}
	deg := func(i int) (float64, bool) {
		if i >= n {
			return 0, true
		}
		d, ok := angle(parts[i])
		return d * math.Pi / 180, ok
	}
	w, h := f.box.W(), f.box.H()
	switch name = strings.ToLower(name); {
	case name == "matrix" && n == 6:
		var v [6]float64
		for i := range v {
			var ok bool
			if v[i], ok = num(i); !ok {
				return geom.Affine{}, false
			}
		}
		return geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]}, true
	case name == "translate" && n <= 2, name == "translate3d" && n == 3 && flat(parts[2]):
		x, okx := length(0, w)
		y, oky := length(1, h)
		return geom.Translate(x, y), okx && oky
	case name == "translatex" && n == 1:
		x, ok := length(0, w)
		return geom.Translate(x, 0), ok
	case name == "translatey" && n == 1:
		y, ok := length(0, h)
		return geom.Translate(0, y), ok
	case name == "translatez" && n == 1 && flat(parts[0]):
		return geom.Identity, true
	case name == "scale" && n <= 2, name == "scale3d" && n == 3:
		x, okx := num(0)
		y, oky := x, true
		if n > 1 {
			y, oky = num(1)
		}
		return geom.Scale(x, y), okx && oky
	case name == "scalex" && n == 1:
		x, ok := num(0)
		return geom.Scale(x, 1), ok
	case name == "scaley" && n == 1:
		y, ok := num(0)
		return geom.Scale(1, y), ok
	case (name == "rotate" || name == "rotatez") && n == 1:
		a, ok := deg(0)
		return geom.Rotate(a), ok
	case name == "skew" && n <= 2:
		a, oka := deg(0)
		b, okb := deg(1)
		return geom.Affine{A: 1, D: 1, C: math.Tan(a), B: math.Tan(b)}, oka && okb
	case name == "skewx" && n == 1:
		a, ok := deg(0)
		return geom.Affine{A: 1, D: 1, C: math.Tan(a)}, ok
	case name == "skewy" && n == 1:
		a, ok := deg(0)
		return geom.Affine{A: 1, D: 1, B: math.Tan(a)}, ok
	}
	return geom.Affine{}, false
}

// flat reports whether a depth is 0.
func flat(s string) bool {
	v, ok := lengths{}.length(s, 0)
	return ok && v == 0
}

// bareNumber reads a number without a unit.
func bareNumber(s string) (float64, bool) {
	p := scanner{s}
	v, ok := p.number()
	return v, ok && p.s == ""
}

// placed is the map from the user space of an element to that around it: translate,
// rotate, scale and transform about the origin (CSS Transforms 2, section 3). ok is
// false if it cannot be read.
func (r *reader) placed(e *element, s state) (m geom.Affine, ok bool) {
	st := s.style
	v, has := st["transform"]
	_, a := st["translate"]
	_, b := st["rotate"]
	_, c := st["scale"]
	css := st[fromCSS] != ""
	origin, moved := st["transform-origin"]
	if !has && !a && !b && !c {
		return geom.Identity, true
	}
	if !css && !a && !b && !c && !moved {
		m, err := transform(v)
		if err != nil {
			r.cannot(err.Error(), e, s)
		}
		return m, err == nil
	}
	f := refBox{len: s.len, box: geom.Rect{X1: s.len.w, Y1: s.len.h}}
	switch st.get("transform-box", "view-box") {
	case "fill-box", "content-box":
		f.box = r.bbox(e, s)
	case "stroke-box", "border-box":
		f.box = r.strokeBox(e, s)
	}
	if moved || e.parent == nil {
		if e.parent == nil && !moved {
			origin = "50% 50%"
		}
	} else {
		origin = "0 0"
	}
	at, ok := f.origin(origin)
	if !ok {
		r.unread("transform-origin: "+origin, e, s)
		return m, false
	}
	m = geom.Translate(at.X, at.Y)
	for _, p := range []struct{ name, fn string }{{"translate", "translate"}, {"rotate", "rotate"}, {"scale", "scale"}} {
		val := strings.TrimSpace(st.get(p.name, "none"))
		if val == "none" {
			continue
		}
		t, ok := f.one(p.fn, strings.Join(words(val), ","))
		if !ok {
			r.unread(p.name+": "+val, e, s)
			return m, false
		}
		m = m.Mul(t)
	}
	if has {
		var t geom.Affine
		var err error
		if css {
			if t, err = transforms(v, f.one); err != nil {
				r.unread("transform: "+v, e, s)
				return m, false
			}
		} else if t, err = transform(v); err != nil {
			r.cannot(err.Error(), e, s)
			return m, false
		}
		m = m.Mul(t)
	}
	return m.Mul(geom.Translate(-at.X, -at.Y)), true
}

// words parts a value at spaces that stand in no brackets.
func words(v string) (out []string) {
	for _, w := range split(strings.Join(strings.Fields(v), " "), ' ') {
		if w != "" {
			out = append(out, w)
		}
	}
	return out
}

// origin reads transform-origin (CSS Transforms 1, section 6).
func (f refBox) origin(v string) (geom.Point, bool) {
	ws := words(strings.ToLower(v))
	if len(ws) == 0 || len(ws) > 3 || len(ws) == 3 && !flat(ws[2]) {
		return geom.Point{}, false
	}
	return f.position(ws[:min(2, len(ws))])
}

// position reads one or two words of a place in the box.
func (f refBox) position(ws []string) (geom.Point, bool) {
	if len(ws) == 2 && (ws[0] == "top" || ws[0] == "bottom" || ws[1] == "left" || ws[1] == "right") {
		ws = []string{ws[1], ws[0]}
	} else if len(ws) == 1 && (ws[0] == "top" || ws[0] == "bottom") {
		ws = []string{"center", ws[0]}
	} else if len(ws) == 1 {
		ws = []string{ws[0], "center"}
	}
	if len(ws) != 2 {
		return geom.Point{}, false
	}
	side := func(w string, of float64) (float64, bool) {
		switch w {
		case "left", "top":
			return 0, true
		case "center":
			return of / 2, true
		case "right", "bottom":
			return of, true
		}
		return f.len.length(w, of)
	}
	x, okx := side(ws[0], f.box.W())
	y, oky := side(ws[1], f.box.H())
	return geom.Pt(f.box.X0+x, f.box.Y0+y), okx && oky
}
