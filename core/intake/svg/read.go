// Package svg reads SVG into a drawing.
//
// Everything that belongs to SVG alone ends here: style sheets, references,
// units, strokes, text. What the reader cannot draw right it says as a
// finding that stops the work; it never leaves a difference unsaid. No
// reference out of the file is ever followed.
package svg

import (
	"context"
	"errors"
	"fmt"
	"image"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/picture"
)

// Limits on what a master may ask of the reader. Each has its own error.
const (
	MaxBytes    = 50 << 20 // of the file, unpacked
	MaxElements = 200_000
	MaxDepth    = 200     // of elements and of references
	MaxNodes    = 500_000 // drawn, after references are followed
	MaxSegments = 1_000_000
	MaxLetters  = 50_000     // of live text
	MaxRules    = 20_000     // of style sheets, a selector each
	MaxEntities = 1 << 20    // bytes that the entities of a file may grow to
	MaxStops    = 2000       // of one gradient
	MaxRegions  = 20_000     // of clip paths, after references are followed
	MaxVisits   = 3_000_000  // of elements, each measuring of a group counted
	MaxPixels   = 60_000_000 // of the pictures inside, together
	MaxReach    = 100_000    // lengths of the page that a shape may reach
	maxEmbedded = 4          // drawings within drawings
)

// Options tells the reader what it may use.
type Options struct {
	Fonts *fonts.Set // nil for the shipped families
	// StandIn is a family in which text is set whose own font is missing. It
	// is for looking only: the finding that stops the work stays.
	StandIn string
}

// Read reads an SVG or gzipped SVG. The findings say what was met on the way;
// the error is for files that cannot be read at all.
func Read(ctx context.Context, data []byte, opt Options) (*drawing.Drawing, finding.List, error) {
	d, _, fs, err := ReadViews(ctx, data, opt)
	return d, fs, err
}

// ReadViews is Read, with the boxes of the page that the file names as views of it (SVG 2, section
// 16.6), in page units and in their order.
func ReadViews(ctx context.Context, data []byte, opt Options) (*drawing.Drawing, []geom.Rect, finding.List, error) {
	r, d, err := readWithin(ctx, data, opt, nil)
	if r == nil {
		return nil, nil, nil, err
	}
	return d, r.views, r.findings, err
}

// readWithin reads a drawing that stands in another, which counts what it asks
// for as its own; around is nil for a master. The reader has the findings; it is nil if nothing
// could be read.
func readWithin(ctx context.Context, data []byte, opt Options, around *reader) (*reader, *drawing.Drawing, error) {
	data, err := decode(data)
	if err != nil {
		return nil, nil, err
	}
	doc, err := parseXML(ctx, data)
	if err != nil {
		return nil, nil, err
	}
	if opt.Fonts == nil {
		opt.Fonts = fonts.Shipped()
	}
	r := &reader{ctx: ctx, doc: doc, fonts: opt.Fonts, standIn: opt.StandIn, spent: &spent{pictures: map[string]*image.NRGBA{}}}
	if a := around; a != nil {
		r.within, r.spent, r.nodes, r.segments, r.chars = a.within+1, a.spent, a.nodes, a.segments, a.chars
		defer func() { a.nodes, a.segments, a.chars = r.nodes, r.segments, r.chars }()
	}
	r.sheet.page = doc.page()
	for _, s := range doc.sheets {
		r.sheet.add(s)
		if len(r.sheet.rules) > MaxRules {
			return nil, nil, fmt.Errorf("the style sheets have more than %d rules", MaxRules)
		}
	}
	r.embedFonts()
	for _, f := range r.sheet.failed {
		r.findings.Add(finding.CSSUnread, finding.Stop, fmt.Sprintf("the style sheet has %q, which is not read here, and browsers may draw what it styles in another way. Write it otherwise, or take it out", f), "", geom.Rect{})
	}
	if r.sheet.asks {
		r.findings.Add(finding.Unsafe, finding.Warn, "the style sheet asks for another one (@import), which was not followed: nothing outside the master is ever fetched", "", geom.Rect{})
	}
	if r.sheet.moves {
		r.findings.Add(finding.Unsupported, finding.Note, "animation was left out; the drawing is shown as it stands at rest", "", geom.Rect{})
	}
	for _, u := range doc.unsafe {
		r.findings.Add(finding.Unsafe, finding.Mended, u+" were dropped: a drawing that runs code is not handed on", "", geom.Rect{})
	}
	d := r.document()
	if r.err != nil {
		return nil, nil, r.err
	}
	if len(d.Nodes) == 0 {
		if f, stop := r.findings.Stopping(); stop {
			return r, nil, &finding.Stopped{Finding: f}
		}
		return r, nil, errors.New("the drawing is empty: nothing in it is painted")
	}
	return r, d, nil
}

