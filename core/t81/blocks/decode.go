package blocks

import (
	"encoding/binary"
	"errors"

	"dyekit/core/t81"
)

var errBadTable = errors.New("a Huffman table is damaged")

// A table is a Huffman table, to read by and to write by.
type table struct {
	codes [256]t81.Code
	short [1 << shortBits]uint16 // length and value of what begins so, or 0
	// quick is, of codes that fit into so few bits with the number behind them: the
	// number, how many 0 come before it, the category, and how many bits in all.
	quick [1 << quickBits]quick
	// Of longer codes: the largest of each length, and where its values begin.
	most   [18]int32
	first  [17]int32
	values []byte
}

const shortBits, quickBits = 9, 11

type quick struct {
	v            int16
	run, size, n uint8
}

func newTable(counts [16]byte, values []byte) (*table, error) {
	t := &table{values: values}
	code, k := int32(0), int32(0)
	for n := 1; n <= 16; n++ {
		t.first[n] = k - code
		count := int32(counts[n-1])
		if code+count > 1<<n {
			return nil, errBadTable
		}
		code, k = code+count, k+count
		t.most[n] = -1
		if count > 0 {
			t.most[n] = code - 1
		}
		code <<= 1
	}
	t.most[17] = 1<<31 - 1
	t.codes = t81.Codes(&counts, values)
	for v, c := range t.codes {
		if c.N > 0 && c.N <= shortBits {
			for i := range 1 << (shortBits - c.N) {
				t.short[int(c.Bits)<<(shortBits-c.N)+i] = uint16(c.N)<<8 | uint16(v)
			}
		}
	}
	for i := range t.quick {
		s := t.short[i>>(quickBits-shortBits)]
		n, run, size := int(s>>8), uint8(s)>>4, uint8(s)&15
		if s == 0 || size == 0 || n+int(size) > quickBits {
			continue
		}
		b := bits{acc: uint64(i) << (64 - quickBits), n: 64}
		b.skip(n)
		t.quick[i] = quick{int16(b.extra(int(size))), run, size, uint8(n) + size}
	}
	return t, nil
}

// bits reads the coded data of a scan, up to the next marker.
type bits struct {
	b    []byte
	at   int
	acc  uint64 // the next bits, from the top
	n    int    // how many
	over int    // bits that are not there and were made up
}

func (r *bits) fill() {
	for r.n <= 56 {
		if r.at+8 <= len(r.b) {
			w := binary.BigEndian.Uint64(r.b[r.at:])
			// No byte of all ones, behind which others are hidden (F.1.2.3).
			if v := ^w; (v-0x0101010101010101)&w&0x8080808080808080 == 0 {
				r.acc |= w >> r.n
				k := (64 - r.n) >> 3
				r.at, r.n = r.at+k, r.n+8*k
				return
			}
		}
		c := byte(0)
		switch {
		case r.at >= len(r.b):
			r.over += 8
		case r.b[r.at] != 0xff:
			c = r.b[r.at]
			r.at++
		case r.at+1 < len(r.b) && r.b[r.at+1] == 0:
			c = 0xff
			r.at += 2
		default: // a marker
			r.over += 8
		}
		r.acc |= uint64(c) << (56 - r.n)
		r.n += 8
	}
}

// here is the place of the next bit.
func (r *bits) here() place {
	at, n := r.at, r.n-r.over
	for ; n > 0; n -= 8 {
		at--
		if at > 0 && r.b[at] == 0 && r.b[at-1] == 0xff {
			at--
		}
	}
	return place{at, -n}
}

// ended reports whether more was read than there is.
func (r *bits) ended() bool { return r.over > r.n }

func (r *bits) skip(n int) {
	r.acc <<= n
	r.n -= n
}

