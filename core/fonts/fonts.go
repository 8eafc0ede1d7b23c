// Package fonts finds fonts by name and turns text into outlines.
//
// The shipped families (all under the SIL Open Font License, see shipped/) and
// those a person adds are the only ones ever used: fonts of the machine would
// make the same master come out differently elsewhere. A font that is not
// known is an error for the caller to report, never a silent replacement.
package fonts

import (
	"bytes"
	"cmp"
	"embed"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/go-text/typesetting/font"
	ot "github.com/go-text/typesetting/font/opentype"
	"github.com/go-text/typesetting/font/opentype/tables"
)

//go:embed shipped/*.ttf
var shippedFiles embed.FS

// MaxBytes bounds one font file.
const MaxBytes = 32 << 20

// A Face is one font file: a weight, or a range of weights if it is variable.
type Face struct {
	Family string
	Italic bool
	Weight float64 // of a static font
	Width  float64 // of a static font, in percent of the normal one
	font   *font.Font
	file   []byte // TrueType or OpenType; nil of shipped ones
	name   string // PostScript name
	// Axes of a variable font.
	weights, widths bool
	setters         *setters
}

// Varies reports whether the face has a range of weights.
func (f *Face) Varies() bool { return f.weights }

// A Style is what is asked of a family. The zero values of Weight and Width
// stand for 400 and 100.
type Style struct {
	Weight float64 // 1 to 1000 (CSS Fonts Level 4, section 2.2)
	Width  float64 // percent of the normal width, 50 to 200 (section 2.3)
	Italic bool
}

func (s Style) full() Style {
	s.Weight, s.Width = cmp.Or(s.Weight, 400), cmp.Or(s.Width, 100)
	return s
}

// A Set is a collection of faces. The zero Set is empty and ready to use.
type Set struct {
	added   []*Face // the last first
	shipped bool
}

// faces are those of the set, in the order in which they are looked for. Shipped
// ones are read when the first is: most masters have no text.
func (s *Set) faces() []*Face {
	if !s.shipped {
		return s.added
	}
	return slices.Concat(s.added, shipped())
}

var shipped = sync.OnceValue(func() []*Face {
	var fs []*Face
	for _, f := range []struct{ file, family string }{
		{"hanken-grotesk", "Hanken Grotesk"},
		{"hanken-grotesk-italic", "Hanken Grotesk"},
		{"hanken-grotesk-ext", "Hanken Grotesk"},
		{"sometype-mono", "Sometype Mono"},
		{"bitter", "Bitter"},
		{"bitter-italic", "Bitter"},
		{"alfa-slab-one", "Alfa Slab One"},
		{"cabin", "Cabin"},
		{"cabin-ext", "Cabin"},
		{"lora", "Lora"},
		{"lora-italic", "Lora"},
		{"lora-ext", "Lora"},
		{"dancing-script", "Dancing Script"},
	} {
		data, err := shippedFiles.ReadFile("shipped/" + f.file + ".ttf")
		if err != nil {
			panic(err) // the file is part of the binary
		}
		face, err := read(data)
		if err != nil {
			panic(err)
		}
		face.Family, face.file = f.family, nil
		fs = append(fs, face)
	}
	return fs
})

// Shipped returns a set with the families that come with Dye Kit. The CSS
// generic names find them too: sans-serif, serif and monospace.
func Shipped() *Set { return &Set{shipped: true} }

// Families lists the names in the set.
func (s *Set) Families() []string {
	var out []string
	seen := map[string]bool{}
	for _, f := range s.faces() {
		if !seen[f.Family] {
			seen[f.Family] = true
			out = append(out, f.Family)
		}
	}
	return out
}

// Ships reports whether a family of the set is one that comes with Dye Kit, and no file that
// was added took its place.
func (s *Set) Ships(family string) bool {
	i := slices.IndexFunc(s.faces(), func(f *Face) bool { return strings.EqualFold(f.Family, family) })
	return i >= len(s.added)
}

