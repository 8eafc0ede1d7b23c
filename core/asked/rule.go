package asked

import (
	"slices"
	"strings"

	"dyekit/core/advice"
)

// A Rule is what somebody's own words stand for, in words that are read here: for the trade fair
// is white, vector, EPS.
type Rule struct {
	Said, Means string
	is          Thing // or a lockup or an ink of the kit
}

// Names are rules by which the lockups and the inks of a kit are known.
func (k Kit) Names() (rules []Rule) {
	add := func(is Is, name string) {
		if name != "" && !slices.ContainsFunc(rules, func(r Rule) bool { return r.Said == name }) {
			rules = append(rules, Rule{Said: name, is: Thing{Is: is, Value: name}})
		}
	}
	for _, v := range k.Versions {
		if !v.Part {
			add(Lockup, v.Lockup)
		}
	}
	for _, i := range k.Inks {
		add(OneInk, i.Name)
	}
	return rules
}

// Arranged tells lockups from parts among versions: one that is not called as parts are, such as
// wide or stacked, shows the whole mark, arranged otherwise, as far as its name tells.
func Arranged(vs []advice.Traits) (out []advice.Traits) {
	for _, v := range vs {
		if v.Part && v.Lockup != "" && !strings.ContainsAny(v.Lockup, "+|") {
			parts, _ := Read("en", v.Lockup).of(Part)
			v.Part = len(parts) > 0 || named(v)
		}
		out = append(out, v)
	}
	return out
}

// OtherLockups lists the lockups that an answer might be of as well, where none was named: those
// of the whole mark in the same colourway.
func (k Kit) OtherLockups(a Answer) (names []string) {
	lockups, _ := a.Wish.of(Lockup)
	parts, _ := a.Wish.of(Part)
	is := k.Of(a.File)
	if len(lockups)+len(parts) > 0 || is.Part || a.File.InSet() {
		return nil
	}
	for _, v := range k.Versions {
		like := v.Light == is.Light && v.Black == is.Black && v.OneInk == is.OneInk && v.Backed == is.Backed
		if like && !v.Part && v.Lockup != is.Lockup && v.Lockup != "" && !slices.Contains(names, v.Lockup) {
			names = append(names, v.Lockup)
		}
	}
	return names
}

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
		if o.things = Read(tag, r.Means).Things; r.is.Is != "" {
			o.things = []Thing{r.is}
		}
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