// symbol reads a value by a table; -1 if there is no such code.
func (r *bits) symbol(t *table) int {
	if r.n < 32 {
		r.fill()
	}
	if s := t.short[r.acc>>(64-shortBits)]; s != 0 {
		r.skip(int(s >> 8))
		return int(s & 0xff)
	}
	n := shortBits + 1
	for n < 17 && int32(r.acc>>(64-n)) > t.most[n] {
		n++
	}
	if n > 16 {
		return -1
	}
	v := int32(r.acc>>(64-n)) + t.first[n]
	r.skip(n)
	if v < 0 || int(v) >= len(t.values) {
		return -1
	}
	return int(t.values[v])
}

// extra reads n bits as a number of that category (T.81 F.2.2.1). There are at
// least 16 behind a symbol.
func (r *bits) extra(n int) int {
	if n == 0 {
		return 0
	}
	v := int(r.acc >> (64 - n))
	r.skip(n)
	if v < 1<<(n-1) {
		v += -1<<n + 1
	}
	return v
}

func (r *bits) one() int {
	if r.n < 1 {
		r.fill()
	}
	v := int(r.acc >> 63)
	r.skip(1)
	return v
}

func (r *bits) many(n int) int {
	if n == 0 {
		return 0
	}
	if r.n < n {
		r.fill()
	}
	v := int(r.acc >> (64 - n))
	r.skip(n)
	return v
}

// marker goes on behind the next restart marker.
func (r *bits) marker(want byte) error {
	at := r.at
	for at+1 < len(r.b) && !(r.b[at] == 0xff && r.b[at+1] != 0 && r.b[at+1] != 0xff) {
		at++
	}
	if at+1 >= len(r.b) || r.b[at+1] != want {
		return errors.New("a restart marker is missing")
	}
	*r = bits{b: r.b, at: at + 2}
	return nil
}

var errCoefficients = errors.New("its coded data are damaged")

// coefficients reads what a scan says of the blocks.
func (r *reader) coefficients(s *scan) error {
	plain := !r.Progressive && s.interval == 0 && r.scans == 1 && len(s.parts) == len(r.Components)
	if r.visit != nil && !plain {
		return errors.New("it is coded in several scans, or with restarts")
	}
	d := decoder{bits: bits{b: r.data, at: r.at}, s: s, count: new(counts)}
	block := d.sequential
	switch {
	case !r.Progressive:
	case s.from == 0 && s.high == 0:
		block = d.firstDC
	case s.from == 0:
		block = d.nextDC
	case s.high == 0:
		block = d.firstAC
	default:
		block = d.nextAC
	}
	last := -1
	err := r.each(s, 0, s.tall, func(i, at, mcu int) error {
		if mcu != last {
			last = mcu
			if r.visit == nil && plain && mcu%s.wide == 0 {
				r.rows = append(r.rows, d.here())
			}
			if d.ended() {
				return errShort
			}
			if s.interval > 0 && mcu > 0 && mcu%s.interval == 0 {
				if err := d.marker(0xd0 + byte(mcu/s.interval-1)&7); err != nil {
					return err
				}
				d.prev, d.blank = [4]int{}, 0
			}
		}
		p := s.parts[i]
		c := &r.Components[p.c]
		if r.visit != nil {
			d.block = [64]int16{}
			if err := d.sequential(i, d.block[:], s.tables[0][p.dc], s.tables[1][p.ac]); err != nil {
				return err
			}
			return r.visit(r.File, p.c, at/64%c.BW, at/64/c.BW, &d.block, d.set)
		}
		err := block(i, c.Coef[at:at+64:at+64], s.tables[0][p.dc], s.tables[1][p.ac])
		c.set[at/64] = d.set
		return err
	})
	if err != nil {
		return err
	}
	if d.ended() {
		return errShort
	}
	if plain && r.visit == nil {
		r.coded, r.count, r.rows = r.data, d.count, append(r.rows, d.here())
	}
	// The next marker, behind what fills the last byte.
	for r.at = d.at - d.n/8; r.at+1 < len(r.data); r.at++ {
		if m := r.data[r.at+1]; r.data[r.at] == 0xff && m != 0 && m != 0xff && (m < 0xd0 || m > 0xd7) {
			return nil
		}
	}
	return errShort
}

