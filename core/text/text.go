// Package text lays letters out as outlines: along a line or a path, with the
// gaps and the lines of decoration that are asked for.
//
// Which font is meant, and what is done where it is missing, is for the caller
// to decide; it knows no markup.
package text

import (
	"math"

	"dyekit/core/fonts"
	"dyekit/core/geom"
)

// A Run is how letters are set that are all of one kind. Lengths are in page
// units.
type Run struct {
	Face  *fonts.Face
	Size  float64 // of the em
	Style fonts.Style
	// Letter and Word are added behind each letter and each space. Ligatures are
	// set only where Letter is 0.
	Letter, Word float64
	Direction    Direction
	// Lines of decoration (CSS 2.1, section 16.3.1).
	Over, Under, Through bool
}

// A Glyph is the outline of one or more letters, or a line of decoration, in its
// place.
type Glyph struct {
	Path    geom.Path // about its own origin, on the baseline
	Advance float64   // to the next; 0 for marks and decoration
	At      geom.Point
	Turn    float64 // degrees, clockwise, about At
	Letter  int     // the first of the letters it stands for, from 0
	Bar     bool    // it is a line of decoration
}

// Set lays letters out from a point on the baseline, from left to right, in the order in
// which they are read. It returns them with their width in all.
func (r Run) Set(letters []rune, from geom.Point) (gs []Glyph, width float64) {
	at := from
	for _, p := range parts(letters, r.Direction) {
		for _, g := range r.Face.Shape(letters, p.from, p.to, r.Size, r.Style, p.left, r.Letter == 0) {
			i := min(len(letters)-1, g.Rune)
			wide := g.Advance
			if g.Advance != 0 {
				wide += r.Letter
			}
			if letters[i] == ' ' {
				wide += r.Word
			}
			gs = append(gs, Glyph{Path: g.Path, Advance: wide, At: at.Add(g.Offset), Letter: i})
			at.X += wide
		}
	}
	return r.decorate(gs, from, at.X-from.X), at.X - from.X
}

// decorate adds the lines: those under and over the letters below them, those
// through them above.
func (r Run) decorate(gs []Glyph, from geom.Point, width float64) []Glyph {
	if width <= 0 {
		return gs
	}
	m := r.Face.Metrics(r.Size)
	bar := func(up, thick float64) Glyph {
		thick = max(thick, r.Size/40)
		return Glyph{Path: geom.Box(geom.Rect{Y0: -up, X1: width, Y1: -up + thick}), At: from, Bar: true}
	}
	if r.Over {
		gs = append([]Glyph{bar(m.Ascent, m.UnderlineThickness)}, gs...)
	}
	if r.Under {
		gs = append([]Glyph{bar(m.Underline+m.UnderlineThickness/2, m.UnderlineThickness)}, gs...)
	}
	if r.Through {
		gs = append(gs, bar(m.Strikeout+m.StrikeoutThickness/2, m.StrikeoutThickness))
	}
	return gs
}

// Fit stretches glyphs that begin at start from their natural length to another:
// the gaps between them, or with squeeze the glyphs themselves.
func Fit(gs []Glyph, start, natural, length float64, squeeze bool) {
	n := 0
	for _, g := range gs {
		if g.Advance > 0 {
			n++
		}
	}
	k := length / natural
	gap := (length - natural) / float64(max(1, n-1))
	i := 0
	for j := range gs {
		g := &gs[j]
		if squeeze {
			g.At.X = start + (g.At.X-start)*k
			g.Path, g.Advance = g.Path.Transform(geom.Scale(k, 1)), g.Advance*k
			continue
		}
		g.At.X += gap * float64(i)
		if g.Advance > 0 {
			i++
		}
	}
}

// Place is where a glyph goes on a straight line.
func (g *Glyph) Place() geom.Affine { return geom.Translate(g.At.X, g.At.Y).Mul(g.turned()) }

// Along is where a glyph goes on a path, At.X being measured along it from start:
// its middle stands on the path (SVG 1.1, section 10.13.3). ok is false where it
// has run off the path.
func (g *Glyph) Along(r *geom.Ruler, start float64) (m geom.Affine, ok bool) {
	p, dir, ok := r.At(start + g.At.X + g.Advance/2)
	if !ok {
		return geom.Affine{}, false
	}
	m = geom.Translate(p.X, p.Y).Mul(geom.Affine{A: dir.X, B: dir.Y, C: -dir.Y, D: dir.X})
	return m.Mul(geom.Translate(-g.Advance/2, g.At.Y)).Mul(g.turned()), true
}

func (g *Glyph) turned() geom.Affine { return geom.Rotate(g.Turn * math.Pi / 180) }

// RightToLeft reports whether letters are written from right to left (Hebrew,
// Arabic and their neighbours).
func RightToLeft(letters []rune) bool {
	for _, c := range letters {
		if c >= 0x590 && c <= 0x8ff || c >= 0xfb1d && c <= 0xfdff || c >= 0xfe70 && c <= 0xfeff {
			return true
		}
	}
	return false
}
