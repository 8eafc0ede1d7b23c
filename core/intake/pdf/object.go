package pdf

import (
	"bytes"
	"encoding/hex"
	"errors"
	"strconv"
)

// The kinds of objects (PDF 32000-1, section 7.3) as Go values: float64 for
// numbers, bool, name, text, array, dict, ref, *stream, and nil for null.
type (
	name   string // without its slash
	text   string // bytes of a string, unescaped
	array  []any
	dict   map[name]any
	ref    struct{ num, gen int }
	stream struct {
		dict dict
		raw  []byte // as it stands in the file, decrypted
	}
)

// A word is a token that is no object: an operator, or obj, endobj and the like.
type word string

// maxNesting bounds arrays and dictionaries in one another.
const maxNesting = 100

var (
	errEnd    = errors.New("the data end early")
	errNested = errors.New("its objects are nested more than 100 deep")
)

// A lexer reads objects from bytes. It forgives what readers in use forgive.
type lexer struct {
	b  []byte
	at int
	// refs says that "12 0 R" is a reference: in files, not in content.
	refs bool
}

func isSpace(c byte) bool {
	return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == '\f' || c == 0
}

func isDelimiter(c byte) bool {
	switch c {
	case '(', ')', '<', '>', '[', ']', '{', '}', '/', '%':
		return true
	}
	return false
}

// space skips white space and comments.
func (l *lexer) space() {
	for l.at < len(l.b) {
		switch c := l.b[l.at]; {
		case isSpace(c):
			l.at++
		case c == '%':
			for l.at < len(l.b) && l.b[l.at] != '\n' && l.b[l.at] != '\r' {
				l.at++
			}
		default:
			return
		}
	}
}

// regular reads up to white space or a delimiter.
func (l *lexer) regular() []byte {
	from := l.at
	for l.at < len(l.b) && !isSpace(l.b[l.at]) && !isDelimiter(l.b[l.at]) {
		l.at++
	}
	return l.b[from:l.at]
}

// next returns the next object or word; errEnd at the end.
func (l *lexer) next() (any, error) { return l.object(0) }

func (l *lexer) object(depth int) (any, error) {
	if depth > maxNesting {
		return nil, errNested
	}
	l.space()
	if l.at >= len(l.b) {
		return nil, errEnd
	}
	switch c := l.b[l.at]; c {
	case '/':
		l.at++
		return l.name(), nil
	case '(':
		l.at++
		return l.literal(), nil
	case '<':
		if l.at+1 < len(l.b) && l.b[l.at+1] == '<' {
			l.at += 2
			return l.dict(depth)
		}
		l.at++
		return l.hex(), nil
	case '[':
		l.at++
		return l.array(depth)
	case ']', '{', '}', ')':
		l.at++
		return word(c), nil
	case '>':
		l.at++
		if l.at < len(l.b) && l.b[l.at] == '>' {
			l.at++
			return word(">>"), nil
		}
		return word(">"), nil
	}
	w := l.regular()
	switch string(w) {
	case "true":
		return true, nil
	case "false":
		return false, nil
	case "null":
		return nil, nil
	}
	v, ok := number(w)
	if !ok {
		return word(w), nil
	}
	if l.refs && v >= 0 && v == float64(int(v)) {
		if r, ok := l.reference(int(v)); ok {
			return r, nil
		}
	}
	return v, nil
}

// reference reads what follows the number of an object in a reference.
func (l *lexer) reference(num int) (ref, bool) {
	back := l.at
	l.space()
	gen, err := strconv.Atoi(string(l.regular()))
	if err == nil && gen >= 0 && gen <= 65535 {
		l.space()
		if l.at < len(l.b) && l.b[l.at] == 'R' && (l.at+1 == len(l.b) || isSpace(l.b[l.at+1]) || isDelimiter(l.b[l.at+1])) {
			l.at++
			return ref{num, gen}, true
		}
	}
	l.at = back
	return ref{}, false
}

