package advice

import (
	"fmt"
	"math"
	"slices"
)

// A Smallest is how small a version may be, told by the width of its art without
// the margin of its files.
type Smallest struct {
	Version   string   `json:"version"`
	Lockup    string   `json:"lockup"`
	ScreenPx  *int     `json:"screen_px"` // nil where no rule is given: see Matter
	PrintMM   *float64 `json:"print_mm"`
	FirstToGo *ToGo    `json:"first_to_go"` // nil if nothing goes before
	Matter    *string  `json:"matter"`      // what in the drawing stands in the way of a rule
	Mend      *string  `json:"mend"`        // what helps
	Below     *Below   `json:"below,omitempty"`
	Why       string   `json:"why"`
	Set       bool     `json:"set,omitempty"` // by a person
	Key       string   `json:"-"`             // of Matter, for translators: letters, line, lines or shapes
}

// Given reports whether there is a rule.
func (s Smallest) Given() bool { return s.ScreenPx != nil && s.PrintMM != nil }

// A ToGo is ornament that goes first and that nobody misses: at a width of Px.
type ToGo struct {
	What string `json:"what"`
	Part string `json:"part,omitempty"`
	Px   int    `json:"px"`
}

// Below is what serves where a mark is too small: less of it, with its own rule.
type Below struct {
	What     string  `json:"what"` // "the symbol alone"
	Key      string  `json:"-"`    // of What, for translators: symbol or name
	ScreenPx int     `json:"screen_px"`
	PrintMM  float64 `json:"print_mm"`
}

// Sizes in rules are round (common practice). Beyond the last no rule is given.
var (
	screenSizes = []int{8, 12, 16, 20, 24, 32, 48, 64, 80, 100, 120, 160, 200, 250, 320, 400}
	printSizes  = []float64{3, 4, 5, 6, 8, 10, 12, 15, 18, 20, 25, 30, 40, 50, 60}
)

// What has to be left of a mark where it is read (common practice): heights of
// letters in px on a screen, in mm on paper.
const (
	smallPx, smallMM     = 5, 1.2 // x-height: 6 pt type
	capitalPx, capitalMM = 6, 1.4
	harder               = 4.0 / 3 // for letters that are light, or bare within ink

	linePx         = 1
	lineMM, bareMM = 0.25 / 72 * 25.4, 0.5 / 72 * 25.4

	symbolPx, symbolMM = 16, 5      // the side of a symbol of a few shapes, and
	besidePx, besideMM = 12.0, 3.75 // of one beside letters, which tell whose it is
)

// A need is a width below which something is lost.
type need struct {
	px, mm float64
	thing  thing
	why    string
}

type thing int

const (
	nameLetters thing = iota
	lineLetters       // of a line that is much smaller than the name
	lines
	shapes
)

// smallLine is the height against the largest letters below which a row is a line
// below the name (common practice: half as tall or less).
const smallLine = 0.62

// reading lists what the rows of letters need. Few letters on a drawing of many
// shapes, as the motto on a coat of arms, are a part of that.
func (l *Look) reading(f form) (ns []need) {
	art, tallest := l.Box.W()*l.k, 0.0
	for _, r := range l.rows {
		tallest = max(tallest, r.height)
	}
	for _, r := range l.rows {
		if f.inscribed(l, r) || l.sign(r) {
			continue
		}
		n := need{thing: nameLetters, px: smallPx * art / r.height, mm: smallMM * art / r.height}
		kind, whose := "lower-case letters", ""
		if r.capital {
			kind, n.px, n.mm = "capitals", capitalPx*art/r.height, capitalMM*art/r.height
		}
		if r.height < smallLine*tallest {
			n.thing, whose = lineLetters, " of the small line"
		}
		switch {
		case r.light && r.bare:
			kind = "thin light-on-dark " + kind
		case r.light:
			kind = "thin " + kind
		case r.bare:
			kind = "light-on-dark " + kind
		}
		if r.light || r.bare {
			n.px, n.mm = n.px*harder, n.mm*harder
		}
		n.why = fmt.Sprintf("The %s%s have to be %.2g px and %.2g mm high to be read.", kind, whose, r.height*n.px/art, r.height*n.mm/art)
		ns = append(ns, n)
	}
	return ns
}

// decide is the rule that all needs ask for, and the need that decides; ok is false
// if there is none that anybody would sign. tall is the height of the art to its width.
func decide(ns []need, tall float64) (px int, mm float64, most need, ok bool) {
	var screen, print float64
	for _, n := range ns {
		screen, print = max(screen, n.px), max(print, n.mm)
		if n.px > most.px {
			most = n
		}
	}
	i := slices.IndexFunc(screenSizes, func(v int) bool { return float64(v) >= screen-slack })
	j := slices.IndexFunc(printSizes, func(v float64) bool { return v >= print-slack })
	if i < 0 || j < 0 {
		return 0, 0, most, false
	}
	px, mm = screenSizes[i], printSizes[j]
	long := max(1, tall)
	if float64(px)*long > 2*float64(screenSizes[len(screenSizes)-1]) || mm*long > 2*printSizes[len(printSizes)-1] {
		return 0, 0, most, false
	}
	return px, mm, most, true
}

