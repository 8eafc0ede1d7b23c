package blocks

import (
	"errors"
	"math"
	mathbits "math/bits"
	"slices"

	"dyekit/core/t81"
)

// Blend moves the samples of a block by delta, row by row, and rounds what comes
// of it to the steps of its own table. Numbers of coefficients that delta does not
// touch stay as they are.
func (f *File) Blend(c, bx, by int, delta *[64]float64) {
	p := &f.Components[c]
	f.dirty[by/p.V] = true
	t81.Forward(delta)
	for i, v := range p.Coef[64*(by*p.BW+bx):][:64] {
		// The largest numbers of 8-bit files (T.81 F.1.2.1 and F.1.2.2).
		low, high := -1023.0, 1023.0
		if i == 0 {
			low = -1024
		}
		q := math.Round(float64(v) + delta[t81.Zigzag[i]]/float64(p.Quant[i]))
		p.Coef[64*(by*p.BW+bx)+i] = int16(min(high, max(low, q)))
	}
	p.set[by*p.BW+bx] = nonzero(p.Coef[64*(by*p.BW+bx):])
}

// errNoCode is returned where a table has no code for what is to be written.
var errNoCode = errors.New("no code")

// Bytes writes the photograph. A file that is not progressive is coded by its own
// Huffman tables as long as they have codes for all; otherwise by the best ones. A
// progressive file stays progressive, in scans of its own.
func (f *File) Bytes() []byte {
	if !f.Progressive {
		if f.count == nil || f.hasCodes() {
			if out, err := f.sequential(false); err == nil {
				return out
			}
		}
		out, err := f.sequential(true)
		if err != nil {
			panic(err) // best tables have codes for all that they were made for
		}
		return out
	}
	out := []byte{0xff, mSOI}
	done := false
	for _, s := range f.Segments {
		switch {
		case s.Marker == mDHT || s.Marker == mDRI:
		case s.scan == nil:
			out = segment(out, s.Marker, s.Body)
		case !done:
			done = true
			out = f.progressive(out)
		}
	}
	return append(out, 0xff, mEOI)
}

// segment writes a marker with its body.
func segment(out []byte, marker byte, body []byte) []byte {
	n := len(body) + 2
	out = append(out, 0xff, marker, byte(n>>8), byte(n))
	return append(out, body...)
}

func (f *File) sequential(best bool) ([]byte, error) {
	size := 0
	for _, c := range f.Components {
		size += len(c.Coef)
	}
	out := append(make([]byte, 0, max(size/8, len(f.coded)+len(f.coded)/8)), 0xff, mSOI)
	for _, s := range f.Segments {
		switch {
		case best && s.Marker == mDHT:
		case s.scan == nil:
			out = segment(out, s.Marker, s.Body)
		default:
			n := *s.scan
			if best {
				w := writer{count: new(counts)}
				if f.count != nil {
					*w.count = *f.count
				}
				if err := f.counted(&w, &n); err != nil {
					return nil, err
				}
				out = w.count.tables(out, &n.tables)
			}
			out = segment(out, mSOS, s.Body)
			w := writer{out: out, tables: n.tables}
			write := f.blocks
			if f.rows != nil && !best {
				write = f.patch
			}
			if err := write(&w, &n); err != nil {
				return nil, err
			}
			out = w.out
		}
	}
	return append(out, 0xff, mEOI), nil
}

// patch writes the rows that were blended anew, and those behind them, which lean
// on their last means; all others are copied bit by bit.
func (f *File) patch(w *writer, s *scan) error {
	for y := 0; y < s.tall; {
		end := y
		for end < s.tall && !f.dirty[end] && (end == 0 || !f.dirty[end-1]) {
			end++
		}
		if end > y {
			w.copy(f.coded, f.rows[y], f.rows[end])
			y = end
			continue
		}
		if err := f.rowsOf(w, s, y, y+1); err != nil {
			return err
		}
		y++
	}
	w.flush()
	return nil
}

// hasCodes reports whether the tables of a plain scan have codes for all that was
// blended.
func (f *File) hasCodes() bool {
	i := slices.IndexFunc(f.Segments, func(s Segment) bool { return s.scan != nil })
	w := writer{count: new(counts)}
	must(f.changed(&w, f.Segments[i].scan))
	for class := range w.count {
		for t := range w.count[class] {
			for v, n := range w.count[class][t] {
				if n > 0 && f.Segments[i].scan.tables[class][t].codes[v].N == 0 {
					return false
				}
			}
		}
	}
	return true
}

// counted counts what a scan will be written by. What was counted when it was read
// still holds but for the rows that were blended, which come on top, and for the
// means, which are few.
func (f *File) counted(w *writer, s *scan) error {
	if f.count == nil {
		return f.blocks(w, s)
	}
	return f.changed(w, s)
}

