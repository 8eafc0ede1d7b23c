package preflight

import (
	"math/rand/v2"
	"testing"
)

// Bare stretches are of one place if one gets from one to the other over bare pixels,
// up and down, left and right: held to filling place after place.
func TestBareRunsMakePlaces(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 3))
		s := &sight{w: 1 + r.IntN(30), h: 1 + r.IntN(30)}
		all := make([]int32, s.w*s.h)
		for i := range all {
			all[i] = int32(r.IntN(2)) * int32(1+r.IntN(3))
		}
		want := make([]int, len(all)) // the first pixel of the place, and one
		var fill func(x, y, at int)
		fill = func(x, y, at int) {
			if p := y*s.w + x; x < 0 || y < 0 || x == s.w || y == s.h || all[p] != 0 || want[p] != 0 {
				return
			} else {
				want[p] = at
			}
			fill(x-1, y, at)
			fill(x+1, y, at)
			fill(x, y-1, at)
			fill(x, y+1, at)
		}
		for p := range all {
			fill(p%s.w, p/s.w, p+1)
		}
		runs := s.bareRuns(all)
		seen := 0
		for i, r := range runs {
			first := runs[r.place]
			for x := r.from; x < r.to; x++ {
				if seen++; want[r.y*s.w+x] != first.y*s.w+first.from+1 {
					t.Fatalf("seed %d: %d, %d is said to be of the place that begins at %d, %d", seed, x, r.y, first.from, first.y)
				}
			}
			if r.next != 0 && (r.next <= i || runs[r.next].place != r.place) {
				t.Fatalf("seed %d: after stretch %d comes %d", seed, i, r.next)
			}
		}
		for _, n := range all {
			if n == 0 {
				seen--
			}
		}
		if seen != 0 {
			t.Fatalf("seed %d: %d bare pixels too many", seed, seen)
		}
	}
}
