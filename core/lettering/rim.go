package lettering

import (
	"image"
	"slices"
)

// uneven is how far, of 255, the ground round words may differ from itself.
const uneven = 40

// Rim is the colour along the edge of a box of a picture, in the middle, as it is stored;
// even reports whether nearly all of the edge has it. The box lies within the picture.
func Rim(img *image.NRGBA, box image.Rectangle) (on [4]uint8, even bool) {
	var rim [4][]uint8
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			if x == box.Min.X || y == box.Min.Y || x == box.Max.X-1 || y == box.Max.Y-1 {
				for k, v := range img.Pix[img.PixOffset(x, y):][:4] {
					rim[k] = append(rim[k], v)
				}
			}
		}
	}
	even = true
	for k, v := range rim {
		slices.Sort(v)
		on[k] = v[len(v)/2]
		even = even && v[len(v)*19/20]-v[len(v)/20] <= uneven
	}
	return on, even
}
