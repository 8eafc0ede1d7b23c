// Package readback opens the PDF and EPS files that Dye Kit writes and turns
// them back into drawings, so that what was written can be compared with what
// was meant. It reads the operators and objects of our own writers and
// nothing else: an unknown one is an error, never skipped.
package readback

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Facts is what a file turned out to hold.
type Facts struct {
	W, H   float64 // page size in points
	Trim   bool    // PDF: TrimBox and ArtBox are the page
	RGB    bool    // paint in DeviceRGB
	Builds []colour.CMYK
	Plates []string // spot plates
	Fonts  int
	Images int

	// process are the most of each process ink of mixtures and pictures, and alternates the
	// builds of the full plates.
	process    colour.CMYK
	alternates map[string][]colour.CMYK
}

// A Page is one page read back: page units are points, y down.
type Page struct {
	Drawing *drawing.Drawing
	Facts   Facts
}

type state struct {
	ctm   geom.Affine
	fill  colour.Colour
	space string // name of a Separation resource
	alpha float64
	mask  *drawing.Mask
	blend drawing.BlendMode
	clip  []drawing.Region
}

// machine runs operators.
type machine struct {
	state
	saved []state
	path  geom.Path
	rule  geom.Rule // of a pending W or W*
	cut   bool      // W or W* is pending
	out   drawing.Nest
	facts *Facts
	res   resources
	// spots maps resource or procedure names to plates.
	spots map[string]colour.Colour
	// mixtures maps them to colours of several plates.
	mixtures map[string]mixture
}

// resources are looked up by a machine; EPS files have none.
type resources interface {
	state(name string, m *machine) error
	shading(name string) (*drawing.Gradient, error)
	object(name string, m *machine) error
}

// run interprets one operator with its operands.
func (m *machine) run(op string, args []string) error {
	num := func(n int) ([]float64, error) {
		if len(args) != n {
			return nil, fmt.Errorf("%s has %d operands, not %d", op, len(args), n)
		}
		v := make([]float64, n)
		for i, a := range args {
			var err error
			if v[i], err = strconv.ParseFloat(a, 64); err != nil {
				return nil, fmt.Errorf("%s: %w", op, err)
			}
		}
		return v, nil
	}
	name := func(f func(string) error) error {
		if len(args) != 1 {
			return fmt.Errorf("%s has %d operands, not a name", op, len(args))
		}
		return f(args[0])
	}
	switch op {
	case "l", "c", "h", "f", "f*":
		if len(m.path) == 0 {
			return fmt.Errorf("%s without a point to go on from", op)
		}
	}
	var v []float64
	var err error
	at := func(i int) geom.Point { return m.ctm.Apply(geom.Pt(v[i], v[i+1])) }
	switch op {
	case "m":
		if v, err = num(2); err == nil {
			m.path.MoveTo(at(0))
		}
	case "l":
		if v, err = num(2); err == nil {
			m.path.LineTo(at(0))
		}
	case "c":
		if v, err = num(6); err == nil {
			m.path.CubeTo(at(0), at(2), at(4))
		}
	case "h":
		m.path.Close()
	case "f":
		m.paint(geom.NonZero)
	case "f*":
		m.paint(geom.EvenOdd)
	case "W", "W*":
		m.cut, m.rule = true, geom.NonZero
		if op == "W*" {
			m.rule = geom.EvenOdd
		}
	case "n":
		if m.cut {
			m.clip = []drawing.Region{{Path: m.path, Rule: m.rule, Clip: m.clip}}
		}
		m.path, m.cut = nil, false
	case "q":
		m.saved = append(m.saved, m.state)
	case "Q":
		if len(m.saved) == 0 {
			return fmt.Errorf("a Q without its q")
		}
		m.state = m.saved[len(m.saved)-1]
		m.saved = m.saved[:len(m.saved)-1]
	case "rg":
		if v, err = num(3); err == nil {
			m.fill = colour.Screen(colour.RGB{R: v[0], G: v[1], B: v[2]})
		}
	case "g":
		if v, err = num(1); err == nil {
			m.fill = colour.Screen(colour.RGB{R: v[0], G: v[0], B: v[0]})
		}
	case "k":
		if v, err = num(4); err == nil {
			m.fill = built(v)
		}
	case "cm":
		if v, err = num(6); err == nil {
			m.ctm = m.ctm.Mul(geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]})
		}
	case "setcolorspace":
		err = name(func(s string) error {
			if s != "/DeviceRGB" && s != "/DeviceCMYK" {
				return fmt.Errorf("the colour space %s is not one that is written here", s)
			}
			m.space = s
			return nil
		})
	case "cs":
		err = name(func(s string) error { m.space = s; return nil })
	case "scn":
		if x, ok := m.mixtures[m.space]; ok {
			if v, err = num(len(x.plates)); err == nil {
				m.fill, err = x.colour(v)
			}
			break
		}
		if v, err = num(1); err == nil {
			err = m.spot(m.space, v[0])
		}
	case "gs":
		err = name(func(s string) error { return m.res.state(s, m) })
	case "sh":
		err = name(m.shade)
	case "Do":
		err = name(func(s string) error { return m.res.object(s, m) })
	default:
		if x, ok := m.mixtures[op]; ok {
			if v, err = num(len(x.plates)); err == nil {
				m.fill, err = x.colour(v)
			}
			break
		}
		if _, ok := m.spots[op]; ok {
			if v, err = num(1); err == nil {
				m.space = op
				err = m.spot(op, v[0])
			}
			break
		}
		return fmt.Errorf("operator %q is not one that is written here", op)
	}
	return err
}

