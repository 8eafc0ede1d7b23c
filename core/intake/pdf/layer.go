package pdf

import (
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

// layers tell what of the optional content (section 8.11) prints.
type layers struct {
	off map[ref]bool
}

// readLayers reads the file's own configuration. What it says of printing
// counts more than what is shown.
func (r *reader) readLayers() {
	f := r.file
	props := f.dict(f.dict(f.trailer["Root"])["OCProperties"])
	if props == nil {
		return
	}
	r.layers.off = map[ref]bool{}
	d := f.dict(props["D"])
	groups := f.array(props["OCGs"])
	r.unread(someLayers, props)
	r.unread(aSetting, d)
	for _, o := range groups {
		r.unread(aLayer, f.dict(o))
	}
	if f.name(d["BaseState"]) == "OFF" {
		for _, o := range groups {
			if id, ok := o.(ref); ok {
				r.layers.off[id] = true
			}
		}
	}
	for _, o := range f.array(d["ON"]) {
		if id, ok := o.(ref); ok {
			delete(r.layers.off, id)
		}
	}
	for _, o := range f.array(d["OFF"]) {
		if id, ok := o.(ref); ok {
			r.layers.off[id] = true
		}
	}
	for _, o := range groups {
		id, ok := o.(ref)
		if !ok {
			continue
		}
		switch f.name(f.dict(f.dict(f.dict(o)["Usage"])["Print"])["PrintState"]) {
		case "OFF":
			r.layers.off[id] = true
		case "ON":
			if f.get(f.dict(f.dict(f.dict(o)["Usage"])["View"])["ViewState"]) == name("OFF") {
				delete(r.layers.off, id) // hidden on screens alone
			}
		}
		if !meant(f.intents(f.dict(o)["Intent"]), f.intents(d["Intent"])) {
			delete(r.layers.off, id)
		}
	}
}

// intents are what a layer, or a setting of layers, is for: View where nothing is said.
func (f *file) intents(o any) (out []name) {
	if n := f.name(o); n != "" {
		return []name{n}
	}
	for _, x := range f.array(o) {
		out = append(out, f.name(x))
	}
	if out == nil {
		out = []name{"View"}
	}
	return out
}

// meant reports whether a layer hides anything under a setting: one that is for nothing that
// the setting is for never does (section 8.11.2.3).
func meant(layer, setting []name) bool {
	return slices.Contains(setting, "All") || slices.ContainsFunc(layer, func(n name) bool { return slices.Contains(setting, n) })
}

// layerState tells the name of a layer, or of a membership of several, and whether
// it prints.
func (r *reader) layerState(o any) (label string, prints bool) {
	f, l := r.file, r.layers
	d := f.dict(o)
	label = decodeText(textOf(f, d["Name"]))
	if f.name(d["Type"]) != "OCMD" {
		id, _ := o.(ref)
		return label, !l.off[id]
	}
	r.unread(aMember, d)
	var members array
	switch f.get(d["OCGs"]).(type) {
	case array:
		members = f.array(d["OCGs"])
	case dict:
		members = array{d["OCGs"]}
	}
	on, off := 0, 0
	for _, x := range members {
		id, _ := x.(ref)
		if label == "" {
			label = decodeText(textOf(f, f.dict(x)["Name"]))
		}
		if l.off[id] {
			off++
		} else {
			on++
		}
	}
	if ve := f.array(d["VE"]); len(ve) > 0 { // counts more than the rest
		return label, l.holds(f, ve, 0)
	}
	if on+off == 0 {
		return label, true
	}
	switch f.name(d["P"]) {
	case "AllOn":
		return label, off == 0
	case "AnyOff":
		return label, off > 0
	case "AllOff":
		return label, on == 0
	}
	return label, on > 0
}

// holds carries out a visibility expression (section 8.11.2.2): And, Or or Not of layers and
// of further ones.
func (l layers) holds(f *file, o any, depth int) bool {
	a, isArray := f.get(o).(array)
	if !isArray {
		id, _ := o.(ref)
		return !l.off[id]
	}
	if len(a) < 2 || depth > maxExpressions {
		return true
	}
	all, any := true, false
	for _, x := range a[1:] {
		v := l.holds(f, x, depth+1)
		all, any = all && v, any || v
	}
	switch f.name(a[0]) {
	case "Not":
		return !all
	case "Or":
		return any
	}
	return all
}

// maxExpressions bounds expressions in one another.
const maxExpressions = 32

func textOf(f *file, o any) text { t, _ := f.get(o).(text); return t }

// left says that a layer was left out.
func (r *reader) left(label string) {
	if label == "" {
		label = "without a name"
	}
	r.findings.Add(finding.Hidden, finding.Note, "layers that do not print were left out", label, geom.Rect{})
}

// begin opens a marked section (section 14.6).
func (m *machine) begin(op string, args []any) {
	if len(m.marks) > maxSaved {
		m.fail("the page has marked sections more than %d deep", maxSaved)
		return
	}
	k := mark{layer: m.layer}
	if op == "BDC" && len(args) == 2 && args[0] == name("OC") {
		if o := m.resourceRaw("Properties", args[1]); o != nil {
			label, prints := m.layerState(o)
			if !prints {
				m.left(label)
				k.hidden = true
				m.hidden++
			} else if label != "" {
				m.layer = label
			}
		}
	}
	m.marks = append(m.marks, k)
}

func (m *machine) end() {
	n := len(m.marks)
	if n == 0 {
		return
	}
	k := m.marks[n-1]
	m.marks = m.marks[:n-1]
	m.layer = k.layer
	if k.hidden {
		m.hidden--
	}
}

func list(names []string) string {
	s := ""
	for i, n := range names {
		switch {
		case i == 0:
		case i == len(names)-1:
			s += " and "
		default:
			s += ", "
		}
		s += n
	}
	return s
}

// overprinted notes paint that a press lays over what is below without taking
// that away.
func (m *machine) overprinted(p paint) {
	if !m.overprints {
		return
	}
	if p.colour.Built && p.colour.Build.NoInk() {
		m.findings.Add(finding.Overprint, finding.Warn, "white paint is set to overprint: on a press it vanishes. It is taken as it is seen on a screen", m.layer, geom.Rect{})
		return
	}
	m.findings.Add(finding.Overprint, finding.Note, "paint is set to overprint what lies below it; it is taken as it is seen on a screen, where it covers", m.layer, geom.Rect{})
}

// knockedOut makes a knockout group (section 11.4.6) an ordinary one: each
// member takes away what lies below it instead of mixing with that.
func (m *machine) knockedOut(ns []drawing.Node) []drawing.Node {
	out := append([]drawing.Node(nil), ns...)
	for i, n := range out {
		var hides []drawing.Node // shapes that a mask takes out
		for _, above := range ns[i+1:] {
			a, shape := above.(*drawing.Shape)
			if shape && opaque(a.Paint) || drawing.Bounds(above).Intersect(drawing.Bounds(n)).Empty() {
				continue // what covers takes away anyway
			}
			below, plain := n.(*drawing.Shape)
			if !shape || !plain {
				hides = append(hides, silhouette(above))
				continue
			}
			p, err := planar.Subtract(m.ctx, planar.Layer{Path: below.Path, Rule: below.Rule}, planar.Layer{Path: a.Path, Rule: a.Rule})
			if err != nil {
				m.err = err
				return ns
			}
			c := *below
			c.Path, c.Rule = p, geom.NonZero
			n = &c
		}
		if hides != nil {
			all := drawing.Bounds(n).Grow(m.page.Long() / 100)
			white := &drawing.Shape{Path: geom.Box(all), Paint: drawing.Solid{Colour: grey(1), Alpha: 1}}
			n = &drawing.Group{Nodes: []drawing.Node{n}, Alpha: 1, Mask: &drawing.Mask{Nodes: append([]drawing.Node{white}, hides...)}, Part: m.layer}
		}
		out[i] = n
	}
	return out
}

// silhouette is the shape of a node, whatever lets through, in black.
func silhouette(n drawing.Node) drawing.Node {
	black := drawing.Solid{Colour: grey(0), Alpha: 1}
	switch n := n.(type) {
	case *drawing.Shape:
		c := *n
		c.Paint = black
		return &c
	case *drawing.Picture:
		return &drawing.Shape{Path: geom.Box(geom.Rect{X1: 1, Y1: 1}).Transform(n.To), Paint: black}
	case *drawing.Group:
		g := &drawing.Group{Alpha: 1, Clip: n.Clip}
		for _, x := range n.Nodes {
			g.Nodes = append(g.Nodes, silhouette(x))
		}
		return g
	}
	return n
}

func opaque(p drawing.Paint) bool {
	s, ok := p.(drawing.Solid)
	return ok && s.Alpha == 1
}
