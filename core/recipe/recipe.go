// Package recipe turns a recipe (which versions, in which file types, at
// which sizes, under which names) into the list of files wanted, and says
// what is left out on purpose and why.
//
// It makes no files and knows no drawings: what it must know of the art comes
// in as Art.
package recipe

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/field"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/sheet"
	"dyekit/core/version"
)

// Limits of a recipe.
const (
	MaxFiles   = 2000
	MaxSide    = 30_000 // px of one side
	MaxPPI     = 2400
	MaxBytes   = 6 << 20 // a picture to stand on may be within
	MaxVersion = 100
)

// A Recipe is a reusable wish.
type Recipe struct {
	Name    string     `json:"name"`
	For     string     `json:"for,omitempty"` // whom it is for, in one sentence
	Naming  string     `json:"naming,omitempty"`
	Folders string     `json:"folders,omitempty"` // type, version or none
	Frame   frame.Spec `json:"frame"`
	// Lockups are parts that stand alone, named by versions.
	Lockups  []version.Lockup `json:"lockups,omitempty"`
	Versions []version.Spec   `json:"versions"`
	Files    []Entry          `json:"files"`
	// Press is the printing condition of files in process inks that name none.
	Press string `json:"press,omitempty"`
	// Language of the guide: a tag as in en or de; English if it is empty or not
	// known.
	Language string `json:"language,omitempty"`
	// Beside is what lies in the kit beside its files.
	Beside *Beside `json:"beside,omitempty"`
	// Page is what links to its kits begin with.
	Page *Page `json:"page,omitempty"`
}

// Beside is what can lie in a kit beside its files.
type Beside struct {
	Sheet   *sheet.Layout `json:"sheet,omitempty"`   // the brand sheet: a PDF and a page
	Line    string        `json:"line,omitempty"`    // at the foot of the brand sheet
	Working bool          `json:"working,omitempty"` // one SVG with all versions as named groups
	Snippet bool          `json:"snippet,omitempty"` // for a site: the picture element with all its sources
}

// maxLine bounds the line at the foot of a sheet, in bytes.
const maxLine = 200

func (b *Beside) check() error {
	if b == nil {
		return nil
	}
	if len(b.Line) > maxLine {
		return field.Errorf("line", "it is longer than %d letters", maxLine)
	}
	if b.Sheet != nil {
		if err := b.Sheet.Check(); err != nil {
			return field.In("sheet", err)
		}
	}
	return nil
}

// An Entry asks for files of one type.
type Entry struct {
	Format   format.Key `json:"format"`
	Use      string     `json:"use,omitempty"`      // what the files are for; see Uses
	Versions []string   `json:"versions,omitempty"` // all but those for square places if empty
	// Lockups and Colourways are a rule instead of a list of versions: what is added to
	// them later is in without being named. Empty is all; full is the main lockup.
	Lockups    []string     `json:"lockups,omitempty"`
	Colourways []string     `json:"colourways,omitempty"`
	Widths     []int        `json:"widths,omitempty"`  // px
	Heights    []int        `json:"heights,omitempty"` // px
	Scales     []float64    `json:"scales,omitempty"`  // multiples of the frame
	Size       string       `json:"size,omitempty"`    // physical: a page, 8x10in, or a width, 120mm
	Box        string       `json:"box,omitempty"`     // px, for each version: 1080x1080
	Round      bool         `json:"round,omitempty"`   // of a box: the art stays in the circle that accounts cut out
	PPI        float64      `json:"ppi,omitempty"`
	Colour     format.Space `json:"colour,omitempty"` // RGB if empty
	Backing    string       `json:"backing,omitempty"`
	Quality    int          `json:"quality,omitempty"`
	Level      int          `json:"level,omitempty"`
	Pages      string       `json:"pages,omitempty"`
	Preview    bool         `json:"preview,omitempty"` // of EPS: a small grey picture inside
	// Standard of PDF. Press is the printing condition
	// that files in process inks are made for: fogra39, fogra29 or tr006.
	Standard format.Standard `json:"standard,omitempty"`
	Press    string          `json:"press,omitempty"`
	// NoProfile leaves the press's profile out of a PDF in process inks that keeps
	// to no standard.
	NoProfile bool `json:"no_profile,omitempty"`
	// Compression of TIFF: deflate or lzw.
	Compression string   `json:"compression,omitempty"`
	Palette     *Palette `json:"palette,omitempty"`
	Antialias   *bool    `json:"antialias,omitempty"`
	Interlace   bool     `json:"interlace,omitempty"`
	// Stretch distorts the art to a size in px, 500x300; Sure is the second yes
	// that this takes.
	Stretch string `json:"stretch,omitempty"`
	Sure    bool   `json:"sure,omitempty"`
	// Effects says what becomes of shadows, glows and blurs in files of curves:
	// omit the files, leave-out the effects, or picture: pixels inside, at
	// EffectsPPI. Empty is picture, but SVG keeps the filters that it has itself.
	Effects    string  `json:"effects,omitempty"`
	EffectsPPI float64 `json:"effects_ppi,omitempty"`
	// Of SVG: painted in the colour of the text around it; without width and
	// height; with the version that is shown where dark pages are preferred.
	Current bool   `json:"currentcolor,omitempty"`
	Fluid   bool   `json:"fluid,omitempty"`
	Dark    string `json:"dark,omitempty"`
}

// A Palette is "auto", "never" or the largest number of colours, 2 to 256.
type Palette struct {
	Never  bool
	Colors int // 0 for auto
}

