package svg

import (
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// clipShape reads a clip-path that is a basic shape, a box of the element, or both (CSS
// Masking 1, section 5.1; CSS Shapes 1, section 3); ok is false if it cannot be read.
func (r *reader) clipShape(v string, e *element, s state) (clip []drawing.Region, ok bool) {
	shape, box := "", ""
	for _, w := range words(v) {
		switch {
		case strings.Contains(w, "(") && shape == "":
			shape = w
		case !strings.Contains(w, "(") && box == "":
			box = strings.ToLower(w)
		default:
			return nil, false
		}
	}
	f := refBox{len: s.len}
	switch box {
	case "fill-box", "content-box", "padding-box":
		f.box = r.bbox(e, s)
	case "", "stroke-box", "border-box", "margin-box":
		f.box = r.strokeBox(e, s)
	case "view-box":
		f.box = geom.Rect{X1: s.len.w, Y1: s.len.h}
	default:
		return nil, false
	}
	p, rule := geom.Box(f.box), geom.NonZero
	if shape != "" {
		name, _, _ := strings.Cut(shape, "(")
		if !strings.HasSuffix(shape, ")") {
			return nil, false
		}
		if p, rule, ok = f.shape(strings.ToLower(name), strings.TrimSpace(shape[len(name)+1:len(shape)-1])); !ok {
			return nil, false
		}
	}
	if !p.Finite() {
		return nil, false
	}
	return []drawing.Region{{Path: p.Transform(s.m), Rule: rule}}, true
}

// shape is a basic shape in the box.
func (f refBox) shape(name, args string) (p geom.Path, rule geom.Rule, ok bool) {
	rule = geom.NonZero
	fill := func() { // an optional fill rule comes first
		if first, rest, some := strings.Cut(args, ","); some {
			switch strings.ToLower(strings.TrimSpace(first)) {
			case "evenodd":
				rule, args = geom.EvenOdd, strings.TrimSpace(rest)
			case "nonzero":
				args = strings.TrimSpace(rest)
			}
		}
	}
	w, h := f.box.W(), f.box.H()
	switch name {
	case "inset":
		p, ok = f.inset(args)
	case "circle", "ellipse":
		size, at, _ := strings.Cut(" "+args+" ", " at ")
		c := f.box.Centre()
		if ws := words(strings.ToLower(at)); len(ws) > 0 {
			if c, ok = f.position(ws); !ok {
				return nil, rule, false
			}
		}
		var rx, ry float64
		if rx, ry, ok = f.radii(name, words(strings.ToLower(size)), c); ok {
			p = geom.Ellipse(c, rx, ry)
			if rx <= 0 || ry <= 0 {
				p = geom.Box(geom.Rect{X0: c.X, Y0: c.Y, X1: c.X, Y1: c.Y})
			}
		}
	case "polygon":
		fill()
		for _, pair := range split(args, ',') {
			ws := words(pair)
			if len(ws) != 2 {
				return nil, rule, false
			}
			x, okx := f.len.length(ws[0], w)
			y, oky := f.len.length(ws[1], h)
			if !okx || !oky {
				return nil, rule, false
			}
			at := geom.Pt(f.box.X0+x, f.box.Y0+y)
			if len(p) == 0 {
				p.MoveTo(at)
			} else {
				p.LineTo(at)
			}
		}
		p.Close()
		ok = true
	case "path":
		fill()
		var err error
		if p, err = pathData(strings.Trim(args, `"'`)); err == nil {
			p, ok = p.Transform(geom.Translate(f.box.X0, f.box.Y0)), true
		}
	}
	return p, rule, ok
}

// radii are those of a circle or an ellipse about c.
func (f refBox) radii(name string, ws []string, c geom.Point) (rx, ry float64, ok bool) {
	left, right := math.Abs(c.X-f.box.X0), math.Abs(f.box.X1-c.X)
	up, down := math.Abs(c.Y-f.box.Y0), math.Abs(f.box.Y1-c.Y)
	side := func(w string, near, far, of float64) (float64, bool) {
		switch w {
		case "closest-side":
			return near, true
		case "farthest-side":
			return far, true
		}
		v, ok := f.len.length(w, of)
		return v, ok && v >= 0
	}
	if name == "circle" {
		if len(ws) == 0 {
			ws = []string{"closest-side"}
		}
		if len(ws) != 1 {
			return 0, 0, false
		}
		rx, ok = side(ws[0], min(left, right, up, down), max(left, right, up, down), math.Hypot(f.box.W(), f.box.H())/math.Sqrt2)
		return rx, rx, ok
	}
	if len(ws) == 0 {
		ws = []string{"closest-side", "closest-side"}
	}
	if len(ws) != 2 {
		return 0, 0, false
	}
	rx, okx := side(ws[0], min(left, right), max(left, right), f.box.W())
	ry, oky := side(ws[1], min(up, down), max(up, down), f.box.H())
	return rx, ry, okx && oky
}

// four spreads one to four values over the sides or corners of a box.
func four(ws []string) (o [4]string, ok bool) {
	switch len(ws) {
	case 1:
		return [4]string{ws[0], ws[0], ws[0], ws[0]}, true
	case 2:
		return [4]string{ws[0], ws[1], ws[0], ws[1]}, true
	case 3:
		return [4]string{ws[0], ws[1], ws[2], ws[1]}, true
	case 4:
		return [4]string(ws), true
	}
	return o, false
}

// inset is the box less its sides, with round corners (CSS Backgrounds 3, section 5.5,
// on corners that overlap).
func (f refBox) inset(args string) (geom.Path, bool) {
	sides, round, _ := strings.Cut(args, "round")
	o, ok := four(words(sides))
	if !ok {
		return nil, false
	}
	w, h := f.box.W(), f.box.H()
	var d [4]float64
	for i, v := range o {
		if d[i], ok = f.len.length(v, []float64{h, w}[i%2]); !ok {
			return nil, false
		}
	}
	b := geom.Rect{X0: f.box.X0 + d[3], Y0: f.box.Y0 + d[0], X1: f.box.X1 - d[1], Y1: f.box.Y1 - d[2]}
	if b.X1 < b.X0 || b.Y1 < b.Y0 {
		m := b.Centre()
		return geom.Box(geom.Rect{X0: m.X, Y0: m.Y, X1: m.X, Y1: m.Y}), true
	}
	if round = strings.TrimSpace(round); round == "" {
		return geom.Box(b), true
	}
	across, along, two := strings.Cut(round, "/")
	if !two {
		along = across
	}
	rx, okx := four(words(across))
	ry, oky := four(words(along))
	if !okx || !oky {
		return nil, false
	}
	var r [4]geom.Point // from the upper left, clockwise
	for i := range r {
		x, okx := f.len.length(rx[i], w)
		y, oky := f.len.length(ry[i], h)
		if !okx || !oky || x < 0 || y < 0 {
			return nil, false
		}
		r[i] = geom.Pt(x, y)
	}
	k := 1.0
	for _, s := range [4][2]float64{{b.W(), r[0].X + r[1].X}, {b.H(), r[1].Y + r[2].Y}, {b.W(), r[2].X + r[3].X}, {b.H(), r[3].Y + r[0].Y}} {
		if s[1] > 0 {
			k = min(k, s[0]/s[1])
		}
	}
	return rounded(b, r, k), true
}

// rounded is a box with corners of radii r, times k.
func rounded(b geom.Rect, r [4]geom.Point, k float64) (p geom.Path) {
	const arc = 0.5522847498307936 // of the radius: a quarter of a circle as one cubic
	c := 1 - arc
	for i := range r {
		r[i] = r[i].Mul(k)
	}
	p.MoveTo(geom.Pt(b.X0+r[0].X, b.Y0))
	p.LineTo(geom.Pt(b.X1-r[1].X, b.Y0))
	p.CubeTo(geom.Pt(b.X1-c*r[1].X, b.Y0), geom.Pt(b.X1, b.Y0+c*r[1].Y), geom.Pt(b.X1, b.Y0+r[1].Y))
	p.LineTo(geom.Pt(b.X1, b.Y1-r[2].Y))
	p.CubeTo(geom.Pt(b.X1, b.Y1-c*r[2].Y), geom.Pt(b.X1-c*r[2].X, b.Y1), geom.Pt(b.X1-r[2].X, b.Y1))
	p.LineTo(geom.Pt(b.X0+r[3].X, b.Y1))
	p.CubeTo(geom.Pt(b.X0+c*r[3].X, b.Y1), geom.Pt(b.X0, b.Y1-c*r[3].Y), geom.Pt(b.X0, b.Y1-r[3].Y))
	p.LineTo(geom.Pt(b.X0, b.Y0+r[0].Y))
	p.CubeTo(geom.Pt(b.X0, b.Y0+c*r[0].Y), geom.Pt(b.X0+c*r[0].X, b.Y0), geom.Pt(b.X0+r[0].X, b.Y0))
	p.Close()
	return p
}
