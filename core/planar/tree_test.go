package planar

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Neighbours that look together find what each finds for itself, short pieces and
// long slanting ones.
func TestPairsFindWhatNearFinds(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 5))
	for _, reach := range []int32{3, 40, 400} {
		var ps []piece
		at := pt{2000, 2000}
		for range 3000 {
			to := pt{at.x + rnd.Int32N(2*reach+1) - reach, at.y + rnd.Int32N(2*reach+1) - reach}
			p := piece{a: at, b: to}
			if to.x < at.x {
				p.a, p.b = to, at
			}
			ps, at = append(ps, p), to
			if at.x < 0 || at.y < 0 || at.x > 9000 || at.y > 9000 {
				at = pt{rnd.Int32N(9000), rnd.Int32N(9000)}
			}
		}
		tree := build(ps)
		var want, got [][2]int
		for i := range ps {
			blocks, few := tree.blocks(tree.levels[0][i/fan], nil)
			if !few {
				continue
			}
			tree.near(ps[i], i+1, func(j int) { want = append(want, [2]int{i, j}) })
			tree.later(blocks, &ps[i], i, func(j int) { got = append(got, [2]int{i, j}) })
			v := ps[i].b
			tree.near(piece{a: v, b: v}, 0, func(j int) { want = append(want, [2]int{-1, j}) })
			tree.at(blocks, v, func(j int) { got = append(got, [2]int{-1, j}) })
		}
		if len(want) == 0 || !slices.Equal(want, got) {
			t.Errorf("reach %d: %d pairs, not %d", reach, len(got), len(want))
		}
	}
}
