// Package blocks takes a JPEG photograph (ITU-T T.81) apart into its blocks of
// coefficients and writes it again: what is not changed comes out as it went in,
// number for number, whatever else is changed. Nothing is drawn here. A file that
// was made of art is held to it by its blocks, too (Visit).
package blocks

import (
	"encoding/binary"
	"errors"
	"fmt"

	"dyekit/core/t81"
)

// Limits of a photograph.
const (
	MaxPixels = 120_000_000
	maxScans  = 200 // usual progressive files have about ten
)

// A File is a photograph taken apart.
type File struct {
	W, H        int // px, as stored
	Progressive bool
	Components  []Component
	// Adobe is the colour transform of the Adobe marker (0 none, 1 YCbCr, 2 YCCK),
	// or -1 if there is no such marker.
	Adobe int
	// Segments are the markers in their order, from behind SOI to before EOI.
	Segments []Segment
	// Behind is how many bytes follow the end of the picture; they are not kept.
	Behind int

	restart int // MCUs between restarts; 0 for none
	hmax    int
	vmax    int

	// Of a photograph that is coded in one plain scan: what it was read from,
	// where each row of MCUs begins and the last one ends, and which rows were
	// blended. What was not is copied.
	coded []byte
	rows  []place
	dirty []bool
	count *counts // of what it was read by
}

// A place is that of a bit in coded data.
type place struct {
	at   int // the byte
	skip int // of its bits
}

// A Component is one of the planes of a photograph.
type Component struct {
	ID    byte
	H, V  int // sampling factors, 1 to 4
	BW    int // blocks in a row of Coef, those that only fill the last MCU included
	BH    int // rows of blocks
	Quant [64]int32
	// Coef holds 64 numbers for each block, in zigzag order, not multiplied by
	// Quant.
	Coef []int16
	// set tells, of each block, which of its coefficients are not 0, the first of
	// them in the lowest bit.
	set []uint64

	table int  // its quantisation table
	known bool // Quant is set
}

// A Segment is a marker with what follows it.
type Segment struct {
	Marker byte
	Body   []byte // without the length
	scan   *scan  // of SOS
}

// A scan is how a pass over the blocks is coded.
type scan struct {
	parts      []part
	from, to   int // of the coefficients: 0 to 63
	high, low  int // successive approximation
	tables     [2][4]*table
	interval   int
	wide, tall int // MCUs, or blocks of the one component
	single     bool
}

type part struct {
	c      int // component
	dc, ac int // tables
}

// Markers.
const (
	mSOF0, mSOF1, mSOF2 = 0xc0, 0xc1, 0xc2
	mDHT                = 0xc4
	mSOI, mEOI          = 0xd8, 0xd9
	mSOS, mDQT          = 0xda, 0xdb
	mDNL, mDRI          = 0xdc, 0xdd
	// APP1 holds EXIF and XMP, APP2 profiles and indexes of further pictures.
	APP0, APP1, APP2, APP14 = 0xe0, 0xe1, 0xe2, 0xee
)

var errShort = errors.New("its data end too early")

// Read takes a photograph apart. Errors say what is wrong with it.
func Read(data []byte) (*File, error) {
	return read(data, nil)
}

// A Visitor is called with each block as it is read: that of column x and row y of
// component c, its 64 numbers in zigzag order, not multiplied by Quant, and which of
// them are not 0, the first in the lowest bit. The numbers are valid during the call.
type Visitor func(f *File, c, x, y int, b *[64]int16, set uint64) error

// Visit reads a file of one plain scan and keeps no block of it: others it refuses.
func Visit(data []byte, visit Visitor) (*File, error) {
	return read(data, visit)
}

func read(data []byte, visit Visitor) (*File, error) {
	if len(data) < 4 || data[0] != 0xff || data[1] != mSOI {
		return nil, errors.New("it is no JPEG")
	}
	r := &reader{File: &File{Adobe: -1}, data: data, at: 2, visit: visit}
	if err := r.segments(); err != nil {
		return nil, err
	}
	return r.File, nil
}

type reader struct {
	*File
	visit  Visitor // or nil, to keep the blocks
	data   []byte
	at     int
	quant  [4]*[64]int32
	tables [2][4]*table // dc and ac
	scans  int
}

// next reads a marker and its body.
func (r *reader) next() (marker byte, body []byte, err error) {
	for {
		if r.at+2 > len(r.data) {
			return 0, nil, errShort
		}
		if r.data[r.at] != 0xff {
			return 0, nil, fmt.Errorf("there is no marker where one is due, at byte %d", r.at)
		}
		marker = r.data[r.at+1]
		if marker == 0xff { // fill
			r.at++
			continue
		}
		r.at += 2
		if marker == mEOI {
			return marker, nil, nil
		}
		break
	}
	if r.at+2 > len(r.data) {
		return 0, nil, errShort
	}
	n := int(binary.BigEndian.Uint16(r.data[r.at:]))
	if n < 2 || n > len(r.data)-r.at {
		return 0, nil, errShort
	}
	body = r.data[r.at+2 : r.at+n]
	r.at += n
	return marker, body, nil
}

