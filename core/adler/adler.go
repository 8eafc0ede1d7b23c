// Package adler joins Adler-32 checksums (RFC 1950, section 9): of what is written
// or read in parts, some of them again and again, each part is summed once.
package adler

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