// embedFonts adds the fonts that the file brings along in data: references.
func (r *reader) embedFonts() {
	for _, f := range r.sheet.faces {
		family := strings.Trim(f["font-family"], `"' `)
		data, ok := faceData(f["src"])
		if !ok {
			continue // text in it is then said to lack its font
		}
		set := r.fonts.Clone()
		if err := set.AddAs(data, family); err != nil {
			r.findings.Add(finding.MissingFont, finding.Warn, fmt.Sprintf("the font %q inside the file cannot be used: %v", family, err), "", geom.Rect{})
			continue
		}
		r.fonts = set
	}
}

// faceData finds the first data: reference in the src of a @font-face rule.
func faceData(src string) ([]byte, bool) {
	i := strings.Index(src, "url(")
	if i < 0 {
		return nil, false
	}
	v, _, ok := strings.Cut(src[i+4:], ")")
	if !ok {
		return nil, false
	}
	data, _, ok := picture.DataURI(strings.Trim(strings.TrimSpace(v), `"'`))
	return data, ok
}

type reader struct {
	ctx      context.Context
	chars    int // of live text so far
	doc      *document
	sheet    sheet
	fonts    *fonts.Set
	standIn  string
	set      []string // families in which letters were set
	within   int      // drawings around this one
	findings finding.List
	page     geom.Rect
	views    []geom.Rect        // that the file names, page units
	tol      float64            // of fitted outlines, page units
	styles   map[*element]style // of what is referred to
	bare     bool               // geometry alone is wanted: no strokes, no effects
	stroked  bool               // but strokes are
	spent    *spent
	nodes    int
	segments int
	depth    int
	err      error // a limit was passed: reading ends
}

// spent is what a master has cost so far, drawings inside it and what is only
// measured included.
type spent struct {
	visits   int                     // of elements
	regions  int                     // of clip paths
	pixels   int                     // of pictures
	pictures map[string]*image.NRGBA // those that were read, by their reference
}

// A state is what an element inherits from its surroundings.
type state struct {
	m     geom.Affine // user space to page
	style style
	len   lengths
	part  string
	use   []*element // references being followed
	// shadow is what the use that one is in has copied: its style sheet rules see nothing
	// above it.
	shadow *element
	// around is what context-fill and context-stroke ask: the use or the line with
	// markers that one is in.
	around *around
	lift   float64 // baseline shift of text so far, px upwards
	// behind is what has been drawn so far at each level from the nearest
	// element with enable-background down; nil without one.
	behind []*[]drawing.Node
	keeps  bool // an element above has enable-background
}

// fail ends the reading.
func (r *reader) fail(format string, args ...any) {
	if r.err == nil {
		r.err = fmt.Errorf(format, args...)
	}
}

// cannot notes something that would have to be drawn and is not.
func (r *reader) cannot(what string, e *element, s state) {
	r.findings.Add(finding.Unsupported, finding.Stop, what+" cannot be drawn right yet, so no file is made from this master", r.name(e, s), geom.Rect{})
}

func (r *reader) name(e *element, s state) string {
	if n := title(e); n != "" {
		return n
	}
	if s.part != "" {
		return s.part
	}
	return fmt.Sprintf("<%s> on line %d", e.name, e.line)
}

// title is the name an element gives itself.
func title(e *element) string {
	name := e.attrs["id"]
	e.elements(func(c *element) {
		if c.name == "title" {
			if t := strings.Join(strings.Fields(c.text()), " "); t != "" {
				name = t
			}
		}
	})
	return name
}

