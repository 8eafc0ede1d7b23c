package svg

import (
	"math"
	"testing"

	"dyekit/core/colour"
)

func effect(kind, values string, more ...string) *element {
	a := map[string]string{"type": kind, "values": values}
	for i := 0; i+1 < len(more); i += 2 {
		a[more[i]] = more[i+1]
	}
	return &element{attrs: a}
}

// The matrices of SVG 1.1 section 15.10 by what they are for: greys stay what they
// are, whatever the angle and the saturation; no hue is turned by 0; nothing is
// saturated by 1, and all is grey by 0; and the entries at a right angle, where only
// one of sine and cosine is left, are the standard's own figures.
func TestColourMatrices(t *testing.T) {
	near := func(a, b float64) bool { return math.Abs(a-b) < 1e-9 }
	for _, values := range []string{"0", "30", "90", "-45", "180", "271.5"} {
		m := matrixOp(effect("hueRotate", values)).M
		for row := range 3 {
			if sum := m[5*row] + m[5*row+1] + m[5*row+2]; !near(sum, 1) {
				t.Errorf("hueRotate %s: grey becomes %v of itself in row %d", values, sum, row)
			}
		}
		if m[18] != 1 {
			t.Errorf("hueRotate %s: opacity × %v", values, m[18])
		}
	}
	for _, id := range [][2]string{{"hueRotate", "0"}, {"saturate", "1"}, {"matrix", ""}, {"matrix", "1 2 3"}} {
		m := matrixOp(effect(id[0], id[1])).M
		for i, v := range m {
			want := 0.0
			if i == 0 || i == 6 || i == 12 || i == 18 {
				want = 1
			}
			if !near(v, want) {
				t.Errorf("%v: entry %d is %v", id, i, v)
			}
		}
	}
	quarter := matrixOp(effect("hueRotate", "90")).M
	for i, want := range map[int]float64{0: 0, 1: 0, 2: 1, 5: 0.356, 6: 0.855, 7: -0.211, 10: -0.574, 11: 1.430, 12: 0.144} {
		if math.Abs(quarter[i]-want) > 5e-4 {
			t.Errorf("hueRotate 90: entry %d is %v, want %v", i, quarter[i], want)
		}
	}
	for s, want := range map[string][9]float64{"0": {0.213, 0.715, 0.072, 0.213, 0.715, 0.072, 0.213, 0.715, 0.072}, "0.5": {0.6065, 0.3575, 0.036, 0.1065, 0.8575, 0.036, 0.1065, 0.3575, 0.536}} {
		m := matrixOp(effect("saturate", s)).M
		for i, w := range want {
			if got := m[i/3*5+i%3]; !near(got, w) {
				t.Errorf("saturate %s: entry %d is %v, want %v", s, i, got, w)
			}
		}
	}
	m := matrixOp(effect("luminanceToAlpha", "")).M
	if m[15] != colour.LumaR || m[16] != colour.LumaG || m[17] != colour.LumaB || m[18] != 0 || m[0] != 0 {
		t.Errorf("luminanceToAlpha: %v", m)
	}
	if m := matrixOp(effect("matrix", "1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20")).M; m[0] != 1 || m[19] != 20 {
		t.Errorf("matrix: %v", m)
	}
}

// The functions of feComponentTransfer, SVG 1.1 section 15.11, at the values of its
// text: a table is linear between its entries, a discrete one has steps as wide.
func TestTransferFunctions(t *testing.T) {
	for name, c := range map[string]struct {
		e    *element
		want map[float64]float64
	}{
		"identity":       {effect("identity", ""), map[float64]float64{0: 0, 0.3: 0.3, 1: 1}},
		"unknown":        {effect("nosuch", ""), map[float64]float64{0.3: 0.3}},
		"table":          {effect("table", "", "tableValues", "0 1 0.5"), map[float64]float64{0: 0, 0.25: 0.5, 0.5: 1, 0.75: 0.75, 1: 0.5}},
		"a table of one": {effect("table", "", "tableValues", "0.4"), map[float64]float64{0: 0.4, 1: 0.4}},
		"no table":       {effect("table", ""), map[float64]float64{0.3: 0.3}},
		"discrete":       {effect("discrete", "", "tableValues", "0 1 0.5"), map[float64]float64{0: 0, 0.33: 0, 0.34: 1, 0.66: 1, 0.67: 0.5, 1: 0.5}},
		"no steps":       {effect("discrete", ""), map[float64]float64{0.3: 0.3}},
		"linear":         {effect("linear", "", "slope", "2", "intercept", "-0.25"), map[float64]float64{0: -0.25, 0.5: 0.75}},
		"linear, unsaid": {effect("linear", ""), map[float64]float64{0.3: 0.3}},
		"gamma":          {effect("gamma", "", "amplitude", "2", "exponent", "3", "offset", "0.5"), map[float64]float64{0: 0.5, 0.5: 0.75, 1: 2.5}},
		"gamma, unsaid":  {effect("gamma", ""), map[float64]float64{0.3: 0.3}},
	} {
		f := transferFunc(c.e)
		for x, want := range c.want {
			if got := f(x); math.Abs(got-want) > 1e-9 {
				t.Errorf("%s: f(%v) is %v, want %v", name, x, got, want)
			}
		}
	}
}

// A convolution is what its attributes say, with the defaults of SVG 1.1 section
// 15.13, and what is in error is seen.
func TestConvolutions(t *testing.T) {
	kernel := func(more ...string) *element {
		return effect("", "", append([]string{"kernelMatrix", "1 2 3 4 5 6 7 8 9"}, more...)...)
	}
	c, ok := convolveOp(kernel())
	if !ok || c.W != 3 || c.H != 3 || c.Divisor != 45 || c.TX != 1 || c.TY != 1 || c.Bias != 0 || c.Edge != "duplicate" || c.Preserve {
		t.Errorf("as it is by itself: %+v, %v", c, ok)
	}
	c, ok = convolveOp(kernel("divisor", "2", "bias", "0.5", "targetX", "0", "targetY", "2", "preserveAlpha", "true", "edgeMode", "wrap"))
	if !ok || c.Divisor != 2 || c.Bias != 0.5 || c.TX != 0 || c.TY != 2 || !c.Preserve || c.Edge != "wrap" {
		t.Errorf("all said: %+v, %v", c, ok)
	}
	if c, ok := convolveOp(effect("", "", "order", "2 1", "kernelMatrix", "1 -1")); !ok || c.W != 2 || c.H != 1 || c.Divisor != 1 || c.TX != 1 || c.TY != 0 {
		t.Errorf("two columns, one row, of no sum: %+v, %v", c, ok)
	}
	if c, ok := convolveOp(kernel("divisor", "0")); !ok || c.Divisor != 45 {
		t.Errorf("divided by nothing: %+v, %v", c, ok)
	}
	for name, e := range map[string]*element{
		"too few":       effect("", "", "kernelMatrix", "1 2 3"),
		"half a column": kernel("order", "1.5"), "no rows": effect("", "", "order", "1 0", "kernelMatrix", ""), "too large": kernel("order", "65"),
		"beside it": kernel("targetX", "3"), "above it": kernel("targetY", "-1"), "below it": kernel("targetY", "3"), "left of it": kernel("targetX", "-1"),
	} {
		if c, ok := convolveOp(e); ok {
			t.Errorf("%s: %+v", name, c)
		}
	}
}
