package picture

import "image"

// Lossy WebP holds luma from 16 to 235 and chroma from 16 to 240, as ITU-R BT.601 says,
// at half the resolution (RFC 6386, section 9.2, and RFC 9649). The image/color of Go
// takes it for the full range of JPEG: black would be a dark grey and white a pale one.

// fullRange gives the colours of a decoded lossy WebP.
func fullRange(img image.Image) image.Image {
	var y *image.YCbCr
	var alpha []uint8
	stride := 0
	switch img := img.(type) {
	case *image.YCbCr:
		y = img
	case *image.NYCbCrA:
		y, alpha, stride = &img.YCbCr, img.A, img.AStride
	default:
		return img
	}
	b := y.Rect
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	cw, ch := (b.Dx()+1)/2, (b.Dy()+1)/2
	for v := range b.Dy() {
		// Chroma lies between four pixels: of each, the nearest counts nine
		// sixteenths, its neighbours three and one.
		near, other := v/2, v/2-1+2*(v%2)
		other = min(max(other, 0), ch-1)
		for u := range b.Dx() {
			nu, ou := u/2, u/2-1+2*(u%2)
			ou = min(max(ou, 0), cw-1)
			at := func(c []uint8) int {
				return (9*int(c[near*y.CStride+nu]) + 3*int(c[near*y.CStride+ou]) + 3*int(c[other*y.CStride+nu]) + int(c[other*y.CStride+ou]) + 8) >> 4
			}
			p := out.Pix[out.PixOffset(u, v):]
			p[0], p[1], p[2] = bt601(int(y.Y[v*y.YStride+u]), at(y.Cb), at(y.Cr))
			p[3] = 255
			if alpha != nil {
				p[3] = alpha[v*stride+u]
			}
		}
	}
	return out
}

// bt601 is R'G'B' of Y'CbCr in studio range (ITU-R BT.601-7, section 2.5.3).
func bt601(y, cb, cr int) (r, g, b uint8) {
	l := 255.0 / 219 * float64(y-16)
	u, v := 255.0/224*float64(cb-128), 255.0/224*float64(cr-128)
	byteOf := func(x float64) uint8 { return uint8(min(255, max(0, x+0.5))) }
	return byteOf(l + 1.402*v), byteOf(l - 0.344136*u - 0.714136*v), byteOf(l + 1.772*u)
}
