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

// Halves of cosines of parts of 180°: a1 is cos(π/16)/2, and so on. a4 is what the
// first coefficient has of each sample, too: C(0)/2 (T.81 A.3.3).
var (
	a1, a2, a3 = math.Cos(math.Pi/16) / 2, math.Cos(2*math.Pi/16) / 2, math.Cos(3*math.Pi/16) / 2
	a4, a5     = math.Cos(4*math.Pi/16) / 2, math.Cos(5*math.Pi/16) / 2
	a6, a7     = math.Cos(6*math.Pi/16) / 2, math.Cos(7*math.Pi/16) / 2
)

// Forward is the transform of T.81 A.3.3 of a block of samples, row by row, in
// place.
func Forward(b *[64]float64) {
	for i := 0; i < 64; i += 8 {
		forward(b, i, 1)
	}
	for i := range 8 {
		forward(b, i, 8)
	}
}

// Inverse turns coefficients back into samples, in place.
func Inverse(b *[64]float64) {
	for i := 0; i < 64; i += 8 {
		inverse(b, i, 1)
	}
	for i := range 8 {
		inverse(b, i, 8)
	}
}

// forward transforms eight samples from place i on, so many places apart. The
// cosines of even coefficients are the same from either end, those of odd ones the
// same but for the sign: sums and differences of opposite samples do for both.
func forward(b *[64]float64, i, step int) {
	x := func(k int) *float64 { return &b[(i+k*step)&63] }
	s0, d0 := *x(0)+*x(7), *x(0)-*x(7)
	s1, d1 := *x(1)+*x(6), *x(1)-*x(6)
	s2, d2 := *x(2)+*x(5), *x(2)-*x(5)
	s3, d3 := *x(3)+*x(4), *x(3)-*x(4)
	e0, e1, f0, f1 := s0+s3, s1+s2, s0-s3, s1-s2
	*x(0), *x(4) = a4*(e0+e1), a4*(e0-e1)
	*x(2), *x(6) = a2*f0+a6*f1, a6*f0-a2*f1
	*x(1) = a1*d0 + a3*d1 + a5*d2 + a7*d3
	*x(3) = a3*d0 - a7*d1 - a1*d2 - a5*d3
	*x(5) = a5*d0 - a1*d1 + a7*d2 + a3*d3
	*x(7) = a7*d0 - a5*d1 + a3*d2 - a1*d3
}

// inverse undoes forward: its matrix is that of forward, mirrored.
func inverse(b *[64]float64, i, step int) {
	x := func(k int) *float64 { return &b[(i+k*step)&63] }
	p0, p1 := a4*(*x(0)+*x(4)), a4*(*x(0)-*x(4))
	q0, q1 := a2**x(2)+a6**x(6), a6**x(2)-a2**x(6)
	c1, c3, c5, c7 := *x(1), *x(3), *x(5), *x(7)
	o0 := a1*c1 + a3*c3 + a5*c5 + a7*c7
	o1 := a3*c1 - a7*c3 - a1*c5 - a5*c7
	o2 := a5*c1 - a1*c3 + a7*c5 + a3*c7
	o3 := a7*c1 - a5*c3 + a3*c5 - a1*c7
	*x(0), *x(7) = p0+q0+o0, p0+q0-o0
	*x(1), *x(6) = p1+q1+o1, p1+q1-o1
	*x(2), *x(5) = p1-q1+o2, p1-q1-o2
	*x(3), *x(4) = p0-q0+o3, p0-q0-o3
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
