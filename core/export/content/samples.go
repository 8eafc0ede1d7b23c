package content

import (
	"image"

	"dyekit/core/colour"
)

// Samples returns the picture's colours, three or four bytes a pixel, and its
// opacity, one byte a pixel, or nil if it is opaque. Builds are proposed for a
// press; without one the colours are those of the screen.
func Samples(img *image.NRGBA, press *colour.Press) (data, mask []byte) {
	b := img.Bounds()
	memo := map[[3]uint8][4]byte{}
	opaque := img.Opaque()
	for y := range b.Dy() {
		row := img.Pix[y*img.Stride : y*img.Stride+4*b.Dx()]
		for i := 0; i < len(row); i += 4 {
			if !opaque {
				mask = append(mask, row[i+3])
			}
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
	return data, mask
}
