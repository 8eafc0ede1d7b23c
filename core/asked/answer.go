package asked

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/format"
)

// A Kit is what files are chosen from, and made of.
type Kit struct {
	advice.Files
	Spot bool // its files in printing inks hold plates of spot inks
	May  May  // what is made that it has not; the zero May makes nothing
	Inks []Ink
}

// An Ink is one of the brand, as it is called.
type Ink struct{ Name, Hex string }

// A Met tells whether a file has what was asked for.
type Met struct {
	Thing
	OK bool
}

// A Pick is a file of the kit, or one that can be made.
type Pick struct {
	advice.File        // without a path if it is to be made
	Make        *Order // nil if it lies in the kit
}

// An Answer is the file that is meant.
type Answer struct {
	Wish Wish
	Pick
	Met    []Met  // each thing that was asked for, in its order
	Whole  bool   // it has all that was named; else it is the nearest
	Part   bool   // it shows a part of the mark, which nobody asked for
	Others []Pick // that come next, each of another type
	Never  Never  // why no file has all of it, wherever it came from; "" if one may
}

// A Never is a contradiction.
type Never string

const (
	NoHoles   Never = "no-holes"   // JPEG knows no transparency
	NoCurves  Never = "no-curves"  // pictures are no curves
	NoInks    Never = "no-inks"    // files of this type are not made in printing inks
	NoMeaning Never = "no-meaning" // nothing was asked for that was understood
)

// maxOthers is how many next choices are shown.
const maxOthers = 3

// A candidate is a file that may be meant.
type candidate struct {
	Pick
	of         advice.Traits
	misses     int // what it has not of what was asked for; see weight
	rank       int // how well it serves; see Kit.rank
	odd        int
	away       float64
	toBeMade   int  // 1 if it is to be made
	unsuitable int  // 1 if it serves nothing of what it was asked for
	named      bool // its version was named
	lockup     int  // 1 if it is of another lockup than the main one
}

// Answer finds the file that a wish means, in the kit or to be made. What is named outranks
// what it is for: a use orders those that have all else. A file of the kit goes before one
// that would be made and has no more of what was asked for. ok is false where there are no
// files, or the wish says nothing.
func (k Kit) Answer(w Wish) (a Answer, ok bool) {
	a.Wish = w
	if len(w.Things) == 0 || len(k.Files.Files) == 0 {
		a.Never = NoMeaning
		return a, false
	}
	key := w.key()
	uses, _ := w.of(Use)
	curves, whole, named := w.curves(), w.whole(), w.version()
	onPaper := len(uses) == 0 && w.size().mm+w.size().highMM > 0
	square := w.square()
	var all []candidate
	add := func(p Pick, of advice.Traits) {
		c := candidate{Pick: p, of: of, rank: k.rank(key, p.File, named), odd: odd(p.File, of, square), away: away(w, p.File), named: named}
		if of.Lockup != "" && of.Lockup != "full" {
			c.lockup = 1
		}
		for _, t := range w.Things {
			if !k.has(c, t) {
				c.misses += weight(t.Is)
			} else if !t.Not && !exact(c, t, curves, onPaper) {
				c.misses++
			}
		}
		if whole && of.Part && !p.InSet() {
			c.misses++
		}
		if p.Make != nil {
			c.toBeMade = 1
		}
		if len(uses) > 0 && c.rank == math.MaxInt {
			c.unsuitable = 1
		}
		all = append(all, c)
	}
	for _, f := range k.Files.Files {
		add(Pick{File: f}, k.Of(f))
	}
	for _, v := range k.Versions {
		for _, p := range k.makes(w, v) {
			add(p, v)
		}
	}
	slices.SortStableFunc(all, func(x, y candidate) int {
		return cmp.Or(cmp.Compare(x.misses, y.misses), cmp.Compare(x.unsuitable, y.unsuitable), cmp.Compare(x.toBeMade, y.toBeMade), cmp.Compare(x.rank, y.rank), cmp.Compare(x.away, y.away), cmp.Compare(x.odd, y.odd), cmp.Compare(x.lockup, y.lockup), k.Compare(key, x.File, y.File))
	})
	got := all[0]
	a.Pick, a.Whole = got.Pick, true
	for _, t := range w.Things {
		m := Met{t, k.has(got, t)}
		a.Met = append(a.Met, m)
		a.Whole = a.Whole && (m.OK || t.Is == Use)
	}
	parts, _ := w.of(Part)
	lockups, _ := w.of(Lockup)
	a.Part = len(parts)+len(lockups) == 0 && got.of.Part && !a.File.InSet()
	for _, c := range all[1:] {
		f, more := c.File, c.misses-got.misses
		switch {
		case f.Format == a.File.Format, f.InSet(), slices.ContainsFunc(a.Others, func(o Pick) bool { return o.Format == f.Format }),
			more > 1 && more>>1 != weight(Type)>>1, c.unsuitable > got.unsuitable, c.rank == math.MaxInt && c.toBeMade == 1, c.of != got.of, len(a.Others) == maxOthers:
		default:
			a.Others = append(a.Others, c.Pick)
		}
	}
	if !a.Whole {
		a.Never = w.never()
	}
	return a, true
}

