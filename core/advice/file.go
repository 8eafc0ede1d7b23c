package advice

import (
	"path"
	"slices"
	"strings"

	"dyekit/core/format"
)

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

// Kind is what the file's format can carry.
func (f File) Kind() format.Format {
	k, _ := format.Of(f.Format)
	return k
}

// InSet reports whether the file belongs to an icon set.
func (f File) InSet() bool { return Icon(f.Path) }

// Icon reports whether a file of a kit belongs to an icon set.
func Icon(path string) bool { return strings.HasPrefix(path, "ICONS") }

// First names the version that the file shows first.
func (f File) First() string {
	name, _, _ := strings.Cut(f.Version, "+")
	return name
}

// Traits are what a client has to know of a version.
type Traits struct {
	Name   string  `json:"name"`
	Light  bool    `json:"light,omitempty"`   // for dark grounds
	Black  bool    `json:"black,omitempty"`   // in one ink, a black
	OneInk bool    `json:"one_ink,omitempty"` // in one ink of any colour
	Backed bool    `json:"backed,omitempty"`  // on a ground of its own
	Part   bool    `json:"part,omitempty"`    // of the mark: the symbol alone
	Aspect float64 `json:"aspect"`            // width to height of its frame
	Lockup string  `json:"lockup,omitempty"`  // as the recipe calls it
	Ink    string  `json:"ink,omitempty"`     // #rrggbb of what is in one ink
	Sharp  int     `json:"sharp,omitempty"`   // px of its width up to which the picture in it is sharp; 0 for curves
}

// Files are those of a kit with what is known of the versions that they show.
type Files struct {
	Files    []File
	Versions []Traits
}

func (p Files) version(name string) Traits {
	if i := slices.IndexFunc(p.Versions, func(v Traits) bool { return v.Name == name }); i >= 0 {
		return p.Versions[i]
	}
	return Traits{Name: name, Aspect: 1}
}
