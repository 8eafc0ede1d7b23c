package pdf

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

var blends = map[name]drawing.BlendMode{
	"Normal": drawing.Normal, "Compatible": drawing.Normal, "Multiply": drawing.Multiply, "Screen": drawing.Screen,
	"Overlay": drawing.Overlay, "Darken": drawing.Darken, "Lighten": drawing.Lighten, "ColorDodge": drawing.ColorDodge,
	"ColorBurn": drawing.ColorBurn, "HardLight": drawing.HardLight, "SoftLight": drawing.SoftLight, "Difference": drawing.Difference,
	"Exclusion": drawing.Exclusion, "Hue": drawing.Hue, "Saturation": drawing.Saturation, "Color": drawing.Color, "Luminosity": drawing.Luminosity,
}

// extended sets what a graphics state dictionary says (section 8.4.5).
func (m *machine) extended(o any) {
	f := m.file
	d := f.dict(o)
	if d == nil || m.unread(aState, d) {
		return
	}
	m.width = max(0, f.number(d["LW"], m.width))
	m.miter = max(1, f.number(d["ML"], m.miter))
	if v := f.number(d["LC"], -1); v >= 0 {
		m.operate("J", []any{v})
	}
	if v := f.number(d["LJ"], -1); v >= 0 {
		m.operate("j", []any{v})
	}
	if a := f.array(d["D"]); len(a) == 2 {
		m.dash(a[0], f.number(a[1], 0))
	}
	m.fillAlpha = unit(f.number(d["ca"], m.fillAlpha))
	m.strokeAlpha = unit(f.number(d["CA"], m.strokeAlpha))
	if a := f.array(d["Font"]); len(a) == 2 {
		m.font = f.dict(a[0])
	}
	for _, k := range []name{"OP", "op"} {
		if v, ok := f.get(d[k]).(bool); ok {
			m.overprints = v
		}
	}
	switch b := f.get(d["BM"]).(type) {
	case name:
		m.setBlend(array{b})
	case array:
		m.setBlend(b)
	}
	switch s := f.get(d["SMask"]).(type) {
	case name:
		m.mask = nil
	case dict:
		m.mask = m.soft(s)
	}
	m.transfer(d)
}

// transfer looks at the functions by which a file bends its tones on one device (section
// 10.5). What makes up for a press is left to it; what turns light into dark is seen by
// everybody and is not drawn here.
func (m *machine) transfer(d dict) {
	f := m.file
	o := f.get(d["TR2"]) // counts more than TR (Table 58)
	if o == nil {
		o = f.get(d["TR"])
	}
	all, several := o.(array)
	if !several {
		all = array{o}
	}
	const slight, strong = 0.02, 0.35 // of the whole range
	worst := 0.0
	for _, o := range all {
		if n := f.name(o); f.get(o) == nil || n == "Identity" || n == "Default" {
			continue
		}
		fn, err := f.function(o)
		if err != nil || fn.in != 1 || fn.out != 1 {
			m.cannot("a transfer function of the page")
			return
		}
		for i := range 11 {
			v := float64(i) / 10
			worst = max(worst, math.Abs(unit(fn.f([]float64{v})[0])-v))
		}
	}
	switch {
	case worst > strong:
		m.cannot("what bends the tones of the page so far that they are other ones (a transfer function)")
	case worst > slight:
		m.findings.Add(finding.Unsupported, finding.Note, "the file bends its tones for one press (a transfer function); they are taken as they are declared", m.layer, geom.Rect{})
	}
}

// setBlend takes the first mode that is known.
func (m *machine) setBlend(a array) {
	for _, x := range a {
		if b, ok := blends[m.file.name(x)]; ok {
			m.blend = b
			return
		}
	}
	m.cannot("a blend mode of the page")
}

// soft makes a mask of a soft-mask dictionary (section 11.6.5.2).
func (m *machine) soft(d dict) *drawing.Mask {
	f := m.file
	s, ok := f.get(d["G"]).(*stream)
	if !ok {
		m.cannot("a soft mask without its shapes")
		return nil
	}
	if m.unread(aMask, d) || m.unread(aGroup, f.dict(s.dict["Group"])) {
		return nil
	}
	k := &drawing.Mask{Alpha: f.name(d["S"]) == "Alpha"}
	inner := m.within(s, newState(m.reader, m.m))
	if inner == nil {
		return nil
	}
	k.Nodes = inner.out.Nodes
	if k.Alpha {
		return k
	}
	back := colour.Black
	if bc, ok := f.numbers(d["BC"]); ok {
		if cs, err := m.space(f.dict(s.dict["Group"])["CS"], f.dict(s.dict["Resources"])); err == nil && !cs.pattern && len(bc) == cs.n {
			back = cs.colour(bc).RGB
		}
	}
	bend := func(v float64) float64 { return v }
	if tr := f.get(d["TR"]); tr != nil && f.name(tr) != "Identity" {
		fn, err := f.function(d["TR"])
		if err != nil || fn.in != 1 || fn.out != 1 {
			m.cannot("the transfer function of a soft mask")
			return nil
		}
		bend = func(v float64) float64 { return unit(fn.f([]float64{v})[0]) }
	}
	// The brightness of PDF (section 11.3.5.3) as greys, whose brightness every
	// formula sees alike.
	bright := func(c colour.RGB) colour.Colour { return grey(bend(colour.Blending.Of(c.R, c.G, c.B))) }
	k.Nodes = (&drawing.Drawing{Nodes: k.Nodes}).Recolour(drawing.Recolouring{
		Colour: func(c colour.Colour) colour.Colour { return bright(c.RGB) },
		Picture: func(p *drawing.Picture) *drawing.Picture {
			return p.MapPixels(func(px [3]uint8) [3]uint8 {
				v, _, _ := bright(colour.FromBytes(px[0], px[1], px[2])).RGB.Bytes()
				return [3]uint8{v, v, v}
			})
		},
	}).Nodes
	if ground := bright(back); ground.RGB != colour.Black {
		far := m.page.Grow(10 * m.page.Long())
		k.Nodes = append([]drawing.Node{&drawing.Shape{Path: geom.Box(far), Paint: drawing.Solid{Colour: ground, Alpha: 1}}}, k.Nodes...)
	}
	return k
}

