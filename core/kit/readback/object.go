package readback

import (
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strconv"

	"github.com/klauspost/compress/zlib"
)

// The kinds of PDF objects (32000-1 section 7.3), as Go values: float64,
// string for names (with their slash), text for strings, bool, []any, dict,
// ref, *stream and nil.
type (
	dict   map[string]any
	ref    int
	text   string
	stream struct {
		dict dict
		data []byte
	}
)

// scan reads objects from a buffer.
type scan struct {
	b  []byte
	at int
}

var errObject = errors.New("the object is broken")

func (s *scan) space() {
	for s.at < len(s.b) {
		switch s.b[s.at] {
		case ' ', '\n', '\r', '\t', '\f', 0:
			s.at++
		case '%':
			for s.at < len(s.b) && s.b[s.at] != '\n' {
				s.at++
			}
		default:
			return
		}
	}
}

func (s *scan) has(p string) bool {
	if bytes.HasPrefix(s.b[s.at:], []byte(p)) {
		s.at += len(p)
		return true
	}
	return false
}

// word reads up to the next delimiter.
func (s *scan) word() string {
	from := s.at
	for s.at < len(s.b) && !bytes.ContainsRune([]byte(" \n\r\t\f()<>[]{}/%"), rune(s.b[s.at])) {
		s.at++
	}
	return string(s.b[from:s.at])
}

func (s *scan) object() (any, error) {
	s.space()
	switch {
	case s.at >= len(s.b):
		return nil, errObject
	case s.has("<<"):
		d := dict{}
		for {
			s.space()
			if s.has(">>") {
				return d, nil
			}
			k, err := s.object()
			if err != nil {
				return nil, err
			}
			name, ok := k.(string)
			if !ok {
				return nil, errObject
			}
			if d[name], err = s.object(); err != nil {
				return nil, err
			}
		}
	case s.has("["):
		var l []any
		for {
			s.space()
			if s.has("]") {
				return l, nil
			}
			o, err := s.object()
			if err != nil {
				return nil, err
			}
			l = append(l, o)
		}
	case s.has("/"):
		raw := s.word()
		var name []byte
		for i := 0; i < len(raw); i++ {
			if raw[i] == '#' && i+2 < len(raw) {
				if b, err := hex.DecodeString(raw[i+1 : i+3]); err == nil {
					name = append(name, b...)
					i += 2
					continue
				}
			}
			name = append(name, raw[i])
		}
		return "/" + string(name), nil
	case s.has("("):
		var out []byte
		for level := 1; s.at < len(s.b); s.at++ {
			switch c := s.b[s.at]; c {
			case '\\':
				s.at++
				out = append(out, s.b[s.at])
				continue
			case '(':
				level++
			case ')':
				if level--; level == 0 {
					s.at++
					return text(out), nil
				}
			}
			out = append(out, s.b[s.at])
		}
		return nil, errObject
	case s.has("<"):
		end := bytes.IndexByte(s.b[s.at:], '>')
		if end < 0 {
			return nil, errObject
		}
		out, err := hex.DecodeString(string(s.b[s.at : s.at+end]))
		s.at += end + 1
		return text(out), err
	}
	w := s.word()
	switch w {
	case "true", "false":
		return w == "true", nil
	case "null":
		return nil, nil
	}
	v, err := strconv.ParseFloat(w, 64)
	if err != nil {
		return nil, fmt.Errorf("%w: %q", errObject, w)
	}
	// "12 0 R" is a reference.
	back := s.at
	s.space()
	if s.word() == "0" {
		s.space()
		if s.has("R") {
			return ref(v), nil
		}
	}
	s.at = back
	return v, nil
}

// file is a PDF with its table of objects.
type file struct {
	b  []byte
	at map[ref]int
}

func open(b []byte) (*file, dict, error) {
	if !bytes.HasPrefix(b, []byte("%PDF-")) {
		return nil, nil, errors.New("it does not begin as a PDF")
	}
	i := bytes.LastIndex(b, []byte("startxref"))
	if i < 0 {
		return nil, nil, errors.New("it has no startxref")
	}
	s := &scan{b, i + len("startxref")}
	o, err := s.object()
	n, ok := o.(float64)
	if err != nil || !ok || int(n) >= len(b) {
		return nil, nil, errors.New("its startxref is broken")
	}
	f := &file{b, map[ref]int{}}
	s.at = int(n)
	if !s.has("xref") {
		return nil, nil, errors.New("startxref does not lead to the table")
	}
	s.space()
	s.word()
	s.space()
	count, err := strconv.Atoi(s.word())
	if err != nil {
		return nil, nil, errors.New("its table of objects is broken")
	}
	for k := range count {
		s.space()
		at, err := strconv.Atoi(s.word())
		if err != nil {
			return nil, nil, errors.New("its table of objects is broken")
		}
		s.space()
		s.word()
		s.space()
		if s.word() == "n" {
			f.at[ref(k)] = at
		}
	}
	s.space()
	if !s.has("trailer") {
		return nil, nil, errors.New("it has no trailer")
	}
	t, err := s.object()
	d, ok := t.(dict)
	if err != nil || !ok {
		return nil, nil, errors.New("its trailer is broken")
	}
	return f, d, nil
}

// get follows a reference; other values are themselves.
func (f *file) get(o any) (any, error) {
	r, ok := o.(ref)
	if !ok {
		return o, nil
	}
	at, ok := f.at[r]
	if !ok || at >= len(f.b) {
		return nil, fmt.Errorf("object %d is not there", r)
	}
	s := &scan{f.b, at}
	if w := s.word(); w != strconv.Itoa(int(r)) {
		return nil, fmt.Errorf("object %d is not where the table says", r)
	}
	s.space()
	s.word()
	s.space()
	if !s.has("obj") {
		return nil, fmt.Errorf("object %d is not where the table says", r)
	}
	v, err := s.object()
	if err != nil {
		return nil, err
	}
	d, ok := v.(dict)
	s.space()
	if !ok || !s.has("stream") {
		return v, nil
	}
	s.has("\r")
	s.has("\n")
	n, ok := d["/Length"].(float64)
	if !ok || s.at+int(n) > len(f.b) {
		return nil, fmt.Errorf("stream %d has no length", r)
	}
	st := &stream{dict: d, data: f.b[s.at : s.at+int(n)]}
	if d["/Filter"] == "/FlateDecode" {
		z, err := zlib.NewReader(bytes.NewReader(st.data))
		if err != nil {
			return nil, err
		}
		if st.data, err = io.ReadAll(z); err != nil {
			return nil, err
		}
	}
	return st, nil
}

// dict follows a reference to a dictionary.
func (f *file) dict(o any) (dict, error) {
	v, err := f.get(o)
	if err != nil {
		return nil, err
	}
	d, ok := v.(dict)
	if !ok {
		return nil, errors.New("a dictionary is missing")
	}
	return d, nil
}

// list turns an array of numbers into floats.
func list(o any) ([]float64, bool) {
	l, ok := o.([]any)
	if !ok {
		return nil, false
	}
	out := make([]float64, len(l))
	for i, x := range l {
		if out[i], ok = x.(float64); !ok {
			return nil, false
		}
	}
	return out, true
}