// Clone returns a set that can be added to without changing s.
func (s *Set) Clone() *Set { return &Set{added: slices.Clone(s.added), shipped: s.shipped} }

// Add puts a TrueType or OpenType file in; it is found by its own name.
func (s *Set) Add(data []byte) error { return s.AddAs(data, "") }

// AddAs is Add under another family name, if it is not empty.
func (s *Set) AddAs(data []byte, family string) error {
	if len(data) > MaxBytes {
		return fmt.Errorf("font is larger than %d MB", MaxBytes>>20)
	}
	f, err := read(data)
	if err != nil {
		return err
	}
	if family != "" {
		f.Family = family
	}
	// Faces added later win over shipped ones of the same name.
	s.added = append([]*Face{f}, s.added...)
	return nil
}

// Name returns the family a font file says it belongs to.
func Name(data []byte) (string, error) {
	f, err := read(data)
	if err != nil {
		return "", err
	}
	return f.Family, nil
}

// PostScript returns the file of the font with a PostScript name (OpenType, name
// table, name 6) among those that were added, TrueType or OpenType whatever it was
// packed in; nil if there is none. Of a variable font that is the name of its
// default. Shipped fonts are parts of theirs: for a text that was set in the whole
// font they may lack a letter.
func (s *Set) PostScript(name string) []byte {
	for _, f := range s.added {
		if f.name == name && name != "" {
			return f.file
		}
	}
	return nil
}

// read reads a font and sets a few letters in it: a damaged one breaks the
// libraries in many places, and must do so here.
func read(data []byte) (f *Face, err error) {
	defer func() {
		if x := recover(); x != nil {
			f, err = nil, fmt.Errorf("the font is damaged: it breaks the reader (%v)", x)
		}
	}()
	if f, err = open(data); err == nil {
		sample := []rune("Agß&0")
		f.Shape(sample, 0, len(sample), 12, Style{}, false, true)
	}
	return f, err
}

func open(data []byte) (*Face, error) {
	data, err := unwrap(data)
	if err != nil {
		return nil, err
	}
	l, err := ot.NewLoader(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("not a TrueType or OpenType font: %w", err)
	}
	ft, err := font.NewFont(l)
	if err != nil {
		return nil, fmt.Errorf("font cannot be read: %w", err)
	}
	d := ft.Describe()
	f := &Face{Family: d.Family, Italic: d.Aspect.Style == font.StyleItalic, Weight: float64(d.Aspect.Weight), Width: 100 * float64(d.Aspect.Stretch), font: ft, file: data, setters: new(setters)}
	if raw, err := l.RawTable(ot.MustNewTag("name")); err == nil {
		const postScript = 6
		if names, _, err := tables.ParseName(raw); err == nil {
			f.name = names.Name(postScript)
		}
	}
	if !(f.Width > 0) {
		f.Width = 100
	}
	if m := widthWords.FindStringSubmatch(f.Family); m != nil && f.Width == 100 { // some say it in their name alone
		f.Width = spoken[strings.ToLower(m[3]+m[4])]
	}
	if l.HasTable(ot.MustNewTag("fvar")) {
		f.weights = varies(ft, "wght", 1, 1000)
		f.widths = varies(ft, "wdth", 25, 200)
	}
	return f, nil
}

// varies reports whether a variable font has an axis: one of the values moves
// something.
func varies(ft *font.Font, axis string, values ...float32) bool {
	for _, v := range values {
		face := font.NewFace(ft)
		face.SetVariations([]font.Variation{{Tag: ot.MustNewTag(axis), Value: v}})
		if slices.ContainsFunc(face.Coords(), func(c tables.Coord) bool { return c != 0 }) {
			return true
		}
	}
	return false
}

// widthWords are how families say in their names that they are narrow or wide.
var widthWords = regexp.MustCompile(`(?i)( |-)((semi|extra|ultra)[ -]?)?(condensed|expanded|narrow|wide)$`)

