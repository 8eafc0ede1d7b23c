package svg

import (
	"slices"
	"strconv"
	"strings"
)

// A selector is a chain of compound selectors, the last one naming the element
// itself: those of Selectors Level 4 as far as drawings use them.
type selector []compound

type compound struct {
	comb    byte // how the one before is found: ' ', '>', '+' or '~'
	name    string
	id      string
	classes []string
	attrs   []condition
	pseudo  []pseudo
	never   bool // it waits for a hand, a state or a page, which a still picture has not
}

// A pseudo is a pseudo-class: one of a list of selectors (is, not), or a place among the
// siblings.
type pseudo struct {
	name   string // without its colon; matches and where are is
	of     []selector
	a, b   int // of an+b
	langs  []string
	weight int
}

// A condition is an attribute selector: presence (op 0), '=' for the value,
// '~' for a word of it, '|' for it or its beginning before a hyphen, '^', '$'
// and '*' for its beginning, end or any part.
type condition struct {
	name, value string
	op          byte
	fold        bool // in any case
}

func (c condition) holds(e *element) bool {
	v, ok := e.attrs[c.name]
	want := c.value
	if c.fold {
		v, want = strings.ToLower(v), strings.ToLower(want)
	}
	switch {
	case !ok:
		return false
	case c.op == 0:
		return true
	case c.op == '~':
		for f := range strings.FieldsSeq(v) {
			if f == want {
				return true
			}
		}
		return false
	case c.op == '|':
		return v == want || strings.HasPrefix(v, want+"-")
	case c.op == '^':
		return want != "" && strings.HasPrefix(v, want)
	case c.op == '$':
		return want != "" && strings.HasSuffix(v, want)
	case c.op == '*':
		return want != "" && strings.Contains(v, want)
	}
	return v == want
}

// parseSelectors reads a list of selectors; ok is false if it holds something else.
func parseSelectors(s string) (list []selector, ok bool) {
	for _, part := range split(s, ',') {
		sel, ok := parseSelector(part)
		if !ok {
			return nil, false
		}
		list = append(list, sel)
	}
	return list, true
}

