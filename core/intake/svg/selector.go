package svg

import (
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
			if len(sel) == 0 || comb != ' ' {
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
	return sel, len(sel) > 0 && comb == ' '
}

// parse reads a compound selector off the front of s.
func (c *compound) parse(s string) (rest string, ok bool) {
	for len(s) > 0 && !strings.ContainsRune(" \t\n\r\f>+~", rune(s[0])) {
		n := len(s)
		switch s[0] {
		case '*':
			s = s[1:]
		case '#':
			if c.id != "" || !named(s[1:]) {
				return s, false
			}
			c.id, s = ident(s[1:])
		case '.':
			if !named(s[1:]) {
				return s, false
			}
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

// named reports whether a name begins s: one that begins with a digit without an escape
// is none (CSS Syntax 3, section 4.3.9), and browsers drop its rule.
func named(s string) bool {
	name, _ := ident(s)
	first := strings.TrimPrefix(s, "-")
	return name != "" && (first == "" || first[0] < '0' || first[0] > '9')
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
