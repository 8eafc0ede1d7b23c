package svg

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

	"dyekit/core/colour"
)

// inherited lists the properties that children take over (SVG 1.1 appendix N).
var inherited = map[string]bool{
	"clip-rule": true, "color": true, "fill": true, "fill-opacity": true, "fill-rule": true,
	"font-family": true, "font-size": true, "font-style": true, "font-weight": true,
	"letter-spacing": true, "word-spacing": true, "text-anchor": true, "direction": true,
	"marker-start": true, "marker-mid": true, "marker-end": true, "visibility": true,
	"stroke": true, "stroke-dasharray": true, "stroke-dashoffset": true, "stroke-linecap": true,
	"stroke-linejoin": true, "stroke-miterlimit": true, "stroke-opacity": true, "stroke-width": true,
	"paint-order": true, "writing-mode": true, "xml:space": true, "white-space": true,
	"text-decoration": true, "color-interpolation-filters": true, "color-interpolation": true,
}

// presentation lists the other properties that may stand as attributes (SVG 2, section
// 6.6).
var presentation = map[string]bool{
	"clip-path": true, "display": true, "filter": true, "mask": true, "opacity": true,
	"overflow": true, "stop-color": true, "stop-opacity": true, "baseline-shift": true,
	"dominant-baseline": true, "alignment-baseline": true, "vector-effect": true,
	"mix-blend-mode": true, "isolation": true, "transform": true, "transform-origin": true, "font-variant": true,
	"font-stretch": true, "flood-color": true, "flood-opacity": true, "lighting-color": true,
	"mask-type": true, "marker": true, "enable-background": true, "image-rendering": true, "unicode-bidi": true,
	"font-size-adjust": true, "glyph-orientation-vertical": true, "glyph-orientation-horizontal": true,
}

// coloured are the properties whose value is a colour or a paint.
var coloured = map[string]bool{"fill": true, "stroke": true, "color": true, "stop-color": true, "flood-color": true, "lighting-color": true}

// worded are the properties whose values are words alone, in any case.
var worded = func() map[string]bool {
	m := map[string]bool{}
	for p := range strings.FieldsSeq(`clip-rule color-interpolation color-interpolation-filters direction display dominant-baseline
		alignment-baseline fill-rule font-style font-weight font-stretch font-variant isolation mask-type mix-blend-mode overflow paint-order
		stroke-linecap stroke-linejoin text-anchor text-decoration transform-box vector-effect visibility writing-mode white-space`) {
		m[p] = true
	}
	return m
}()

// A rule is one selector of a style sheet with its declarations.
type rule struct {
	sel   selector
	decls []decl
	layer int // in the order in which layers are named; those in none come last
	order int
}

// unlayered is the layer of rules that are in none.
const unlayered = 1 << 30

type decl struct {
	name, value string
	important   bool
}

// A sheet is the rules of all style elements. The zero sheet styles nothing.
type sheet struct {
	page   screen
	rules  []rule
	layers []string            // by name
	faces  []map[string]string // @font-face rules
	failed []string            // selectors and at-rules that were not understood
	moves  bool                // there are @keyframes
	asks   bool                // there is an @import, which is not followed
}

// A block is an at-rule that is open.
type block struct {
	name  string
	skips bool // what is in it does not apply
	layer string
}

// add parses one style element.
func (s *sheet) add(src string) {
	p := css.NewParser(parse.NewInputString(src), false)
	var list []string // selectors, as the parser parts them at commas
	var sels []selector
	var decls []decl
	var open []block
	inside := false // a rule
	skips := func() bool { return slices.ContainsFunc(open, func(b block) bool { return b.skips }) }
	for len(s.rules) <= MaxRules {
		g, _, data := p.Next()
		switch g {
		case css.ErrorGrammar:
			if p.Err() != nil {
				return
			}
		case css.BeginAtRuleGrammar:
			open = append(open, s.begin(strings.ToLower(string(data)), strings.TrimSpace(join(p.Values())), open, skips()))
		case css.EndAtRuleGrammar:
			if n := len(open); n > 0 {
				if open[n-1].name == "@font-face" {
					f := map[string]string{}
					for _, d := range decls {
						f[d.name] = d.value
					}
					s.faces, decls = append(s.faces, f), nil
				}
				open = open[:n-1]
			}
		case css.AtRuleGrammar:
			s.statement(strings.ToLower(string(data)), strings.TrimSpace(join(p.Values())), open)
		case css.QualifiedRuleGrammar:
			list = append(list, join(p.Values()))
		case css.BeginRulesetGrammar:
			text := strings.Join(append(list, join(p.Values())), ",")
			list = nil
			switch {
			case skips():
			case inside:
				s.failed = append(s.failed, "a rule within a rule ("+strings.TrimSpace(text)+")")
			default:
				for _, part := range split(text, ',') {
					if sel, ok := parseSelector(part); ok {
						sels = append(sels, sel)
					} else {
						s.failed = append(s.failed, strings.TrimSpace(part))
					}
				}
			}
			inside = true
		case css.DeclarationGrammar, css.CustomPropertyGrammar:
			decls = append(decls, newDecl(string(data), join(p.Values())))
		case css.EndRulesetGrammar:
			layer := unlayered
			if n := len(open); n > 0 && open[n-1].layer != "" {
				layer = s.layer(open[n-1].layer)
			}
			for _, sel := range sels {
				s.rules = append(s.rules, rule{sel, decls, layer, len(s.rules)})
			}
			sels, decls, inside = nil, nil, false
		}
	}
}

