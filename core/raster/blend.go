package raster

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// blend lays src with opacity a over dst by a blend mode (Compositing and
// Blending Level 1, section 5). Both are premultiplied.
func blend(dst, src layer, a float32, mode drawing.BlendMode) {
	for i := 0; i+3 < len(dst); i += 4 {
		as := src[i+3] * a
		if as == 0 {
			continue
		}
		ab := dst[i+3]
		var cs, cb, mix [3]float32
		for c := range 3 {
			cs[c] = src[i+c] * a / as
			if ab > 0 {
				cb[c] = dst[i+c] / ab
			}
		}
		if mode >= drawing.Hue {
			mix = nonSeparable(cb, cs, mode)
		} else {
			for c := range 3 {
				mix[c] = separable(cb[c], cs[c], mode)
			}
		}
		for c := range 3 {
			dst[i+c] = (1-ab)*as*cs[c] + (1-as)*ab*cb[c] + as*ab*mix[c]
		}
		dst[i+3] = as + ab*(1-as)
	}
}

// separable is the mixing function B(cb, cs) of section 5.1.
func separable(b, s float32, mode drawing.BlendMode) float32 {
	switch mode {
	case drawing.Multiply:
		return b * s
	case drawing.Screen:
		return b + s - b*s
	case drawing.Overlay:
		return separable(s, b, drawing.HardLight)
	case drawing.Darken:
		return min(b, s)
	case drawing.Lighten:
		return max(b, s)
	case drawing.ColorDodge:
		switch {
		case b == 0:
			return 0
		case s >= 1:
			return 1
		}
		return min(1, b/(1-s))
	case drawing.ColorBurn:
		switch {
		case b >= 1:
			return 1
		case s <= 0:
			return 0
		}
		return 1 - min(1, (1-b)/s)
	case drawing.HardLight:
		if s <= 0.5 {
			return b * 2 * s
		}
		return separable(b, 2*s-1, drawing.Screen)
	case drawing.SoftLight:
		if s <= 0.5 {
			return b - (1-2*s)*b*(1-b)
		}
		d := float32(math.Sqrt(float64(b)))
		if b <= 0.25 {
			d = ((16*b-12)*b + 4) * b
		}
		return b + (2*s-1)*(d-b)
	case drawing.Difference:
		return max(b-s, s-b)
	case drawing.Exclusion:
		return b + s - 2*b*s
	}
	return s
}

// nonSeparable mixes hue, saturation and luminosity (section 5.2).
func nonSeparable(b, s [3]float32, mode drawing.BlendMode) [3]float32 {
	switch mode {
	case drawing.Hue:
		return setLum(setSat(s, sat(b)), lum(b))
	case drawing.Saturation:
		return setLum(setSat(b, sat(s)), lum(b))
	case drawing.Color:
		return setLum(s, lum(b))
	}
	return setLum(b, lum(s))
}

var lumR, lumG, lumB = float32(colour.Blending.R), float32(colour.Blending.G), float32(colour.Blending.B)

func lum(c [3]float32) float32 { return lumR*c[0] + lumG*c[1] + lumB*c[2] }
func sat(c [3]float32) float32 { return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2]) }

func setLum(c [3]float32, l float32) [3]float32 {
	d := l - lum(c)
	for i := range c {
		c[i] += d
	}
	l = lum(c)
	n, x := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	for i := range c {
		if n < 0 {
			c[i] = l + (c[i]-l)*l/(l-n)
		}
		if x > 1 {
			c[i] = l + (c[i]-l)*(1-l)/(x-l)
		}
	}
	return c
}

func setSat(c [3]float32, s float32) [3]float32 {
	n, x := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	if x == n {
		return [3]float32{}
	}
	for i := range c {
		c[i] = (c[i] - n) * s / (x - n)
	}
	return c
}

// linear and encoded are the sRGB transfer function and its inverse (IEC
// 61966-2-1), from tables fine enough for 8-bit results.
func linear(v float32) float32  { return table(&toLinear, v) }
func encoded(v float32) float32 { return table(&toEncoded, v) }

const tableSize = 4096

var toLinear, toEncoded = func() (l, e [tableSize + 2]float32) {
	for i := range l {
		v := float64(i) / tableSize
		l[i] = float32(v / 12.92)
		if v > 0.04045 {
			l[i] = float32(math.Pow((v+0.055)/1.055, 2.4))
		}
		// The inverse is steep at 0: its table is indexed by the root.
		v *= v
		e[i] = float32(v * 12.92)
		if v > 0.0031308 {
			e[i] = float32(1.055*math.Pow(v, 1/2.4) - 0.055)
		}
	}
	return l, e
}()

func table(t *[tableSize + 2]float32, v float32) float32 {
	v = min(1, max(0, v))
	if t == &toEncoded {
		v = float32(math.Sqrt(float64(v)))
	}
	x := v * tableSize
	i := int(x)
	f := x - float32(i)
	return t[i] + (t[i+1]-t[i])*f
}
