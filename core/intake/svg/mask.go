package svg

import (
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// styleOf is the style of an element where it stands, from the root down:
// what is referred to inherits from its own ancestors, not from its user.
func (r *reader) styleOf(e *element) style {
	if e == nil {
		return style{}
	}
	if r.styles == nil {
		r.styles = map[*element]style{}
	}
	if st, ok := r.styles[e]; ok {
		return st
	}
	st := r.sheet.cascade(e, nil, r.styleOf(e.parent))
	r.styles[e] = st
	return st
}

// local finds the element that href names in the file, without a finding.
func (r *reader) local(e *element) *element {
	id, ok := strings.CutPrefix(strings.TrimSpace(e.attrs["href"]), "#")
	if !ok {
		return nil
	}
	return r.doc.byID[id]
}

// entered reports whether a reference leads back to where it came from.
func (s state) entered(t *element) bool {
	for _, u := range s.use {
		if u == t {
			return true
		}
	}
	return false
}

func (s state) enter(t *element) state {
	s.use = append(s.use[:len(s.use):len(s.use)], t)
	s.shadow = nil
	return s
}

// maskOf reads the mask of an element (SVG 1.1 section 14.4).
func (r *reader) maskOf(e *element, s state) *drawing.Mask {
	v := s.style.get("mask", "none")
	if v == "none" {
		return nil
	}
	id, ok := urlRef(v)
	t := r.doc.byID[id]
	_, rest, _ := strings.Cut(v, ")")
	for w := range strings.FieldsSeq(strings.ToLower(rest)) { // of mask-mode and the like
		ok = ok && (w == "match-source" || w == "border-box" || w == "no-clip" || w == "add")
	}
	if !ok || t == nil || t.name != "mask" {
		if !ok {
			r.unread("mask: "+v, e, s)
		}
		return nil
	}
	if s.entered(t) {
		return nil // a mask that masks itself does nothing (CSS Masking)
	}
	attr := func(n string) string { return t.attrs[n] }
	box := r.bbox(e, s)
	region := r.unitRect(attr, box, s.len, t.attrs["maskUnits"] != "userSpaceOnUse", "-10%", "-10%", "120%", "120%")
	in := s.enter(t)
	in.style = r.styleOf(t)
	in = inherit(in)
	if t.attrs["maskContentUnits"] == "objectBoundingBox" {
		in.m = s.m.Mul(geom.Affine{A: box.W(), D: box.H(), E: box.X0, F: box.Y0})
		in.len.w, in.len.h = 1, 1
	}
	m := &drawing.Mask{
		Nodes: r.children(t, in), Clip: []drawing.Region{},
		Alpha:  in.style["mask-type"] == "alpha",
		Linear: in.style["color-interpolation"] == "linearrgb",
	}
	if !region.Empty() {
		m.Clip = []drawing.Region{{Path: geom.Box(region).Transform(s.m)}}
	}
	own := s.enter(t)
	own.style = in.style
	m.Mask = r.maskOf(t, own)
	if c, clipped := r.clipOf(t, own); clipped {
		m.Clip = r.cutBy(m.Clip, c)
	}
	return m
}

// maxTiles bounds how often a pattern is laid out, in nodes.
const maxTiles = 60_000

// pattern lays a pattern out in a region of the page: its tiles as shapes,
// cut by the region. Curves stay curves in every file type.
func (r *reader) pattern(t *element, e *element, s state, region drawing.Region, bounds geom.Rect, alpha float64) drawing.Node {
	chain := r.chain(t, s)
	attr := func(name string) string { return first(chain, name) }
	if s.entered(t) {
		return nil
	}
	relative := attr("patternUnits") != "userSpaceOnUse"
	if relative && bounds.Empty() {
		return nil
	}
	tile := r.unitRect(attr, bounds, s.len, relative, "0", "0", "0", "0")
	if tile.Empty() {
		return nil
	}
	m := s.m
	if a := attr("patternTransform"); a != "" {
		k, err := transform(a)
		if err != nil {
			r.unread("patternTransform: "+a, e, s)
			return nil
		}
		m = m.Mul(k)
	}
	if st := r.styleOf(t); st[fromCSS] != "" {
		r.unread("transform of a pattern: "+st["transform"], e, s)
	}
	back, ok := m.Inverse()
	if !ok {
		return nil
	}
	// The contents, in the place of the first tile.
	var from *element
	for _, c := range chain {
		some := false
		c.elements(func(*element) { some = true })
		if some {
			from = c
			break
		}
	}
	if from == nil {
		return nil
	}
	in := s.enter(t)
	in.style = r.styleOf(from)
	in = inherit(in)
	in.part = s.part
	in.m = m.Mul(geom.Translate(tile.X0, tile.Y0))
	if vb, ok := box(attr("viewBox")); ok {
		in.m = in.m.Mul(viewBox(vb, tile.W(), tile.H(), attr("preserveAspectRatio")))
		in.len.w, in.len.h = vb.W(), vb.H()
	} else if attr("patternContentUnits") == "objectBoundingBox" {
		in.m = in.m.Mul(geom.Scale(bounds.W(), bounds.H()))
		in.len.w, in.len.h = 1, 1
	}
	nodes := r.children(from, in)
	if len(nodes) == 0 {
		return nil
	}
	edge := geom.Box(tile).Transform(m)
	if st := in.style["overflow"]; st != "visible" {
		// Contents that stay within the tile need no clip, which would only
		// soften their edges twice.
		var all geom.Rect
		for _, n := range drawing.Moved(nodes, back) {
			all = all.Union(drawing.Bounds(n))
		}
		if !tile.Contains(all, tile.Long()*1e-6) {
			nodes = []drawing.Node{&drawing.Group{Nodes: nodes, Alpha: 1, Clip: []drawing.Region{{Path: edge}}}}
		}
	}
	area := back.Rect(region.Path.Bounds().Intersect(r.page.Grow(r.page.Long())))
	if area.Empty() {
		return nil
	}
	i0, i1 := math.Floor((area.X0-tile.X0)/tile.W()), math.Ceil((area.X1-tile.X0)/tile.W())
	j0, j1 := math.Floor((area.Y0-tile.Y0)/tile.H()), math.Ceil((area.Y1-tile.Y0)/tile.H())
	drawn := (i1 - i0) * (j1 - j0) * float64(count(nodes))
	if r.nodes += int(min(drawn, maxTiles)); r.nodes > MaxNodes {
		r.fail("the drawing has more than %d elements when its patterns are laid out", MaxNodes)
		return nil
	}
	if drawn > maxTiles {
		r.findings.Add(finding.Unsupported, finding.Stop, "a pattern has too many tiles to be kept as shapes", r.name(e, s), geom.Rect{})
		return nil
	}
	g := &drawing.Group{Alpha: alpha, Clip: []drawing.Region{region}, Part: s.part}
	layers := 1
	if paved(drawing.Moved(nodes, back), tile) {
		// Boxes edge to edge: where two soft edges meet, what lies below shows
		// through as a hairline. A second layer closes it.
		layers = 2
	}
	for range layers {
		for j := j0; j < j1; j++ {
			for i := i0; i < i1; i++ {
				d := m.Vec(geom.Pt(i*tile.W(), j*tile.H()))
				g.Nodes = append(g.Nodes, drawing.Moved(nodes, geom.Translate(d.X, d.Y))...)
			}
		}
	}
	return g
}

// paved reports whether a tile is covered edge to edge by opaque boxes that
// do not overlap.
func paved(ns []drawing.Node, tile geom.Rect) bool {
	var boxes []geom.Rect
	sum := 0.0
	for _, n := range ns {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return false
		}
		p, ok := s.Paint.(drawing.Solid)
		b := s.Path.Bounds()
		if a := math.Abs(s.Path.Area()); !ok || p.Alpha < 1 || math.Abs(a-b.Area()) > 1e-6*tile.Area() {
			return false
		}
		for _, o := range boxes {
			if o.Intersect(b).Area() > 1e-6*tile.Area() {
				return false
			}
		}
		boxes, sum = append(boxes, b), sum+b.Area()
	}
	return math.Abs(sum-tile.Area()) < 1e-6*tile.Area()
}