// begin opens an at-rule with a body.
func (s *sheet) begin(name, query string, open []block, skipped bool) block {
	b := block{name: name}
	if n := len(open); n > 0 {
		b.layer = open[n-1].layer
	}
	var known bool
	holds := true
	switch name {
	case "@media":
		holds, known = s.page.media(query)
	case "@supports":
		holds, known = supports(query)
	case "@layer":
		known = true
		if query == "" {
			query = fmt.Sprintf("(%d)", len(s.layers))
		}
		if b.layer != "" {
			query = b.layer + "." + query
		}
		b.layer = query
		s.layer(query)
	case "@font-face":
		known = true
	case "@keyframes", "@-webkit-keyframes", "@-moz-keyframes", "@-o-keyframes":
		s.moves = true
		holds, known = false, true
	case "@page", "@counter-style", "@font-feature-values", "@font-palette-values", "@property", "@position-try", "@view-transition", "@color-profile":
		// Of pages, lists, choices of fonts that are not made here; a property that is
		// registered has the values that it is given.
		holds, known = false, name != "@property"
	default:
		holds, known = false, strings.HasPrefix(name, "@-")
	}
	if !known && !skipped {
		s.failed = append(s.failed, strings.TrimSpace(name+" "+query))
	}
	b.skips = !holds
	return b
}

// statement reads an at-rule without a body.
func (s *sheet) statement(name, value string, open []block) {
	switch name {
	case "@charset", "@namespace":
	case "@import":
		s.asks = true
	case "@layer":
		for l := range strings.SplitSeq(value, ",") {
			if l = strings.TrimSpace(l); len(open) > 0 && open[len(open)-1].layer != "" {
				l = open[len(open)-1].layer + "." + l
			}
			s.layer(l)
		}
	default:
		s.failed = append(s.failed, strings.TrimSpace(name+" "+value))
	}
}

// layer numbers a layer by when it was named first (CSS Cascade 5, section 6.4.3). Those
// within another one come before what stands in that itself.
func (s *sheet) layer(name string) int {
	i := slices.Index(s.layers, name)
	if i < 0 {
		i = len(s.layers)
		for k, l := range s.layers { // before the one around it
			if strings.HasPrefix(name, l+".") {
				i = k
				break
			}
		}
		s.layers = slices.Insert(s.layers, i, name)
		for k := range s.rules {
			if s.rules[k].layer != unlayered && s.rules[k].layer >= i {
				s.rules[k].layer++
			}
		}
	}
	return i
}

func join(ts []css.Token) string {
	var b strings.Builder
	for _, t := range ts {
		b.Write(t.Data)
	}
	return b.String()
}

func newDecl(name, value string) decl {
	name = strings.TrimSpace(name)
	if !strings.HasPrefix(name, "--") {
		name = alias(strings.ToLower(name))
	}
	d := decl{name: name, value: strings.TrimSpace(value)}
	if i := strings.LastIndexByte(d.value, '!'); i >= 0 && strings.EqualFold(strings.TrimSpace(d.value[i+1:]), "important") {
		d.value, d.important = strings.TrimSpace(d.value[:i]), true
	}
	return d
}

// inline parses a style attribute.
func inline(src string) []decl {
	p := css.NewParser(parse.NewInputString(src), true)
	var ds []decl
	for {
		g, _, data := p.Next()
		if g == css.ErrorGrammar && p.Err() != nil {
			return ds
		}
		if g == css.DeclarationGrammar || g == css.CustomPropertyGrammar {
			ds = append(ds, newDecl(string(data), join(p.Values())))
		}
	}
}

// style holds the cascaded values of one element, as they were written.
type style map[string]string

// fromCSS is set beside a transform that a style sheet gives: there lengths and angles
// have units, and parts of the box count.
const fromCSS = "\x00transform"

