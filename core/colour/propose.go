package colour

import (
	"math"
	"sync"

	"dyekit/core/parallel"
)

// A Proposal is a build for a screen colour.
type Proposal struct {
	Build CMYK
	// Difference is ΔE00 between what the screen shows and what the press
	// prints, both beside their own white.
	Difference float64
}

// printable is the difference up to which a colour counts as printed: past 5
// it is plainly another.
const printable = 5

// Propose finds the build that comes nearest to a screen colour: greys in black
// alone, as much black as leaves the other inks clean, whole percents, at most
// MaxInk. Screen black is K 100, screen white bare paper.
func (p *Press) Propose(c RGB) Proposal {
	p.load()
	t := p.target(c)
	var b CMYK
	switch {
	case c == White:
	case c == Black:
		b.K = 100
	case c.R == c.G && c.G == c.B:
		b.K = math.Round(p.greyBlack(t.L))
	default:
		b = p.solve(t)
		round := math.Round
		if b.Total() > MaxInk-2 {
			round = math.Floor
		}
		b = CMYK{round(b.C), round(b.M), round(b.Y), round(b.K)}
		for _, v := range []*float64{&b.C, &b.M, &b.Y, &b.K} { // a percent or two only soil
			old := *v
			if old == 0 || old > 2 {
				continue
			}
			with := Difference(p.at(b), t)
			if *v = 0; Difference(p.at(b), t) > with+0.5 {
				*v = old
			}
		}
	}
	return Proposal{b, Difference(p.at(b), t)}
}

// solve looks for the inks of a media-relative colour.
func (p *Press) solve(t Lab) CMYK {
	grey := p.greyBlack(t.L)
	share := max(0, 1-t.Chroma()/40)
	best, least := CMYK{}, math.Inf(1)
	try := func(k float64) bool {
		b := p.descend(t, k)
		if d := Difference(p.at(b), t) + 0.004*k; d < least {
			best, least = b, d
		}
		return least < 1
	}
	k := grey * share * share
	if try(k) || try(k/2) || try(0) {
		return best
	}
	for k += 12.5; k < 112.5; k += 12.5 {
		if try(min(100, k)) {
			break
		}
	}
	return best
}

