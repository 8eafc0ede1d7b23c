package preview

import (
	"image"
	"math"
	"sync"

	"dyekit/core/colour"
)

// The photographs on which versions are looked at: one by day, one at dusk.
var (
	photo = sync.OnceValue(func() *image.NRGBA { return landscape(1) })
	dusk  = sync.OnceValue(func() *image.NRGBA { return landscape(0.28) })
)

// landscape is a made-up photograph: a hazy sky over grass, drawn by this
// script so that nothing of anybody's is shipped. The same picture every time;
// light is how much of it there is.
func landscape(light float64) *image.NRGBA {
	const w, h = 480, 320
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	seed := uint32(9)
	noise := func() float64 { // xorshift
		seed ^= seed << 13
		seed ^= seed >> 17
		seed ^= seed << 5
		return float64(seed)/math.MaxUint32 - 0.5
	}
	for y := range h {
		for x := range w {
			u, v := float64(x)/w, float64(y)/h
			hill := 0.56 + 0.05*math.Sin(u*5+0.6) + 0.02*math.Sin(u*17)
			var r, g, b float64
			if v < hill {
				cloud := 18 * math.Max(0, math.Sin(u*7+v*9)*math.Sin(u*3-v*4))
				t := v / hill
				r, g, b = 128+74*t+cloud, 160+44*t+cloud, 190+18*t+cloud/2
			} else {
				t := (v - hill) / (1 - hill)
				blade := 26 * noise()
				r, g, b = 112-46*t+blade, 132-52*t+blade, 88-40*t+blade/2
			}
			n := 5 * noise()
			p := img.Pix[img.PixOffset(x, y):]
			for i, c := range []float64{(r + n) * light, (g + n) * light, (b + n) * light, 255} {
				p[i] = uint8(math.Min(255, math.Max(0, c)))
			}
		}
	}
	return img
}

// Their mean colours.
var (
	photoMean = sync.OnceValue(func() colour.RGB { return meanOf(photo()) })
	duskMean  = sync.OnceValue(func() colour.RGB { return meanOf(dusk()) })
)

// meanOf is the mean colour of what is opaque in a picture.
func meanOf(img *image.NRGBA) colour.RGB {
	var s [4]float64
	for i := 0; i < len(img.Pix); i += 4 {
		a := float64(img.Pix[i+3])
		for c := range 3 {
			s[c] += a * float64(img.Pix[i+c]) / 255
		}
		s[3] += a
	}
	if s[3] == 0 {
		return colour.White
	}
	return colour.RGB{R: s[0] / s[3], G: s[1] / s[3], B: s[2] / s[3]}
}