// cascade computes the style of e below the style of its parent: presentation
// attributes first, then the sheet by layers, specificity and order, then the style
// attribute, then what is marked important, with the layers the other way round (CSS
// Cascade 5, section 6; presentation attributes count as specificity 0 before all
// rules, SVG 2 section 6.6). top is what a use has copied, or nil.
func (s *sheet) cascade(e, top *element, up style) style {
	st := make(style, len(up)+8)
	for k, v := range up {
		if inherited[k] || strings.HasPrefix(k, "--") {
			st[k] = v
		}
	}
	for k, v := range e.attrs {
		if inherited[k] || presentation[k] {
			st.set(k, strings.TrimSpace(v), up)
		}
	}
	var hits []rule
	for _, r := range s.rules {
		if r.sel.matches(e, top) {
			hits = append(hits, r)
		}
	}
	slices.SortStableFunc(hits, func(a, b rule) int {
		return cmp.Or(cmp.Compare(a.layer, b.layer), cmp.Compare(a.sel.weight(), b.sel.weight()), cmp.Compare(a.order, b.order))
	})
	own := inline(e.attrs["style"])
	declare := func(ds []decl, important bool) {
		for _, d := range ds {
			if d.important == important {
				if d.name == "transform" {
					st[fromCSS] = "yes"
				}
				st.set(d.name, d.value, up)
			}
		}
	}
	for _, r := range hits {
		declare(r.decls, false)
	}
	declare(own, false)
	// Of what is important the first layer wins.
	slices.SortStableFunc(hits, func(a, b rule) int { return cmp.Compare(b.layer, a.layer) })
	for _, r := range hits {
		declare(r.decls, true)
	}
	declare(own, true)
	if f, ok := st["font"]; ok {
		st.font(f)
		delete(st, "font")
	}
	for k, v := range st {
		if strings.Contains(v, "var(") {
			if w, ok := st.resolve(v, 0); ok {
				delete(st, k)
				st.set(k, w, up)
			} else if w, ok := up[k]; ok && inherited[k] {
				st[k] = w
			} else {
				delete(st, k)
			}
		}
	}
	return st
}

// set gives a property a value; one that browsers do not take for a value of it changes
// nothing.
func (s style) set(name, value string, up style) {
	switch word := strings.ToLower(value); word {
	case "unset", "revert", "revert-layer":
		if value = "initial"; inherited[name] {
			value = "inherit"
		}
	case "inherit", "initial":
		value = word
	default:
		if worded[name] && !strings.Contains(value, "var(") {
			value = word
		}
	}
	switch {
	case value == "inherit":
		if v, ok := up[name]; ok {
			s[name] = v
		} else {
			delete(s, name)
		}
	case value == "initial":
		delete(s, name)
	case coloured[name] && nonsense(name, value):
	case coloured[name] && strings.EqualFold(value, "none"):
		s[name] = "none"
	default:
		s[name] = value
	}
}

// nonsense reports whether a word is no colour: browsers pass over such a declaration.
func nonsense(name, value string) bool {
	word := strings.ToLower(value)
	for _, c := range word {
		if c < 'a' || c > 'z' {
			return false
		}
	}
	switch word {
	case "none", "context", "contextfill", "contextstroke":
		return name != "fill" && name != "stroke"
	case "currentcolor":
		return false
	}
	if strings.Contains(systemColours, word) {
		return false // it is one, and not known here: that stops
	}
	_, _, err := colour.Parse(word)
	return err != nil
}

// systemColours are those of the desktop (CSS Color 4, section 10).
const systemColours = `accentcolor accentcolortext activetext buttonborder buttonface buttontext canvas canvastext field fieldtext graytext
	highlight highlighttext linktext mark marktext selecteditem selecteditemtext visitedtext`

// resolve replaces var(--name, fallback) in a value.
func (s style) resolve(v string, depth int) (string, bool) {
	for {
		i := strings.Index(v, "var(")
		if i < 0 {
			return v, true
		}
		if depth++; depth > 32 || len(v) > 4096 {
			return "", false
		}
		level, end := 0, -1
		for j := i + 3; j < len(v) && end < 0; j++ {
			switch v[j] {
			case '(':
				level++
			case ')':
				if level--; level == 0 {
					end = j
				}
			}
		}
		if end < 0 {
			return "", false
		}
		name, fallback, has := strings.Cut(v[i+4:end], ",")
		w, ok := s[strings.TrimSpace(name)]
		if !ok {
			if !has {
				return "", false
			}
			w = strings.TrimSpace(fallback)
		}
		v = v[:i] + w + v[end+1:]
	}
}

// font spreads the shorthand over the properties that are used here.
func (s style) font(v string) {
	words := strings.Fields(v)
	for i, w := range words {
		switch {
		case w == "italic" || w == "oblique":
			s["font-style"] = w
		case w == "bold" || w == "bolder" || w == "lighter":
			s["font-weight"] = w
		case len(w) == 3 && strings.HasSuffix(w, "00"):
			s["font-weight"] = w
		case w == "small-caps":
			s["font-variant"] = w
		case strings.HasSuffix(w, "condensed") || strings.HasSuffix(w, "expanded"):
			s["font-stretch"] = w
		case w[0] >= '0' && w[0] <= '9' || w[0] == '.':
			size, _, _ := strings.Cut(w, "/")
			s["font-size"] = size
			s["font-family"] = strings.Join(words[i+1:], " ")
			return
		}
	}
}

// get returns the value of a property, or def if it is not set.
func (s style) get(name, def string) string {
	if v, ok := s[name]; ok && v != "" {
		return v
	}
	return def
}
