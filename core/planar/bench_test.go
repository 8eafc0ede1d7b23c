package planar

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"dyekit/core/geom"
)

// crowd returns discs and boxes with n curves and lines in all, scattered so
// that each meets a few others whatever n is.
func crowd(n int) []Layer {
	r := rand.New(rand.NewPCG(1, uint64(n)))
	var ls []Layer
	side := 40 * math.Sqrt(float64(n))
	for n > 0 {
		c := geom.Pt(r.Float64(), r.Float64()).Mul(side)
		if r.IntN(2) == 0 {
			ls = append(ls, Layer{Path: geom.Ellipse(c, 20+r.Float64()*20, 20+r.Float64()*20)})
		} else {
			ls = append(ls, Layer{Path: geom.Box(geom.Rect{X0: c.X, Y0: c.Y, X1: c.X + 20 + r.Float64()*40, Y1: c.Y + 20 + r.Float64()*40})})
		}
		n -= 4
	}
	return ls
}

func BenchmarkUnion(b *testing.B) {
	for _, n := range []int{1000, 10000, 100000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			ls := crowd(n)
			b.ReportAllocs()
			for b.Loop() {
				if _, err := Union(bg, ls...); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
