package asked

import "slices"

// A Rule is what somebody's own words stand for, in words that are read here: for the trade fair
// is white, vector, EPS.
type Rule struct{ Said, Means string }

// own is a Rule, read.
type own struct {
	words  []string
	things []Thing
}

// rulesOf reads rules in a language, the longest first. What they mean may be said in any
// language.
func rulesOf(tag string, rules []Rule) (out []own) {
	for _, r := range rules {
		var o own
		for _, t := range split(r.Said) {
			o.words = append(o.words, t.text)
		}
		o.things = Read(tag, r.Means).Things
		if len(o.words) > 0 && len(o.things) > 0 {
			out = append(out, o)
		}
	}
	slices.SortStableFunc(out, func(a, b own) int { return len(b.words) - len(a.words) })
	return out
}

// ruled reads what stands next by a rule, if one begins there.
func (r *reader) ruled() bool {
	for _, o := range r.rules {
		n := len(o.words)
		if n > len(r.ts)-r.i || !slices.EqualFunc(o.words, r.ts[r.i:r.i+n], func(w string, t token) bool { return w == t.text }) {
			continue
		}
		said := r.said(r.i, n)
		for _, x := range o.things {
			x.Said, x.Not = said, x.Not != r.not
			r.add(x)
		}
		r.i, r.not, r.lim = r.i+n, false, ""
		return true
	}
	return false
}
