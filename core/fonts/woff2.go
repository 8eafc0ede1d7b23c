package fonts

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"

	"github.com/andybalholm/brotli"
)

// errWOFF2 is wrapped by every refusal of a WOFF 2.0 file.
var errWOFF2 = errors.New("the WOFF2 file is broken")

// reader2 reads big-endian values and remembers the first fault.
type reader2 struct {
	b   []byte
	bad bool
}

func (r *reader2) take(n int) []byte {
	if n < 0 || n > len(r.b) {
		r.bad = true
		return make([]byte, max(0, min(n, 16)))
	}
	out := r.b[:n:n]
	r.b = r.b[n:]
	return out
}

func (r *reader2) u8() int  { return int(r.take(1)[0]) }
func (r *reader2) u16() int { return int(binary.BigEndian.Uint16(r.take(2))) }
func (r *reader2) i16() int { return int(int16(r.u16())) }
func (r *reader2) u32() int { return int(binary.BigEndian.Uint32(r.take(4))) }

// base128 reads a UIntBase128 (WOFF 2.0 section 4.1).
func (r *reader2) base128() int {
	v := 0
	for range 5 {
		b := r.u8()
		v = v<<7 | b&0x7f
		if b&0x80 == 0 {
			return v
		}
	}
	r.bad = true
	return 0
}

// u255 reads a 255UInt16 (section 4.2).
func (r *reader2) u255() int {
	switch c := r.u8(); c {
	case 253:
		return r.u16()
	case 254:
		return r.u8() + 506
	case 255:
		return r.u8() + 253
	default:
		return c
	}
}

// knownTags are the tables with a number of their own (section 4.3).
const knownTags = "cmapheadhheahmtxmaxpnameOS/2postcvt fpgmglyflocaprepCFF VORGEBDTEBLCgasphdmxkernLTSHPCLTVDMXvheavmtxBASEGDEFGPOSGSUBEBSCJSTFMATHCBDTCBLCCOLRCPALSVG sbixacntavarbdatblocbslncvarfdscfeatfmtxfvargvarhstyjustlcarmortmorxopbdproptrakZapfSilfGlatGlocFeatSill"

// A table2 is one table of a font on its way out of WOFF 2.0.
type table2 struct {
	tag         string
	transformed bool
	data        []byte
}

// woff2 returns the sfnt inside a WOFF 2.0 file (W3C Recommendation).
func woff2(data []byte) ([]byte, error) {
	r := &reader2{b: data}
	r.take(4)
	flavor := append([]byte(nil), r.take(4)...)
	if string(flavor) == "ttcf" {
		return nil, errors.New("a WOFF2 file with several fonts cannot be read; use one with a single font")
	}
	r.u32()
	n := r.u16()
	r.take(2 + 4)
	packed := r.u32()
	r.take(2 + 2 + 5*4)
	tables := make([]table2, n)
	sizes := make([]int, n)
	total := 0
	for i := range tables {
		f := r.u8()
		t := &tables[i]
		if k := f & 0x3f; k == 63 {
			t.tag = string(r.take(4))
		} else {
			t.tag = knownTags[4*k : 4*k+4]
		}
		sizes[i] = r.base128()
		outline := t.tag == "glyf" || t.tag == "loca"
		// For outlines version 0 is the transformed one, for others it is not.
		t.transformed = f>>6 != 0
		if outline {
			t.transformed = f>>6 == 0
		}
		if t.transformed {
			sizes[i] = r.base128()
		}
		total += sizes[i]
	}
	body := r.take(packed)
	if r.bad || total > MaxBytes {
		return nil, errWOFF2
	}
	plain, err := io.ReadAll(io.LimitReader(brotli.NewReader(bytes.NewReader(body)), int64(total)+1))
	if err != nil || len(plain) != total {
		return nil, fmt.Errorf("%w: its tables do not unpack", errWOFF2)
	}
	at := 0
	find := func(tag string) *table2 {
		for i := range tables {
			if tables[i].tag == tag {
				return &tables[i]
			}
		}
		return &table2{}
	}
	for i := range tables {
		tables[i].data = plain[at : at+sizes[i] : at+sizes[i]]
		at += sizes[i]
	}
	var xmin []int
	if g := find("glyf"); g.transformed {
		glyf, loca, mins, err := glyphs2(g.data)
		if err != nil {
			return nil, err
		}
		head := find("head")
		if len(head.data) < 54 {
			return nil, errWOFF2
		}
		head.data = append([]byte(nil), head.data...)
		binary.BigEndian.PutUint16(head.data[50:], 1) // loca has four bytes an entry
		g.data, find("loca").data, xmin = glyf, loca, mins
	}
	if h := find("hmtx"); h.transformed {
		if h.data, err = metrics2(h.data, find("hhea").data, xmin); err != nil {
			return nil, err
		}
	}
	return sfnt(flavor, tables), nil
}

