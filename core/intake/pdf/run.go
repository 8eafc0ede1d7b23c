package pdf

import (
	"bytes"
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// maxSaved bounds saved states within one another; maxOperands what stands
// before an operator.
const (
	maxSaved    = 500
	maxOperands = 5000
)

// run interprets content (section 7.8.2).
func (m *machine) run(data []byte) {
	l := &lexer{b: data}
	var args []any
	for m.err == nil && m.file.err == nil {
		o, err := l.next()
		if err != nil {
			if err != errEnd {
				m.fail("the contents of the page are damaged: %v", err)
			}
			return
		}
		w, ok := o.(word)
		if !ok {
			if len(args) < maxOperands {
				args = append(args, o)
			}
			continue
		}
		if m.operated++; m.operated > MaxOperators {
			m.fail("drawing the page takes more than %d steps", MaxOperators)
			return
		}
		if m.operated%1024 == 0 && m.ctx.Err() != nil {
			m.err = m.ctx.Err()
			return
		}
		if w == "BI" {
			m.inline(l)
		} else {
			m.operate(string(w), args)
		}
		args = args[:0]
	}
}

// nums returns the last n operands as numbers.
func nums(args []any, n int) ([]float64, bool) {
	if len(args) < n {
		return nil, false
	}
	out := make([]float64, n)
	for i, a := range args[len(args)-n:] {
		v, ok := a.(float64)
		if !ok {
			return nil, false
		}
		out[i] = v
	}
	return out, true
}

func (m *machine) operate(op string, args []any) {
	known, ok := pageOperators[op]
	if !ok {
		m.unknownOperator(op)
		return
	}
	var v []float64
	if known.nums > 0 {
		if v, ok = nums(args, known.nums); !ok {
			m.lacks(fmt.Sprintf("an operator of the page (%s) is without its numbers", op))
			return
		}
	}
	at := func(i int) geom.Point { return m.m.Apply(geom.Pt(v[i], v[i+1])) }
	switch op {
	case "m":
		m.path.MoveTo(at(0))
	case "l":
		m.from(at(0))
		m.path.LineTo(at(0))
	case "c":
		m.from(at(0))
		m.path.CubeTo(at(0), at(2), at(4))
	case "v":
		m.from(at(0))
		m.path.CubeTo(m.path.Last(), at(0), at(2))
	case "y":
		m.from(at(0))
		m.path.CubeTo(at(0), at(2), at(2))
	case "h":
		if len(m.path) > 0 {
			m.path.Close()
		}
	case "re":
		m.path = append(m.path, box(v[0], v[1], v[2], v[3]).Transform(m.m)...)
	case "S":
		m.strokePath()
		m.endPath()
	case "s":
		m.close()
		m.strokePath()
		m.endPath()
	case "f", "F":
		m.fillPath(geom.NonZero)
		m.endPath()
	case "f*":
		m.fillPath(geom.EvenOdd)
		m.endPath()
	case "B", "B*", "b", "b*":
		if op[0] == 'b' {
			m.close()
		}
		rule := geom.NonZero
		if len(op) == 2 {
			rule = geom.EvenOdd
		}
		m.fillAndStroke(rule)
		m.endPath()
	case "n":
		m.endPath()
	case "W", "W*":
		m.cut, m.rule = true, geom.NonZero
		if op == "W*" {
			m.rule = geom.EvenOdd
		}
	case "q":
		if len(m.saved) >= maxSaved {
			m.fail("the page saves its state more than %d deep", maxSaved)
			return
		}
		m.saved = append(m.saved, m.state)
	case "Q":
		if n := len(m.saved); n > 0 {
			m.state, m.saved = m.saved[n-1], m.saved[:n-1]
		}
	case "cm":
		m.m = m.m.Mul(geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]})
	case "w":
		m.width = max(0, v[0])
	case "J":
		m.cap = []geom.Cap{geom.ButtCap, geom.RoundCap, geom.SquareCap}[int(min(2, max(0, v[0])))]
	case "j":
		m.join = []geom.Join{geom.MiterJoin, geom.RoundJoin, geom.BevelJoin}[int(min(2, max(0, v[0])))]
	case "M":
		m.miter = max(1, v[0])
	case "d":
		if len(args) >= 2 {
			offset, _ := args[len(args)-1].(float64)
			m.dash(args[len(args)-2], offset)
		}
	case "gs":
		if len(args) == 1 {
			m.extended(m.there("ExtGState", args[0]))
		}
	case "Do":
		if len(args) == 1 {
			m.object(m.there("XObject", args[0]))
		}
	case "sh":
		if len(args) == 1 {
			m.shade(m.resourceRaw("Shading", args[0]))
		}
	case "BMC", "BDC":
		m.begin(op, args)
	case "EMC":
		m.end()
	case "BX":
		m.lenient++
	case "EX":
		m.lenient = max(0, m.lenient-1)
	default:
		if !m.colourOperator(op, args, v) {
			m.textOperator(op, args)
		}
	}
}

