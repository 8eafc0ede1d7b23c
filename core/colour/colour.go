// Package colour holds colours as their makers declared them, and the sums of
// the trade about them: parsing, contrast, visible difference, tints, and a
// proposed build for the press.
//
// A colour always has the sRGB value it is shown in; a CMYK build or a spot
// plate comes on top and is never changed by a conversion. Pixels, ICC engines
// and files do not belong here.
package colour

import (
	"fmt"
	"math"
)

// RGB is an sRGB colour (IEC 61966-2-1), each channel from 0 to 1, encoded as
// displays take it (not linear light).
type RGB struct{ R, G, B float64 }

// CMYK is a process build, each ink from 0 to 100 percent.
type CMYK struct{ C, M, Y, K float64 }

// A Colour is a declared colour. The zero Colour is screen black.
type Colour struct {
	RGB   RGB
	Build CMYK    // the declared build, if Built
	Built bool    // whether Build was declared
	Spot  string  // name of the plate; empty for process colours
	Tint  float64 // percent of the spot ink; 0 stands for the full ink
	Mix   Mixture // of several plates; its colour has no Spot, and its Build stands for it
}

// Of is how much of a plate is in the colour, from 0 to 1: of a spot ink, or of a process
// ink by its name.
func (c Colour) Of(plate string) float64 {
	switch {
	case c.Spot == plate && plate != "":
		if c.Tint == 0 {
			return 1
		}
		return c.Tint / 100
	case c.Spot != "":
		return 0
	case !c.Mix.IsZero():
		return c.Mix.Of(plate) / 100
	}
	b, _ := c.Press()
	switch plate {
	case "Cyan":
		return b.C / 100
	case "Magenta":
		return b.M / 100
	case "Yellow":
		return b.Y / 100
	case "Black":
		return b.K / 100
	}
	return 0
}

// Spots lists the spot plates in which the colour lies.
func (c Colour) Spots() (names []string) {
	if c.Spot != "" {
		return []string{c.Spot}
	}
	for _, a := range c.Mix.Amounts() {
		if !IsProcess(a.Plate) {
			names = append(names, a.Plate)
		}
	}
	return names
}

// IsProcess reports whether a plate is one of the four process inks by its name.
func IsProcess(plate string) bool {
	return plate == "Cyan" || plate == "Magenta" || plate == "Yellow" || plate == "Black"
}

// Screen returns a colour declared by its sRGB value alone.
func Screen(c RGB) Colour { return Colour{RGB: c} }

var (
	Black = RGB{}
	White = RGB{1, 1, 1}
)

// Hex returns the colour as #rrggbb, rounded to 8 bits.
func (c RGB) Hex() string {
	r, g, b := c.Bytes()
	return fmt.Sprintf("#%02x%02x%02x", r, g, b)
}

// Bytes rounds to 8 bits a channel.
func (c RGB) Bytes() (r, g, b uint8) { return byteOf(c.R), byteOf(c.G), byteOf(c.B) }

func byteOf(v float64) uint8 { return uint8(math.Round(min(1, max(0, v)) * 255)) }

// FromBytes is the inverse of Bytes.
func FromBytes(r, g, b uint8) RGB {
	return RGB{float64(r) / 255, float64(g) / 255, float64(b) / 255}
}

// Over returns c painted with the given opacity on the ground, mixed in
// encoded sRGB as every renderer of SVG 1.1 does.
func (c RGB) Over(ground RGB, alpha float64) RGB {
	mix := func(a, b float64) float64 { return b + (a-b)*alpha }
	return RGB{mix(c.R, ground.R), mix(c.G, ground.G), mix(c.B, ground.B)}
}