// document reads the outermost svg element: its size is the page.
func (r *reader) document() *drawing.Drawing {
	e := r.doc.root
	vb, hasBox := box(e.attrs["viewBox"])
	l := lengths{w: vb.W(), h: vb.H(), em: 16}
	if !hasBox {
		l.w, l.h = 300, 150 // CSS 2.1 section 10.3.2, for want of any size
	}
	s := state{m: geom.Identity, style: r.sheet.cascade(e, nil, nil)}
	width, height := s.rootSide(e, "width"), s.rootSide(e, "height")
	hasW, hasH := width != "", height != ""
	side := func(v string, of float64) float64 {
		if n, ok := l.length(v, of); ok {
			return n
		}
		return of
	}
	w, h := side(width, l.w), side(height, l.h)
	// One side given: the other follows the proportions of the box.
	if hasBox && hasW && !hasH {
		h = w * vb.H() / vb.W()
	} else if hasBox && hasH && !hasW {
		w = h * vb.W() / vb.H()
	}
	if !(w > 0 && h > 0) {
		r.fail("the page has no size: width and height must be above 0")
		return nil
	}
	r.page = geom.Rect{X1: w, Y1: h}
	r.tol = max(w, h) / 25_000
	s.len = lengths{w: w, h: h, em: 16, vw: w, vh: h}
	s = inherit(s)
	s.len.rem = s.len.em
	r.heed(e, s)
	if m, ok := r.placed(e, s); ok {
		s.m = m
	}
	if hasBox {
		s.m = s.m.Mul(viewBox(vb, w, h, e.attrs["preserveAspectRatio"]))
		s.len.w, s.len.h = vb.W(), vb.H()
	}
	d := &drawing.Drawing{Page: r.page}
	e.elements(func(c *element) {
		if c.name == "title" && d.Title == "" {
			d.Title = strings.Join(strings.Fields(c.text()), " ")
		}
	})
	r.addViews(e, s.m)
	d.Nodes = r.wrap(e, s, r.children(e, s))
	d.Set = r.set
	if !hasBox && !hasW && !hasH {
		d.Page = d.Bounds()
	}
	return d
}

// addViews gathers the views of the outermost svg; m takes its user space to the page.
func (r *reader) addViews(e *element, m geom.Affine) {
	e.elements(func(c *element) {
		switch vb, ok := box(c.attrs["viewBox"]); {
		case c.name == "view" && ok:
			r.views = append(r.views, m.Rect(vb))
		case c.name != "svg":
			r.addViews(c, m)
		}
	})
}

// rootSide is the width or height of the outermost svg, if it has one of its own: the
// attribute, unless a style sheet gives a length. What style sheets say in parts of a
// window, which a page has not, scales the drawing there and nothing in it.
func (s state) rootSide(e *element, name string) string {
	if v, ok := s.style[name]; ok {
		p := scanner{v}
		if _, ok := p.number(); ok && units[strings.ToLower(p.s)] > 0 && p.s != "" {
			return v
		}
	}
	return e.attrs[name]
}

// inherit completes a state whose style is set: the font size is needed by
// every relative length.
func inherit(s state) state {
	if v, ok := s.style["font-size"]; ok {
		up := s.len.em
		if px, ok := s.len.length(v, up); ok {
			s.len.em = px
		} else if px, ok := fontSizes[v]; ok {
			s.len.em = px
		}
		// Children inherit the computed size, not the words for it.
		s.style["font-size"] = fmt.Sprint(s.len.em)
	}
	return s
}

var fontSizes = map[string]float64{
	"xx-small": 9, "x-small": 10, "small": 13, "medium": 16, "large": 18, "x-large": 24, "xx-large": 32,
}

func (r *reader) children(e *element, s state) []drawing.Node {
	var out []drawing.Node
	if strings.HasPrefix(s.style["enable-background"], "new") {
		s.keeps, s.behind = true, nil
	}
	if s.keeps {
		s.behind = append(s.behind[:len(s.behind):len(s.behind)], &out)
	}
	e.elements(func(c *element) { out = append(out, r.element(c, s)...) })
	return out
}

