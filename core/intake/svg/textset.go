package svg

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/text"
)

// A setting is a glyph placed along the line before the anchor is applied, and
// the letter it comes from.
type setting struct {
	text.Glyph
	from *letter
}

// chunk sets the letters from one absolute position to the next, beginning at
// pen, and leaves pen behind the last of them. A length other than 0 is what
// they are fitted to, by the gaps or by the glyphs as well.
func (r *reader) chunk(ls []letter, pen *geom.Point, length float64, glyphs bool) []drawing.Node {
	if ls[0].hasX {
		pen.X = ls[0].x
	}
	if ls[0].hasY {
		pen.Y = ls[0].y
	}
	start := *pen
	for _, l := range ls {
		if text.Controlled([]rune{l.r}) {
			r.cannot("a sign that orders letters (Unicode Bidirectional Algorithm)", l.e, *l.s)
			return nil
		}
	}
	var set []setting
	for i := 0; i < len(ls); {
		face, ok := r.face(&ls[i])
		if !ok {
			return nil
		}
		if i > 0 && backwards(ls) {
			r.cannot("a line from right to left that is not all of one font and style", ls[0].e, *ls[0].s)
			return nil
		}
		j := i + 1
		for j < len(ls) && ls[j].s == ls[i].s && ls[j].dx == 0 && ls[j].dy == 0 && ls[j].rot == 0 && ls[i].rot == 0 && face.Has(ls[j].r) {
			j++
		}
		set = append(set, r.run(ls[i:j], face, pen)...)
		i = j
	}
	if natural := pen.X - start.X; length > 0 && natural > 0 {
		fit(set, start.X, natural, length, glyphs)
		pen.X = start.X + length
	}
	shift := 0.0
	st := ls[0].s.style
	switch st["text-anchor"] {
	case "middle":
		shift = (pen.X - start.X) / 2
	case "end":
		shift = pen.X - start.X
	}
	if st["direction"] == "rtl" {
		shift = pen.X - start.X - shift
	}
	pen.X -= shift
	turn := geom.Identity
	if v := st["writing-mode"]; strings.HasPrefix(v, "tb") || strings.HasPrefix(v, "vertical") {
		// Latin letters lie on their side, centred on the line (CSS Writing
		// Modes: sideways).
		f, _ := r.face(&ls[0])
		m := f.Metrics(ls[0].s.len.em)
		turn = geom.Translate(start.X, start.Y).Mul(geom.Rotate(math.Pi / 2)).Mul(geom.Translate(-start.X, -start.Y+(m.Ascent+m.Descent)/2))
		*pen = geom.Pt(start.X, start.Y+pen.X-start.X)
	}
	var out []drawing.Node
	for i := 0; i < len(set); {
		// The glyphs of one tspan are one path: one shape to recolour.
		s := set[i].from.s
		var p geom.Path
		j := i
		for ; j < len(set) && set[j].from.s == s; j++ {
			if m, ok := set[j].place(shift); ok {
				p = append(p, set[j].Path.Transform(turn.Mul(m))...)
			}
		}
		if len(p) > 0 {
			out = append(out, r.paintPath(set[i].from.e, *s, r.counted(p), p.Bounds(), drawing.Lettered)...)
		}
		i = j
	}
	return out
}

// backwards reports whether some of the letters are read from right to left.
func backwards(ls []letter) bool {
	var cs []rune
	for _, l := range ls {
		cs = append(cs, l.r)
	}
	return text.RightToLeft(cs)
}

// place is where a setting goes, shift to the left; ok is false for letters that
// have run off their path.
func (g *setting) place(shift float64) (geom.Affine, bool) {
	x := g.Glyph
	x.At.X -= shift
	if tp := g.from.path; tp != nil {
		return x.Along(tp.ruler, tp.start)
	}
	return x.Place(), true
}

// fit stretches a line from its natural length to another.
func fit(set []setting, start, natural, length float64, glyphs bool) {
	gs := make([]text.Glyph, len(set))
	for i, g := range set {
		gs[i] = g.Glyph
	}
	text.Fit(gs, start, natural, length, glyphs)
	for i, g := range gs {
		set[i].Glyph = g
	}
}

// run shapes letters that share a style and moves the pen.
func (r *reader) run(ls []letter, f *fonts.Face, pen *geom.Point) (out []setting) {
	letters := make([]rune, len(ls))
	for i, l := range ls {
		letters[i] = l.r
	}
	st := ls[0].s
	space := func(prop string) float64 {
		v, _ := st.len.length(st.style.get(prop, "0"), st.len.em)
		return v
	}
	way := text.Rightwards
	if st.style["direction"] == "rtl" {
		way = text.Leftwards
	}
	x := text.Run{Direction: way, Face: f, Size: st.len.em, Style: fontStyle(st.style), Letter: space("letter-spacing"), Word: space("word-spacing")}
	if d := st.style["text-decoration"]; ls[0].path == nil {
		x.Over, x.Under, x.Through = strings.Contains(d, "overline"), strings.Contains(d, "underline"), strings.Contains(d, "line-through")
	}
	pen.X, pen.Y = pen.X+ls[0].dx, pen.Y+ls[0].dy
	gs, wide := x.Set(letters, geom.Pt(pen.X, pen.Y-st.lift+drop(st.style, f.Metrics(st.len.em))))
	for _, g := range gs {
		l := &ls[g.Letter]
		if !g.Bar {
			g.Turn = l.rot
		}
		out = append(out, setting{g, l})
	}
	pen.X += wide
	return out
}