// within draws a form by itself, as transparency groups and masks are; nil past
// a limit.
func (m *machine) within(s *stream, from state) *machine {
	if m.depth++; m.depth > MaxForms {
		m.fail("the page has pieces nested more than %d deep", MaxForms)
	}
	defer func() { m.depth-- }()
	if m.err != nil {
		return nil
	}
	data, err := m.file.decode(s)
	if err != nil {
		m.findings.Add(finding.Unsupported, finding.Stop, "a part of the page cannot be read: "+err.Error(), m.layer, geom.Rect{})
		return nil
	}
	inner := &machine{reader: m.reader, state: from, res: m.resources(s), hidden: m.hidden, plain: m.plain}
	inner.fillAlpha, inner.strokeAlpha, inner.blend, inner.mask, inner.clip = 1, 1, drawing.Normal, nil, nil
	inner.enter(s)
	inner.run(data)
	return inner
}

func (m *machine) resources(s *stream) dict {
	if d := m.file.dict(s.dict["Resources"]); d != nil {
		return d
	}
	return m.res
}

// enter applies the matrix and the box of a form.
func (m *machine) enter(s *stream) {
	f := m.file
	m.unread(aForm, s.dict)
	if s.dict["OPI"] != nil || s.dict["Ref"] != nil {
		m.standIn("a piece of the page")
	}
	if v, ok := f.numbers(s.dict["Matrix"]); ok && len(v) == 6 {
		m.m = m.m.Mul(geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]})
	}
	if v, ok := f.numbers(s.dict["BBox"]); ok && len(v) == 4 {
		m.clipTo(box(v[0], v[1], v[2]-v[0], v[3]-v[1]).Transform(m.m), geom.NonZero)
	}
	m.start = m.m
}

// object draws a form or an image (section 8.8).
func (m *machine) object(o any) {
	s, ok := m.file.get(o).(*stream)
	if !ok {
		return
	}
	before := m.layer
	defer func() { m.layer = before }()
	if oc := s.dict["OC"]; oc != nil {
		label, prints := m.layerState(oc)
		if !prints {
			m.left(label)
			return
		}
		if label != "" {
			m.layer = label
		}
	}
	switch m.file.name(s.dict["Subtype"]) {
	case "Image":
		m.drawImage(s, o)
	case "Form":
		m.form(s)
	default:
		m.cannot("a piece of the page that is neither a drawing nor a picture")
	}
}

// standIn says that what is on the page stands for something that is not in the file.
func (r *reader) standIn(what string) {
	r.findings.Add(finding.Unsupported, finding.Warn, what+" stands in for a finer one in another file; only what is inside this file is drawn", r.layer, geom.Rect{})
}

// form draws a form XObject: into what is there, or as a group of its own.
func (m *machine) form(s *stream) {
	f := m.file
	g := f.dict(s.dict["Group"])
	m.unread(aGroup, g)
	if f.name(g["S"]) != "Transparency" {
		if m.depth++; m.depth > MaxForms {
			m.fail("the page has pieces nested more than %d deep", MaxForms)
		}
		defer func() { m.depth-- }()
		data, err := f.decode(s)
		if err != nil {
			m.findings.Add(finding.Unsupported, finding.Stop, "a part of the page cannot be read: "+err.Error(), m.layer, geom.Rect{})
			return
		}
		inner := &machine{reader: m.reader, state: m.state, res: m.resources(s), out: m.out, hidden: m.hidden, plain: m.plain}
		inner.enter(s)
		inner.run(data)
		m.out = inner.out
		return
	}
	inner := m.within(s, m.state)
	if inner == nil || len(inner.out.Nodes) == 0 {
		return
	}
	isolated, _ := f.get(g["I"]).(bool)
	nodes := inner.out.Nodes
	if knock, _ := f.get(g["K"]).(bool); knock {
		nodes = m.knockedOut(nodes)
	}
	if m.fillAlpha == 1 && m.mask == nil && m.blend == drawing.Normal && (!isolated || !blended(nodes)) {
		// The group changes nothing: its members stand in its place.
		for _, n := range nodes {
			m.emit(n)
		}
		return
	}
	m.emit(&drawing.Group{Nodes: nodes, Alpha: m.fillAlpha, Isolated: isolated, Part: m.layer})
}

// blended reports whether anything blends with what lies below it.
func blended(ns []drawing.Node) bool {
	found := false
	(&drawing.Drawing{Nodes: ns}).Walk(func(n drawing.Node, _ []*drawing.Group) {
		if g, ok := n.(*drawing.Group); ok && g.Blend != drawing.Normal {
			found = true
		}
	})
	return found
}
