package planar

import (
	"math/rand/v2"
	"testing"
)

// Every piece that the tree finds near another, or near a point, lies in a cell
// with it: short pieces and long slanting ones, few and crowds.
func TestCellsFindWhatTheTreeFinds(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 5))
	for _, reach := range []int32{3, 40, 400, 4000} {
		var ps []piece
		at := pt{2000, 2000}
		for range 3000 {
			to := pt{at.x + rnd.Int32N(2*reach+1) - reach, at.y + rnd.Int32N(2*reach+1) - reach}
			p := piece{a: at, b: to}
			if p.a.key() > p.b.key() {
				p.a, p.b = to, at
			}
			ps, at = append(ps, p), to
			if at.x < 0 || at.y < 0 || at.x > 9000 || at.y > 9000 {
				at = pt{rnd.Int32N(9000), rnd.Int32N(9000)}
			}
		}
		cells := newCells(ps)
		tree := cells.tree()
		l := &look{mark: make([]int32, len(ps))}
		found := 0
		for i := range ps {
			got := map[int]int{}
			cells.later(i, l, func(j int) { got[j]++ })
			tree.near(ps[i], i+1, func(j int) {
				if p, q := &ps[i], &ps[j]; meets(p, q) {
					found++
					if got[j] != 1 {
						t.Fatalf("reach %d: piece %d %v meets %d %v and is found %d times; shift %d n %v", reach, i, *p, j, *q, got[j], cells.shift, got)
					}
				}
			})
			clear(got)
			v := ps[i].b
			cells.at(v, func(j int) { got[j]++ })
			tree.near(piece{a: v, b: v}, 0, func(j int) {
				if len(passes(&ps[j], j, v, orient(ps[j].a, ps[j].b, v), nil)) > 0 && got[j] != 1 {
					t.Fatalf("reach %d: piece %d passes an end and is found %d times", reach, j, got[j])
				}
			})
		}
		if found == 0 {
			t.Errorf("reach %d: none meet", reach)
		}
	}
}

// meets reports whether two pieces ask anything of each other.
func meets(p, q *piece) bool {
	var m meeting
	m.meet([]piece{*p, *q}, 0, 1)
	return len(m.cuttings)+len(m.hot) > 0
}

// Pieces that are clear of each other ask nothing: near and far, in all directions.
func TestClearAsksNothing(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 27))
	piece1 := func(reach int32) piece {
		for {
			p := piece{a: pt{rnd.Int32N(reach), rnd.Int32N(reach)}, b: pt{rnd.Int32N(reach), rnd.Int32N(reach)}}
			if p.a.key() < p.b.key() {
				return p
			}
		}
	}
	clears, asks := 0, 0
	for k := range 400_000 {
		reach := int32(4 + k%60)
		p, q := piece1(reach), piece1(reach)
		o1, o2 := orient(p.a, p.b, q.a), orient(p.a, p.b, q.b)
		o3, o4 := orient(q.a, q.b, p.a), orient(q.a, q.b, p.b)
		cuts := passes(&p, 0, q.a, o1, nil)
		cuts = passes(&p, 0, q.b, o2, cuts)
		cuts = passes(&q, 1, p.a, o3, cuts)
		cuts = passes(&q, 1, p.b, o4, cuts)
		cross := o1*o2 < 0 && o3*o4 < 0
		switch isClear := p.clear(o1, o2) || q.clear(o3, o4); {
		case isClear && (len(cuts) > 0 || cross):
			t.Fatalf("%v and %v are clear of each other and ask for %v, crossing %v", p, q, cuts, cross)
		case isClear:
			clears++
		case len(cuts) > 0 || cross:
			asks++
		}
	}
	if clears < 100_000 || asks < 100_000 {
		t.Errorf("%d clear, %d that ask: too few of one", clears, asks)
	}
}
