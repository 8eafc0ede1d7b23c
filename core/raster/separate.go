package raster

import (
	"context"
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Separate draws d as process inks on a backing of the build given. Declared
// builds are laid down as declared; others are proposed. The inks are
// composed as if they were light, three in one pass and black in another, so
// that no build passes through a screen colour.
func Separate(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, backing colour.CMYK) (*image.CMYK, error) {
	pass := func(pick func(k []float64) colour.RGB) (*image.NRGBA, error) {
		swap := func(c colour.Colour) colour.Colour { return colour.Screen(pick(c.Inks(true))) }
		plate := d.Map(func(n drawing.Node) drawing.Node {
			switch n := n.(type) {
			case *drawing.Shape:
				c := *n
				switch p := n.Paint.(type) {
				case drawing.Solid:
					p.Colour = swap(p.Colour)
					c.Paint = p
				case *drawing.Gradient:
					c.Paint = p.Inked(pick)
				}
				return &c
			case *drawing.Picture:
				c := *n
				c.Image = image.NewNRGBA(n.Image.Rect)
				memo := map[[3]uint8][3]uint8{}
				for i := 0; i < len(c.Image.Pix); i += 4 {
					k := [3]uint8(n.Image.Pix[i : i+3])
					v, ok := memo[k]
					if !ok {
						b := colour.Coated.Pixel(colour.FromBytes(k[0], k[1], k[2]))
						v[0], v[1], v[2] = pick([]float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}).Bytes()
						memo[k] = v
					}
					copy(c.Image.Pix[i:], v[:])
					c.Image.Pix[i+3] = n.Image.Pix[i+3]
				}
				return &c
			}
			return n
		})
		ground := pick([]float64{backing.C / 100, backing.M / 100, backing.Y / 100, backing.K / 100})
		return Render(ctx, plate, to, w, h, Options{Ground: &ground})
	}
	cmy, err := pass(func(k []float64) colour.RGB { return colour.RGB{R: k[0], G: k[1], B: k[2]} })
	if err != nil {
		return nil, err
	}
	black, err := pass(func(k []float64) colour.RGB { return colour.RGB{R: k[3]} })
	if err != nil {
		return nil, err
	}
	out := image.NewCMYK(image.Rect(0, 0, w, h))
	for i := 0; i < len(out.Pix); i += 4 {
		copy(out.Pix[i:], cmy.Pix[i:i+3])
		out.Pix[i+3] = black.Pix[i]
	}
	return out, nil
}