// number reads a number as writers in use write them: several signs, or none
// where a minus stands within, count as what they begin with.
func number(w []byte) (float64, bool) {
	if len(w) == 0 || w[0] != '+' && w[0] != '-' && w[0] != '.' && (w[0] < '0' || w[0] > '9') {
		return 0, false
	}
	sign, i := 1.0, 0
	for i < len(w) && (w[i] == '+' || w[i] == '-') {
		if w[i] == '-' {
			sign = -1
		}
		i++
	}
	v, scale, digits, point := 0.0, 1.0, 0, false
	for ; i < len(w); i++ {
		switch c := w[i]; {
		case c >= '0' && c <= '9':
			v, digits = v*10+float64(c-'0'), digits+1
			if point {
				scale *= 10
			}
		case c == '.' && !point:
			point = true
		case c == '-' && digits > 0:
			return sign * v / scale, true // "12-34" is 12
		default:
			return 0, false
		}
	}
	if scale > 1e300 || v > 1e300 {
		return 0, false
	}
	return sign * v / scale, digits > 0 || point
}

func (l *lexer) name() name {
	raw := l.regular()
	if bytes.IndexByte(raw, '#') < 0 {
		return name(raw)
	}
	var out []byte
	for i := 0; i < len(raw); i++ {
		if raw[i] == '#' && i+2 < len(raw) {
			if b, err := hex.DecodeString(string(raw[i+1 : i+3])); err == nil {
				out = append(out, b...)
				i += 2
				continue
			}
		}
		out = append(out, raw[i])
	}
	return name(out)
}

// literal reads a string in parentheses (section 7.3.4.2).
func (l *lexer) literal() text {
	var out []byte
	for level := 1; l.at < len(l.b); l.at++ {
		switch c := l.b[l.at]; c {
		case '(':
			level++
		case ')':
			if level--; level == 0 {
				l.at++
				return text(out)
			}
		case '\\':
			if l.at++; l.at < len(l.b) {
				out = l.escape(out)
			}
			continue
		}
		out = append(out, l.b[l.at])
	}
	return text(out)
}

func (l *lexer) escape(out []byte) []byte {
	switch c := l.b[l.at]; c {
	case 'n':
		return append(out, '\n')
	case 'r':
		return append(out, '\r')
	case 't':
		return append(out, '\t')
	case 'b':
		return append(out, '\b')
	case 'f':
		return append(out, '\f')
	case '\n':
		return out
	case '\r':
		if l.at+1 < len(l.b) && l.b[l.at+1] == '\n' {
			l.at++
		}
		return out
	case '0', '1', '2', '3', '4', '5', '6', '7':
		v := 0
		for n := 0; n < 3 && l.at < len(l.b) && l.b[l.at] >= '0' && l.b[l.at] <= '7'; n++ {
			v = v*8 + int(l.b[l.at]-'0')
			l.at++
		}
		l.at--
		return append(out, byte(v))
	default:
		return append(out, c)
	}
}

func (l *lexer) hex() text {
	var out []byte
	high, half := byte(0), false
	for ; l.at < len(l.b); l.at++ {
		c := l.b[l.at]
		var d byte
		switch {
		case c == '>':
			l.at++
			if half {
				out = append(out, high)
			}
			return text(out)
		case c >= '0' && c <= '9':
			d = c - '0'
		case c >= 'a' && c <= 'f':
			d = c - 'a' + 10
		case c >= 'A' && c <= 'F':
			d = c - 'A' + 10
		default:
			continue
		}
		if half {
			out = append(out, high|d)
		}
		high, half = d<<4, !half
	}
	return text(out)
}

func (l *lexer) array(depth int) (any, error) {
	out := array{}
	for {
		o, err := l.object(depth + 1)
		if err != nil {
			return out, err
		}
		switch o {
		case word("]"):
			return out, nil
		case word("endobj"), word("endstream"):
			l.at -= len(o.(word))
			return out, nil // it was left open
		}
		if _, stray := o.(word); !stray {
			out = append(out, o)
		}
	}
}

func (l *lexer) dict(depth int) (any, error) {
	out := dict{}
	for {
		k, err := l.object(depth + 1)
		if err != nil {
			return out, err
		}
		switch k := k.(type) {
		case name:
			v, err := l.object(depth + 1)
			if err != nil {
				return out, err
			}
			if v == word(">>") {
				return out, nil
			}
			if _, stray := v.(word); !stray {
				out[k] = v
			}
		case word:
			switch k {
			case ">>":
				return out, nil
			case "endobj", "stream", "endstream":
				l.at -= len(k)
				return out, nil
			}
		}
	}
}
