package adler

import (
	"bytes"
	"hash/adler32"
	"math/rand/v2"
	"testing"
)

// Parts give what the standard library finds in the whole, however long they are.
func TestJoin(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	whole := make([]byte, 300_000)
	for i := range whole {
		whole[i] = byte(r.Uint32())
	}
	clear(whole[100_000:200_000])
	for range 200 {
		cuts := [3]int{r.IntN(len(whole)), r.IntN(len(whole)), len(whole)}
		sum, at := uint32(New), 0
		for _, c := range cuts {
			if c < at {
				continue
			}
			sum = Join(sum, adler32.Checksum(whole[at:c]), c-at)
			at = c
		}
		if want := adler32.Checksum(whole); sum != want {
			t.Fatalf("cut at %v: %08x, want %08x", cuts, sum, want)
		}
	}
	if Join(New, New, 0) != New {
		t.Error("nothing behind nothing is something")
	}
}

// The checksum is that of the standard library, of any length, and of the highest
// bytes, which come nearest to the ends of the lanes.
func TestChecksum(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	b := make([]byte, 3<<20+77)
	for i := range b {
		b[i] = byte(r.Uint32())
	}
	high := bytes.Repeat([]byte{255}, len(b))
	for _, n := range []int{0, 1, 7, 8, 9, 63, 64, 65, 127, 128, 1000, 5552, 5553, 65521, 65536, stretch - 1, stretch, stretch + 1, len(b)} {
		for _, b := range [][]byte{b[:n], b[len(b)-n:], high[:n]} {
			if got, want := Checksum(b), adler32.Checksum(b); got != want {
				t.Errorf("%d bytes: %08x, want %08x", n, got, want)
			}
		}
	}
}

func BenchmarkChecksum(b *testing.B) {
	data := bytes.Repeat([]byte{1, 2, 3, 0}, 3000)
	for name, f := range map[string]func([]byte) uint32{"ours": Checksum, "standard": adler32.Checksum} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(data)))
			for b.Loop() {
				f(data)
			}
		})
	}
}
