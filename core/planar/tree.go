package planar

// fan is the number of children of a node of the tree.
const fan = 8

// A box holds grid points, borders included.
type box struct{ x0, y0, x1, y1 int32 }

func (b box) join(c box) box {
	return box{min(b.x0, c.x0), min(b.y0, c.y0), max(b.x1, c.x1), max(b.y1, c.y1)}
}

// grown is the box with the one unit round it by which a point can move when it is
// rounded.
func (b box) grown() box { return box{b.x0 - 1, b.y0 - 1, b.x1 + 1, b.y1 + 1} }

// A tree finds the pieces near a piece. Node i of level 0 holds the boxes, grown,
// of the pieces from fan·i on, node i of level k those of the nodes of level k−1
// from fan·i on: neighbours in the list are neighbours in the plane.
type tree struct {
	leaves []box   // of each piece
	levels [][]box // from the leaves' parents to the root
}

// build makes the tree over the boxes of the pieces, which it keeps.
func build(leaves []box) *tree {
	t := &tree{leaves: leaves}
	for below := leaves; ; below = t.levels[len(t.levels)-1] {
		up := make([]box, (len(below)+fan-1)/fan)
		for i := range up {
			b := below[i*fan]
			for _, c := range below[i*fan+1 : min((i+1)*fan, len(below))] {
				b = b.join(c)
			}
			if len(t.levels) == 0 {
				b = b.grown()
			}
			up[i] = b
		}
		t.levels = append(t.levels, up)
		if len(up) <= 1 {
			return t
		}
	}
}

// touches reports whether the segment s may meet the box: their boxes do, and
// not all corners lie on one side of s.
func touches(a, b pt, s, c box) bool {
	if c.x0 > s.x1 || c.x1 < s.x0 || c.y0 > s.y1 || c.y1 < s.y0 {
		return false
	}
	dx, dy := int64(b.x-a.x), int64(b.y-a.y)
	// Twice the box's middle from a, against twice its reach along the normal.
	mx, my := int64(c.x0)+int64(c.x1)-2*int64(a.x), int64(c.y0)+int64(c.y1)-2*int64(a.y)
	d := dx*my - dy*mx
	if dy < 0 {
		dy = -dy
	}
	reach := int64(c.x1-c.x0)*dy + int64(c.y1-c.y0)*dx
	return d <= reach && -d <= reach
}

// near calls f with the pieces from number first on whose boxes p may meet.
func (t *tree) near(p piece, first int, f func(i int)) {
	s := box{p.a.x, min(p.a.y, p.b.y), p.b.x, max(p.a.y, p.b.y)}
	top := len(t.levels) - 1
	t.visit(top, 0, p.a, p.b, s, first, f)
}

// visit looks into node i of a level, whose box p is known to meet or which is
// the root. The pieces below it are those from i·fan^(level+1) on.
func (t *tree) visit(level, i int, a, b pt, s box, first int, f func(int)) {
	if level == 0 {
		for j := max(i*fan, first); j < min((i+1)*fan, len(t.leaves)); j++ {
			if touches(a, b, s, t.leaves[j].grown()) {
				f(j)
			}
		}
		return
	}
	span := fan
	for range level - 1 {
		span *= fan
	}
	below := t.levels[level-1]
	for j := i * fan; j < min((i+1)*fan, len(below)); j++ {
		if (j+1)*span > first && touches(a, b, s, below[j]) {
			t.visit(level-1, j, a, b, s, first, f)
		}
	}
}
