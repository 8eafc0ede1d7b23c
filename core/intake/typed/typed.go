// Package typed makes a mark of words: lines of text set in fonts that are at
// hand, with an ornament between, as outlines. What was typed is a small JSON
// document, which is the master and is kept like any other.
package typed

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/language"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/text"
)

// Limits of a typed mark.
const (
	MaxLines   = 4
	MaxLetters = 80 // of a line
	MaxBytes   = 64 << 10
)

// Version is that of the document; Mark is how one begins.
const (
	Version = 1
	Begins  = `{"typed":`
)

// A Doc is what was typed.
type Doc struct {
	Typed int    `json:"typed"` // Version
	Lines []Line `json:"lines"`
	Align string `json:"align,omitempty"` // left, centre or right; centre if empty
	// Gap is from one baseline to the next, in the mean of the two sizes.
	Gap float64 `json:"gap,omitempty"`
	// Between is the ornament between the lines: rule, dot, diamond, or none.
	Between string `json:"between,omitempty"`
	Ink     string `json:"ink,omitempty"` // #rrggbb
	// Year stands for {year} in the lines; Follows says that it is meant to be
	// this year's.
	Year    int  `json:"year,omitempty"`
	Follows bool `json:"follows,omitempty"`
}

// A Line is words set alike.
type Line struct {
	Text     string  `json:"text"`
	Font     string  `json:"font"`
	Weight   float64 `json:"weight,omitempty"` // 1 to 1000; 400 if 0
	Width    float64 `json:"width,omitempty"`  // of the letters, percent, 50 to 200; 100 if 0
	Italic   bool    `json:"italic,omitempty"`
	Size     float64 `json:"size,omitempty"`     // of the em, px; 96 if 0
	Tracking float64 `json:"tracking,omitempty"` // thousandths of the em, behind each letter
	Case     string  `json:"case,omitempty"`     // upper or lower; as typed if empty
	Fit      bool    `json:"fit,omitempty"`      // made as wide as the first line
	// Kern moves what follows a letter, counted from 0, by thousandths of the em.
	Kern map[string]float64 `json:"kern,omitempty"`
}

// Choices of a document, in the order in which they are offered.
var (
	Aligns   = []string{"left", "centre", "right"}
	Betweens = []string{"none", "rule", "dot", "diamond"}
	Cases    = []string{"as typed", "upper", "lower"}
)

// Parse reads a document. Errors say in a sentence what is wrong.
func Parse(data []byte) (*Doc, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the typed mark is larger than %d kB", MaxBytes>>10)
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	var d Doc
	if err := dec.Decode(&d); err != nil {
		return nil, fmt.Errorf("the typed mark cannot be read: %w", err)
	}
	return &d, d.Check()
}

// Bytes is the document as it is kept; equal documents give equal bytes.
func (d *Doc) Bytes() ([]byte, error) {
	d.Typed = Version
	return json.Marshal(d)
}

// Check reports what cannot be set.
func (d *Doc) Check() error {
	if d.Typed != Version {
		return fmt.Errorf("the typed mark is of version %d, which is not known here", d.Typed)
	}
	if len(d.Lines) == 0 || len(d.Lines) > MaxLines {
		return fmt.Errorf("a typed mark has 1 to %d lines", MaxLines)
	}
	if d.Align != "" && !slices.Contains(Aligns, d.Align) {
		return fmt.Errorf("%q is no way to align lines; there are left, centre and right", d.Align)
	}
	if d.Between != "" && !slices.Contains(Betweens, d.Between) {
		return fmt.Errorf("%q is no ornament; there are rule, dot and diamond", d.Between)
	}
	if !within(d.Gap, 0, 10) {
		return errors.New("the distance of the lines is 0 to 10 sizes")
	}
	if d.Year < 0 || d.Year > 9999 {
		return fmt.Errorf("%d is no year", d.Year)
	}
	if d.Ink != "" {
		if _, err := colour.ParseHex(d.Ink); err != nil {
			return err
		}
	}
	for i, l := range d.Lines {
		if err := l.check(d.Year); err != nil {
			return fmt.Errorf("line %d: %w", i+1, err)
		}
	}
	return nil
}

func within(v, lo, hi float64) bool { return v >= lo && v <= hi }

