package svg

import (
	"maps"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// paint reads fill or stroke, with its opacity; nil paints nothing.
func (r *reader) paint(e *element, s state, prop string, box geom.Rect) drawing.Paint {
	def := "black"
	if prop == "stroke" {
		def = "none"
	}
	v := strings.TrimSpace(s.style.get(prop, def))
	alpha := opacity(s.style[prop+"-opacity"])
	if strings.HasPrefix(v, "url(") {
		id, local := urlRef(v)
		_, fallback, _ := strings.Cut(v, ")")
		fallback = strings.TrimSpace(fallback)
		t := r.doc.byID[id]
		switch {
		case !local:
			r.findings.Add(finding.Unsafe, finding.Warn, "a paint from another file was dropped: nothing outside the master is ever fetched", r.name(e, s), geom.Rect{})
		case t == nil && fallback == "":
			r.findings.Add(finding.Unsupported, finding.Warn, "the paint #"+id+" is referred to but is not in the file; the shape is left without it", r.name(e, s), geom.Rect{})
		case t != nil && (t.name == "linearGradient" || t.name == "radialGradient"):
			return r.gradient(t, s, box, alpha)
		}
		if v = fallback; v == "" {
			return nil
		}
	}
	switch strings.ToLower(v) {
	case "none":
		return nil
	case "context-fill", "context-stroke":
		return r.asked(strings.ToLower(v), e, s, alpha)
	}
	c, a, ok := r.colour(v, s.style)
	if !ok {
		r.findings.Add(finding.Unsupported, finding.Stop, "the colour "+v+" is not known here, so no file is made from this master", r.name(e, s), geom.Rect{})
		return nil
	}
	if a *= alpha; a == 0 {
		return nil
	}
	return drawing.Solid{Colour: c, Alpha: a}
}

// An around is an element whose paints others inside it ask for (SVG 2, section 13.2).
type around struct {
	e   *element
	s   state
	box geom.Rect
}

// asked is the paint that context-fill or context-stroke stands for, with the opacity of
// whoever asks.
func (r *reader) asked(v string, e *element, s state, alpha float64) drawing.Paint {
	a := s.around
	if a == nil {
		return nil // SVG 2: as none
	}
	prop := strings.TrimPrefix(v, "context-")
	if id, ok := urlRef(a.s.style.get(prop, "")); ok {
		if t := r.doc.byID[id]; t != nil && t.name == "pattern" {
			r.unread(v+" of a pattern", e, s)
			return nil
		}
	}
	if a.box.Empty() && strings.HasPrefix(a.s.style.get(prop, ""), "url(") {
		a.box = r.bbox(a.e, a.s) // of a use, for its gradients
	}
	st := a.s
	st.style = maps.Clone(st.style)
	delete(st.style, prop+"-opacity")
	p := r.paint(a.e, st, prop, a.box)
	if p == nil {
		return nil
	}
	return fade(p, alpha)
}

// colour reads a colour value in the light of a style.
func (r *reader) colour(v string, st style) (colour.Colour, float64, bool) {
	if strings.EqualFold(v, "currentcolor") {
		v = st.get("color", "black")
		if strings.EqualFold(v, "currentcolor") {
			v = "black"
		}
	}
	// An sRGB value may be followed by what it stands for: a device-cmyk()
	// build, or an icc-color() whose four values are taken as one (SVG 1.1
	// section 12.2; SVG Color 1.2). The profile itself is not here.
	for _, fn := range []string{"icc-color(", "device-cmyk("} {
		i := strings.Index(v, fn)
		if i <= 0 {
			continue
		}
		c, a, err := colour.Parse(v[:i])
		args := v[i+len(fn):]
		if fn == "icc-color(" {
			_, args, _ = strings.Cut(args, ",")
		}
		if k := numbers(args); len(k) == 4 {
			c.Build, c.Built = colour.CMYK{C: k[0] * 100, M: k[1] * 100, Y: k[2] * 100, K: k[3] * 100}, true
		}
		return c, a, err == nil
	}
	c, a, err := colour.Parse(v)
	return c, a, err == nil
}

// gradient reads a gradient element for a shape whose geometry has the box.
func (r *reader) gradient(e *element, s state, box geom.Rect, alpha float64) drawing.Paint {
	// What an element leaves open, the one it refers to may say.
	chain := []*element{e}
	for t := e; len(chain) < 32; {
		if t.attrs["href"] == "" {
			break
		}
		if t = r.target(t, s); t == nil {
			break
		}
		chain = append(chain, t)
	}
	attr := func(name string) string {
		for _, c := range chain {
			if v, ok := c.attrs[name]; ok {
				return v
			}
		}
		return ""
	}
	g := &drawing.Gradient{Radial: e.name == "radialGradient", To: s.m}
	for _, c := range chain {
		if g.Stops = r.stops(c, s, alpha); len(g.Stops) > 0 {
			break
		}
	}
	if len(g.Stops) == 0 {
		return nil
	}
	if len(g.Stops) > MaxStops {
		r.fail("a gradient has more than %d stops", MaxStops)
		return nil
	}
	last := g.Stops[len(g.Stops)-1]
	solid := drawing.Solid{Colour: last.Colour, Alpha: last.Alpha}
	if len(g.Stops) == 1 {
		return solid
	}
	l := s.len
	if attr("gradientUnits") != "userSpaceOnUse" {
		if !(box.W() > 0 && box.H() > 0) {
			return nil // SVG 1.1 section 7.11: no box, no paint
		}
		g.To = s.m.Mul(geom.Affine{A: box.W(), D: box.H(), E: box.X0, F: box.Y0})
		l.w, l.h = 1, 1
	}
	if t := attr("gradientTransform"); t != "" {
		m, err := transform(t)
		if err != nil {
			r.unread("gradientTransform: "+t, e, s)
			return nil
		}
		g.To = g.To.Mul(m)
	}
	if st := r.styleOf(e); st[fromCSS] != "" {
		r.unread("transform of a gradient: "+st["transform"], e, s)
	}
	get := func(name, def string, of float64) float64 {
		v, ok := l.length(attr(name), of)
		if !ok {
			v, _ = l.length(def, of)
		}
		return v
	}
	switch attr("spreadMethod") {
	case "reflect":
		g.Spread = drawing.Reflect
	case "repeat":
		g.Spread = drawing.Repeat
	}
	if !g.Radial {
		g.P0 = geom.Pt(get("x1", "0%", l.w), get("y1", "0%", l.h))
		g.P1 = geom.Pt(get("x2", "100%", l.w), get("y2", "0%", l.h))
		if g.P0 == g.P1 {
			return solid
		}
		return g
	}
	g.P1 = geom.Pt(get("cx", "50%", l.w), get("cy", "50%", l.h))
	g.R1 = get("r", "50%", l.diagonal())
	if !(g.R1 > 0) {
		return solid
	}
	g.P0 = g.P1
	if attr("fx") != "" {
		g.P0.X = get("fx", "50%", l.w)
	}
	if attr("fy") != "" {
		g.P0.Y = get("fy", "50%", l.h)
	}
	g.R0 = max(0, get("fr", "0%", l.diagonal()))
	// SVG 1.1 section 13.2.3: a focus outside the circle is moved onto it; a
	// hair inside, so that the cone stays closed.
	if d := g.P0.Sub(g.P1); d.Len() > g.R1*0.9999 {
		g.P0 = g.P1.Add(d.Unit().Mul(g.R1 * 0.9999))
	}
	if g.R0 >= g.R1 {
		return solid
	}
	return g
}

// blended are the functions of colours that browsers blend elsewhere than in sRGB (CSS
// Color 4, section 12).
var blended = map[string]bool{"lab": true, "lch": true, "oklab": true, "oklch": true, "color": true, "hwb": false}

func (r *reader) stops(e *element, s state, alpha float64) []drawing.Stop {
	// A gradient inherits from where it stands, not from what it paints.
	base := r.styleOf(e)
	if base["color"] == "" {
		base = maps.Clone(base)
		base["color"] = s.style.get("color", "black")
	}
	var out []drawing.Stop
	at := 0.0
	e.elements(func(c *element) {
		if c.name != "stop" {
			return
		}
		st := r.sheet.cascade(c, nil, base)
		p := scanner{c.attrs["offset"]}
		if v, ok := p.number(); ok {
			if strings.HasPrefix(p.s, "%") {
				v /= 100
			}
			at = max(at, min(1, max(0, v)))
		}
		v := st.get("stop-color", "black")
		if name, _, fn := strings.Cut(strings.ToLower(v), "("); fn && blended[name] {
			r.unread("stop-color: "+v, c, s) // browsers blend such colours by their own space
		}
		col, a, ok := r.colour(v, st)
		if !ok {
			r.cannot("the stop colour "+st["stop-color"], c, s)
		}
		out = append(out, drawing.Stop{At: at, Colour: col, Alpha: a * opacity(st["stop-opacity"]) * alpha})
	})
	return out
}
