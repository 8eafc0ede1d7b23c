package trace

import (
	"image/color"
	"math"
	"slices"

	"dyekit/core/geom"
)

// Colours that run into one another over an area come out of the labelling as bands. Bands
// that lie beside each other without an edge are taken together, and if their pixels follow
// a line or the rings of an ellipse they are painted as the blend that was drawn.

// A Ramp is a blend over a region.
type Ramp struct {
	Radial bool
	// To maps the ramp onto the picture: a linear one runs from x = 0 to 1, a radial one from
	// the middle of the unit circle to its rim. Beyond its ends it goes on in their colours.
	To    geom.Affine
	Stops []Stop
}

// A Stop is a colour at a place of a ramp, from 0 to 1.
type Stop struct {
	At     float64
	Colour color.NRGBA
}

// Of ramps.
const (
	bands     = 3     // colours that make one, at least
	bandsOff  = 0.45  // how far apart neighbouring bands may be
	seamless  = 0.3   // of that, that pixels on either side of a band's end differ by
	rampLeast = 400   // px of a ramp
	rampShare = 0.003 // of the picture, that it has
	rampSteep = 0.06  // by how much its colours differ, at least
	rampOff   = 0.012 // how far pixels lie from it, in the mean square; more in noise
	rampBins  = 48
	rampAsked = 30_000 // px that are asked
)

// ramps joins bands into areas of their own colour where they make a ramp. p are the pixels
// as they are painted, of which the labels may know a lighter form.
func (m *labels) ramps(p *hues, noise float64) {
	joins := m.seams(p, noise)
	if len(joins) == 0 {
		return
	}
	w := p.w
	of := make([]int32, len(m.l)) // area of each pixel, from 1
	var areas [][]int
	var stack []int
	for s := range m.l {
		if of[s] != 0 || !joins.any(m.l[s]) {
			continue
		}
		n := int32(len(areas) + 1)
		var px []int
		of[s] = n
		for stack = append(stack[:0], s); len(stack) > 0; {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			px = append(px, i)
			take := func(j int, within bool) {
				if within && of[j] == 0 && (m.l[j] == m.l[i] || joins.have(m.l[i], m.l[j])) {
					of[j] = n
					stack = append(stack, j)
				}
			}
			x := i % w
			take(i+1, x+1 < w)
			take(i-1, x > 0)
			take(i+w, i+w < len(m.l))
			take(i-w, i >= w)
		}
		slices.Sort(px)
		areas = append(areas, px)
	}
	for n, px := range areas {
		if len(px) < rampLeast || float64(len(px)) < rampShare*float64(len(m.l)) {
			continue
		}
		seen := map[int16]bool{}
		for _, i := range px {
			seen[m.l[i]] = true
		}
		if len(seen) < bands {
			continue
		}
		var in []int // px well within
		for k := 0; k < len(px); k += len(px)/rampAsked | 1 {
			i := px[k]
			x, y := i%w, i/w
			if x >= 2 && y >= 2 && x < w-2 && y < p.h-2 && of[i-2] == int32(n+1) && of[i+2] == int32(n+1) && of[i-2*w] == int32(n+1) && of[i+2*w] == int32(n+1) {
				in = append(in, i)
			}
		}
		r, mean, ok := p.ramp(in, noise)
		if ok {
			m.lay(px, r, mean, noise)
		}
	}
}

// lay makes an area one colour that is painted as a ramp.
func (m *labels) lay(px []int, r *Ramp, mean hue, noise float64) {
	if m.blends == nil {
		m.blends = map[int16]*blend{}
	}
	k := int16(len(m.cs))
	back, _ := r.To.Inverse() // it has one: pixels were laid along it
	m.blends[k] = &blend{Ramp: r, back: back, light: noise > noisy}
	m.paints = append(slices.Clip(m.paints), mean)
	if noise > noisy {
		mean = mean.lightly()
	}
	m.cs = append(slices.Clip(m.cs), mean)
	for _, i := range px {
		m.l[i] = k
	}
	m.trim(px, k)
}

