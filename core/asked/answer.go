package asked

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/format"
)

// A Kit is what files are chosen from.
type Kit struct {
	advice.Files
	Spot bool // its files in printing inks hold plates of spot inks
}

// A Met tells whether a file has what was asked for.
type Met struct {
	Thing
	OK bool
}

// An Answer is the file that is meant.
type Answer struct {
	Wish   Wish
	File   advice.File
	Met    []Met         // each thing that was asked for, in its order
	Whole  bool          // it has all that was named; else it is the nearest
	Part   bool          // it shows a part of the mark, which nobody asked for
	Others []advice.File // that come next, each of another type
	Never  Never         // why no file has all of it, wherever it came from; "" if one may
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

// Answer finds the file of a kit that a wish means. What is named outranks what it is for: a
// use orders those that have all else. ok is false where the kit has no files, or the wish
// says nothing.
func (k Kit) Answer(w Wish) (a Answer, ok bool) {
	a.Wish = w
	if len(w.Things) == 0 || len(k.Files.Files) == 0 {
		a.Never = NoMeaning
		return a, false
	}
	key := w.key()
	misses := func(f advice.File) (n int) {
		for _, t := range w.Things {
			if !k.has(f, t) {
				n += weight(t.Is)
			}
		}
		return n
	}
	type candidate struct {
		advice.File
		misses, rank, odd int
		away              float64
	}
	var all []candidate
	for _, f := range k.Files.Files {
		all = append(all, candidate{f, misses(f), k.rank(key, f), k.odd(f), k.away(w, f)})
	}
	slices.SortStableFunc(all, func(x, y candidate) int {
		return cmp.Or(cmp.Compare(x.misses, y.misses), cmp.Compare(x.rank, y.rank), cmp.Compare(x.away, y.away), cmp.Compare(x.odd, y.odd), k.Compare(key, x.File, y.File))
	})
	a.File, a.Whole = all[0].File, true
	for _, t := range w.Things {
		m := Met{t, k.has(a.File, t)}
		a.Met = append(a.Met, m)
		a.Whole = a.Whole && (m.OK || t.Is == Use)
	}
	parts, _ := w.of(Part)
	a.Part = len(parts) == 0 && k.Of(a.File).Part && !a.File.InSet()
	uses, _ := w.of(Use)
	serves := func(c candidate) bool { return c.rank < math.MaxInt }
	for _, c := range all[1:] {
		f, more := c.File, c.misses-all[0].misses
		switch {
		case f.Format == a.File.Format, f.InSet(), slices.ContainsFunc(a.Others, func(o advice.File) bool { return o.Format == f.Format }),
			more != 0 && more != weight(Type), len(uses) > 0 && serves(all[0]) && !serves(c), k.Of(f) != k.Of(a.File), len(a.Others) == maxOthers:
		default:
			a.Others = append(a.Others, f)
		}
	}
	if !a.Whole {
		a.Never = w.never()
	}
	return a, true
}

// weight is how much a thing counts that a file has not; each outweighs all below it.
func weight(is Is) int {
	switch is {
	case Type:
		return 1 << 12
	case Colourway, Ground:
		return 1 << 11
	case Part:
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
	case slices.Contains(kinds, "vector"):
		return "vector"
	case len(plates)+len(wide)+len(high) > 0, slices.Contains(spaces, "cmyk"):
		return "printer"
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

// rank is advice.Files.Rank; what does not serve comes last.
func (k Kit) rank(key string, f advice.File) int {
	if n, ok := k.Rank(key, f); ok {
		return n
	}
	return math.MaxInt
}

// odd is less for what nobody asked to be otherwise: the whole mark in its colours, with no
// ground of its own and in no icon set.
func (k Kit) odd(f advice.File) (n int) {
	v := k.Of(f)
	for i, x := range []bool{f.InSet(), v.Part, v.Backed, v.Light, v.OneInk && !v.Black, v.OneInk} {
		if x {
			n += 32 >> i
		}
	}
	return n
}

// away is how far the size of a picture is from the one that is wanted.
func (k Kit) away(w Wish, f advice.File) float64 {
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
func (k Kit) has(f advice.File, t Thing) bool { return k.holds(f, t) != t.Not }

func (k Kit) holds(f advice.File, t Thing) bool {
	v, kind, n := k.Of(f), f.Kind(), t.Number()
	curves := kind.Curves && !f.Pixels
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
			return v.Black && !v.Backed
		case "one":
			return v.OneInk && !v.Backed
		}
		return !v.OneInk
	case Ground:
		switch t.Value {
		case "dark":
			return v.Light && !v.Backed && !kind.Opaque
		case "light":
			return !v.Light
		}
		return !v.Backed && !kind.Opaque
	case Background:
		return (kind.Opaque || v.Backed) == (t.Value == "own")
	case Shape:
		if f.WidthPx > 0 {
			return f.WidthPx == f.HeightPx
		}
		return math.Abs(v.Aspect-1) < 0.01
	case Part:
		return v.Part == (t.Value != "whole")
	case Quality:
		return t.Value == "light" || curves || f.WidthPx >= 1500
	case Use:
		_, ok := k.Rank(t.Value, f)
		return ok
	case WidthPx:
		return curves || math.Abs(float64(f.WidthPx)-n) < 0.5
	case HeightPx:
		return curves && math.Abs(v.Aspect-1) < 0.01 || math.Abs(float64(f.HeightPx)-n) < 0.5
	case LeastPx:
		return curves || float64(f.WidthPx) >= n
	case MostPx:
		return f.WidthPx > 0 && float64(f.WidthPx) <= n
	case WidthMM:
		return curves && n <= maxMM || float64(f.WidthPx) >= n/25.4*sharp
	case HeightMM:
		return curves && n <= maxMM || float64(f.HeightPx) >= n/25.4*sharp
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
