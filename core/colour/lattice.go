package colour

// A Lattice is a regular grid of values over some axes, the last axis running
// fastest. Between the grid points values are interpolated linearly along each
// axis.
type Lattice struct {
	Sides []int     // grid points on each axis, at least 2
	Width int       // values at each grid point
	V     []float64 // Width times the product of Sides
}

// At writes the values at a place into out: on axis k, t[k] of the way from grid
// point cell[k] to the next, 0 to 1.
func (l *Lattice) At(cell []int, t, out []float64) {
	clear(out)
	for corner := range 1 << len(l.Sides) {
		w, at := 1.0, 0
		for k, n := range l.Sides {
			up := corner >> k & 1
			if up == 1 {
				w *= t[k]
			} else {
				w *= 1 - t[k]
			}
			at = at*n + cell[k] + up
		}
		if w == 0 {
			continue
		}
		for i, v := range l.V[l.Width*at : l.Width*(at+1)] {
			out[i] += w * v
		}
	}
}

// Cell finds the cell that v, 0 to 1, falls into on an axis of evenly spaced grid
// points, and how far into it.
func Cell(v float64, points int) (cell int, t float64) {
	v = min(1, max(0, v)) * float64(points-1)
	cell = min(points-2, int(v))
	return cell, v - float64(cell)
}