// curves reports whether curves are named: then a size in px is none of the file's.
func (w Wish) curves() bool {
	kinds, _ := w.of(Kind)
	types, _ := w.of(Type)
	return slices.Contains(kinds, "vector") || slices.ContainsFunc(types, func(t string) bool {
		f, _ := format.Of(format.Key(t))
		return f.Curves
	})
}

// version reports whether a colourway is named, or a ground that asks for one.
func (w Wish) version() bool {
	ways, _ := w.of(Colourway)
	grounds, _ := w.of(Ground)
	inks, _ := w.of(OneInk)
	return len(ways)+len(grounds)+len(inks) > 0
}

// square reports whether the file is for a square place of its own.
func (w Wish) square() bool {
	uses, _ := w.of(Use)
	parts, _ := w.of(Part)
	s := w.size()
	return len(parts) == 0 && (slices.Contains(uses, "profile") && (s.highPx == 0 || s.highPx == s.px) || slices.Contains(uses, "icon"))
}

// named reports whether a part of the mark is its name, as far as its own tells.
func named(v advice.Traits) bool {
	for _, word := range []string{"wordmark", "name", "lettering", "logotype", "schriftzug"} {
		if strings.Contains(Bare(v.Lockup+" "+v.Name), word) {
			return true
		}
	}
	return false
}

// whole reports whether the whole mark is meant: nobody named a part, or a place for which
// its symbol is better.
func (w Wish) whole() bool {
	parts, _ := w.of(Part)
	lockups, _ := w.of(Lockup)
	uses, _ := w.of(Use)
	shapes, _ := w.of(Shape)
	return len(parts)+len(shapes)+len(lockups) == 0 && !slices.Contains(uses, "profile") && !slices.Contains(uses, "icon")
}

// inked reports whether a file is made in another ink than its version is.
func (c candidate) inked() bool { return c.Make != nil && c.Make.Ink != "" }

// exact reports whether a file that serves a size has just that size.
func exact(c candidate, t Thing, curves, onPaper bool) bool {
	const mm = 72 / 25.4
	switch t.Is {
	case WidthMM:
		return near(c.WidthPt, t.Number()*mm)
	case HeightMM:
		return near(c.HeightPt, t.Number()*mm)
	case WidthPx, HeightPx, LeastPx:
		return c.WidthPx > 0 || curves
	case PPI: // 3 inches at 300 dpi are pixels
		return c.WidthPx > 0 || curves || !onPaper
	}
	return true
}

// near compares two lengths to within half a percent: less than anybody measures on paper.
func near(a, b float64) bool { return math.Abs(a-b) <= 0.005*b }

