package pdf

import (
	"errors"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// A shading is a field of colour (section 8.7.4.5): a ramp that a drawing keeps,
// or something finer that is drawn as pixels.
type shading struct {
	ramp       *drawing.Gradient // in shading space; nil for those that are drawn
	extend     [2]bool
	background *colour.Colour
	box        *geom.Rect
	// draw paints into a field of pixels; to maps shading space onto them.
	draw func(f *field, to geom.Affine) error
}

var errShading = errors.New("a shading is damaged or of no known type")

func (m *machine) shading(o any) (*shading, error) {
	f := m.file
	d := f.dict(o)
	if d == nil {
		return nil, errShading
	}
	m.unread(aShading, d)
	cs, err := m.space(d["ColorSpace"], m.res)
	if err != nil || cs.pattern {
		return nil, errSpace
	}
	sh := &shading{}
	if v, ok := f.numbers(d["BBox"]); ok && len(v) == 4 {
		sh.box = &geom.Rect{X0: min(v[0], v[2]), Y0: min(v[1], v[3]), X1: max(v[0], v[2]), Y1: max(v[1], v[3])}
	}
	if v, ok := f.numbers(d["Background"]); ok && len(v) == cs.n {
		c := cs.colour(v)
		sh.background = &c
	}
	var fn *function
	if d["Function"] != nil {
		if fn, err = f.function(d["Function"]); err != nil {
			return nil, err
		}
	}
	switch kind := int(f.number(d["ShadingType"], 0)); kind {
	case 2, 3:
		return sh, m.ramped(sh, d, kind == 3, cs, fn)
	case 1:
		m.pictured(cs, "a field of colours", nil)
		return sh, m.byFunction(sh, d, cs, fn)
	case 4, 5, 6, 7:
		s, ok := f.get(o).(*stream)
		if !ok {
			return nil, errShading
		}
		m.pictured(cs, "a field of colours", nil)
		return sh, m.mesh(sh, s, kind, cs, fn)
	}
	return nil, errShading
}

// ramped reads axial and radial shadings (sections 8.7.4.5.3 and 8.7.4.5.4).
func (m *machine) ramped(sh *shading, d dict, radial bool, cs *space, fn *function) error {
	f := m.file
	v, ok := f.numbers(d["Coords"])
	if !ok || fn == nil || fn.in != 1 || fn.out < cs.n || radial && len(v) != 6 || !radial && len(v) != 4 {
		return errShading
	}
	g := &drawing.Gradient{Radial: radial, To: geom.Identity}
	if radial {
		g.P0, g.R0, g.P1, g.R1 = geom.Pt(v[0], v[1]), max(0, v[2]), geom.Pt(v[3], v[4]), max(0, v[5])
	} else {
		g.P0, g.P1 = geom.Pt(v[0], v[1]), geom.Pt(v[2], v[3])
	}
	if e := f.array(d["Extend"]); len(e) == 2 {
		sh.extend[0], _ = f.get(e[0]).(bool)
		sh.extend[1], _ = f.get(e[1]).(bool)
	}
	domain, ok := f.numbers(d["Domain"])
	if !ok || len(domain) != 2 {
		domain = []float64{0, 1}
	}
	sh.ramp = g
	if len(cs.plates) == 0 {
		g.Stops = rampStops(fn, cs.n, cs.colour, domain[0], domain[1])
		return nil
	}
	var plates bool
	g.Stops, plates = cs.ramp(fn, domain[0], domain[1])
	if _, _, kept := g.Plates(); plates && !kept {
		m.findings.Add(finding.InksMixed, finding.Warn, "a gradient runs in the "+plural(cs.plates)+": it was taken as the process builds that the file gives for it", m.layer, geom.Rect{})
		*g = *g.Recolour(func(c colour.Colour) colour.Colour {
			b, _ := c.Press()
			return colour.Colour{RGB: c.RGB, Build: b, Built: true}
		})
	}
	return nil
}

// plural names plates: "plate Moor", "plates Moor and Ember".
func plural(plates []string) string {
	if len(plates) == 1 {
		return "plate " + plates[0]
	}
	return "plates " + list(plates)
}

// ramp are the stops of a ramp in a space of plates, all in the inks that it uses anywhere;
// plates tells whether spot plates are among these.
func (s *space) ramp(fn *function, t0, t1 float64) (stops []drawing.Stop, plates bool) {
	used := make([]bool, s.n)
	for range s.n + 1 { // each time round but the last finds one ink more
		one := make([]float64, s.n) // all that is used
		for i := range one {
			if used[i] {
				one[i] = 1
			}
		}
		_, kept := s.mixture(one, used)
		kept = kept && s.mixes(one)
		plates = len(s.colour(one).Spots()) > 0 || s.mixes(one)
		known := slices.Clone(used)
		stops = rampStops(fn, s.n, func(v []float64) colour.Colour {
			used = laid(used, v)
			if !kept {
				return s.colour(v)
			}
			c, _ := s.mixture(v, known)
			return c
		}, t0, t1)
		if slices.Equal(used, known) {
			break
		}
	}
	return stops, plates
}

// maxStops bounds a ramp; rampSlack is how far a straight mixture of
// neighbouring stops may lie from what the function gives, as a share of a
// channel.
const (
	maxStops  = 256
	rampSlack = 1.0 / 400
)

// rampStops follows a function of one number with straight pieces.
func rampStops(fn *function, n int, paint func([]float64) colour.Colour, t0, t1 float64) []drawing.Stop {
	at := func(t float64) colour.Colour { return paint(fn.f([]float64{t})[:n]) }
	pos := func(t float64) float64 {
		if t1 == t0 {
			return 0
		}
		return (t - t0) / (t1 - t0)
	}
	edges := []float64{t0}
	lo, hi := min(t0, t1), max(t0, t1)
	inner := fn.breaks
	if t1 < t0 {
		inner = nil
		for i := len(fn.breaks) - 1; i >= 0; i-- {
			inner = append(inner, fn.breaks[i])
		}
	}
	for _, b := range inner {
		if b > lo && b < hi && len(edges) < maxStops {
			edges = append(edges, b)
		}
	}
	edges = append(edges, t1)
	var out []drawing.Stop
	put := func(t float64, c colour.Colour) {
		if len(out) < 4*maxStops {
			out = append(out, drawing.Stop{At: unit(pos(t)), Colour: c, Alpha: 1})
		}
	}
	var between func(a, b float64, ca, cb colour.Colour, depth int)
	between = func(a, b float64, ca, cb colour.Colour, depth int) {
		if depth <= 0 {
			return
		}
		mid := (a + b) / 2
		c := at(mid)
		straight := true
		for _, t := range []float64{0.25, 0.5, 0.75} {
			if !nearColours(at(a+(b-a)*t), colour.Mix(ca, cb, t)) {
				straight = false
			}
		}
		if straight {
			return
		}
		between(a, mid, ca, c, depth-1)
		put(mid, c)
		between(mid, b, c, cb, depth-1)
	}
	depth := 6
	if len(edges) > 20 {
		depth = 2
	}
	for i := 0; i+1 < len(edges); i++ {
		a, b := edges[i], edges[i+1]
		// A jump has a colour on either side of it.
		in := (b - a) * 1e-9
		ca, cb := at(a+in), at(b-in)
		if i == 0 || !nearColours(out[len(out)-1].Colour, ca) {
			put(a, ca)
		}
		between(a, b, ca, cb, depth)
		put(b, cb)
	}
	return out
}

func nearColours(a, b colour.Colour) bool {
	near := func(x, y float64) bool { return math.Abs(x-y) <= rampSlack }
	if !near(a.RGB.R, b.RGB.R) || !near(a.RGB.G, b.RGB.G) || !near(a.RGB.B, b.RGB.B) || a.Built != b.Built {
		return false
	}
	for _, in := range []colour.Colour{a, b} {
		x, ok := a.TintsOn(in)
		y, also := b.TintsOn(in)
		if ok && also {
			return slices.EqualFunc(x, y, near)
		}
	}
	near100 := func(x, y float64) bool { return math.Abs(x-y) <= 100*rampSlack }
	return !a.Built || near100(a.Build.C, b.Build.C) && near100(a.Build.M, b.Build.M) && near100(a.Build.Y, b.Build.Y) && near100(a.Build.K, b.Build.K)
}

// shade fills what the clip leaves with a shading.
func (m *machine) shade(o any) {
	if !m.visible() {
		return
	}
	sh, err := m.shading(o)
	if err != nil {
		m.findings.Add(finding.Unsupported, finding.Stop, err.Error(), m.layer, geom.Rect{})
		return
	}
	region := drawing.Region{Path: geom.Box(m.page.Grow(m.page.Long()))}
	saved := m.clip
	if len(m.clip) == 1 {
		region, m.clip = m.clip[0], m.clip[0].Clip
		region.Clip = nil
	}
	sh.background = nil // it is for patterns alone
	m.layShading(region, sh, m.m, m.fillAlpha, drawing.Filled)
	m.clip = saved
}

// layShading fills a region of the page with a shading, whose space maps onto
// the page by to.
func (m *machine) layShading(in drawing.Region, sh *shading, to geom.Affine, alpha float64, origin drawing.Origin) {
	var nodes []drawing.Node
	if sh.background != nil {
		nodes = append(nodes, &drawing.Shape{Path: in.Path, Rule: in.Rule, Paint: drawing.Solid{Colour: *sh.background, Alpha: 1}, Part: m.layer, Origin: origin})
	}
	var cuts []drawing.Region
	cut := func(p geom.Path, r geom.Rule) { cuts = []drawing.Region{{Path: p, Rule: r, Clip: cuts}} }
	if sh.box != nil {
		cut(geom.Box(*sh.box).Transform(to), geom.NonZero)
	}
	switch {
	case sh.ramp != nil:
		ok := sh.ends(in.Path.Bounds(), to, cut)
		if c, _, plated := sh.ramp.Plates(); plated && ok {
			m.findings.Add(finding.InksMixed, finding.Note, "a gradient runs in the "+plural(c.Plates())+": PDF and EPS keep it there, and all else has the builds that the file gives for it", m.layer, geom.Rect{})
		} else if plated {
			m.findings.Add(finding.InksMixed, finding.Warn, "a gradient in the "+plural(c.Plates())+" ends in a cone, which is drawn as pixels: they do not keep the plates, and it was taken as it is shown on a screen", m.layer, geom.Rect{})
		}
		if !ok {
			sh.draw = drawRamp(sh)
			break
		}
		g := *sh.ramp
		g.To = to
		nodes = append(nodes, &drawing.Shape{Path: in.Path, Rule: in.Rule, Paint: &g, Part: m.layer, Origin: origin})
	}
	if sh.draw != nil {
		p, err := m.drawField(in.Path.Bounds(), sh, to)
		if err != nil {
			m.findings.Add(finding.Unsupported, finding.Stop, err.Error(), m.layer, geom.Rect{})
			return
		}
		if p == nil {
			return
		}
		cut(in.Path, in.Rule)
		nodes = append(nodes, p)
	}
	if len(nodes) == 1 && cuts == nil {
		if s, ok := nodes[0].(*drawing.Shape); ok {
			if g, ok := s.Paint.(*drawing.Gradient); ok && alpha < 1 {
				for i := range g.Stops {
					g.Stops[i].Alpha *= alpha
				}
			}
			m.emit(s)
			return
		}
	}
	// What lies behind the field is not cut by its ends.
	if n := len(nodes); cuts != nil {
		nodes[n-1] = &drawing.Group{Nodes: []drawing.Node{nodes[n-1]}, Alpha: 1, Clip: cuts, Part: m.layer}
	}
	if len(nodes) == 1 {
		g := nodes[0].(*drawing.Group)
		g.Alpha = alpha
		m.emit(g)
		return
	}
	m.emit(&drawing.Group{Nodes: nodes, Alpha: alpha, Part: m.layer})
}

// ends cuts away what a ramp that does not go on past its ends leaves bare; ok
// is false where that is no simple shape.
func (sh *shading) ends(bounds geom.Rect, to geom.Affine, cut func(geom.Path, geom.Rule)) (ok bool) {
	if sh.extend == [2]bool{true, true} {
		return true
	}
	g := sh.ramp
	back, ok := to.Inverse()
	if !ok {
		return false
	}
	far := 0.0
	for _, c := range bounds.Corners() {
		far = max(far, back.Apply(c).Sub(g.P0).Len())
	}
	d := g.P1.Sub(g.P0)
	if !g.Radial {
		if d.Len() == 0 {
			return false
		}
		along, across := d.Unit(), d.Unit().Turn().Mul(2*far+1)
		a, b := g.P0, g.P1
		if sh.extend[0] {
			a = a.Sub(along.Mul(2*far + 1))
		}
		if sh.extend[1] {
			b = b.Add(along.Mul(2*far + d.Len() + 1))
		}
		var p geom.Path
		p.MoveTo(a.Add(across))
		p.LineTo(b.Add(across))
		p.LineTo(b.Sub(across))
		p.LineTo(a.Sub(across))
		p.Close()
		cut(p.Transform(to), geom.NonZero)
		return true
	}
	circle := func(c geom.Point, r float64) geom.Path { return geom.Ellipse(c, r, r).Transform(to) }
	switch {
	case d.Len()+g.R0 <= g.R1*(1+1e-9): // the first circle within the second
		if !sh.extend[1] {
			cut(circle(g.P1, g.R1), geom.NonZero)
		}
		if !sh.extend[0] && g.R0 > 0 {
			hole := geom.Box(bounds.Grow(bounds.Long()))
			cut(append(hole, circle(g.P0, g.R0)...), geom.EvenOdd)
		}
		return true
	case d.Len()+g.R1 <= g.R0*(1+1e-9):
		if !sh.extend[0] {
			cut(circle(g.P0, g.R0), geom.NonZero)
		}
		if !sh.extend[1] && g.R1 > 0 {
			hole := geom.Box(bounds.Grow(bounds.Long()))
			cut(append(hole, circle(g.P1, g.R1)...), geom.EvenOdd)
		}
		return true
	}
	return false
}
