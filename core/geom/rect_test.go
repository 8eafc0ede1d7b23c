package geom

import "testing"

// Boxes by hand: all four numbers differ, so that none can stand for another.
func TestRects(t *testing.T) {
	r := Rect{X0: 1, Y0: 2, X1: 5, Y1: 12}
	if r.W() != 4 || r.H() != 10 || r.Area() != 40 || r.Long() != 10 || r.Centre() != Pt(3, 7) || r.Empty() {
		t.Errorf("%v: %v × %v, %v, %v, middle %v", r, r.W(), r.H(), r.Area(), r.Long(), r.Centre())
	}
	if g := r.Grow(0.5); g != (Rect{0.5, 1.5, 5.5, 12.5}) {
		t.Errorf("grown: %v", g)
	}
	if c := r.Corners(); c != [4]Point{{1, 2}, {5, 2}, {5, 12}, {1, 12}} {
		t.Errorf("corners: %v", c)
	}
	for _, e := range []Rect{{}, {X0: 3, X1: 3, Y1: 9}, {X0: 3, X1: 2, Y1: 9}, {X1: 9, Y0: 4, Y1: 4}, {X1: 9, Y0: 4, Y1: 3}} {
		if !e.Empty() || e.Area() != 0 {
			t.Errorf("%v is not empty: %v", e, e.Area())
		}
		if r.Union(e) != r || e.Union(r) != r {
			t.Errorf("%v adds something: %v, %v", e, r.Union(e), e.Union(r))
		}
	}
	s := Rect{X0: 3, Y0: -4, X1: 9, Y1: 6}
	if u := r.Union(s); u != (Rect{1, -4, 9, 12}) || u != s.Union(r) {
		t.Errorf("both: %v", u)
	}
	if i := r.Intersect(s); i != (Rect{3, 2, 5, 6}) || i != s.Intersect(r) {
		t.Errorf("in common: %v", i)
	}
	for _, apart := range []Rect{{5, 2, 9, 9}, {1, 12, 5, 20}, {-3, 2, 1, 9}, {6, 20, 7, 21}} {
		if i := r.Intersect(apart); i != (Rect{}) {
			t.Errorf("%v and %v have %v in common", r, apart, i)
		}
	}
	for in, want := range map[Rect]bool{r: true, {1, 2, 5, 12.5}: false, {0.5, 2, 5, 12}: false, {1, 1.5, 5, 12}: false, {1, 2, 5.5, 12}: false, {2, 3, 4, 11}: true} {
		if r.Contains(in, 0) != want || !r.Contains(in, 0.5) {
			t.Errorf("%v holds %v: %v, with slack %v", r, in, r.Contains(in, 0), r.Contains(in, 0.5))
		}
	}
	// The row of a matrix is its order: turning what was moved is not moving what
	// was turned.
	if p := Translate(10, 20).Mul(Scale(2, 3)).Apply(Pt(1, 1)); p != Pt(12, 23) {
		t.Errorf("scaled, then moved: %v", p)
	}
	if p := Scale(2, 3).Mul(Translate(10, 20)).Apply(Pt(1, 1)); p != Pt(22, 63) {
		t.Errorf("moved, then scaled: %v", p)
	}
}