// weight is how much a thing counts that a file has not; each outweighs all below it.
func weight(is Is) int {
	switch is {
	case Type:
		return 1 << 12
	case Colourway, Ground, OneInk:
		return 1 << 11
	case Part, Lockup:
		return 1 << 10
	case Kind, Space, Plate, Background:
		return 1 << 8
	case Shape, WidthPx, HeightPx, LeastPx, MostPx, WidthMM, HeightMM, PPI, MostKB:
		return 1 << 5
	case Quality:
		return 1 << 4
	}
	return 0 // what it is for orders the rest
}

// never says why nothing has all that is wanted.
func (w Wish) never() Never {
	types, _ := w.of(Type)
	kinds, _ := w.of(Kind)
	grounds, _ := w.of(Background)
	spaces, _ := w.of(Space)
	for _, t := range types {
		f, ok := format.Of(format.Key(t))
		switch {
		case !ok:
		case f.Opaque && slices.Contains(grounds, "none"):
			return NoHoles
		case f.Pixels && slices.Contains(kinds, "vector"):
			return NoCurves
		case !f.Holds(format.CMYK) && slices.Contains(spaces, "cmyk"):
			return NoInks
		}
	}
	return ""
}

// key is the use, or what others ask for, that orders files.
func (w Wish) key() string {
	if uses, _ := w.of(Use); len(uses) > 0 {
		for _, u := range []string{"shirt", "sign"} { // printed too, and in one ink
			if slices.Contains(uses, u) {
				return u
			}
		}
		return uses[0]
	}
	kinds, _ := w.of(Kind)
	ways, _ := w.of(Colourway)
	grounds, _ := w.of(Ground)
	shapes, _ := w.of(Shape)
	spaces, _ := w.of(Space)
	qualities, _ := w.of(Quality)
	plates, _ := w.of(Plate)
	wide, _ := w.of(WidthMM)
	high, _ := w.of(HeightMM)
	switch {
	case len(plates)+len(wide)+len(high) > 0, slices.Contains(spaces, "cmyk"):
		return "printer"
	case slices.Contains(kinds, "vector"):
		return "vector"
	case slices.Contains(ways, "white"), slices.Contains(grounds, "dark"):
		return "white"
	case slices.Contains(ways, "black"), slices.Contains(ways, "one"):
		return "black"
	case len(shapes) > 0:
		return "square"
	case slices.Contains(qualities, "high"):
		return "highres"
	}
	return "transparent"
}

// rank is advice.Files.Rank, and after that how well a file serves whose version was named;
// what does not serve comes last.
func (k Kit) rank(key string, f advice.File, named bool) int {
	const after = 100
	if n, ok := k.Rank(key, f); ok {
		return n
	}
	if n, ok := k.RankNamed(key, f); ok && named {
		return after + n
	}
	return math.MaxInt
}

// odd is less for what nobody asked to be otherwise: the whole mark in its colours, with no
// ground of its own and in no icon set, curves for print in printing inks.
func odd(f advice.File, v advice.Traits, square bool) (n int) {
	kind := f.Kind()
	part := v.Part
	if square { // where the symbol serves better
		part = !v.Part || named(v) || max(v.Aspect, 1/v.Aspect) > 1.5
	}
	for i, x := range []bool{f.InSet(), part, v.Backed, v.Light, v.OneInk && !v.Black, v.OneInk, (f.Colour == format.CMYK) != (kind.Curves && kind.NoCMYK == "")} {
		if x {
			n += 64 >> i
		}
	}
	return n
}