// sfnt lays tables out behind a directory (OpenType, "Organization of an
// OpenType font"). Checksums are left at nothing: no reader here looks.
func sfnt(flavor []byte, tables []table2) []byte {
	n := len(tables)
	pow, log := 1, 0
	for pow*2 <= n {
		pow, log = pow*2, log+1
	}
	out := append([]byte(nil), flavor...)
	for _, v := range []int{n, pow * 16, log, (n - pow) * 16} {
		out = binary.BigEndian.AppendUint16(out, uint16(v))
	}
	at := 12 + 16*n
	var body []byte
	for _, t := range tables {
		out = append(out, t.tag...)
		out = binary.BigEndian.AppendUint32(out, 0)
		out = binary.BigEndian.AppendUint32(out, uint32(at+len(body)))
		out = binary.BigEndian.AppendUint32(out, uint32(len(t.data)))
		body = append(body, t.data...)
		body = append(body, make([]byte, (4-len(t.data)%4)%4)...)
	}
	return append(out, body...)
}

// glyphs2 undoes the transform of the glyf table (section 5.1). It returns
// the table, its loca with four bytes an entry, and the left edge of every
// glyph.
func glyphs2(data []byte) (glyf, loca []byte, xmin []int, err error) {
	r := &reader2{b: data}
	r.u16()
	option, count := r.u16(), r.u16()
	r.u16()
	var size [7]int
	for i := range size {
		size[i] = r.u32()
	}
	var s [7]reader2 // contours, points, flags, glyphs, composites, boxes, instructions
	for i := range s {
		s[i].b = r.take(size[i])
	}
	var overlap []byte
	if option&1 != 0 {
		overlap = r.take((count + 7) / 8)
	}
	boxes := s[5].take((count + 31) / 32 * 4)
	if r.bad || s[5].bad {
		return nil, nil, nil, errWOFF2
	}
	bit := func(b []byte, i int) bool { return b != nil && b[i/8]&(0x80>>(i%8)) != 0 }
	xmin = make([]int, count)
	for i := range count {
		loca = binary.BigEndian.AppendUint32(loca, uint32(len(glyf)))
		contours := s[0].i16()
		if contours == 0 || s[0].bad {
			continue
		}
		var box []byte
		if bit(boxes, i) {
			box = s[5].take(8)
			xmin[i] = int(int16(binary.BigEndian.Uint16(box)))
		}
		var g []byte
		if contours < 0 {
			g = composite2(&s[4], &s[3], &s[6], box)
		} else {
			g, xmin[i] = simple2(contours, &s[1], &s[2], &s[3], &s[6], box, bit(overlap, i))
		}
		for k := range s {
			if s[k].bad {
				return nil, nil, nil, errWOFF2
			}
		}
		glyf = append(glyf, g...)
		glyf = append(glyf, make([]byte, (4-len(glyf)%4)%4)...)
		if len(glyf) > MaxBytes {
			return nil, nil, nil, errWOFF2
		}
	}
	loca = binary.BigEndian.AppendUint32(loca, uint32(len(glyf)))
	return glyf, loca, xmin, nil
}

// composite2 copies a glyph made of others.
func composite2(in, glyph, code *reader2, box []byte) []byte {
	if box == nil {
		in.bad = true // section 5.1: such a glyph always has its box
		return nil
	}
	g := append([]byte{0xff, 0xff}, box...)
	instructions := false
	for more := true; more && !in.bad; {
		head := in.take(4)
		f := binary.BigEndian.Uint16(head)
		n := 2
		if f&0x0001 != 0 {
			n = 4
		}
		switch {
		case f&0x0008 != 0:
			n += 2
		case f&0x0040 != 0:
			n += 4
		case f&0x0080 != 0:
			n += 8
		}
		g = append(append(g, head...), in.take(n)...)
		more = f&0x0020 != 0
		instructions = instructions || f&0x0100 != 0
	}
	if instructions {
		n := glyph.u255()
		g = binary.BigEndian.AppendUint16(g, uint16(n))
		g = append(g, code.take(n)...)
	}
	return g
}

