package trace

import (
	"cmp"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/parallel"
)

// A hue is a colour with its opacity: red, green and blue multiplied by it, and
// it, from 0 to 1. Edges drawn smooth are straight mixtures of such.
type hue [4]float64

func (a hue) sub(b hue) hue { return hue{a[0] - b[0], a[1] - b[1], a[2] - b[2], a[3] - b[3]} }

func (a hue) add(b hue) hue { return hue{a[0] + b[0], a[1] + b[1], a[2] + b[2], a[3] + b[3]} }

func (a hue) dot(b hue) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] + a[3]*b[3] }

func (a hue) far(b hue) float64 { return math.Sqrt(a.far2(b)) }

// far2 is the distance squared.
func (a hue) far2(b hue) float64 {
	x, y, z, w := a[0]-b[0], a[1]-b[1], a[2]-b[2], a[3]-b[3]
	return x*x + y*y + z*z + w*w
}

// along is where between a and b the colour lies nearest, from 0 to 1, and how
// far from it.
func (c hue) along(a, b hue) (t, off float64) {
	d := b.sub(a)
	l := d.dot(d)
	if l == 0 {
		return 0, c.far(a)
	}
	t = min(1, max(0, c.sub(a).dot(d)/l))
	return t, c.far(hue{a[0] + t*d[0], a[1] + t*d[1], a[2] + t*d[2], a[3] + t*d[3]})
}

// hues are the pixels of a picture.
type hues struct {
	w, h int
	v    []hue
}

func huesOf(img *image.NRGBA) *hues {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	p := &hues{w, h, make([]hue, w*h)}
	parallel.Each(h, func(y int) {
		for x := range w {
			c := img.Pix[img.PixOffset(img.Rect.Min.X+x, img.Rect.Min.Y+y):]
			a := float64(c[3]) / 255
			p.v[y*w+x] = hue{float64(c[0]) / 255 * a, float64(c[1]) / 255 * a, float64(c[2]) / 255 * a, a}
		}
	})
	return p
}

// lightly is a colour as it is compared where pixels waver: its lightness counts in
// full, and half of how it differs from grey. Packing blurs that over twice as many
// pixels across and down, and in coarser steps (ITU-T T.81 annex K.1): of an edge,
// lightness tells where it is.
func (c hue) lightly() hue {
	const part = 0.5
	y := colour.BT601.Of(c[0], c[1], c[2])
	return hue{math.Sqrt(3) * y, part * (c[0] - y), part * (c[2] - y), c[3]} // a grey is as far from black as it was
}

func (p *hues) lightly() *hues {
	q := &hues{p.w, p.h, make([]hue, len(p.v))}
	parallel.Each(p.h, func(y int) {
		for i := y * p.w; i < (y+1)*p.w; i++ {
			q.v[i] = p.v[i].lightly()
		}
	})
	return q
}

// step is the largest difference of a pixel from its four neighbours.
func (p *hues) step(x, y int) float64 {
	i := y*p.w + x
	c, far := p.v[i], 0.0
	if x > 0 {
		far = max(far, c.far2(p.v[i-1]))
	}
	if x < p.w-1 {
		far = max(far, c.far2(p.v[i+1]))
	}
	if y > 0 {
		far = max(far, c.far2(p.v[i-p.w]))
	}
	if y < p.h-1 {
		far = max(far, c.far2(p.v[i+p.w]))
	}
	return math.Sqrt(far)
}

// plain marks the pixels that are one of a square of two by two that differ by at
// most slack: a row of pixels along an edge is none.
func (p *hues) plain(slack float64) []bool {
	return squares(p.w, p.h, func(i int) bool {
		c := p.v[i]
		return c.far2(p.v[i+1]) <= slack*slack && c.far2(p.v[i+p.w]) <= slack*slack && c.far2(p.v[i+p.w+1]) <= slack*slack
	})
}

// squares marks the pixels of all squares of two by two that are of a kind, each told by its
// left top pixel.
func squares(w, h int, are func(i int) bool) []bool {
	first, out := make([]bool, w*h), make([]bool, w*h)
	parallel.Each(h-1, func(y int) {
		for i := y * w; i < (y+1)*w-1; i++ {
			first[i] = are(i)
		}
	})
	for i, is := range first {
		if is {
			out[i], out[i+1], out[i+w], out[i+w+1] = true, true, true, true
		}
	}
	return out
}