// slack lets a need that is a hair above a round size have it.
const slack = 0.25

// Smallest tells how small a version may be.
func (j Judged) Smallest() Smallest {
	l := j.Look
	out := Smallest{Version: j.Name, Lockup: j.Lockup}
	if l.Box.Empty() {
		return out.none("It paints nothing.", "Choose a version that does.")
	}
	tall := l.Box.H() / l.Box.W()
	f := l.form
	ns := append(l.reading(f), f.needs...)
	px, mm, most, ok := decide(ns, tall)
	below := l.below(f)
	if l.crowd > 0 {
		most.why += fmt.Sprintf(" Its %d small pieces were not looked at for letters.", l.crowd)
	}
	if ok {
		out.ScreenPx, out.PrintMM, out.Why = &px, &mm, most.why
		if below != nil && below.ScreenPx < px {
			out.Below = below
			out.Why += fmt.Sprintf(" Below that, %s serves, down to %d px and %g mm.", below.What, below.ScreenPx, below.PrintMM)
		}
		if f.togo != nil && f.togo.Px > px {
			out.FirstToGo = f.togo
		}
		return out.by(j.Version.Smallest)
	}
	out.FirstToGo, out.Below = f.togo, below
	matter, mend := "", ""
	switch most.thing {
	case lineLetters:
		out.Key = "line"
		matter, mend = "The letters of its small line are so small against the whole that they can be read in none of the usual sizes.", "Set that line larger, or leave it out of small sizes."
	case nameLetters:
		out.Key = "letters"
		matter, mend = "Its letters are so small against its width that they can be read in none of the usual sizes.", "Set them larger, or in more lines."
	case lines:
		out.Key = "lines"
		matter, mend = "It is drawn in lines that are hair-thin against its size.", "Thicken the lines."
	default:
		out.Key = "shapes"
		matter, mend = "Its shapes are too many and too small against its width.", "Use a simpler drawing at small sizes."
	}
	if below != nil {
		mend += fmt.Sprintf(" %s serves from %d px and %g mm.", upper(below.What), below.ScreenPx, below.PrintMM)
	}
	return out.none(matter, mend).by(j.Version.Smallest)
}

// none gives no rule but the reason.
func (s Smallest) none(matter, mend string) Smallest {
	s.Matter, s.Mend, s.Why = &matter, &mend, matter
	return s
}

// by puts the width that a person wrote in the place of what is advised.
func (s Smallest) by(typed string) Smallest {
	w := width(typed)
	if w.px == 0 {
		return s
	}
	px, mm := int(math.Round(w.px)), math.Round(w.mm*10)/10
	s.Set, s.Matter, s.Mend, s.Why = true, nil, nil, "Set by hand: "+typed+"."
	switch {
	case w.paper:
		s.PrintMM = &mm
		if s.ScreenPx == nil {
			s.ScreenPx = &px
		}
	default:
		s.ScreenPx = &px
		if s.PrintMM == nil {
			s.PrintMM = &mm
		}
	}
	return s
}

// symbolToLetters is how large a symbol is at least against the letters beside it: what
// is smaller is a dot or a star to them, and nobody knows the mark by it alone.
const symbolToLetters = 1.3

// below is what is left that serves at smaller sizes: the name without its small
// line, or the symbol alone, whichever goes lower; nil if there is nothing to leave out.
func (l *Look) below(f form) *Below {
	var best *Below
	try := func(key, what string, ns []need, tall float64) {
		if px, mm, _, ok := decide(ns, tall); ok && (best == nil || px < best.ScreenPx) {
			best = &Below{what, key, px, mm}
		}
	}
	letters := l.reading(f)
	if len(letters) == 0 {
		return nil
	}
	name := slices.DeleteFunc(slices.Clone(letters), func(n need) bool { return n.thing == lineLetters })
	if len(name) < len(letters) && len(name) > 0 {
		try("name", "the name without its small line", append(name, f.needs...), l.Box.H()/l.Box.W())
	}
	tallest := 0.0
	for _, r := range l.rows {
		tallest = max(tallest, r.height)
	}
	if f.symbol && !f.ground && f.box.Long() > symbolToLetters*tallest {
		alone := l.alone(f)
		try("symbol", "the symbol alone", alone, f.box.H()/f.box.W())
	}
	return best
}