func (l Line) check(year int) error {
	n := utf8.RuneCountInString(l.Text)
	switch {
	case strings.TrimSpace(l.Text) == "":
		return errors.New("there is nothing to set")
	case !utf8.ValidString(l.Text) || strings.ContainsFunc(l.Text, unicode.IsControl):
		return errors.New("the text has signs that cannot be read")
	case n > MaxLetters:
		return fmt.Errorf("the text has %d letters; at most %d are set", n, MaxLetters)
	case strings.Contains(l.Text, "{year}") && year == 0:
		return errors.New("the text has {year}, and no year is given")
	case strings.TrimSpace(l.Font) == "":
		return errors.New("no font is chosen")
	case !within(l.Weight, 0, 1000):
		return fmt.Errorf("a weight is 1 to 1000, not %g", l.Weight)
	case l.Width != 0 && !within(l.Width, 50, 200):
		return fmt.Errorf("a width is 50 to 200 percent, not %g", l.Width)
	case !within(l.Size, 0, 2000):
		return fmt.Errorf("a size is up to 2000 px, not %g", l.Size)
	case !within(l.Tracking, -300, 2000):
		return fmt.Errorf("tracking is -300 to 2000 thousandths, not %g", l.Tracking)
	case l.Case != "" && !slices.Contains(Cases, l.Case):
		return fmt.Errorf("%q is no case; there are upper and lower", l.Case)
	}
	for k, v := range l.Kern {
		if i, err := strconv.Atoi(k); err != nil || i < 0 || i > MaxLetters || !within(v, -1000, 1000) {
			return fmt.Errorf("kerning of %g behind letter %q makes no sense", v, k)
		}
	}
	return nil
}

// words are the letters of a line as they are set.
func (l Line) words(year int) []rune {
	s := strings.ReplaceAll(l.Text, "{year}", strconv.Itoa(year))
	switch l.Case { // of whole words: ß becomes SS, and a last Σ ς
	case "upper":
		s = cases.Upper(language.Und).String(s)
	case "lower":
		s = cases.Lower(language.Und).String(s)
	}
	return []rune(s)
}

// A Gap is the place between two letters, on the page.
type Gap struct {
	Line, Letter int // behind this letter, from 0
	X, Y0, Y1    float64
	Kern         float64
}

// A set line: its outlines about a baseline that begins at 0, 0.
type set struct {
	path geom.Path
	size float64
	gaps []Gap
}

// Read makes the drawing of a document.
func Read(data []byte, have *fonts.Set) (*drawing.Drawing, finding.List, error) {
	d, err := Parse(data)
	if err != nil {
		return nil, nil, err
	}
	if have == nil {
		have = fonts.Shipped()
	}
	out, _, err := d.Draw(have)
	if err != nil {
		return nil, nil, err
	}
	var fs finding.List
	fs.Add(finding.LiveText, finding.Mended, "the words became shapes, so that nobody needs the font", "", geom.Rect{})
	return out, fs, nil
}

// Draw sets the lines and tells where the gaps between letters are.
func (d *Doc) Draw(have *fonts.Set) (*drawing.Drawing, []Gap, error) {
	var lines []set
	for i, l := range d.Lines {
		s, err := l.set(d.Year, have, l.size())
		if err != nil {
			return nil, nil, fmt.Errorf("line %d: %w", i+1, err)
		}
		if own := s.path.Bounds().W(); i > 0 && l.Fit && own > 0 {
			first := lines[0].path.Bounds().W()
			if s, err = l.set(d.Year, have, l.size()*first/own); err != nil {
				return nil, nil, fmt.Errorf("line %d: %w", i+1, err)
			}
		}
		if len(s.path) == 0 {
			return nil, nil, fmt.Errorf("line %d: there is nothing to be seen in it", i+1)
		}
		lines = append(lines, s)
	}
	wide := 0.0
	for _, s := range lines {
		wide = max(wide, s.path.Bounds().W())
	}
	ink := colour.Screen(colour.Black)
	if d.Ink != "" {
		c, err := colour.ParseHex(d.Ink)
		if err != nil {
			return nil, nil, err
		}
		ink = colour.Screen(c)
	}
	out := &drawing.Drawing{Title: string(d.Lines[0].words(d.Year))}
	for _, l := range d.Lines {
		if !slices.Contains(out.Set, l.Font) {
			out.Set = append(out.Set, l.Font)
		}
	}
	paint := func(p geom.Path, part string) {
		out.Nodes = append(out.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: ink, Alpha: 1}, Part: part, Origin: drawing.Lettered})
	}
	gap := d.Gap
	if gap == 0 {
		gap = 1.25
	}
	base := 0.0
	var gaps []Gap
	for i, s := range lines {
		b := s.path.Bounds()
		if i > 0 {
			last := lines[i-1]
			step := gap * (s.size + last.size) / 2
			if o := d.ornament(wide, min(s.size, last.size)); o != nil {
				step += 0.35 * min(s.size, last.size)
				// In the middle of the room between the lines.
				under, over := base+last.path.Bounds().Y1, base+step+b.Y0
				paint(o.Transform(geom.Translate(0, (under+over)/2)), "ornament")
			}
			base += step
		}
		x := -b.X0
		switch d.Align {
		case "", "centre":
			x += (wide - b.W()) / 2
		case "right":
			x += wide - b.W()
		}
		paint(s.path.Transform(geom.Translate(x, base)), partName(i))
		for _, g := range s.gaps {
			g.Line = i
			g.X, g.Y0, g.Y1 = g.X+x, base+b.Y0, base+b.Y1
			gaps = append(gaps, g)
		}
	}
	page := out.Bounds()
	out.Nodes = drawing.Moved(out.Nodes, geom.Translate(-page.X0, -page.Y0))
	out.Page = geom.Rect{X1: page.W(), Y1: page.H()}
	for i := range gaps {
		gaps[i].X -= page.X0
		gaps[i].Y0 -= page.Y0
		gaps[i].Y1 -= page.Y0
	}
	return out, gaps, nil
}

