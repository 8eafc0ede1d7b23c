// Package board lays candidates side by side on one page, so that one of them can be
// chosen: all at the same optical size, in colour and in one ink, on white, grey and
// black, and in the version that is advised on a ground of choice.
//
// A board is a drawing, in mm, as a brand sheet is.
package board

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/core/sheet"
	"dyekit/core/version"
)

// How many candidates a board has.
const (
	Least = 2
	Most  = 30
)

// A Candidate is a drawing to choose from.
type Candidate struct {
	Name   string
	Chosen bool
	Colour *drawing.Drawing // as it is drawn
	// Black and White are it in one ink; nil where that cannot be, for Why.
	Black, White *drawing.Drawing
	Why          string
	Box          geom.Rect // of its art, in page units
	Ink          float64   // area of ink, in square page units

	judged []advice.Judged // in colour, black and white, as far as there are
}

// New makes a candidate of a drawing whose mends are done.
func New(ctx context.Context, name string, d *drawing.Drawing) (Candidate, error) {
	c := Candidate{Name: name, Colour: d, Box: d.Bounds().Intersect(d.Page)}
	if c.Box.Empty() {
		return c, fmt.Errorf("%s is empty", name)
	}
	art := version.NewArt(d)
	for _, x := range []struct {
		ink version.Ink
		to  **drawing.Drawing
	}{{version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}, &c.Black}, {version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}, &c.White}} {
		v, err := art.Make(ctx, version.Spec{Name: x.ink.Name, Treatment: version.SingleInk, Ink: &x.ink})
		if err != nil {
			return c, err
		}
		*x.to, c.Why = v.Drawing, v.Refused
	}
	drawn, err := advice.Judge(ctx, advice.Version{Name: "colour", Drawing: c.Colour}, advice.Coarse)
	if err != nil {
		return c, err
	}
	c.judged = []advice.Judged{drawn,
		{Version: advice.Version{Name: "black", Drawing: c.Black, OneInk: true, Ink: colour.Black}},
		{Version: advice.Version{Name: "white", Drawing: c.White, OneInk: true, Ink: colour.White, Dark: true}}}
	ink := c.Black
	if ink == nil {
		ink = d
	}
	c.Ink, err = covered(ctx, ink, c.Box)
	return c, err
}

// On is the candidate in the version that is advised for a ground: in its colours where
// none stands there.
func (c *Candidate) On(ground colour.RGB) *drawing.Drawing {
	if i, _ := advice.Choose(ground, false, c.judged); i >= 0 {
		return c.judged[i].Drawing
	}
	return c.Colour
}

// fine is how many px the longer side has by which ink is measured: to 0.1 % of it.
const fine = 400

// covered is how much of a box is painted, in square page units.
func covered(ctx context.Context, d *drawing.Drawing, box geom.Rect) (float64, error) {
	k := fine / box.Long()
	w, h := max(1, int(math.Ceil(box.W()*k))), max(1, int(math.Ceil(box.H()*k)))
	img, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
	if err != nil {
		return 0, err
	}
	sum := 0.0
	for i := 3; i < len(img.Pix); i += 4 {
		sum += float64(img.Pix[i])
	}
	return sum / 255 * box.Area() / float64(w*h), nil
}

// Optical is how large a candidate looks, in page units: the geometric mean of the
// side of a square of as much ink, and of its height. By ink alone a thin script would
// become huge, by height alone a wide wordmark.
func (c *Candidate) Optical() float64 {
	return math.Sqrt(math.Sqrt(max(c.Ink, c.Box.Area()/1000)) * c.Box.H())
}

// A Layout says how a board is laid out. The zero Layout is wide A4, by candidate.
type Layout struct {
	Paper    string `json:"paper,omitempty"`     // a4 or letter
	Tall     bool   `json:"tall,omitempty"`      // the page stands upright
	ByGround bool   `json:"by_ground,omitempty"` // a row for each ground, instead of a cell for each candidate
	Ground   string `json:"ground,omitempty"`    // of choice: #rrggbb; none if empty. Each stands there as is advised
	Notes    bool   `json:"notes,omitempty"`     // room to write
	Title    string `json:"title,omitempty"`
	Line     string `json:"line,omitempty"` // at the foot
}

// Check says in a sentence what of a layout cannot be.
func (l Layout) Check() error {
	if _, ok := sheet.Papers[l.Paper]; l.Paper != "" && !ok {
		return fmt.Errorf("%q is no paper of a board: a4 or letter", l.Paper)
	}
	if l.Ground != "" {
		if _, err := colour.ParseHex(l.Ground); err != nil {
			return fmt.Errorf("the ground: %w", err)
		}
	}
	return nil
}

