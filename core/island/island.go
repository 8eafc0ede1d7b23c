// Package island finds the parts of a picture that hang together.
//
// Pixels are numbered row by row. Parts are kept as runs along rows, of which there are far
// fewer than pixels, and joined by union and find (A. Rosenfeld and J. L. Pfaltz,
// "Sequential Operations in Digital Picture Processing", Journal of the ACM 13, 1966).
package island

import "image"

// An Island is pixels of one value that hang together.
type Island struct {
	Runs []Run // in order
	Box  image.Rectangle
	N    int // pixels
}

// A Run is pixels of one row, from one to before another, by their numbers.
type Run struct{ From, To int }

// Pixels lists the island's pixels, in order.
func (l *Island) Pixels() []int {
	out := make([]int, 0, l.N)
	for _, r := range l.Runs {
		for i := r.From; i < r.To; i++ {
			out = append(out, i)
		}
	}
	return out
}

// Find returns the islands of a picture that is w pixels wide, by their first pixels: pixels
// of one value that touch at their sides and, if corners are asked for, at these too. Those
// of the value sea belong to none.
func Find[T comparable](w int, v []T, sea T, corners bool) []Island {
	reach := 0 // by how much runs of two rows may miss each other
	if corners {
		reach = 1
	}
	var runs []Run
	var of []int // the run that each is joined to
	root := func(i int) int {
		for of[i] != i {
			of[i] = of[of[i]]
			i = of[i]
		}
		return i
	}
	above, first := 0, 0 // where the runs of the row before begin and end
	for row := 0; row < len(v); row += w {
		start := len(runs)
		for i, end := row, row+w; i < end; {
			own, from := v[i], i
			for i++; i < end && v[i] == own; i++ {
			}
			if own == sea {
				continue
			}
			n := len(runs)
			runs, of = append(runs, Run{from, i}), append(of, n)
			for above < first && runs[above].To+w+reach <= from {
				above++
			}
			for a := above; a < first && runs[a].From+w < i+reach; a++ {
				if v[runs[a].From] != own {
					continue
				}
				if x, y := root(a), root(n); x < y { // the first stays, so that the order does
					of[y] = x
				} else {
					of[x] = y
				}
			}
		}
		above, first = start, len(runs)
	}
	return gathered(runs, of, root, w)
}

// gathered makes islands of joined runs.
func gathered(runs []Run, of []int, root func(int) int, w int) []Island {
	at, n := make([]int, len(runs)), 0
	for i := range runs {
		if root(i) == i {
			at[i] = n
			n++
		}
	}
	out := make([]Island, n)
	for i, r := range runs {
		l := &out[at[root(i)]]
		l.Runs = append(l.Runs, r)
		l.N += r.To - r.From
		l.Box = l.Box.Union(image.Rect(r.From%w, r.From/w, (r.To-1)%w+1, r.From/w+1))
	}
	return out
}