// split cuts a value at a separator that stands in no brackets and no quotes.
func split(s string, sep byte) (out []string) {
	depth, from := 0, 0
	var quote byte
	for i := range len(s) {
		switch c := s[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(' || c == '[':
			depth++
		case c == ')' || c == ']':
			depth--
		case c == sep && depth == 0:
			out, from = append(out, s[from:i]), i+1
		}
	}
	return append(out, s[from:])
}

// parseSelector reads one selector; ok is false if it holds something else.
func parseSelector(s string) (sel selector, ok bool) {
	s = strings.TrimSpace(s)
	comb := byte(' ')
	for len(s) > 0 {
		switch s[0] {
		case ' ', '\t', '\n', '\r', '\f':
			s = strings.TrimLeft(s, " \t\n\r\f")
			continue
		case '>', '+', '~':
			if len(sel) == 0 {
				return nil, false
			}
			comb, s = s[0], s[1:]
			continue
		}
		c := compound{comb: comb}
		comb = ' '
		if s, ok = c.parse(s); !ok {
			return nil, false
		}
		sel = append(sel, c)
	}
	return sel, len(sel) > 0
}

// parse reads a compound selector off the front of s.
func (c *compound) parse(s string) (rest string, ok bool) {
	for len(s) > 0 && !strings.ContainsRune(" \t\n\r\f>+~", rune(s[0])) {
		n := len(s)
		switch s[0] {
		case '*':
			s = s[1:]
		case '#':
			c.id, s = ident(s[1:])
		case '.':
			var cl string
			cl, s = ident(s[1:])
			c.classes = append(c.classes, cl)
		case '[':
			body, after, found := strings.Cut(s[1:], "]")
			a, good := parseCondition(body)
			if !found || !good {
				return s, false
			}
			c.attrs, s = append(c.attrs, a), after
		case ':':
			if s, ok = c.parsePseudo(s[1:]); !ok {
				return s, false
			}
		case '|': // of no namespace, or after a star of any
			s = s[1:]
		default:
			c.name, s = ident(s)
			if strings.HasPrefix(s, "|") {
				return s, false // of a namespace with a name
			}
		}
		if len(s) == n {
			return s, false // nothing was read
		}
	}
	return s, true
}

func parseCondition(body string) (c condition, ok bool) {
	k, v, has := strings.Cut(body, "=")
	k = strings.TrimSpace(k)
	if has {
		if c.op = '='; k != "" && strings.IndexByte("~|^$*", k[len(k)-1]) >= 0 {
			c.op, k = k[len(k)-1], k[:len(k)-1]
		}
		v = strings.TrimSpace(v)
		if flag := strings.ToLower(v[max(0, len(v)-2):]); flag == " i" || flag == "\"i" || flag == " s" || flag == "'i" {
			c.fold = strings.HasSuffix(flag, "i")
			v = strings.TrimSpace(v[:len(v)-1])
		}
		c.value = strings.Trim(v, `"'`)
	}
	c.name = strings.TrimSpace(k)
	if rest, ok := strings.CutPrefix(c.name, "*|"); ok {
		c.name = rest
	}
	return c, c.name != "" && !strings.Contains(c.name, "|")
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

// ident reads a name off the front of s, with its escapes (CSS Syntax 3, sections 4.3.7
// and 4.3.11).
func ident(s string) (name, rest string) {
	var b strings.Builder
	i := 0
	for i < len(s) {
		c := s[i]
		if c == '\\' && i+1 < len(s) {
			j := i + 1
			for j < len(s) && j < i+7 && strings.IndexByte("0123456789abcdefABCDEF", s[j]) >= 0 {
				j++
			}
			if code, err := strconv.ParseUint(s[i+1:j], 16, 32); err == nil {
				b.WriteRune(rune(code))
				if i = j; i < len(s) && s[i] == ' ' { // it ends the number
					i++
				}
				continue
			}
			b.WriteByte(s[i+1])
			i += 2
			continue
		}
		if c != '-' && c != '_' && c < 0x80 && (c < '0' || c > '9') && (c|0x20 < 'a' || c|0x20 > 'z') {
			break
		}
		b.WriteByte(c)
		i++
	}
	return b.String(), s[i:]
}

// Specificity, comparable as a number (Selectors 4, section 17).
const (
	oneID    = 1_000_000
	oneClass = 1000
)

func (s selector) weight() int {
	w := 0
	for _, c := range s {
		if c.id != "" {
			w += oneID
		}
		w += oneClass * (len(c.classes) + len(c.attrs))
		for _, p := range c.pseudo {
			w += p.weight
		}
		if c.name != "" {
			w++
		}
	}
	return w
}

// matches reports whether an element is meant. Above top, which a use has copied, there
// is nothing to be seen (SVG 2, section 5.6.3); nil sees all.
func (s selector) matches(e, top *element) bool {
	last := s[len(s)-1]
	if !last.matches(e) {
		return false
	}
	rest := s[:len(s)-1]
	if len(rest) == 0 {
		return true
	}
	if e == top {
		return false
	}
	switch last.comb {
	case '>':
		return e.parent != nil && rest.matches(e.parent, top)
	case '+':
		p := e.before()
		return p != nil && rest.matches(p, top)
	case '~':
		for p := e.before(); p != nil; p = p.before() {
			if rest.matches(p, top) {
				return true
			}
		}
		return false
	}
	for p := e.parent; p != nil; p = p.parent {
		if rest.matches(p, top) {
			return true
		}
		if p == top {
			break
		}
	}
	return false
}

func (c compound) matches(e *element) bool {
	if c.never || c.name != "" && c.name != e.name || c.id != "" && c.id != e.attrs["id"] {
		return false
	}
	for _, cl := range c.classes {
		found := false
		for f := range strings.FieldsSeq(e.attrs["class"]) {
			found = found || f == cl
		}
		if !found {
			return false
		}
	}
	for _, a := range c.attrs {
		if !a.holds(e) {
			return false
		}
	}
	for _, p := range c.pseudo {
		if !p.holds(e) {
			return false
		}
	}
	return true
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

// before is the sibling element that comes directly before e.
func (e *element) before() *element {
	if e.parent == nil {
		return nil
	}
	var prev *element
	for _, k := range e.parent.kids {
		if k == node(e) {
			return prev
		}
		if c, ok := k.(*element); ok {
			prev = c
		}
	}
	return nil
}
