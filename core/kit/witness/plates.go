package witness

import (
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// Plates is a drawing as its inks, for a picture in process inks: cyan, magenta and yellow
// in the place of red, green and blue, and black in that of red. How much ink a colour asks
// for is reckoned here from what it declares, without what raster makes plates by: a spot
// ink is its build by its tint, a mixture the build that stands for it, and what declares
// none the build that is proposed for coated paper. Of pictures without inks, and between
// the stops of gradients, it is the press's and drawing's own word.
func Plates(d *drawing.Drawing, press *colour.Press) (cmy, black *drawing.Drawing) {
	one := func(pick func(k [4]float64) colour.RGB) *drawing.Drawing {
		return d.Recolour(drawing.Recolouring{
			Colour: func(c colour.Colour) colour.Colour { return colour.Screen(pick(declared(c))) },
			Gradient: func(g *drawing.Gradient) drawing.Paint {
				return g.Inked(func(k []float64) colour.RGB { return pick([4]float64(k)) })
			},
			Picture: func(p *drawing.Picture) *drawing.Picture { return inked(p, press, pick) },
		})
	}
	return one(func(k [4]float64) colour.RGB { return colour.RGB{R: k[0], G: k[1], B: k[2]} }),
		one(func(k [4]float64) colour.RGB { return colour.RGB{R: k[3]} })
}

// declared are the inks of a colour, from 0 to 1.
func declared(c colour.Colour) [4]float64 {
	b, share := c.Build, 1.0
	switch {
	case !c.Mix.IsZero():
		b = c.Mix.Build()
	case !c.Built:
		b = colour.Propose(c.RGB)
	case c.Spot != "" && c.Tint > 0:
		share = c.Tint / 100
	}
	return [4]float64{b.C / 100 * share, b.M / 100 * share, b.Y / 100 * share, b.K / 100 * share}
}

func inked(p *drawing.Picture, press *colour.Press, pick func(k [4]float64) colour.RGB) *drawing.Picture {
	if p.Inks == nil {
		return p.MapPixels(func(v [3]uint8) (out [3]uint8) {
			b := press.Pixel(colour.FromBytes(v[0], v[1], v[2]))
			out[0], out[1], out[2] = pick([4]float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}).Bytes()
			return out
		})
	}
	c := *p
	c.Inks = nil
	c.Image = image.NewNRGBA(image.Rect(0, 0, p.Image.Rect.Dx(), p.Image.Rect.Dy()))
	full := declared(p.Inks.Spot)
	for i := range len(c.Image.Pix) / 4 {
		var k [4]float64
		if p.Inks.Spot.Spot != "" {
			for j := range k {
				k[j] = full[j] * float64(p.Inks.Pix[i]) / 255
			}
		} else {
			for j := range k {
				k[j] = float64(p.Inks.Pix[4*i+j]) / 255
			}
		}
		px := c.Image.Pix[4*i:]
		px[0], px[1], px[2] = pick(k).Bytes()
		px[3] = p.Image.NRGBAAt(p.Image.Rect.Min.X+i%c.Image.Rect.Dx(), p.Image.Rect.Min.Y+i/c.Image.Rect.Dx()).A
	}
	return &c
}
