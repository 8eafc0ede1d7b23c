package svg

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// outline returns the geometry of a basic shape or path in user space.
func (r *reader) outline(e *element, s state) geom.Path {
	l := s.len
	x := func(name string) float64 { return s.at(e, name, l.w, 0) }
	y := func(name string) float64 { return s.at(e, name, l.h, 0) }
	radii := func() (rx, ry float64) {
		rx, okx := l.length(s.geo(e, "rx"), l.w)
		ry, oky := l.length(s.geo(e, "ry"), l.h)
		if !okx {
			rx = ry
		}
		if !oky {
			ry = rx
		}
		return rx, ry
	}
	var p geom.Path
	switch e.name {
	case "path":
		var err error
		if p, err = pathData(r.data(e, s)); err != nil {
			r.findings.Add(finding.Unsupported, finding.Warn, fmt.Sprintf("line %d: %v; it is drawn up to the fault", e.line, err), r.name(e, s), geom.Rect{})
		}
	case "rect":
		w, h := s.at(e, "width", l.w, 0), s.at(e, "height", l.h, 0)
		if !(w > 0 && h > 0) {
			return nil
		}
		rx, ry := radii()
		p = geom.RoundBox(geom.Rect{X0: x("x"), Y0: y("y"), X1: x("x") + w, Y1: y("y") + h}, rx, ry)
	case "circle":
		if rad := s.at(e, "r", l.diagonal(), 0); rad > 0 {
			p = geom.Ellipse(geom.Pt(x("cx"), y("cy")), rad, rad)
		}
	case "ellipse":
		if rx, ry := radii(); rx > 0 && ry > 0 {
			p = geom.Ellipse(geom.Pt(x("cx"), y("cy")), rx, ry)
		}
	case "line":
		p.MoveTo(geom.Pt(l.get(e, "x1", l.w, 0), l.get(e, "y1", l.h, 0)))
		p.LineTo(geom.Pt(l.get(e, "x2", l.w, 0), l.get(e, "y2", l.h, 0)))
	case "polyline", "polygon":
		v := numbers(e.attrs["points"])
		for i := 0; i+1 < len(v); i += 2 {
			if i == 0 {
				p.MoveTo(geom.Pt(v[0], v[1]))
			} else {
				p.LineTo(geom.Pt(v[i], v[i+1]))
			}
		}
		if e.name == "polygon" && len(p) > 0 {
			p.Close()
		}
	}
	if r.segments += len(p); r.segments > MaxSegments {
		r.fail("the drawing has more than %d path segments", MaxSegments)
	}
	if !p.Finite() {
		r.fail("line %d: a coordinate is not a number", e.line)
		return nil
	}
	if b := s.m.Rect(p.Bounds()); r.beyond(max(math.Abs(b.X0), math.Abs(b.Y0), math.Abs(b.X1), math.Abs(b.Y1)), e) {
		return nil
	}
	return p
}

// data is the outline of a path, in its attribute or as path() in a style sheet.
func (r *reader) data(e *element, s state) string {
	v, ok := s.style["d"]
	if !ok {
		return e.attrs["d"]
	}
	if v == "none" {
		return ""
	}
	arg, ok := strings.CutPrefix(v, "path(")
	if arg = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(arg), ")")); !ok || len(arg) < 2 {
		r.unread("d: "+v, e, s)
		return ""
	}
	return strings.Trim(arg, `"'`)
}

// beyond refuses a shape that reaches, in page units, further than makes sense.
func (r *reader) beyond(far float64, e *element) bool {
	if far > MaxReach*r.page.Long() || far != far {
		r.fail("line %d: <%s> reaches more than %d times the length of the page", e.line, e.name, MaxReach)
		return true
	}
	return false
}

// shape draws a basic shape or path: its fill and its stroke.
func (r *reader) shape(e *element, s state) []drawing.Node {
	if v := s.style.get("visibility", "visible"); v != "visible" {
		r.findings.Add(finding.Hidden, finding.Note, "hidden art is left out", r.name(e, s), geom.Rect{})
		return nil
	}
	p := r.outline(e, s)
	if len(p) == 0 {
		return nil
	}
	out := r.paintPath(e, s, p, p.Bounds(), drawing.Filled)
	switch e.name {
	case "path", "line", "polyline", "polygon":
		// Markers come last unless paint-order names them before.
		m := r.markers(e, s, p)
		switch slices.Index(s.paintOrder(), "markers") {
		case 0:
			return append(m, out...)
		case 1: // between fill and stroke, if there are both
			if len(out) == 2 {
				return append(append(out[:1:1], m...), out[1])
			}
			if s.paintOrder()[0] == "stroke" == (s.style.get("stroke", "none") == "none") {
				return append(m, out...)
			}
		}
		out = append(out, m...)
	}
	return out
}

