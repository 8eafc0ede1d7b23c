package geom

import "math"

// Solve solves the linear equations a x = b by elimination, with the largest pivot of each
// column; ok is false if they do not tell. Both are written over.
func Solve(a [][]float64, b []float64) (x []float64, ok bool) {
	const none = 1e-12
	for i := range b {
		p := i
		for k := range b[i:] {
			if math.Abs(a[i+k][i]) > math.Abs(a[p][i]) {
				p = i + k
			}
		}
		if math.Abs(a[p][i]) < none {
			return nil, false
		}
		a[i], a[p], b[i], b[p] = a[p], a[i], b[p], b[i]
		for k := i + 1; k < len(b); k++ {
			f := a[k][i] / a[i][i]
			for j := i; j < len(b); j++ {
				a[k][j] -= f * a[i][j]
			}
			b[k] -= f * b[i]
		}
	}
	for i := len(b) - 1; i >= 0; i-- {
		for j := i + 1; j < len(b); j++ {
			b[i] -= a[i][j] * b[j]
		}
		b[i] /= a[i][i]
	}
	return b, true
}
