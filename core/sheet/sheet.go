// Package sheet draws the brand sheet of a mark: its versions on their grounds, its
// inks with all values, clear space, smallest size and wrong uses, with measures, on
// one page or several.
//
// A sheet is drawings, in mm, so that every writer can write it; all words are
// outlines. What it says comes in as Content: nothing is found out here.
package sheet

import (
	"errors"
	"fmt"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/fonts"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

// A Content is what is said of a mark.
type Content struct {
	Brand    string
	Line     string // of whoever made it, at the foot of each page
	Versions []Version
	Inks     []Ink
	Fonts    []Font
	Art      geom.Rect // of the whole mark, in page units of its first version
	Room     Room
	Smallest []Smallest // of the whole mark first, then of lockups
	Grounds  []Ground
}

// A Version is one of the mark.
type Version struct {
	Name    string
	Says    string // how it is printed, in a few words
	Drawing *drawing.Drawing
	Box     geom.Rect // its frame
	Light   bool      // for dark grounds
	Own     bool      // it has a ground of its own
	Part    bool      // of the mark, as a lockup
}

// An Ink is a colour of the mark.
type Ink struct {
	Name   string
	Colour colour.Colour
	Build  colour.CMYK // as the press prints it
}

// A Font is a family in which letters of the mark were set.
type Font struct {
	Family string
	Faces  []*fonts.Face
}

// A Smallest is how small a version may be.
type Smallest struct {
	Version string
	Px      int     // wide on a screen; 0 where no rule is given
	MM      float64 // in print
	Says    string  // the reason, or what is the matter
}

// A Room is what stays free round the mark; there is none if Free is 0.
type Room struct {
	Free float64 // page units
	Says string  // in a measure of the mark: "the cap height"
	// Shown is a letter, the symbol or the whole: what is measured, in page units.
	Shown geom.Rect
}

// A Ground is what the mark is put on, and the version for it.
type Ground struct {
	Name    string
	Colour  colour.Colour
	Version string // "" if none stands there
	Says    string // why, in a sentence
}

// Papers by their names, in mm.
var Papers = map[string][2]float64{"a4": {210, 297}, "letter": {215.9, 279.4}} // ISO 216; ANSI/ASME Y14.1

// Blocks are the parts of a sheet in their usual order.
var Blocks = []string{"versions", "lockups", "inks", "fonts", "space", "small", "grounds", "wrong"}

// Titles of the blocks.
var Titles = map[string]string{
	"versions": "Versions", "lockups": "Lockups", "inks": "Inks", "fonts": "Fonts", "space": "Clear space",
	"small": "Smallest size", "grounds": "Which version on which ground", "wrong": "Not like this",
}

// A Layout says how a sheet is laid out. The zero Layout is all blocks on upright A4.
type Layout struct {
	Paper  string   `json:"paper,omitempty"` // a4 or letter
	Wide   bool     `json:"wide,omitempty"`  // the page lies on its side
	Blocks []string `json:"blocks,omitempty"`
	// One puts all on one page, smaller if it must be.
	One bool `json:"one,omitempty"`
}

// Check says in a sentence what of a layout cannot be.
func (l Layout) Check() error {
	if l.Paper != "" {
		if _, ok := Papers[l.Paper]; !ok {
			return fmt.Errorf("%q is no paper of a sheet: a4 or letter", l.Paper)
		}
	}
	for i, b := range l.Blocks {
		if !slices.Contains(Blocks, b) {
			return fmt.Errorf("%q is no block of a sheet; there are versions, lockups, inks, fonts, space, small, grounds and wrong", b)
		}
		if slices.Contains(l.Blocks[:i], b) {
			return fmt.Errorf("the block %s is there twice", b)
		}
	}
	return nil
}

// Size is that of a page, in mm.
func (l Layout) Size() (w, h float64) {
	p, ok := Papers[l.Paper]
	if !ok {
		p = Papers["a4"]
	}
	if l.Wide {
		return p[1], p[0]
	}
	return p[0], p[1]
}

// Measures of a page, in mm.
const (
	margin = 18
	gap    = 6
	foot   = 12 // above the lower edge
)

// A Sheet is pages, and where each block of them came to lie.
type Sheet struct {
	Pages  []export.Page
	Places []Place
}

// A Place is where a block, or a piece of it, lies on a page: in mm from its upper left.
type Place struct {
	Block string
	Page  int // from 0
	Box   geom.Rect
}

// Pages draws the sheet.
func Pages(c *Content, l Layout) (*Sheet, error) {
	if err := l.Check(); err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(c.Versions, func(v Version) bool { return v.Drawing != nil }) {
		return nil, errors.New("the mark has no version that can be shown")
	}
	if len(l.Blocks) == 0 {
		l.Blocks = Blocks
	}
	w, h := l.Size()
	b := &builder{c: c, w: w, h: h, one: l.One}
	b.page()
	b.head()
	for _, name := range l.Blocks {
		b.block(name, b.rows(name))
	}
	return &Sheet{b.finish(), b.places}, nil
}

// A row is a piece of a block that stays together.
type row struct {
	high float64
	draw func(x, y float64) []drawing.Node
}

// A builder fills pages from the top.
type builder struct {
	c     *Content
	w, h  float64
	one   bool
	pages [][]drawing.Node
	y     float64 // where the next row begins

	places []Place
}

// width is that of what is printed.
func (b *builder) width() float64 { return b.w - 2*margin }

func (b *builder) page() {
	b.pages = append(b.pages, nil)
	b.y = margin
}

func (b *builder) add(ns ...drawing.Node) {
	for _, n := range ns {
		if n != nil {
			b.pages[len(b.pages)-1] = append(b.pages[len(b.pages)-1], n)
		}
	}
}

// room makes sure that so much fits below what there is, and tells whether a new page
// begins.
func (b *builder) room(high float64) bool {
	if b.one || b.y+high <= b.h-margin-foot || b.y <= margin {
		return false
	}
	b.page()
	return true
}

// head is the name and the mark, large, above all.
func (b *builder) head() {
	const high = 34
	i := slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Drawing != nil && !v.Light && !v.Part })
	if i < 0 {
		i = slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Drawing != nil })
	}
	v := b.c.Versions[i]
	at := geom.Rect{X0: b.w - margin - 60, Y0: margin, X1: b.w - margin, Y1: margin + high}
	if v.Light {
		b.add(Fill(geom.Box(at), dark))
	}
	art, _ := Fit(v.Drawing.Nodes, v.Box, at.Grow(-2))
	b.add(art...)
	title := NewWriter(10, 750, Printed)
	lines := title.Lines(b.c.Brand, b.width()-68)
	for len(lines) > 2 && title.Size > 4 {
		title.Size--
		lines = title.Lines(b.c.Brand, b.width()-68)
	}
	ns, high2 := title.Text(b.c.Brand, geom.Pt(margin, margin+9), b.width()-68)
	b.add(ns...)
	b.add(NewWriter(4, 450, Quiet).Line("How the mark is used", geom.Pt(margin, margin+9+high2)))
	b.y = margin + max(high, high2+14) + 8
}

