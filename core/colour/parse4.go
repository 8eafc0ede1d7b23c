package colour

import (
	"math"
	"strconv"
	"strings"
)

// hue reads an angle in degrees (CSS Values 4, section 6.1).
func hue(s string) (float64, bool) {
	if s == "none" {
		return 0, true
	}
	k := 1.0
	for unit, of := range map[string]float64{"deg": 1, "grad": 0.9, "rad": 180 / math.Pi, "turn": 360} {
		if v, ok := strings.CutSuffix(s, unit); ok && (unit != "rad" || !strings.HasSuffix(s, "grad")) {
			s, k = v, of
		}
	}
	v, err := strconv.ParseFloat(s, 64)
	return v * k, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

// channel reads a number, or a percentage of full.
func channel(s string, full float64) (float64, bool) {
	if s == "none" {
		return 0, true
	}
	k := 1.0
	if p, ok := strings.CutSuffix(s, "%"); ok {
		s, k = p, full/100
	}
	v, err := strconv.ParseFloat(s, 64)
	return v * k, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

// modern reads the colour functions of CSS Color 4 that are not told by red, green and
// blue of sRGB. What lies outside sRGB is cut off channel by channel, as on a screen.
func modern(name string, args []string) (c RGB, ok bool) {
	if len(args) != 3 {
		return c, false
	}
	read := func(full ...float64) (v [3]float64, ok bool) {
		ok = true
		for i := range v {
			x, good := channel(args[i], full[i])
			v[i], ok = x, ok && good
		}
		return v, ok
	}
	polar := func(v [3]float64) ([3]float64, bool) {
		h, ok := hue(args[2])
		sin, cos := math.Sincos(h * math.Pi / 180)
		return [3]float64{v[0], v[1] * cos, v[1] * sin}, ok
	}
	switch name {
	case "hwb": // section 8.1
		h, okh := hue(args[0])
		w, okw := channel(args[1], 1)
		b, okb := channel(args[2], 1)
		if !strings.HasSuffix(args[1], "%") {
			w /= 100
		}
		if !strings.HasSuffix(args[2], "%") {
			b /= 100
		}
		if w+b >= 1 {
			g := w / (w + b)
			return RGB{g, g, g}, okh && okw && okb
		}
		p := hsl(h, 1, 0.5)
		mix := func(v float64) float64 { return v*(1-w-b) + w }
		return RGB{mix(p.R), mix(p.G), mix(p.B)}, okh && okw && okb
	case "lab":
		v, ok := read(100, 125, 125)
		return fromXYZ50(xyzOfLab(v)), ok
	case "oklab":
		v, ok := read(1, 0.4, 0.4)
		return fromOK(v), ok
	case "lch", "oklch":
		full, chroma := 100.0, 150.0
		if name == "oklch" {
			full, chroma = 1, 0.4
		}
		l, okl := channel(args[0], full)
		ch, okc := channel(args[1], chroma)
		v, okh := polar([3]float64{l, max(0, ch)})
		if name == "oklch" {
			return fromOK(v), okl && okc && okh
		}
		return fromXYZ50(xyzOfLab(v)), okl && okc && okh
	case "srgb-linear":
		v, ok := read(1, 1, 1)
		return gammaOf(v), ok
	case "display-p3": // section 10.4, with the transfer of sRGB
		v, ok := read(1, 1, 1)
		for i := range v {
			v[i] = linearOf(v[i])
		}
		return gammaOf(times([9]float64{
			1.2249401762805598, -0.2249401762805598, 0,
			-0.0420569547096881, 1.0420569547096881, 0,
			-0.0196375545903344, -0.0786360455506319, 1.0982736001409663,
		}, v)), ok
	}
	return c, false
}

// times is a matrix, row by row, applied to a vector.
func times(m [9]float64, v [3]float64) (o [3]float64) {
	for i := range o {
		o[i] = m[3*i]*v[0] + m[3*i+1]*v[1] + m[3*i+2]*v[2]
	}
	return o
}

// linearOf and gammaOf are the transfer of sRGB (IEC 61966-2-1), for values beyond it too.
func linearOf(v float64) float64 {
	if a := math.Abs(v); a > 0.04045 {
		return math.Copysign(math.Pow((a+0.055)/1.055, 2.4), v)
	}
	return v / 12.92
}

func gammaOf(v [3]float64) RGB {
	for i := range v {
		v[i] = Encoded(min(1, max(0, v[i])))
	}
	return RGB{v[0], v[1], v[2]}
}

// xyzOfLab is CIE XYZ of CIE Lab, both under D50 (CSS Color 4, section 9.1).
func xyzOfLab(v [3]float64) [3]float64 {
	const e, k = 216.0 / 24389, 24389.0 / 27
	fy := (v[0] + 16) / 116
	fx, fz := fy+v[1]/500, fy-v[2]/200
	cube := func(f float64) float64 {
		if f*f*f > e {
			return f * f * f
		}
		return (116*f - 16) / k
	}
	y := v[0] / k
	if v[0] > k*e {
		y = fy * fy * fy
	}
	return [3]float64{cube(fx) * 0.3457 / 0.3585, y, cube(fz) * (1 - 0.3457 - 0.3585) / 0.3585}
}

// fromXYZ50 is sRGB of CIE XYZ under D50, adapted by Bradford (CSS Color 4, section 18).
func fromXYZ50(v [3]float64) RGB {
	d65 := times([9]float64{
		0.9554734527042182, -0.023098536874261423, 0.0632593086610217,
		-0.028369706963208136, 1.0099954580058226, 0.021041398966943008,
		0.012314001688319899, -0.020507696433477912, 1.3303659366080753,
	}, v)
	return gammaOf(times([9]float64{
		12831.0 / 3959, -329.0 / 214, -1974.0 / 3959,
		-851781.0 / 878810, 1648619.0 / 878810, 36519.0 / 878810,
		705.0 / 12673, -2585.0 / 12673, 705.0 / 667,
	}, d65))
}

// fromOK is sRGB of Oklab (CSS Color 4, section 9.3).
func fromOK(v [3]float64) RGB {
	l := times([9]float64{1, 0.3963377773761749, 0.2158037573099136, 1, -0.1055613458156586, -0.0638541728258133, 1, -0.0894841775298119, -1.2914855480194092}, v)
	for i := range l {
		l[i] = l[i] * l[i] * l[i]
	}
	return gammaOf(times([9]float64{
		4.0767416360759583, -3.3077115392580625, 0.2309699031821043,
		-1.2684379732850315, 2.6097573492876882, -0.341319376002657,
		-0.0041960761386756, -0.7034186179359362, 1.7076146940746117,
	}, l))
}
