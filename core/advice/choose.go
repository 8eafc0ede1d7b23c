package advice

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/format"
)

// A stand is what a version is shown on, or what it is made of.
type stand int

const (
	onLight  stand = iota // stands on light grounds
	onDark                // white or light
	inBlack               // one ink, black if there is one
	inOne                 // one ink, for light grounds
	anywhere              // somebody named the version
)

// A want is a kind of file; of those that suit, the best is taken.
type want struct {
	why     string       // key of the text that says why
	formats []format.Key // as they are liked
	stand   stand
	width   int     // px wanted of pictures, nearest wins; 0 takes the widest
	least   int     // px at least
	ppi     float64 // at least: made for paper
	square  bool    // the squarest
	cmyk    bool    // in process inks
	colour  bool    // in the mark's own colours
	picture bool    // curves may hold a picture, which is not sharp at every size
	set     bool    // out of an icon set
}

// suits reports whether a file is of the kind wanted.
func (w want) suits(p Files, f File) bool {
	v, k := p.version(f.First()), f.Kind()
	switch {
	case !slices.Contains(w.formats, f.Format), f.InSet() != w.set,
		w.cmyk && f.Colour != format.CMYK, !w.cmyk && k.Pixels && f.Colour == format.CMYK,
		f.WidthPx > 0 && f.WidthPx < w.least, w.ppi > 0 && f.PPI < w.ppi,
		w.colour && v.OneInk, f.Pixels && !w.picture:
		return false
	case w.set:
		return true
	}
	switch w.stand {
	case anywhere:
		return !(v.Light && !v.Backed && k.Opaque)
	case onDark:
		// Paper that is white already cannot show it.
		return v.Light && !v.Backed && !k.Opaque
	case inBlack, inOne:
		return v.OneInk && !v.Light && !v.Backed
	}
	return !v.Light
}

// better orders files that suit: less than 0 if a serves better.
func (w want) better(p Files, a, b File) int {
	u, v := p.version(a.First()), p.version(b.First())
	no := func(x bool) int {
		if x {
			return 1
		}
		return 0
	}
	order := []int{cmp.Compare(slices.Index(w.formats, a.Format), slices.Index(w.formats, b.Format))}
	if w.square {
		order = append(order, cmp.Compare(p.lean(a), p.lean(b)))
	} else {
		order = append(order, no(u.Part)-no(v.Part))
	}
	if w.stand == inBlack {
		order = append(order, no(!u.Black)-no(!v.Black))
	}
	if w.stand == onLight || w.stand == onDark {
		order = append(order, no(u.OneInk)-no(v.OneInk))
	}
	order = append(order, no(u.Backed)-no(v.Backed), cmp.Compare(w.far(a), w.far(b)))
	return cmp.Or(order...)
}

// lean is how far a picture is from a square, in steps of a tenth.
func (p Files) lean(f File) float64 {
	r := p.version(f.First()).Aspect
	if f.WidthPx > 0 && f.HeightPx > 0 {
		r = float64(f.WidthPx) / float64(f.HeightPx)
	}
	return math.Round(10 * math.Abs(math.Log(r)))
}

// far is how far a picture's width is from the one wanted.
func (w want) far(f File) float64 {
	switch {
	case f.WidthPx == 0:
		return 0
	case w.width == 0:
		return -float64(f.WidthPx)
	}
	return math.Abs(math.Log(float64(f.WidthPx) / float64(w.width)))
}

// best is the file that serves a want best.
func (p Files) best(w want) (File, bool) {
	var got File
	found := false
	for _, f := range p.Files {
		if w.suits(p, f) && (!found || w.better(p, f, got) < 0) {
			got, found = f, true
		}
	}
	return got, found
}

// A Pick is a file that is recommended; Why is the key of the text that says why,
// or for which other case.
type Pick struct {
	File File
	Why  string
}

// An Answer is what is recommended for a use: one file, and others for the other
// cases.
type Answer struct {
	Use    string // its key
	Main   Pick
	Others []Pick
}

// use is something a client wants, with what serves it: the first want that a
// file suits is the answer.
type use struct {
	key    string
	main   []want
	others []want
}

var (
	curves  = []format.Key{format.SVG}
	picture = []format.Key{format.PNG, format.WebP}
	printed = []format.Key{format.PDF, format.EPS}
	plain   = []format.Key{format.SVG, format.EPS, format.PDF}
)

