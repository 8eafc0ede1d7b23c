package preflight

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/lettering"
	"dyekit/core/planar"
	"dyekit/core/trace"
)

// A Mend is a repair in words, as it is kept, recorded and typed: a verb and
// what it is about.
//
//	sheet 2                 of a file with several pages this one is read
//	box bleed               of a page with several boxes this one is the page
//	trace 5 0.3             the picture is traced into shapes of 5 colours, or of
//	                        as many as there are ("auto"), smooth from 0 to 1
//	set 9 80 90 94 10.2 91.5 #203040 {"text":"EST. 1904","font":"Cabin","size":9}
//	                        what stands in the box is taken away before the
//	                        picture is traced, and the words are set there,
//	                        from that place on the base line on
//	page 0 0 400 300        the page becomes this box: left, top, right, bottom
//	covered                 what lies wholly behind other paint is taken away
//	backing                 the rectangle behind the art is taken away
//	fill 20 30 #ffffff      the hole at this place is filled with the colour
//	open                    white paint over ink becomes holes
//	open 20 30              the shape at this place becomes a hole
//	join #206047 #216148    the second colour becomes the first
//	figure 9 9 55 55        the outline with about this box becomes the circle, box or
//	                        regular polygon that it nearly is
//	thicken 2.5             lines thinner than that become as thick
//
// Lengths and places are in page units of the master.
type Mend string

// DropBacking takes the rectangle behind the art away.
const DropBacking Mend = "backing"

// verbs in the order in which mends are carried out, whatever the order in
// which they were taken: each sees what the earlier ones left.
var verbs = []string{"sheet", "box", "trace", lettering.Verb, "page", "figure", "covered", "backing", "fill", "open", "join", "thicken"}

// Early reports whether a mend is carried out before the master is checked:
// the page decides what is checked at all.
func (m Mend) Early() bool { return m.verb() == "page" }

// Sole reports whether of two such mends only the later counts.
func (m Mend) Sole() bool { return m.Early() || m.Reading() && m.verb() != lettering.Verb }

// Reading reports whether a mend says how the file is read in the first place:
// its reader carries it out.
func (m Mend) Reading() bool {
	switch m.verb() {
	case "sheet", "box", "trace", lettering.Verb:
		return true
	}
	return false
}

// maxSheet bounds the number of a page.
const maxSheet = 100_000

// Sheet is the mend that reads a page of a file, from 1.
func Sheet(n int) Mend { return Mend(fmt.Sprintf("sheet %d", n)) }

// Sheet returns the page that a mend chooses, from 1; 0 if it chooses none.
func (m Mend) Sheet() int {
	v, ok := strings.CutPrefix(string(m), "sheet ")
	if n, err := strconv.Atoi(v); ok && err == nil && n >= 1 && n <= maxSheet {
		return n
	}
	return 0
}

// pageBoxes are the boxes that a page can have (PDF 32000-1, section 14.11.2).
var pageBoxes = []string{"trim", "art", "crop", "bleed", "media"}

// Box returns the box that a mend chooses, or nothing.
func (m Mend) Box() string {
	if v, ok := strings.CutPrefix(string(m), "box "); ok && slices.Contains(pageBoxes, v) {
		return v
	}
	return ""
}

// SameVerb reports whether two mends are of one kind.
func (m Mend) SameVerb(o Mend) bool { return m.verb() == o.verb() }

func (m Mend) verb() string {
	v, _, _ := strings.Cut(string(m), " ")
	return v
}

// InOrder returns the mends as they are carried out.
func InOrder(ms []Mend) []Mend {
	out := slices.Clone(ms)
	slices.SortStableFunc(out, func(a, b Mend) int {
		return cmp.Compare(slices.Index(verbs, a.verb()), slices.Index(verbs, b.verb()))
	})
	return out
}

// Trace is the mend that traces a picture: into so many colours, or as many as
// there are if colours is 0, smooth from 0 to 1.
func Trace(colours int, smooth float64) Mend {
	n := "auto"
	if colours > 0 {
		n = strconv.Itoa(colours)
	}
	return Mend(fmt.Sprintf("trace %s %.3g", n, smooth))
}

// Trace returns what a mend asks of a tracing; ok is false if it asks for none.
func (m Mend) Trace() (colours int, smooth float64, ok bool) {
	f := strings.Fields(string(m))
	if len(f) != 3 || f[0] != "trace" {
		return 0, 0, false
	}
	colours, err := strconv.Atoi(f[1])
	if f[1] == "auto" {
		colours, err = 0, nil
	} else if err != nil || colours < 2 || colours > trace.MaxColour {
		return 0, 0, false
	}
	smooth, err = strconv.ParseFloat(f[2], 64)
	return colours, smooth, err == nil && smooth >= 0 && smooth <= 1
}

// Words returns what a mend sets anew in a picture; ok is false if it sets nothing.
func (m Mend) Words() (s lettering.Setting, ok bool) {
	if m.verb() != lettering.Verb {
		return s, false
	}
	s, err := lettering.Parse(string(m))
	return s, err == nil
}