// trim decides the pixels along the edge of a ramp anew: mixtures of its colour there and of
// the one beside it were held against colours of bands elsewhere.
func (m *labels) trim(px []int, k int16) {
	const reach = 2
	w, h := m.p.w, m.p.h
	from := slices.Clone(m.l)
	done := map[int]bool{}
	for _, i := range px {
		x, y := i%w, i/w
		if x > 0 && y > 0 && x < w-1 && y < h-1 && from[i-1] == k && from[i+1] == k && from[i-w] == k && from[i+w] == k {
			continue // within
		}
		for v := max(0, y-reach); v <= min(h-1, y+reach); v++ {
			for u := max(0, x-reach); u <= min(w-1, x+reach); u++ {
				j := v*w + u
				if done[j] {
					continue
				}
				done[j] = true
				if g := m.beside(from, u, v, k); g != none {
					t, _ := m.p.v[j].along(m.cs[g], m.blends[k].at(m.p.middle(j)))
					if m.l[j] = g; t > 0.5 {
						m.l[j] = k
					}
				}
			}
		}
	}
}

// beside is the one colour that lies about a pixel besides a ramp's; none if there are more,
// or no ramp.
func (m *labels) beside(from []int16, x, y int, k int16) int16 {
	const reach = 2
	g, ramp := int16(none), false
	for v := max(0, y-reach); v <= min(m.p.h-1, y+reach); v++ {
		for u := max(0, x-reach); u <= min(m.p.w-1, x+reach); u++ {
			switch l := from[v*m.p.w+u]; {
			case l == k:
				ramp = true
			case g == none:
				g = l
			case g != l:
				return none
			}
		}
	}
	if !ramp {
		return none
	}
	return g
}

// A blend is a ramp of which the colour is asked at places of the picture.
type blend struct {
	*Ramp
	back  geom.Affine
	light bool // pixels are compared lightly
}

func (b *blend) at(p geom.Point) hue {
	q := b.back.Apply(p)
	t := q.X
	if b.Radial {
		t = q.Len()
	}
	of := func(c color.NRGBA) hue { return hue{float64(c.R) / 255, float64(c.G) / 255, float64(c.B) / 255, 1} }
	s := b.Stops
	k := 1
	for k < len(s)-1 && s[k].At < t {
		k++
	}
	t = min(1, max(0, (t-s[k-1].At)/(s[k].At-s[k-1].At)))
	u, v := of(s[k-1].Colour), of(s[k].Colour)
	c := u.add(v.sub(u).times(t))
	if b.light {
		c = c.lightly()
	}
	return c
}

// hue is the colour of a pixel's label, in a ramp the ramp's there.
func (m *labels) hue(x, y int) hue {
	l := m.at(x, y)
	if b := m.blends[l]; b != nil {
		return b.at(m.p.middle(y*m.p.w + x))
	}
	return m.cs[l]
}

// A seamed is pairs of labels that run into one another.
type seamed map[[2]int16]bool

func (s seamed) have(a, b int16) bool { return s[[2]int16{a, b}] }

func (s seamed) any(a int16) bool { return s[[2]int16{a, a}] }

// seams finds the labels that lie beside each other without an edge.
func (m *labels) seams(p *hues, noise float64) seamed {
	const (
		least = 8    // px of a seam
		blind = 0.02 // by how much pixels differ where nobody sees an edge
	)
	type side struct {
		n   int
		sum float64
	}
	all := map[[2]int16]side{}
	w := p.w
	for y := range p.h {
		for x := range w {
			i := y*w + x
			for _, j := range [2]int{i + 1, i + w} {
				if j == i+1 && x+1 == w || j >= len(m.l) || m.l[i] == m.l[j] {
					continue
				}
				k := [2]int16{min(m.l[i], m.l[j]), max(m.l[i], m.l[j])}
				s := all[k]
				all[k] = side{s.n + 1, s.sum + p.v[i].far(p.v[j])}
			}
		}
	}
	out := seamed{}
	for k, s := range all {
		off := m.paints[k[0]].far(m.paints[k[1]])
		if s.n < least || off > bandsOff || s.sum/float64(s.n) > max(blind, seamless*off)+0.25*noise || m.paints[k[0]][3] < 0.98 || m.paints[k[1]][3] < 0.98 {
			continue
		}
		out[k], out[[2]int16{k[1], k[0]}] = true, true
		out[[2]int16{k[0], k[0]}], out[[2]int16{k[1], k[1]}] = true, true
	}
	return out
}

