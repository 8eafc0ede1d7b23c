package advice

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"dyekit/core/colour"
)

// A Ground is what a mark is put on, and the version for it.
type Ground struct {
	Ground  string `json:"ground"`  // #rrggbb, photo-light or photo-dark
	Version string `json:"version"` // "" if none stands there
	Why     string `json:"why"`
}

// How clearly a mark stands out (WCAG 2.2, 1.4.11 for the contrast of graphics; the
// rest is common practice, the figures are this engine's).
const (
	clearly   = 3.0  // contrast at which an edge is plainly seen
	colourful = 4.0  // contrast that colours need on a ground they were not drawn for
	mostEdge  = 0.9  // the share of the outline that has to be
	vanishing = 1.5  // contrast below which a piece is lost
	grey      = 8    // chroma (CIE L*a*b*) of what counts as black, grey or white
	own       = 6    // ΔE00 within which a ground is the one that a mark was drawn for
	brings    = 1.25 // contrast at which a shape behind a mark is seen to be one
)

// A Standing is how a version does on a ground.
type Standing struct {
	Contrast float64     // that nine tenths of the outline towards the ground have
	Lost     *colour.RGB // the colour of a piece of which nothing would be seen
	Holds    bool
}

// On tells how a mark stands on a ground. What counts is where it meets that: a
// colour that lies within another never touches the ground.
func (l *Look) On(ground colour.RGB) Standing {
	type edge struct{ contrast, length float64 }
	var edges []edge
	var s Standing
	total := 0.0
	for i := range l.pieces {
		p := &l.pieces[i]
		best := 0.0
		for c, n := range p.colours {
			k := colour.Contrast(c, ground)
			edges = append(edges, edge{k, n})
			total += n
			best = max(best, k)
		}
		// What lies on the ground alone, and is as light or dark.
		if p.edge > 0.7*p.outline && best < vanishing && (p.row > 0 || p.box.Long() >= speck*l.side) {
			if s.Lost == nil || p.colour.Hex() < s.Lost.Hex() {
				s.Lost = &p.colour
			}
		}
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Compare(b.contrast, a.contrast) })
	sum := 0.0
	for _, e := range edges {
		if sum += e.length; sum >= mostEdge*total {
			s.Contrast = e.contrast
			break
		}
	}
	s.Holds = s.Lost == nil && s.Contrast >= clearly
	return s
}

// On tells how a version stands on a ground; one that brings its own stands on that.
func (j Judged) On(ground colour.RGB) Standing {
	switch b := j.brought(); {
	case b != nil:
		return j.onOwn(*b, ground)
	case j.OneInk && !j.Outlined:
		k := colour.Contrast(j.Ink, ground)
		s := Standing{Contrast: k, Holds: k >= clearly}
		if k < vanishing {
			s.Lost = &j.Ink
		}
		return s
	case j.Outlined: // made for any ground: the fill or its line is seen
		s := Standing{}
		for _, p := range j.Look.pieces[1:] {
			s.Contrast = max(s.Contrast, colour.Contrast(p.colour, ground))
		}
		s.Holds = s.Contrast >= clearly
		return s
	}
	return j.Look.On(ground)
}

// onOwn tells how the art stands on what is behind it: a ground to the edge, a shape,
// the sheet of a picture. A shape with nothing on it but holes stands on the ground.
func (j Judged) onOwn(own, ground colour.RGB) Standing {
	s := Standing{}
	area := 0.0
	for _, p := range j.Look.pieces[1:] {
		if !p.bare && colour.Difference(p.colour.Lab(), own.Lab()) > sameColour && p.area > area {
			area, s.Contrast = p.area, colour.Contrast(p.colour, own)
		}
	}
	if area == 0 {
		s.Contrast = colour.Contrast(own, ground)
	}
	s.Holds = s.Contrast >= clearly
	return s
}

// brought is the ground that a version has behind it wherever it is put.
func (j Judged) brought() *colour.RGB {
	if j.Backing != nil || j.OneInk {
		return j.Backing
	}
	return j.Look.Sheet
}

