package icc

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"
	"unicode/utf16"

	"dyekit/core/colour"
)

// MaxBytes is the largest profile that is read.
const MaxBytes = 8 << 20

// Read makes a printing condition of a profile of a CMYK press, version 2 or
// 4: by its table from inks to colours, relative to the paper (AToB1, or AToB0
// if there is none). The error says in a sentence what the profile is not.
func Read(data []byte) (*colour.Press, error) {
	be := binary.BigEndian
	switch {
	case len(data) > MaxBytes:
		return nil, fmt.Errorf("the profile is larger than %d MB", MaxBytes>>20)
	case len(data) < 132 || string(data[36:40]) != "acsp" || int(be.Uint32(data)) > len(data):
		return nil, errors.New("this is not an ICC profile")
	case string(data[16:20]) != "CMYK" || string(data[12:16]) != "prtr":
		return nil, errors.New("this profile is not of a CMYK press")
	case string(data[20:24]) != "Lab ":
		return nil, errors.New("this profile does not give its colours as L*a*b*")
	}
	tags, err := tagsOf(data)
	if err != nil {
		return nil, err
	}
	lut, ok := tags["A2B1"]
	if !ok {
		lut, ok = tags["A2B0"]
	}
	if !ok {
		return nil, errors.New("the profile has no table from inks to colours")
	}
	t, err := readTable(lut)
	if err != nil {
		return nil, err
	}
	white := tags["wtpt"]
	if len(white) < 20 {
		return nil, errors.New("the profile does not say what its paper looks like")
	}
	var w [3]float64
	for i := range w {
		w[i] = float64(int32(be.Uint32(white[8+4*i:]))) / 65536
	}
	if !(w[1] > 0.1 && w[1] <= 1.2) {
		return nil, errors.New("the paper of the profile is not light")
	}
	name := strings.TrimSpace(strings.ToValidUTF8(describe(tags["desc"]), ""))
	if name == "" {
		name = "a press of its own"
	}
	return colour.NewPress(name, w, bytes.Clone(data), t.at), nil
}

// tagsOf lists what the tags of a profile hold (ICC.1 section 7.3).
func tagsOf(data []byte) (map[string][]byte, error) {
	be := binary.BigEndian
	tags := map[string][]byte{}
	n := int(be.Uint32(data[128:]))
	if n > 200 || 132+12*n > len(data) {
		return nil, errors.New("the profile's list of tags is broken")
	}
	for i := range n {
		e := data[132+12*i:]
		at, size := int(be.Uint32(e[4:])), int(be.Uint32(e[8:]))
		if at < 128 || size < 8 || at+size > len(data) {
			return nil, errors.New("a tag of the profile lies past its end")
		}
		tags[string(e[:4])] = data[at : at+size]
	}
	return tags, nil
}

// describe reads a textDescriptionType or the first of a
// multiLocalizedUnicodeType.
func describe(b []byte) string {
	be := binary.BigEndian
	switch {
	case len(b) > 13 && string(b[:4]) == "desc":
		n := int(be.Uint32(b[8:]))
		if n > 0 && 12+n <= len(b) {
			return strings.TrimRight(string(b[12:12+n]), "\x00 ")
		}
	case len(b) > 28 && string(b[:4]) == "mluc":
		n, at := int(be.Uint32(b[20:])), int(be.Uint32(b[24:]))
		if n%2 == 0 && n >= 0 && at >= 0 && at+n <= len(b) {
			var u []uint16
			for i := at; i < at+n; i += 2 {
				u = append(u, be.Uint16(b[i:]))
			}
			return strings.TrimSpace(string(utf16.Decode(u)))
		}
	}
	return ""
}

// A chain turns four inks into L*a*b*: a curve for each, a grid, and curves
// for what comes out.
type chain struct {
	in, out []func(float64) float64
	clut    colour.Lattice // over the four inks, shares of the largest value
	decode  func([3]float64) colour.Lab
}

var errTable = errors.New("the profile's table is of a kind not read here, or broken")

func readTable(b []byte) (*chain, error) {
	if len(b) < 32 {
		return nil, errTable
	}
	switch string(b[:4]) {
	case "mft1", "mft2":
		return readLut(b)
	case "mAB ":
		return readAB(b)
	}
	return nil, errTable
}