// block lays a title and rows below one another.
func (b *builder) block(name string, rows []row) {
	const above, below = 4, 4.5
	if len(rows) == 0 {
		return
	}
	b.room(above + 5 + below + rows[0].high)
	b.y += above
	b.begin(name)
	b.add(Fill(geom.Box(geom.Rect{X0: margin, Y0: b.y, X1: b.w - margin, Y1: b.y + 0.25}), Printed))
	b.y += 6
	b.add(NewWriter(4.6, 700, Printed).Line(Titles[name], geom.Pt(margin, b.y)))
	b.y += below
	for _, r := range rows {
		if b.room(r.high) {
			b.begin(name)
		}
		b.add(r.draw(margin, b.y)...)
		b.y += r.high
		b.places[len(b.places)-1].Box.Y1 = b.y
	}
	b.y += 3
}

// begin notes that a block, or a piece of it, begins here.
func (b *builder) begin(name string) {
	b.places = append(b.places, Place{name, len(b.pages) - 1, geom.Rect{X0: margin, Y0: b.y, X1: b.w - margin, Y1: b.y}})
}

// finish numbers the pages. All on one page is made as much smaller as it must be.
func (b *builder) finish() []export.Page {
	if b.one && b.y > b.h-margin-foot {
		k := (b.h - margin - foot) / b.y
		m := geom.Translate(b.w/2*(1-k), 0).Mul(geom.Scale(k, k))
		b.pages[0] = []drawing.Node{&drawing.Group{Nodes: drawing.Moved(b.pages[0], m), Alpha: 1}}
		for i := range b.places {
			b.places[i].Box = m.Rect(b.places[i].Box)
		}
	}
	out := make([]export.Page, len(b.pages))
	page := geom.Rect{X1: b.w, Y1: b.h}
	small := NewWriter(2.9, 450, Quiet)
	for i, ns := range b.pages {
		y := b.h - foot
		if b.c.Line != "" {
			ns = append(ns, small.Line(b.c.Line, geom.Pt(margin, y)))
		}
		if n := fmt.Sprintf("%s · %d of %d", b.c.Brand, i+1, len(b.pages)); small.Width(n) < b.width()/2 {
			ns = append(ns, small.Line(n, geom.Pt(b.w-margin-small.Width(n), y)))
		}
		d := &drawing.Drawing{Title: b.c.Brand, Page: page, Nodes: slices.DeleteFunc(ns, func(n drawing.Node) bool { return n == nil })}
		out[i] = export.Page{Drawing: d, Frame: frame.Frame{Box: page, W: b.w * 96 / 25.4, H: b.h * 96 / 25.4}}
	}
	return out
}
