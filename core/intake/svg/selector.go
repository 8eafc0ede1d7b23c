package svg

import "strings"

// A selector is a chain of simple selectors, the last one naming the element
// itself: those of CSS 2.1 as far as drawings use them.
type selector []compound

type compound struct {
	comb    byte // how the one before is found: ' ', '>' or '+'
	name    string
	id      string
	classes []string
	attrs   []condition
	first   bool // :first-child
	root    bool // :root
}

// A condition is an attribute selector: presence (op 0), '=' for the value,
// '~' for a word of it, '|' for it or its beginning before a hyphen, '^', '$'
// and '*' for its beginning, end or any part.
type condition struct {
	name, value string
	op          byte
}

func (c condition) holds(e *element) bool {
	v, ok := e.attrs[c.name]
	switch {
	case !ok:
		return false
	case c.op == 0:
		return true
	case c.op == '~':
		for f := range strings.FieldsSeq(v) {
			if f == c.value {
				return true
			}
		}
		return false
	case c.op == '|':
		return v == c.value || strings.HasPrefix(v, c.value+"-")
	case c.op == '^':
		return c.value != "" && strings.HasPrefix(v, c.value)
	case c.op == '$':
		return c.value != "" && strings.HasSuffix(v, c.value)
	case c.op == '*':
		return c.value != "" && strings.Contains(v, c.value)
	}
	return v == c.value
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
		case '>', '+':
			if len(sel) == 0 {
				return nil, false
			}
			comb, s = s[0], s[1:]
			continue
		}
		c := compound{comb: comb}
		comb = ' '
		n := len(s)
		for len(s) > 0 && !strings.ContainsRune(" \t\n\r\f>+", rune(s[0])) {
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
				body, rest, found := strings.Cut(s[1:], "]")
				if !found {
					return nil, false
				}
				k, v, has := strings.Cut(body, "=")
				k = strings.TrimSpace(k)
				var op byte
				if has {
					if op = '='; k != "" && strings.IndexByte("~|^$*", k[len(k)-1]) >= 0 {
						op, k = k[len(k)-1], k[:len(k)-1]
					}
				}
				if k == "" {
					return nil, false
				}
				c.attrs = append(c.attrs, condition{strings.TrimSpace(k), strings.Trim(strings.TrimSpace(v), `"'`), op})
				s = rest
			case ':':
				if rest, found := strings.CutPrefix(s, ":first-child"); found {
					c.first, s = true, rest
				} else if rest, found := strings.CutPrefix(s, ":root"); found {
					c.root, s = true, rest
				} else {
					return nil, false
				}
			default:
				c.name, s = ident(s)
			}
			if len(s) == n {
				return nil, false // nothing was read
			}
			n = len(s)
		}
		sel = append(sel, c)
	}
	return sel, len(sel) > 0
}

// ident reads a name off the front of s.
func ident(s string) (name, rest string) {
	i := 0
	for i < len(s) && (s[i] == '-' || s[i] == '_' || s[i] >= 0x80 || s[i] >= '0' && s[i] <= '9' || s[i]|0x20 >= 'a' && s[i]|0x20 <= 'z') {
		i++
	}
	return s[:i], s[i:]
}

// weight is the specificity, comparable as a number (CSS 2.1 section 6.4.3).
func (s selector) weight() int {
	w := 0
	for _, c := range s {
		if c.id != "" {
			w += 1_000_000
		}
		w += 1000 * (len(c.classes) + len(c.attrs))
		if c.first {
			w += 1000
		}
		if c.root {
			w += 1000
		}
		if c.name != "" {
			w++
		}
	}
	return w
}

func (s selector) matches(e *element) bool {
	last := s[len(s)-1]
	if !last.matches(e) {
		return false
	}
	rest := s[:len(s)-1]
	if len(rest) == 0 {
		return true
	}
	switch last.comb {
	case '>':
		return e.parent != nil && rest.matches(e.parent)
	case '+':
		p := e.before()
		return p != nil && rest.matches(p)
	}
	for p := e.parent; p != nil; p = p.parent {
		if rest.matches(p) {
			return true
		}
	}
	return false
}

func (c compound) matches(e *element) bool {
	if c.name != "" && c.name != e.name || c.id != "" && c.id != e.attrs["id"] {
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
	return (!c.first || e.before() == nil) && (!c.root || e.parent == nil)
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
