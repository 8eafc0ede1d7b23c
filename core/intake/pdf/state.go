package pdf

import (
	"fmt"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// A paint is what fills or strokes: a colour or a pattern.
type paint struct {
	space   *space
	colour  colour.Colour
	pattern any // of the resources, if the space is Pattern
	nothing bool
}

// A state is the graphics state (section 8.4).
type state struct {
	m            geom.Affine // user space to page units
	fill, stroke paint
	width        float64
	join         geom.Join
	cap          geom.Cap
	miter        float64
	dashes       []float64
	offset       float64
	fillAlpha    float64
	strokeAlpha  float64
	blend        drawing.BlendMode
	mask         *drawing.Mask
	clip         []drawing.Region
	font         dict
	render       int // text rendering mode
	overprints   bool
}

func newState(r *reader, m geom.Affine) state {
	black := paint{space: deviceGray, colour: grey(0)}
	return state{m: m, fill: black, stroke: black, width: 1, miter: 10, fillAlpha: 1, strokeAlpha: 1}
}

// A machine runs the operators of one content stream.
type machine struct {
	*reader
	state
	res   dict
	start geom.Affine // of this stream's user space, which patterns keep to
	saved []state
	path  geom.Path // in user space as of when its points were given, on the page
	cut   bool      // W or W* is pending
	rule  geom.Rule // of it
	out   drawing.Nest
	// marks are the marked sections that are open; hidden counts those of layers
	// that do not print.
	marks  []mark
	hidden int
	// lenient counts the sections (BX to EX) that are open.
	lenient int
	// plain is the paint of a pattern without colours: operators of colour do
	// nothing.
	plain bool
}

type mark struct {
	hidden bool
	layer  string // that was drawn before
}

func newMachine(r *reader, res dict, m geom.Affine) *machine {
	return &machine{reader: r, state: newState(r, m), res: res, start: m}
}

// visible reports whether what is painted is seen.
func (m *machine) visible() bool { return m.hidden == 0 && m.err == nil }

// solid is the paint as one colour with an opacity.
func (p paint) solid(alpha float64) drawing.Solid {
	return drawing.Solid{Colour: p.colour, Alpha: alpha}
}

// fillPath paints the path by a rule.
func (m *machine) fillPath(rule geom.Rule) {
	if len(m.path) == 0 || !m.visible() || m.beyond(m.path) {
		return
	}
	m.lay(drawing.Region{Path: m.path, Rule: rule}, m.fill, m.fillAlpha, drawing.Filled)
}

// MaxReach is how many lengths of the page a shape may reach from it.
const MaxReach = 100_000

// beyond reports whether a path leads where no page is, and says so.
func (m *machine) beyond(p geom.Path) bool {
	far := MaxReach * m.page.Long()
	if p.Finite() {
		if b := p.Bounds(); max(-b.X0, -b.Y0, b.X1, b.Y1) < far {
			return false
		}
	}
	m.findings.Add(finding.Unsupported, finding.Stop, fmt.Sprintf("a shape reaches more than %d lengths of the page from it", MaxReach), m.layer, geom.Rect{})
	return true
}

// hair is how thick lines of no width are taken: a quarter of a point, the
// thinnest that presses hold (common practice).
const hair = 0.25 * point

// strokePath paints the outline of the path's stroke.
func (m *machine) strokePath() {
	if len(m.path) == 0 || !m.visible() || m.beyond(m.path) {
		return
	}
	back, ok := m.m.Inverse()
	scale := m.m.Mean()
	if !ok || scale == 0 {
		return
	}
	pen := geom.Pen{Width: m.width, Join: m.join, Cap: m.cap, Miter: m.miter, Dashes: m.dashes, Offset: m.offset}
	if pen.Width*scale < 1e-3 {
		pen.Width = hair / scale
		m.thin()
	}
	line := m.path.Transform(back)
	if n := line.Dashes(pen.Dashes); n > geom.MaxDashes {
		m.findings.Add(finding.Unsupported, finding.Stop, fmt.Sprintf("a line has %.0f dashes; at most %d can be drawn", n, geom.MaxDashes), m.layer, geom.Rect{})
		return
	}
	o := line.Stroke(pen, m.tol/scale).Transform(m.m)
	if len(o) == 0 || m.beyond(o) {
		return
	}
	if m.segments += len(o); m.segments > MaxSegments {
		m.fail("the page has more than %d path segments when its strokes are outlined", MaxSegments)
		return
	}
	m.lay(drawing.Region{Path: o}, m.stroke, m.strokeAlpha, drawing.Stroked)
}

// lay puts paint into a region of the page.
func (m *machine) lay(in drawing.Region, p paint, alpha float64, origin drawing.Origin) {
	if p.nothing || alpha == 0 && m.mask == nil {
		return
	}
	if p.space.pattern {
		m.layPattern(in, p, alpha, origin)
		return
	}
	m.overprinted(p)
	m.emit(&drawing.Shape{Path: in.Path, Rule: in.Rule, Paint: p.solid(alpha), Part: m.layer, Origin: origin})
}

// emit puts a node out under the state's mask, blend and clip.
func (m *machine) emit(n drawing.Node) {
	if m.nodes++; m.nodes > MaxNodes {
		m.fail("the page has more than %d painted things", MaxNodes)
		return
	}
	if m.mask != nil || m.blend != drawing.Normal {
		if g, ok := n.(*drawing.Group); ok && g.Mask == nil && g.Blend == drawing.Normal && g.Clip == nil {
			g.Mask, g.Blend = m.mask, m.blend
		} else {
			n = &drawing.Group{Nodes: []drawing.Node{n}, Alpha: 1, Mask: m.mask, Blend: m.blend, Part: m.layer}
		}
	}
	m.out.Add(n, m.cutting(drawing.Bounds(n)), m.layer)
}

// cutting returns the clip without the boxes that hold all of what is painted:
// writers clip to the page wherever they go.
func (m *machine) cutting(b geom.Rect) []drawing.Region {
	clip := m.clip
	for len(clip) == 1 {
		box, ok := asBox(clip[0].Path)
		if !ok || !box.Contains(b, 1e-6*max(1, m.page.Long())) {
			return clip
		}
		clip = clip[0].Clip
	}
	return clip
}

// asBox tells whether a path is an upright box.
func asBox(p geom.Path) (geom.Rect, bool) {
	subs := p.Subpaths()
	if len(subs) != 1 {
		return geom.Rect{}, false
	}
	var pts []geom.Point
	for _, s := range subs[0] {
		switch s.Op {
		case geom.MoveTo, geom.LineTo:
			pts = append(pts, s.End())
		case geom.Close:
		default:
			return geom.Rect{}, false
		}
	}
	if len(pts) == 5 && pts[4].Sub(pts[0]).Len() < 1e-9 {
		pts = pts[:4]
	}
	if len(pts) != 4 {
		return geom.Rect{}, false
	}
	for i := range pts {
		d := pts[(i+1)%4].Sub(pts[i])
		if math.Min(math.Abs(d.X), math.Abs(d.Y)) > 1e-9*(math.Abs(d.X)+math.Abs(d.Y)) {
			return geom.Rect{}, false
		}
	}
	return subs[0].Bounds(), true
}

// clipTo cuts all that follows to a region.
func (m *machine) clipTo(p geom.Path, rule geom.Rule) {
	// A box that holds the one around it cuts nothing more.
	if box, ok := asBox(p); ok && len(m.clip) == 1 {
		if around, ok := asBox(m.clip[0].Path); ok && box.Contains(around, 1e-9) {
			return
		}
	}
	m.clip = []drawing.Region{{Path: p, Rule: rule, Clip: m.clip}}
}