// paintOrder is the order of fill, stroke and markers (SVG 2, section 13.8): those that are
// not named come after the others as usual.
func (s state) paintOrder() []string {
	order := make([]string, 0, 3)
	for _, w := range append(strings.Fields(s.style["paint-order"]), "fill", "stroke", "markers") {
		if (w == "fill" || w == "stroke" || w == "markers") && !slices.Contains(order, w) {
			order = append(order, w)
		}
	}
	return order
}

// paintPath fills and strokes an outline given in user space; box is what
// gradients measure themselves against.
func (r *reader) paintPath(e *element, s state, p geom.Path, box geom.Rect, origin drawing.Origin) []drawing.Node {
	rule := geom.NonZero
	if s.style["fill-rule"] == "evenodd" {
		rule = geom.EvenOdd
	}
	var fill, stroke drawing.Node
	if e.name != "line" {
		fill = r.painted(e, s, "fill", drawing.Region{Path: p.Transform(s.m), Rule: rule}, box, origin)
	}
	if o := r.stroke(e, s, p); len(o) > 0 {
		stroke = r.painted(e, s, "stroke", drawing.Region{Path: o}, box, drawing.Stroked)
	}
	var out []drawing.Node
	add := func(n drawing.Node) {
		if n != nil {
			out = append(out, n)
		}
	}
	if o := s.paintOrder(); slices.Index(o, "stroke") < slices.Index(o, "fill") {
		add(stroke)
		add(fill)
	} else {
		add(fill)
		add(stroke)
	}
	return out
}

// painted fills a region of the page with a paint property; nil if it paints
// nothing.
func (r *reader) painted(e *element, s state, prop string, region drawing.Region, box geom.Rect, origin drawing.Origin) drawing.Node {
	if r.bare {
		return &drawing.Shape{Path: region.Path, Paint: drawing.Solid{Alpha: 1}}
	}
	if id, ok := urlRef(s.style.get(prop, "")); ok {
		if t := r.doc.byID[id]; t != nil && t.name == "pattern" {
			if n := r.pattern(t, e, s, region, box, opacity(s.style[prop+"-opacity"])); n != nil {
				return n
			}
			// A pattern without size gives way to the colour after it.
			_, rest, _ := strings.Cut(s.style[prop], ")")
			if rest = strings.TrimSpace(rest); rest == "" {
				return nil
			}
			s.style = maps.Clone(s.style)
			s.style[prop] = rest
		}
	}
	paint := r.paint(e, s, prop, box)
	if paint == nil {
		return nil
	}
	return &drawing.Shape{Path: region.Path, Rule: region.Rule, Paint: paint, Part: s.part, Origin: origin}
}

// stroke returns the outline of the stroke on the page, or nil if there is
// none.
func (r *reader) stroke(e *element, s state, p geom.Path) geom.Path {
	if r.bare && !r.stroked || s.style.get("stroke", "none") == "none" {
		return nil
	}
	l := s.len
	pen := geom.Pen{Width: 1}
	if v, ok := s.style["stroke-width"]; ok {
		if w, ok := l.length(v, l.diagonal()); ok {
			pen.Width = w
		}
	}
	switch s.style["stroke-linejoin"] {
	case "round":
		pen.Join = geom.RoundJoin
	case "bevel":
		pen.Join = geom.BevelJoin
	}
	switch s.style["stroke-linecap"] {
	case "round":
		pen.Cap = geom.RoundCap
	case "square":
		pen.Cap = geom.SquareCap
	}
	if m := numbers(s.style["stroke-miterlimit"]); len(m) == 1 && m[0] >= 1 {
		pen.Miter = m[0]
	}
	if v := s.style.get("stroke-dasharray", "none"); v != "none" {
		k := 1.0
		if pl := numbers(e.attrs["pathLength"]); len(pl) == 1 && pl[0] > 0 {
			k = p.Length() / pl[0]
		}
		for _, f := range strings.FieldsFunc(v, func(c rune) bool { return c == ',' || c == ' ' || c == '\t' || c == '\n' || c == '\r' }) {
			if d, ok := l.length(f, l.diagonal()); ok {
				pen.Dashes = append(pen.Dashes, d*k)
			}
		}
		if v, ok := s.style["stroke-dashoffset"]; ok {
			d, _ := l.length(v, l.diagonal())
			pen.Offset = d * k
		}
	}
	if n := p.Dashes(pen.Dashes); n > geom.MaxDashes {
		r.findings.Add(finding.Unsupported, finding.Stop, fmt.Sprintf("a line has %.0f dashes; at most %d can be drawn", n, geom.MaxDashes), r.name(e, s), geom.Rect{})
		return nil
	}
	if s.style["vector-effect"] == "non-scaling-stroke" {
		return r.counted(p.Transform(s.m).Stroke(pen, r.tol))
	}
	k := s.m.Mean()
	if !(k > 0) || r.beyond(pen.Width*k, e) {
		return nil
	}
	return r.counted(p.Stroke(pen, r.tol/k).Transform(s.m))
}

