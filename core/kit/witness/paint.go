package witness

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// painter returns the colour of a paint at the middle of a pixel, in px, for what lies
// within a box.
func (w *Witness) painter(p drawing.Paint, box geom.Rect) func(x, y float64) pixel {
	switch p := p.(type) {
	case drawing.Solid:
		a := min(1, p.Alpha)
		c := p.Colour.RGB
		one := pixel{v: [4]float64{c.R * a, c.G * a, c.B * a, a}}
		return func(_, _ float64) pixel { return one }
	case *drawing.Gradient:
		back, ok := w.to.Mul(p.To).Inverse()
		step := largestStep(p)
		return func(x, y float64) pixel {
			if !ok { // collapsed: its last colour
				return pixel{v: shade(p, 1)}
			}
			t, ok := p.Offset(back.Apply(geom.Pt(x, y)))
			if !ok {
				return pixel{e: nearOffset(p, back, x, y)}
			}
			if v, fast := within(p, back, box, x, y, t, step); fast {
				return v
			}
			v := pixel{v: shade(p, t)}
			// Where the ramp is steep, or ends, its place counts: 1/50 px and
			// 1/1000 of its length.
			for _, d := range [][2]float64{{0.02, 0}, {-0.02, 0}, {0, 0.02}, {0, -0.02}} {
				u, ok := p.Offset(back.Apply(geom.Pt(x+d[0], y+d[1])))
				if !ok {
					v.e = 1
					return v
				}
				v.e = max(v.e, far(v.v, shade(p, u)))
			}
			v.e = max(v.e, far(v.v, shade(p, t+0.001)), far(v.v, shade(p, t-0.001)))
			return v
		}
	}
	return func(_, _ float64) pixel { return pixel{e: 1} }
}

const (
	// rampGrain is at how many places a side a pixel is looked at where a ramp changes
	// fast: by more than fastRamp from one to the next of probed places a side.
	rampGrain = 16
	fastRamp  = 1.0 / 255
	probed    = 4
	// rampSteps is at how many places a ramp is looked at to know how fast it changes.
	rampSteps = 512
)

// largestStep is by how much a ramp changes at most from one place to the next. Colour
// times opacity may run twice as fast at one end as it does in the mean.
func largestStep(p *drawing.Gradient) (most float64) {
	for i, s := range p.Stops {
		next := p.Stops[(i+1)%len(p.Stops)]
		if i+1 == len(p.Stops) && p.Spread != drawing.Repeat {
			break
		}
		change := far(seen(s), seen(next))
		if gap := next.At - s.At; gap*rampSteps > 2 {
			change *= 2 / (gap * rampSteps)
		}
		most = max(most, change)
	}
	return most
}

// seen is the premultiplied colour of a stop.
func seen(s drawing.Stop) [4]float64 {
	c := s.Colour.RGB
	return [4]float64{c.R * s.Alpha, c.G * s.Alpha, c.B * s.Alpha, s.Alpha}
}

// within is the mean of a ramp over what of a box lies in a pixel whose middle has
// offset t, if the ramp changes fast there. step is its largest step.
func within(p *drawing.Gradient, back geom.Affine, box geom.Rect, x, y, t, step float64) (mean pixel, fast bool) {
	cell := geom.Rect{X0: x - 0.5, Y0: y - 0.5, X1: x + 0.5, Y1: y + 0.5}
	if in := cell.Intersect(box); !in.Empty() {
		cell = in
	}
	mid := cell.Centre()
	at := func(u, v float64) ([4]float64, bool) { // from -0.5 to 0.5
		t, ok := p.Offset(back.Apply(geom.Pt(mid.X+u*cell.W(), mid.Y+v*cell.H())))
		return shade(p, t), ok
	}
	reach := 0.0
	for _, c := range cell.Corners() {
		u, ok := p.Offset(back.Apply(c))
		if !ok {
			return pixel{}, false
		}
		reach = max(reach, math.Abs(u-t))
	}
	if (2*reach*rampSteps+2)*step < probed*fastRamp { // nowhere so fast
		return pixel{}, false
	}
	middle := shade(p, t)
	for i := range probed + 1 {
		for j := range probed + 1 {
			c, ok := at(float64(i)/probed-0.5, float64(j)/probed-0.5)
			if !ok {
				return pixel{}, false
			}
			fast = fast || far(c, middle) > probed*fastRamp
		}
	}
	if !fast {
		return pixel{}, false
	}
	// Two samples beside each other lie as far apart as the mean may be off: a leap
	// may lie anywhere between them all across the pixel.
	var last [rampGrain][4]float64
	for i := range rampGrain {
		for j := range rampGrain {
			c, _ := at((float64(i)+0.5)/rampGrain-0.5, (float64(j)+0.5)/rampGrain-0.5)
			for k := range 4 {
				mean.v[k] += c[k] / (rampGrain * rampGrain)
			}
			if i > 0 {
				mean.e = max(mean.e, far(c, last[j])/rampGrain)
			}
			if j > 0 {
				mean.e = max(mean.e, far(c, last[j-1])/rampGrain)
			}
			last[j] = c
		}
	}
	return mean, true
}

