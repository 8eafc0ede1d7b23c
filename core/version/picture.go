package version

import (
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/trace"
)

const (
	tracedSide = 1600 // px of the longer side at which a picture is traced
	// Contours of more segments are those of noise; it is then traced at half the
	// size, down to the least.
	maxTraced, leastTraced = 60_000, 200
	tracedTol              = 0.4 // px that a curve may leave the contour
	flatSpread             = 8   // of 255: a picture with less difference is one colour
)

// picture turns pixels into two leaves: what is painted at all, in the mean
// of the light colours, and over it the dark side of the threshold that parts
// the histogram best (N. Otsu, "A threshold selection method from gray-level
// histograms", 1979), in the mean of the dark ones. A picture of much noise is
// seen from further away until its contours are few enough.
func (c *compiler) picture(p *drawing.Picture, in *drawing.Mask) []node {
	if p.Image.Rect.Empty() || p.Alpha == 0 {
		return nil
	}
	side := tracedSide
	t := trace2(shrink(p.Image, side))
	for t.segments() > maxTraced && side > leastTraced && c.ctx.Err() == nil {
		side /= 2
		t = trace2(shrink(p.Image, side))
	}
	c.findings.Add(finding.PictureTraced, finding.Note,
		"pixels are cut at one threshold of lightness and traced to curves in one-ink versions; fine shading is lost", p.Part, drawing.Bounds(p))
	to := p.To.Mul(geom.Scale(1/t.w, 1/t.h))
	var out []node
	for k, path := range t.paths {
		if len(path) == 0 || t.count[k] == 0 {
			continue
		}
		l := &leaf{part: p.Part, layer: c.layer(path.Transform(to), geom.NonZero), tones: []tone{flat(t.mean(k), p.Alpha)}}
		if in == nil {
			c.leaves = append(c.leaves, l)
		}
		out = append(out, node{first: l.layer, last: l.layer + 1, leaf: l})
	}
	return out
}

// A traced is a picture as two areas, in its pixels: all that is painted, and the
// dark of it.
type traced struct {
	w, h  float64
	paths [2]geom.Path
	sum   [2]colour.RGB // of the light and the dark pixels
	count [2]float64
}

func (t *traced) segments() int { return len(t.paths[0]) + len(t.paths[1]) }

func (t *traced) mean(k int) colour.RGB {
	return colour.RGB{R: t.sum[k].R / t.count[k], G: t.sum[k].G / t.count[k], B: t.sum[k].B / t.count[k]}
}

// trace2 traces a picture in two tones.
func trace2(img *image.NRGBA) *traced {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	t := &traced{w: float64(w), h: float64(h)}
	body := &trace.Field{W: w, H: h, V: make([]float64, w*h)}
	dark := &trace.Field{W: w, H: h, V: make([]float64, w*h)}
	var histogram [256]int
	opaque := true
	for i := range body.V {
		q := img.Pix[4*i:]
		a := float64(q[3]) / 255
		y := colour.BT709.Of(float64(q[0]), float64(q[1]), float64(q[2]))
		body.V[i] = a
		dark.V[i] = (255 - y) * a
		if a >= 0.5 {
			histogram[int(dark.V[i])]++
		}
		opaque = opaque && q[3] == 255
	}
	level, parted := otsu(&histogram)
	for i := range body.V {
		q := img.Pix[4*i:]
		if q[3] < 128 {
			continue
		}
		k := 0
		if parted && dark.V[i] >= level {
			k = 1
		}
		v := colour.FromBytes(q[0], q[1], q[2])
		t.sum[k].R, t.sum[k].G, t.sum[k].B = t.sum[k].R+v.R, t.sum[k].G+v.G, t.sum[k].B+v.B
		t.count[k]++
	}
	t.paths[0] = geom.Box(geom.Rect{X1: t.w, Y1: t.h})
	if !opaque {
		t.paths[0] = body.Contours(0.5, tracedTol)
	}
	if parted {
		t.paths[1] = dark.Contours(level, tracedTol)
	}
	return t
}

// otsu returns the level that parts a histogram so that the two sides differ
// most. ok is false if there is next to no difference.
func otsu(histogram *[256]int) (level float64, ok bool) {
	var n, sum float64
	for v, k := range histogram {
		n += float64(k)
		sum += float64(v) * float64(k)
	}
	var below, belowSum, best, gap float64
	first, last := 0, 0
	for v := range 255 {
		below += float64(histogram[v])
		belowSum += float64(v) * float64(histogram[v])
		if below == 0 || below == n {
			continue
		}
		d := (sum-belowSum)/(n-below) - belowSum/below
		// Between two peaks every level parts them as well: take the middle.
		if s := below * (n - below) * d * d; s > best*(1+1e-12) {
			best, gap, first, last = s, d, v, v
		} else if s >= best*(1-1e-12) {
			last = v
		}
	}
	return float64(first+last)/2 + 1, gap >= flatSpread
}

// shrink averages a picture down by whole steps until its sides are at most
// side px.
func shrink(img *image.NRGBA, side int) *image.NRGBA {
	b := img.Bounds()
	k := (max(b.Dx(), b.Dy()) + side - 1) / side
	if k <= 1 {
		if img.Stride == 4*b.Dx() && b.Min == (image.Point{}) {
			return img
		}
		k = 1
	}
	out := image.NewNRGBA(image.Rect(0, 0, (b.Dx()+k-1)/k, (b.Dy()+k-1)/k))
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			var r, g, bl, a, n float64
			for v := b.Min.Y + y*k; v < min(b.Max.Y, b.Min.Y+(y+1)*k); v++ {
				for u := b.Min.X + x*k; u < min(b.Max.X, b.Min.X+(x+1)*k); u++ {
					q := img.Pix[img.PixOffset(u, v):]
					w := float64(q[3])
					r, g, bl, a, n = r+float64(q[0])*w, g+float64(q[1])*w, bl+float64(q[2])*w, a+w, n+1
				}
			}
			o := out.Pix[out.PixOffset(x, y):]
			if a > 0 {
				o[0], o[1], o[2] = uint8(r/a+0.5), uint8(g/a+0.5), uint8(bl/a+0.5)
			}
			o[3] = uint8(a/n + 0.5)
		}
	}
	return out
}
