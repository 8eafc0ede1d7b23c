// Package t81 holds what readers and writers of JPEG both need of ITU-T T.81:
// the order of a block, its transform, and Huffman codes from their lengths.
package t81

import (
	"math"
	mathbits "math/bits"
)

// Zigzag lists the places of a block, as 8·row + column, in the order of
// T.81 figure A.6.
var Zigzag = [64]int{
	0, 1, 8, 16, 9, 2, 3, 10,
	17, 24, 32, 25, 18, 11, 4, 5,
	12, 19, 26, 33, 40, 48, 41, 34,
	27, 20, 13, 6, 7, 14, 21, 28,
	35, 42, 49, 56, 57, 50, 43, 36,
	29, 22, 15, 23, 30, 37, 44, 51,
	58, 59, 52, 45, 38, 31, 39, 46,
	53, 60, 61, 54, 47, 55, 62, 63,
}

// cosines[u][x] is C(u)/2·cos((2x+1)uπ/16), the kernel of T.81 A.3.3.
var cosines = func() (c [8][8]float64) {
	for u := range 8 {
		for x := range 8 {
			c[u][x] = math.Cos(float64(2*x+1)*float64(u)*math.Pi/16) / 2
			if u == 0 {
				c[u][x] /= math.Sqrt2
			}
		}
	}
	return c
}()

// Forward is the transform of T.81 A.3.3 of a block of samples, row by row, in
// place.
func Forward(b *[64]float64) {
	var t [64]float64
	for y := range 8 {
		for u := range 8 {
			s := 0.0
			for x := range 8 {
				s += cosines[u][x] * b[8*y+x]
			}
			t[8*y+u] = s
		}
	}
	for u := range 8 {
		for v := range 8 {
			s := 0.0
			for y := range 8 {
				s += cosines[v][y] * t[8*y+u]
			}
			b[8*v+u] = s
		}
	}
}

// Inverse turns coefficients back into samples, in place.
func Inverse(b *[64]float64) {
	var t [64]float64
	for v := range 8 {
		for x := range 8 {
			s := 0.0
			for u := range 8 {
				s += cosines[u][x] * b[8*v+u]
			}
			t[8*v+x] = s
		}
	}
	for x := range 8 {
		for y := range 8 {
			s := 0.0
			for v := range 8 {
				s += cosines[v][y] * t[8*v+x]
			}
			b[8*y+x] = s
		}
	}
}

// A Code is the bits that stand for a value; N is 0 where there are none.
type Code struct {
	Bits uint32
	N    uint
}

// Codes gives each value its code from how many codes there are of each length
// from 1 to 16, and the values in the order of the codes (T.81 annex C).
func Codes(counts *[16]byte, values []byte) (c [256]Code) {
	bits, k := uint32(0), 0
	for n, count := range counts {
		for range count {
			c[values[k]] = Code{bits, uint(n + 1)}
			bits++
			k++
		}
		bits <<= 1
	}
	return c
}

// Magnitude is the category of a value and its extra bits (T.81 F.1.2.1).
func Magnitude(v int) (size int, bits uint32) {
	size = mathbits.Len(uint(max(v, -v)))
	if v < 0 {
		v--
	}
	return size, uint32(v) & (1<<size - 1)
}