// changed writes the rows that were blended, and those behind them.
func (f *File) changed(w *writer, s *scan) error {
	for y := range s.tall {
		if f.dirty[y] || y > 0 && f.dirty[y-1] {
			if err := f.rowsOf(w, s, y, y+1); err != nil {
				return err
			}
		}
	}
	return nil
}

// copy writes the bits of coded data between two places.
func (w *writer) copy(b []byte, from, to place) {
	at := from.at
	if from.skip > 0 && (at < to.at || to.skip > 0) {
		n := 8
		if at == to.at {
			n = to.skip
		}
		w.bits(uint32(b[at])>>(8-n)&(1<<(n-from.skip)-1), n-from.skip)
		if at == to.at {
			return
		}
		at = behind(b, at)
	}
	for at < to.at {
		w.bits(uint32(b[at]), 8)
		at = behind(b, at)
	}
	if to.skip > 0 {
		w.bits(uint32(b[at])>>(8-to.skip), to.skip)
	}
}

// behind is where the byte after that at a place is (F.1.2.3).
func behind(b []byte, at int) int {
	if b[at] == 0xff {
		return at + 2
	}
	return at + 1
}

// blocks writes the blocks of a sequential scan, or those of a band of a
// progressive one.
func (f *File) blocks(w *writer, s *scan) error {
	err := f.rowsOf(w, s, 0, s.tall)
	w.flush()
	return err
}

// rowsOf writes the blocks of the rows of MCUs from y0 to before y1.
func (f *File) rowsOf(w *writer, s *scan, y0, y1 int) error {
	var prev [4]int
	if y0 > 0 {
		for i, p := range s.parts { // the last block of the row above
			c := &f.Components[p.c]
			prev[i] = int(c.Coef[64*(y0*c.V*c.BW-1)])
		}
	}
	last := -1
	return f.each(s, y0, y1, func(i, at, mcu int) error {
		if mcu != last {
			last = mcu
			if s.interval > 0 && mcu > 0 && mcu%s.interval == 0 {
				w.flush()
				if w.count == nil {
					w.out = append(w.out, 0xff, 0xd0+byte(mcu/s.interval-1)&7)
				}
				prev = [4]int{}
			}
		}
		p := s.parts[i]
		set := f.Components[p.c].set[at/64]
		c := f.Components[p.c].Coef[at : at+64 : at+64]
		k := s.from
		if k == 0 {
			v := int(c[0])
			size, bits := t81.Magnitude(v - prev[i])
			w.put(0, p.dc, size, bits, size)
			prev[i] = v
			k++
		}
		switch {
		case s.to == 0:
		case w.count == nil && s.from == 0:
			w.quick(s.tables[1][p.ac], c, set&^1)
		default:
			w.band(p.ac, c, set, k, s.to, s.from > 0)
		}
		return w.err
	})
}

// A writer codes values, or counts them if count is not nil.
type writer struct {
	out    []byte
	tables [2][4]*table
	count  *counts
	err    error

	acc   uint64
	n     int
	blank int // blocks of an end-of-band run that is not written yet
	run   int // its table
}

// mostBlank is the longest end-of-band run (T.81 G.1.2.2).
const mostBlank = 1<<15 - 1

// quick is band for the whole of a sequential block, where most time goes.
func (w *writer) quick(t *table, c []int16, set uint64) {
	acc, n, last := w.acc, w.n, 0
	for set != 0 {
		k := mathbits.TrailingZeros64(set) & 63
		set &= set - 1
		empty := k - last - 1
		last = k
		v := int(c[k])
		sign := v >> 63 // all ones below 0
		size := mathbits.Len32(uint32((v ^ sign) - sign))
		for {
			code := t.codes[0xf0]
			if empty < 16 {
				code = t.codes[(empty<<4|size)&0xff]
			}
			if code.N == 0 {
				w.err = errNoCode
				return
			}
			acc, n = acc<<(code.N&31)|uint64(code.Bits), n+int(code.N)
			if empty < 16 {
				break
			}
			empty -= 16
			w.acc, w.n = acc, n
			w.word()
			acc, n = w.acc, w.n
		}
		acc, n = acc<<(size&31)|uint64(v+sign)&(1<<(size&31)-1), n+size
		if n >= 32 {
			w.acc, w.n = acc, n
			w.word()
			acc, n = w.acc, w.n
		}
	}
	w.acc, w.n = acc, n
	if last < 63 {
		end := t.codes[0]
		if end.N == 0 {
			w.err = errNoCode
			return
		}
		w.bits(end.Bits, int(end.N))
	}
}

