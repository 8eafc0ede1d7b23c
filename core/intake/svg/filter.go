package svg

import (
	"math"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// filtersOf reads the filters of an element, each of which works on what the one before
// makes (SVG 1.1 chapter 15; Filter Effects 1, section 5), for what is drawn of it. some
// is true if there are any at all; none with some means that the element is not drawn.
func (r *reader) filtersOf(e *element, s state, ns []drawing.Node) (fs []*drawing.Filter, some bool) {
	v := s.style.get("filter", "none")
	if v == "none" {
		return nil, false
	}
	var functions []string
	flush := func() bool { // functions in a row are one filter
		if len(functions) == 0 {
			return true
		}
		var art geom.Rect
		for _, n := range ns {
			art = art.Union(drawing.Bounds(n))
		}
		for _, f := range fs {
			art = art.Union(f.To.Rect(f.Region))
		}
		back, flat := s.m.Inverse()
		f, ok := r.filterFunctions(strings.Join(functions, " "), s, back.Rect(art))
		functions = nil
		if ok = ok && flat; ok {
			fs = append(fs, f)
		}
		return ok
	}
	for _, w := range words(v) {
		if !strings.HasPrefix(w, "url(") {
			functions = append(functions, w)
			continue
		}
		ok := flush()
		id, local := urlRef(w)
		if !ok || !local {
			r.unread("filter: "+v, e, s)
			return nil, false
		}
		f := r.filterElement(id, e, s)
		if f == nil {
			return nil, true // a reference to nothing hides the element (section 15.3)
		}
		fs = append(fs, f)
	}
	if !flush() {
		r.unread("filter: "+v, e, s)
		return nil, false
	}
	return fs, true
}

// filterElement reads a filter element; nil if it gives nothing.
func (r *reader) filterElement(id string, e *element, s state) *drawing.Filter {
	t := r.doc.byID[id]
	if t == nil || t.name != "filter" {
		return nil
	}
	chain := r.chain(t, s)
	attr := func(name string) string { return first(chain, name) }
	box := r.bbox(e, s)
	l := s.len
	relative := attr("filterUnits") != "userSpaceOnUse"
	region := r.unitRect(attr, box, l, relative, "-10%", "-10%", "120%", "120%")
	if region.Empty() {
		return nil
	}
	f := &drawing.Filter{Region: region, To: s.m}
	fr := &filterReader{r: r, e: e, out: f, s: s, box: box, to: s.m, region: region, names: map[string]int{}}
	fr.relative = attr("primitiveUnits") == "objectBoundingBox"
	for _, c := range chain {
		c.elements(func(p *element) {
			if strings.HasPrefix(p.name, "fe") {
				fr.step(f, p)
			}
		})
		if len(f.Steps) > 0 {
			break
		}
	}
	if len(f.Steps) == 0 {
		return nil
	}
	return f
}

// chain is an element and those it refers to for what it leaves open.
func (r *reader) chain(e *element, s state) []*element {
	out := []*element{e}
	for t := e; len(out) < 32 && t.attrs["href"] != ""; {
		if t = r.target(t, s); t == nil {
			break
		}
		out = append(out, t)
	}
	return out
}

func first(chain []*element, name string) string {
	for _, c := range chain {
		if v, ok := c.attrs[name]; ok {
			return v
		}
	}
	return ""
}

// unitRect reads x, y, width and height, in user space or as parts of a box.
func (r *reader) unitRect(attr func(string) string, box geom.Rect, l lengths, relative bool, dx, dy, dw, dh string) geom.Rect {
	get := func(name, def string, of, from float64) float64 {
		ref := of
		if relative {
			ref = 1
		}
		v, ok := l.length(attr(name), ref)
		if !ok {
			v, _ = l.length(def, ref)
		}
		if relative {
			return from + v*of
		}
		return v
	}
	w, h := l.w, l.h
	if relative {
		w, h = box.W(), box.H()
	}
	x0, y0 := 0.0, 0.0
	if relative {
		x0, y0 = box.X0, box.Y0
	}
	x, y := get("x", dx, w, x0), get("y", dy, h, y0)
	return geom.Rect{X0: x, Y0: y, X1: x + get("width", dw, w, 0), Y1: y + get("height", dh, h, 0)}
}

// A filterReader reads the primitives of one filter.
type filterReader struct {
	r        *reader
	e        *element // that is filtered
	out      *drawing.Filter
	s        state
	box      geom.Rect
	to       geom.Affine
	region   geom.Rect
	relative bool
	names    map[string]int
	regions  []geom.Rect
}

// input finds what an in attribute names.
func (f *filterReader) input(name string, last int) int {
	switch name {
	case "":
		if last < 0 {
			return drawing.SourceGraphic
		}
		return last
	case "SourceGraphic":
		return drawing.SourceGraphic
	case "SourceAlpha":
		return drawing.SourceAlpha
	case "FillPaint", "StrokePaint":
		return f.plain(strings.ToLower(strings.TrimSuffix(name, "Paint")))
	case "BackgroundImage", "BackgroundAlpha":
		return f.background(name == "BackgroundAlpha")
	}
	if i, ok := f.names[name]; ok {
		return i
	}
	if last < 0 {
		return drawing.SourceGraphic
	}
	return last
}

// plain is the paint of the element spread over the filter region.
func (f *filterReader) plain(prop string) int {
	if i, ok := f.names["\x00"+prop]; ok {
		return i
	}
	region := drawing.Region{Path: geom.Box(f.region).Transform(f.to)}
	var nodes []drawing.Node
	if n := f.r.painted(f.e, f.s, prop, region, f.box, drawing.Filled); n != nil {
		nodes = append(nodes, n)
	}
	f.names["\x00"+prop] = f.put(drawing.FilterImage{Nodes: nodes}, drawing.Nothing)
	return f.names["\x00"+prop]
}

// put appends a step that the file does not name.
func (f *filterReader) put(op drawing.Op, in int) int {
	f.out.Steps = append(f.out.Steps, drawing.Step{Op: op, In: in, In2: in, Region: f.region})
	f.regions = append(f.regions, f.region)
	return len(f.out.Steps) - 1
}

// background is what lies below the element within the nearest one with
// enable-background (SVG 1.1 section 15.6), or its opacity.
func (f *filterReader) background(alpha bool) int {
	var behind []drawing.Node
	for _, level := range f.s.behind {
		behind = append(behind, *level...)
	}
	if len(behind) == 0 {
		return drawing.Nothing
	}
	at := f.put(drawing.FilterImage{Nodes: behind}, drawing.Nothing)
	if alpha {
		at = f.put(drawing.ColourMatrix{M: [20]float64{18: 1}}, at)
	}
	return at
}

// step reads one primitive and appends it.
func (f *filterReader) step(out *drawing.Filter, e *element) {
	st := f.r.styleOf(e)
	last := len(out.Steps) - 1
	s := drawing.Step{In: f.input(e.attrs["in"], last), Linear: st.get("color-interpolation-filters", "linearrgb") != "srgb"}
	s.In2 = f.input(e.attrs["in2"], last)
	// Lengths may be parts of the box of the element.
	kx, ky := 1.0, 1.0
	if f.relative {
		kx, ky = f.box.W(), f.box.H()
	}
	pair := func(name string, dx float64) (float64, float64) {
		v := numbers(e.attrs[name])
		switch len(v) {
		case 0:
			return dx * kx, dx * ky
		case 1:
			return v[0] * kx, v[0] * ky
		}
		return v[0] * kx, v[1] * ky
	}
	num := func(name string, def float64) float64 { return one(e.attrs[name], def) }
	s.Region = f.subregion(e, s)
	paint := func(prop string) (colour.RGB, float64) {
		def := "black"
		if prop == "lighting-color" {
			def = "white"
		}
		c, a, ok := f.r.colour(st.get(prop, def), st)
		if !ok {
			f.r.cannot("the colour "+st[prop], e, f.s)
		}
		return c.RGB, a
	}
	switch e.name {
	case "feGaussianBlur":
		x, y := pair("stdDeviation", 0)
		s.Op = drawing.GaussianBlur{X: x, Y: y}
	case "feOffset":
		s.Op = drawing.Offset{X: num("dx", 0) * kx, Y: num("dy", 0) * ky}
	case "feFlood":
		c, a := paint("flood-color")
		s.Op = drawing.Flood{Colour: c, Alpha: a * opacity(st["flood-opacity"])}
	case "feBlend":
		m, ok := blends[orElse(e.attrs["mode"], "normal")]
		if !ok {
			m = drawing.Normal
		}
		s.Op = drawing.Blend{Mode: m}
	case "feComposite":
		s.Op = drawing.Composite{Operator: orElse(e.attrs["operator"], "over"), K: [4]float64{num("k1", 0), num("k2", 0), num("k3", 0), num("k4", 0)}}
	case "feMerge":
		var m drawing.Merge
		e.elements(func(n *element) {
			if n.name == "feMergeNode" {
				m.In = append(m.In, f.input(n.attrs["in"], last))
			}
		})
		s.Op = m
	case "feColorMatrix":
		s.Op = matrixOp(e)
	case "feComponentTransfer":
		var t drawing.ComponentTransfer
		for i := range t.T {
			t.T[i] = func(v float64) float64 { return v }
		}
		e.elements(func(n *element) {
			if i := strings.Index("RGBA", strings.TrimPrefix(n.name, "feFunc")); i >= 0 && len(n.name) == 7 {
				t.T[i] = transferFunc(n)
			}
		})
		s.Op = t
	case "feConvolveMatrix":
		c, ok := convolveOp(e)
		if !ok {
			// Section 15.13: values in error turn the primitive off.
			s.Op = drawing.Flood{}
			break
		}
		s.Op = c
	case "feMorphology":
		x, y := pair("radius", 0)
		s.Op = drawing.Morphology{Dilate: e.attrs["operator"] == "dilate", X: max(0, x), Y: max(0, y)}
		if x < 0 || y < 0 {
			s.Op = drawing.Flood{}
		}
	case "feTile":
		from := f.region
		if s.In >= 0 && s.In < len(f.regions) {
			from = f.regions[s.In]
		}
		s.Op = drawing.Tile{From: from}
	case "feImage":
		s.Op = drawing.FilterImage{Nodes: f.image(e, s.Region)}
	case "feDisplacementMap":
		ch := func(name string) int { return max(0, strings.Index("RGBA", orElse(e.attrs[name], "A"))) }
		s.Op = drawing.DisplacementMap{Scale: num("scale", 0) * (kx + ky) / 2, X: ch("xChannelSelector"), Y: ch("yChannelSelector")}
	case "feTurbulence":
		v := numbers(e.attrs["baseFrequency"])
		n := drawing.Turbulence{Octaves: int(min(12, max(0, num("numOctaves", 1)))), Seed: num("seed", 0), Fractal: e.attrs["type"] == "fractalNoise", Stitch: e.attrs["stitchTiles"] == "stitch"}
		if len(v) > 0 {
			n.FX, n.FY = max(0, v[0]), max(0, v[len(v)-1])
		}
		s.Op = n
	case "feDiffuseLighting", "feSpecularLighting":
		l := drawing.Lighting{Specular: e.name == "feSpecularLighting", Scale: num("surfaceScale", 1), Exponent: num("specularExponent", 1)}
		l.K = num("diffuseConstant", 1)
		if l.Specular {
			l.K = num("specularConstant", 1)
		}
		l.Colour, _ = paint("lighting-color")
		f.source(e, &l)
		if l.Kind == "" {
			s.Op = drawing.Flood{}
			break
		}
		s.Op = l
	case "feDropShadow":
		f.shadow(out, e, s, st, pair)
		return
	default:
		f.r.cannot("the filter primitive "+e.name, e, f.s)
		return
	}
	f.push(out, e, s)
}

func (f *filterReader) push(out *drawing.Filter, e *element, s drawing.Step) {
	out.Steps = append(out.Steps, s)
	f.regions = append(f.regions, s.Region)
	if n := e.attrs["result"]; n != "" {
		f.names[n] = len(out.Steps) - 1
	}
}

// shadow writes feDropShadow as the steps that Filter Effects says it stands
// for.
func (f *filterReader) shadow(out *drawing.Filter, e *element, s drawing.Step, st style, pair func(string, float64) (float64, float64)) {
	x, y := pair("stdDeviation", 2)
	c, a, _ := f.r.colour(st.get("flood-color", "black"), st)
	base := s.In
	step := func(op drawing.Op, in, in2 int) int {
		out.Steps = append(out.Steps, drawing.Step{Op: op, In: in, In2: in2, Region: s.Region, Linear: s.Linear})
		f.regions = append(f.regions, s.Region)
		return len(out.Steps) - 1
	}
	alpha := step(drawing.ColourMatrix{M: [20]float64{18: 1}}, base, base)
	blurred := step(drawing.GaussianBlur{X: x, Y: y}, alpha, alpha)
	moved := step(drawing.Offset{X: one(e.attrs["dx"], 2), Y: one(e.attrs["dy"], 2)}, blurred, blurred)
	flood := step(drawing.Flood{Colour: c.RGB, Alpha: a * opacity(st["flood-opacity"])}, base, base)
	tinted := step(drawing.Composite{Operator: "in"}, flood, moved)
	last := step(drawing.Merge{In: []int{tinted, base}}, base, base)
	if n := e.attrs["result"]; n != "" {
		f.names[n] = last
	}
}

// subregion is the area of a primitive: its own, or that of what it works on.
func (f *filterReader) subregion(e *element, s drawing.Step) geom.Rect {
	def := f.region
	has := func(n string) bool { _, ok := e.attrs[n]; return ok }
	l := f.s.len
	attr := func(n string) string { return e.attrs[n] }
	given := f.r.unitRect(attr, f.box, l, f.relative, "0", "0", "0", "0")
	if !has("x") && !has("y") && !has("width") && !has("height") {
		switch {
		case e.name == "feTile" || e.name == "feFlood" || e.name == "feImage" || e.name == "feTurbulence":
		case s.In >= 0 && s.In < len(f.regions):
			def = f.regions[s.In]
			if s.In2 >= 0 && s.In2 < len(f.regions) && (e.name == "feBlend" || e.name == "feComposite" || e.name == "feDisplacementMap") {
				def = def.Union(f.regions[s.In2])
			}
			if e.name == "feMerge" || s.In2 < 0 && (e.name == "feBlend" || e.name == "feComposite" || e.name == "feDisplacementMap") {
				def = f.region
			}
		}
		return def
	}
	out := def
	if has("x") {
		out.X0 = given.X0
	}
	if has("y") {
		out.Y0 = given.Y0
	}
	out.X1, out.Y1 = def.X1, def.Y1
	if has("width") {
		out.X1 = out.X0 + given.W()
	}
	if has("height") {
		out.Y1 = out.Y0 + given.H()
	}
	return out
}

// image draws what feImage refers to: a picture in the file, or an element.
func (f *filterReader) image(e *element, region geom.Rect) []drawing.Node {
	s := f.s
	s.m = f.to
	if t := f.r.local(e); t != nil {
		for _, u := range s.use {
			if u == t {
				return nil
			}
		}
		s.use = append(s.use[:len(s.use):len(s.use)], t)
		s.style = f.r.styleOf(t.parent)
		return f.r.element(t, s)
	}
	p := &element{name: "image", parent: e, line: e.line, attrs: map[string]string{
		"href": e.attrs["href"], "preserveAspectRatio": e.attrs["preserveAspectRatio"],
		"x": ftoa(region.X0), "y": ftoa(region.Y0), "width": ftoa(region.W()), "height": ftoa(region.H()),
	}}
	s.style = style{}
	return f.r.image(p, s)
}

// source reads the light of a lighting primitive.
func (f *filterReader) source(e *element, l *drawing.Lighting) {
	e.elements(func(n *element) {
		num := func(name string, def float64) float64 { return one(n.attrs[name], def) }
		point := func(p [3]string) [3]float64 {
			v := [3]float64{num(p[0], 0), num(p[1], 0), num(p[2], 0)}
			if f.relative {
				v[0], v[1] = f.box.X0+v[0]*f.box.W(), f.box.Y0+v[1]*f.box.H()
				v[2] *= math.Hypot(f.box.W(), f.box.H()) / math.Sqrt2
			}
			return v
		}
		switch n.name {
		case "feDistantLight":
			l.Kind, l.Azimuth, l.Height = "distant", num("azimuth", 0), num("elevation", 0)
		case "fePointLight":
			l.Kind, l.At = "point", point([3]string{"x", "y", "z"})
		case "feSpotLight":
			l.Kind, l.At = "spot", point([3]string{"x", "y", "z"})
			l.Aim = point([3]string{"pointsAtX", "pointsAtY", "pointsAtZ"})
			l.Focus, l.Cone = num("specularExponent", 1), num("limitingConeAngle", 0)
		}
	})
}

var blends = map[string]drawing.BlendMode{
	"normal": drawing.Normal, "multiply": drawing.Multiply, "screen": drawing.Screen, "overlay": drawing.Overlay,
	"darken": drawing.Darken, "lighten": drawing.Lighten, "color-dodge": drawing.ColorDodge, "color-burn": drawing.ColorBurn,
	"hard-light": drawing.HardLight, "soft-light": drawing.SoftLight, "difference": drawing.Difference,
	"exclusion": drawing.Exclusion, "hue": drawing.Hue, "saturation": drawing.Saturation, "color": drawing.Color, "luminosity": drawing.Luminosity,
}
