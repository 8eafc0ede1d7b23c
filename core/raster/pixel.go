package raster

import (
	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// A Pixel is one premultiplied colour: red, green, blue in encoded sRGB, and
// opacity, each from 0 to 1. It is for those who need to know what is seen at
// a place without drawing the page. The zero Pixel is transparent.
type Pixel [4]float32

// NewPixel is a plain colour with an opacity.
func NewPixel(c colour.RGB, alpha float64) Pixel { return Pixel(premultiplied(c, alpha)) }

// Lay lays src with the opacity a over p.
func (p *Pixel) Lay(src Pixel, a float64, mode drawing.BlendMode) {
	if mode == drawing.Normal {
		over(p[:], src[:], float32(a))
	} else {
		blend(p[:], src[:], float32(a), mode)
	}
}

// On returns what is seen on an opaque ground.
func (p Pixel) On(ground colour.RGB) colour.RGB {
	k := 1 - float64(p[3])
	return colour.RGB{R: float64(p[0]) + ground.R*k, G: float64(p[1]) + ground.G*k, B: float64(p[2]) + ground.B*k}
}

// Light is what a mask lets through at this pixel: its brightness times its
// opacity (SVG 1.1 section 14.4), in linear light if linear is set.
func (p Pixel) Light(lin bool) float64 {
	r, g, b, a := p[0], p[1], p[2], p[3]
	if a == 0 {
		return 0
	}
	if lin {
		r, g, b = linear(r/a)*a, linear(g/a)*a, linear(b/a)*a
	}
	return float64(colour.LumaR*r + colour.LumaG*g + colour.LumaB*b)
}

// Flat runs a filter on an even area of the colour p. What a step carries in
// from elsewhere or makes of pixels (blur, shift, lighting, noise) counts as
// nothing, so that shadows and glows fall away and changes of colour stay.
// effect reports whether the filter has such a step.
func (p Pixel) Flat(f *drawing.Filter) (out Pixel, effect bool, err error) {
	one := func(v Pixel) *bitmap { return &bitmap{w: 1, h: 1, pix: v[:]} }
	r := filtering{source: one(p)}
	for _, s := range f.Steps {
		switch s.Op.(type) {
		case drawing.Flood, drawing.Blend, drawing.Composite, drawing.Merge, drawing.ColourMatrix, drawing.ComponentTransfer:
			b, err := r.step(s)
			if err != nil {
				return Pixel{}, effect, err
			}
			r.done = append(r.done, b)
		default:
			effect = true
			r.done = append(r.done, one(Pixel{}))
		}
	}
	if n := len(r.done); n > 0 {
		out = Pixel(r.done[n-1].in(false).pix)
	}
	return out, effect, nil
}
