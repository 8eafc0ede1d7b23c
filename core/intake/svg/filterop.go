package svg

import (
	"math"
	"strconv"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

func orElse(s, def string) string {
	if s == "" {
		return def
	}
	return s
}

func ftoa(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// one reads a single number, or def.
func one(s string, def float64) float64 {
	if v := numbers(s); len(v) > 0 {
		return v[0]
	}
	return def
}

// matrixOp reads feColorMatrix (SVG 1.1 section 15.10).
func matrixOp(e *element) drawing.ColourMatrix {
	v := numbers(e.attrs["values"])
	id := drawing.ColourMatrix{M: [20]float64{0: 1, 6: 1, 12: 1, 18: 1}}
	switch e.attrs["type"] {
	case "saturate":
		return saturated(one(e.attrs["values"], 1))
	case "hueRotate":
		return hueRotated(one(e.attrs["values"], 0))
	case "luminanceToAlpha":
		return drawing.ColourMatrix{M: [20]float64{15: colour.LumaR, 16: colour.LumaG, 17: colour.LumaB}}
	}
	if len(v) != 20 {
		return id
	}
	return drawing.ColourMatrix{M: [20]float64(v)}
}

// saturated and hueRotated are two of the matrices (SVG 1.1 section 15.10), the latter
// by degrees.
func saturated(s float64) drawing.ColourMatrix {
	return drawing.ColourMatrix{M: [20]float64{
		0.213 + 0.787*s, 0.715 - 0.715*s, 0.072 - 0.072*s, 0, 0,
		0.213 - 0.213*s, 0.715 + 0.285*s, 0.072 - 0.072*s, 0, 0,
		0.213 - 0.213*s, 0.715 - 0.715*s, 0.072 + 0.928*s, 0, 0,
		0, 0, 0, 1, 0,
	}}
}

func hueRotated(degrees float64) drawing.ColourMatrix {
	s, c := math.Sincos(degrees * math.Pi / 180)
	return drawing.ColourMatrix{M: [20]float64{
		0.213 + c*0.787 - s*0.213, 0.715 - c*0.715 - s*0.715, 0.072 - c*0.072 + s*0.928, 0, 0,
		0.213 - c*0.213 + s*0.143, 0.715 + c*0.285 + s*0.140, 0.072 - c*0.072 - s*0.283, 0, 0,
		0.213 - c*0.213 - s*0.787, 0.715 - c*0.715 + s*0.715, 0.072 + c*0.928 + s*0.072, 0, 0,
		0, 0, 0, 1, 0,
	}}
}

// transferFunc reads one function of feComponentTransfer (section 15.11).
func transferFunc(e *element) func(float64) float64 {
	v := numbers(e.attrs["tableValues"])
	n := len(v)
	switch e.attrs["type"] {
	case "table":
		if n == 0 {
			break
		}
		return func(c float64) float64 {
			if n == 1 || c >= 1 {
				return v[n-1]
			}
			k := int(c * float64(n-1))
			return v[k] + (c*float64(n-1)-float64(k))*(v[k+1]-v[k])
		}
	case "discrete":
		if n == 0 {
			break
		}
		return func(c float64) float64 { return v[min(n-1, int(c*float64(n)))] }
	case "linear":
		s, i := one(e.attrs["slope"], 1), one(e.attrs["intercept"], 0)
		return func(c float64) float64 { return s*c + i }
	case "gamma":
		a, x, o := one(e.attrs["amplitude"], 1), one(e.attrs["exponent"], 1), one(e.attrs["offset"], 0)
		return func(c float64) float64 { return a*math.Pow(c, x) + o }
	}
	return func(c float64) float64 { return c }
}

// maxKernel bounds the side of a convolution's matrix.
const maxKernel = 64

// convolveOp reads feConvolveMatrix; ok is false if its values are in error.
func convolveOp(e *element) (drawing.ConvolveMatrix, bool) {
	c := drawing.ConvolveMatrix{W: 3, H: 3, Edge: orElse(e.attrs["edgeMode"], "duplicate"), Preserve: e.attrs["preserveAlpha"] == "true"}
	if v := numbers(e.attrs["order"]); len(v) > 0 {
		c.W, c.H = int(v[0]), int(v[len(v)-1])
		if v[0] != math.Trunc(v[0]) || v[len(v)-1] != math.Trunc(v[len(v)-1]) {
			return c, false
		}
	}
	c.Kernel = numbers(e.attrs["kernelMatrix"])
	if c.W < 1 || c.H < 1 || c.W > maxKernel || c.H > maxKernel || len(c.Kernel) != c.W*c.H {
		return c, false
	}
	sum := 0.0
	for _, k := range c.Kernel {
		sum += k
	}
	if sum == 0 {
		sum = 1
	}
	c.Divisor = one(e.attrs["divisor"], sum)
	if c.Divisor == 0 {
		c.Divisor = sum
	}
	c.Bias = one(e.attrs["bias"], 0)
	c.TX = int(one(e.attrs["targetX"], float64(c.W/2)))
	c.TY = int(one(e.attrs["targetY"], float64(c.H/2)))
	return c, c.TX >= 0 && c.TX < c.W && c.TY >= 0 && c.TY < c.H
}
