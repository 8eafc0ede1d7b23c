package asked

import (
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// MaxSentence is how many letters of a sentence are read, MaxThings how much is taken from it.
const (
	MaxSentence = 1000
	MaxThings   = 40
)

// A reader reads one sentence.
type reader struct {
	*Language
	ts    []token
	i     int
	out   Wish
	rules []own
	not   bool   // what comes next is not wanted
	lim   string // least or most: what comes next is a limit
}

// Read reads a sentence.
func (l *Language) Read(sentence string) Wish { return l.read(sentence, nil) }

func (l *Language) read(sentence string, rules []own) Wish {
	r := &reader{Language: l, rules: rules}
	if utf8.RuneCountInString(sentence) > MaxSentence {
		sentence, r.out.Long = string([]rune(sentence)[:MaxSentence]), true
	}
	r.ts = split(strings.ToValidUTF8(sentence, " "))
	for r.i < len(r.ts) {
		if len(r.out.Things) >= MaxThings {
			r.out.Long = true
			break
		}
		r.step()
	}
	return r.out
}

// step reads what stands next.
func (r *reader) step() {
	t := r.ts[r.i]
	if r.ruled() {
		return
	}
	if t.number {
		if r.measure() {
			return
		}
	}
	m, n := r.longest(r.i)
	switch {
	case n == 0 && !isWord(t) && !t.number: // a sign
		r.i++
		r.not, r.lim = false, ""
		return
	case n == 0:
		near, ok := r.joined(t.text)
		if !ok {
			near, ok = r.misspelt(t.text)
		}
		if ok {
			m, n = near, 1
			break
		}
		r.i++
		r.unknown(t.said)
		return
	}
	if m.own == drop && n == 1 && len(t.text) > 8 { // of a joined word only the beginning is of no weight
		if near, ok := r.joined(t.text); ok {
			m = near
		}
	}
	said := r.said(r.i, n)
	r.i += n
	switch {
	case m.own == not:
		r.not = true
	case m.own == least || m.own == most:
		r.lim = m.own
		if r.not { // not over 50 kB
			r.lim, r.not = most, false
		}
	case m.own == and:
		r.lim = ""
		r.out.ands = append(r.out.ands, len(r.out.Things))
	case m.own != "": // of no weight by itself
	default:
		for _, x := range m.things {
			x.Said, x.Not = said, r.not
			r.add(x)
		}
		r.not, r.lim = false, ""
	}
}

func isWord(t token) bool {
	r, _ := utf8.DecodeRuneInString(strings.TrimPrefix(t.text, "."))
	return r >= 'a' && r <= 'z' || r > 0x7f && !strings.ContainsRune("×", r)
}

// add notes a thing once.
func (r *reader) add(x Thing) {
	if !slices.ContainsFunc(r.out.Things, func(y Thing) bool { return y.Is == x.Is && y.Value == x.Value && y.Not == x.Not }) {
		r.out.Things = append(r.out.Things, x)
	}
}

func (r *reader) unknown(said string) {
	if !slices.Contains(r.out.Unknown, said) && len(r.out.Unknown) < MaxThings {
		r.out.Unknown = append(r.out.Unknown, said)
	}
}

func (r *reader) said(from, n int) string {
	var w []string
	for _, t := range r.ts[from : from+n] {
		w = append(w, t.said)
	}
	return strings.Join(w, " ")
}

// longest is the longest phrase that begins at i, and its length in tokens: of equal ones the
// one that stands there to the letter, then the one with more letters of its own; what means
// nothing gives way.
func (r *reader) longest(i int) (got meaning, n int) {
	best := 0
	for _, p := range r.byFirst[start(r.ts[i].text)] {
		if len(p.words) > len(r.ts)-i || p.means.measures() {
			continue
		}
		score, all := 0, true
		for k, w := range p.words {
			ok, exact := fits(r.ts[i+k].text, w)
			if !ok || r.ts[i+k].number != (w[0] >= '0' && w[0] <= '9') {
				all = false
				break
			}
			if score += 100 * len(w); exact {
				score += 50
			}
		}
		score += 100_000 * len(p.words)
		if p.means.own == drop && len(p.words) == 1 {
			score /= 2
			if p.words[0] == r.ts[i].text {
				score += 100_000/2 + 50_000/2 // to the letter
			}
		}
		if all && score > best {
			got, n, best = p.means, len(p.words), score
		}
	}
	return got, n
}

// own reports what word of the reader's own stands at i, and how many tokens it takes.
func (r *reader) own(i int, wants ...string) (string, int) {
	if i >= len(r.ts) {
		return "", 0
	}
	best, n := "", 0
	for _, p := range r.byFirst[start(r.ts[i].text)] {
		if !slices.Contains(wants, p.means.own) || len(p.words) > len(r.ts)-i || len(p.words) <= n {
			continue
		}
		if r.all(i, p.words) {
			best, n = p.means.own, len(p.words)
		}
	}
	return best, n
}

func (r *reader) all(i int, ws []string) bool {
	for k, w := range ws {
		if ok, _ := fits(r.ts[i+k].text, w); !ok {
			return false
		}
	}
	return true
}

var unitNames = []string{"px", "mm", "cm", "m", "km", "in", "ppi", "kb", "mb"}

// measure reads a number with its unit, or two with a sign between them.
func (r *reader) measure() bool {
	i := r.i
	first, ok := value(r.ts[i].text)
	if !ok {
		return false
	}
	j := i + 1
	second, two := 0.0, false
	unit, n := r.own(j, unitNames...)
	j += n
	if b := r.by(j); b > 0 && j+b < len(r.ts) && r.ts[j+b].number {
		if v, ok := value(r.ts[j+b].text); ok {
			second, two = v, true
			j += b + 1
			if u, n := r.own(j, unitNames...); n > 0 {
				unit, j = u, j+n
			} else if unit == "" && j < len(r.ts) && r.ts[j].text == "in" { // here it is no preposition
				unit, j = "in", j+1
			} else if unit == "" {
				unit = "px" // pictures of 1080 × 1080 (common practice)
			}
		}
	}
	if unit == "" && r.bare(j, first) {
		unit = "px"
	}
	if unit == "" {
		return false
	}
	side, n := r.own(j, wide, high)
	j += n
	said := r.said(i, j-i)
	k := units[unit]
	put := func(is Is, v float64) {
		r.add(Thing{Is: is, Value: strconv.FormatFloat(math.Round(v*k*1e6)/1e6, 'f', -1, 64), Said: said, Not: r.not})
	}
	w, h, lo, hi := WidthMM, HeightMM, WidthMM, WidthMM
	switch unit {
	case "px":
		w, h, lo, hi = WidthPx, HeightPx, LeastPx, MostPx
	case "ppi":
		w, h, lo, hi = PPI, PPI, PPI, PPI
	case "kb", "mb":
		w, h, lo, hi = MostKB, MostKB, "", MostKB
	}
	switch {
	case r.lim == least && lo == "": // at least so many bytes: nobody wants that by itself
		r.add(Thing{Is: Quality, Value: "high", Said: said})
	case r.lim != "" && side == high && unit == "px": // no limit of a height is known: that height
		put(h, first)
	case r.lim == least:
		put(lo, first)
	case r.lim == most:
		put(hi, first)
	case two:
		put(w, first)
		put(h, second)
	case side == high:
		put(h, first)
	default:
		put(w, first)
	}
	r.i, r.not, r.lim = j, false, ""
	return true
}

// What a number without a unit means in px, if a side or a square follows (common practice).
const leastBare, mostBare = 16, 20_000

// bare reports whether a number without a unit is one of px: 1080 square, 500 wide.
func (r *reader) bare(i int, v float64) bool {
	if v != math.Trunc(v) || v < leastBare || v > mostBare || i >= len(r.ts) {
		return false
	}
	if _, n := r.own(i, wide, high); n > 0 {
		return true
	}
	m, n := r.longest(i)
	return n > 0 && slices.ContainsFunc(m.things, func(t Thing) bool { return t.Is == Shape })
}

// by is how many tokens part two numbers of a size at i: 0 if none do.
func (r *reader) by(i int) int {
	if i < len(r.ts) && r.ts[i].text == "×" {
		return 1
	}
	_, n := r.own(i, by)
	return n
}

// value reads a number as people write it: a point or comma before three digits parts
// thousands where it stands alone before exactly three.
func value(s string) (float64, bool) {
	s = strings.ReplaceAll(s, ",", ".")
	parts := strings.Split(s, ".")
	if last := parts[len(parts)-1]; len(parts) > 1 && len(last) == 3 && len(parts[0]) <= 3 && parts[0] != "0" {
		s = strings.Join(parts, "")
	} else if len(parts) > 2 {
		return 0, false
	}
	v, err := strconv.ParseFloat(s, 64)
	return v, err == nil && v < 1e9
}

// joined finds what the end of a longer word means, where words are joined.
func (r *reader) joined(word string) (got meaning, ok bool) {
	longest := 4 // what is shorter is the end of too many
	for _, p := range r.single {
		w, star := strings.CutSuffix(p.words[0], "*")
		if len(p.means.things) == 0 || len(w) <= longest {
			continue
		}
		i := strings.LastIndex(word, w)
		if i > 2 && (i+len(w) == len(word) || star && len(word)-i-len(w) <= 2) {
			got, ok, longest = p.means, true, len(w)
		}
	}
	return got, ok && r.joins
}

// misspelt finds the one meaning of words that a longer word is a letter away from.
func (r *reader) misspelt(word string) (got meaning, ok bool) {
	if len(word) < 5 {
		return got, false
	}
	for _, p := range r.single {
		w, star := strings.CutSuffix(p.words[0], "*")
		if len(w) < 6 || w[0] != word[0] || len(p.means.things) == 0 {
			continue
		}
		near := word
		if star && len(near) > len(w)+1 {
			near = near[:len(w)+1]
		}
		if oneAway(near, w) || star && len(word) >= len(w) && oneAway(word[:len(w)], w) {
			if ok && !slices.Equal(got.things, p.means.things) {
				return meaning{}, false // of two it may be either
			}
			got, ok = p.means, true
		}
	}
	return got, ok
}

// oneAway reports whether a letter more or less, two that are exchanged, or in longer words,
// which are not so easily another word, an other letter makes two words equal.
func oneAway(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(b)-len(a) > 1 {
		return false
	}
	i := 0
	for i < len(a) && a[i] == b[i] {
		i++
	}
	if len(a) < len(b) {
		return a[i:] == b[i+1:]
	}
	if i == len(a) {
		return true
	}
	if a[i+1:] == b[i+1:] {
		return len(a) >= 8
	}
	return i+1 < len(a) && a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:]
}