// ramp finds the ramp that pixels follow, by the better of a line and rings; false if they
// follow neither.
func (p *hues) ramp(px []int, noise float64) (best *Ramp, mean hue, ok bool) {
	if len(px) < rampLeast/4 {
		return nil, mean, false
	}
	for _, i := range px {
		mean = mean.add(p.v[i])
	}
	mean = mean.times(1 / float64(len(px)))
	spread := 0.0
	for _, i := range px {
		spread += p.v[i].far2(mean) / float64(len(px))
	}
	if math.Sqrt(spread) < rampSteep/2 {
		return nil, mean, false
	}
	least := rampOff + 0.6*noise
	for k, to := range []geom.Affine{p.along(px, mean), p.rings(px, true), p.rings(px, false)} {
		if r, off := p.stops(px, to, k > 0); r != nil && off < least {
			best, least = r, off
		}
	}
	return best, mean, best != nil
}

func (a hue) times(k float64) hue { return hue{a[0] * k, a[1] * k, a[2] * k, a[3] * k} }

// middle is where a pixel's middle is.
func (p *hues) middle(i int) geom.Point { return geom.Pt(float64(i%p.w)+0.5, float64(i/p.w)+0.5) }

// along lays a linear ramp over pixels: along the direction in which their colours change,
// by the planes nearest to their channels. The zero Affine if they do not change.
func (p *hues) along(px []int, mean hue) geom.Affine {
	var c geom.Point
	for _, i := range px {
		c = c.Add(p.middle(i).Mul(1 / float64(len(px))))
	}
	var xx, xy, yy float64
	var vx, vy hue
	for _, i := range px {
		d := p.middle(i).Sub(c)
		xx, xy, yy = xx+d.X*d.X, xy+d.X*d.Y, yy+d.Y*d.Y
		e := p.v[i].sub(mean)
		vx, vy = vx.add(e.times(d.X)), vy.add(e.times(d.Y))
	}
	det := xx*yy - xy*xy
	if det <= 0 {
		return geom.Affine{}
	}
	var a, b, ab float64 // of the planes' slopes, over the channels
	for k := range vx {
		gx, gy := (vx[k]*yy-vy[k]*xy)/det, (vy[k]*xx-vx[k]*xy)/det
		a, b, ab = a+gx*gx, b+gy*gy, ab+gx*gy
	}
	t := math.Atan2(2*ab, a-b) / 2
	d := geom.Pt(math.Cos(t), math.Sin(t))
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, i := range px {
		s := p.middle(i).Sub(c).Dot(d)
		lo, hi = min(lo, s), max(hi, s)
	}
	if hi-lo < 1 {
		return geom.Affine{}
	}
	d = d.Mul(hi - lo)
	from := c.Add(d.Unit().Mul(lo))
	return geom.Affine{A: d.X, B: d.Y, C: -d.Y, D: d.X, E: from.X, F: from.Y}
}

// rings lays a radial ramp over pixels, by the ellipse that those on the light or the dark
// side of them fill. The zero Affine if they fill none.
func (p *hues) rings(px []int, light bool) geom.Affine {
	value := func(i int) float64 { return p.v[i][0] + p.v[i][1] + p.v[i][2] }
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, i := range px {
		lo, hi = min(lo, value(i)), max(hi, value(i))
	}
	for _, part := range []float64{0.5, 0.3, 0.7} {
		var in []geom.Point
		var c geom.Point
		for _, i := range px {
			s := (value(i) - lo) / (hi - lo)
			if !light {
				s = 1 - s
			}
			if s > part {
				in = append(in, p.middle(i))
				c = c.Add(p.middle(i))
			}
		}
		if len(in) < rampLeast/8 {
			continue
		}
		c = c.Mul(1 / float64(len(in)))
		var xx, xy, yy float64
		for _, q := range in {
			d := q.Sub(c)
			xx, xy, yy = xx+d.X*d.X, xy+d.X*d.Y, yy+d.Y*d.Y
		}
		n := float64(len(in))
		xx, xy, yy = xx/n, xy/n, yy/n
		t := math.Atan2(2*xy, xx-yy) / 2
		u := geom.Pt(math.Cos(t), math.Sin(t))
		v := u.Turn()
		a := 2 * math.Sqrt(xx*u.X*u.X+2*xy*u.X*u.Y+yy*u.Y*u.Y)
		b := 2 * math.Sqrt(max(0, xx*v.X*v.X+2*xy*v.X*v.Y+yy*v.Y*v.Y))
		if b < 1 {
			continue
		}
		if math.Abs(a-b) < 0.03*a { // a circle
			a = (a + b) / 2
			b, u, v = a, geom.Pt(1, 0), geom.Pt(0, 1)
		}
		// All of the ellipse is theirs, and it reaches as far as the farthest pixel.
		far := 0.0
		for _, i := range px {
			d := p.middle(i).Sub(c)
			far = max(far, math.Hypot(d.Dot(u)/a, d.Dot(v)/b))
		}
		x, y := u.Mul(a*far), v.Mul(b*far)
		return geom.Affine{A: x.X, B: x.Y, C: y.X, D: y.Y, E: c.X, F: c.Y}
	}
	return geom.Affine{}
}

