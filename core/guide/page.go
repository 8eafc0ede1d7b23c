// Package guide is the page by which a client takes a kit: what do you need it
// for, and the one file for that, with the reason. The same page lies in the kit
// as START-HERE.html and is served behind a client's link.
//
// A Page is what is said of a kit, kept with it; which file answers what is chosen
// here, by rules that know only the files' own facts; the words come from one
// catalogue in several languages. Nothing here draws or keeps anything.
package guide

import (
	"path"
	"slices"
	"strings"

	"dyekit/core/format"
)

// A Page is what the page of one kit shows. It is complete in itself and kept as
// JSON.
type Page struct {
	Brand  string `json:"brand"`
	Number int    `json:"number"` // of the kit
	// Ground and On are the colours of the head, #rrggbb: text in On on Ground has a
	// contrast of 4.5 at least (WCAG 2.2, 1.4.3).
	Ground   string    `json:"ground"`
	On       string    `json:"on"`
	Files    []File    `json:"files"`
	Versions []Version `json:"versions"`
	Inks     []Ink     `json:"inks,omitempty"`
	Small    Small     `json:"small"`
	Room     string    `json:"room,omitempty"`    // clear space, percent of the width
	Missing  []string  `json:"missing,omitempty"` // files that were wanted and are not there
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
type File struct {
	Path     string       `json:"path"` // in the kit, with slashes
	Version  string       `json:"version"`
	Format   format.Key   `json:"format"`
	WidthPx  int          `json:"width_px,omitempty"`
	HeightPx int          `json:"height_px,omitempty"`
	PPI      float64      `json:"ppi,omitempty"`
	WidthPt  float64      `json:"width_pt,omitempty"`
	HeightPt float64      `json:"height_pt,omitempty"`
	Colour   format.Space `json:"colour,omitempty"`
	Pixels   bool         `json:"pixels,omitempty"` // curves with a picture inside
	Bytes    int          `json:"bytes"`
}

// Base is the name of the file without its folder.
func (f File) Base() string { return path.Base(f.Path) }

// kind is what the file's format can carry.
func (f File) kind() format.Format {
	k, _ := format.Of(f.Format)
	return k
}

// inSet reports whether the file belongs to an icon set.
func (f File) inSet() bool { return strings.HasPrefix(f.Path, "ICONS") }

// First names the version that the file shows first.
func (f File) First() string {
	name, _, _ := strings.Cut(f.Version, "+")
	return name
}

// A Version is what a client has to know of one.
type Version struct {
	Name   string  `json:"name"`
	Light  bool    `json:"light,omitempty"`   // for dark grounds
	Black  bool    `json:"black,omitempty"`   // in one ink, a black
	OneInk bool    `json:"one_ink,omitempty"` // in one ink of any colour
	Backed bool    `json:"backed,omitempty"`  // on a ground of its own
	Part   bool    `json:"part,omitempty"`    // of the mark: the symbol alone
	Aspect float64 `json:"aspect"`            // width to height of its frame
}

// An Ink is a colour with its values to copy.
type Ink struct {
	Name string     `json:"name,omitempty"`
	Hex  string     `json:"hex"`
	RGB  [3]uint8   `json:"rgb"`
	CMYK [4]float64 `json:"cmyk"` // percent
	Spot string     `json:"spot,omitempty"`
}

// Small is how small the mark may get.
type Small struct {
	Px    int     `json:"px,omitempty"`    // on a screen; 0 if unknown
	MM    float64 `json:"mm,omitempty"`    // in print
	Asked string  `json:"asked,omitempty"` // by its owner, with a unit
}

func (p *Page) version(name string) Version {
	if i := slices.IndexFunc(p.Versions, func(v Version) bool { return v.Name == name }); i >= 0 {
		return p.Versions[i]
	}
	return Version{Name: name, Aspect: 1}
}

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