// Choose tells which version goes on a ground, as an index of vs, and why; -1 if none
// stands there. photo says that the ground is a photograph of that mean colour.
func Choose(ground colour.RGB, photo bool, vs []Judged) (best int, why string) {
	c := choice{ground, vs, !slices.ContainsFunc(vs, func(v Judged) bool { return !v.Part })}
	lost, calm := "", "On a photograph one ink is calmer than several. "
	if !photo {
		if best, lost = c.inColours(); best >= 0 {
			return best, lost
		}
		calm = lost
	}
	if i, k := c.most(clearly, func(v Judged) bool { return v.plain() && v.Ink.Lab().Chroma() < grey }); i >= 0 {
		return i, fmt.Sprintf("%s%s stands out most, %s.", calm, upper(vs[i].Ink.Word()), to(k))
	}
	if i, k := c.most(clearly, Judged.plain); i >= 0 {
		return i, fmt.Sprintf("%s%s stands out, %s.", lost, upper(vs[i].Ink.Word()), to(k))
	}
	if i, k := c.most(clearly, func(v Judged) bool { return v.colours() && v.brought() == nil }); photo && i >= 0 {
		return i, fmt.Sprintf("All of it stands out, %s.", to(k))
	}
	if i, _ := c.most(clearly, func(v Judged) bool { return v.Outlined && v.brought() == nil }); i >= 0 {
		return i, lost + "Its outline keeps it apart from the ground."
	}
	if i := c.onItsOwn(); i >= 0 {
		return i, lost + "It brings its own ground."
	}
	if i, k := c.most(vanishing, func(v Judged) bool { return v.brought() == nil }); i >= 0 {
		return i, fmt.Sprintf("It is the one that stands out most here, and not well: %s.", to(k))
	}
	return -1, "No version stands here: choose another ground."
}

// A choice is what there is to choose from for a ground.
type choice struct {
	ground colour.RGB
	vs     []Judged
	parts  bool // there is no version of the whole mark
}

// has reports whether a version can be chosen.
func (c choice) has(v Judged) bool { return v.Drawing != nil && (c.parts || !v.Part) }

// colours reports whether a version has the mark's own colours.
func (v Judged) colours() bool { return !v.OneInk && !v.Outlined }

// plain reports whether a version is one ink and nothing else.
func (v Judged) plain() bool { return v.OneInk && !v.Outlined && v.brought() == nil }

// inColours is the version in the mark's own colours, if it is drawn for the ground or
// all of it stands out there; -1 if none is, and what would be lost of the first.
func (c choice) inColours() (best int, why string) {
	for i, v := range c.vs {
		if !c.has(v) || !v.colours() {
			continue
		}
		drawnFor := colour.White
		if b := v.brought(); b != nil {
			drawnFor = *b
		}
		switch s := v.On(c.ground); {
		case !v.Dark && colour.Difference(c.ground.Lab(), drawnFor.Lab()) < own:
			return i, "It is drawn for this ground."
		case v.brought() != nil:
		case s.Holds && s.Contrast >= colourful:
			return i, "All of it that touches the ground stands out from it."
		case why == "" && s.Lost != nil:
			why = fmt.Sprintf("%s would be lost here. ", upper(s.Lost.Word()))
		case why == "":
			why = fmt.Sprintf("The colours have a contrast of %.1f : 1 here. ", floor(s.Contrast))
		}
	}
	return -1, why
}

// most is the version with the most contrast of those that are asked for, the first of
// equals; -1 if none has least.
func (c choice) most(least float64, of func(v Judged) bool) (best int, contrast float64) {
	best = -1
	for i, v := range c.vs {
		if !c.has(v) || !of(v) {
			continue
		}
		if k := v.On(c.ground).Contrast; k >= least && k > contrast+0.05 {
			best, contrast = i, k
		}
	}
	return best, contrast
}

// onItsOwn is the first version that brings a ground that is seen on this one.
func (c choice) onItsOwn() int {
	return slices.IndexFunc(c.vs, func(v Judged) bool {
		b := v.brought()
		return c.has(v) && b != nil && colour.Contrast(*b, c.ground) >= brings
	})
}

// to says a contrast, rounded down.
func to(contrast float64) string { return fmt.Sprintf("contrast %.1f : 1", floor(contrast)) }

func floor(contrast float64) float64 { return math.Floor(10*contrast) / 10 }

// PhotoLight and PhotoDark are the means of a light and a dark photograph (invented:
// sky and grass at noon, and at dusk).
var (
	PhotoLight = colour.FromBytes(0xb9, 0xc4, 0xc0)
	PhotoDark  = colour.FromBytes(0x2d, 0x33, 0x3d)
)

// Grounds advises a version for white, mid grey, black, each ink and photographs.
func Grounds(inks []colour.RGB, vs []Judged) (out []Ground) {
	said := map[string]bool{}
	add := func(name string, c colour.RGB, photo bool) {
		if said[name] {
			return
		}
		said[name] = true
		i, why := Choose(c, photo, vs)
		g := Ground{Ground: name, Why: why}
		if i >= 0 {
			g.Version = vs[i].Name
		}
		out = append(out, g)
	}
	for _, c := range append([]colour.RGB{colour.White, colour.FromBytes(128, 128, 128), colour.Black}, inks...) {
		add(c.Hex(), c, false)
	}
	add("photo-light", PhotoLight, true)
	add("photo-dark", PhotoDark, true)
	return out
}
