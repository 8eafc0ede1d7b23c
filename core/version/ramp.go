package version

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// rampSteps is how finely a ramp is searched for the places where its reading
// changes.
const rampSteps = 256

// cutRamp divides a gradient where its reading changes: where a ramp that
// runs from paper white to a colour passes half of its lightness, and in a
// mask where half the light passes. Beyond the cut it is white, or nothing
// where the ramp fades. A ramp without such an end is one tone, its mean. The
// paths hold the places before each cut, each the next, and
// there is one tone more than there are cuts.
func cutRamp(g *drawing.Gradient, view geom.Rect, in *drawing.Mask) (cuts []geom.Path, tones []tone) {
	whole := []tone{mean(g, 0, 1)}
	u, ok := g.Unroll(view)
	if !ok || len(u.Stops) < 2 {
		return nil, whole
	}
	value := func(t float64) float64 { // lightness on white
		c, a := u.Colour(t)
		return c.Over(colour.White, a).Lab().L
	}
	lo, hi := math.Inf(1), math.Inf(-1)
	white, ink := false, false
	for i := range rampSteps + 1 {
		t := float64(i) / rampSteps
		c, a := u.Colour(t)
		c = c.Over(colour.White, a)
		white, ink = white || c.NearWhite(), ink || !c.NearWhite()
		v := value(t)
		lo, hi = min(lo, v), max(hi, v)
	}
	half := (lo + hi) / 2
	if in != nil {
		half = 0.5
		value = func(t float64) float64 { // what the mask lets through there
			switch c, a := u.Colour(t); {
			case in.Alpha:
				return a
			case in.Linear:
				return c.Luminance() * a
			default:
				return c.Luma() * a
			}
		}
	} else if !white || !ink {
		return nil, whole
	}
	var at []float64
	for i := range rampSteps {
		a, b := float64(i)/rampSteps, float64(i+1)/rampSteps
		if va := value(a) < half; va != (value(b) < half) {
			for range 30 {
				if m := (a + b) / 2; (value(m) < half) == va {
					a = m
				} else {
					b = m
				}
			}
			at = append(at, a)
		}
	}
	for _, t := range at {
		p, ok := before(u, t, view)
		if !ok {
			return nil, whole
		}
		cuts = append(cuts, p)
	}
	ends := append(append([]float64{0}, at...), 1)
	for i := 1; i < len(ends); i++ {
		a, b := ends[i-1], ends[i]
		if in != nil { // what half passes is cut off or left whole
			if value((a+b)/2) >= half {
				tones = append(tones, flat(colour.White, 1))
			} else {
				tones = append(tones, tone{seen: colour.White})
			}
			continue
		}
		m := mean(u, a, b)
		if value((a+b)/2) >= half {
			if m.pixel[3] < 0.5 {
				m = tone{seen: colour.White}
			} else {
				m = flat(colour.White, 1)
			}
		}
		tones = append(tones, m)
	}
	return cuts, tones
}

// mean is the mean of a stretch of the ramp, and of its opacity.
func mean(g *drawing.Gradient, a, b float64) tone {
	const n = 32
	var m raster.Pixel
	for i := range n {
		c, alpha := g.Colour(a + (b-a)*(float64(i)+0.5)/n)
		for k, v := range raster.NewPixel(c, alpha) {
			m[k] += v / n
		}
	}
	return tone{pixel: m, seen: m.On(colour.White)}
}

// before is the part of the view in which the ramp's offset is less than t. ok
// is false for a radial gradient whose circles do not hold each other.
func before(g *drawing.Gradient, t float64, view geom.Rect) (p geom.Path, ok bool) {
	d := g.P1.Sub(g.P0)
	far := 4 * (view.W() + view.H())
	if !g.Radial {
		across := g.To.Vec(d.Turn())
		at := g.To.Apply(g.P0.Add(d.Mul(t)))
		// What lies on the far side is a quarter turn from the line.
		n := across.Turn().Unit()
		if n.Dot(g.To.Vec(d)) > 0 {
			n = n.Mul(-1)
		}
		across = across.Unit()
		if across == (geom.Point{}) {
			return nil, false
		}
		// The line passes the view where it is nearest to its middle.
		at = at.Add(across.Mul(view.Centre().Sub(at).Dot(across)))
		a, b := at.Add(across.Mul(far)), at.Sub(across.Mul(far))
		depth := n.Mul(far + view.Centre().Sub(at).Len())
		p.MoveTo(a)
		p.LineTo(b)
		p.LineTo(b.Add(depth))
		p.LineTo(a.Add(depth))
		p.Close()
		return p, true
	}
	if math.Abs(g.R1-g.R0) <= d.Len() {
		return nil, false
	}
	r := g.R0 + (g.R1-g.R0)*t
	circle := geom.Ellipse(g.P0.Add(d.Mul(t)), r, r).Transform(g.To)
	if g.R1 > g.R0 {
		return circle, true
	}
	// The ramp runs inwards: before is outside.
	p = geom.Box(view.Grow(far))
	if circle.Area() > 0 {
		circle = circle.Reverse()
	}
	return append(p, circle...), true
}
