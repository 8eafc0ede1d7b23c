package svg

import (
	"slices"
	"strconv"
	"strings"
)

// A pseudo is a pseudo-class: one of a list of selectors (is, not), or a place among the
// siblings.
type pseudo struct {
	name   string // without its colon; matches and where are is
	of     []selector
	a, b   int // of an+b
	langs  []string
	weight int
}

// waiting are pseudo-classes that hold in no still picture.
var waiting = strings.Fields(`active active-view-transition autofill blank buffering checked current default defined disabled enabled focus
	focus-visible focus-within fullscreen future has-slotted hover in-range indeterminate interest-source interest-target invalid local-link
	modal muted navigation-source open optional out-of-range past paused picture-in-picture placeholder-shown playing popover-open read-only
	read-write required seeking stalled target target-after target-before target-current target-within user-invalid user-valid valid visited
	volume-locked after before first-letter first-line link any-link first left right selection marker placeholder backdrop`)

// parsePseudo reads a pseudo-class or pseudo-element, whose first colon is read.
func (c *compound) parsePseudo(s string) (rest string, ok bool) {
	s = strings.TrimPrefix(s, ":")
	name, rest := ident(s)
	name = strings.ToLower(name)
	arg := ""
	if strings.HasPrefix(rest, "(") {
		end := closing(rest)
		if end < 0 {
			return s, false
		}
		arg, rest = strings.TrimSpace(rest[1:end]), rest[end+1:]
	}
	p := pseudo{name: name, weight: oneClass}
	switch name {
	case "is", "where", "not", "matches", "-webkit-any", "-moz-any":
		if p.of, ok = parseSelectors(arg); !ok {
			return s, false
		}
		p.weight = 0
		if name != "where" {
			for _, o := range p.of {
				p.weight = max(p.weight, o.weight())
			}
		}
		if name != "not" {
			p.name = "is"
		}
	case "lang":
		for l := range strings.SplitSeq(arg, ",") {
			p.langs = append(p.langs, strings.ToLower(strings.Trim(strings.TrimSpace(l), `"'`)))
		}
	case "first-child", "last-child", "only-child", "first-of-type", "last-of-type", "only-of-type", "root", "empty", "scope":
	case "nth-child", "nth-last-child", "nth-of-type", "nth-last-of-type":
		nth, list, has := strings.Cut(arg, " of ")
		if p.a, p.b, ok = anPlusB(nth); !ok {
			return s, false
		}
		if has {
			if p.of, ok = parseSelectors(list); !ok {
				return s, false
			}
			for _, o := range p.of {
				p.weight = max(p.weight, oneClass+o.weight())
			}
		}
	default:
		if !slices.Contains(waiting, name) && !strings.HasPrefix(name, "-") {
			return s, false
		}
		c.never = true
		return rest, true
	}
	c.pseudo = append(c.pseudo, p)
	return rest, true
}

// closing is where the bracket at the front of s is closed, or -1.
func closing(s string) int {
	depth := 0
	for i := range len(s) {
		switch s[i] {
		case '(':
			depth++
		case ')':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return -1
}

// anPlusB reads odd, even, 3, 2n+1 and the like (CSS Syntax 3, section 6).
func anPlusB(s string) (a, b int, ok bool) {
	s = strings.ToLower(strings.ReplaceAll(strings.TrimSpace(s), " ", ""))
	switch s {
	case "odd":
		return 2, 1, true
	case "even":
		return 2, 0, true
	}
	before, after, n := strings.Cut(s, "n")
	if !n {
		b, err := strconv.Atoi(s)
		return 0, b, err == nil
	}
	switch before {
	case "", "+":
		a = 1
	case "-":
		a = -1
	default:
		v, err := strconv.Atoi(before)
		if err != nil {
			return 0, 0, false
		}
		a = v
	}
	if after == "" {
		return a, 0, true
	}
	b, err := strconv.Atoi(after)
	return a, b, err == nil
}

func (p pseudo) holds(e *element) bool {
	any := func() bool {
		return slices.ContainsFunc(p.of, func(s selector) bool { return s.matches(e, nil) })
	}
	switch p.name {
	case "is":
		return any()
	case "not":
		return !any()
	case "root", "scope":
		return e.parent == nil
	case "lang":
		l, ok := e.lookup("xml:lang")
		if !ok {
			l, _ = e.lookup("lang")
		}
		l = strings.ToLower(l)
		return slices.ContainsFunc(p.langs, func(w string) bool { return l == w || strings.HasPrefix(l, w+"-") || w == "*" && l != "" })
	case "empty":
		return len(e.kids) == 0
	case "first-child":
		return e.place(false, nil) == 1
	case "last-child":
		return e.place(true, nil) == 1
	case "only-child":
		return e.place(false, nil) == 1 && e.place(true, nil) == 1
	case "first-of-type":
		return e.place(false, e.alike) == 1
	case "last-of-type":
		return e.place(true, e.alike) == 1
	case "only-of-type":
		return e.place(false, e.alike) == 1 && e.place(true, e.alike) == 1
	}
	if p.of != nil && !any() {
		return false
	}
	among := func(o *element) bool {
		return p.of == nil || slices.ContainsFunc(p.of, func(s selector) bool { return s.matches(o, nil) })
	}
	if strings.HasSuffix(p.name, "of-type") {
		among = e.alike
	}
	n := e.place(strings.HasPrefix(p.name, "nth-last"), among) - p.b
	if p.a == 0 {
		return n == 0
	}
	return n%p.a == 0 && n/p.a >= 0
}

func (e *element) alike(o *element) bool { return o.name == e.name }

// place numbers e among its siblings from 1, those that count alone, from the first or
// from the last. The outermost element is the only one.
func (e *element) place(last bool, counts func(*element) bool) int {
	if e.parent == nil {
		return 1
	}
	n, at := 0, 0
	e.parent.elements(func(o *element) {
		if counts == nil || counts(o) || o == e {
			if n++; o == e {
				at = n
			}
		}
	})
	if last {
		return n - at + 1
	}
	return at
}
