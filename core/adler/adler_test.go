package adler

import (
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
