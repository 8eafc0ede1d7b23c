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
	"strings"

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
	if l.One {
		return onePage(c, l, w, h)
	}
	b := &builder{c: c, w: w, h: h, margin: margin, scale: 1, columns: 1}
	b.lay(l.Blocks)
	return &Sheet{b.finish(1), b.places}, nil
}

// What is put on one page is set smaller and in columns, as large as it will go; below
// leastScale nobody could read its small words (5 pt: common practice). A column is no
// narrower than its pictures want.
const (
	leastScale  = 0.5
	scaleStep   = 0.02
	mostColumns = 3
	leastColumn = 165 // mm, before it is set smaller: swatches, values and tints of an ink
)

// onePage lays all blocks on one page, or says that they do not fit.
func onePage(c *Content, l Layout, w, h float64) (*Sheet, error) {
	for k := 1.0; k >= leastScale-1e-9; k -= scaleStep {
		for n := 1; n <= mostColumns; n++ {
			try := builder{c: c, w: w / k, h: h / k, margin: margin / k, scale: k, one: true, columns: n, dry: true}
			if n > 1 && try.width() < leastColumn {
				break
			}
			b := try
			if try.lay(l.Blocks); !try.over {
				b.dry = false
				b.lay(l.Blocks)
				return &Sheet{b.finish(k), b.places}, nil
			}
		}
	}
	return nil, fmt.Errorf("all of it does not fit on one page so that it can be read: leave out blocks (there are %s), or let it run over several pages", strings.Join(l.Blocks, ", "))
}

// lay fills pages with blocks.
func (b *builder) lay(blocks []string) {
	b.page()
	b.head()
	for _, name := range blocks {
		if !b.over {
			b.block(name, b.rows(name))
		}
	}
}

// A row is a piece of a block that stays together.
type row struct {
	high float64
	draw func(x, y float64) []drawing.Node
}

// A builder fills pages from the top, column by column.
type builder struct {
	c       *Content
	w, h    float64
	margin  float64
	scale   float64 // that it is set in: lengths of the real world are divided by it
	dry     bool    // nothing is drawn: it is to be seen whether it fits
	one     bool    // there is one page and no other, and
	over    bool    // it is too small
	columns int
	column  int // that is filled
	pages   [][]drawing.Node
	y       float64 // where the next row begins

	places []Place
}

// between columns, in mm.
const between = 12

// width is that of a column, and left where the one that is filled begins.
func (b *builder) width() float64 {
	return (b.w - 2*b.margin - between*float64(b.columns-1)) / float64(b.columns)
}
func (b *builder) left() float64 { return b.margin + float64(b.column)*(b.width()+between) }

func (b *builder) page() {
	b.pages = append(b.pages, nil)
	b.y, b.column = b.margin, 0
}

func (b *builder) add(ns ...drawing.Node) {
	for _, n := range ns {
		if n != nil {
			b.pages[len(b.pages)-1] = append(b.pages[len(b.pages)-1], n)
		}
	}
}

// room makes sure that so much fits below what there is, and tells whether a new column
// or page begins.
func (b *builder) room(high float64) bool {
	switch {
	case b.y+high <= b.h-b.margin-foot:
		return false
	case b.y <= b.margin: // there is nothing above it that could make room
		b.over = b.over || b.one
		return false
	case b.column+1 < b.columns:
		b.column++
		b.y = b.margin
	case b.one:
		b.over = true
		return false
	default:
		b.page()
	}
	return true
}

