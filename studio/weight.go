package studio

import (
	"context"
	"math"

	"dyekit/core/kit"
)

// A Weight is how heavy a file will be.
type Weight struct {
	Bytes    int
	Measured bool // made and counted, not estimated
}

// Weights returns the weight of every planned file, in order.
func (w *Work) Weights() []Weight { return w.weights() }

// Total adds the weights up; exact is false if any is an estimate.
func Total(ws []Weight) (bytes int, exact bool) {
	exact = true
	for _, x := range ws {
		bytes += x.Bytes
		exact = exact && x.Measured
	}
	return bytes, exact
}

// small is the longer side up to which a picture is made to be weighed.
const small = 400

// weigh makes files of curves and small pictures, and estimates large
// pictures from two small ones: what weighs are the edges, whose length grows
// with the side, so the weight follows a power of it near one.
func (w *Work) weigh(ctx context.Context) []Weight {
	out := make([]Weight, len(w.Plan.Files))
	for i, f := range w.Plan.Files {
		long := max(f.W, f.H)
		if long <= small {
			if b, err := kit.Sample(ctx, w.Plan, w.Mark.Brand(), f); err == nil {
				out[i] = Weight{len(b), true}
			}
			continue
		}
		at := func(side int) float64 {
			g := f
			k := float64(side) / float64(long)
			g.W, g.H = max(1, int(float64(f.W)*k)), max(1, int(float64(f.H)*k))
			b, err := kit.Sample(ctx, w.Plan, w.Mark.Brand(), g)
			if err != nil {
				return 0
			}
			return float64(len(b))
		}
		a, b := at(small/2), at(small)
		if a <= 0 || b <= 0 {
			continue
		}
		// Measured on the demo marks, the power is a tenth higher between
		// large sizes than between small ones.
		p := min(2, max(0.5, math.Log2(b/a)+0.1))
		out[i] = Weight{int(b * math.Pow(float64(long)/small, p)), false}
	}
	return out
}
