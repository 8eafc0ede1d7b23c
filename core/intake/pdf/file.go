package pdf

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
)

// Limits on what a file may ask of the reader. Each has its own error.
const (
	MaxBytes   = 100 << 20 // of the file
	MaxObjects = 500_000
	MaxDecoded = 300 << 20 // bytes of all streams, unpacked
	maxChain   = 50        // references to references
	maxTables  = 1000      // of objects, each naming the one before
)

// place tells where an object stands: at an offset, or as one of a stream's.
type place struct {
	at     int // offset in the file, or number of the stream
	index  int // in the stream
	packed bool
}

// A file is a PDF with its table of objects.
type file struct {
	ctx      context.Context
	b        []byte
	where    map[int]place
	trailer  dict
	known    map[int]any
	busy     map[int]bool
	packs    map[int][]any // objects of object streams
	numbered map[int][]int // and what they are numbered
	lock     *lock
	repaired bool
	decoded  int   // bytes unpacked so far
	err      error // a limit was passed
}

var (
	errNoPDF = errors.New("the PDF is damaged: no page can be found in it")
	// ErrLocked is returned for files that open only with a password.
	ErrLocked = errors.New("the PDF is locked with a password")
)

// open reads the table of objects, or makes one by looking through the whole
// file where it is damaged, as readers do.
func open(ctx context.Context, data []byte, password string) (*file, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the PDF is larger than %d MB", MaxBytes>>20)
	}
	if i := bytes.Index(data, []byte("%PDF-")); i > 0 {
		data = data[i:] // offsets count from there
	}
	f := &file{ctx: ctx, b: data}
	f.reset()
	if err := f.tables(); err != nil || !f.sound() {
		if f.err != nil {
			return nil, f.err
		}
		if err := f.repair(); err != nil {
			return nil, err
		}
	}
	if e := f.trailer["Encrypt"]; e != nil {
		d := f.dict(e)
		l, err := newLock(f, d, password)
		if err != nil {
			return nil, err
		}
		if r, ok := e.(ref); ok {
			l.keep = r.num
		}
		f.lock = l
		f.known, f.packs, f.numbered = map[int]any{}, map[int][]any{}, map[int][]int{}
	}
	if f.err != nil {
		return nil, f.err
	}
	return f, nil
}

func (f *file) reset() {
	f.where, f.trailer = map[int]place{}, dict{}
	f.known, f.busy, f.packs, f.numbered = map[int]any{}, map[int]bool{}, map[int][]any{}, map[int][]int{}
}

// sound reports whether the table leads to pages. A locked file is not looked
// into yet: its strings alone are unreadable.
func (f *file) sound() bool {
	root := f.dict(f.trailer["Root"])
	return root != nil && f.dict(root["Pages"]) != nil
}

// tables reads the tables of objects from the last to the first (section 7.5).
func (f *file) tables() error {
	i := bytes.LastIndex(f.b, []byte("startxref"))
	if i < 0 {
		return errNoPDF
	}
	l := &lexer{b: f.b, at: i + len("startxref"), refs: true}
	o, _ := l.next()
	next, ok := o.(float64)
	if !ok {
		return errNoPDF
	}
	seen := map[int]bool{}
	for queue := []int{int(next)}; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		if seen[at] || len(seen) > maxTables {
			continue
		}
		seen[at] = true
		if at < 0 || at >= len(f.b) {
			return errNoPDF
		}
		t, err := f.table(at)
		if err != nil {
			return err
		}
		for k, v := range t { // earlier tables yield to later ones
			if _, ok := f.trailer[k]; !ok {
				f.trailer[k] = v
			}
		}
		if len(f.where) > MaxObjects {
			f.err = fmt.Errorf("the PDF has more than %d objects", MaxObjects)
			return f.err
		}
		for _, k := range []name{"XRefStm", "Prev"} {
			if v, ok := t[k].(float64); ok {
				queue = append(queue, int(v))
			}
		}
	}
	return nil
}

