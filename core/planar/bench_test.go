package planar

import (
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"
	"time"

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

// BenchmarkGrowth gives the power with which the time grows from 10 000 to
// 100 000 curves, and the memory for each curve at both sizes.
func BenchmarkGrowth(b *testing.B) {
	run := func(ls []Layer) (took time.Duration, bytes uint64) {
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		start := time.Now()
		if _, err := Union(bg, ls...); err != nil {
			b.Fatal(err)
		}
		took = time.Since(start)
		runtime.ReadMemStats(&after)
		return took, after.TotalAlloc - before.TotalAlloc
	}
	few, many := crowd(10_000), crowd(100_000)
	run(few)
	var t, t10 time.Duration
	var m, m10 uint64
	for range b.N {
		for range 5 { // as long as one of many
			took, bytes := run(few)
			t, m = t+took/5, m+bytes/5
		}
		took, bytes := run(many)
		t10, m10 = t10+took, m10+bytes
	}
	b.ReportMetric(math.Log10(float64(t10)/float64(t)), "power")
	b.ReportMetric(float64(m)/10_000/float64(b.N), "B/curve-at-10k")
	b.ReportMetric(float64(m10)/100_000/float64(b.N), "B/curve-at-100k")
}
