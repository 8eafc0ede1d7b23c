package island

import (
	"fmt"
	"image"
	"math/rand/v2"
	"slices"
	"testing"
)

// Parts by hand: a ring, what is in it, two pixels that touch at a corner.
func TestFind(t *testing.T) {
	const w = 7
	v := []byte("" +
		"aaaa..b" +
		"a..a.b." +
		"a.ca..." +
		"aaaa.aa")
	for corners, want := range map[bool][]string{
		false: {"a 12 (0,0)-(4,4)", "b 1 (6,0)-(7,1)", "b 1 (5,1)-(6,2)", "c 1 (2,2)-(3,3)", "a 2 (5,3)-(7,4)"},
		true:  {"a 12 (0,0)-(4,4)", "b 2 (5,0)-(7,2)", "c 1 (2,2)-(3,3)", "a 2 (5,3)-(7,4)"},
	} {
		var got []string
		for _, l := range Find(w, v, '.', corners) {
			got = append(got, fmt.Sprintf("%c %d %v", v[l.Runs[0].From], l.N, l.Box))
		}
		if !slices.Equal(got, want) {
			t.Errorf("corners %v: %q, want %q", corners, got, want)
		}
	}
	if got := Find(3, []bool{false, false, false}, false, true); len(got) != 0 {
		t.Errorf("of the sea alone: %v", got)
	}
}

// The islands are those that a plain flood finds, in pictures of chance.
func TestFindIsAFlood(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for n := range 400 {
		w, h := 1+r.IntN(12), 1+r.IntN(12)
		v := make([]int, w*h)
		for i := range v {
			v[i] = r.IntN(3)
		}
		corners := n%2 == 0
		var want [][]int
		seen := make([]bool, len(v))
		for s := range v {
			if v[s] == 0 || seen[s] {
				continue
			}
			seen[s] = true
			px := []int{s}
			for k := 0; k < len(px); k++ {
				at := image.Pt(px[k]%w, px[k]/w)
				for dy := -1; dy <= 1; dy++ {
					for dx := -1; dx <= 1; dx++ {
						q := at.Add(image.Pt(dx, dy))
						if !q.In(image.Rect(0, 0, w, h)) || dx != 0 && dy != 0 && !corners {
							continue
						}
						if j := q.Y*w + q.X; v[j] == v[s] && !seen[j] {
							seen[j] = true
							px = append(px, j)
						}
					}
				}
			}
			slices.Sort(px)
			want = append(want, px)
		}
		got := Find(w, v, 0, corners)
		for i, l := range got {
			if px := l.Pixels(); i >= len(want) || !slices.Equal(px, want[i]) || l.N != len(px) {
				t.Fatalf("%v %d wide, corners %v: island %d is %v", v, w, corners, i, px)
			}
		}
		if len(got) != len(want) {
			t.Fatalf("%v %d wide, corners %v: %d islands, want %d", v, w, corners, len(got), len(want))
		}
	}
}
