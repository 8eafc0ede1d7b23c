package svg

import (
	"fmt"
	"image"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/intake/picture"
)

// image places a picture that the file holds itself.
func (r *reader) image(e *element, s state) []drawing.Node {
	if s.style.get("visibility", "visible") != "visible" {
		return nil
	}
	href := strings.TrimSpace(e.attrs["href"])
	if href == "" {
		return nil
	}
	data, media, ok := picture.DataURI(href)
	if !ok {
		r.findings.Add(finding.Unsafe, finding.Warn, "a linked picture was dropped: nothing outside the master is ever fetched. Embed it in the drawing", r.name(e, s), geom.Rect{})
		return nil
	}
	if strings.Contains(media, "svg") {
		return r.embedded(e, s, data)
	}
	img, err := r.picture(href, data)
	if err != nil {
		r.findings.Add(finding.Unsupported, finding.Stop, "an embedded picture cannot be read: "+err.Error(), r.name(e, s), geom.Rect{})
		return nil
	}
	iw, ih := float64(img.Bounds().Dx()), float64(img.Bounds().Dy())
	l := s.len
	w, okw := l.length(s.geo(e, "width"), l.w)
	h, okh := l.length(s.geo(e, "height"), l.h)
	switch {
	case !okw && !okh:
		w, h = iw, ih
	case !okw:
		w = h * iw / ih
	case !okh:
		h = w * ih / iw
	}
	if !(w > 0 && h > 0) {
		return nil
	}
	at := geom.Translate(s.at(e, "x", l.w, 0), s.at(e, "y", l.h, 0))
	fit := viewBox(geom.Rect{X1: iw, Y1: ih}, w, h, e.attrs["preserveAspectRatio"])
	m := s.m.Mul(at)
	p := &drawing.Picture{Image: img, To: m.Mul(fit).Mul(geom.Scale(iw, ih)), Alpha: 1, Part: s.part}
	if strings.Contains(e.attrs["preserveAspectRatio"], "slice") {
		return []drawing.Node{&drawing.Group{
			Nodes: []drawing.Node{p}, Alpha: 1, Part: s.part,
			Clip: []drawing.Region{{Path: geom.Box(geom.Rect{X1: w, Y1: h}).Transform(m)}},
		}}
	}
	return []drawing.Node{p}
}

// picture reads a picture, each only once however often it is shown.
func (r *reader) picture(href string, data []byte) (*image.NRGBA, error) {
	if img, ok := r.spent.pictures[href]; ok {
		return img, nil
	}
	w, h, err := picture.Size(data)
	if err != nil {
		return nil, err
	}
	if r.spent.pixels += w * h; r.spent.pixels > MaxPixels {
		return nil, fmt.Errorf("the pictures inside have more than %d megapixels together", MaxPixels/1_000_000)
	}
	img, err := picture.Decode(data)
	if err == nil {
		r.spent.pictures[href] = img
	}
	return img, err
}

// embedded draws an SVG that stands in the place of a picture: a drawing of
// its own, cut at its page.
func (r *reader) embedded(e *element, s state, data []byte) []drawing.Node {
	if r.within >= maxEmbedded {
		r.fail("line %d: drawings are embedded in each other more than %d deep", e.line, maxEmbedded)
		return nil
	}
	in, d, err := readWithin(r.ctx, data, Options{Fonts: r.fonts, StandIn: r.standIn}, r)
	if in != nil {
		r.findings = append(r.findings, in.findings...)
	}
	if err != nil {
		r.findings.Add(finding.Unsupported, finding.Stop, "an embedded drawing cannot be read: "+err.Error(), r.name(e, s), geom.Rect{})
		return nil
	}
	l := s.len
	w, okw := l.length(s.geo(e, "width"), l.w)
	h, okh := l.length(s.geo(e, "height"), l.h)
	if !okw {
		w = d.Page.W()
	}
	if !okh {
		h = d.Page.H()
	}
	if !(w > 0 && h > 0) {
		return nil
	}
	m := s.m.Mul(geom.Translate(s.at(e, "x", l.w, 0), s.at(e, "y", l.h, 0)))
	to := m.Mul(viewBox(d.Page, w, h, e.attrs["preserveAspectRatio"]))
	nodes := drawing.Moved(d.Nodes, to)
	clip := []drawing.Region{{Path: geom.Box(d.Page).Transform(to), Clip: []drawing.Region{{Path: geom.Box(geom.Rect{X1: w, Y1: h}).Transform(m)}}}}
	return []drawing.Node{&drawing.Group{Nodes: nodes, Alpha: 1, Clip: clip, Part: s.part}}
}