func count(ns []drawing.Node) int {
	n := 0
	for _, x := range ns {
		n++
		if g, ok := x.(*drawing.Group); ok {
			n += count(g.Nodes)
		}
	}
	return n
}

// A vertex is a place where a marker may stand.
type vertex struct {
	at      geom.Point
	in, out geom.Point // directions of arrival and departure
	hasIn   bool
	hasOut  bool
}

// vertices lists the ends of the segments of a path, with their directions
// (SVG 1.1 section 11.6 and the notes of its appendix F.5).
func vertices(p geom.Path) []vertex {
	var vs []vertex
	start := 0
	var from geom.Point
	for _, s := range p {
		switch s.Op {
		case geom.MoveTo:
			vs = append(vs, vertex{at: s.P[0]})
			start, from = len(vs)-1, s.P[0]
			continue
		}
		prev := &vs[len(vs)-1]
		end := s.End()
		if s.Op == geom.Close {
			end = from
		}
		c := geom.Curve{Op: s.Op, A: prev.at, D: end}
		switch s.Op {
		case geom.QuadTo:
			c.B = s.P[0]
		case geom.CubeTo:
			c.B, c.C = s.P[0], s.P[1]
		default:
			c.Op = geom.LineTo
		}
		a, b := c.Directions()
		if a != (geom.Point{}) {
			prev.out, prev.hasOut = a, true
		}
		v := vertex{at: end}
		if b != (geom.Point{}) {
			v.in, v.hasIn = b, true
		}
		if s.Op == geom.Close { // arrival and departure meet at the start
			v.out, v.hasOut = vs[start].out, vs[start].hasOut
			if v.hasIn {
				vs[start].in, vs[start].hasIn = v.in, true
			}
		}
		vs = append(vs, v)
	}
	return vs
}