// A view is a candidate on a ground.
type view struct {
	name   string
	ground colour.Colour
	of     func(c *Candidate) *drawing.Drawing
}

// says is the view as a title.
func (v view) says() string {
	switch v.name {
	case "one ink":
		return "in one ink"
	case "reversed":
		return "in one ink, reversed"
	}
	if strings.HasPrefix(v.name, "#") {
		return "on " + v.name + ", as is advised"
	}
	return "on " + v.name
}

func (l Layout) views() []view {
	inColour := func(c *Candidate) *drawing.Drawing { return c.Colour }
	white := colour.Colour{RGB: colour.White, Built: true}
	black := colour.Colour{RGB: colour.Black, Build: colour.CMYK{K: 100}, Built: true}
	vs := []view{{"white", white, inColour}, {"one ink", white, func(c *Candidate) *drawing.Drawing { return c.Black }},
		{"mid grey", sheet.Grey(0x80), inColour}, {"black", black, inColour}, {"reversed", black, func(c *Candidate) *drawing.Drawing { return c.White }}}
	if g, err := colour.ParseHex(l.Ground); err == nil && l.Ground != "" {
		vs = append(vs, view{l.Ground, colour.Screen(g), func(c *Candidate) *drawing.Drawing { return c.On(g) }})
	}
	return vs
}

// Measures of a page, in mm.
const (
	margin = 14
	gap    = 5
	head   = 14
	foot   = 9
	label  = 6
)

// chosen is the colour of what is marked.
var chosen = colour.Colour{RGB: colour.FromBytes(0x2c, 0x52, 0x82), Build: colour.CMYK{C: 85, M: 60, Y: 10, K: 20}, Built: true}

var edge = sheet.Grey(0xc4)

// Page draws a board.
func Page(cs []Candidate, l Layout) (export.Page, error) {
	if err := l.Check(); err != nil {
		return export.Page{}, err
	}
	if len(cs) < Least || len(cs) > Most {
		return export.Page{}, fmt.Errorf("a board has %d to %d candidates, not %d", Least, Most, len(cs))
	}
	w, h := sheet.Layout{Paper: l.Paper, Wide: !l.Tall}.Size()
	b := builder{cs: cs, l: l, area: geom.Rect{X0: margin, Y0: margin, X1: w - margin, Y1: h - margin}}
	if l.Title != "" {
		t := sheet.NewWriter(6, 750, sheet.Printed)
		for t.Width(l.Title) > b.area.W() && t.Size > 3 {
			t.Size *= 0.9
		}
		b.add(t.Line(l.Title, geom.Pt(margin, margin+5)))
		b.area.Y0 += head
	}
	if l.Line != "" {
		b.add(sheet.NewWriter(2.9, 450, sheet.Quiet).Line(l.Line, geom.Pt(margin, h-margin+2)))
		b.area.Y1 -= foot - 4
	}
	if l.ByGround {
		b.byGround()
	} else {
		b.byCandidate()
	}
	page := geom.Rect{X1: w, Y1: h}
	return export.Page{Drawing: &drawing.Drawing{Title: l.Title, Page: page, Nodes: b.nodes}, Frame: frame.Frame{Box: page, W: w * 96 / 25.4, H: h * 96 / 25.4}}, nil
}

// A builder gathers what is on the page.
type builder struct {
	cs    []Candidate
	l     Layout
	area  geom.Rect
	nodes []drawing.Node
}

func (b *builder) add(ns ...drawing.Node) {
	for _, n := range ns {
		if n != nil {
			b.nodes = append(b.nodes, n)
		}
	}
}

// A scale is by how much an optical size of 1 is enlarged in a box of w × h.
type scale struct{ k, w, h float64 }

// odd is how far below the middle one candidate may keep the others: what is much
// wider or taller than they are is set smaller than they.
const odd = 0.6

// scaleFor lets every candidate keep within a box.
func scaleFor(cs []Candidate, w, h float64) scale {
	ks := make([]float64, len(cs))
	s := scale{w: w, h: h}
	for i := range cs {
		ks[i] = s.most(&cs[i])
	}
	slices.Sort(ks)
	s.k = max(ks[0], min(ks[len(ks)/2]*odd, ks[len(ks)-1]))
	return s
}

// most is how large a candidate can be in the box.
func (s scale) most(c *Candidate) float64 {
	return min(s.w/c.Box.W(), s.h/c.Box.H()) * c.Optical()
}

// of is by how much a candidate's own units are enlarged.
func (s scale) of(c *Candidate) float64 { return min(s.k, s.most(c)) / c.Optical() }

// smaller reports whether a candidate is set smaller than the others.
func (s scale) smaller(c *Candidate) bool { return s.most(c) < s.k*(1-1e-9) }