// drop is how far the baseline lies below the line that letters are to be
// aligned by.
func drop(st style, m fonts.Metrics) float64 {
	v := st.get("dominant-baseline", "auto")
	if a := st.get("alignment-baseline", "auto"); a != "auto" && a != "baseline" {
		v = a
	}
	switch v {
	case "middle":
		return m.XHeight / 2
	case "central":
		return (m.Ascent + m.Descent) / 2
	case "hanging":
		return m.Ascent * 0.8
	case "mathematical":
		return m.Ascent / 2
	case "text-before-edge", "text-top", "before-edge":
		return m.Ascent
	case "text-after-edge", "text-bottom", "after-edge", "ideographic":
		return m.Descent
	}
	return 0
}

// weight reads font-weight as a number.
func weight(st style) float64 {
	switch v := st.get("font-weight", "normal"); v {
	case "normal":
		return 400
	case "bold", "bolder":
		return 700
	case "lighter":
		return 300
	default:
		if n := numbers(v); len(n) == 1 {
			return min(1000, max(1, n[0]))
		}
	}
	return 400
}

// widths are the words of font-stretch in percent (CSS Fonts Level 4, 2.3).
var widths = map[string]float64{
	"ultra-condensed": 50, "extra-condensed": 62.5, "condensed": 75, "semi-condensed": 87.5, "normal": 100,
	"semi-expanded": 112.5, "expanded": 125, "extra-expanded": 150, "ultra-expanded": 200,
}

// fontStyle is what the style asks of a family.
func fontStyle(st style) fonts.Style {
	s := fonts.Style{Weight: weight(st), Width: 100, Italic: st["font-style"] == "italic" || st["font-style"] == "oblique"}
	v := st.get("font-stretch", "normal")
	if w, ok := widths[v]; ok {
		s.Width = w
	} else if n := numbers(strings.TrimSuffix(v, "%")); strings.HasSuffix(v, "%") && len(n) == 1 {
		s.Width = min(200, max(50, n[0]))
	}
	return s
}

// nearest finds a face to look at instead of a missing one, if that was asked
// for: the first of the list that is here, or the stand-in.
func (r *reader) nearest(list string, want fonts.Style) []*fonts.Face {
	if r.standIn == "" {
		return nil
	}
	for f := range strings.SplitSeq(list, ",") {
		f = strings.Trim(strings.TrimSpace(f), `"'`)
		if fs := r.fonts.Find(f, want); len(fs) > 0 && !fonts.Generic(f) {
			return fs
		}
	}
	if fs := r.fonts.Find(r.standIn, want); len(fs) > 0 {
		return fs
	}
	want.Italic = false
	return r.fonts.Find(r.standIn, want)
}

// face finds the face for a letter, or says which font is missing. Only the
// family named first counts: another one would set another mark.
func (r *reader) face(l *letter) (*fonts.Face, bool) {
	st := l.s.style
	list := st["font-family"]
	family, _, _ := strings.Cut(list, ",")
	family = strings.Trim(strings.TrimSpace(family), `"'`)
	if family == "" {
		r.findings.Add(finding.MissingFont, finding.Stop, "the text names no font, so every program would set another one; name it, or turn the text into shapes", r.name(l.e, *l.s), geom.Rect{})
		if family = r.standIn; family == "" {
			return nil, false
		}
	}
	want := fontStyle(st)
	faces := r.fonts.Find(family, want)
	if len(faces) == 0 {
		r.findings.Add(finding.MissingFont, finding.Stop, fmt.Sprintf("the font %q is not here; add its file, or turn the text into shapes", family), r.name(l.e, *l.s), geom.Rect{})
		faces = r.nearest(list, want)
	}
	for _, f := range faces {
		if f.Has(l.r) {
			if no := f.Lacks(want); no != "" {
				r.findings.Add(finding.MissingFont, finding.Warn, fmt.Sprintf("the font %q is here %s; what is at hand was set", family, no), r.name(l.e, *l.s), geom.Rect{})
			}
			if !slices.Contains(r.set, f.Family) {
				r.set = append(r.set, f.Family)
			}
			return f, true
		}
	}
	if len(faces) == 0 {
		return nil, false
	}
	r.findings.Add(finding.MissingFont, finding.Stop, fmt.Sprintf("the font %q has no letter %q", family, l.r), r.name(l.e, *l.s), geom.Rect{})
	return nil, false
}