// markers draws the markers of a path.
func (r *reader) markers(e *element, s state, p geom.Path) []drawing.Node {
	get := func(name string) *element {
		v := s.style.get(name, s.style.get("marker", "none"))
		id, ok := urlRef(v)
		t := r.doc.byID[id]
		if !ok || t == nil || t.name != "marker" || s.entered(t) {
			return nil
		}
		return t
	}
	start, mid, end := get("marker-start"), get("marker-mid"), get("marker-end")
	if start == nil && mid == nil && end == nil {
		return nil
	}
	width := 1.0
	if v, ok := s.style["stroke-width"]; ok {
		if w, ok := s.len.length(v, s.len.diagonal()); ok {
			width = w
		}
	}
	if r.bare {
		return nil
	}
	s.around = &around{e, s, p.Bounds()}
	var out []drawing.Node
	vs := vertices(p)
	for i, v := range vs {
		m := mid
		switch {
		case i == 0:
			m = start
		case i == len(vs)-1:
			m = end
		}
		if m != nil {
			out = append(out, r.marker(m, s, v, width, i == 0)...)
		}
		if i == 0 && len(vs) == 1 && end != nil {
			out = append(out, r.marker(end, s, v, width, false)...)
		}
	}
	return out
}

// marker draws one marker at a vertex.
func (r *reader) marker(t *element, s state, v vertex, width float64, start bool) []drawing.Node {
	in := s.enter(t)
	in.style = r.styleOf(t)
	in = inherit(in)
	l := in.len
	w, h := l.get(t, "markerWidth", l.w, 3), l.get(t, "markerHeight", l.h, 3)
	if !(w > 0 && h > 0) {
		return nil
	}
	angle := one(t.attrs["orient"], 0) * math.Pi / 180
	if o := t.attrs["orient"]; strings.HasPrefix(o, "auto") {
		d := v.in.Add(v.out)
		switch {
		case v.hasIn && v.hasOut:
			if d.Len() < 1e-9 {
				d = v.in.Turn()
			}
		case v.hasIn:
			d = v.in
		case v.hasOut:
			d = v.out
		default:
			d = geom.Pt(1, 0)
		}
		if o == "auto-start-reverse" && start {
			d = d.Mul(-1)
		}
		angle = math.Atan2(d.Y, d.X)
	}
	m := s.m.Mul(geom.Translate(v.at.X, v.at.Y)).Mul(geom.Rotate(angle))
	if t.attrs["markerUnits"] != "userSpaceOnUse" {
		m = m.Mul(geom.Scale(width, width))
	}
	fit := geom.Identity
	if vb, ok := box(t.attrs["viewBox"]); ok {
		fit = viewBox(vb, w, h, t.attrs["preserveAspectRatio"])
		in.len.w, in.len.h = vb.W(), vb.H()
	} else {
		in.len.w, in.len.h = w, h
	}
	ref := fit.Apply(geom.Pt(l.get(t, "refX", in.len.w, 0), l.get(t, "refY", in.len.h, 0)))
	m = m.Mul(geom.Translate(-ref.X, -ref.Y))
	in.m = m.Mul(fit)
	nodes := r.children(t, in)
	if len(nodes) == 0 || in.style["overflow"] == "visible" || in.style["overflow"] == "auto" {
		return r.wrap(t, in, nodes)
	}
	g := &drawing.Group{Nodes: nodes, Alpha: 1, Part: s.part, Clip: []drawing.Region{{Path: geom.Box(geom.Rect{X1: w, Y1: h}).Transform(m)}}}
	back, ok := m.Inverse()
	var all geom.Rect
	for _, n := range nodes {
		all = all.Union(drawing.Bounds(n))
	}
	if ok && (geom.Rect{X1: w, Y1: h}).Contains(back.Rect(all), 1e-6*(w+h)) && math.Abs(math.Mod(angle, math.Pi/2)) < 1e-9 {
		return r.wrap(t, in, nodes) // nothing is cut
	}
	return r.wrap(t, in, []drawing.Node{g})
}