// greyBlack is the black that alone has a lightness.
func (p *Press) greyBlack(l float64) float64 {
	lo, hi := 0.0, 100.0
	for range 20 {
		mid := (lo + hi) / 2
		if p.at(CMYK{K: mid}).L > l {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// descend moves cyan, magenta and yellow towards the colour with the black
// held (damped least squares). Where the press cannot reach it, hue and
// lightness weigh more than chroma.
func (p *Press) descend(t Lab, k float64) CMYK {
	along := [2]float64{1, 0}
	if ch := t.Chroma(); ch > 1 {
		along = [2]float64{t.A / ch, t.B / ch}
	}
	off := func(v [3]float64) [3]float64 {
		l := p.at(CMYK{v[0], v[1], v[2], k})
		da, db := l.A-t.A, l.B-t.B
		return [3]float64{l.L - t.L, 0.6 * (da*along[0] + db*along[1]), db*along[0] - da*along[1]}
	}
	size := func(r [3]float64) float64 { return r[0]*r[0] + r[1]*r[1] + r[2]*r[2] }
	v := [3]float64{30, 30, 30}
	if t.L > 80 {
		v = [3]float64{10, 10, 10}
	}
	r, damp := off(v), 0.01
	for range 40 {
		if size(r) < 0.01 {
			break
		}
		var j [3][3]float64
		for i := range 3 {
			w := v
			h := 1.0
			if w[i] > 50 {
				h = -1
			}
			w[i] += h
			q := off(w)
			for n := range 3 {
				j[n][i] = (q[n] - r[n]) / h
			}
		}
		step, ok := leastSquares(j, r, damp)
		if !ok {
			damp *= 10
			continue
		}
		w := v
		for i := range w {
			w[i] = min(100, max(0, w[i]-step[i]))
		}
		if sum := w[0] + w[1] + w[2]; sum > MaxInk-k {
			for i := range w {
				w[i] *= (MaxInk - k) / sum
			}
		}
		if q := off(w); size(q) < size(r) {
			v, r, damp = w, q, max(1e-6, damp/4)
		} else if damp *= 8; damp > 1e6 {
			break
		}
	}
	return CMYK{v[0], v[1], v[2], k}
}

// leastSquares solves (JᵀJ + damp·I) x = Jᵀr.
func leastSquares(j [3][3]float64, r [3]float64, damp float64) (x [3]float64, ok bool) {
	var a [3][4]float64
	for i := range 3 {
		for k := range 3 {
			for n := range 3 {
				a[i][k] += j[n][i] * j[n][k]
			}
			a[i][3] += j[k][i] * r[k]
		}
		a[i][i] += damp
	}
	for i := range 3 {
		at := i
		for k := i + 1; k < 3; k++ {
			if math.Abs(a[k][i]) > math.Abs(a[at][i]) {
				at = k
			}
		}
		a[i], a[at] = a[at], a[i]
		if math.Abs(a[i][i]) < 1e-12 {
			return x, false
		}
		for k := range 3 {
			if k != i {
				f := a[k][i] / a[i][i]
				for n := i; n < 4; n++ {
					a[k][n] -= f * a[i][n]
				}
			}
		}
	}
	for i := range 3 {
		x[i] = a[i][3] / a[i][i]
	}
	return x, true
}

// Show is what a build looks like on a screen, beside its own white: the
// inverse of target, cut to what a screen can show.
func (p *Press) Show(b CMYK) RGB {
	p.load()
	v := p.at(b).xyz()
	for i := range v {
		v[i] = (v[i] - p.dark*d50[i]) / (1 - p.dark)
	}
	return FromXYZ(v)
}

// FromXYZ is the screen colour of CIE XYZ under D50, the profile connection
// space of ICC.1, cut to what a screen can show (Bradford adaptation to D65, and
// the matrix of IEC 61966-2-1).
func FromXYZ(v [3]float64) RGB {
	x := 0.9555766*v[0] - 0.0230393*v[1] + 0.0631636*v[2]
	y := -0.0282895*v[0] + 1.0099416*v[1] + 0.0210077*v[2]
	z := 0.0122982*v[0] - 0.0204830*v[1] + 1.3299098*v[2]
	return RGB{
		Encoded(3.2404542*x - 1.5371385*y - 0.4985314*z),
		Encoded(-0.9692660*x + 1.8760108*y + 0.0415560*z),
		Encoded(0.0556434*x - 0.2040259*y + 1.0572252*z),
	}
}

// XYZ is a screen colour in CIE XYZ under D50, as FromXYZ takes it.
func (c RGB) XYZ() [3]float64 {
	x, y, z := c.xyz()
	return [3]float64{ // Bradford adaptation from D65
		1.0478112*x + 0.0228866*y - 0.0501270*z,
		0.0295424*x + 0.9904844*y - 0.0170491*z,
		-0.0092345*x + 0.0150436*y + 0.7521316*z,
	}
}

// side is the number of steps of a channel in a table.
const side = 17

// newTable holds solutions on a grid of screen colours, for pictures.
func newTable(p *Press) *Lattice {
	t := &Lattice{Sides: []int{side, side, side}, Width: 4, V: make([]float64, 4*side*side*side)}
	parallel.Each(side, func(r int) {
		for g := range side {
			for b := range side {
				v := p.solve(p.target(RGB{float64(r) / (side - 1), float64(g) / (side - 1), float64(b) / (side - 1)}))
				copy(t.V[4*((r*side+g)*side+b):], []float64{v.C, v.M, v.Y, v.K})
			}
		}
	})
	clear(t.V[len(t.V)-4:])
	copy(t.V, []float64{0, 0, 0, 100})
	return t
}

// Pixel is Propose for the pixels of pictures: a thousand times faster, by
// interpolation between solutions, without rounding.
func (p *Press) Pixel(c RGB) CMYK {
	p.load()
	var cell [3]int
	var t [3]float64
	for k, v := range [3]float64{c.R, c.G, c.B} {
		cell[k], t[k] = Cell(v, side)
	}
	var out [4]float64
	p.table().At(cell[:], t[:], out[:])
	return CMYK{out[0], out[1], out[2], out[3]}
}

// Full returns the build of c: the declared one, or a proposal for offset on coated
// paper. proposed tells which. That of a spot ink is of the full ink, whatever the tint.
func (c Colour) Full() (build CMYK, proposed bool) {
	if c.Built {
		return c.Build, false
	}
	return Propose(c.RGB), true
}

// Press returns the build that prints c where there are no spot plates: Full, and of a
// tint of a spot ink so much of it.
func (c Colour) Press() (build CMYK, proposed bool) {
	build, proposed = c.Full()
	if t := c.Tint / 100; c.Spot != "" && c.Built && t > 0 && t < 1 {
		build = CMYK{C: build.C * t, M: build.M * t, Y: build.Y * t, K: build.K * t}
	}
	return build, proposed
}

// Inks are the components of c from 0 to 1: red, green and blue, or the four
// process inks that print it (Press).
func (c Colour) Inks(cmyk bool) []float64 {
	if !cmyk {
		return []float64{c.RGB.R, c.RGB.G, c.RGB.B}
	}
	b, _ := c.Press()
	return []float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}
}

// Mix is t of the way from a to b: on screen, in the plates that they share with each other
// or with bare paper, and otherwise, where both have a build of their own, in their builds.
func Mix(a, b Colour, t float64) Colour {
	shown := b.RGB.Over(a.RGB, t)
	l := func(x, y float64) float64 { return x + (y-x)*t }
	for _, in := range []Colour{a, b} {
		x, ok := a.TintsOn(in)
		y, also := b.TintsOn(in)
		if ok && also {
			for i := range x {
				x[i] = l(x[i], y[i])
			}
			return in.Tinted(x, shown)
		}
	}
	c := Screen(shown)
	if a.Built && b.Built {
		p, _ := a.Press()
		q, _ := b.Press()
		c.Built = true
		c.Build = CMYK{C: l(p.C, q.C), M: l(p.M, q.M), Y: l(p.Y, q.Y), K: l(p.K, q.K)}
	}
	return c
}

// proposals are kept: the same colours come again and again.
var proposals sync.Map // RGB -> CMYK

// Propose is the build that offset on coated paper needs for a screen colour.
func Propose(c RGB) CMYK {
	if b, ok := proposals.Load(c); ok {
		return b.(CMYK)
	}
	b := Coated.Propose(c).Build
	proposals.Store(c, b)
	return b
}

// Printed is what a press makes of a colour.
type Printed struct {
	Build      CMYK
	Proposed   bool    // not declared by the colour
	Shown      RGB     // what it looks like on a screen, beside its own white
	Difference float64 // ΔE00 from what the screen shows
	Same       bool    // it looks on a screen just as the screen's colour does
}

// Printable reports whether the print comes near enough to the screen.
func (x Printed) Printable() bool { return x.Same || x.Difference <= printable }

// Word says the difference as people see it.
func (x Printed) Word() string {
	switch {
	case x.Difference < 1:
		return "nobody sees a difference"
	case x.Same && x.Difference > printable:
		return "richer than a screen can show"
	case x.Difference < 2:
		return "near-equal"
	case x.Difference <= printable:
		return "a difference one can see"
	case x.Proposed:
		return "cannot be printed; this is the nearest"
	}
	return "another colour than on screen"
}

// Print tells what the press makes of a colour, by its declared build or by
// the one that comes nearest; of a tint of a spot ink by its build at that tint.
func (p *Press) Print(c Colour) Printed {
	var x Printed
	if c.Built {
		x.Build, _ = c.Press()
	} else {
		x.Build, x.Proposed = p.Propose(c.RGB).Build, true
	}
	x.Shown = p.Show(x.Build)
	x.Same = x.Shown.Hex() == c.RGB.Hex()
	x.Difference = Difference(p.Beside(x.Build), p.target(c.RGB))
	return x
}
