// Package asked reads what somebody asked a client for, in a sentence, and finds the file
// of a kit that is meant.
//
// A sentence becomes a Wish: what it names (a type of file, a colourway, a size) and what it
// describes (what it is for). What nobody understood is told, never guessed. No network and
// no model has a part in it: the words of a language stand in one file, which whoever speaks
// it can extend.
package asked

import (
	"slices"
	"strconv"

	"dyekit/core/format"
)

// An Is is an attribute that can be asked for.
type Is string

const (
	Type       Is = "type"       // of file: a format.Key; ico for the icon of a site
	Kind       Is = "kind"       // vector or pixels
	Space      Is = "space"      // cmyk or rgb
	Plate      Is = "plate"      // spot
	Colourway  Is = "colourway"  // colour, white, black, or one: any single ink
	Ground     Is = "ground"     // that it stands on: dark, light or photo
	Background Is = "background" // of the file: none or own
	Shape      Is = "shape"      // square
	Part       Is = "part"       // whole, symbol or name
	Lockup     Is = "lockup"     // one of the kit's own, by its name
	OneInk     Is = "ink"        // in one ink of the brand, by its name
	Quality    Is = "quality"    // high, or light: few bytes
	Use        Is = "use"        // what it is for: a key of advice.Uses, or mail
	WidthPx    Is = "width-px"
	HeightPx   Is = "height-px"
	LeastPx    Is = "least-px" // of the width
	MostPx     Is = "most-px"
	WidthMM    Is = "width-mm"
	HeightMM   Is = "height-mm"
	PPI        Is = "ppi"
	MostKB     Is = "most-kb" // of 1000 bytes
)

// words are the attributes of which the files of words tell.
var words = []Is{Type, Kind, Space, Plate, Colourway, Ground, Background, Shape, Part, Quality, Use}

// A Thing is one attribute that was asked for.
type Thing struct {
	Is    Is     `json:"is"`
	Value string `json:"value"`
	Said  string `json:"said"`          // in what words
	Not   bool   `json:"not,omitempty"` // it is not wanted
}

// Number is the value of a size, a resolution or a limit.
func (t Thing) Number() float64 {
	v, _ := strconv.ParseFloat(t.Value, 64)
	return v
}

// A Wish is what was understood of a sentence, in its order, and what was not.
type Wish struct {
	Things  []Thing
	Unknown []string // words that nobody understood, as they were written
	Long    bool     // only the beginning was read
	ands    []int    // how many things stood before each and
}

// of lists what is wanted of an attribute, and what is not.
func (w Wish) of(is Is) (yes, no []string) {
	for _, t := range w.Things {
		switch {
		case t.Is != is:
		case t.Not:
			no = append(no, t.Value)
		default:
			yes = append(yes, t.Value)
		}
	}
	return yes, no
}

// Each is a wish of several files, one for each type or, where one type at most is named, for
// each colourway that it names; MaxEach at most. Most wishes are of one.
func (w Wish) Each() (each []Wish) {
	if a, b, ok := w.curvesAndPixels(); ok {
		return []Wish{a, b}
	}
	if a, b, ok := w.bothSpaces(); ok {
		return []Wish{a, b}
	}
	w = w.single()
	for _, is := range []Is{Type, Colourway} {
		yes, _ := w.of(is)
		if slices.Sort(yes); len(slices.Compact(yes)) < 2 {
			continue
		}
		for i, t := range w.Things {
			if t.Is != is || t.Not || len(each) == MaxEach || slices.ContainsFunc(w.Things[:i], func(u Thing) bool { return u.Is == is && u.Value == t.Value && !u.Not }) {
				continue
			}
			one := w
			// With another goes what its word means besides.
			other := func(u Thing) bool { return u.Is == is && !u.Not && u.Value != t.Value }
			one.Things = slices.DeleteFunc(slices.Clone(w.Things), func(u Thing) bool {
				return other(u) || slices.ContainsFunc(w.Things, func(v Thing) bool { return other(v) && v.Said == u.Said })
			})
			each = append(each, one)
		}
		return each
	}
	return []Wish{w}
}

// single is the wish without one colour where it is said which: white, in one colour.
func (w Wish) single() Wish {
	ways, _ := w.of(Colourway)
	if slices.Contains(ways, "white") || slices.Contains(ways, "black") {
		w.Things = slices.DeleteFunc(slices.Clone(w.Things), func(t Thing) bool { return t.Is == Colourway && t.Value == "one" && !t.Not })
	}
	return w
}

// curvesAndPixels parts a wish of curves and of a file of pixels, in either order: the logo as a
// vector and a JPEG. What is said of one is not said of the other, but for the version.
func (w Wish) curvesAndPixels() (a, b Wish, ok bool) {
	kind := slices.IndexFunc(w.Things, func(t Thing) bool { return t.Is == Kind && t.Value == "vector" && !t.Not })
	types, _ := w.of(Type)
	pixels := slices.IndexFunc(w.Things, func(t Thing) bool {
		f, known := format.Of(format.Key(t.Value))
		return t.Is == Type && !t.Not && known && f.Pixels
	})
	if kind < 0 || pixels < 0 || len(types) > 1 {
		return w, w, false
	}
	at := slices.IndexFunc(w.ands, func(n int) bool { return n > min(kind, pixels) && n <= max(kind, pixels) })
	if at < 0 {
		return w, w, false
	}
	a, b = w.parted(w.ands[at])
	return a, b, true
}

// bothSpaces parts a wish of screen colours and of printing inks: RGB for the web, CMYK for print.
func (w Wish) bothSpaces() (a, b Wish, ok bool) {
	spaces, _ := w.of(Space)
	if len(spaces) != 2 {
		return w, w, false
	}
	is := func(t Thing) bool { return t.Is == Space && !t.Not }
	first := slices.IndexFunc(w.Things, is)
	a, b = w.parted(first + 1 + slices.IndexFunc(w.Things[first+1:], is))
	return a, b, true
}

// parted is what was said before the thing at n, and the rest; which version is meant holds for
// both.
func (w Wish) parted(n int) (a, b Wish) {
	part := func(own func(i int) bool) Wish {
		x := w
		x.ands, x.Things = nil, nil
		for i, t := range w.Things {
			if own(i) || slices.Contains([]Is{Colourway, Part, Lockup, OneInk}, t.Is) {
				x.Things = append(x.Things, t)
			}
		}
		return x
	}
	return part(func(i int) bool { return i < n }), part(func(i int) bool { return i >= n })
}

// MaxEach bounds the files that one sentence asks for.
const MaxEach = 6
