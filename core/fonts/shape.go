package fonts

import (
	"sync"

	"github.com/go-text/typesetting/font"
	ot "github.com/go-text/typesetting/font/opentype"
	"github.com/go-text/typesetting/font/opentype/tables"
	"github.com/go-text/typesetting/harfbuzz"
	"github.com/go-text/typesetting/language"

	"dyekit/core/geom"
)

// A Glyph is a shaped glyph. Lengths are in the units of the size asked for.
type Glyph struct {
	Path    geom.Path  // outline with its origin on the baseline, y down
	Offset  geom.Point // to be added to the pen position
	Advance float64
	Rune    int // index of the first rune it stands for
}

// Shape sets runes [from, to) of text in one direction at the given size and
// weight and returns the glyphs in visual order. kern and ligatures follow
// the font; ligate false turns ligatures off, as letter-spacing asks.
func (f *Face) Shape(text []rune, from, to int, size float64, style Style, rtl, ligate bool) []Glyph {
	style = style.full()
	style.Italic = false // is another face
	set := f.setters.take(f, style)
	defer f.setters.give(style, set)
	b := harfbuzz.NewBuffer()
	b.AddRunes(text, from, to-from)
	b.Props = harfbuzz.SegmentProperties{
		Direction: harfbuzz.LeftToRight, Language: language.NewLanguage("en"), Script: language.LookupScript(firstLetter(text[from:to])),
	}
	if rtl {
		b.Props.Direction = harfbuzz.RightToLeft
	}
	var features []harfbuzz.Feature
	if !ligate {
		for _, t := range []string{"liga", "clig"} {
			features = append(features, harfbuzz.Feature{Tag: ot.MustNewTag(t), End: harfbuzz.FeatureGlobalEnd})
		}
	}
	f.setters.tables.RLock()
	b.Shape(set, features)
	f.setters.tables.RUnlock()
	k := size / float64(f.font.Upem())
	scaled := func(v int32) float64 { return float64(v) / fine * k }
	out := make([]Glyph, len(b.Info))
	for i, g := range b.Info {
		p := b.Pos[i]
		out[i] = Glyph{Advance: scaled(p.XAdvance), Offset: geom.Pt(scaled(p.XOffset), -scaled(p.YOffset)), Rune: g.Cluster}
		if ol, ok := set.Face().GlyphDataOutline(g.Glyph); ok {
			out[i].Path = outline(ol, k)
		}
	}
	return out
}

// fine is how many steps a font unit has when positions are found: those of variable fonts
// lie between units.
const fine = 64

// setters keep what a face needs to shape, which takes longer to make than a line to set.
type setters struct {
	tables sync.RWMutex // held to write while the tables are other than in the file
	mu     sync.Mutex
	idle   map[Style][]*harfbuzz.Font
}

func (s *setters) take(f *Face, style Style) *harfbuzz.Font {
	if set := s.spare(style); set != nil {
		return set
	}
	face := font.NewFace(f.font)
	var axes []font.Variation
	if f.weights {
		axes = append(axes, font.Variation{Tag: ot.MustNewTag("wght"), Value: float32(style.Weight)})
	}
	if f.widths {
		axes = append(axes, font.Variation{Tag: ot.MustNewTag("wdth"), Value: float32(style.Width)})
	}
	face.SetVariations(axes)
	s.tables.Lock()
	defer s.tables.Unlock()
	set := unfiltered(face)
	set.XScale = int32(f.font.Upem()) * fine
	set.YScale = set.XScale
	return set
}

// spare is one that nobody uses; nil if there is none.
func (s *setters) spare(style Style) (set *harfbuzz.Font) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if all := s.idle[style]; len(all) > 0 {
		set, s.idle[style] = all[len(all)-1], all[:len(all)-1]
	}
	return set
}

// maxIdle bounds what is kept of one style.
const maxIdle = 4

func (s *setters) give(style Style, set *harfbuzz.Font) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.idle == nil {
		s.idle = map[Style][]*harfbuzz.Font{}
	}
	if len(s.idle[style]) < maxIdle {
		s.idle[style] = append(s.idle[style], set)
	}
}

// unfiltered prepares a face for shaping without the library's quick tests of which lookup
// may hold a glyph. In v0.3.4 and v0.3.5 these lose glyphs once a long range of them has
// gone in (addRange returns when one of three parts of a test is full, and leaves the
// others), so that kerning, ligatures and joins are left out in silence; before v0.3.4
// there is no order of letters. Tests made of tables that cover all glyphs let everything
// through, and the lookup itself, as it stands in the file, decides.
func unfiltered(face *font.Face) *harfbuzz.Font {
	type was struct {
		at *tables.RangeRecord
		r  tables.RangeRecord
	}
	var changed []was
	widen := func(c tables.Coverage) {
		if c, ok := c.(tables.Coverage2); ok && len(c.Ranges) > 0 {
			changed = append(changed, was{&c.Ranges[0], c.Ranges[0]})
			c.Ranges[0].StartGlyphID, c.Ranges[0].EndGlyphID = 0, 0xffff
		}
	}
	for _, l := range face.GSUB.Lookups {
		for _, s := range l.Subtables {
			widen(s.Cov())
		}
	}
	for _, l := range face.GPOS.Lookups {
		for _, s := range l.Subtables {
			widen(s.Cov())
		}
	}
	set := harfbuzz.NewFont(face)
	for i := len(changed) - 1; i >= 0; i-- { // tables may be shared
		*changed[i].at = changed[i].r
	}
	return set
}

// firstLetter is the first rune that belongs to a script of its own.
func firstLetter(text []rune) rune {
	for _, r := range text {
		if s := language.LookupScript(r); s != language.Common && s != language.Inherited {
			return r
		}
	}
	return 'a'
}

func outline(o font.GlyphOutline, k float64) geom.Path {
	var p geom.Path
	at := func(q ot.SegmentPoint) geom.Point { return geom.Pt(float64(q.X)*k, -float64(q.Y)*k) }
	for _, s := range o.Segments {
		a := s.Args
		switch s.Op {
		case ot.SegmentOpMoveTo:
			if len(p) > 0 {
				p.Close()
			}
			p.MoveTo(at(a[0]))
		case ot.SegmentOpLineTo:
			p.LineTo(at(a[0]))
		case ot.SegmentOpQuadTo:
			p.QuadTo(at(a[0]), at(a[1]))
		case ot.SegmentOpCubeTo:
			p.CubeTo(at(a[0]), at(a[1]), at(a[2]))
		}
	}
	if len(p) > 0 {
		p.Close()
	}
	return p
}