// counted keeps the number of segments within the limit.
func (r *reader) counted(p geom.Path) geom.Path {
	if r.segments += len(p); r.segments > MaxSegments {
		r.fail("the drawing has more than %d path segments when its strokes are outlined", MaxSegments)
		return nil
	}
	if !p.Finite() {
		return nil
	}
	return p
}

// clipOf returns the clip of an element on the page; clipped is false if it
// has none.
func (r *reader) clipOf(e *element, s state) (clip []drawing.Region, clipped bool) {
	v := s.style.get("clip-path", "none")
	if v == "none" {
		return nil, false
	}
	id, ok := urlRef(v)
	c := r.doc.byID[id]
	if !ok {
		if clip, ok = r.clipShape(v, e, s); ok {
			return clip, true
		}
		r.unread("clip-path: "+v, e, s)
		return nil, false
	}
	if c == nil || c.name != "clipPath" {
		return nil, false // SVG 2: a reference to nothing does not clip
	}
	if s.entered(c) {
		// CSS Masking: a reference that leads back to itself does not clip.
		r.findings.Add(finding.Unsupported, finding.Warn, "a clip path refers to itself, which has no effect", r.name(e, s), geom.Rect{})
		return nil, false
	}
	s = s.enter(c)
	in := s
	if c.attrs["clipPathUnits"] == "objectBoundingBox" {
		b := r.bbox(e, s)
		in.m = s.m.Mul(geom.Affine{A: b.W(), D: b.H(), E: b.X0, F: b.Y0})
		in.len.w, in.len.h = 1, 1
	}
	in.style = r.styleOf(c)
	if m, ok := r.placed(c, in); ok {
		in.m = in.m.Mul(m)
	}
	clip = []drawing.Region{}
	c.elements(func(k *element) { clip = append(clip, r.region(k, in)...) })
	if own, has := r.clipOf(c, state{m: s.m, style: in.style, len: s.len, use: s.use}); has {
		clip = r.cutBy(clip, own)
	}
	return clip, true
}

// region returns what a child of a clipPath adds to it.
func (r *reader) region(e *element, s state) []drawing.Region {
	if r.err != nil || !r.regions(1) {
		return nil
	}
	s.style = r.sheet.cascade(e, s.shadow, s.style)
	s = inherit(s)
	if s.style["display"] == "none" || s.style.get("visibility", "visible") != "visible" {
		return nil
	}
	r.heed(e, s)
	m, ok := r.placed(e, s)
	if !ok {
		return nil
	}
	s.m = s.m.Mul(m)
	rule := geom.NonZero
	if s.style["clip-rule"] == "evenodd" {
		rule = geom.EvenOdd
	}
	var out []drawing.Region
	switch e.name {
	case "path", "rect", "circle", "ellipse", "line", "polyline", "polygon":
		if p := r.outline(e, s); len(p) > 0 {
			out = []drawing.Region{{Path: p.Transform(s.m), Rule: rule}}
		}
	case "text":
		s.style["fill"], s.style["stroke"] = "black", "none"
		for _, n := range r.textElement(e, s) {
			if sh, ok := n.(*drawing.Shape); ok {
				out = append(out, drawing.Region{Path: sh.Path})
			}
		}
	case "use":
		t := r.target(e, s)
		if t == nil || t.name == "g" || t.name == "symbol" {
			return nil // SVG 1.1 section 14.3.5: only shapes, directly
		}
		s.m = s.m.Mul(geom.Translate(s.at(e, "x", s.len.w, 0), s.at(e, "y", s.len.h, 0)))
		if len(s.use) < MaxDepth {
			s = s.enter(t)
			s.shadow = t
			out = r.region(t, s)
		}
	}
	if c, has := r.clipOf(e, s); has {
		out = r.cutBy(out, c)
	}
	return out
}

