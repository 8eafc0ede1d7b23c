package content

import (
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// Samples returns the picture's colours, n bytes a pixel, and its opacity, one
// byte a pixel, or nil if it is opaque. A picture in a spot plate has its tints (n is
// 1). Without a press the colours are those of the screen (3); with one they are
// builds (4), those that the picture is declared in or those proposed for the press.
func Samples(p *drawing.Picture, press *colour.Press) (data, mask []byte, n int) {
	mask = opacity(p.Image)
	switch {
	case p.Inks != nil && p.Inks.Spot.Spot != "":
		return p.Inks.Pix, mask, 1
	case p.Inks != nil && press != nil:
		return p.Inks.Pix, mask, 4
	}
	img := p.Image
	b := img.Bounds()
	memo := map[[3]uint8][4]byte{}
	for y := range b.Dy() {
		row := img.Pix[y*img.Stride : y*img.Stride+4*b.Dx()]
		for i := 0; i < len(row); i += 4 {
			if press == nil {
				data = append(data, row[i:i+3]...)
				continue
			}
			k := [3]uint8(row[i : i+3])
			v, ok := memo[k]
			if !ok {
				p := press.Pixel(colour.FromBytes(k[0], k[1], k[2]))
				for j, x := range []float64{p.C, p.M, p.Y, p.K} {
					v[j] = byte(x*2.55 + 0.5)
				}
				memo[k] = v
			}
			data = append(data, v[:]...)
		}
	}
	if press != nil {
		return data, mask, 4
	}
	return data, mask, 3
}

// opacity is that of each pixel, or nil if all are opaque.
func opacity(img *image.NRGBA) (mask []byte) {
	if img.Opaque() {
		return nil
	}
	b := img.Bounds()
	for y := range b.Dy() {
		for row := img.Pix[y*img.Stride : y*img.Stride+4*b.Dx()]; len(row) > 0; row = row[4:] {
			mask = append(mask, row[3])
		}
	}
	return mask
}
