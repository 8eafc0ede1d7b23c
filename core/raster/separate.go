package raster

import (
	"context"
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// A Plate is a drawing whose colours are amounts of ink: cyan, magenta and
// yellow in the place of red, green and blue, or black in that of red.
type Plate struct {
	Drawing *drawing.Drawing
	Ground  colour.RGB
}

// Plates turns d into two plates, one for cyan, magenta and yellow and one for
// black, on a backing of the build given. Declared builds are laid down as
// declared; others are as they stand, and pictures separated for press. Inks are composed as if they were light, so
// that no build passes through a screen colour.
func Plates(d *drawing.Drawing, press *colour.Press, backing colour.CMYK) (cmy, black Plate) {
	under := []float64{backing.C / 100, backing.M / 100, backing.Y / 100, backing.K / 100}
	one := func(pick func(k []float64) colour.RGB) Plate { return Plate{plate(d, press, pick), pick(under)} }
	return one(func(k []float64) colour.RGB { return colour.RGB{R: k[0], G: k[1], B: k[2]} }),
		one(func(k []float64) colour.RGB { return colour.RGB{R: k[3]} })
}

// plate paints d in the inks that pick takes of each build.
func plate(d *drawing.Drawing, press *colour.Press, pick func(k []float64) colour.RGB) *drawing.Drawing {
	return d.Recolour(drawing.Recolouring{
		Colour:   func(c colour.Colour) colour.Colour { return colour.Screen(pick(c.Inks(true))) },
		Gradient: func(g *drawing.Gradient) drawing.Paint { return g.Inked(pick) },
		Picture: func(p *drawing.Picture) *drawing.Picture {
			return p.Inked(press, pick)
		},
	})
}

// Separate draws d as process inks of a press, by its Plates.
func Separate(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, press *colour.Press, backing colour.CMYK) (*image.CMYK, error) {
	three, one := Plates(d, press, backing)
	cmy, err := Render(ctx, three.Drawing, to, w, h, Options{Ground: &three.Ground})
	if err != nil {
		return nil, err
	}
	black, err := Render(ctx, one.Drawing, to, w, h, Options{Ground: &one.Ground})
	if err != nil {
		return nil, err
	}
	// The picture of three inks takes the fourth in the place of its opacity.
	for three, one := cmy.Pix, black.Pix; len(three) >= 4 && len(one) >= 4; three, one = three[4:], one[4:] {
		three[3] = one[0]
	}
	return &image.CMYK{Pix: cmy.Pix, Stride: cmy.Stride, Rect: cmy.Rect}, nil
}