func built(v []float64) colour.Colour {
	b := colour.CMYK{C: v[0] * 100, M: v[1] * 100, Y: v[2] * 100, K: v[3] * 100}
	return colour.Colour{RGB: b.RGB(), Build: b, Built: true}
}

// spot sets a tint of a plate.
func (m *machine) spot(name string, tint float64) error {
	s, ok := m.spots[name]
	if !ok {
		return fmt.Errorf("plate %s is not defined", name)
	}
	s.Tint = tint * 100
	s.RGB = Alternate(s.Build, tint)
	m.fill = s
	return nil
}

// Alternate is how a tint of a plate looks through its process alternate.
func Alternate(full colour.CMYK, tint float64) colour.RGB {
	return colour.CMYK{C: full.C * tint, M: full.M * tint, Y: full.Y * tint, K: full.K * tint}.RGB()
}

// note records the ink a paint uses.
func (m *machine) note(c colour.Colour) {
	if m.facts.alternates == nil {
		m.facts.alternates = map[string][]colour.CMYK{}
	}
	switch {
	case len(c.Spots()) > 0:
		if c.Spot != "" {
			m.facts.alternates[c.Spot] = append(m.facts.alternates[c.Spot], c.Build)
		}
		k := &m.facts.process
		for i, a := range c.Mix.Amounts() {
			switch a.Plate {
			case "Cyan":
				k.C = max(k.C, a.Tint)
			case "Magenta":
				k.M = max(k.M, a.Tint)
			case "Yellow":
				k.Y = max(k.Y, a.Tint)
			case "Black":
				k.K = max(k.K, a.Tint)
			default:
				m.facts.alternates[a.Plate] = append(m.facts.alternates[a.Plate], c.Mix.Full(i))
			}
		}
		for _, s := range c.Spots() {
			if !slices.Contains(m.facts.Plates, s) {
				m.facts.Plates = append(m.facts.Plates, s)
			}
		}
	case c.Built:
		if !slices.Contains(m.facts.Builds, c.Build) {
			m.facts.Builds = append(m.facts.Builds, c.Build)
		}
	default:
		m.facts.RGB = true
	}
}

func (m *machine) paint(r geom.Rule) {
	m.note(m.fill)
	m.emit(&drawing.Shape{Path: m.path, Rule: r, Paint: drawing.Solid{Colour: m.fill, Alpha: m.alpha}})
	m.path = nil
}

// emit puts a node out, inside the current clip.
func (m *machine) emit(n drawing.Node) { m.out.Add(n, m.clip, "") }

// shade fills the clip with a shading.
func (m *machine) shade(name string) error {
	g, err := m.res.shading(name)
	if err != nil {
		return err
	}
	_, _, plated := g.Plates()
	for _, s := range g.Stops {
		if !plated || len(s.Colour.Spots()) > 0 {
			m.note(s.Colour)
		}
	}
	if len(m.clip) == 0 {
		return fmt.Errorf("sh fills the whole page")
	}
	g.To = m.ctm
	for i := range g.Stops {
		g.Stops[i].Alpha = m.alpha
	}
	c := m.clip[0]
	saved := m.clip
	m.clip = c.Clip
	m.emit(&drawing.Shape{Path: c.Path, Rule: c.Rule, Paint: g})
	m.clip = saved
	return nil
}

// operand reports whether a token is one: a number, or a name with its
// slash. Content of our own holds no strings or arrays.
func operand(t string) bool {
	c := t[0]
	return c >= '0' && c <= '9' || c == '-' || c == '.' || c == '+' || c == '/'
}

// content runs a whole stream.
func (m *machine) content(s string) error {
	if err := m.tokens(s); err != nil {
		return err
	}
	if len(m.saved) > 0 {
		return fmt.Errorf("q without Q")
	}
	return nil
}

// tokens runs operators, perhaps ending inside a saved state.
func (m *machine) tokens(s string) error {
	var args []string
	for t := range strings.FieldsSeq(s) {
		if operand(t) {
			args = append(args, t)
			continue
		}
		if err := m.run(t, args); err != nil {
			return err
		}
		args = args[:0]
	}
	return nil
}