// regions counts regions of clip paths; ok is false past the limit.
func (r *reader) regions(n int) (ok bool) {
	if r.spent.regions += n; r.spent.regions > MaxRegions {
		r.fail("the clip paths become more than %d areas when they are followed", MaxRegions)
		return false
	}
	return true
}

// cutBy returns the regions, each cut by clip as well.
func (r *reader) cutBy(rs, clip []drawing.Region) []drawing.Region {
	if !r.regions(len(rs) * (1 + areas(clip))) {
		return rs
	}
	out := make([]drawing.Region, len(rs))
	for i, x := range rs {
		out[i] = x
		if x.Clip == nil {
			out[i].Clip = clip
		} else {
			out[i].Clip = r.cutBy(x.Clip, clip)
		}
	}
	return out
}

// areas is how many regions there are, those inside them counted.
func areas(rs []drawing.Region) int {
	n := 0
	for _, x := range rs {
		if n += 1 + areas(x.Clip); n > MaxRegions {
			break
		}
	}
	return n
}

// bbox is the box of an element's geometry in its own user space, as
// objectBoundingBox units want it: fills only, no strokes, no clips.
func (r *reader) bbox(e *element, s state) geom.Rect { return r.boxOf(e, s, false) }

// strokeBox is the same with its strokes.
func (r *reader) strokeBox(e *element, s state) geom.Rect { return r.boxOf(e, s, true) }

func (r *reader) boxOf(e *element, s state, stroked bool) geom.Rect {
	// It is measured upright: a turned box would be larger than the art in it.
	k := s.m.Mean()
	if !(k > 0) {
		return geom.Rect{}
	}
	s.m = geom.Scale(k, k)
	quiet := *r // what is found here is found again when it is drawn
	quiet.bare, quiet.stroked = true, stroked
	var box geom.Rect
	switch e.name {
	case "path", "rect", "circle", "ellipse", "line", "polyline", "polygon":
		p := quiet.outline(e, s)
		box = p.Bounds()
		if stroked && len(p) > 0 {
			if o := quiet.stroke(e, s, p); len(o) > 0 {
				box = box.Union(geom.Scale(1/k, 1/k).Rect(o.Bounds()))
			}
		}
		return box
	case "text":
		t := s
		t.style = maps.Clone(s.style)
		if t.style["fill"] = "black"; !stroked {
			t.style["stroke"] = "none"
		}
		for _, n := range quiet.textElement(e, t) {
			box = box.Union(drawing.Bounds(n))
		}
	case "image":
		l := s.len
		x, y := s.at(e, "x", l.w, 0), s.at(e, "y", l.h, 0)
		w, okw := l.length(s.geo(e, "width"), l.w)
		h, okh := l.length(s.geo(e, "height"), l.h)
		if okw && okh {
			return geom.Rect{X0: x, Y0: y, X1: x + w, Y1: y + h}
		}
		for _, n := range quiet.image(e, s) {
			box = box.Union(drawing.Bounds(n))
		}
	default:
		for _, n := range quiet.fresh(e, s) {
			box = box.Union(drawing.Bounds(n))
		}
	}
	return geom.Scale(1/k, 1/k).Rect(box)
}

// fresh draws the contents of a container without its own clip or opacity.
func (r *reader) fresh(e *element, s state) []drawing.Node {
	if e.name == "use" {
		return r.useElement(e, s)
	}
	return r.children(e, s)
}

// urlRef reads url(#id), with or without quotes.
func urlRef(v string) (id string, ok bool) {
	v, ok = strings.CutPrefix(strings.TrimSpace(v), "url(")
	if !ok {
		return "", false
	}
	v, _, ok = strings.Cut(v, ")")
	v = strings.Trim(strings.TrimSpace(v), `"'`)
	id, local := strings.CutPrefix(v, "#")
	return id, ok && local
}