// Linear undoes the sRGB transfer function (IEC 61966-2-1).
func Linear(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// Encoded applies the sRGB transfer function (IEC 61966-2-1) to linear light,
// cut to what a screen can show.
func Encoded(v float64) float64 {
	if v <= 0.0031308 {
		return max(0, 12.92*v)
	}
	return min(1, 1.055*math.Pow(v, 1/2.4)-0.055)
}

// Luminance is the relative luminance of WCAG 2.2, from 0 to 1.
func (c RGB) Luminance() float64 {
	return BT709.Of(Linear(c.R), Linear(c.G), Linear(c.B))
}

// Weights are the shares of red, green and blue in brightness. Standards differ
// in them: which ones are meant follows from what the brightness is for.
type Weights struct{ R, G, B float64 }

var (
	BT709    = Weights{0.2126, 0.7152, 0.0722} // of linear light: relative luminance (ITU-R BT.709, WCAG 2.2)
	BT601    = Weights{0.299, 0.587, 0.114}    // of encoded channels in JPEG and in grey pictures (ITU-R BT.601, JFIF 1.02)
	Masking  = Weights{LumaR, LumaG, LumaB}    // of encoded channels in masks (SVG 1.1, section 14.4)
	Blending = Weights{0.3, 0.59, 0.11}        // of encoded channels in blends (W3C Compositing and Blending 1, section 10.2)
)

// LumaR, LumaG and LumaB are Masking for numbers of any kind.
const LumaR, LumaG, LumaB = 0.2125, 0.7154, 0.0721

// Of is the brightness of a colour, in the unit of its channels.
func (w Weights) Of(r, g, b float64) float64 { return w.R*r + w.G*g + w.B*b }

// Luma is the brightness of c in a mask, from 0 to 1, encoded as c is.
func (c RGB) Luma() float64 { return Masking.Of(c.R, c.G, c.B) }

// Contrast is the ratio (L1+0.05)/(L2+0.05) of WCAG 2.2, from 1 to 21.
func Contrast(a, b RGB) float64 {
	l, m := a.Luminance(), b.Luminance()
	return (max(l, m) + 0.05) / (min(l, m) + 0.05)
}

// Lab is CIE 1976 L*a*b* under D65, as sRGB defines its white.
type Lab struct{ L, A, B float64 }

// Chroma is the distance from the grey axis.
func (l Lab) Chroma() float64 { return math.Hypot(l.A, l.B) }

// xyz is the colour in CIE XYZ under D65, by the matrix of IEC 61966-2-1.
func (c RGB) xyz() (x, y, z float64) {
	r, g, b := Linear(c.R), Linear(c.G), Linear(c.B)
	return 0.4124564*r + 0.3575761*g + 0.1804375*b,
		0.2126729*r + 0.7151522*g + 0.0721750*b,
		0.0193339*r + 0.1191920*g + 0.9503041*b
}

// Lab converts by the matrix of IEC 61966-2-1 and the formulae of CIE 15.
func (c RGB) Lab() Lab {
	x, y, z := c.xyz()
	f := func(t float64) float64 {
		const d = 6.0 / 29
		if t > d*d*d {
			return math.Cbrt(t)
		}
		return t/(3*d*d) + 4.0/29
	}
	x, y, z = f(x/0.95047), f(y), f(z/1.08883)
	return Lab{116*y - 16, 500 * (x - y), 200 * (y - z)}
}

// Difference is ΔE00 (CIEDE2000) between two colours: about 1 is just seen
// side by side, 2 is near-equal, 5 is plainly different. The formula is that
// of Sharma, Wu and Dalal 2005.
func Difference(p, q Lab) float64 {
	const pow7 = 6103515625 // 25⁷
	rad := math.Pi / 180
	cm := (p.Chroma() + q.Chroma()) / 2
	c7 := math.Pow(cm, 7)
	g := 0.5 * (1 - math.Sqrt(c7/(c7+pow7)))
	a1, a2 := p.A*(1+g), q.A*(1+g)
	c1, c2 := math.Hypot(a1, p.B), math.Hypot(a2, q.B)
	hue := func(a, b float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		h := math.Atan2(b, a) / rad
		if h < 0 {
			h += 360
		}
		return h
	}
	h1, h2 := hue(a1, p.B), hue(a2, q.B)
	dl, dc := q.L-p.L, c2-c1
	dh := h2 - h1
	hm := (h1 + h2) / 2
	if c1*c2 == 0 {
		dh, hm = 0, h1+h2
	} else if math.Abs(h1-h2) > 180+1e-9 { // opposite hues must not tip over by rounding
		if dh > 180 {
			dh -= 360
		} else {
			dh += 360
		}
		if h1+h2 < 360 {
			hm += 180
		} else {
			hm -= 180
		}
	}
	dH := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2*rad)
	lm, cmp := (p.L+q.L)/2, (c1+c2)/2
	t := 1 - 0.17*math.Cos((hm-30)*rad) + 0.24*math.Cos(2*hm*rad) +
		0.32*math.Cos((3*hm+6)*rad) - 0.20*math.Cos((4*hm-63)*rad)
	cmp7 := math.Pow(cmp, 7)
	rc := 2 * math.Sqrt(cmp7/(cmp7+pow7))
	rt := -math.Sin(2*30*math.Exp(-math.Pow((hm-275)/25, 2))*rad) * rc
	sl := 1 + 0.015*math.Pow(lm-50, 2)/math.Sqrt(20+math.Pow(lm-50, 2))
	sc := 1 + 0.045*cmp
	sh := 1 + 0.015*cmp*t
	dl, dc, dH = dl/sl, dc/sc, dH/sh
	return math.Sqrt(dl*dl + dc*dc + dH*dH + rt*dc*dH)
}

// NearWhite reports whether a colour reads as paper white: L* at least 95 and
// chroma at most 5.
func (c RGB) NearWhite() bool {
	l := c.Lab()
	return l.L >= 95 && l.Chroma() <= 5
}
