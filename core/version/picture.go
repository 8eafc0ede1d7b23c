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
	tracedTol  = 0.4  // px that a curve may leave the contour
	flatSpread = 8    // of 255: a picture with less difference is one colour
)

// picture turns pixels into two leaves: what is painted at all, in the mean
// of the light colours, and over it the dark side of the threshold that parts
// the histogram best (N. Otsu, "A threshold selection method from gray-level
// histograms", 1979), in the mean of the dark ones.
func (c *compiler) picture(p *drawing.Picture, in *drawing.Mask) []node {
	img := shrink(p.Image, tracedSide)
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w == 0 || h == 0 || p.Alpha == 0 {
		return nil
	}
	c.art.findings.Add("picture-traced", finding.Note,
		"pixels are cut at one threshold of lightness and traced to curves in one-ink versions; fine shading is lost", p.Part, drawing.Bounds(p))
	body := &trace.Field{W: w, H: h, V: make([]float64, w*h)}
	dark := &trace.Field{W: w, H: h, V: make([]float64, w*h)}
	var histogram [256]int
	opaque := true
	for i := range body.V {
		q := img.Pix[4*i:]
		a := float64(q[3]) / 255
		y := (0.2126*float64(q[0]) + 0.7152*float64(q[1]) + 0.0722*float64(q[2]))
		body.V[i] = a
		dark.V[i] = (255 - y) * a
		if a >= 0.5 {
			histogram[int(dark.V[i])]++
		}
		opaque = opaque && q[3] == 255
	}
	level, parted := otsu(&histogram)
	var sum [2]colour.RGB
	var count [2]float64
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
		sum[k].R, sum[k].G, sum[k].B = sum[k].R+v.R, sum[k].G+v.G, sum[k].B+v.B
		count[k]++
	}
	to := p.To.Mul(geom.Scale(1/float64(w), 1/float64(h)))
	put := func(out []node, path geom.Path, k int) []node {
		if len(path) == 0 || count[k] == 0 {
			return out
		}
		m := colour.RGB{R: sum[k].R / count[k], G: sum[k].G / count[k], B: sum[k].B / count[k]}
		l := &leaf{part: p.Part, layer: c.layer(path, geom.NonZero), tones: []tone{flat(m, p.Alpha)}}
		if in == nil {
			c.art.leaves = append(c.art.leaves, l)
		}
		return append(out, node{first: l.layer, last: l.layer + 1, leaf: l})
	}
	var out []node
	outline := geom.Box(geom.Rect{X1: float64(w), Y1: float64(h)})
	if !opaque {
		outline = body.Contours(0.5, tracedTol)
	}
	out = put(out, outline.Transform(to), 0)
	if parted {
		path := dark.Contours(level, tracedTol)
		out = put(out, path.Transform(to), 1)
	}
	return out
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