// away is how far the size of a picture is from the one that is wanted.
func away(w Wish, f advice.File) float64 {
	far := 0.0
	for _, t := range w.Things {
		switch v := t.Number(); {
		case f.WidthPx == 0 || v <= 0 || t.Not:
		case t.Is == WidthPx, t.Is == LeastPx, t.Is == MostPx:
			far += math.Abs(math.Log(float64(f.WidthPx) / v))
		case t.Is == HeightPx:
			far += math.Abs(math.Log(float64(f.HeightPx) / v))
		case t.Is == WidthMM:
			far += math.Abs(math.Log(float64(f.WidthPx) / (v / 25.4 * sharp)))
		case t.Is == MostKB:
			far += math.Max(0, float64(f.Bytes)/1000/v-1)
		}
	}
	if q, _ := w.of(Quality); slices.Contains(q, "light") {
		far += float64(f.Bytes) / 1e6
	}
	return far
}

// sharp is how many px an inch takes in print (common practice).
const sharp = 300

// has reports whether a file has what was asked for; of what is not wanted, whether it has it
// not.
func (k Kit) has(c candidate, t Thing) bool { return k.holds(c, t) != t.Not }

func (k Kit) holds(c candidate, t Thing) bool {
	f, v, n := c.File, c.of, t.Number()
	kind, ground := f.Kind(), c.Pick.Ground()
	curves := kind.Curves && !f.Pixels
	const mm = 72 / 25.4
	switch t.Is {
	case Type:
		return f.Format == format.Key(t.Value) && !f.InSet() || t.Value == "ico" && (f.InSet() || f.Format == format.ICO)
	case Kind:
		return curves == (t.Value == "vector")
	case Space:
		return (f.Colour == format.CMYK) == (t.Value == "cmyk")
	case Plate:
		return k.Spot && curves && f.Colour == format.CMYK
	case Colourway:
		switch t.Value {
		case "white":
			return v.Light && v.OneInk && !v.Backed
		case "black":
			return v.Black && !v.Backed && !c.inked()
		case "one":
			return v.OneInk && !v.Backed
		}
		return !v.OneInk
	case Ground:
		switch t.Value {
		case "dark":
			return v.Light && !v.Backed && (ground == "" || ground == darkGround)
		case "light":
			return !v.Light
		}
		return !v.Backed && ground == ""
	case Background:
		return (ground != "" || v.Backed) == (t.Value == "own")
	case Shape:
		if f.WidthPx > 0 {
			return f.WidthPx == f.HeightPx
		}
		return math.Abs(v.Aspect-1) < 0.01
	case Part:
		return v.Part == (t.Value != "whole") && (!v.Part || named(v) == (t.Value == "name"))
	case Lockup:
		return v.Lockup == t.Value
	case OneInk:
		if c.inked() {
			return c.Make.Ink == t.Value
		}
		return v.OneInk && !v.Backed && v.Ink != "" && v.Ink == k.Ink(t.Value)
	case Quality:
		return t.Value == "light" || curves || f.WidthPx >= 1500 || c.Make != nil && c.Make.Size != "" && f.PPI >= sharp
	case Use:
		_, ok := k.Rank(t.Value, f)
		_, named := k.RankNamed(t.Value, f)
		return ok || named && c.named
	case WidthPx:
		return n >= 1 && (curves || math.Abs(float64(f.WidthPx)-n) < 0.5)
	case HeightPx:
		return n >= 1 && (curves && math.Abs(v.Aspect-1) < 0.01 || math.Abs(float64(f.HeightPx)-n) < 0.5)
	case LeastPx:
		return curves || float64(f.WidthPx) >= n
	case MostPx:
		return f.WidthPx > 0 && float64(f.WidthPx) <= n
	case WidthMM:
		return curves && n <= maxMM || float64(f.WidthPx) >= n/25.4*sharp || c.Make != nil && near(f.WidthPt, n*mm)
	case HeightMM:
		return curves && n <= maxMM || float64(f.HeightPx) >= n/25.4*sharp || c.Make != nil && near(f.HeightPt, n*mm)
	case PPI:
		return curves || f.PPI >= 0.99*n
	case MostKB:
		return float64(f.Bytes) <= 1000*n
	}
	return false
}

// maxMM is how wide curves are printed, which have no size of their own: a house is wrapped
// in less (common practice). What is wider is a slip.
const maxMM = 100_000