// stops finds the colours along a ramp that lies so, and how far the pixels are from it, in
// the mean square; nil if it leads nowhere.
func (p *hues) stops(px []int, to geom.Affine, radial bool) (*Ramp, float64) {
	back, ok := to.Inverse()
	if !ok {
		return nil, 0
	}
	at := func(i int) float64 {
		q := back.Apply(p.middle(i))
		if radial {
			return min(1, q.Len())
		}
		return min(1, max(0, q.X))
	}
	var sum [rampBins]hue
	var n [rampBins]float64
	for _, i := range px {
		k := min(rampBins-1, int(at(i)*rampBins))
		sum[k], n[k] = sum[k].add(p.v[i]), n[k]+1
	}
	var ts []float64
	var vs []hue
	for k := range n {
		if n[k] > 0 {
			ts, vs = append(ts, (float64(k)+0.5)/rampBins), append(vs, sum[k].times(1/n[k]))
		}
	}
	if len(ts) < 4 {
		return nil, 0
	}
	// The ends go on as the last bins do.
	end := func(a, b int, t float64) hue {
		k := (t - ts[a]) / (ts[b] - ts[a])
		var c hue
		for i := range c {
			c[i] = min(1, max(0, vs[a][i]+k*(vs[b][i]-vs[a][i])))
		}
		return c
	}
	last := len(ts) - 1
	first, final := end(1, 0, 0), end(last-1, last, 1)
	ts, vs = slices.Concat([]float64{0}, ts, []float64{1}), slices.Concat([]hue{first}, vs, []hue{final})
	keep := simplest(ts, vs, rampOff)
	r := &Ramp{Radial: radial, To: to}
	for _, k := range keep {
		c := vs[k]
		u := func(v float64) uint8 { return uint8(min(1, max(0, v))*255 + 0.5) }
		r.Stops = append(r.Stops, Stop{ts[k], color.NRGBA{u(c[0]), u(c[1]), u(c[2]), 255}})
	}
	off := 0.0
	for _, i := range px {
		t := at(i)
		k := 1
		for k < len(keep)-1 && ts[keep[k]] < t {
			k++
		}
		a, b := keep[k-1], keep[k]
		s := (t - ts[a]) / (ts[b] - ts[a])
		off += p.v[i].far2(vs[a].add(vs[b].sub(vs[a]).times(s))) / float64(len(px))
	}
	return r, math.Sqrt(off)
}

// simplest are the points of a line of colours that it needs to stay within off of the others
// (D. H. Douglas and T. K. Peucker, Cartographica 10, 1973).
func simplest(ts []float64, vs []hue, off float64) []int {
	keep := []int{0, len(ts) - 1}
	var cut func(a, b int)
	cut = func(a, b int) {
		worst, at := off, -1
		for k := a + 1; k < b; k++ {
			s := (ts[k] - ts[a]) / (ts[b] - ts[a])
			if d := vs[k].far(vs[a].add(vs[b].sub(vs[a]).times(s))); d > worst {
				worst, at = d, k
			}
		}
		if at > 0 {
			keep = append(keep, at)
			cut(a, at)
			cut(at, b)
		}
	}
	cut(0, len(ts)-1)
	slices.Sort(keep)
	return keep
}
