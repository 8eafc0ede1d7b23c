package pdf

import (
	"bytes"
	"fmt"
	"strconv"
)

// repair makes the table anew from the objects that are found.
func (f *file) repair() error {
	f.reset()
	f.repaired = true
	var packs []int
	for at := 0; ; {
		i := bytes.Index(f.b[at:], []byte("obj"))
		if i < 0 {
			break
		}
		i += at
		at = i + 3
		if i >= 3 && string(f.b[i-3:i]) == "end" {
			continue
		}
		start, ok := headBefore(f.b, i)
		if !ok {
			continue
		}
		l := &lexer{b: f.b, at: start}
		num, err := strconv.Atoi(string(l.regular()))
		if err != nil || num > 1<<30 {
			continue
		}
		f.where[num] = place{at: start}
		if len(f.where) > MaxObjects {
			return fmt.Errorf("the PDF has more than %d objects", MaxObjects)
		}
		head := f.b[at:min(at+300, len(f.b))]
		if bytes.Contains(head, []byte("/ObjStm")) {
			packs = append(packs, num)
		}
		if bytes.Contains(head, []byte("/XRef")) {
			if _, o, err := f.readAt(start); err == nil {
				if s, ok := o.(*stream); ok {
					f.adopt(s.dict)
				}
			}
		}
	}
	for at := 0; ; {
		i := bytes.Index(f.b[at:], []byte("trailer"))
		if i < 0 {
			break
		}
		at += i + len("trailer")
		l := &lexer{b: f.b, at: at, refs: true}
		if o, err := l.next(); err == nil {
			if d, ok := o.(dict); ok {
				f.adopt(d)
			}
		}
	}
	if f.trailer["Encrypt"] == nil {
		for _, p := range packs {
			f.unpack(p)
			for i, n := range f.numbered[p] {
				if _, ok := f.where[n]; !ok {
					f.where[n] = place{at: p, index: i, packed: true}
				}
			}
		}
	}
	if !f.sound() {
		// No trailer: the catalog is what says it is one.
		for _, n := range f.all() {
			if d := f.dict(ref{num: n}); d["Type"] == name("Catalog") {
				f.trailer["Root"] = ref{num: n}
			}
		}
	}
	if f.err != nil {
		return f.err
	}
	if !f.sound() {
		return errNoPDF
	}
	return nil
}

// headBefore finds where "12 0 " before the word obj begins.
func headBefore(b []byte, i int) (start int, ok bool) {
	back := func(is func(byte) bool) int {
		n := 0
		for i > 0 && is(b[i-1]) {
			i, n = i-1, n+1
		}
		return n
	}
	digit := func(c byte) bool { return c >= '0' && c <= '9' }
	back(isSpace)
	if back(digit) == 0 || back(isSpace) == 0 || back(digit) == 0 {
		return 0, false
	}
	return i, true
}

// adopt takes what a trailer that was found says.
func (f *file) adopt(t dict) {
	for _, k := range []name{"Root", "Info", "Encrypt", "ID"} {
		if v, ok := t[k]; ok {
			f.trailer[k] = v
		}
	}
}
