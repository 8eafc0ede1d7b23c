// Package icc writes colour profiles (ICC.1:2001-04, version 2.4): of a
// printing condition, for files that say for which press they were made.
package icc

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"math"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/parallel"
)

// SRGB is the profile of sRGB from Debian's icc-profiles-free (zlib licence).
//
//go:embed srgb.icc
var SRGB []byte

// Grids of the tables: of inks to colours, and of colours to inks.
const (
	inkGrid = 9 // steps of 12.5 %
	labGrid = 11
)

var profiles sync.Map // key of the press -> func() []byte

// Press returns the profile of a printing condition: the one it came as, or one
// that is computed once; the same condition gives the same bytes.
func Press(p *colour.Press) []byte {
	if p.Profile != nil {
		return p.Profile
	}
	f, _ := profiles.LoadOrStore(p.Key, sync.OnceValue(func() []byte { return press(p) }))
	return f.(func() []byte)()
}

func press(p *colour.Press) []byte {
	white := p.Lab(colour.CMYK{})
	wx, wy, wz := white.XYZ()
	var tags table
	tags.add("desc", description(p.Name))
	tags.add("cprt", text("Made by Dye Kit from public characterisation data ("+p.Registry+"); free to use"))
	tags.add("wtpt", xyz(wx, wy, wz))
	to := lut(4, 3, inkGrid, func(in []float64) []float64 {
		l := p.Beside(colour.CMYK{C: in[0] * 100, M: in[1] * 100, Y: in[2] * 100, K: in[3] * 100})
		return encode(l)
	})
	nearest := map[colour.Lab]colour.CMYK{} // of the nodes of colour tables
	var mu sync.Mutex
	from := lut(3, 4, labGrid, func(in []float64) []float64 {
		l := decode(in)
		b := p.Nearest(l)
		mu.Lock()
		nearest[l] = b
		mu.Unlock()
		return []float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}
	})
	for _, n := range []string{"A2B0", "A2B1", "A2B2"} {
		tags.add(n, to)
	}
	for _, n := range []string{"B2A0", "B2A1", "B2A2"} {
		tags.add(n, from)
	}
	tags.add("gamt", lut(3, 1, labGrid, func(in []float64) []float64 {
		l := decode(in)
		mu.Lock()
		b := nearest[l]
		mu.Unlock()
		if colour.Difference(p.Beside(b), l) > 3 {
			return []float64{1}
		}
		return []float64{0}
	}))
	head := make([]byte, 128)
	copy(head[8:], []byte{2, 0x40, 0, 0})
	copy(head[12:], "prtrCMYKLab ")
	copy(head[24:], []byte{0x07, 0xea, 0, 1, 0, 1}) // 2026-01-01 00:00: when the tables were last changed
	copy(head[36:], "acsp")
	copy(head[68:], xyz(0.9642, 1, 0.8249)[8:]) // the illuminant of the connection space
	return tags.bytes(head)
}

// encode is the 16-bit encoding of L*a*b* in version 2 as shares of 65535
// (section 6.5.9, annex A).
func encode(l colour.Lab) []float64 {
	return []float64{l.L / 100 * 65280 / 65535, (l.A + 128) * 256 / 65535, (l.B + 128) * 256 / 65535}
}

func decode(v []float64) colour.Lab {
	return colour.Lab{L: v[0] * 65535 / 65280 * 100, A: v[1]*65535/256 - 128, B: v[2]*65535/256 - 128}
}

// lut writes a lut16Type (section 6.5.9) without curves. f is called from several
// goroutines.
func lut(in, out, grid int, f func([]float64) []float64) []byte {
	b := []byte{'m', 'f', 't', '2', 0, 0, 0, 0, byte(in), byte(out), byte(grid), 0}
	for i := range 9 { // the matrix is the identity
		v := uint32(0)
		if i%4 == 0 {
			v = 1 << 16
		}
		b = binary.BigEndian.AppendUint32(b, v)
	}
	b = binary.BigEndian.AppendUint16(b, 2)
	b = binary.BigEndian.AppendUint16(b, 2)
	straight := []byte{0, 0, 0xff, 0xff}
	b = append(b, bytes.Repeat(straight, in)...)
	n := 1
	for range in {
		n *= grid
	}
	nodes := make([][]float64, n)
	parallel.Each(n/grid, func(row int) {
		for i := row * grid; i < (row+1)*grid; i++ {
			v, rest := make([]float64, in), i
			for k := in - 1; k >= 0; k-- { // the last channel varies fastest
				v[k] = float64(rest%grid) / float64(grid-1)
				rest /= grid
			}
			nodes[i] = f(v)
		}
	})
	for _, node := range nodes {
		for _, x := range node {
			b = binary.BigEndian.AppendUint16(b, uint16(math.Round(min(1, max(0, x))*65535)))
		}
	}
	return append(b, bytes.Repeat(straight, out)...)
}

func text(s string) []byte { return append([]byte("text\x00\x00\x00\x00"+s), 0) }

// description is a textDescriptionType (section 6.5.17), in ASCII alone.
func description(s string) []byte {
	b := []byte("desc\x00\x00\x00\x00")
	b = binary.BigEndian.AppendUint32(b, uint32(len(s)+1))
	b = append(b, s...)
	return append(b, make([]byte, 1+4+4+2+1+67)...)
}

func xyz(x, y, z float64) []byte {
	b := []byte("XYZ \x00\x00\x00\x00")
	for _, v := range []float64{x, y, z} {
		b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(v*65536))))
	}
	return b
}

// A table of tags; equal data is kept once.
type table []tag

type tag struct {
	name string
	data []byte
}

func (t *table) add(name string, data []byte) { *t = append(*t, tag{name, data}) }

func (t table) bytes(head []byte) []byte {
	list := binary.BigEndian.AppendUint32(nil, uint32(len(t)))
	var body []byte
	start := 128 + 4 + 12*len(t)
	at := map[string]int{}
	for _, x := range t {
		pos, known := at[string(x.data)]
		if !known {
			pos = start + len(body)
			at[string(x.data)] = pos
			body = append(body, x.data...)
			for len(body)%4 != 0 {
				body = append(body, 0)
			}
		}
		list = append(list, x.name...)
		list = binary.BigEndian.AppendUint32(list, uint32(pos))
		list = binary.BigEndian.AppendUint32(list, uint32(len(x.data)))
	}
	out := append(append(head, list...), body...)
	binary.BigEndian.PutUint32(out, uint32(len(out)))
	return out
}