// A decoder holds what goes from one block of a scan to the next.
type decoder struct {
	bits
	s     *scan
	prev  [4]int    // DC, by part
	blank int       // blocks that have nothing more, of an end-of-band run
	set   uint64    // which coefficients of a sequential block are not 0
	block [64]int16 // that which is visited
	count *counts
}

func (d *decoder) dc(i int, t *table) (int, error) {
	n := d.symbol(t)
	if n < 0 || n > 15 {
		return 0, errCoefficients
	}
	d.count[0][d.s.parts[i].dc][n]++
	d.prev[i] += d.extra(n)
	if v := d.prev[i]; v < -1<<15 || v >= 1<<15 {
		return 0, errCoefficients
	}
	return d.prev[i], nil
}

func (d *decoder) sequential(i int, c []int16, dc, ac *table) error {
	v, err := d.dc(i, dc)
	if err != nil {
		return err
	}
	c[0], d.set = int16(v), 1
	if v == 0 {
		d.set = 0
	}
	count := &d.count[1][d.s.parts[i].ac]
	for k := 1; k < 64; k++ {
		if d.n < 32 {
			d.fill()
		}
		if q := &ac.quick[d.acc>>(64-quickBits)]; q.n != 0 {
			if k += int(q.run); k > 63 {
				return errCoefficients
			}
			d.skip(int(q.n))
			c[k] = q.v
			d.set |= 1 << k
			count[q.run<<4|q.size]++
			continue
		}
		s := d.symbol(ac)
		if s < 0 {
			return errCoefficients
		}
		count[s]++
		n := s & 15
		if n == 0 {
			if s != 0xf0 {
				return nil
			}
			k += 15
			continue
		}
		if k += s >> 4; k > 63 {
			return errCoefficients
		}
		c[k] = int16(d.extra(n))
		d.set |= 1 << k
	}
	return nil
}

// The passes of progressive files: T.81 G.1.2 and G.2.

func (d *decoder) firstDC(i int, c []int16, dc, _ *table) error {
	v, err := d.dc(i, dc)
	c[0] = int16(v << d.s.low)
	return err
}

func (d *decoder) nextDC(_ int, c []int16, _, _ *table) error {
	c[0] |= int16(d.one() << d.s.low)
	return nil
}

func (d *decoder) firstAC(_ int, c []int16, _, ac *table) error {
	if d.blank > 0 {
		d.blank--
		return nil
	}
	for k := d.s.from; k <= d.s.to; k++ {
		s := d.symbol(ac)
		if s < 0 {
			return errCoefficients
		}
		run, n := s>>4, s&15
		switch {
		case n > 0:
			if k += run; k > d.s.to {
				return errCoefficients
			}
			c[k] = int16(d.extra(n) << d.s.low)
		case run == 15:
			k += 15
		default:
			d.blank = 1<<run - 1 + d.many(run)
			return nil
		}
	}
	return nil
}

func (d *decoder) nextAC(_ int, c []int16, _, ac *table) error {
	step := int16(1) << d.s.low
	k := d.s.from
	// correct reads a bit for a number that is not 0 yet lacks its next bit.
	correct := func(v *int16) {
		if d.one() == 1 && *v&step == 0 {
			if *v > 0 {
				*v += step
			} else {
				*v -= step
			}
		}
	}
	for d.blank == 0 && k <= d.s.to {
		s := d.symbol(ac)
		if s < 0 {
			return errCoefficients
		}
		run, n := s>>4, s&15
		var v int16
		switch {
		case n == 1:
			v = -step
			if d.one() == 1 {
				v = step
			}
		case n > 1:
			return errCoefficients
		case run < 15:
			d.blank = 1<<run + d.many(run)
		}
		if d.blank > 0 {
			break
		}
		for ; k <= d.s.to; k++ {
			if c[k] != 0 {
				correct(&c[k])
				continue
			}
			if run == 0 {
				c[k] = v
				k++
				break
			}
			run--
		}
	}
	if d.blank > 0 {
		for ; k <= d.s.to; k++ {
			if c[k] != 0 {
				correct(&c[k])
			}
		}
		d.blank--
	}
	return nil
}