// table reads one, in either of its forms, and returns its trailer.
func (f *file) table(at int) (dict, error) {
	l := &lexer{b: f.b, at: at, refs: true}
	o, err := l.next()
	if err != nil {
		return nil, errNoPDF
	}
	if o != word("xref") {
		return f.tableStream(at)
	}
	for {
		o, err := l.next()
		if err != nil {
			return nil, errNoPDF
		}
		if o == word("trailer") {
			break
		}
		first, ok1 := o.(float64)
		o, _ = l.next()
		count, ok2 := o.(float64)
		if !ok1 || !ok2 || count < 0 || count > MaxObjects || first < 0 || first > MaxObjects {
			return nil, errNoPDF
		}
		for k := range int(count) {
			o, err := l.next()
			if err != nil {
				return nil, errNoPDF
			}
			offset, ok := o.(float64)
			l.next() // generation
			kind, _ := l.next()
			if !ok || kind != word("n") && kind != word("f") {
				return nil, errNoPDF
			}
			n := int(first) + k
			if _, known := f.where[n]; !known && kind == word("n") {
				f.where[n] = place{at: int(offset)}
			} else if !known {
				f.where[n] = place{at: -1}
			}
		}
	}
	o, _ = l.next()
	d, ok := o.(dict)
	if !ok {
		return nil, errNoPDF
	}
	return d, nil
}

// tableStream reads a cross-reference stream (section 7.5.8).
func (f *file) tableStream(at int) (dict, error) {
	_, o, err := f.readAt(at)
	s, ok := o.(*stream)
	if err != nil || !ok || s.dict["Type"] != name("XRef") {
		return nil, errNoPDF
	}
	w, ok := numbers(s.dict["W"])
	if !ok || len(w) < 3 {
		return nil, errNoPDF
	}
	data, err := f.decode(s)
	if err != nil {
		return nil, err
	}
	index, ok := numbers(s.dict["Index"])
	if !ok {
		size, _ := s.dict["Size"].(float64)
		index = []float64{0, size}
	}
	var width [3]int
	row := 0
	for i := range width {
		if width[i] = int(w[i]); width[i] < 0 || width[i] > 8 {
			return nil, errNoPDF
		}
		row += width[i]
	}
	for i := 0; row > 0 && i+1 < len(index); i += 2 {
		for k := 0; k < int(index[i+1]) && len(data) >= row; k++ {
			v := [3]int{1, 0, 0} // a type left out is 1
			at := 0
			for c := range width {
				if width[c] > 0 {
					v[c] = 0
				}
				for range width[c] {
					v[c] = v[c]<<8 | int(data[at])
					at++
				}
			}
			data = data[row:]
			n := int(index[i]) + k
			if _, known := f.where[n]; known || n < 0 {
				continue
			}
			switch v[0] {
			case 1:
				f.where[n] = place{at: v[1]}
			case 2:
				f.where[n] = place{at: v[1], index: v[2], packed: true}
			default:
				f.where[n] = place{at: -1}
			}
		}
	}
	return s.dict, nil
}

// readAt reads the numbered object at an offset.
func (f *file) readAt(at int) (num int, o any, err error) {
	l := &lexer{b: f.b, at: at, refs: true}
	l.space()
	num, err = strconv.Atoi(string(l.regular()))
	if err != nil {
		return 0, nil, errNoPDF
	}
	l.space()
	gen, err := strconv.Atoi(string(l.regular()))
	if err != nil {
		return 0, nil, errNoPDF
	}
	if o, err = l.next(); err != nil || o != word("obj") {
		return 0, nil, errNoPDF
	}
	if o, err = l.next(); err != nil {
		return num, nil, err
	}
	if d, ok := o.(dict); ok {
		back := l.at
		if w, err := l.next(); err == nil && w == word("stream") {
			o = &stream{dict: d, raw: f.body(l, d)}
		} else {
			l.at = back
		}
	}
	if _, stray := o.(word); stray {
		o = nil
	}
	if f.lock != nil {
		o = f.lock.open(o, num, gen)
	}
	return num, o, nil
}