// uses in the order in which people ask (common practice); the widths wanted are
// common practice too.
var uses = []use{
	{"web", []want{{why: "svg", formats: curves, colour: true}, {why: "png", formats: picture, width: 1000, colour: true}, {why: "svg", formats: curves}, {why: "png", formats: picture, width: 1000}, {why: "jpeg", formats: []format.Key{format.JPEG}, width: 1000}},
		[]want{{why: "dark", formats: append(curves, picture...), stand: onDark, width: 1000}, {why: "insist", formats: picture[:1], width: 500}, {why: "light-weight", formats: picture[1:], width: 1000}}},
	{"profile", []want{{why: "square", formats: append(picture, format.JPEG), width: 1000, least: 200, square: true}},
		[]want{{why: "dark", formats: picture, stand: onDark, width: 1000, square: true}}},
	{"letter", []want{{why: "png", formats: picture[:1], width: 1300, least: 600, ppi: 140, colour: true}, {why: "png", formats: picture[:1], width: 1300, least: 600, colour: true}, {why: "png", formats: picture[:1], width: 1300, colour: true}, {why: "png", formats: picture[:1], width: 1300}, {why: "jpeg", formats: []format.Key{format.JPEG}, width: 1300}},
		[]want{{why: "print", formats: picture[:1], least: 2000, colour: true}, {why: "sharp", formats: curves, colour: true}}},
	{"dark", []want{{why: "png", formats: picture, stand: onDark, width: 1300}, {why: "svg", formats: append(curves, printed...), stand: onDark}},
		[]want{{why: "web", formats: curves, stand: onDark}, {why: "press", formats: printed, stand: onDark}}},
	{"print", []want{{why: "cmyk", formats: printed, cmyk: true}, {why: "rgb", formats: printed}, {why: "picture", formats: printed, picture: true}},
		[]want{{why: "old", formats: printed[1:]}, {why: "black", formats: printed, stand: inBlack}}},
	{"shirt", []want{{why: "one", formats: []format.Key{format.PDF, format.EPS, format.SVG}, stand: inBlack}},
		[]want{{why: "dark", formats: plain, stand: onDark}, {why: "colours", formats: printed}}},
	{"sign", []want{{why: "svg", formats: plain, stand: inBlack}},
		[]want{{why: "eps", formats: []format.Key{format.EPS, format.PDF}, stand: inBlack}}},
	{"film", []want{{why: "png", formats: picture, least: 1900, colour: true}, {why: "png", formats: picture, least: 1900}},
		[]want{{why: "dark", formats: picture, stand: onDark, least: 1900}}},
	{"lab", []want{{why: "png", formats: []format.Key{format.PNG, format.JPEG, format.TIFF}, ppi: 250}}, nil},
	{"icon", []want{{why: "set", formats: []format.Key{format.HeadLines}, set: true}, {why: "ico", formats: []format.Key{format.ICO}}, {why: "ico", formats: []format.Key{format.ICO}, set: true}}, nil},
	{"form", []want{{why: "jpeg", formats: []format.Key{format.JPEG}, width: 1500, ppi: 140}, {why: "jpeg", formats: []format.Key{format.JPEG}, width: 1500}}, nil},
	{"layout", []want{{why: "pixels", formats: []format.Key{format.TIFF, format.JPEG}, cmyk: true, ppi: 200}, {why: "pixels", formats: []format.Key{format.TIFF, format.JPEG}, cmyk: true}}, nil},
}

// An ask is what others ask a client for. The first want that a file suits is the
// answer.
type ask struct {
	key   string
	wants []want
}

// asks in the order in which they are listed (common practice).
var asks = []ask{
	{"vector", []want{{formats: plain, colour: true}, {formats: plain}}},
	{"highres", []want{{formats: picture, least: 1500, ppi: 200, colour: true}, {formats: picture, least: 1500, colour: true}, {formats: curves}, {formats: picture}}},
	{"transparent", []want{{formats: picture, width: 1300, colour: true}, {formats: picture, width: 1300}, {formats: curves, picture: true}}},
	{"printer", []want{{formats: printed, cmyk: true}, {formats: printed}, {formats: printed, picture: true}}},
	{"white", []want{{formats: picture, stand: onDark, width: 1300}, {formats: plain, stand: onDark}}},
	{"black", []want{{formats: plain, stand: inBlack}, {formats: picture, stand: inBlack, width: 1300}}},
	{"web", []want{{formats: curves}, {formats: picture, width: 1000}}},
	{"office", []want{{formats: picture[:1], width: 1300, colour: true}, {formats: picture[:1], width: 1300}}},
	{"mail", []want{{formats: picture[:1], width: 320}}},
	{"square", []want{{formats: append(picture, format.JPEG), width: 1000, least: 200, square: true}}},
	{"film", []want{{formats: picture, least: 1900, colour: true}, {formats: picture, least: 1900}}},
	{"sign", []want{{formats: plain, stand: inBlack}}},
	{"thread", []want{{formats: []format.Key{format.PDF, format.EPS, format.SVG}, stand: inBlack}}},
	{"png", []want{{formats: picture[:1], width: 1300}}},
	{"jpeg", []want{{formats: []format.Key{format.JPEG}, width: 1500}, {formats: []format.Key{format.JPEG}, cmyk: true}}},
	{"svg", []want{{formats: curves, picture: true}}},
	{"pdf", []want{{formats: printed[:1], cmyk: true, picture: true}, {formats: printed[:1], picture: true}}},
	{"eps", []want{{formats: printed[1:], picture: true}}},
	{"tiff", []want{{formats: []format.Key{format.TIFF}, cmyk: true}, {formats: []format.Key{format.TIFF}}}},
	{"webp", []want{{formats: picture[1:], width: 1000}}},
	{"icon", []want{{formats: []format.Key{format.HeadLines}, set: true}, {formats: []format.Key{format.ICO}}, {formats: []format.Key{format.ICO}, set: true}}},
}