// readLut reads lut8Type and lut16Type (ICC.1 sections 10.10 and 10.11).
func readLut(b []byte) (*chain, error) {
	wide := string(b[:4]) == "mft2"
	g := int(b[10])
	if b[8] != 4 || b[9] != 3 || g < 2 || len(b) < 52 {
		return nil, errTable
	}
	at, n, m, size := 48, 256, 256, 1
	if wide {
		n, m, size, at = int(binary.BigEndian.Uint16(b[48:])), int(binary.BigEndian.Uint16(b[50:])), 2, 52
	}
	nodes := g * g * g * g
	if n < 2 || m < 2 || at+size*(4*n+3*nodes+3*m) > len(b) {
		return nil, errTable
	}
	take := func(k int) []float64 {
		v := make([]float64, k)
		for i := range v {
			if wide {
				v[i] = float64(binary.BigEndian.Uint16(b[at:])) / 65535
			} else {
				v[i] = float64(b[at]) / 255
			}
			at += size
		}
		return v
	}
	c := &chain{clut: colour.Lattice{Sides: []int{g, g, g, g}, Width: 3}}
	for range 4 {
		c.in = append(c.in, sampled(take(n)))
	}
	c.clut.V = take(3 * nodes)
	for range 3 {
		c.out = append(c.out, sampled(take(m)))
	}
	c.decode = func(v [3]float64) colour.Lab { return decode(v[:]) }
	if !wide {
		c.decode = short
	}
	return c, nil
}

// short is the encoding of L*a*b* in 8 bits, which version 4 keeps in 16.
func short(v [3]float64) colour.Lab {
	return colour.Lab{L: v[0] * 100, A: v[1]*255 - 128, B: v[2]*255 - 128}
}

// readAB reads lutAToBType (section 10.12) without a matrix, as tables of inks
// are.
func readAB(b []byte) (*chain, error) {
	be := binary.BigEndian
	if b[8] != 4 || b[9] != 3 {
		return nil, errTable
	}
	bAt, matrix, clut, aAt := int(be.Uint32(b[12:])), be.Uint32(b[16:]), int(be.Uint32(b[24:])), int(be.Uint32(b[28:]))
	if matrix != 0 || clut < 32 || aAt < 32 || bAt < 32 || clut+20 > len(b) {
		return nil, errTable
	}
	c := &chain{clut: colour.Lattice{Sides: make([]int, 4), Width: 3}, decode: short}
	var err error
	if c.in, err = curves(b, aAt, 4); err != nil {
		return nil, err
	}
	if c.out, err = curves(b, bAt, 3); err != nil {
		return nil, err
	}
	nodes := 3
	for i := range 4 {
		g := int(b[clut+i])
		if g < 2 {
			return nil, errTable
		}
		c.clut.Sides[i] = g
		if nodes *= g; nodes > len(b) {
			return nil, errTable
		}
	}
	size := int(b[clut+16])
	at := clut + 20
	if size != 1 && size != 2 || at+nodes*size > len(b) {
		return nil, errTable
	}
	for i := range nodes {
		if size == 1 {
			c.clut.V = append(c.clut.V, float64(b[at+i])/255)
		} else {
			c.clut.V = append(c.clut.V, float64(be.Uint16(b[at+2*i:]))/65535)
		}
	}
	return c, nil
}

// curves reads curveType and parametricCurveType (sections 10.6 and 10.18), one
// behind the other on word boundaries.
func curves(b []byte, at, n int) (out []func(float64) float64, err error) {
	be := binary.BigEndian
	for range n {
		at = (at + 3) &^ 3
		if at+12 > len(b) {
			return nil, errTable
		}
		switch string(b[at : at+4]) {
		case "curv":
			k := int(be.Uint32(b[at+8:]))
			if k < 0 || at+12+2*k > len(b) {
				return nil, errTable
			}
			v := make([]float64, k)
			for i := range v {
				v[i] = float64(be.Uint16(b[at+12+2*i:]))
			}
			switch k {
			case 0:
				out = append(out, func(x float64) float64 { return x })
			case 1:
				gamma := v[0] / 256
				out = append(out, func(x float64) float64 { return math.Pow(max(0, x), gamma) })
			default:
				for i := range v {
					v[i] /= 65535
				}
				out = append(out, sampled(v))
			}
			at += 12 + 2*k
		case "para":
			if be.Uint16(b[at+8:]) != 0 || at+16 > len(b) { // a plain power; tables of inks use no other
				return nil, errTable
			}
			gamma := float64(int32(be.Uint32(b[at+12:]))) / 65536
			out = append(out, func(x float64) float64 { return math.Pow(max(0, x), gamma) })
			at += 16
		default:
			return nil, errTable
		}
	}
	return out, nil
}

func sampled(v []float64) func(float64) float64 {
	return func(x float64) float64 {
		i, t := colour.Cell(x, len(v))
		return v[i] + (v[i+1]-v[i])*t
	}
}

// at looks a build up.
func (c *chain) at(b colour.CMYK) colour.Lab {
	var cell [4]int
	var t [4]float64
	for k, v := range [4]float64{b.C, b.M, b.Y, b.K} {
		cell[k], t[k] = colour.Cell(c.in[k](v/100), c.clut.Sides[k])
	}
	var out [3]float64
	c.clut.At(cell[:], t[:], out[:])
	for n := range out {
		out[n] = c.out[n](out[n])
	}
	return c.decode(out)
}
