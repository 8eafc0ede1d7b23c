package asked

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"dyekit/core/advice"
	"dyekit/core/format"
	"dyekit/core/recipe"
)

// A May says what is made for a client that the kit has not.
type May struct {
	Sizes   bool // other sizes and resolutions
	Types   bool // other file types, or their other colour space
	Grounds bool // on a ground, for files that need none
	Inks    bool // in another single ink of the brand
}

// All makes whatever can be made.
var All = May{Sizes: true, Types: true, Grounds: true, Inks: true}

// An Order is a file to be made: a line of a recipe that asks for one file.
type Order struct {
	recipe.Entry
	MostKB float64 // of 1000 bytes, that it may weigh; 0 for any
	Sized  bool    // somebody said how large it is
	Ink    string  // of the brand, by its name, in place of the ink of the version; "" for that
}

// Version is the version that the file shows.
func (o Order) Version() string { return o.Versions[0] }

const (
	lightGround = "#ffffff"
	darkGround  = "#000000" // for white marks in files that cannot do without a ground
)

// Ground is the colour behind the mark that the file brings, "" if it brings none; "own" if
// nobody knows which. It knows nothing of versions on a ground of their own.
func (p Pick) Ground() string {
	switch {
	case p.Make != nil && p.Make.Backing != "":
		return p.Make.Backing
	case p.Kind().Opaque:
		return "own"
	}
	return ""
}

// Sizes of files of which nobody said a size (common practice): px of the width, and ppi.
var usual = map[string]struct {
	px  int
	ppi float64
}{
	"web": {1000, 72}, "profile": {1080, 72}, "letter": {1300, 150}, "dark": {1300, 72}, "mail": {320, 72},
	"print": {3000, 300}, "sign": {3000, 300}, "shirt": {3000, 300}, "lab": {3000, 300}, "layout": {3000, 300},
	"film": {3840, 72}, "form": {1500, 150}, "": {1000, 72},
}

// What is made is no smaller and no larger, in px of a side. Curves have no size of their own:
// on paper they are made as wide as PDF pages go, and wider ones are scaled by who prints them.
const (
	leastMade  = 8
	mostMade   = 12_000
	mostPixels = 40_000_000                  // some 160 MB while it is drawn
	mostPaper  = recipe.MostPage / 72 * 25.4 // mm
)

// A size is what a wish says of it; 0 where it says nothing.
type size struct {
	px, highPx, leastPx, mostPx float64
	mm, highMM                  float64
	ppi, kb                     float64
	square, high                bool
}

func (w Wish) size() (s size) {
	into := map[Is]*float64{WidthPx: &s.px, HeightPx: &s.highPx, LeastPx: &s.leastPx, MostPx: &s.mostPx, WidthMM: &s.mm, HeightMM: &s.highMM, PPI: &s.ppi, MostKB: &s.kb}
	for _, t := range w.Things {
		p := into[t.Is]
		switch {
		case t.Not:
		case p != nil && *p == 0:
			*p = t.Number()
		case t.Is == Shape:
			s.square = true
		case t.Is == Quality && t.Value == "high":
			s.high = true
		}
	}
	return s
}

// makes lists the files of a version that can be made for a wish: one of each type and colour
// space that may be.
func (k Kit) makes(w Wish, v advice.Traits) (out []Pick) {
	if k.May == (May{}) {
		return nil
	}
	for _, kind := range format.Wanted() {
		if !kind.Curves && !kind.Pixels || kind.Icon {
			continue
		}
		for _, space := range []format.Space{format.RGB, format.CMYK} {
			if space == format.CMYK && kind.NoCMYK != "" {
				continue
			}
			p, ok := k.order(w, v, kind, space)
			if !ok {
				continue
			}
			out = append(out, p)
			for _, name := range k.inks(w, v) {
				o := *p.Make
				o.Ink = name
				out = append(out, Pick{p.File, &o})
			}
		}
	}
	return out
}

// inks are the inks that are named in which a version can be made.
func (k Kit) inks(w Wish, v advice.Traits) (names []string) {
	yes, _ := w.of(OneInk)
	if !k.May.Inks || !v.Black || v.Backed {
		return nil
	}
	for _, name := range yes {
		if k.Ink(name) != "" {
			names = append(names, name)
		}
	}
	return names
}

// Ink is the colour of an ink of the brand, #rrggbb; "" if there is none of that name.
func (k Kit) Ink(name string) string {
	for _, i := range k.Inks {
		if i.Name == name {
			return i.Hex
		}
	}
	return ""
}

func (k Kit) order(w Wish, v advice.Traits, kind format.Format, space format.Space) (p Pick, ok bool) {
	o := Order{Entry: recipe.Entry{Format: kind.Key, Versions: []string{v.Name}, Colour: space}}
	if kind.Pages {
		o.Pages = recipe.OneEach
	}
	if !k.ofType(kind, space) {
		return p, false
	}
	if o.Backing, ok = k.grounds(w, v, kind, space); !ok {
		return p, false
	}
	s := w.size()
	o.MostKB, o.Sized = s.kb, max(s.px, s.highPx, s.leastPx, s.mm, s.highMM) > 0
	if kind.Curves {
		o.onPaper(s, v.Aspect)
	} else {
		o.inPixels(s, w, v)
	}
	p = Pick{o.File(v), &o}
	return p, k.sized(p, v)
}