// body returns the bytes of a stream. A length that is wrong is mended by
// looking for the end.
func (f *file) body(l *lexer, d dict) []byte {
	at := l.at
	if at < len(f.b) && f.b[at] == '\r' {
		at++
	}
	if at < len(f.b) && f.b[at] == '\n' {
		at++
	}
	at = min(at, len(f.b))
	if n, ok := f.get(d["Length"]).(float64); ok && n >= 0 && n <= float64(len(f.b)-at) {
		end := at + int(n)
		rest := bytes.TrimLeft(f.b[end:min(end+20, len(f.b))], "\r\n\t \x00")
		if bytes.HasPrefix(rest, []byte("endstream")) || bytes.HasPrefix(rest, []byte("endobj")) {
			return f.b[at:end]
		}
	}
	i := bytes.Index(f.b[at:], []byte("endstream"))
	if i < 0 {
		if i = bytes.Index(f.b[at:], []byte("endobj")); i < 0 {
			i = len(f.b) - at
		}
	}
	body := f.b[at : at+i]
	body = bytes.TrimSuffix(body, []byte("\n"))
	return bytes.TrimSuffix(body, []byte("\r"))
}

// all lists the numbers of the objects in order.
func (f *file) all() []int {
	out := make([]int, 0, len(f.where))
	for n := range f.where {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// get follows references; what is missing or broken is nil, as null.
func (f *file) get(o any) any {
	for range maxChain {
		r, ok := o.(ref)
		if !ok {
			return o
		}
		o = f.load(r.num)
	}
	return nil
}

func (f *file) load(num int) any {
	if o, ok := f.known[num]; ok {
		return o
	}
	p, ok := f.where[num]
	if !ok || p.at < 0 || f.busy[num] || f.err != nil {
		return nil
	}
	f.busy[num] = true
	defer delete(f.busy, num)
	var o any
	if p.packed {
		f.unpack(p.at)
		if p.index < len(f.packs[p.at]) && f.numbered[p.at][p.index] == num {
			o = f.packs[p.at][p.index]
		} else if i := slices.Index(f.numbered[p.at], num); i >= 0 {
			o = f.packs[p.at][i]
		}
	} else if p.at < len(f.b) {
		n, v, err := f.readAt(p.at)
		if (err != nil || n != num) && !f.repaired {
			// The table lies: all of it is made anew, once.
			lock, known := f.lock, f.trailer
			if f.repair() == nil {
				f.lock = lock
				return f.load(num)
			}
			f.trailer = known
			return nil
		}
		if n == num {
			o = v
		}
	}
	f.known[num] = o
	return o
}

// unpack reads the objects of an object stream (section 7.5.7).
func (f *file) unpack(num int) {
	if _, ok := f.packs[num]; ok {
		return
	}
	f.packs[num] = nil
	s, ok := f.load(num).(*stream)
	if !ok {
		return
	}
	data, err := f.decode(s)
	if err != nil {
		return
	}
	n, _ := f.get(s.dict["N"]).(float64)
	first, _ := f.get(s.dict["First"]).(float64)
	l := &lexer{b: data, refs: true}
	var nums, at []int
	for range int(min(n, MaxObjects)) {
		a, _ := l.next()
		b, err := l.next()
		x, ok1 := a.(float64)
		y, ok2 := b.(float64)
		if err != nil || !ok1 || !ok2 {
			break
		}
		nums, at = append(nums, int(x)), append(at, int(first)+int(y))
	}
	for _, i := range at {
		var o any
		if i >= 0 && i < len(data) {
			l := &lexer{b: data, at: i, refs: true}
			o, _ = l.next()
		}
		f.packs[num] = append(f.packs[num], o)
	}
	f.numbered[num] = nums
}

func (f *file) dict(o any) dict {
	switch o := f.get(o).(type) {
	case dict:
		return o
	case *stream:
		return o.dict
	}
	return nil
}

func (f *file) array(o any) array { a, _ := f.get(o).(array); return a }

func (f *file) name(o any) name { n, _ := f.get(o).(name); return n }

// number returns a number, or otherwise.
func (f *file) number(o any, otherwise float64) float64 {
	if v, ok := f.get(o).(float64); ok {
		return v
	}
	return otherwise
}

// numbers returns an array of numbers; ok is false if it is none.
func (f *file) numbers(o any) (v []float64, ok bool) {
	a, ok := f.get(o).(array)
	if !ok {
		return nil, false
	}
	for _, x := range a {
		n, ok := f.get(x).(float64)
		if !ok {
			return nil, false
		}
		v = append(v, n)
	}
	return v, true
}

// numbers is the same where nothing is a reference.
func numbers(o any) ([]float64, bool) { return (&file{}).numbers(o) }