// nearOffset is 1 if a place that has no colour lies beside one that has.
func nearOffset(p *drawing.Gradient, back geom.Affine, x, y float64) float64 {
	for _, d := range [][2]float64{{0.02, 0}, {-0.02, 0}, {0, 0.02}, {0, -0.02}} {
		if _, ok := p.Offset(back.Apply(geom.Pt(x+d[0], y+d[1]))); ok {
			return 1
		}
	}
	return 0
}

// shade is the premultiplied colour of a gradient at t.
func shade(p *drawing.Gradient, t float64) [4]float64 {
	c, a := p.Colour(t)
	return [4]float64{c.R * a, c.G * a, c.B * a, a}
}

func far(a, b [4]float64) (most float64) {
	for i := range 4 {
		most = max(most, math.Abs(a[i]-b[i]))
	}
	return most
}

// A pixel is sampled at so many points a side in a picture: two for each pixel of
// the source that it covers, within these.
const leastGrain, mostGrain = 8, 24

// picture lays a picture: each pixel is the mean of what it covers, at least
// one pixel of the source wide.
func (w *Witness) picture(p *drawing.Picture, dst *sheet) {
	b := p.Image.Bounds()
	m := w.to.Mul(p.To)
	back, ok := m.Inverse()
	if !ok || b.Empty() || p.Alpha <= 0 {
		return
	}
	back = geom.Scale(float64(b.Dx()), float64(b.Dy())).Mul(back)
	wide, high := max(1, math.Hypot(back.A, back.C)), max(1, math.Hypot(back.B, back.D))
	grain := int(min(mostGrain, max(leastGrain, 2*max(wide, high))))
	w.coverage(geom.Box(geom.Rect{X1: 1, Y1: 1}), geom.NonZero, m, func(t int, cov []cover) {
		px := w.pixels(dst, t)
		for i, c := range cov {
			if c.a > 0 || c.e > 0 {
				px[i].lay(sampled(p, back.Apply(w.middle(t, i)), wide, high, grain), c)
			}
		}
	})
}

// sampled is the mean of a picture around a place of it, in its own px, so wide and
// high, looked at in so many places a side.
func sampled(p *drawing.Picture, at geom.Point, wide, high float64, grain int) (s pixel) {
	b, side := p.Image.Bounds(), float64(grain)
	var sum, lo, hi [4]float64
	lo = [4]float64{1, 1, 1, 1}
	for v := -1; v <= grain; v++ { // one further on every side: what is barely touched
		y := min(b.Dy()-1, max(0, int(math.Floor(at.Y+high*((float64(v)+0.5)/side-0.5)))))
		for u := -1; u <= grain; u++ {
			x := min(b.Dx()-1, max(0, int(math.Floor(at.X+wide*((float64(u)+0.5)/side-0.5)))))
			q := p.Image.Pix[y*p.Image.Stride+4*x:]
			a := float64(q[3]) / 255
			for k := range 4 {
				s := a
				if k < 3 {
					s *= float64(q[k]) / 255
				}
				if u >= 0 && v >= 0 && u < grain && v < grain {
					sum[k] += s
				}
				lo[k], hi[k] = min(lo[k], s), max(hi[k], s)
			}
		}
	}
	for k := range s.v {
		s.v[k] = sum[k] / (side * side) * p.Alpha
		// A border between two pixels of the source is met to within half a
		// step on either side, in both directions.
		s.e = max(s.e, (hi[k]-lo[k])*2/side*max(1, min(wide, high)/4))
	}
	return s
}
