package trace

import (
	"context"
	"image"

	"dyekit/core/geom"
	"dyekit/core/parallel"
)

// maxWhole is how many px a picture has at most that is traced as it is. Of a larger one half
// the pixels across and down tell borders to a fifth of a pixel, in a quarter of the time.
const maxWhole = 5_000_000

// halfTraced traces a picture made half as large, and makes what comes of it as large again.
func halfTraced(ctx context.Context, img *image.NRGBA, opt Options) (*Tracing, error) {
	t, err := Trace(ctx, halved(img), opt)
	if err != nil {
		return nil, err
	}
	t.W, t.H, t.Edge = img.Rect.Dx(), img.Rect.Dy(), 2*t.Edge
	twice := geom.Scale(2, 2)
	for i := range t.Regions {
		r := &t.Regions[i]
		r.Path = r.Path.Transform(twice)
		if r.Ramp != nil {
			ramp := *r.Ramp
			ramp.To = twice.Mul(ramp.To)
			r.Ramp = &ramp
		}
	}
	return t, nil
}

// halved is a picture of half the size, each pixel the mean of four by their opacity; at an
// odd edge of two.
func halved(img *image.NRGBA) *image.NRGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewNRGBA(image.Rect(0, 0, (w+1)/2, (h+1)/2))
	parallel.Each(out.Rect.Dy(), func(y int) {
		for x := range out.Rect.Dx() {
			var sum [3]int
			alpha := 0
			for _, d := range [4][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
				c := img.Pix[img.PixOffset(img.Rect.Min.X+min(w-1, 2*x+d[0]), img.Rect.Min.Y+min(h-1, 2*y+d[1])):]
				a := int(c[3])
				for k := range sum {
					sum[k] += int(c[k]) * a
				}
				alpha += a
			}
			if alpha == 0 {
				continue
			}
			o := out.Pix[out.PixOffset(x, y):]
			for k, v := range sum {
				o[k] = uint8((v + alpha/2) / alpha)
			}
			o[3] = uint8((alpha + 2) / 4)
		}
	})
	return out
}