// show puts a candidate on a ground, k large.
func show(c *Candidate, v view, r geom.Rect, k scale) (ns []drawing.Node) {
	ns = append(ns, sheet.Fill(geom.Box(r), v.ground))
	if v.ground.RGB.NearWhite() {
		ns = append(ns, sheet.Frame(r, 0.15, edge))
	}
	d := v.of(c)
	if d == nil {
		says := sheet.NewWriter(min(2.6, r.W()/12), 450, sheet.Quiet)
		t, _ := says.Text("not in one ink", geom.Pt(r.X0+1.5, r.Centre().Y), r.W()-3)
		return append(ns, t...)
	}
	art, _ := sheet.Put(d.Nodes, c.Box, r.Centre(), k.of(c))
	return append(ns, &drawing.Group{Nodes: art, Alpha: 1, Clip: []drawing.Region{{Path: geom.Box(r)}}})
}

// name writes the number and the name of a candidate, and that it is chosen.
func (b *builder) name(i int, at geom.Point, width float64, smaller bool) {
	c := &b.cs[i]
	size := min(3.6, width/10)
	n := sheet.NewWriter(size, 750, sheet.Printed)
	number := fmt.Sprint(i + 1)
	if c.Chosen {
		n.Colour = chosen
	}
	b.add(n.Line(number, at))
	x := at.X + n.Width(number) + size*0.6
	rest := sheet.NewWriter(size*0.85, 450, sheet.Quiet)
	word := c.Name
	if smaller {
		word += " · set smaller than the others"
	}
	if c.Chosen {
		mark := sheet.NewWriter(size*0.85, 700, chosen)
		b.add(mark.Line("chosen", geom.Pt(x, at.Y)))
		x += mark.Width("chosen ") + size*0.4
	}
	b.add(rest.Line(sheet.Shorten(rest, word, at.X+width-x), geom.Pt(x, at.Y)))
}

// columns is how many cells of a shape stand side by side so that n of them are as
// large as can be.
func columns(n int, w, h, shape float64) int {
	best, most := 1, 0.0
	for c := 1; c <= n; c++ {
		rows := (n + c - 1) / c
		cw, ch := (w-gap*float64(c-1))/float64(c), (h-gap*float64(rows-1))/float64(rows)
		if s := min(cw, ch*shape); s > most+1e-9 {
			best, most = c, s
		}
	}
	return best
}

// byCandidate gives each a cell: large on white, and the other views small below.
func (b *builder) byCandidate() {
	vs := b.l.views()
	n := columns(len(b.cs), b.area.W(), b.area.H(), 1.15)
	rows := (len(b.cs) + n - 1) / n
	cw, ch := (b.area.W()-gap*float64(n-1))/float64(n), (b.area.H()-gap*float64(rows-1))/float64(rows)
	notes := 0.0
	if b.l.Notes {
		notes = min(14, ch*0.2)
	}
	strip := min((cw-float64(len(vs)-2))/float64(len(vs)-1)*0.75, ch*0.24)
	large := ch - label - strip - 1 - notes
	const free = 0.78 // of a picture is for art
	k := scaleFor(b.cs, cw*free, large*free)
	each := (cw - float64(len(vs)-2)) / float64(len(vs)-1)
	ks := scaleFor(b.cs, each*free, strip*free)
	for i := range b.cs {
		c := &b.cs[i]
		x, y := b.area.X0+float64(i%n)*(cw+gap), b.area.Y0+float64(i/n)*(ch+gap)
		b.name(i, geom.Pt(x, y+4), cw, k.smaller(c))
		r := geom.Rect{X0: x, Y0: y + label, X1: x + cw, Y1: y + label + large}
		b.add(show(c, vs[0], r, k)...)
		for j, v := range vs[1:] {
			s := geom.Rect{X0: x + float64(j)*(each+1), Y0: r.Y1 + 1}
			s.X1, s.Y1 = s.X0+each, s.Y0+strip
			b.add(show(c, v, s, ks)...)
		}
		if c.Chosen {
			b.add(sheet.Frame(geom.Rect{X0: x, Y0: y + label, X1: x + cw, Y1: r.Y1 + 1 + strip}.Grow(0.9), 0.7, chosen))
		}
		b.lines(geom.Rect{X0: x, Y0: r.Y1 + 1 + strip, X1: x + cw, Y1: r.Y1 + 1 + strip + notes})
	}
}

// lines are room for notes.
func (b *builder) lines(r geom.Rect) {
	const apart = 5
	for y := r.Y0 + apart; y < r.Y1+0.1; y += apart {
		b.add(sheet.Fill(geom.Box(geom.Rect{X0: r.X0, Y0: y, X1: r.X1, Y1: y + 0.15}), edge))
	}
}

