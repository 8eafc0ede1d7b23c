package raster

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// The generator and lattice of feTurbulence are those of the reference code
// in SVG 1.1 section 15.24: every renderer must give the same noise.
const (
	noiseM = 2147483647
	noiseA = 16807
	noiseQ = 127773
	noiseR = 2836
	noiseB = 0x100
)

type lattice struct {
	sel  [2*noiseB + 2]int
	grad [4][2*noiseB + 2][2]float64
}

func newLattice(seed int) *lattice {
	if seed <= 0 {
		seed = -(seed % (noiseM - 1)) + 1
	}
	if seed > noiseM-1 {
		seed = noiseM - 1
	}
	next := func() int {
		seed = noiseA*(seed%noiseQ) - noiseR*(seed/noiseQ)
		if seed <= 0 {
			seed += noiseM
		}
		return seed
	}
	l := &lattice{}
	for k := range 4 {
		for i := range noiseB {
			l.sel[i] = i
			for j := range 2 {
				l.grad[k][i][j] = float64(next()%(2*noiseB)-noiseB) / noiseB
			}
			if s := math.Hypot(l.grad[k][i][0], l.grad[k][i][1]); s > 0 {
				l.grad[k][i][0] /= s
				l.grad[k][i][1] /= s
			}
		}
	}
	for i := noiseB - 1; i > 0; i-- {
		j := next() % noiseB
		l.sel[i], l.sel[j] = l.sel[j], l.sel[i]
	}
	for i := range noiseB + 2 {
		l.sel[noiseB+i] = l.sel[i]
		for k := range 4 {
			l.grad[k][noiseB+i] = l.grad[k][i]
		}
	}
	return l
}

// stitch is the wrapping of the lattice at the edges of a tile.
type stitch struct{ w, h, wrapX, wrapY int }

func (l *lattice) noise(c int, p geom.Point, st *stitch) float64 {
	const perlin = 4096
	tx, ty := p.X+perlin, p.Y+perlin
	bx0, by0 := int(tx), int(ty)
	bx1, by1 := bx0+1, by0+1
	rx0, ry0 := tx-math.Floor(tx), ty-math.Floor(ty)
	rx1, ry1 := rx0-1, ry0-1
	if st != nil {
		if bx0 >= st.wrapX {
			bx0 -= st.w
		}
		if bx1 >= st.wrapX {
			bx1 -= st.w
		}
		if by0 >= st.wrapY {
			by0 -= st.h
		}
		if by1 >= st.wrapY {
			by1 -= st.h
		}
	}
	bx0, bx1, by0, by1 = bx0&0xff, bx1&0xff, by0&0xff, by1&0xff
	i, j := l.sel[bx0], l.sel[bx1]
	b00, b10, b01, b11 := l.sel[i+by0], l.sel[j+by0], l.sel[i+by1], l.sel[j+by1]
	curve := func(t float64) float64 { return t * t * (3 - 2*t) }
	lerp := func(t, a, b float64) float64 { return a + t*(b-a) }
	sx, sy := curve(rx0), curve(ry0)
	dot := func(b int, x, y float64) float64 { return x*l.grad[c][b][0] + y*l.grad[c][b][1] }
	a := lerp(sx, dot(b00, rx0, ry0), dot(b10, rx1, ry0))
	b := lerp(sx, dot(b01, rx0, ry1), dot(b11, rx1, ry1))
	return lerp(sy, a, b)
}

// noise is feTurbulence.
func (r *filtering) noise(out *bitmap, o drawing.Turbulence, s drawing.Step) *bitmap {
	out.linear = s.Linear // its values are colours in the light of the step
	back, ok := r.to.Inverse()
	if !ok {
		return out
	}
	seed := int(math.Trunc(o.Seed))
	l := newLattice(seed)
	fx, fy := o.FX, o.FY
	var st *stitch
	tile := s.Region
	if o.Stitch {
		adjust := func(f, side float64) float64 {
			if f == 0 || side == 0 {
				return f
			}
			lo, hi := math.Floor(side*f)/side, math.Ceil(side*f)/side
			if lo != 0 && f/lo < hi/f {
				return lo
			}
			return hi
		}
		fx, fy = adjust(fx, tile.W()), adjust(fy, tile.H())
		w, h := int(tile.W()*fx+0.5), int(tile.H()*fy+0.5)
		st = &stitch{w, h, int(tile.X0*fx) + 4096 + w, int(tile.Y0*fy) + 4096 + h}
	}
	for y := range out.h {
		for x := range out.w {
			p := back.Apply(geom.Pt(float64(out.x+x)+0.5, float64(out.y+y)+0.5))
			d := out.pix[4*(y*out.w+x):]
			var v [4]float64
			for c := range 4 {
				q := geom.Pt(p.X*fx, p.Y*fy)
				ratio := 1.0
				var cur *stitch
				if st != nil {
					k := *st
					cur = &k
				}
				for range o.Octaves {
					n := l.noise(c, q, cur)
					if !o.Fractal {
						n = math.Abs(n)
					}
					v[c] += n / ratio
					q, ratio = q.Mul(2), ratio*2
					if cur != nil {
						cur.w, cur.wrapX = cur.w*2, 2*cur.wrapX-4096
						cur.h, cur.wrapY = cur.h*2, 2*cur.wrapY-4096
					}
				}
				if o.Fractal {
					v[c] = (v[c] + 1) / 2
				}
				v[c] = min(1, max(0, v[c]))
			}
			a := float32(v[3])
			d[0], d[1], d[2], d[3] = float32(v[0])*a, float32(v[1])*a, float32(v[2])*a, a
		}
	}
	return out
}
