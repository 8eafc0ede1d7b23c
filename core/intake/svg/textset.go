package svg

import (
	"fmt"
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
)

// A setting is a glyph, or a line of decoration, placed along the line before
// the anchor is applied.
type setting struct {
	path geom.Path
	wide float64 // advance; 0 for decorations
	at   geom.Point
	rot  float64 // degrees
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
	var set []setting
	for i := 0; i < len(ls); {
		face, ok := r.face(&ls[i])
		if !ok {
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
				p = append(p, set[j].path.Transform(turn.Mul(m))...)
			}
		}
		if len(p) > 0 {
			out = append(out, r.paintPath(set[i].from.e, *s, r.counted(p), p.Bounds(), drawing.Lettered)...)
		}
		i = j
	}
	return out
}

// place is where a setting goes; ok is false for letters that have run off
// their path.
func (g *setting) place(shift float64) (geom.Affine, bool) {
	turn := geom.Rotate(g.rot * math.Pi / 180)
	tp := g.from.path
	if tp == nil {
		return geom.Translate(g.at.X-shift, g.at.Y).Mul(turn), true
	}
	// The middle of the glyph stands on the path (section 10.13.3).
	p, dir, ok := tp.ruler.At(tp.start + g.at.X - shift + g.wide/2)
	if !ok {
		return geom.Affine{}, false
	}
	m := geom.Translate(p.X, p.Y).Mul(geom.Affine{A: dir.X, B: dir.Y, C: -dir.Y, D: dir.X})
	return m.Mul(geom.Translate(-g.wide/2, g.at.Y)).Mul(turn), true
}

// fit stretches a line from its natural length to another.
func fit(set []setting, start, natural, length float64, glyphs bool) {
	n := 0
	for _, g := range set {
		if g.wide > 0 {
			n++
		}
	}
	k := length / natural
	gap := (length - natural) / float64(max(1, n-1))
	i := 0
	for j := range set {
		g := &set[j]
		if glyphs {
			g.at.X = start + (g.at.X-start)*k
			g.path, g.wide = g.path.Transform(geom.Scale(k, 1)), g.wide*k
			continue
		}
		g.at.X += gap * float64(i)
		if g.wide > 0 {
			i++
		}
	}
}

// run shapes letters that share a style and moves the pen.
func (r *reader) run(ls []letter, f *fonts.Face, pen *geom.Point) []setting {
	text := make([]rune, len(ls))
	for i, l := range ls {
		text[i] = l.r
	}
	st := ls[0].s
	space := func(prop string) float64 {
		v, _ := st.len.length(st.style.get(prop, "0"), st.len.em)
		return v
	}
	letterGap, wordGap := space("letter-spacing"), space("word-spacing")
	rtl := isRTL(text)
	pen.X, pen.Y = pen.X+ls[0].dx, pen.Y+ls[0].dy
	from := geom.Pt(pen.X, pen.Y-st.lift+drop(st.style, f.Metrics(st.len.em)))
	var out []setting
	at := from
	for _, g := range f.Shape(text, 0, len(text), st.len.em, fontStyle(st.style), rtl, letterGap == 0) {
		l := &ls[min(len(ls)-1, g.Rune)]
		wide := g.Advance
		if g.Advance != 0 {
			wide += letterGap
		}
		if l.r == ' ' {
			wide += wordGap
		}
		out = append(out, setting{g.Path, wide, at.Add(g.Offset), l.rot, l})
		at.X += wide
	}
	pen.X += at.X - from.X
	return decorate(out, st, f, from, at.X-from.X, &ls[0])
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

// decorate adds the lines of text-decoration to a run: those under and over
// it below the letters, those through it above them (CSS 2.1 section 16.3.1).
func decorate(set []setting, st *state, f *fonts.Face, from geom.Point, wide float64, l *letter) []setting {
	d := st.style["text-decoration"]
	if d == "" || d == "none" || wide <= 0 || l.path != nil {
		return set
	}
	m := f.Metrics(st.len.em)
	bar := func(up, thick float64) setting {
		thick = max(thick, st.len.em/40)
		return setting{path: geom.Box(geom.Rect{Y0: -up, X1: wide, Y1: -up + thick}), at: from, from: l}
	}
	if strings.Contains(d, "overline") {
		set = append([]setting{bar(m.Ascent, m.UnderlineThickness)}, set...)
	}
	if strings.Contains(d, "underline") {
		set = append([]setting{bar(m.Underline+m.UnderlineThickness/2, m.UnderlineThickness)}, set...)
	}
	if strings.Contains(d, "line-through") {
		set = append(set, bar(m.Strikeout+m.StrikeoutThickness/2, m.StrikeoutThickness))
	}
	return set
}

// isRTL reports whether the text is written from right to left (Hebrew,
// Arabic and their neighbours).
func isRTL(text []rune) bool {
	for _, c := range text {
		if c >= 0x590 && c <= 0x8ff || c >= 0xfb1d && c <= 0xfdff || c >= 0xfe70 && c <= 0xfeff {
			return true
		}
	}
	return false
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
			return f, true
		}
	}
	if len(faces) == 0 {
		return nil, false
	}
	r.findings.Add(finding.MissingFont, finding.Stop, fmt.Sprintf("the font %q has no letter %q", family, l.r), r.name(l.e, *l.s), geom.Rect{})
	return nil, false
}
