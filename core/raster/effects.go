package raster

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// blur is a Gaussian blur with standard deviations in pixels. From 2 px on it
// is three box blurs, which SVG 1.1 section 15.12 allows and whose cost does
// not depend on the radius; below, the true kernel.
func blur(src *bitmap, sx, sy float64) *bitmap {
	if sx < 0 || sy < 0 {
		return newBitmap(src)
	}
	out := newBitmap(src)
	copy(out.pix, src.pix)
	tmp := make(layer, len(out.pix))
	blurLines(out.pix, tmp, out.w, out.h, 4, 4*out.w, sx)
	blurLines(out.pix, tmp, out.h, out.w, 4*out.w, 4, sy)
	return out
}

// maxDeviation bounds the deviation of a blur, in px: far more than any picture
// has.
const maxDeviation = 1e6

// blurLines blurs m lines of n pixels; step leads along a line, next to the
// next line.
func blurLines(p, tmp layer, n, m, step, next int, s float64) {
	switch {
	case s < 0.05:
		return
	case s < 2:
		r := int(math.Ceil(3 * s))
		k := make([]float32, 2*r+1)
		var sum float32
		for i := range k {
			k[i] = float32(math.Exp(-float64((i-r)*(i-r)) / (2 * s * s)))
			sum += k[i]
		}
		for line := range m {
			base := line * next
			for i := range n {
				var v premul
				for j := max(0, i-r); j <= min(n-1, i+r); j++ {
					w := k[j-i+r] / sum
					q := p[base+j*step : base+j*step+4]
					v[0] += q[0] * w
					v[1] += q[1] * w
					v[2] += q[2] * w
					v[3] += q[3] * w
				}
				copy(tmp[base+i*step:], v[:])
			}
		}
		copy(p, tmp)
		return
	}
	// Far beyond the picture nothing changes any more but the last digits.
	d := int(math.Floor(min(s, maxDeviation)*3*math.Sqrt(2*math.Pi)/4 + 0.5))
	type pass struct{ left, right int } // how far the box reaches either way
	passes := [3]pass{{d / 2, d / 2}, {d / 2, d / 2}, {d / 2, d / 2}}
	if d%2 == 0 {
		passes = [3]pass{{d / 2, d/2 - 1}, {d/2 - 1, d / 2}, {d / 2, d / 2}}
	}
	for _, b := range passes {
		inv := 1 / float64(b.left+b.right+1)
		for line := range m {
			base := line * next
			var sum [4]float64
			add := func(i int, f float64) {
				if i < 0 || i >= n {
					return
				}
				q := p[base+i*step : base+i*step+4]
				sum[0] += f * float64(q[0])
				sum[1] += f * float64(q[1])
				sum[2] += f * float64(q[2])
				sum[3] += f * float64(q[3])
			}
			for i := range min(n, b.right+1) { // the first box; before 0 there is nothing
				add(i, 1)
			}
			for i := range n {
				o := tmp[base+i*step : base+i*step+4]
				for c := range 4 {
					o[c] = float32(max(0, sum[c]*inv))
				}
				add(i-b.left, -1)
				add(i+b.right+1, 1)
			}
		}
		copy(p, tmp)
	}
}

// morph thickens or thins by taking the largest or smallest value in a box,
// one direction after the other; a queue makes the cost independent of the
// radius.
func morph(out, src *bitmap, rx, ry int, dilate bool) {
	if rx <= 0 && ry <= 0 {
		return // SVG 1.1 section 15.20: a radius of 0 gives nothing
	}
	tmp := make(layer, len(src.pix))
	extreme(tmp, src.pix, src.w, src.h, 4, 4*src.w, rx, dilate)
	extreme(out.pix, tmp, src.h, src.w, 4*src.w, 4, ry, dilate)
}

func extreme(dst, src layer, n, m, step, next, r int, dilate bool) {
	r = min(r, n) // so far every pixel sees the whole line, and beyond it
	queue := make([]int, 0, 2*r+2)
	for line := range m {
		for c := range 4 {
			base := line*next + c
			// Beyond the edge lies transparent black.
			get := func(i int) float32 {
				if i < 0 || i >= n {
					return 0
				}
				return src[base+i*step]
			}
			queue = queue[:0]
			for i := -r; i < n+r; i++ {
				v := get(i)
				for len(queue) > 0 {
					l := get(queue[len(queue)-1])
					if dilate && l > v || !dilate && l < v {
						break
					}
					queue = queue[:len(queue)-1]
				}
				queue = append(queue, i)
				if at := i - r; at >= 0 && at < n {
					for queue[0] < at-r {
						queue = queue[1:]
					}
					dst[base+at*step] = get(queue[0])
				}
			}
		}
	}
}

// convolve is feConvolveMatrix (SVG 1.1 section 15.13).
func convolve(out, src *bitmap, o drawing.ConvolveMatrix) {
	pick := func(x, y int) premul {
		switch o.Edge {
		case "wrap":
			x, y = mod(x, src.w), mod(y, src.h)
		case "none":
		default:
			x, y = min(src.w-1, max(0, x)), min(src.h-1, max(0, y))
		}
		return src.at(x, y)
	}
	for y := range out.h {
		for x := range out.w {
			var sum [4]float64
			for j := range o.H {
				for i := range o.W {
					k := o.Kernel[(o.H-1-j)*o.W+o.W-1-i]
					p := pick(x-o.TX+i, y-o.TY+j)
					if o.Preserve && p[3] > 0 {
						for c := range 3 {
							sum[c] += k * float64(p[c]/p[3])
						}
						continue
					}
					for c := range 4 {
						sum[c] += k * float64(p[c])
					}
				}
			}
			d := out.pix[4*(y*out.w+x):]
			a := float64(src.at(x, y)[3])
			if !o.Preserve {
				a = sum[3]/o.Divisor + o.Bias
			}
			full := min(1, max(0, a))
			for c := range 3 {
				v := sum[c]/o.Divisor + o.Bias*a
				if o.Preserve {
					d[c] = float32(min(1, max(0, sum[c]/o.Divisor+o.Bias)) * full)
				} else {
					d[c] = float32(min(full, max(0, v)))
				}
			}
			d[3] = float32(full)
		}
	}
}

// displace is feDisplacementMap: the map's channels say how far each pixel is
// fetched from.
func displace(out, src, by *bitmap, o drawing.DisplacementMap, to geom.Affine) {
	for y := range out.h {
		for x := range out.w {
			m := by.at(x, y)
			get := func(c int) float64 {
				if c == 3 || m[3] == 0 {
					return float64(m[3])
				}
				return float64(m[c] / m[3])
			}
			v := to.Vec(geom.Pt(o.Scale*(get(o.X)-0.5), o.Scale*(get(o.Y)-0.5)))
			p := src.at(int(math.Floor(float64(x)+0.5+v.X)), int(math.Floor(float64(y)+0.5+v.Y)))
			copy(out.pix[4*(y*out.w+x):], p[:])
		}
	}
}
