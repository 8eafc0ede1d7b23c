package raster

import (
	"math"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

const (
	// rampSteps is the number of colours a gradient is tabulated in: four for
	// each step an 8-bit channel can take.
	rampSteps = 1024
	// A ramp leaps where it changes by more than leastLeap faster than steep, in
	// channels to the ramp's length: as two stops at one place make it.
	leastLeap = 2.0 / 255
	steep     = rampSteps / 16
	// coarsely is by how much a channel may change within a pixel for the colour of
	// its middle to stand for it: where the ramp turns back, the mean is off by a
	// quarter of that.
	coarsely = 4.0 / 255
)

// A ramp paints a gradient: with the colour of the middle of each pixel, or, where
// the ramp leaps or turns within the pixel, with the mean of what it covers, so
// that an edge in a ramp is as smooth as the edge of a shape, and hardly moves
// if the ramp does.
type ramp struct {
	g     *drawing.Gradient
	back  geom.Affine // pixels to gradient space
	table [rampSteps + 1]premul
	stops []knot
	whole [4]float64 // the integral of all of the ramp
	leaps []float64  // where, from 0 to 1
	slope float64    // the fastest change beside leaps
	tx    float64    // of a line, how t changes with a pixel to the right
	ty    float64    // and down
	even  bool       // no pixel needs more than the colour of its middle
	box   geom.Rect  // px, where it paints: only that of a pixel counts
}

// A knot is a stop: straight colour and opacity, and the integral of the premultiplied
// ramp up to it.
type knot struct {
	at, r, g, b, a float64
	sum            [4]float64
}

// newRamp readies a gradient that paints within a box, in px.
func newRamp(g *drawing.Gradient, to geom.Affine, box geom.Rect) sampler {
	r := &ramp{g: g, box: box}
	pad := *g
	pad.Spread = drawing.Pad
	for i := range r.table {
		c, a := pad.Colour(float64(i) / rampSteps)
		r.table[i] = premul{float32(c.R * a), float32(c.G * a), float32(c.B * a), float32(a)}
	}
	var ok bool
	if r.back, ok = to.Mul(g.To).Inverse(); !ok {
		return r.table[rampSteps] // a collapsed gradient shows its last colour
	}
	r.measure()
	r.even = r.isEven()
	return r
}

// measure finds the integrals and leaps of a ramp.
func (r *ramp) measure() {
	add := func(at float64, s drawing.Stop) {
		k := knot{at: min(1, max(0, at)), r: s.Colour.RGB.R, g: s.Colour.RGB.G, b: s.Colour.RGB.B, a: s.Alpha}
		if n := len(r.stops); n > 0 {
			p := &r.stops[n-1]
			k.at = max(k.at, p.at)
			k.sum = p.until(&k, k.at)
			change, leap := far(p.mix(p, p.at), k.mix(&k, k.at)), k.at-p.at
			if change > leastLeap && change > steep*leap {
				r.leaps = append(r.leaps, p.at, k.at)
			} else if leap > 0 {
				r.slope = max(r.slope, change/leap)
			}
		}
		r.stops = append(r.stops, k)
	}
	s := r.g.Stops
	add(0, s[0])
	for _, x := range s {
		add(x.At, x)
	}
	add(1, s[len(s)-1])
	first, last := &r.stops[0], &r.stops[len(r.stops)-1]
	r.whole = last.sum
	if r.g.Spread == drawing.Repeat && far(first.mix(first, 0), last.mix(last, 1)) > leastLeap {
		r.leaps = append(r.leaps, 0, 1)
	}
	if d := r.g.P1.Sub(r.g.P0); !r.g.Radial && d.Dot(d) > 0 {
		r.tx = r.back.Vec(geom.Pt(1, 0)).Dot(d) / d.Dot(d)
		r.ty = r.back.Vec(geom.Pt(0, 1)).Dot(d) / d.Dot(d)
	}
}

// mix is the premultiplied colour at t, between a knot and the next.
func (k *knot) mix(next *knot, t float64) [4]float64 {
	u := 0.0
	if next.at > k.at {
		u = (t - k.at) / (next.at - k.at)
	}
	a := k.a + (next.a-k.a)*u
	return [4]float64{(k.r + (next.r-k.r)*u) * a, (k.g + (next.g-k.g)*u) * a, (k.b + (next.b-k.b)*u) * a, a}
}

// until is the integral of the ramp up to t, between a knot and the next: Simpson's
// rule, which is exact as colour and opacity each run evenly.
func (k *knot) until(next *knot, t float64) (sum [4]float64) {
	f0, f1, f2 := k.mix(next, k.at), k.mix(next, (k.at+t)/2), k.mix(next, t)
	for i := range sum {
		sum[i] = k.sum[i] + (t-k.at)/6*(f0[i]+4*f1[i]+f2[i])
	}
	return sum
}

// integral is that of the ramp from 0 to t, spread.
func (r *ramp) integral(t float64) (sum [4]float64) {
	times, sign := 0.0, 1.0
	switch r.g.Spread {
	case drawing.Reflect:
		if t < 0 {
			t, sign = -t, -1
		}
		times = 2 * math.Floor(t/2)
		if t -= times; t > 1 { // back again
			times, sign, t = -times-2, -sign, 2-t
		}
	case drawing.Repeat:
		times = math.Floor(t)
		t -= times
	default:
		beyond := t - min(1, max(0, t))
		t -= beyond
		end := &r.stops[0]
		if beyond > 0 {
			end = &r.stops[len(r.stops)-1]
		}
		for i, v := range end.mix(end, end.at) {
			sum[i] = beyond * v
		}
	}
	i := 1
	for i < len(r.stops)-1 && r.stops[i].at < t {
		i++
	}
	for i, v := range r.stops[i-1].until(&r.stops[i], t) {
		sum[i] += sign * (v + times*r.whole[i])
	}
	return sum
}

// acrossParts is into how many parts a pixel is divided across the way on which the
// ramp changes most.
const acrossParts = 4

// mean is that of the colours in a pixel whose middle lies at t, which changes by tx
// along a side and by ty along the other.
func (r *ramp) mean(t, tx, ty float64) premul {
	wide, high := max(math.Abs(tx), math.Abs(ty)), min(math.Abs(tx), math.Abs(ty))
	if wide < 1e-9 {
		return *r.at(t)
	}
	var sum [4]float64
	for k := range acrossParts {
		at := t + high*((float64(k)+0.5)/acrossParts-0.5)
		a, b := r.integral(at-wide/2), r.integral(at+wide/2)
		for i := range sum {
			sum[i] += b[i] - a[i]
		}
	}
	var p premul
	for i, v := range sum {
		p[i] = float32(min(1, max(0, v/(acrossParts*wide))))
	}
	return p
}

// leapsIn reports whether the ramp leaps between two offsets.
func (r *ramp) leapsIn(from, to float64) bool {
	if r.g.Spread != drawing.Pad && to-from >= 1 {
		return len(r.leaps) > 0
	}
	for _, l := range r.leaps {
		switch r.g.Spread {
		case drawing.Repeat:
			l += math.Ceil(from - l)
		case drawing.Reflect:
			if back := 2*math.Ceil((from+l)/2) - l; back <= to {
				return true
			}
			l += 2 * math.Ceil((from-l)/2)
		}
		if from <= l && l <= to {
			return true
		}
	}
	return false
}

// deepest is how often a pixel is quartered where the offset does not run evenly
// across it, as round the middle of a radial ramp.
const deepest = 4

// cell is the mean of a radial ramp in a cell round p with sides of twice x and y. ok
// is false if nothing is painted in some corner of it.
func (r *ramp) cell(p, x, y geom.Point, deep int) (mean premul, ok bool) {
	t, ok := r.g.Offset(p)
	x0, ok0 := r.g.Offset(p.Sub(x))
	x1, ok1 := r.g.Offset(p.Add(x))
	y0, ok2 := r.g.Offset(p.Sub(y))
	y1, ok3 := r.g.Offset(p.Add(y))
	if !(ok && ok0 && ok1 && ok2 && ok3) {
		return mean, false
	}
	tx, ty := x1-x0, y1-y0
	bend, run := math.Abs(x0+x1-2*t)+math.Abs(y0+y1-2*t), math.Abs(tx)+math.Abs(ty)
	if deep == deepest || 16*bend <= run {
		if deep == 0 && !r.turns(t, run/2) {
			return *r.at(t), true
		}
		return r.mean(t, tx, ty), true
	}
	x, y = x.Mul(0.5), y.Mul(0.5)
	for _, q := range [...]geom.Point{p.Sub(x).Sub(y), p.Add(x).Sub(y), p.Sub(x).Add(y), p.Add(x).Add(y)} {
		part, ok := r.cell(q, x, y, deep+1)
		if !ok {
			return mean, false
		}
		for i, v := range part {
			mean[i] += v / 4
		}
	}
	return mean, true
}

// turns reports whether the ramp leaps near an offset, or changes fast.
func (r *ramp) turns(t, reach float64) bool {
	return 2*r.slope*reach > coarsely || r.leapsIn(t-reach-1.0/rampSteps, t+reach+1.0/rampSteps)
}

// at is the colour at an offset.
func (r *ramp) at(t float64) *premul {
	switch r.g.Spread {
	case drawing.Reflect:
		if t = math.Mod(math.Abs(t), 2); t > 1 {
			t = 2 - t
		}
	case drawing.Repeat:
		t -= math.Floor(t)
	}
	return &r.table[int(min(1, max(0, t))*rampSteps+0.5)]
}

// isEven reports whether the colour of the middle of a pixel can stand for any of
// them: the ramp has no leaps and is wide.
func (r *ramp) isEven() bool {
	if len(r.leaps) > 0 {
		return false
	}
	fast := math.Hypot(r.tx, r.ty)
	if r.g.Radial {
		// From the far side of the circles the offset changes slower, on the near
		// side of a focus as fast as this.
		apart := math.Abs(r.g.R1-r.g.R0) - r.g.P1.Sub(r.g.P0).Len()
		if apart <= 0 {
			return false
		}
		m := r.back
		fast = math.Sqrt(m.A*m.A+m.B*m.B+m.C*m.C+m.D*m.D) / apart
	}
	return r.slope*fast <= coarsely
}

func (r *ramp) fill(dst []float32, x, y int) {
	for i := 0; i+3 < len(dst); i += 4 {
		at := geom.Pt(float64(x)+0.5, float64(y)+0.5)
		x++
		t, ok := r.g.Offset(r.back.Apply(at))
		if !ok {
			clear(dst[i : i+4])
			continue
		}
		c := r.at(t)
		if !r.even {
			if m, ok := r.inPixel(at, t); ok {
				c = &m
			}
		}
		dst[i], dst[i+1], dst[i+2], dst[i+3] = c[0], c[1], c[2], c[3]
	}
}

// inPixel is the mean of what a pixel with this middle, of offset t, has of the ramp,
// if it turns there.
func (r *ramp) inPixel(at geom.Point, t float64) (mean premul, ok bool) {
	wide, high := 1.0, 1.0
	if pixel := (geom.Rect{X0: at.X, Y0: at.Y, X1: at.X, Y1: at.Y}).Grow(0.5); !r.box.Contains(pixel, 0) {
		if in := pixel.Intersect(r.box); !in.Empty() {
			at, wide, high = in.Centre(), in.W(), in.H()
		}
	}
	p := r.back.Apply(at)
	if r.g.Radial {
		return r.cell(p, r.back.Vec(geom.Pt(wide/2, 0)), r.back.Vec(geom.Pt(0, high/2)), 0)
	}
	tx, ty := r.tx*wide, r.ty*high
	if !r.turns(t, (math.Abs(r.tx)+math.Abs(r.ty))/2) {
		return mean, false
	}
	t, _ = r.g.Offset(p)
	return r.mean(t, tx, ty), true
}

func far(a, b [4]float64) (most float64) {
	for i := range a {
		most = max(most, math.Abs(a[i]-b[i]))
	}
	return most
}
