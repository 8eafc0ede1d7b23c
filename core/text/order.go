package text

import (
	"slices"

	"github.com/go-text/typesetting/bidi"
	"github.com/go-text/typesetting/language"
	ubidi "golang.org/x/text/unicode/bidi"
)

// A Direction is the way in which a line is read as a whole.
type Direction uint8

const (
	ByLetters Direction = iota // as its first letter that has one
	Rightwards
	Leftwards
)

// A part is letters that are shaped together: of one direction and one script.
type part struct {
	from, to int // of the letters
	left     bool
}

// parts cuts a line into runs of one direction (UAX 9) and one script (UAX 24), in the
// order in which they stand from left to right.
func parts(letters []rune, d Direction) []part {
	if d == ByLetters {
		d = Rightwards
		for _, c := range letters {
			if k := class(c); k == ubidi.L {
				break
			} else if k == ubidi.R || k == ubidi.AL {
				d = Leftwards
				break
			}
		}
	}
	base := bidi.LeftToRight
	if d == Leftwards {
		base = bidi.RightToLeft
	}
	var p bidi.Paragraph
	runs := p.Segment(letters, base)
	type run struct {
		part
		level int
	}
	var all []run
	for i := range runs.NumRuns() {
		r := runs.Run(i)
		for from := r.Start; from < r.End; {
			to, level := r.End, 1
			if r.IsLeftToRight() {
				to, level = even(letters, from, r.End, d)
			}
			for _, s := range byScript(letters, from, to) {
				all = append(all, run{part{s[0], s[1], !r.IsLeftToRight()}, level})
			}
			from = to
		}
	}
	// What is of a level or above is turned round, from the highest down (rule L2).
	for level := 2; level > 0; level-- {
		for i := 0; i < len(all); i++ {
			j := i
			for j < len(all) && all[j].level >= level {
				j++
			}
			if j > i {
				slices.Reverse(all[i:j])
				i = j
			}
		}
	}
	out := make([]part, len(all))
	for i, r := range all {
		out[i] = r.part
	}
	return out
}

func class(c rune) ubidi.Class {
	k, _ := ubidi.LookupRune(c)
	return k.Class()
}

// even tells how far letters from one on have its level, within a run that is read
// rightwards: 2 in a line that is read leftwards; else 0, but 2 of figures behind letters
// that are read leftwards (rules W2, W4, W5, W7, I1). The library tells the level of the
// first of a run alone.
func even(letters []rune, from, end int, d Direction) (to, level int) {
	if d == Leftwards {
		return end, 2
	}
	figure := func(i int) bool {
		switch class(letters[i]) {
		case ubidi.AN:
			return true
		case ubidi.EN:
			for j := i - 1; j >= 0; j-- {
				switch class(letters[j]) {
				case ubidi.L:
					return false
				case ubidi.R, ubidi.AL:
					return true
				}
			}
		}
		return false
	}
	second := func(i int) bool {
		if figure(i) {
			return true
		}
		switch k := class(letters[i]); k {
		case ubidi.ES, ubidi.CS: // between two figures
			return i > from && i+1 < end && figure(i-1) && figure(i+1)
		case ubidi.ET: // beside figures, with others of its kind
			for _, step := range []int{-1, 1} {
				j := i
				for j += step; j >= from && j < end && class(letters[j]) == ubidi.ET; j += step {
				}
				if j >= from && j < end && class(letters[j]) == ubidi.EN && figure(j) {
					return true
				}
			}
		}
		return false
	}
	high := second(from)
	for to = from + 1; to < end && second(to) == high; to++ {
	}
	if high {
		return to, 2
	}
	return to, 0
}

// byScript cuts letters where their script changes; what belongs to all scripts stays
// with what is before it.
func byScript(letters []rune, from, to int) (out [][2]int) {
	now := language.Common
	start := from
	for i := from; i < to; i++ {
		s := language.LookupScript(letters[i])
		if !s.Strong() {
			continue
		}
		if now.Strong() && s != now {
			out = append(out, [2]int{start, i})
			start = i
		}
		now = s
	}
	return append(out, [2]int{start, to})
}

// Controlled reports whether letters hold signs that order others (UAX 9, section 2),
// which are not heeded here.
func Controlled(letters []rune) bool {
	return slices.ContainsFunc(letters, func(c rune) bool {
		return c >= 0x202a && c <= 0x202e || c >= 0x2066 && c <= 0x2069
	})
}