// from begins a subpath where a writer forgot to.
func (m *machine) from(p geom.Point) {
	if len(m.path) == 0 {
		m.path.MoveTo(p)
	}
	if m.segments++; m.segments > MaxSegments {
		m.fail("the page has more than %d path segments", MaxSegments)
		m.path = nil
		m.path.MoveTo(p)
	}
}

func (m *machine) close() {
	if len(m.path) > 0 {
		m.path.Close()
	}
}

// box is what re draws.
func box(x, y, w, h float64) geom.Path {
	var p geom.Path
	p.MoveTo(geom.Pt(x, y))
	p.LineTo(geom.Pt(x+w, y))
	p.LineTo(geom.Pt(x+w, y+h))
	p.LineTo(geom.Pt(x, y+h))
	p.Close()
	return p
}

// endPath makes the path the clip if that was asked for, and ends it.
func (m *machine) endPath() {
	if m.cut && !m.path.Finite() {
		m.path = nil
	}
	if m.cut {
		m.clipTo(m.path, m.rule)
	}
	m.path, m.cut = nil, false
}

// fillAndStroke paints both. Where they let through what lies below, the stroke
// takes the fill away below itself (section 11.7.4.4).
func (m *machine) fillAndStroke(rule geom.Rule) {
	if m.strokeAlpha == 1 && m.blend == drawing.Normal && m.mask == nil {
		m.fillPath(rule)
		m.strokePath()
		return
	}
	inner := &machine{reader: m.reader, state: m.state, res: m.res, start: m.start, path: m.path, hidden: m.hidden}
	inner.blend, inner.mask, inner.clip = drawing.Normal, nil, nil
	inner.fillPath(rule)
	inner.strokePath()
	if len(inner.out.Nodes) > 0 {
		m.emit(&drawing.Group{Nodes: m.knockedOut(inner.out.Nodes), Alpha: 1, Part: m.layer})
	}
}

func (m *machine) dash(o any, offset float64) {
	v, ok := m.file.numbers(o)
	if !ok || len(v) > 100 {
		return
	}
	sum := 0.0
	for _, d := range v {
		if d < 0 {
			return
		}
		sum += d
	}
	if sum == 0 {
		v = nil
	}
	m.dashes, m.offset = v, offset
}

// resourceRaw looks a name up, without following the reference it may be.
func (m *machine) resourceRaw(kind name, o any) any {
	n, ok := o.(name)
	if !ok {
		return nil
	}
	return m.file.dict(m.res[kind])[n]
}

// there looks up what has to be there.
func (m *machine) there(kind name, o any) any {
	found := m.resourceRaw(kind, o)
	if m.file.get(found) == nil {
		n, _ := o.(name)
		m.lacks(fmt.Sprintf("the page names %q, which is not in the file", plateName(n)))
		return nil
	}
	return found
}

func (m *machine) resource(kind name, o any) dict { return m.file.dict(m.resourceRaw(kind, o)) }

// colourOperator runs the operators of colour; ok is false for others.
func (m *machine) colourOperator(op string, args []any, v []float64) (ok bool) {
	var spaceNow *space
	switch op {
	case "g", "G":
		spaceNow = m.named("DeviceGray", "DefaultGray")
	case "rg", "RG":
		spaceNow = m.named("DeviceRGB", "DefaultRGB")
	case "k", "K":
		spaceNow = m.named("DeviceCMYK", "DefaultCMYK")
	case "cs", "CS":
		if len(args) != 1 {
			return true
		}
		s, err := m.space(args[0], m.res)
		if err != nil {
			m.cannot("a colour space of the page")
			return true
		}
		spaceNow, v = s, s.initial
	case "sc", "scn", "SC", "SCN":
		p := &m.fill
		if op[0] == 'S' {
			p = &m.stroke
		}
		m.component(p, args)
		return true
	default:
		return false
	}
	if m.plain {
		return true
	}
	p := paint{space: spaceNow, nothing: spaceNow.nothing || spaceNow.pattern}
	if !spaceNow.pattern {
		p.colour = spaceNow.colour(v)
	}
	if op[0] >= 'a' {
		m.fill = p
	} else {
		m.stroke = p
	}
	return true
}

