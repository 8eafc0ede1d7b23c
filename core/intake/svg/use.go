package svg

import (
	"fmt"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// viewport draws a nested svg or a symbol in use: a new coordinate system,
// cut at its edges.
func (r *reader) viewport(e *element, s state, width, height string) []drawing.Node {
	size := func(v string, of float64) float64 {
		if v == "" || v == "auto" {
			return of
		}
		n, ok := s.len.length(v, of)
		if !ok {
			return of
		}
		return n
	}
	if _, css := s.style["width"]; css && e.name == "svg" || s.style["height"] != "" && e.name == "svg" {
		r.unread("width or height of an svg within another, in a style sheet", e, s) // browsers differ
	}
	w, h := size(width, s.len.w), size(height, s.len.h)
	if !(w > 0 && h > 0) {
		return nil
	}
	if e.name == "svg" {
		s.m = s.m.Mul(geom.Translate(s.at(e, "x", s.len.w, 0), s.at(e, "y", s.len.h, 0)))
	}
	edge := geom.Box(geom.Rect{X1: w, Y1: h}).Transform(s.m)
	s.len.w, s.len.h = w, h
	if vb, ok := box(e.attrs["viewBox"]); ok {
		s.m = s.m.Mul(viewBox(vb, w, h, e.attrs["preserveAspectRatio"]))
		s.len.w, s.len.h = vb.W(), vb.H()
	}
	out := r.children(e, s)
	if o := s.style["overflow"]; o == "visible" || o == "auto" || len(out) == 0 {
		return out
	}
	var all geom.Rect
	for _, n := range out {
		all = all.Union(drawing.Bounds(n))
	}
	if edge.Bounds().Contains(all, r.tol) && s.m.B == 0 && s.m.C == 0 {
		return out // nothing is cut
	}
	if drawing.Blending(out) { // the edge of a viewport isolates nothing
		return drawing.Clipped(out, []drawing.Region{{Path: edge}})
	}
	return []drawing.Node{&drawing.Group{Nodes: out, Alpha: 1, Clip: []drawing.Region{{Path: edge}}, Part: s.part}}
}

// useElement draws what a use refers to, in the user space that begins where the use puts it.
func (r *reader) useElement(e *element, s state) []drawing.Node {
	t := r.target(e, s)
	if t == nil {
		return nil
	}
	if s.entered(t) {
		// SVG 2 section 5.6: a use that leads back to itself is not drawn.
		r.findings.Add(finding.Unsupported, finding.Warn, "a reference leads back to itself and is not drawn", r.name(e, s), geom.Rect{})
		return nil
	}
	s = s.enter(t)
	s.shadow = t
	s.around = &around{e, s, geom.Rect{}}
	w, h := s.geo(e, "width"), s.geo(e, "height")
	if t.name != "symbol" && t.name != "svg" {
		return r.element(t, s)
	}
	s.style = r.sheet.cascade(t, s.shadow, s.style)
	s = inherit(s)
	if s.style["display"] == "none" && t.name == "svg" {
		return nil
	}
	if w == "" {
		w = s.geo(t, "width")
	}
	if h == "" {
		h = s.geo(t, "height")
	}
	return r.wrap(t, s, r.viewport(t, s, w, h))
}

// target finds what the href of e names inside the file.
func (r *reader) target(e *element, s state) *element {
	href := strings.TrimSpace(e.attrs["href"])
	id, local := strings.CutPrefix(href, "#")
	if !local {
		if href != "" {
			r.findings.Add(finding.Unsafe, finding.Warn, "a reference to another file was dropped: nothing outside the master is ever fetched", r.name(e, s), geom.Rect{})
		}
		return nil
	}
	t := r.doc.byID[id]
	if t == nil {
		r.findings.Add(finding.Unsupported, finding.Warn, fmt.Sprintf("%q is referred to but is not in the file", "#"+id), r.name(e, s), geom.Rect{})
	}
	return t
}
