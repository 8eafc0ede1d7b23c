package raster

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// A sampler gives the premultiplied colours of a run of pixels that begins at
// column x of row y; dst holds four floats a pixel.
type sampler interface {
	fill(dst []float32, x, y int)
}

// pixels paints a picture: each pixel is the mean of the area it covers in
// the source, at least one source pixel wide, which is linear interpolation
// when the picture is enlarged and exact averaging when it is reduced.
type pixels struct {
	pic  *drawing.Picture
	back geom.Affine // pixels to source pixels
	w, h float64     // extent of one pixel in the source
}

func newPixels(p *drawing.Picture, to geom.Affine) sampler {
	b := p.Image.Bounds()
	back, ok := to.Mul(p.To).Inverse()
	if !ok || b.Empty() || p.Alpha <= 0 {
		return nil
	}
	s := &pixels{pic: p, back: geom.Scale(float64(b.Dx()), float64(b.Dy())).Mul(back)}
	m := s.back
	s.w = max(1, math.Hypot(m.A, m.C))
	s.h = max(1, math.Hypot(m.B, m.D))
	return s
}

func (s *pixels) fill(dst []float32, x, y int) {
	img := s.pic.Image
	b := img.Bounds()
	for i := 0; i+3 < len(dst); i += 4 {
		c := s.back.Apply(geom.Pt(float64(x)+0.5, float64(y)+0.5))
		x++
		x0, x1 := c.X-s.w/2, c.X+s.w/2
		y0, y1 := c.Y-s.h/2, c.Y+s.h/2
		var sum [4]float64
		for v := int(math.Floor(y0)); float64(v) < y1; v++ {
			wy := min(y1, float64(v+1)) - max(y0, float64(v))
			sy := min(b.Dy()-1, max(0, v))
			for u := int(math.Floor(x0)); float64(u) < x1; u++ {
				wgt := wy * (min(x1, float64(u+1)) - max(x0, float64(u)))
				q := img.Pix[sy*img.Stride+4*min(b.Dx()-1, max(0, u)):]
				a := wgt * float64(q[3])
				sum[0] += a * float64(q[0])
				sum[1] += a * float64(q[1])
				sum[2] += a * float64(q[2])
				sum[3] += a
			}
		}
		k := s.pic.Alpha / (s.w * s.h * 255)
		for j := range 3 {
			dst[i+j] = float32(sum[j] * k / 255)
		}
		dst[i+3] = float32(sum[3] * k)
	}
}