// named is a device space, or what the resources put in its place
// (section 8.6.5.6).
func (m *machine) named(device, instead name) *space {
	if o := m.file.dict(m.res["ColorSpace"])[instead]; o != nil {
		if s, err := m.space(o, m.res); err == nil && !s.pattern {
			if want, err := m.space(device, nil); err == nil && want.n == s.n {
				return s
			}
		}
	}
	s, _ := m.space(device, nil) // device spaces are always there
	return s
}

// component sets a colour by its numbers, or a pattern by its name.
func (m *machine) component(p *paint, args []any) {
	if m.plain || p.space == nil {
		return
	}
	s := p.space
	if s.pattern {
		if len(args) == 0 {
			return
		}
		p.pattern = m.there("Pattern", args[len(args)-1])
		p.nothing = p.pattern == nil
		if s.base != nil {
			if v, ok := nums(args[:len(args)-1], s.base.n); ok {
				p.colour = m.mixed(s.base, v)
			}
		}
		return
	}
	if v, ok := nums(args, s.n); ok {
		p.colour, p.nothing = m.mixed(s, v), s.nothing
	}
}

// laid adds to the inks that are used those of a colour.
func laid(used []bool, v []float64) []bool {
	for i := range v {
		used[i] = used[i] || lies(v[i])
	}
	return used
}

// mixed is a colour; that it mixes plates which cannot stay apart is said.
func (m *machine) mixed(s *space, v []float64) colour.Colour {
	if s.mixes != nil && s.mixes(v) {
		if c, ok := s.mixture(v, laid(make([]bool, len(v)), v)); ok {
			m.findings.Add(finding.InksMixed, finding.Note, fmt.Sprintf("a colour is laid down in several plates (%v): PDF and EPS keep them apart, and all else has the build that the file gives for it", c.Mix), m.layer, geom.Rect{})
			return c
		}
		m.findings.Add(finding.InksMixed, finding.Warn, fmt.Sprintf("a colour is mixed of the plates %s: it was taken as the process build or screen colour that the file gives for it", list(s.plates)), m.layer, geom.Rect{})
	}
	return s.colour(v)
}

// inline reads an inline image (section 8.9.7).
func (m *machine) inline(l *lexer) {
	d := dict{}
	for {
		k, err := l.next()
		if err != nil {
			return
		}
		if k == word("ID") {
			break
		}
		n, ok := k.(name)
		v, err := l.next()
		if err != nil {
			return
		}
		if ok {
			d[unshort(n)] = v
		}
	}
	if l.at < len(l.b) && isSpace(l.b[l.at]) {
		l.at++
	}
	from := l.at
	for {
		i := bytes.Index(l.b[l.at:], []byte("EI"))
		if i < 0 {
			l.at = len(l.b)
			return
		}
		at := l.at + i
		l.at = at + 2
		if at > from && isSpace(l.b[at-1]) && (l.at >= len(l.b) || isSpace(l.b[l.at])) && looksLikeContent(l.b[l.at:]) {
			m.drawImage(&stream{dict: d, raw: l.b[from : at-1]}, nil)
			return
		}
	}
}

// looksLikeContent reports whether the next bytes are text and not pixels.
func looksLikeContent(b []byte) bool {
	for _, c := range b[:min(12, len(b))] {
		if c > 126 || c < 32 && !isSpace(c) {
			return false
		}
	}
	return true
}

// unshort spells the keys of inline images out.
func unshort(n name) name {
	long := map[name]name{"BPC": "BitsPerComponent", "CS": "ColorSpace", "D": "Decode", "DP": "DecodeParms", "F": "Filter", "H": "Height", "IM": "ImageMask", "I": "Interpolate", "W": "Width", "L": "Length"}
	if s, ok := long[n]; ok {
		return s
	}
	return n
}

// thin says that lines of no width were given one.
func (r *reader) thin() {
	r.findings.Add(finding.Hairline, finding.Warn, "lines of no width, which every machine draws in its own way, were made 0.25 pt thick", r.layer, geom.Rect{})
}
