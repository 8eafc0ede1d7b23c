package svg

import (
	"cmp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
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

// presentation lists the other properties that may stand as attributes.
var presentation = map[string]bool{
	"clip-path": true, "display": true, "filter": true, "mask": true, "opacity": true,
	"overflow": true, "stop-color": true, "stop-opacity": true, "baseline-shift": true,
	"dominant-baseline": true, "alignment-baseline": true, "vector-effect": true,
	"mix-blend-mode": true, "isolation": true, "transform": true, "font-variant": true,
	"font-stretch": true, "flood-color": true, "flood-opacity": true, "lighting-color": true,
	"mask-type": true, "marker": true, "enable-background": true,
}

// A rule is one selector of a style sheet with its declarations.
type rule struct {
	sel   selector
	decls []decl
	order int
}

type decl struct {
	name, value string
	important   bool
}

// A sheet is the rules of all style elements. The zero sheet styles nothing.
type sheet struct {
	rules  []rule
	faces  []map[string]string // @font-face rules
	failed []string            // selectors and at-rules that were not understood
}

// add parses one style element.
func (s *sheet) add(src string) {
	p := css.NewParser(parse.NewInputString(src), false)
	var sels []selector
	var decls []decl
	skip := 0 // depth inside at-rules that do not apply
	open := []bool{}
	face := false
	for len(s.rules) <= MaxRules {
		g, _, data := p.Next()
		switch g {
		case css.ErrorGrammar:
			if p.Err() != nil {
				return
			}
		case css.BeginAtRuleGrammar:
			name := strings.ToLower(string(data))
			applies := name == "@media" && screen(join(p.Values()))
			face = name == "@font-face"
			if !applies && !face && name != "@media" { // other media are not our page
				s.failed = append(s.failed, name)
			}
			open = append(open, !applies)
			if !applies {
				skip++
			}
		case css.EndAtRuleGrammar:
			if face {
				f := map[string]string{}
				for _, d := range decls {
					f[d.name] = d.value
				}
				s.faces, decls, face = append(s.faces, f), nil, false
			}
			if n := len(open); n > 0 {
				if open[n-1] {
					skip--
				}
				open = open[:n-1]
			}
		case css.AtRuleGrammar:
			if !strings.EqualFold(string(data), "@charset") {
				s.failed = append(s.failed, string(data))
			}
		case css.QualifiedRuleGrammar, css.BeginRulesetGrammar:
			if g == css.QualifiedRuleGrammar || len(decls) == 0 {
				text := join(p.Values())
				if skip == 0 {
					for part := range strings.SplitSeq(text, ",") {
						if sel, ok := parseSelector(part); ok {
							sels = append(sels, sel)
						} else {
							s.failed = append(s.failed, strings.TrimSpace(part))
						}
					}
				}
			}
		case css.DeclarationGrammar, css.CustomPropertyGrammar:
			decls = append(decls, newDecl(string(data), join(p.Values())))
		case css.EndRulesetGrammar:
			if skip > 0 {
				sels = nil
			}
			for _, sel := range sels {
				s.rules = append(s.rules, rule{sel, decls, len(s.rules)})
			}
			sels, decls = nil, nil
		}
	}
}

// screen reports whether a media query means every screen.
func screen(query string) bool {
	for q := range strings.SplitSeq(query, ",") {
		switch strings.ToLower(strings.TrimSpace(q)) {
		case "all", "screen", "only screen", "":
			return true
		}
	}
	return false
}

func join(ts []css.Token) string {
	var b strings.Builder
	for _, t := range ts {
		b.Write(t.Data)
	}
	return b.String()
}

func newDecl(name, value string) decl {
	d := decl{name: strings.ToLower(strings.TrimSpace(name)), value: strings.TrimSpace(value)}
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

// cascade computes the style of e below the style of its parent: presentation
// attributes first, then the sheet by specificity and order, then the style
// attribute, then what is marked important, in the same order again (CSS 2.1
// section 6.4.1; presentation attributes count as specificity 0 before all
// rules, SVG 1.1 section 6.4).
func (s *sheet) cascade(e *element, up style) style {
	st := make(style, len(up)+8)
	for k, v := range up {
		if inherited[k] || strings.HasPrefix(k, "--") {
			st[k] = v
		}
	}
	set := func(name, value string) {
		if value == "unset" {
			if value = "initial"; inherited[name] {
				value = "inherit"
			}
		}
		switch value {
		case "inherit":
			if v, ok := up[name]; ok {
				st[name] = v
			} else {
				delete(st, name)
			}
		case "initial":
			delete(st, name)
		default:
			st[name] = value
		}
	}
	for k, v := range e.attrs {
		if inherited[k] || presentation[k] {
			set(k, strings.TrimSpace(v))
		}
	}
	var hits []rule
	for _, r := range s.rules {
		if r.sel.matches(e) {
			hits = append(hits, r)
		}
	}
	slices.SortStableFunc(hits, func(a, b rule) int {
		return cmp.Or(cmp.Compare(a.sel.weight(), b.sel.weight()), cmp.Compare(a.order, b.order))
	})
	own := inline(e.attrs["style"])
	for _, important := range []bool{false, true} {
		for _, r := range hits {
			for _, d := range r.decls {
				if d.important == important {
					set(d.name, d.value)
				}
			}
		}
		for _, d := range own {
			if d.important == important {
				set(d.name, d.value)
			}
		}
	}
	if f, ok := st["font"]; ok {
		st.font(f)
		delete(st, "font")
	}
	for k, v := range st {
		if strings.Contains(v, "var(") {
			if w, ok := st.resolve(v, 0); ok {
				st[k] = w
			} else {
				delete(st, k)
			}
		}
	}
	return st
}

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
