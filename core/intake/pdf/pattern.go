package pdf

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// layPattern fills a region of the page with a pattern (section 8.7).
func (m *machine) layPattern(in drawing.Region, p paint, alpha float64, origin drawing.Origin) {
	f := m.file
	o := f.get(p.pattern)
	d := f.dict(o)
	own := m.start
	if v, ok := f.numbers(d["Matrix"]); ok && len(v) == 6 {
		own = own.Mul(geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]})
	}
	switch s, isStream := o.(*stream); int(f.number(d["PatternType"], 0)) {
	case 1:
		if isStream && !m.unread(aTiling, s.dict) {
			m.tile(in, s, own, p, alpha)
		}
	case 2:
		if m.unread(aShaded, d) {
			return
		}
		sh, err := m.shading(d["Shading"])
		if err != nil {
			m.findings.Add(finding.Unsupported, finding.Stop, err.Error(), m.layer, geom.Rect{})
			return
		}
		m.layShading(in, sh, own, alpha, origin)
	default:
		m.cannot("a pattern of an unknown type")
	}
}

// tile repeats a cell over a region (section 8.7.3).
func (m *machine) tile(in drawing.Region, s *stream, own geom.Affine, p paint, alpha float64) {
	f := m.file
	bb, ok := f.numbers(s.dict["BBox"])
	sx, sy := math.Abs(f.number(s.dict["XStep"], 0)), math.Abs(f.number(s.dict["YStep"], 0))
	back, invertible := own.Inverse()
	if !ok || len(bb) != 4 || sx == 0 || sy == 0 {
		m.lacks("a pattern of the page does not say how large it is")
		return
	}
	if !invertible {
		return // it has no room
	}
	cell := geom.Rect{X0: min(bb[0], bb[2]), Y0: min(bb[1], bb[3]), X1: max(bb[0], bb[2]), Y1: max(bb[1], bb[3])}
	area := back.Rect(in.Path.Bounds().Intersect(m.page.Grow(m.page.Long() / 10)))
	if area.Empty() || cell.Empty() {
		return
	}
	i0, i1 := math.Ceil((area.X0-cell.X1)/sx), math.Floor((area.X1-cell.X0)/sx)
	j0, j1 := math.Ceil((area.Y0-cell.Y1)/sy), math.Floor((area.Y1-cell.Y0)/sy)
	if (i1-i0+1)*(j1-j0+1) > maxTiles {
		m.cannot("a pattern of more than 5000 tiles")
		return
	}
	from := newState(m.reader, own)
	inner := &machine{reader: m.reader, state: from, res: m.resources(s), start: own, hidden: m.hidden}
	const uncoloured = 2
	if f.number(s.dict["PaintType"], 1) == uncoloured {
		inner.plain = true
		flat := paint{space: deviceRGB, colour: p.colour}
		inner.fill, inner.stroke = flat, flat
	}
	inner.clipTo(geom.Box(cell).Transform(own), geom.NonZero)
	if m.depth++; m.depth > MaxForms {
		m.fail("the page has pieces nested more than %d deep", MaxForms)
		return
	}
	defer func() { m.depth-- }()
	data, err := f.decode(s)
	if err != nil {
		m.findings.Add(finding.Unsupported, finding.Stop, "a pattern of the page cannot be read: "+err.Error(), m.layer, geom.Rect{})
		return
	}
	inner.run(data)
	if len(inner.out.Nodes) == 0 {
		return
	}
	var all []drawing.Node
	for j := j0; j <= j1; j++ {
		for i := i0; i <= i1; i++ {
			if m.nodes += len(inner.out.Nodes); m.nodes > MaxNodes {
				m.fail("the page has more than %d painted things", MaxNodes)
				return
			}
			shift := own.Vec(geom.Pt(i*sx, j*sy))
			all = append(all, drawing.Moved(inner.out.Nodes, geom.Translate(shift.X, shift.Y))...)
		}
	}
	in.Clip = nil
	m.emit(&drawing.Group{Nodes: all, Alpha: alpha, Clip: []drawing.Region{in}, Part: m.layer})
}