// grounds is what a file is laid on: ok is false if it would show nothing there, or may not be.
func (k Kit) grounds(w Wish, v advice.Traits, kind format.Format, space format.Space) (backing string, ok bool) {
	grounds, _ := w.of(Background)
	on, _ := w.of(Ground)
	own := slices.Contains(grounds, "own")
	opaque := kind.Opaque || kind.Pixels && space == format.CMYK
	switch {
	case v.Backed:
		return "", true
	case !own && !opaque:
		return "", true
	case kind.Curves: // nothing is laid behind curves
		return "", false
	case v.Light && !slices.Contains(on, "dark"):
		return "", false
	case v.Light:
		return darkGround, k.May.Grounds
	case kind.Opaque:
		return "", true // white by itself
	}
	return lightGround, k.May.Grounds
}

// onPaper gives a file of curves the size that is asked for.
func (o *Order) onPaper(s size, aspect float64) {
	w, h := s.mm, s.highMM
	switch {
	case w > mostPaper || h > mostPaper:
		return
	case w > 0 && h > 0:
		o.Size = number(w) + "x" + number(h) + "mm"
	case w > 0:
		o.Size = number(w) + "mm"
	case h > 0:
		o.Size = number(h*aspect) + "mm"
	}
}

// inPixels gives a file of pixels the size that is asked for, or the usual one.
func (o *Order) inPixels(s size, w Wish, v advice.Traits) {
	aspect := v.Aspect
	key := ""
	if uses, _ := w.of(Use); len(uses) > 0 {
		key = uses[0]
	}
	u, known := usual[key]
	if !known {
		u = usual[""]
	}
	if s.high || s.ppi >= 150 && s.px == 0 {
		u.px = max(u.px, 3000)
	}
	o.PPI = u.ppi
	if s.ppi > 0 {
		o.PPI = s.ppi
	}
	wide, high := s.px, s.highPx
	switch {
	case s.mm > 0 || s.highMM > 0:
		if s.ppi == 0 {
			o.PPI = sharp
		}
		o.onPaper(s, aspect)
		return
	case wide > 0 && high > 0:
	case wide > 0 && !s.square:
		high = wide / aspect
	case high > 0 && !s.square:
		wide = high * aspect
	default:
		wide = max(wide, high)
		if wide == 0 {
			wide = max(float64(u.px), s.leastPx)
			for _, most := range []float64{s.mostPx, float64(v.Sharp)} {
				if most > 0 {
					wide = min(wide, most)
				}
			}
		}
		if high = wide / aspect; s.square || key == "profile" {
			high = wide
		}
	}
	if o.Kind().Unscaled {
		o.PPI = 0
	}
	x, y := int(math.Round(wide)), int(math.Round(high))
	switch {
	case s.px > 0 && s.highPx > 0, s.square, key == "profile":
		o.Box = fmt.Sprintf("%dx%d", x, y)
		o.Round = key == "profile" && x == y
	case s.highPx > 0:
		o.Heights = []int{y}
	default:
		o.Widths = []int{x}
	}
}

// sized reports whether a file can be of its size, and may.
func (k Kit) sized(p Pick, v advice.Traits) bool {
	f, kind := p.File, p.Kind()
	w, h := f.WidthPx, f.HeightPx
	switch {
	case kind.Pixels && (min(w, h) < leastMade || max(w, h) > mostMade || w*h > mostPixels || kind.Side > 0 && max(w, h) > kind.Side):
		return false
	case kind.Pixels && v.Sharp > 0 && min(float64(w), float64(h)*v.Aspect) > float64(v.Sharp)+0.5: // a picture is never enlarged
		return false
	case kind.Curves && p.Make.Size != "" && (max(f.WidthPt, f.HeightPt) > recipe.MostPage || min(f.WidthPt, f.HeightPt) < recipe.LeastPage):
		return false
	case k.May.Sizes:
		return true
	case kind.Curves:
		return p.Make.Size == ""
	}
	return slices.ContainsFunc(k.Files.Files, func(x advice.File) bool {
		return x.WidthPx == w && max(x.HeightPx-h, h-x.HeightPx) <= 1 // proportions are rounded
	})
}

// number writes a length to the hundredth.
func number(v float64) string { return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64) }

// Lighter is an order for a file that weighs less than one which was so many times too heavy
// and so wide, in px: smaller, if nobody said how large it has to be, or JPEG of a lower quality.
func (o Order) Lighter(widthPx int, times float64) (Order, bool) {
	const enough = 60 // of JPEG: below, edges of flat colours crumble (common practice)
	switch {
	case o.Format == format.JPEG && (o.Quality == 0 || o.Quality > enough):
		q := 85
		if o.Quality > 0 {
			q = o.Quality - 15
		}
		o.Quality = max(enough, q)
		return o, true
	case o.Sized || len(o.Widths) == 0 && o.Box == "":
		return o, false
	}
	w := int(float64(widthPx) * math.Sqrt(0.9/times))
	if w < leastMade || w >= widthPx {
		return o, false
	}
	if o.Box != "" { // a square, or somebody said how large it is
		o.Box = fmt.Sprintf("%dx%d", w, w)
	} else {
		o.Widths = []int{w}
	}
	return o, true
}
