// Package guide is the page by which a client takes a kit: what do you need it
// for, and the one file for that, with the reason. The same page lies in the kit
// as START-HERE.html and is served behind a client's link.
//
// A Page is what is said of a kit, kept with it; which file answers what is
// for core/advice to say; the words come from one catalogue in several languages.
// Nothing here draws, writes or keeps anything: the
// pages themselves are made by whoever shows them.
package guide

import (
	"slices"
	"strconv"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/format"
)

// A Page is what the page of one kit shows. It is complete in itself and kept as
// JSON.
type Page struct {
	Brand  string `json:"brand"`
	Number int    `json:"number"`           // of the kit
	Naming string `json:"naming,omitempty"` // of its files, as its recipe has it
	// Ground and On are the colours of the head, #rrggbb: text in On on Ground has a
	// contrast of 4.5 at least (WCAG 2.2, 1.4.3).
	Ground   string    `json:"ground"`
	On       string    `json:"on"`
	Files    []File    `json:"files"`
	Versions []Version `json:"versions"`
	// ByShape says that its lockups are drawn or placed by hand: then the page beside the files asks
	// for the shape as well.
	ByShape bool     `json:"by_shape,omitempty"`
	Inks    []Ink    `json:"inks,omitempty"`
	Small   Small    `json:"small"`
	Room    string   `json:"room,omitempty"`    // clear space, percent of the width
	RoomBy  RoomBy   `json:"room_by,omitzero"`  // the measure that it is told in
	Missing []string `json:"missing,omitempty"` // files that were wanted and are not there
	// Unseen says that the master may look otherwise than it was read, which no check
	// of the files sees.
	Unseen bool `json:"unseen,omitempty"`
	// Heavy says that the master takes so much to be drawn that nothing is made on the spot.
	Heavy bool `json:"heavy,omitempty"`
	// Pictures are PNGs by their names: HeadPicture, RoomPicture, "use-" with the
	// key of a use, "version-" with the name of a version.
	Pictures map[string][]byte `json:"pictures"`
}

// Names of pictures.
const (
	HeadPicture = "head"
	RoomPicture = "room"
)

// UsePicture names the picture of a use.
func UsePicture(key string) string { return "use-" + key }

// VersionPicture names the picture of a version.
func VersionPicture(name string) string { return "version-" + name }

// A File is one file of the kit.
type File = advice.File

// A Version is what a client has to know of one.
type Version = advice.Traits

// An Ink is a colour with its values to copy.
type Ink struct {
	Name string     `json:"name,omitempty"`
	Hex  string     `json:"hex"`
	RGB  [3]uint8   `json:"rgb"`
	CMYK [4]float64 `json:"cmyk"` // percent
	Spot string     `json:"spot,omitempty"`
	Tint float64    `json:"tint,omitempty"` // of Spot, percent; 0 for all of it
}

// Plate names the spot ink and how much of it.
func (k Ink) Plate() string {
	if k.Spot == "" || k.Tint == 0 || k.Tint == 100 {
		return k.Spot
	}
	return k.Spot + ", " + strings.TrimSuffix(strconv.FormatFloat(k.Tint, 'f', 1, 64), ".0") + " %"
}

// Small is how small the mark may be.
type Small struct {
	Px    int     `json:"px,omitempty"`    // on a screen; 0 if there is no rule
	MM    float64 `json:"mm,omitempty"`    // in print
	Asked string  `json:"asked,omitempty"` // by its owner, with a unit
	None  string  `json:"none,omitempty"`  // why there is no rule: letters, line, lines or shapes
	// What serves below: symbol or name, from its own size on.
	Below   string  `json:"below,omitempty"`
	BelowPx int     `json:"below_px,omitempty"`
	BelowMM float64 `json:"below_mm,omitempty"`
}

// RoomBy is clear space by a measure of the mark: so many times its height.
type RoomBy struct {
	Of    string  `json:"of,omitempty"`   // capitals, letters, symbol-height, symbol-width, height, width or part
	Part  string  `json:"part,omitempty"` // of part
	Times float64 `json:"times,omitempty"`
}

// served is what can be recommended.
func (p *Page) served() advice.Files { return advice.Files{Files: p.Files, Versions: p.Versions} }

// Answers tells what of the kit is for what; uses that nothing serves, and those
// in hidden, are left out.
func (p *Page) Answers(hidden ...string) []advice.Answer { return p.served().Answers(hidden...) }

// File finds a file by its path.
func (p *Page) File(path string) (File, bool) {
	if i := slices.IndexFunc(p.Files, func(f File) bool { return f.Path == path }); i >= 0 {
		return p.Files[i], true
	}
	return File{}, false
}

// Without is the page without the uses and types of file that are hidden. A use
// that only hidden files serve goes with them.
func (p *Page) Without(types []format.Key) *Page {
	q := *p
	q.Files = slices.DeleteFunc(slices.Clone(p.Files), func(f File) bool { return slices.Contains(types, f.Format) })
	return &q
}
