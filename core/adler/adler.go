// Package adler makes and joins Adler-32 checksums (RFC 1950, section 9): of what is
// written or read in parts, some of them again and again, each part is summed once.
package adler

import "encoding/binary"

// New is the checksum of nothing.
const New = 1

// base is the largest prime below 2^16.
const base = 65521

// Join returns the checksum of two stretches of bytes behind each other, from
// theirs; n is the length of the second.
func Join(a, b uint32, n int) uint32 {
	a1, a2, b1, b2 := uint64(a&0xffff), uint64(a>>16), uint64(b&0xffff), uint64(b>>16)
	s1 := (a1 + b1 + base - 1) % base
	s2 := (a2 + b2 + (a1+base-1)%base*(uint64(n)%base)) % base
	return uint32(s2<<16 | s1)
}

// Checksum is the checksum of the bytes, as hash/adler32 finds it, in half of its
// time.
func Checksum(b []byte) uint32 {
	s1, s2 := uint64(1), uint64(0)
	for len(b) > 0 {
		part := b[:min(len(b), stretch)]
		b = b[len(part):]
		whole := len(part) &^ (block - 1)
		s1, s2 = add(part[:whole], s1, s2)
		for _, v := range part[whole:] {
			s1 += uint64(v)
			s2 += s1
		}
		s1, s2 = s1%base, s2%base
	}
	return uint32(s2<<16 | s1)
}

const (
	// block is how many bytes are summed before lanes are added up: with more of
	// them the sums could pass 16 bits, being at most 28·4·510 of what was before
	// and 8·510·(7 + 5 + 3 + 1) of all by their places.
	block = 64
	// stretch is how many bytes are summed before the remainder is taken: the
	// second sum grows by its square and stays below 2^48.
	stretch = 1 << 20
	lanes   = 0x00ff00ff00ff00ff
)

// add adds whole blocks to the two sums. Eight bytes are added at a time, as lanes
// of 16 bits in one word: the first byte is in the lowest of those at even places.
func add(b []byte, s1, s2 uint64) (uint64, uint64) {
	for ; len(b) >= block; b = b[block:] {
		var even, all, before uint64 // before is the sum of all as it was at each word
		w := (*[block]byte)(b)
		for i := 0; i < block; i += 8 {
			v := binary.LittleEndian.Uint64(w[i : i+8])
			e := v & lanes
			before += all
			even += e
			all += e + v>>8&lanes
		}
		// A byte counts in s2 once for itself and for each that follows in the
		// block: eight times for each word behind its own, and 8, 7, ... 1 times
		// by its place in that, those at even places once more than those beside.
		s2 += block*s1 + 8*across(before, 1, 1, 1, 1) + across(even, 1, 1, 1, 1) + across(all, 7, 5, 3, 1)
		s1 += across(all, 1, 1, 1, 1)
	}
	return s1, s2
}

// across adds up the four lanes of v, each by its weight, the lowest first: they
// meet in the highest lane of the product.
func across(v, w0, w1, w2, w3 uint64) uint64 {
	return v * (w3 | w2<<16 | w1<<32 | w0<<48) >> 48
}
