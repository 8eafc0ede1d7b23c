// Package chunk walks through files that are made of chunks, each with its kind
// and length: PNG (third edition, section 5.3) and RIFF, which WebP is in (RFC
// 9649, section 2.3). What is cut off ends the walk: check sums and order are for
// those to look at who have to trust the file.
package chunk

import (
	"encoding/binary"
	"iter"
)

// A Chunk is a part of a file.
type Chunk struct {
	Kind  string // four letters
	Body  []byte
	Whole []byte // with its length, its kind, and what ends it
}

// Heads that come before the first chunk, in bytes: the signature of PNG, and that
// of RIFF with its length and what it holds.
const (
	PNGHead  = 8
	RIFFHead = 12
)

// PNG gives the chunks of b, which begins with one.
func PNG(b []byte) iter.Seq[Chunk] {
	return walk(b, binary.BigEndian.Uint32, 4, 0, func(n int) int { return 12 + n }) // with a check sum
}

// RIFF gives the chunks of b, which begins with one: each ends on an even byte, but
// the last may do without.
func RIFF(b []byte) iter.Seq[Chunk] {
	return walk(b, binary.LittleEndian.Uint32, 0, 4, func(n int) int { return 8 + n + n&1 })
}

// walk goes from chunk to chunk; kind and length are where the kind and the length
// of a body stand in it, and size is that of a chunk whose body is so long.
func walk(b []byte, number func([]byte) uint32, kind, length int, size func(n int) int) iter.Seq[Chunk] {
	return func(yield func(Chunk) bool) {
		for len(b) >= size(0) {
			n := int(number(b[length:]))
			if n < 0 || n > len(b)-size(0) {
				return
			}
			end := min(len(b), size(n))
			if !yield(Chunk{string(b[kind : kind+4]), b[8 : 8+n], b[:end]}) {
				return
			}
			b = b[end:]
		}
	}
}