// band writes the coefficients from k to to, of which those of set are not 0. runs
// joins blocks with nothing more, as progressive files do.
func (w *writer) band(t int, c []int16, set uint64, k, to int, runs bool) {
	set = set >> k << k
	if to < 63 {
		set &= 1<<(to+1) - 1
	}
	last := k - 1
	if set != 0 && w.blank > 0 {
		w.endRun()
	}
	for set != 0 {
		k := mathbits.TrailingZeros64(set)
		set &= set - 1
		empty := k - last - 1
		last = k
		for ; empty > 15; empty -= 16 {
			w.put(1, t, 0xf0, 0, 0)
		}
		size, bits := t81.Magnitude(int(c[k]))
		w.put(1, t, empty<<4|size, bits, size)
	}
	switch {
	case last == to:
	case !runs:
		w.put(1, t, 0, 0, 0)
	default:
		w.run = t
		if w.blank++; w.blank == mostBlank {
			w.endRun()
		}
	}
}

func (w *writer) endRun() {
	n := 0
	for w.blank>>(n+1) > 0 {
		n++
	}
	b := w.blank
	w.blank = 0
	w.put(1, w.run, n<<4, uint32(b)&(1<<n-1), n)
}

// put writes a value by its table, with n bits behind it.
func (w *writer) put(class, t, value int, extra uint32, n int) {
	if w.count != nil {
		w.count[class][t][value]++
		return
	}
	var c t81.Code
	if t := w.tables[class][t]; t != nil {
		c = t.codes[value]
	}
	if c.N == 0 {
		w.err = errNoCode
		return
	}
	w.bits(c.Bits<<n|extra, int(c.N)+n)
}

func (w *writer) bits(v uint32, n int) {
	w.acc = w.acc<<n | uint64(v)
	w.n += n
	w.word()
}

// word writes the next 32 bits, if there are so many.
func (w *writer) word() {
	if w.n < 32 {
		return
	}
	w.n -= 32
	q := uint32(w.acc >> w.n)
	if u := ^q; (u-0x01010101)&q&0x80808080 == 0 { // no byte of all ones
		w.out = append(w.out, byte(q>>24), byte(q>>16), byte(q>>8), byte(q))
		return
	}
	w.n += 32
	w.drain()
}

// drain writes all whole bytes.
func (w *writer) drain() {
	for w.n >= 8 {
		w.n -= 8
		b := byte(w.acc >> w.n)
		w.out = append(w.out, b)
		if b == 0xff {
			w.out = append(w.out, 0)
		}
	}
}

// flush ends a run and fills the last byte with ones (F.1.2.3).
func (w *writer) flush() {
	if w.blank > 0 {
		w.endRun()
	}
	w.drain()
	if w.count == nil && w.n > 0 {
		w.bits(1<<(8-w.n)-1, 8-w.n)
		w.drain()
	}
	w.acc, w.n = 0, 0
}

// progressive writes the scans of a progressive file: the means of all, then two
// bands of each component.
func (f *File) progressive(out []byte) []byte {
	var scans []scan
	whole := scan{wide: up(f.W, 8*f.hmax), tall: up(f.H, 8*f.vmax)}
	in := 0
	for i := range f.Components {
		c := &f.Components[i]
		in += c.H * c.V
		whole.parts = append(whole.parts, part{c: i, dc: min(i, 1)})
	}
	one := func(i, from, to int) {
		c := &f.Components[i]
		scans = append(scans, scan{parts: []part{{c: i, dc: min(i, 1)}}, from: from, to: to, single: true,
			wide: up(up(f.W*c.H, f.hmax), 8), tall: up(up(f.H*c.V, f.vmax), 8)})
	}
	const mostInMCU = 10 // T.81 B.2.3
	if len(f.Components) > 1 && in <= mostInMCU {
		scans = append(scans, whole)
	} else {
		for i := range f.Components {
			one(i, 0, 0)
		}
	}
	for _, band := range [][2]int{{1, 5}, {6, 63}} {
		for i := range f.Components {
			one(i, band[0], band[1])
		}
	}
	for i := range scans {
		s := &scans[i]
		w := writer{count: new(counts)}
		must(f.blocks(&w, s))
		out = w.count.tables(out, &s.tables)
		body := []byte{byte(len(s.parts))}
		for _, p := range s.parts {
			body = append(body, f.Components[p.c].ID, byte(p.dc<<4|p.ac))
		}
		out = segment(out, mSOS, append(body, byte(s.from), byte(s.to), 0))
		w = writer{out: out, tables: s.tables}
		must(f.blocks(&w, s))
		out = w.out
	}
	return out
}

func must(err error) {
	if err != nil {
		panic(err) // best tables have codes for all that they were made for
	}
}