// UnmarshalJSON reads the word or the number.
func (p *Palette) UnmarshalJSON(b []byte) error {
	var n int
	if json.Unmarshal(b, &n) == nil {
		if n < 2 || n > 256 {
			return fmt.Errorf("a palette has 2 to 256 colours, not %d", n)
		}
		*p = Palette{Colors: n}
		return nil
	}
	switch string(b) {
	case `"auto"`:
		*p = Palette{}
	case `"never"`:
		*p = Palette{Never: true}
	default:
		return errors.New(`a palette is "auto", "never" or a number from 2 to 256`)
	}
	return nil
}

// MarshalJSON writes what UnmarshalJSON reads.
func (p Palette) MarshalJSON() ([]byte, error) {
	switch {
	case p.Never:
		return []byte(`"never"`), nil
	case p.Colors > 0:
		return json.Marshal(p.Colors)
	}
	return []byte(`"auto"`), nil
}

// Ways to put versions into files that hold pages.
const (
	OneFile = "one-file" // the default
	OneEach = "one-per-version-file"
	// OneLockup is a file for each lockup, with a page for each of its colourways.
	OneLockup = "one-per-lockup"
)

// What becomes of effects in files of curves.
const (
	Omit     = "omit"
	LeaveOut = "leave-out"
	Picture  = "picture"
)

// Kind is what the entry's format can carry.
func (e Entry) Kind() format.Format {
	f, _ := format.Of(e.Format)
	return f
}

// Curves reports whether the files of the entry are drawn in curves.
func (e Entry) Curves() bool { return e.Kind().Curves }

// Flat reports whether translucent paint is resolved in the entry's files: by
// their type or by the standard they keep to.
func (e Entry) Flat() bool { return e.Kind().Flat || e.Standard == format.X1a }

//go:embed builtin/*.json
var files embed.FS

// Builtin returns a recipe that comes with Dye Kit.
func Builtin(name string) (*Recipe, bool) {
	if strings.ContainsAny(name, `/\.`) {
		return nil, false
	}
	b, err := files.ReadFile("builtin/" + name + ".json")
	if err != nil {
		return nil, false
	}
	r, err := Parse(b)
	if err != nil {
		panic("built-in recipe " + name + ": " + err.Error()) // a test reads them all
	}
	return r, true
}

// Builtins names the recipes that come with Dye Kit, standard first.
func Builtins() []string {
	list, err := files.ReadDir("builtin")
	if err != nil {
		panic(err) // the folder is part of the binary
	}
	names := []string{"standard"}
	for _, e := range list {
		if n := strings.TrimSuffix(e.Name(), ".json"); n != "standard" {
			names = append(names, n)
		}
	}
	return names
}

// A FieldError is a wrong value at a place of a recipe.
type FieldError = field.Error

// Parse reads and checks a recipe. What is wrong in it is a FieldError.
func Parse(data []byte) (*Recipe, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the recipe is larger than %d MB", MaxBytes>>20)
	}
	var r Recipe
	if err := strict(data, &r); err != nil {
		return nil, err
	}
	if err := r.Check(); err != nil {
		return nil, err
	}
	return &r, nil
}

// Check reports what is wrong with a recipe whatever the art.
func (r *Recipe) Check() error {
	if err := checkName(r.Name); err != nil {
		return field.In("name", err)
	}
	if err := checkNaming(r.naming()); err != nil {
		return field.In("naming", err)
	}
	if err := r.Frame.Check(); err != nil {
		return field.In("frame", err)
	}
	if err := r.Beside.check(); err != nil {
		return field.In("beside", err)
	}
	if err := r.Page.check(); err != nil {
		return field.In("page", err)
	}
	switch r.Folders {
	case "", ByType, ByVersion, Flat:
	default:
		return field.Errorf("folders", "%q is not %s, %s or %s", r.Folders, ByType, ByVersion, Flat)
	}
	if _, ok := colour.PressOf(r.Press); r.Press != "" && !ok {
		return field.Errorf("press", "%q is not known: fogra39, fogra29 or tr006", r.Press)
	}
	if len(r.Versions) == 0 {
		return field.Errorf("versions", "there is none")
	}
	if len(r.Versions) > MaxVersion {
		return field.Errorf("versions", "there are more than %d", MaxVersion)
	}
	if err := r.checkLockups(); err != nil {
		return err
	}
	if err := r.checkDrawings(); err != nil {
		return err
	}
	seen := map[string]bool{}
	for i, v := range r.Versions {
		place := field.At("versions", i)
		if v.Name == "" {
			return field.Errorf(place+".name", "is missing")
		}
		if err := checkName(v.Name); err != nil {
			return field.In(place+".name", err)
		}
		if seen[v.Name] {
			return field.Errorf(place+".name", "there are two versions called %q", v.Name)
		}
		seen[v.Name] = true
		if err := checkVersion(v); err != nil {
			return field.In(place, err)
		}
	}
	if len(r.Files) == 0 {
		return field.Errorf("files", "there is none")
	}
	for i, e := range r.Files {
		err := e.check(seen)
		if err == nil {
			err = r.checkRule(e)
		}
		if err != nil {
			return field.In(field.At("files", i), err)
		}
	}
	return nil
}

// tooLarge reports whether a picture of the size cannot be made.
func tooLarge(f format.Format, w, h int) error {
	limit := MaxSide
	if f.Side > 0 {
		limit = min(limit, f.Side)
	}
	if w > limit || h > limit || w > format.MaxPixels/h {
		return fmt.Errorf("%d × %d px is more than %d px a side or %d megapixels", w, h, limit, format.MaxPixels/1_000_000)
	}
	return nil
}