// spoken are widths as names say them, in percent (OpenType, OS/2, usWidthClass).
var spoken = map[string]float64{
	"condensed": 75, "semicondensed": 87.5, "extracondensed": 62.5, "ultracondensed": 50,
	"narrow": 75, "seminarrow": 87.5, "extranarrow": 62.5, "ultranarrow": 50,
	"expanded": 125, "semiexpanded": 112.5, "extraexpanded": 150, "ultraexpanded": 200,
	"wide": 125, "semiwide": 112.5, "extrawide": 150, "ultrawide": 200,
}

// named reports whether the face belongs to a family: by its name, or, where it
// is narrower or wider than usual, by its name without the word that says so.
func (f *Face) named(family string) bool {
	return strings.EqualFold(f.Family, family) || f.Width != 100 && strings.EqualFold(widthWords.ReplaceAllString(f.Family, ""), family)
}

// generic maps the CSS generic families to shipped ones.
var generic = map[string]string{
	"sans-serif": "hanken grotesk", "system-ui": "hanken grotesk",
	"serif": "bitter", "monospace": "sometype mono",
}

// Generic reports whether a family name is one of the CSS generic ones, which
// name a kind of font and no font.
func Generic(family string) bool {
	_, ok := generic[strings.ToLower(strings.TrimSpace(family))]
	return ok
}

// Find returns the faces of the family with the slant asked for, to be tried
// in order for each letter, nearest width first and then nearest weight (CSS
// Fonts Level 4, section 5.2). It returns nil if there is none: a slant is not
// made up.
func (s *Set) Find(family string, want Style) []*Face {
	want = want.full()
	name := strings.ToLower(strings.TrimSpace(family))
	if g, ok := generic[name]; ok {
		name = g
	}
	var best []*Face
	score := func(f *Face) (n float64) {
		if !f.widths {
			n += 10_000 * math.Abs(f.Width-want.Width)
		}
		if !f.weights {
			n += math.Abs(f.Weight - want.Weight)
		}
		return n
	}
	for _, f := range s.faces() {
		if !f.named(name) || f.Italic != want.Italic {
			continue
		}
		i := len(best)
		for i > 0 && score(f) < score(best[i-1]) {
			i--
		}
		best = append(best[:i], append([]*Face{f}, best[i:]...)...)
	}
	return best
}

// Lacks says in words what of a style the face has not, give or take half a
// step; "" if it has it all.
func (f *Face) Lacks(want Style) string {
	want = want.full()
	switch {
	case !f.widths && math.Abs(f.Width-want.Width) > 7:
		return fmt.Sprintf("in %.0f %% of the usual width alone, and %.0f %% is asked for", f.Width, want.Width)
	case !f.weights && math.Abs(f.Weight-want.Weight) > 50:
		return fmt.Sprintf("in weight %.0f alone, and %.0f is asked for", f.Weight, want.Weight)
	}
	return ""
}

// Has reports whether the face has a glyph for the letter.
func (f *Face) Has(r rune) bool {
	_, ok := f.font.NominalGlyph(r)
	return ok
}

// Metrics are the heights of a face at a size, upwards from the baseline; the
// descent is negative.
type Metrics struct {
	Ascent, Descent, XHeight      float64
	Underline, UnderlineThickness float64
	Strikeout, StrikeoutThickness float64
}

// Metrics returns the heights at the given size.
func (f *Face) Metrics(size float64) Metrics {
	face := font.NewFace(f.font)
	k := size / float64(f.font.Upem())
	line := func(m font.LineMetric) float64 { return float64(face.LineMetric(m)) * k }
	m := Metrics{
		XHeight: line(font.XHeight), Underline: line(font.UnderlinePosition), UnderlineThickness: line(font.UnderlineThickness),
		Strikeout: line(font.StrikethroughPosition), StrikeoutThickness: line(font.StrikethroughThickness),
	}
	if e, ok := face.FontHExtents(); ok {
		m.Ascent, m.Descent = float64(e.Ascender)*k, float64(e.Descender)*k
	}
	if m.XHeight == 0 {
		m.XHeight = size / 2
	}
	return m
}