// byGround gives each ground a row, with all candidates on it.
func (b *builder) byGround() {
	vs := b.l.views()
	b.legend()
	names, notes := float64(label), 0.0
	if b.l.Notes {
		notes = 14
	}
	// Many candidates stand in several lines.
	high := (b.area.H() - notes - 2*float64(len(vs)-1)) / float64(len(vs))
	n := columns(len(b.cs), b.area.W(), high, 1.2)
	lines := (len(b.cs) + n - 1) / n
	cw, ch := b.area.W()/float64(n), (high-names)/float64(lines)
	const free = 0.76
	k := scaleFor(b.cs, cw*free, (ch-3)*free)
	for j, v := range vs {
		y := b.area.Y0 + float64(j)*(high+2)
		title := sheet.NewWriter(2.8, 650, sheet.Quiet)
		b.add(title.Line(v.says(), geom.Pt(b.area.X0, y+3.6)))
		b.add(sheet.Fill(geom.Box(geom.Rect{X0: b.area.X0, Y0: y + names - 1, X1: b.area.X1, Y1: y + high}), v.ground))
		if v.ground.RGB.NearWhite() {
			b.add(sheet.Frame(geom.Rect{X0: b.area.X0, Y0: y + names - 1, X1: b.area.X1, Y1: y + high}, 0.15, edge))
		}
		ink := sheet.Printed
		if colour.Contrast(v.ground.RGB, colour.White) > 4.5 { // WCAG 2.2, 1.4.3
			ink = colour.Colour{RGB: colour.White, Built: true}
		}
		for i := range b.cs {
			c := &b.cs[i]
			r := geom.Rect{X0: b.area.X0 + float64(i%n)*cw, Y0: y + names + float64(i/n)*ch}
			r.X1, r.Y1 = r.X0+cw, r.Y0+ch
			number := sheet.NewWriter(min(3, ch/7), 700, ink)
			if d := v.of(c); d != nil {
				art, _ := sheet.Put(d.Nodes, c.Box, r.Centre(), k.of(c))
				b.add(&drawing.Group{Nodes: art, Alpha: 1, Clip: []drawing.Region{{Path: geom.Box(r)}}})
			}
			b.add(number.Line(fmt.Sprint(i+1), geom.Pt(r.X0+1.2, r.Y0+number.Size)))
			if c.Chosen {
				b.add(sheet.Frame(r.Grow(-0.4), 0.6, chosen))
			}
		}
	}
	b.lines(geom.Rect{X0: b.area.X0, Y0: b.area.Y1 - notes, X1: b.area.X1, Y1: b.area.Y1})
}

// legend tells above all rows which number is which candidate.
func (b *builder) legend() {
	const most, high = 4, 4.4 // lines, and how high each is, in mm
	var all []string
	for i, c := range b.cs {
		all = append(all, fmt.Sprintf("%d\u00a0%s", i+1, strings.ReplaceAll(c.Name, " ", "\u00a0")))
	}
	w := sheet.NewWriter(3, 500, sheet.Printed)
	lines := w.Lines(strings.Join(all, ", "), b.area.W())
	if len(lines) > most {
		lines = append(lines[:most-1], sheet.Shorten(w, strings.Join(lines[most-1:], " "), b.area.W()))
	}
	for i, l := range lines {
		b.add(w.Line(l, geom.Pt(b.area.X0, b.area.Y0+3+high*float64(i))))
	}
	b.area.Y0 += high*float64(len(lines)) + 2
}

// ErrNone is returned where a candidate is asked for that is not there.
var ErrNone = errors.New("there is no such candidate")

// One draws one candidate as it stands beside the others, on a page of w × h mm: large
// on a ground, by the name of the view.
func One(cs []Candidate, i int, l Layout, on string, w, h float64) (export.Page, error) {
	if i < 0 || i >= len(cs) {
		return export.Page{}, ErrNone
	}
	for _, v := range l.views() {
		if v.name == on {
			r := geom.Rect{X1: w, Y1: h}
			const free = 0.8
			d := &drawing.Drawing{Page: r, Nodes: show(&cs[i], v, r, scaleFor(cs, w*free, h*free))}
			return export.Page{Drawing: d, Frame: frame.Frame{Box: r, W: w * 96 / 25.4, H: h * 96 / 25.4}}, nil
		}
	}
	return export.Page{}, ErrNone
}

// Views are the names of the views of a layout.
func (l Layout) Views() (names []string) {
	for _, v := range l.views() {
		names = append(names, v.name)
	}
	return names
}