// Asks lists the keys of what others ask for.
func Asks() (keys []string) {
	for _, a := range asks {
		keys = append(keys, a.key)
	}
	return keys
}

// Asked is the file for what others ask for; ok is false if none serves.
func (p Files) Asked(key string) (f File, ok bool) {
	for _, a := range asks {
		if a.key != key {
			continue
		}
		for _, w := range a.wants {
			if f, ok := p.best(w); ok {
				return f, true
			}
		}
	}
	return File{}, false
}

// wantsOf are the wants of a use, the others after those of its answer, or of what others ask
// for.
func wantsOf(key string) []want {
	for _, u := range uses {
		if u.key == key {
			return slices.Concat(u.main, u.others)
		}
	}
	for _, a := range asks {
		if a.key == key {
			return a.wants
		}
	}
	return nil
}

// A Want is a kind of file that serves a use, as readers in other languages have it; see want. Its
// names are short, as it stands in every kit.
type Want struct {
	Formats []format.Key `json:"f"`
	Stand   int          `json:"s,omitempty"` // 0 on light, 1 on dark, 2 in black, 3 in one ink
	Width   int          `json:"w,omitempty"`
	Least   int          `json:"l,omitempty"`
	PPI     float64      `json:"p,omitempty"`
	Is      string       `json:"i,omitempty"` // q square, c in process inks, o in colour, i may hold a picture, t of a set
}

// Wants are those of every use, and of what others ask for, by key.
func Wants() map[string][]Want {
	out := map[string][]Want{}
	for _, key := range append(Uses(), Asks()...) {
		if out[key] != nil {
			continue // wantsOf knows one of a key
		}
		for _, w := range wantsOf(key) {
			x := Want{Formats: w.formats, Stand: int(w.stand), Width: w.width, Least: w.least, PPI: w.ppi}
			for _, is := range []struct {
				on     bool
				letter string
			}{{w.square, "q"}, {w.cmyk, "c"}, {w.colour, "o"}, {w.picture, "i"}, {w.set, "t"}} {
				if is.on {
					x.Is += is.letter
				}
			}
			out[key] = append(out[key], x)
		}
	}
	return out
}

// Rank is how well a file serves a use, or what others ask for: 0 is best. ok is false if it
// does not serve at all.
func (p Files) Rank(key string, f File) (rank int, ok bool) {
	for i, w := range wantsOf(key) {
		if w.suits(p, f) {
			return i, true
		}
	}
	return 0, false
}

// RankNamed is Rank where somebody named the version: it serves as a file, whatever versions
// are usual for that.
func (p Files) RankNamed(key string, f File) (rank int, ok bool) {
	for i, w := range wantsOf(key) {
		if w.stand, w.colour = anywhere, false; w.suits(p, f) {
			return i, true
		}
	}
	return 0, false
}

// Compare orders two files that serve a use, or what others ask for, equally well by Rank:
// less than 0 if a serves better.
func (p Files) Compare(key string, a, b File) int {
	rank, ok := p.Rank(key, a)
	if !ok {
		rank, ok = p.RankNamed(key, a)
	}
	if !ok {
		return 0
	}
	return wantsOf(key)[rank].better(p, a, b)
}

// Of are the traits of the version that a file shows.
func (p Files) Of(f File) Traits { return p.version(f.First()) }

// Uses lists the keys of all uses in their order.
func Uses() (keys []string) {
	for _, u := range uses {
		keys = append(keys, u.key)
	}
	return keys
}

// Answers tells what of the kit is for what; uses that nothing serves, and those
// in hidden, are left out.
func (p Files) Answers(hidden ...string) (as []Answer) {
	for _, u := range uses {
		if slices.Contains(hidden, u.key) {
			continue
		}
		main, ok := p.first(u.key, u.main)
		if !ok {
			continue
		}
		a := Answer{Use: u.key, Main: main}
		for _, w := range u.others {
			f, ok := p.best(w)
			if ok && f.Path != main.File.Path && !slices.ContainsFunc(a.Others, func(o Pick) bool { return o.File.Path == f.Path }) {
				a.Others = append(a.Others, Pick{f, "use." + u.key + ".or." + w.why})
			}
		}
		as = append(as, a)
	}
	return as
}

func (p Files) first(key string, ws []want) (Pick, bool) {
	for _, w := range ws {
		if f, ok := p.best(w); ok {
			return Pick{f, "use." + key + ".why." + w.why}, true
		}
	}
	return Pick{}, false
}

// Texts lists the keys of all that is said of uses and of what others ask for, for
// catalogues.
func Texts() (keys []string) {
	for _, u := range uses {
		keys = append(keys, "use."+u.key, "use."+u.key+".hint")
		for _, w := range u.main {
			keys = append(keys, "use."+u.key+".why."+w.why)
		}
		for _, w := range u.others {
			keys = append(keys, "use."+u.key+".or."+w.why)
		}
	}
	for _, a := range asks {
		keys = append(keys, "ask."+a.key)
	}
	return keys
}
