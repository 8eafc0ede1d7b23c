package trace

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Each channel is the fifth of the nine around, in order; at the edge pixels count again.
func TestCalm(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	p := &hues{7, 5, make([]hue, 35)}
	for i := range p.v {
		for c := range 4 {
			p.v[i][c] = float64(r.IntN(9)) / 8
		}
	}
	q := p.calm()
	for i := range q.v {
		x, y := i%p.w, i/p.w
		for c := range 4 {
			var v []float64
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					v = append(v, p.v[min(p.h-1, max(0, y+dy))*p.w+min(p.w-1, max(0, x+dx))][c])
				}
			}
			slices.Sort(v)
			if q.v[i][c] != v[4] {
				t.Fatalf("at %d, %d: %v, want %v", x, y, q.v[i][c], v[4])
			}
		}
	}
}