func partName(i int) string {
	return []string{"wordmark", "tagline", "third line", "fourth line"}[i]
}

// ornament is what stands between lines, about the middle of a width; nil for
// none. Its measures are shares of the smaller size.
func (d *Doc) ornament(wide, size float64) geom.Path {
	mid := geom.Pt(wide/2, 0)
	switch d.Align {
	case "left":
		mid.X = size / 10
	case "right":
		mid.X = wide - size/10
	}
	switch d.Between {
	case "rule":
		h := size * 0.045
		return geom.Box(geom.Rect{Y0: -h / 2, X1: wide, Y1: h / 2})
	case "dot":
		return geom.Ellipse(mid, size/10, size/10)
	case "diamond":
		r := size * 0.13
		var p geom.Path
		p.MoveTo(mid.Add(geom.Pt(0, -r)))
		p.LineTo(mid.Add(geom.Pt(r, 0)))
		p.LineTo(mid.Add(geom.Pt(0, r)))
		p.LineTo(mid.Add(geom.Pt(-r, 0)))
		p.Close()
		return p
	}
	return nil
}

func (l Line) size() float64 {
	if l.Size == 0 {
		return 96
	}
	return l.Size
}

// Check reports what is wrong with a line by itself, in a sentence.
func (l Line) Check() error { return l.check(0) }

// Outline is the line as a path, in px, about a base line that begins at 0, 0.
func (l Line) Outline(have *fonts.Set) (geom.Path, error) {
	s, err := l.set(0, have, l.size())
	return s.path, err
}

// set makes outlines of a line.
func (l Line) set(year int, have *fonts.Set, size float64) (set, error) {
	letters := l.words(year)
	style := fonts.Style{Weight: l.Weight, Width: l.Width, Italic: l.Italic}
	faces := have.Find(l.Font, style)
	if len(faces) == 0 && l.Italic {
		return set{}, fmt.Errorf("the font %q has no italic here", l.Font)
	}
	if len(faces) == 0 {
		return set{}, fmt.Errorf("the font %q is not here; add its file", l.Font)
	}
	var face *fonts.Face
	var lacks rune
	for _, f := range faces {
		i := slices.IndexFunc(letters, func(r rune) bool { return !f.Has(r) })
		if i < 0 {
			face = f
			break
		}
		lacks = letters[i]
	}
	if face == nil {
		return set{}, fmt.Errorf("the font %q has no letter %q", l.Font, lacks)
	}
	run := text.Run{Face: face, Size: size, Style: style, Letter: l.Tracking / 1000 * size}
	if len(l.Kern) > 0 && run.Letter == 0 {
		run.Letter = math.SmallestNonzeroFloat64 // pairs are nudged letter by letter: no ligatures
	}
	glyphs, _ := run.Set(letters, geom.Point{})
	out := set{size: size}
	shift := 0.0
	for i, g := range glyphs {
		g.At.X += shift
		out.path = append(out.path, g.Path.Transform(g.Place())...)
		k := l.Kern[strconv.Itoa(g.Letter)]
		if i+1 < len(glyphs) && g.Advance != 0 {
			out.gaps = append(out.gaps, Gap{Letter: g.Letter, X: g.At.X + g.Advance + k/1000*size, Kern: k})
		}
		shift += k / 1000 * size
	}
	return out, nil
}
