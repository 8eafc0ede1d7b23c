package colour

// A Lattice is a regular grid of values over some axes, the last axis running
// fastest. Between the grid points values are interpolated linearly along each
// axis.
type Lattice struct {
	Sides []int     // grid points on each axis, at least 2; at most maxAxes axes
	Width int       // values at each grid point
	V     []float64 // Width times the product of Sides
}

// maxAxes is how many inks or channels are looked up together.
const maxAxes = 4

// At writes the values at a place into out: on axis k, t[k] of the way from grid
// point cell[k] to the next, 0 to 1.
func (l *Lattice) At(cell []int, t, out []float64) {
	var weight [1 << maxAxes]float64 // of the corners of the cell
	var at [1 << maxAxes]int
	weight[0] = 1
	n := 1
	for k, side := range l.Sides {
		up := t[k]
		for c := range n {
			w, i := weight[c], at[c]*side+cell[k]
			weight[c], at[c] = w*(1-up), i
			weight[c+n], at[c+n] = w*up, i+1
		}
		n *= 2
	}
	clear(out)
	for c, w := range weight[:n] {
		if w == 0 {
			continue
		}
		i := l.Width * at[c]
		for k, v := range l.V[i : i+l.Width] {
			out[k] += w * v
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
