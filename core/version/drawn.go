package version

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/preflight"
)

// DrawnBy is the drawing of its own that a version is made from, its own one or that of its
// lockup, as the recipe names it; empty if the version is derived from the master.
func (s Spec) DrawnBy() string {
	if s.Drawing == "" && s.Arranged != nil {
		return s.Arranged.Drawing
	}
	return s.Drawing
}

// held is a drawing that was made for a version in one ink, with what the version says of it:
// a drawing of one colour is all ink, whatever that colour is, and what lies behind all of it
// is the ground that it was drawn on. Of a drawing for a light ink the darker colours are that
// ground, too. What a person said of colours and parts stands above that.
func (v *Version) held(a *Art) (*Art, []Override) {
	s := v.Spec
	if s.Drawing == "" || s.Treatment != SingleInk {
		return a, s.Overrides
	}
	if b, ok := preflight.Backing(a.Drawing); ok {
		hex := b.Paint.(drawing.Solid).Colour.RGB.Hex()
		a = &Art{Drawing: preflight.Bare(a.Drawing), Keys: a.Keys, Outlines: a.Outlines}
		v.Findings.Add(finding.Backing, finding.Mended, fmt.Sprintf("%s: the rectangle of %s behind %s is the ground that it is shown on, and was left out", s.Name, hex, path.Base(s.Drawing)), "", geom.Rect{})
	}
	all, flat := colours(a.Drawing)
	white := slices.ContainsFunc(all, colour.RGB.NearWhite)
	light := s.Ink != nil && s.Ink.White()
	switch {
	case len(all) < 2 && flat, len(all) == 2 && flat && white && !light:
		v.inkOf(all)
		return a, s.Overrides
	case white && light:
		said := slices.Clip(s.Overrides)
		for _, c := range all {
			o := Override{Colour: c.Hex(), As: AsPaper}
			if c.NearWhite() {
				o.As = AsInk
			}
			said = append(said, o)
		}
		s.Overrides = said
	}
	var hex []string
	for _, c := range all[:min(len(all), 4)] {
		hex = append(hex, c.Hex())
	}
	what := "shades"
	if len(hex) > 0 {
		what = strings.Join(hex, ", ")
	}
	v.Findings.Add(finding.DrawingDiffers, finding.Warn, fmt.Sprintf("%s is drawn for one ink and has more than one colour (%s): it was read in one ink like any other drawing, so look at what became of them", s.Name, what), "", geom.Rect{})
	return a, s.Overrides
}

// inkOf says so where a drawing for one ink is painted in another colour than that.
func (v *Version) inkOf(all []colour.RGB) {
	s := v.Spec
	ink, err := s.Ink.Colour()
	if err != nil {
		return // said where the ink is
	}
	for _, c := range all {
		if c == ink.RGB || c.NearWhite() && len(all) > 1 {
			continue
		}
		v.Findings.Add(finding.DrawingDiffers, finding.Mended, fmt.Sprintf("%s is painted in its ink, %s; %s has it in %s", s.Name, ink.RGB.Hex(), path.Base(s.Drawing), c.Hex()), "", geom.Rect{})
	}
}

// colours lists what a drawing is painted in, each once, in the order of painting; flat is
// false if there are gradients, pictures or effects too.
func colours(d *drawing.Drawing) (all []colour.RGB, flat bool) {
	flat = true
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			p, ok := n.Paint.(drawing.Solid)
			if !ok {
				flat = false
				return
			}
			if p.Alpha > 0 && !slices.ContainsFunc(all, func(c colour.RGB) bool { return colour.Difference(c.Lab(), p.Colour.RGB.Lab()) < same }) {
				all = append(all, p.Colour.RGB)
			}
		case *drawing.Picture:
			c, one := oneColour(n)
			if !one {
				flat = false
			} else if !slices.Contains(all, c) {
				all = append(all, c)
			}
		case *drawing.Group:
			flat = flat && n.Filter == nil
		}
	})
	return all, flat
}

// oneColour reports whether all that can be seen of a picture is one colour, as of a mark in
// one ink on nothing.
func oneColour(p *drawing.Picture) (c colour.RGB, one bool) {
	var last [3]uint8
	known := false
	for i := 0; i < len(p.Image.Pix); i += 4 {
		q := p.Image.Pix[i : i+4]
		if q[3] < 128 || known && last == [3]uint8(q) {
			continue
		}
		x := colour.FromBytes(q[0], q[1], q[2])
		if known && colour.Difference(x.Lab(), c.Lab()) >= same {
			return c, false
		}
		if !known {
			c, known = x, true
		}
		last = [3]uint8(q)
	}
	return c, known
}