// simple2 writes a glyph of contours, its points as plain 16-bit steps.
func simple2(contours int, points, flags, glyph, code *reader2, box []byte, overlap bool) (g []byte, xmin int) {
	ends := make([]byte, 0, 2*contours)
	total := 0
	for range contours {
		if total += points.u255(); total > 0xffff {
			points.bad = true
			return nil, 0
		}
		ends = binary.BigEndian.AppendUint16(ends, uint16(total-1))
	}
	on := make([]byte, 0, total)
	var xs, ys []byte
	x, y := 0, 0
	lo, hi := [2]int{math.MaxInt16, math.MaxInt16}, [2]int{math.MinInt16, math.MinInt16}
	for i := range total {
		f := flags.u8()
		dx, dy := triplet(f&0x7f, glyph)
		if glyph.bad || flags.bad {
			return nil, 0
		}
		x, y = x+dx, y+dy
		lo, hi = [2]int{min(lo[0], x), min(lo[1], y)}, [2]int{max(hi[0], x), max(hi[1], y)}
		k := byte(0)
		if f&0x80 == 0 {
			k = 1 // on the curve
		}
		if i == 0 && overlap {
			k |= 0x40
		}
		on = append(on, k)
		xs = binary.BigEndian.AppendUint16(xs, uint16(int16(dx)))
		ys = binary.BigEndian.AppendUint16(ys, uint16(int16(dy)))
	}
	if box == nil {
		for _, v := range []int{lo[0], lo[1], hi[0], hi[1]} {
			box = binary.BigEndian.AppendUint16(box, uint16(int16(v)))
		}
	}
	n := glyph.u255()
	g = binary.BigEndian.AppendUint16(nil, uint16(contours))
	g = append(append(g, box...), ends...)
	g = binary.BigEndian.AppendUint16(g, uint16(n))
	g = append(g, code.take(n)...)
	g = append(append(append(g, on...), xs...), ys...)
	return g, int(int16(binary.BigEndian.Uint16(box)))
}

// triplet reads the step to the next point (section 5.2).
func triplet(f int, in *reader2) (dx, dy int) {
	sign := func(f, v int) int {
		if f&1 != 0 {
			return v
		}
		return -v
	}
	switch {
	case f < 10:
		return 0, sign(f, (f&14)<<7+in.u8())
	case f < 20:
		return sign(f, ((f-10)&14)<<7+in.u8()), 0
	case f < 84:
		b, c := f-20, in.u8()
		return sign(f, 1+(b&0x30)+c>>4), sign(f>>1, 1+(b&0x0c)<<2+c&0x0f)
	case f < 120:
		b := f - 84
		p := in.take(2)
		return sign(f, 1+(b/12)<<8+int(p[0])), sign(f>>1, 1+(b%12)>>2<<8+int(p[1]))
	case f < 124:
		p := in.take(3)
		return sign(f, int(p[0])<<4+int(p[1])>>4), sign(f>>1, int(p[1]&0x0f)<<8+int(p[2]))
	}
	p := in.take(4)
	return sign(f, int(p[0])<<8+int(p[1])), sign(f>>1, int(p[2])<<8+int(p[3]))
}

// metrics2 undoes the transform of the hmtx table (section 5.4): side
// bearings that equal the left edge of their glyph are left out.
func metrics2(data, hhea []byte, xmin []int) ([]byte, error) {
	if len(hhea) < 36 || len(xmin) == 0 {
		return nil, errWOFF2
	}
	wide := int(binary.BigEndian.Uint16(hhea[34:]))
	if wide == 0 || wide > len(xmin) {
		return nil, errWOFF2
	}
	r := &reader2{b: data}
	f := r.u8()
	advances := r.take(2 * wide)
	bearing := func(omitted bool, i int) uint16 {
		if omitted {
			return uint16(int16(xmin[i]))
		}
		return uint16(r.u16())
	}
	var out []byte
	for i := range wide {
		if r.bad {
			return nil, errWOFF2
		}
		out = append(out, advances[2*i:2*i+2]...)
		out = binary.BigEndian.AppendUint16(out, bearing(f&1 != 0, i))
	}
	for i := wide; i < len(xmin); i++ {
		out = binary.BigEndian.AppendUint16(out, bearing(f&2 != 0, i))
	}
	if r.bad {
		return nil, errWOFF2
	}
	return out, nil
}