// Figure reports whether a mend makes a figure of an outline.
func (m Mend) Figure() bool { return m.verb() == "figure" }

// Check reports what is wrong with a mend whatever the drawing.
func (m Mend) Check() error {
	_, args, _ := strings.Cut(string(m), " ")
	switch m.verb() {
	case "backing", "covered":
		if args == "" {
			return nil
		}
	case "sheet":
		if m.Sheet() > 0 {
			return nil
		}
	case "box":
		if m.Box() != "" {
			return nil
		}
	case "trace":
		if _, _, ok := m.Trace(); ok {
			return nil
		}
	case lettering.Verb:
		_, err := lettering.Parse(string(m))
		return err
	case "page", "figure":
		if v, ok := numbers(args, 4); ok && v[2] > v[0] && v[3] > v[1] {
			return nil
		}
	case "open":
		if _, ok := numbers(args, 2); ok || args == "" {
			return nil
		}
	case "fill":
		place, ink := cutLast(args)
		_, err := colour.ParseHex(ink)
		if _, ok := numbers(place, 2); ok && err == nil {
			return nil
		}
	case "join":
		a, b, _ := strings.Cut(args, " ")
		_, err := colour.ParseHex(a)
		if _, err2 := colour.ParseHex(b); err == nil && err2 == nil && a != b {
			return nil
		}
	case "thicken":
		if v, err := strconv.ParseFloat(args, 64); err == nil && v > 0 && !math.IsInf(v, 0) {
			return nil
		}
	}
	return fmt.Errorf("%q is not a mend; there are: sheet N, box trim|art|crop|bleed|media, trace COLOURS|auto SMOOTH, set X0 Y0 X1 Y1 X Y #rrggbb {words}, figure X0 Y0 X1 Y1, page X0 Y0 X1 Y1, covered, backing, fill X Y #rrggbb, open, open X Y, join #rrggbb #rrggbb, thicken WIDTH", string(m))
}

// farthest bounds the numbers of a mend, in page units.
const farthest = 1e7

// numbers reads n numbers with spaces between.
func numbers(s string, n int) ([]float64, bool) {
	fields := strings.Fields(s)
	if len(fields) != n {
		return nil, false
	}
	out := make([]float64, n)
	for i, f := range fields {
		v, err := strconv.ParseFloat(f, 64)
		if err != nil || !(math.Abs(v) < farthest) {
			return nil, false
		}
		out[i] = v
	}
	return out, true
}

func cutLast(s string) (before, last string) {
	i := strings.LastIndexByte(s, ' ')
	return s[:max(i, 0)], s[i+1:]
}

// Apply returns the drawing with the mend carried out, and what it did in
// words for the finding it answers; done is empty if there was nothing to do.
func (m Mend) Apply(ctx context.Context, d *drawing.Drawing) (out *drawing.Drawing, code finding.Code, done string, err error) {
	if err := m.Check(); err != nil {
		return nil, "", "", err
	}
	args := strings.Fields(string(m))[1:]
	switch m.verb() {
	case "join":
		keep, _ := colour.ParseHex(args[0]) // Check read them
		from, _ := colour.ParseHex(args[1])
		n := 0
		out = join(d, keep, from, &n)
		if n > 0 {
			done = fmt.Sprintf("%s became %s", args[1], args[0])
		}
		return out, finding.NearColours, done, nil
	case "page":
		v, _ := numbers(strings.Join(args, " "), 4)
		out, code, done = repage(d, geom.Rect{X0: v[0], Y0: v[1], X1: v[2], Y1: v[3]})
		return out, code, done, nil
	case "figure":
		v, _ := numbers(strings.Join(args, " "), 4)
		out, done = exact(d, geom.Rect{X0: v[0], Y0: v[1], X1: v[2], Y1: v[3]})
		return out, finding.NearFigure, done, nil
	case "covered":
		n := 0
		if out, n, err = uncover(ctx, d); n > 0 {
			done = fmt.Sprintf("%d shapes behind others were taken away", n)
		}
		return out, finding.Covered, done, err
	case "fill":
		v, _ := numbers(strings.Join(args[:2], " "), 2)
		ink, _ := colour.ParseHex(args[2])
		filled := false
		if out, filled, err = fill(ctx, d, geom.Pt(v[0], v[1]), ink); filled {
			done = fmt.Sprintf("the hole near %.0f, %.0f px was filled with %s", v[0], v[1], ink.Hex())
		}
		return out, finding.Counter, done, err
	case "open":
		n := 0
		var at *geom.Point
		if v, ok := numbers(strings.Join(args, " "), 2); ok {
			at = &geom.Point{X: v[0], Y: v[1]}
		}
		if out, n, err = knockOut(ctx, d, at); n > 0 {
			done = fmt.Sprintf("%d shapes became holes: what lies behind shows through", n)
		}
		return out, finding.WhitePaint, done, err
	case "thicken":
		width, _ := strconv.ParseFloat(args[0], 64)
		n := 0
		if out, n, err = thicken(ctx, d, width); n > 0 {
			done = fmt.Sprintf("lines thinner than %.3g px became that thick", width)
		}
		return out, finding.Hairline, done, err
	}
	if out = Bare(d); out != d {
		done = "the rectangle behind the art was taken away"
	} else if bare, ok := bared(d); ok {
		out, done = bare, "the plain ground of the picture was taken away, soft edges un-mixed from it"
	}
	return out, finding.Backing, done, nil
}