// noise is how far neighbouring pixels of plain places lie from one another: in a
// band beside strong edges, where packed pictures ring most, or everywhere if
// there are none. Where most pixels are just like their neighbours it is 0;
// otherwise nine in ten differ less.
func (p *hues) noise() float64 {
	const (
		strong = 0.25 // step of an edge
		rough  = 0.004
		inner  = 2 // px from an edge at which its softness ends
		outer  = 6
	)
	steps := make([]float64, len(p.v))
	edge := make([]bool, len(p.v))
	parallel.Each(p.h, func(y int) {
		for x := range p.w {
			i := y*p.w + x
			steps[i] = p.step(x, y)
			edge[i] = steps[i] >= strong
		}
	})
	any := slices.Contains(edge, true)
	near, far := p.grown(edge, inner), p.grown(edge, outer)
	var band []float64
	plain := 0
	for i, s := range steps {
		if any && (near[i] || !far[i]) || s >= strong {
			continue
		}
		if s <= rough {
			plain++
		}
		band = append(band, s)
	}
	if len(band) == 0 || 10*plain > 8*len(band) { // of white and black, rings show on one side alone
		return 0
	}
	slices.Sort(band)
	return band[len(band)*9/10]
}

// grown marks what lies within r px of what is marked, upright and level.
func (p *hues) grown(m []bool, r int) []bool {
	level, out := make([]bool, len(m)), make([]bool, len(m))
	parallel.Each(p.h, func(y int) {
		in, to := m[y*p.w:(y+1)*p.w], level[y*p.w:]
		last := -2*r - 1
		for k := range p.w + r {
			if k < p.w && in[k] {
				last = k
			}
			if k >= r && k-last <= 2*r {
				to[k-r] = true
			}
		}
	})
	parallel.Each(p.h, func(y int) {
		to := out[y*p.w : (y+1)*p.w]
		for v := max(0, y-r); v <= min(p.h-1, y+r); v++ {
			for x, is := range level[v*p.w : (v+1)*p.w] {
				if is {
					to[x] = true
				}
			}
		}
	})
	return out
}

// calm takes noise away: each channel becomes the median of the pixels around.
func (p *hues) calm() *hues {
	out := &hues{p.w, p.h, make([]hue, len(p.v))}
	parallel.Each(p.h, func(y int) {
		// Of three pixels above one another the least, the middle and the most, of each column:
		// the median of nine is that of the most of the least, the middle of the middles and
		// the least of the most (A. W. Paeth, "Median Finding on a 3 × 3 Grid", Graphics Gems,
		// 1990, sorts columns in the same way).
		sorted := make([][3]hue, p.w)
		above, row, below := p.v[max(0, y-1)*p.w:], p.v[y*p.w:], p.v[min(p.h-1, y+1)*p.w:]
		for x := range sorted {
			for c := range 4 {
				a, b, d := above[x][c], row[x][c], below[x][c]
				a, b = min(a, b), max(a, b)
				b, d = min(b, d), max(b, d)
				a, b = min(a, b), max(a, b)
				sorted[x][0][c], sorted[x][1][c], sorted[x][2][c] = a, b, d
			}
		}
		for x := range sorted {
			l, m, r := &sorted[max(0, x-1)], &sorted[x], &sorted[min(p.w-1, x+1)]
			v := &out.v[y*p.w+x]
			for c := range 4 {
				v[c] = middle3(max(l[0][c], m[0][c], r[0][c]), middle3(l[1][c], m[1][c], r[1][c]), min(l[2][c], m[2][c], r[2][c]))
			}
		}
	})
	return out
}

func middle3(a, b, c float64) float64 { return max(min(a, b), min(max(a, b), c)) }

// Of the palette.
const (
	alike     = 0.03 // hues nearer than this become one where nobody says how many; more in noise
	fewest    = 6    // px of a plain colour
	maxAuto   = 24   // colours that are found by themselves
	maxHeaps  = 200  // hues that are looked at for colours
	unmixed   = 0.10 // how far a pixel may lie from a mixture of two colours
	MaxColour = 64   // colours that can be asked for
)

// bin is the hue in steps of an eighth of those of bytes.
func (c hue) bin() [4]uint8 {
	return [4]uint8{uint8(c[0] * 31.99), uint8(c[1] * 31.99), uint8(c[2] * 31.99), uint8(c[3] * 31.99)}
}