// element draws one element below the state s of its parent.
func (r *reader) element(e *element, s state) []drawing.Node {
	if r.err != nil {
		return nil
	}
	if r.nodes++; r.nodes > MaxNodes {
		r.fail("the drawing has more than %d elements when its references are followed", MaxNodes)
		return nil
	}
	if r.spent.visits++; r.spent.visits > MaxVisits {
		r.fail("following the references of the drawing takes more than %d steps", MaxVisits)
		return nil
	}
	if r.nodes%256 == 0 && r.ctx.Err() != nil {
		r.err = r.ctx.Err()
		return nil
	}
	r.depth++
	defer func() { r.depth-- }()
	if r.depth > MaxDepth {
		r.fail("references are nested more than %d deep", MaxDepth)
		return nil
	}
	switch e.name {
	case "defs", "symbol", "clipPath", "linearGradient", "radialGradient", "title", "desc", "metadata",
		"style", "mask", "filter", "pattern", "marker", "solidColor", "cursor", "view":
		return nil
	case "script":
		r.findings.Add(finding.Unsafe, finding.Mended, "scripts were dropped: a drawing that runs code is not handed on", "", geom.Rect{})
		return nil
	case "animate", "animateTransform", "animateMotion", "animateColor", "set":
		r.findings.Add(finding.Unsupported, finding.Note, "animation was left out; the drawing is shown as it stands at rest", s.part, geom.Rect{})
		return nil
	}
	s.style = r.sheet.cascade(e, s.shadow, s.style)
	s = inherit(s)
	if s.style["display"] == "none" {
		r.findings.Add(finding.Hidden, finding.Note, "hidden art is left out", r.name(e, s), geom.Rect{})
		return nil
	}
	r.heed(e, s)
	m, ok := r.placed(e, s)
	if !ok {
		return nil
	}
	s.m = s.m.Mul(m)
	if e.name == "use" { // x and y move all that the element has, its clip and mask included (SVG 2, section 5.6)
		s.m = s.m.Mul(geom.Translate(s.at(e, "x", s.len.w, 0), s.at(e, "y", s.len.h, 0)))
	}
	if n := title(e); n != "" && (e.name == "g" || e.name == "text" || e.name == "use" || e.name == "svg" || s.part == "") {
		s.part = n
	}
	var out []drawing.Node
	switch e.name {
	case "g", "a":
		out = r.children(e, s)
	case "switch":
		out = r.firstOf(e, s)
	case "svg":
		out = r.viewport(e, s, s.geo(e, "width"), s.geo(e, "height"))
	case "use":
		out = r.useElement(e, s)
	case "path", "rect", "circle", "ellipse", "line", "polyline", "polygon":
		out = r.shape(e, s)
	case "text":
		out = r.textElement(e, s)
	case "image":
		out = r.image(e, s)
	case "foreignObject":
		r.cannot("embedded web content", e, s)
	default:
		r.findings.Add(finding.Unsupported, finding.Warn, fmt.Sprintf("<%s> is not known here and was left out", e.name), r.name(e, s), geom.Rect{})
	}
	return r.wrap(e, s, out)
}

// wrap applies what acts on an element as a whole.
func (r *reader) wrap(e *element, s state, ns []drawing.Node) []drawing.Node {
	if len(ns) == 0 && s.style.get("filter", "none") == "none" {
		return nil
	}
	if r.bare {
		return ns
	}
	mode, known := blends[s.style.get("mix-blend-mode", "normal")]
	if !known {
		r.cannot("the blend mode "+s.style["mix-blend-mode"], e, s)
	}
	alpha := opacity(s.style["opacity"])
	clip, clipped := r.clipOf(e, s)
	mask := r.maskOf(e, s)
	filters, filtered := r.filtersOf(e, s, ns)
	if filtered && len(filters) == 0 {
		r.findings.Add(finding.Hidden, finding.Note, "art whose filter gives nothing is left out", r.name(e, s), geom.Rect{})
		return nil
	}
	// What is clipped is isolated, too: clip-path makes a stacking context (CSS
	// Masking Level 1).
	isolated := s.style["isolation"] == "isolate" || clipped && drawing.Blending(ns)
	plain := !clipped && mask == nil && !filtered && mode == drawing.Normal && !isolated
	if alpha == 1 && plain {
		return ns
	}
	if alpha == 0 {
		r.findings.Add(finding.Hidden, finding.Note, "wholly transparent art is left out", r.name(e, s), geom.Rect{})
		return nil
	}
	if len(ns) == 1 && plain {
		if sh, ok := ns[0].(*drawing.Shape); ok {
			sh.Paint = fade(sh.Paint, alpha)
			return ns
		}
	}
	var filter *drawing.Filter
	for i, f := range filters {
		if filter = f; i < len(filters)-1 {
			ns = []drawing.Node{&drawing.Group{Nodes: ns, Alpha: 1, Filter: f, Part: s.part}}
		}
	}
	return []drawing.Node{&drawing.Group{
		Nodes: ns, Alpha: alpha, Clip: clip, Mask: mask, Filter: filter, Blend: mode, Isolated: isolated, Part: s.part,
	}}
}

// opacity reads an opacity value; what is missing or wrong is 1.
func opacity(v string) float64 {
	a, ok := ratio(v)
	if !ok {
		return 1
	}
	return min(1, max(0, a))
}

// fade returns the paint with its opacity multiplied.
func fade(p drawing.Paint, a float64) drawing.Paint {
	switch p := p.(type) {
	case drawing.Solid:
		p.Alpha *= a
		return p
	case *drawing.Gradient:
		g := *p
		g.Stops = append([]drawing.Stop(nil), p.Stops...)
		for i := range g.Stops {
			g.Stops[i].Alpha *= a
		}
		return &g
	}
	return p
}