// head is the name and the mark, large, above all.
func (b *builder) head() {
	i := slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Drawing != nil && !v.Light && !v.Part })
	if i < 0 {
		i = slices.IndexFunc(b.c.Versions, func(v Version) bool { return v.Drawing != nil })
	}
	v := b.c.Versions[i]
	if b.dry {
		b.y = b.margin + b.headHigh() + 8
		return
	}
	right := b.margin + b.width()
	at := geom.Rect{X0: right - 60, Y0: b.margin, X1: right, Y1: b.margin + headArt}
	if v.Light {
		b.add(Fill(geom.Box(at), dark))
	}
	art, _ := Fit(v.Drawing.Nodes, v.Box, at.Grow(-2))
	b.add(art...)
	title, _ := b.title()
	ns, high2 := title.Text(b.c.Brand, geom.Pt(b.margin, b.margin+9), b.width()-68)
	b.add(ns...)
	b.add(NewWriter(4, 450, Quiet).Line("How the mark is used", geom.Pt(b.margin, b.margin+9+high2)))
	b.y = b.margin + b.headHigh() + 8
}

// headArt is how high the mark stands beside the name, in mm.
const headArt = 34

// title writes the name of the brand, in two lines at most unless it is very long.
func (b *builder) title() (w Writer, high float64) {
	w = NewWriter(10, 750, Printed)
	lines := w.Lines(b.c.Brand, b.width()-68)
	for len(lines) > 2 && w.Size > 4 {
		w.Size--
		lines = w.Lines(b.c.Brand, b.width()-68)
	}
	return w, leading * w.Size * float64(len(lines))
}

func (b *builder) headHigh() float64 {
	_, high := b.title()
	return max(headArt, high+14)
}

// block lays a title and rows below one another.
func (b *builder) block(name string, rows []row) {
	const above, below = 4, 4.5
	if len(rows) == 0 {
		return
	}
	b.room(above + 6 + below + rows[0].high)
	b.y += above
	b.begin(name)
	if !b.dry {
		b.add(Fill(geom.Box(geom.Rect{X0: b.left(), Y0: b.y, X1: b.left() + b.width(), Y1: b.y + 0.25}), Printed))
		b.add(NewWriter(4.6, 700, Printed).Line(Titles[name], geom.Pt(b.left(), b.y+6)))
	}
	b.y += 6 + below
	for _, r := range rows {
		if b.room(r.high) {
			b.begin(name)
		}
		if !b.dry {
			b.add(r.draw(b.left(), b.y)...)
		}
		b.y += r.high
		b.places[len(b.places)-1].Box.Y1 = b.y
	}
	b.y += 3
}

// begin notes that a block, or a piece of it, begins here.
func (b *builder) begin(name string) {
	b.places = append(b.places, Place{name, len(b.pages) - 1, geom.Rect{X0: b.left(), Y0: b.y, X1: b.left() + b.width(), Y1: b.y}})
}

// finish numbers the pages, and sets them k times as large.
func (b *builder) finish(k float64) []export.Page {
	if k != 1 {
		m := geom.Scale(k, k)
		for i, ns := range b.pages {
			b.pages[i] = []drawing.Node{&drawing.Group{Nodes: drawing.Moved(ns, m), Alpha: 1}}
		}
		for i := range b.places {
			b.places[i].Box = m.Rect(b.places[i].Box)
		}
		b.w, b.h, b.margin, b.columns = b.w*k, b.h*k, b.margin*k, 1
	}
	out := make([]export.Page, len(b.pages))
	page := geom.Rect{X1: b.w, Y1: b.h}
	small := NewWriter(2.9, 450, Quiet)
	for i, ns := range b.pages {
		y := b.h - foot
		if b.c.Line != "" {
			ns = append(ns, small.Line(b.c.Line, geom.Pt(b.margin, y)))
		}
		if n := fmt.Sprintf("%s · %d of %d", b.c.Brand, i+1, len(b.pages)); small.Width(n) < b.width()/2 {
			ns = append(ns, small.Line(n, geom.Pt(b.w-b.margin-small.Width(n), y)))
		}
		d := &drawing.Drawing{Title: b.c.Brand, Page: page, Nodes: slices.DeleteFunc(ns, func(n drawing.Node) bool { return n == nil })}
		out[i] = export.Page{Drawing: d, Frame: frame.Frame{Box: page, W: b.w * 96 / 25.4, H: b.h * 96 / 25.4}}
	}
	return out
}
