package png

import (
	"sync"

	"dyekit/core/flat"
)

// Lines keeps the compressed lines of pictures that were inked from one (see
// flat.Picture.Inked) for the others: in a palette in order of opacity they differ
// in the palette alone. The zero value is empty; it may be used from several
// goroutines.
type Lines struct {
	mu    sync.Mutex
	known map[linesKey]func() []byte
}

type linesKey struct {
	of               *flat.Picture
	depth            int
	interlace, quick bool
}

// get returns the lines of a key: those that are known, or else what compress returns.
func (l *Lines) get(key linesKey, compress func() []byte) []byte {
	l.mu.Lock()
	f, ok := l.known[key]
	if !ok {
		f = sync.OnceValue(compress)
		if l.known == nil {
			l.known = map[linesKey]func() []byte{}
		}
		l.known[key] = f
	}
	l.mu.Unlock()
	return f()
}

// body is the zlib stream of the picture's lines.
func (f *facts) body(kind, depth int, o Options) []byte {
	deflate := func() []byte { return f.rows(kind, depth, o.Interlace).deflate(o.Quick) }
	if o.Lines == nil || kind != palette || f.pic == nil || f.pic.Of == nil || !f.oneInk() {
		return deflate()
	}
	return o.Lines.get(linesKey{f.pic.Of, depth, o.Interlace, o.Quick}, deflate)
}

// oneInk reports whether all that is seen has one colour: then opacity alone gives
// the order of the palette.
func (f *facts) oneInk() bool {
	first := -1
	for i, c := range f.colors {
		switch {
		case c&0xff == 0:
		case first < 0:
			first = i
		case c>>8 != f.colors[first]>>8:
			return false
		}
	}
	return first >= 0
}
