package raster

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

type vec struct{ x, y, z float64 }

func (a vec) dot(b vec) float64 { return a.x*b.x + a.y*b.y + a.z*b.z }

func (a vec) unit() vec {
	l := math.Sqrt(a.dot(a))
	if l == 0 {
		return vec{}
	}
	return vec{a.x / l, a.y / l, a.z / l}
}

// light is feDiffuseLighting and feSpecularLighting (SVG 1.1 sections 15.14
// and 15.22): the opacity of src is a surface that is lit.
func (r *filtering) light(out, src *bitmap, o drawing.Lighting, lin bool) {
	k := (r.sx + r.sy) / 2
	place := func(p [3]float64) vec {
		q := r.to.Apply(geom.Pt(p[0], p[1]))
		return vec{q.X - float64(out.x), q.Y - float64(out.y), p[2] * k}
	}
	at, aim := place(o.At), place(o.Aim)
	spot := vec{aim.x - at.x, aim.y - at.y, aim.z - at.z}.unit()
	az, el := o.Azimuth*math.Pi/180, o.Height*math.Pi/180
	far := vec{math.Cos(az) * math.Cos(el), math.Sin(az) * math.Cos(el), math.Sin(el)}
	cr, cg, cb := float32(o.Colour.R), float32(o.Colour.G), float32(o.Colour.B)
	if lin {
		cr, cg, cb = linear(cr), linear(cg), linear(cb)
	}
	for y := range out.h {
		for x := range out.w {
			n := normal(src, x, y, o.Scale)
			l := far
			bright := 1.0
			if o.Kind != "distant" {
				l = vec{at.x - float64(x) - 0.5, at.y - float64(y) - 0.5, at.z - o.Scale*float64(src.at(x, y)[3])}.unit()
			}
			if o.Kind == "spot" {
				ls := -l.dot(spot)
				switch {
				case ls <= 0, o.Cone != 0 && ls < math.Cos(math.Abs(o.Cone)*math.Pi/180):
					bright = 0
				default:
					bright = math.Pow(ls, o.Focus)
				}
			}
			d := out.pix[4*(y*out.w+x):]
			if !o.Specular {
				v := float32(max(0, o.K*n.dot(l)) * bright)
				d[0], d[1], d[2], d[3] = min(1, cr*v), min(1, cg*v), min(1, cb*v), 1
				continue
			}
			half := vec{l.x, l.y, l.z + 1}.unit()
			v := 0.0
			if nh := n.dot(half); nh > 0 {
				v = o.K * math.Pow(nh, o.Exponent) * bright
			}
			f := float32(v)
			d[0], d[1], d[2] = min(1, cr*f), min(1, cg*f), min(1, cb*f)
			d[3] = max(d[0], d[1], d[2])
		}
	}
}

// normal is the surface normal at a pixel by the Sobel kernels of section
// 15.14, with their one-sided forms at the edges.
func normal(b *bitmap, x, y int, scale float64) vec {
	a := func(dx, dy int) float64 { return float64(b.pix[4*((y+dy)*b.w+x+dx)+3]) }
	l, r, t, u := -1, 1, -1, 1
	if x == 0 {
		l = 0
	}
	if x == b.w-1 {
		r = 0
	}
	if y == 0 {
		t = 0
	}
	if y == b.h-1 {
		u = 0
	}
	if r == l || u == t {
		return vec{0, 0, 1}
	}
	// Weights 1 2 1 across, less where a row is missing at the edge.
	w := func(d int) float64 {
		if d == 0 {
			return 2
		}
		return 1
	}
	var gx, gy, wx, wy float64
	for dy := t; dy <= u; dy++ {
		gx += w(dy) * (a(r, dy) - a(l, dy))
		wx += w(dy)
	}
	for dx := l; dx <= r; dx++ {
		gy += w(dx) * (a(dx, u) - a(dx, t))
		wy += w(dx)
	}
	// The kernels' factors, 1/4 within, 1/3 and 1/2 at the edges, 2/3 in the corners,
	// make twice the slope of each.
	gx *= 2 / (wx * float64(r-l))
	gy *= 2 / (wy * float64(u-t))
	return vec{-scale * gx, -scale * gy, 1}.unit()
}