// join gives what is painted in one colour another.
func join(d *drawing.Drawing, keep, from colour.RGB, n *int) *drawing.Drawing {
	// The build of the colour that stays comes along.
	to := colour.Screen(keep)
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if s, ok := x.(*drawing.Shape); ok {
			if p, ok := s.Paint.(drawing.Solid); ok && p.Colour.RGB.Hex() == keep.Hex() && !to.Built {
				to = p.Colour
			}
		}
	})
	return d.Recolour(drawing.Recolouring{Gradient: drawing.Kept, Colour: func(c colour.Colour) colour.Colour {
		if c.RGB.Hex() != from.Hex() {
			return c
		}
		*n++
		return to
	}})
}

// width is how thick a shape is, in page units, if it is a line: long for its
// area. It is the mean along the line.
func width(s *drawing.Shape) (w float64, line bool) {
	area, round := math.Abs(s.Path.Area()), s.Path.Length()
	if area == 0 || round == 0 {
		return 0, false
	}
	// A disc has 4π, a square 16; a line eight times as long as thick has 40.
	return 2 * area / round, round*round/area > 40
}

// thicken adds to lines thinner than the width what they lack, half on either
// side.
func thicken(ctx context.Context, d *drawing.Drawing, least float64) (*drawing.Drawing, int, error) {
	n := 0
	var err error
	out := d.Map(func(x drawing.Node) drawing.Node {
		s, ok := x.(*drawing.Shape)
		if !ok || err != nil {
			return x
		}
		w, line := width(s)
		if !line || w >= least*(1-1e-9) {
			return x
		}
		edge := s.Path.Stroke(geom.Pen{Width: least - w, Join: geom.RoundJoin}, d.Page.Long()/4000)
		path, e := planar.Union(ctx, planar.Layer{Path: s.Path, Rule: s.Rule}, planar.Layer{Path: edge})
		if e != nil {
			err = e
			return x
		}
		n++
		c := *s
		c.Path, c.Rule = path, geom.NonZero
		return &c
	})
	return out, n, err
}

// Hairlines finds lines that fade in the smallest picture: thinner than 0.7 px
// where px page units are one pixel of it. The mend makes them one pixel
// thick. (Common practice: on screen one pixel.)
func Hairlines(d *drawing.Drawing, px float64, what string) (fs finding.List) {
	const fades = 0.7
	thinnest := math.Inf(1)
	type thin struct {
		part  string
		place geom.Rect
	}
	var all []thin
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if s, ok := x.(*drawing.Shape); ok {
			if w, line := width(s); line && w < fades*px {
				thinnest = min(thinnest, w)
				all = append(all, thin{s.Part, s.Path.Bounds()})
			}
		}
	})
	for _, t := range all {
		fs.Add(finding.Hairline, finding.Warn, fmt.Sprintf("the thinnest line is %.2f px thick in %s and fades there", thinnest/px, what), t.part, t.place)
	}
	for i := range fs {
		fs[i].Mend = fmt.Sprintf("thicken %.3g", px)
	}
	return fs
}

// closed closes outlines that are filled: viewers do, cutters may not. The
// picture stays the same.
func closed(d *drawing.Drawing, fs *finding.List) *drawing.Drawing {
	slack := d.Page.Long() * 1e-4
	return d.Map(func(x drawing.Node) drawing.Node {
		s, ok := x.(*drawing.Shape)
		if !ok || s.Origin != drawing.Filled {
			return x
		}
		var p geom.Path
		var start geom.Point // of the contour at hand
		gap, open := 0.0, false
		path, stray := s.Path.WithoutPoints()
		if stray > 0 {
			fs.Add(finding.StrayPoints, finding.Mended, "points that paint nothing were dropped: they make the box of the art larger than it is", s.Part, s.Path.Bounds())
		}
		end := func() {
			if len(p) > 0 && p[len(p)-1].Op != geom.Close && p[len(p)-1].Op != geom.MoveTo {
				gap = max(gap, p[len(p)-1].End().Sub(start).Len())
				p, open = append(p, geom.Seg{Op: geom.Close}), true
			}
		}
		for _, g := range path {
			if g.Op == geom.MoveTo {
				end()
				start = g.P[0]
			}
			p = append(p, g)
		}
		end()
		if !open && stray == 0 {
			return x
		}
		if gap > slack {
			fs.Add(finding.OpenPath, finding.Mended, "outlines that stood open were closed by a straight line, as every viewer fills them, so that a cutter follows them too", s.Part, s.Path.Bounds())
		}
		c := *s
		c.Path = p
		return &c
	})
}