// palette finds the plain colours of a picture, want of them or as many as there
// are. Pixels that are mixtures of two neighbours' colours are no colours.
func (p *hues) palette(want int, noise float64) []hue {
	flat := 0.03 + 2*noise
	bins := map[[4]uint8]*heap{}
	var last [4]uint8 // most pixels are as the one before
	var b *heap
	put := func(c hue) {
		k := c.bin()
		if b == nil || k != last {
			if b = bins[k]; b == nil {
				b = &heap{}
				bins[k] = b
			}
			last = k
		}
		for i := range c {
			b.sum[i] += c[i]
		}
		b.n++
	}
	for i, plain := range p.plain(flat) {
		if plain {
			put(p.v[i])
		}
	}
	colours, of := gather(bins, min(0.11, alike+6*noise))
	if noise > 0 {
		p.squared(colours, of)
	}
	least := max(fewest, float64(len(p.v))*2e-5)
	colours = slices.DeleteFunc(colours, func(h heap) bool { return h.n < least })
	if len(colours) > maxHeaps { // shades: the fullest count
		slices.SortStableFunc(colours, func(a, b heap) int { return cmp.Compare(b.n, a.n) })
		colours = colours[:maxHeaps]
	}
	if noise > 0 {
		colours = withoutRings(colours, want)
	}
	if len(colours) <= maxAuto {
		colours = p.missing(colours, unmixed+2*noise, noise > noisy)
	}
	if want > 0 {
		if slices.ContainsFunc(colours, func(h heap) bool { return h.mean()[3] < 0.04 }) {
			want++ // bare ground is no colour
		}
		for len(colours) > want {
			colours = joinNearest(colours)
		}
	}
	for len(colours) > maxAuto && want == 0 {
		colours = joinNearest(colours)
	}
	out := make([]hue, len(colours))
	for i, h := range colours {
		out[i] = h.mean()
		// What is almost bare is bare, what is almost opaque is opaque.
		if a := out[i][3]; a < 0.04 {
			out[i] = hue{}
		} else if a > 0.96 {
			for k := range out[i] {
				out[i][k] = min(1, out[i][k]/a)
			}
		}
	}
	return out
}

// missing adds colours that stand nowhere plain, as those of thin lines: of the
// pixels that are no mixture of two colours, those that lie furthest from all. Of a
// packed picture they are compared lightly: thin lines lose colour to what is around.
func (p *hues) missing(hs []heap, unmixed float64, packed bool) []heap {
	compared := func(c hue) hue {
		if packed {
			return c.lightly()
		}
		return c
	}
	for range 6 {
		var cs, ls []hue
		for _, h := range hs {
			cs, ls = append(cs, h.mean()), append(ls, compared(h.mean()))
		}
		bins := map[[4]uint8]*heap{}
		off := map[[4]uint8]float64{}
		stride := max(1, len(p.v)/60_000)
		for i := 0; i < len(p.v); i += stride {
			c := p.v[i]
			if d := mixtureOff(compared(c), ls); d > unmixed && (d > 3*unmixed || !p.between(i, cs)) {
				k := [4]uint8{uint8(c[0] * 15.99), uint8(c[1] * 15.99), uint8(c[2] * 15.99), uint8(c[3] * 15.99)}
				b := bins[k]
				if b == nil {
					b = &heap{}
					bins[k] = b
				}
				for j := range c {
					b.sum[j] += c[j]
				}
				b.n++
				off[k] = max(off[k], d)
			}
		}
		var best [4]uint8
		score := 0.0
		for k, b := range bins {
			s := off[k] * off[k] * math.Sqrt(b.n)
			if b.n*float64(stride) >= 3 && (s > score || s == score && slices.Compare(k[:], best[:]) < 0) {
				best, score = k, s
			}
		}
		if score == 0 {
			return hs
		}
		b := bins[best]
		m := b.mean()
		if m[3] < 0.96 && m[3] > 0.2 && hasBare(cs) { // an edge to bare ground: its colour at full
			for i := range b.sum {
				b.sum[i] = b.n * min(1, m[i]/m[3])
			}
		}
		hs = append(hs, *b)
	}
	return hs
}

// between reports whether a pixel lies between two plain colours: there edges that
// were drawn over one another leave mixtures of three.
func (p *hues) between(i int, cs []hue) bool {
	const sure = 0.06
	x, y := i%p.w, i/p.w
	first := none
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			nx, ny := x+dx, y+dy
			if nx < 0 || ny < 0 || nx >= p.w || ny >= p.h {
				continue
			}
			for k := range cs {
				if p.v[ny*p.w+nx].far(cs[k]) < sure {
					if first != none && first != k {
						return true
					}
					first = k
					break
				}
			}
		}
	}
	return false
}

func hasBare(cs []hue) bool {
	return slices.ContainsFunc(cs, func(c hue) bool { return c[3] < 0.04 })
}

// mixtureOff is how far a colour lies from all mixtures of two.
func mixtureOff(c hue, cs []hue) float64 {
	off := math.Inf(1)
	for i := range cs {
		off = min(off, c.far(cs[i]))
	}
	if off < unmixed {
		return off // near enough to one
	}
	for i := range cs {
		for j := range i {
			if _, d := c.along(cs[i], cs[j]); d < off {
				off = d
			}
		}
	}
	return off
}
