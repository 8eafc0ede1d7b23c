package raster

import (
	"context"
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// plate is d with its inks in the place of colours, as pick takes them of each build: so
// many from 0 to 1. Declared builds are laid down as declared; others are as they stand,
// and pictures of screen colours separated for press.
func plate(d *drawing.Drawing, press *colour.Press, pick func(k []float64) colour.RGB) *drawing.Drawing {
	return d.Recolour(drawing.Recolouring{
		Colour:   func(c colour.Colour) colour.Colour { return colour.Screen(pick(c.Inks(true))) },
		Gradient: func(g *drawing.Gradient) drawing.Paint { return g.Inked(pick) },
		Picture:  func(p *drawing.Picture) *drawing.Picture { return p.Inked(press, pick) },
	})
}

// Separate draws d as process inks of a press, on a backing of the build given. Inks are
// composed as if they were light, cyan, magenta and yellow in the place of red, green and
// blue, so that no build passes through a screen colour.
func Separate(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, press *colour.Press, backing colour.CMYK) (*image.CMYK, error) {
	draw := func(pick func(k []float64) colour.RGB) (*image.NRGBA, error) {
		ground := pick([]float64{backing.C / 100, backing.M / 100, backing.Y / 100, backing.K / 100})
		return Render(ctx, plate(d, press, pick), to, w, h, Options{Ground: &ground})
	}
	cmy, err := draw(func(k []float64) colour.RGB { return colour.RGB{R: k[0], G: k[1], B: k[2]} })
	if err != nil {
		return nil, err
	}
	black, err := draw(func(k []float64) colour.RGB { return colour.RGB{R: k[3]} })
	if err != nil {
		return nil, err
	}
	// The picture of three inks takes the fourth in the place of its opacity.
	for three, one := cmy.Pix, black.Pix; len(three) >= 4 && len(one) >= 4; three, one = three[4:], one[4:] {
		three[3] = one[0]
	}
	return &image.CMYK{Pix: cmy.Pix, Stride: cmy.Stride, Rect: cmy.Rect}, nil
}
