package kin

import (
	"maps"
	"path"
	"slices"
	"strings"

	"dyekit/core/colour"
)

// A Drawing is one of several that are sorted: a file, or a page of one.
type Drawing struct {
	Name   string // of the file
	Look   *Look
	Inks   []colour.RGB // that it is painted in, the largest first
	Vector bool
}

// An Ink is a colour of the brand, as colourways in one ink are called by it.
type Ink struct {
	Name string
	RGB  colour.RGB
}

// A Mark is what drawings are sorted by.
type Mark struct {
	Look    *Look
	OneInk  *Look            // of the mark in one ink, which of a badge covered with colours is another silhouette; nil if there is none
	Lockups map[string]*Look // what the mark has already, or could have: parts of it alone
	Inks    []Ink
}

// A Place is what a drawing is proposed to be.
type Place struct {
	Lockup    string // "" for the main one
	Colourway string // colour, black, white, or that of an ink
	Leave     string // why it is left out; "" if it is not
	Relation  Relation
	Same      int // the drawing that it shows again, by its number; -1 if none
}

// The colourways that every mark may have.
const (
	InColour = "colour"
	InBlack  = "black"
	InWhite  = "white"
)

// Words in the names of files that say which lockup it is (common practice).
var lockupWords = []struct{ word, lockup string }{
	{"horizontal", "wide"}, {"landscape", "wide"}, {"wide", "wide"}, {"vertical", "stacked"}, {"portrait", "stacked"}, {"stacked", "stacked"},
	{"wordmark", "wordmark"}, {"logotype", "wordmark"}, {"lettering", "wordmark"}, {"symbol", "symbol"}, {"icon", "symbol"}, {"emblem", "symbol"}, {"monogram", "monogram"}, {"small", "small"},
}

// Proportions by which lockups are named, width by height, beside the main one.
const (
	wider   = 1.3
	compact = 2.0
	sameInk = 3.0 // ΔE00
)

// Propose sorts drawings into the set of a mark: by geometry and ink, and by the names of their
// files where those leave a choice. Of two that show the same the one in curves stands.
func (m Mark) Propose(ds []Drawing) []Place {
	out := make([]Place, len(ds))
	// Drawings in colour and curves name the lockups that others are held to.
	order := make([]int, len(ds))
	for i := range ds {
		order[i] = i
		out[i].Colourway, out[i].Same = m.colourway(ds[i]), -1
	}
	rank := func(i int) (n int) {
		if out[i].Colourway != InColour {
			n += 2
		}
		if !ds[i].Vector {
			n++
		}
		return n
	}
	slices.SortStableFunc(order, func(a, b int) int { return rank(a) - rank(b) })
	type found struct {
		lockup string
		look   *Look
	}
	var lockups []found
	for _, n := range slices.Sorted(maps.Keys(m.Lockups)) {
		lockups = append(lockups, found{n, m.Lockups[n]})
	}
	taken := map[[2]string]int{}
	for _, i := range order {
		d, p := ds[i], &out[i]
		k := d.Look.To(m.Look)
		if m.OneInk != nil && k.Relation != Same && p.Colourway != InColour {
			if x := d.Look.To(m.OneInk); x.Relation == Same {
				k = x
			}
		}
		p.Relation = k.Relation
		switch {
		case k.Relation == Same && len(k.Changed)+len(k.Missing) > sameLetters(m.Look):
			p.Relation, p.Leave = Other, "it is arranged like the mark, but its shapes differ: another design, or another name"
			continue
		case k.Relation == Same:
			p.Lockup = ""
		case k.Relation == Other:
			p.Leave = "it shares hardly any shapes with the mark: another design"
			continue
		default:
			p.Lockup = ""
			for _, l := range lockups {
				if d.Look.To(l.look).Relation == Same {
					p.Lockup = l.lockup
					break
				}
			}
			if p.Lockup == "" {
				p.Lockup = m.name(d, k)
				for n := 2; slices.ContainsFunc(lockups, func(l found) bool { return l.lockup == p.Lockup }); n++ {
					p.Lockup = strings.TrimRight(p.Lockup, "0123456789-") + "-" + string(rune('0'+min(n, 9)))
				}
				lockups = append(lockups, found{p.Lockup, d.Look})
			}
		}
		at := [2]string{p.Lockup, p.Colourway}
		if first, ok := taken[at]; ok {
			p.Same = first
			p.Leave = "it shows the same as " + ds[first].Name
			continue
		}
		taken[at] = i
	}
	return out
}

// Main is which of several drawings is the main one: the first of those that share most with all the
// others, among those that may be it; -1 if none may. may is nil if all may.
func Main(looks []*Look, may func(i int) bool) (best int) {
	best = -1
	most := -1.0
	for i, a := range looks {
		if may != nil && !may(i) {
			continue
		}
		sum := 0.0
		for j, b := range looks {
			if i != j {
				sum += b.To(a).Shared
			}
		}
		if sum > most+0.05*float64(len(looks)) {
			best, most = i, sum
		}
	}
	return best
}

// sameLetters is how many shapes of a mark may be drawn otherwise in the same arrangement: a few
// are another hand, a quarter is another word.
func sameLetters(l *Look) int {
	n := 0
	for _, v := range l.views {
		n = max(n, len(v.shapes))
	}
	return n / 4
}

// name is what a lockup is called that the mark has not yet.
func (m Mark) name(d Drawing, k Kinship) string {
	file := strings.ToLower(strings.TrimSuffix(path.Base(d.Name), path.Ext(d.Name)))
	for _, w := range lockupWords {
		if strings.Contains(file, w.word) {
			return w.lockup
		}
	}
	own, main := d.Look.Box.W()/d.Look.Box.H(), m.Look.Box.W()/m.Look.Box.H()
	switch {
	case k.Relation == Part && own > compact:
		return "wordmark"
	case k.Relation == Part:
		return "symbol"
	case own > wider*main:
		return "wide"
	case own < main/wider:
		return "stacked"
	}
	return "other"
}

// colourway is what a drawing's colours make it.
func (m Mark) colourway(d Drawing) string {
	if len(d.Inks) != 1 {
		// White with a darker ground that is a hole in it is still the white one.
		if len(d.Inks) == 2 && d.Look.bare && d.Inks[0].NearWhite() {
			return InWhite
		}
		return InColour
	}
	c := d.Inks[0]
	lab := c.Lab()
	if c.NearWhite() {
		return InWhite
	}
	for _, k := range m.Inks {
		if colour.Difference(k.RGB.Lab(), lab) < sameInk {
			return k.Name
		}
	}
	if lab.L < 25 && lab.Chroma() < 12 {
		return InBlack
	}
	return InColour
}