func (r *reader) segments() error {
	for {
		m, body, err := r.next()
		if err != nil {
			return err
		}
		s := Segment{Marker: m, Body: body}
		switch {
		case m == mEOI:
			if r.scans == 0 {
				return errors.New("it holds no picture")
			}
			r.Behind = len(r.data) - r.at
			if r.Progressive { // others are told of while they are read
				for i := range r.Components {
					r.Components[i].look()
				}
			}
			return nil
		case m == mSOF0 || m == mSOF1 || m == mSOF2:
			err = r.frame(m, body)
		case m == mDQT:
			err = r.quantisers(body)
		case m == mDHT:
			err = r.huffman(body)
		case m == mDRI:
			if len(body) != 2 {
				return errors.New("its restart interval is damaged")
			}
			r.restart = int(binary.BigEndian.Uint16(body))
		case m == APP14 && len(body) >= 12 && string(body[:5]) == "Adobe":
			r.Adobe = int(body[11])
		case m == mSOS:
			s.scan, err = r.scan(body)
		case m == mDNL:
			err = errors.New("it tells its height only in the end")
		case m >= 0xc3 && m <= 0xcf && m != 0xc8 && m != 0xcc || m == 0xcc:
			err = errors.New("it is coded in a rare way (lossless, hierarchical or arithmetic)")
		case m < 0xc0 || m >= 0xd0 && m <= mSOI:
			err = fmt.Errorf("there is a marker of no meaning, at byte %d", r.at)
		}
		if err != nil {
			return err
		}
		r.Segments = append(r.Segments, s)
	}
}

// frame reads SOF (T.81 B.2.2).
func (r *reader) frame(m byte, b []byte) error {
	switch {
	case r.Components != nil:
		return errors.New("it holds two frames")
	case len(b) < 6 || len(b) != 6+3*int(b[5]):
		return errors.New("its frame is damaged")
	case b[0] != 8:
		return fmt.Errorf("it has %d bits a sample; 8 can be read", b[0])
	}
	r.Progressive = m == mSOF2
	r.H, r.W = int(binary.BigEndian.Uint16(b[1:])), int(binary.BigEndian.Uint16(b[3:]))
	n := int(b[5])
	if r.W == 0 || r.H == 0 {
		return errors.New("it tells no size")
	}
	if r.W > MaxPixels/r.H {
		return fmt.Errorf("it has %d × %d px, more than %d megapixels", r.W, r.H, MaxPixels/1_000_000)
	}
	if n != 1 && n != 3 && n != 4 {
		return fmt.Errorf("it has %d components; 1, 3 or 4 can be read", n)
	}
	r.hmax, r.vmax = 1, 1
	cs := make([]Component, n)
	for i := range cs {
		c := &cs[i]
		c.ID, c.H, c.V, c.table = b[6+3*i], int(b[7+3*i]>>4), int(b[7+3*i]&15), int(b[8+3*i])
		if c.H < 1 || c.H > 4 || c.V < 1 || c.V > 4 || c.table > 3 {
			return errors.New("its frame is damaged")
		}
		r.hmax, r.vmax = max(r.hmax, c.H), max(r.vmax, c.V)
	}
	if n == 1 { // the factors of a single component say nothing (A.2.2)
		cs[0].H, cs[0].V, r.hmax, r.vmax = 1, 1, 1, 1
	}
	blocks := 0
	for i := range cs {
		c := &cs[i]
		c.BW, c.BH = up(r.W, 8*r.hmax)*c.H, up(r.H, 8*r.vmax)*c.V
		blocks += c.BW * c.BH
	}
	// A block takes a bit at the least: a small file does not hold a large picture.
	if blocks > 8*len(r.data) {
		return errShort
	}
	r.Components = cs
	if r.visit != nil {
		return nil
	}
	for i := range cs {
		cs[i].Coef = make([]int16, 64*cs[i].BW*cs[i].BH)
		cs[i].set = make([]uint64, cs[i].BW*cs[i].BH)
	}
	r.dirty = make([]bool, up(r.H, 8*r.vmax))
	return nil
}

// up is a/b, rounded up.
func up(a, b int) int { return (a + b - 1) / b }

func (r *reader) quantisers(b []byte) error {
	for len(b) > 0 {
		wide, n := int(b[0]>>4), int(b[0]&15)
		if wide > 1 || n > 3 || len(b) < 65+64*wide {
			return errors.New("a quantisation table is damaged")
		}
		q := new([64]int32)
		for i := range q {
			if wide == 1 {
				q[i] = int32(binary.BigEndian.Uint16(b[1+2*i:]))
			} else {
				q[i] = int32(b[1+i])
			}
			if q[i] == 0 {
				return errors.New("a quantisation table is damaged")
			}
		}
		r.quant[n] = q
		b = b[65+64*wide:]
	}
	return nil
}

func (r *reader) huffman(b []byte) error {
	for len(b) > 0 {
		class, n := b[0]>>4, b[0]&15
		if class > 1 || n > 3 || len(b) < 17 {
			return errBadTable
		}
		total := 0
		for _, k := range b[1:17] {
			total += int(k)
		}
		if total > 256 || len(b) < 17+total {
			return errBadTable
		}
		t, err := newTable([16]byte(b[1:17]), b[17:17+total])
		if err != nil {
			return err
		}
		r.tables[class][n] = t
		b = b[17+total:]
	}
	return nil
}

// scan reads SOS (T.81 B.2.3) and the coefficients behind it.
func (r *reader) scan(b []byte) (*scan, error) {
	bad := errors.New("a scan is damaged")
	if r.scans++; r.scans > maxScans {
		return nil, fmt.Errorf("it has more than %d scans", maxScans)
	}
	if r.Components == nil || len(b) < 1 || b[0] < 1 || b[0] > 4 || len(b) != 4+2*int(b[0]) {
		return nil, bad
	}
	n := int(b[0])
	s := &scan{single: n == 1, tables: r.tables, interval: r.restart}
	s.from, s.to, s.high, s.low = int(b[1+2*n]), int(b[2+2*n]), int(b[3+2*n]>>4), int(b[3+2*n]&15)
	if !r.Progressive {
		s.from, s.to, s.high, s.low = 0, 63, 0, 0
	}
	switch {
	case s.from > s.to || s.to > 63 || s.low > 13 || s.high != 0 && s.high != s.low+1:
		return nil, bad
	case r.Progressive && (s.from == 0) != (s.to == 0), s.from > 0 && n > 1:
		return nil, bad
	}
	for i := range n {
		p := part{c: -1, dc: int(b[2+2*i] >> 4), ac: int(b[2+2*i] & 15)}
		for k := range r.Components {
			if r.Components[k].ID == b[1+2*i] {
				p.c = k
			}
		}
		for _, q := range s.parts {
			if q.c == p.c {
				return nil, bad
			}
		}
		if p.c < 0 || p.dc > 3 || p.ac > 3 {
			return nil, bad
		}
		if s.from == 0 && s.high == 0 && r.tables[0][p.dc] == nil || s.to > 0 && r.tables[1][p.ac] == nil {
			return nil, errors.New("a scan has no table to be read by")
		}
		c := &r.Components[p.c]
		if !c.known {
			if r.quant[c.table] == nil {
				return nil, errors.New("a scan has no quantisation table")
			}
			c.Quant, c.known = *r.quant[c.table], true
		}
		s.parts = append(s.parts, p)
	}
	s.wide, s.tall = up(r.W, 8*r.hmax), up(r.H, 8*r.vmax)
	if s.single {
		c := &r.Components[s.parts[0].c]
		s.wide, s.tall = up(up(r.W*c.H, r.hmax), 8), up(up(r.H*c.V, r.vmax), 8)
	}
	return s, r.coefficients(s)
}

// each calls f for the blocks of a scan in their order (A.2), in the rows of MCUs
// from y0 to before y1, with the number of the part, the place of the block in
// Coef, and the MCU's number.
func (f *File) each(s *scan, y0, y1 int, call func(part, at, mcu int) error) error {
	mcu := y0 * s.wide
	for y := y0; y < y1; y++ {
		for x := range s.wide {
			if s.single {
				c := &f.Components[s.parts[0].c]
				if err := call(0, 64*(y*c.BW+x), mcu); err != nil {
					return err
				}
				mcu++
				continue
			}
			for i, p := range s.parts {
				c := &f.Components[p.c]
				for v := range c.V {
					for h := range c.H {
						if err := call(i, 64*((y*c.V+v)*c.BW+x*c.H+h), mcu); err != nil {
							return err
						}
					}
				}
			}
			mcu++
		}
	}
	return nil
}

// look finds which coefficients are not 0.
func (c *Component) look() {
	for i := range c.set {
		c.set[i] = nonzero(c.Coef[64*i:])
	}
}

func nonzero(c []int16) (set uint64) {
	for k, v := range c[:64] {
		if v != 0 {
			set |= 1 << k
		}
	}
	return set
}

// Step is how many px of the photograph a sample of a component stands for, across
// and down. ok is false if that is no whole number.
func (f *File) Step(c int) (x, y int, ok bool) {
	p := &f.Components[c]
	return f.hmax / p.H, f.vmax / p.V, f.hmax%p.H == 0 && f.vmax%p.V == 0
}

// Samples returns the 64 samples of a block, row by row, about from 0 to 255.
func (f *File) Samples(c, bx, by int) (s [64]float64) {
	p := &f.Components[c]
	for i, v := range p.Coef[64*(by*p.BW+bx):][:64] {
		s[t81.Zigzag[i]] = float64(int32(v) * p.Quant[i])
	}
	t81.Inverse(&s)
	for i := range s {
		s[i] += 128
	}
	return s
}
