package trace

import (
	"cmp"
	"math"
	"slices"
)

// Of the directions in which hues leave a colour.
const (
	away  = 0.2  // that a pixel has to leave it to be asked
	aside = 0.16 // how far from a direction it may lie, of its own way
	smear = 0.34 // the same in packed pictures, in which colour runs over thin strokes
)

// inks are the colours in which small art on one colour is drawn: the directions in which
// its pixels leave that colour, and how far they go at most. One of the palette's is taken
// where it lies in that direction and about so far; the others, if more may be, are new.
func inks(boxes []*hues, on hue, cs []hue, more bool, noise float64) (out []hue) {
	const (
		nearly = 0.72 // of the way of the palette's colour, that is enough for it
		beyond = 1.3
		most   = 4
		few    = 0.04 // of the pixels that are asked make a direction
		ring   = 0.4  // of the longest way, that is none
	)
	type way struct {
		d    hue // as it is compared
		sum  hue // of all that go it
		over []float64
	}
	seen := compared(noise)
	px := 0
	for _, b := range boxes {
		px += len(b.v)
	}
	stride := px/60_000 | 1
	var all []hue
	for _, b := range boxes {
		for i := 0; i < len(b.v); i += stride {
			if d := b.v[i].sub(on); d.dot(d) > away*away {
				all = append(all, d)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b hue) int { return cmp.Compare(b.dot(b), a.dot(a)) })
	var ways []way
	for _, d := range all {
		e := seen(d)
		best, off := -1, aside+noise
		for i := range ways {
			if v := turned(e, ways[i].d); v < off {
				best, off = i, v
			}
		}
		if best < 0 && len(ways) < 4*most {
			ways, best = append(ways, way{d: unit(e)}), len(ways)
		}
		if best >= 0 {
			w := &ways[best]
			w.over = append(w.over, math.Sqrt(d.dot(d)))
			for i := range d {
				w.sum[i] += d[i]
			}
		}
	}
	slices.SortStableFunc(ways, func(a, b way) int { return cmp.Compare(len(b.over), len(a.over)) })
	longest := 0.0
	for _, w := range ways {
		longest = max(longest, w.over[0])
	}
	for _, w := range ways {
		if len(out) == most || float64(len(w.over)) < few*float64(len(all)) {
			break
		}
		far, d := w.over[len(w.over)/12], unit(w.sum) // they come the farthest first
		at, off := -1, aside+noise
		for k, c := range cs {
			e := c.sub(on)
			l := math.Sqrt(e.dot(e))
			if l < away || far < nearly*l || far > beyond*l {
				continue
			}
			if v := turned(seen(e), unit(seen(w.sum))); v < off {
				at, off = k, v
			}
		}
		switch {
		case at >= 0 && !slices.Contains(out, cs[at]):
			out = append(out, cs[at])
		case at < 0 && far < ring*longest: // what packing throws to the other side of an edge
		case at < 0 && more:
			c := on
			for i := range c {
				c[i] = min(1, max(0, c[i]+d[i]*far))
			}
			for i := range 3 {
				c[i] = min(c[i], c[3])
			}
			out = append(out, c)
		case at < 0:
			k := nearestTo(hue{on[0] + d[0]*far, on[1] + d[1]*far, on[2] + d[2]*far, on[3] + d[3]*far}, cs, on)
			if k >= 0 && !slices.Contains(out, cs[k]) {
				out = append(out, cs[k])
			}
		}
	}
	return out
}

// lift makes hairlines, whose darkest pixels are far from their ink, darker: a stroke that is
// thinner than it can be drawn is better thin than gone. set begins with the colour below;
// what reaches a part of the way to its ink is taken as far as strokes go, all about alike.
func (p *hues) lift(set []hue) {
	const (
		goal  = 0.9  // of the way to the ink, to which hairlines are taken
		least = 0.25 // of the way, from which there is a stroke at all
		most  = 2.5  // times at most
		reach = 2
	)
	on := set[0]
	far := make([]float64, len(p.v)) // of the way to the ink in whose direction it lies
	for i, c := range p.v {
		for _, ink := range set[1:] {
			t, off := c.along(on, ink)
			if t > far[i] && off < 0.5*t*math.Sqrt(ink.far2(on)) {
				far[i] = t
			}
		}
	}
	peak := p.highest(far, reach)
	for i := range p.v {
		if peak[i] < least || peak[i] >= goal {
			continue
		}
		k := min(most, goal/peak[i])
		for c := range 4 {
			p.v[i][c] = min(1, max(0, on[c]+(p.v[i][c]-on[c])*k))
		}
	}
}

// highest is the largest value within r px of each pixel, upright and level.
func (p *hues) highest(v []float64, r int) []float64 {
	pass := func(in []float64, n, lines, step, next int) []float64 {
		out := make([]float64, len(in))
		for l := range lines {
			for k := range n {
				m := 0.0
				for j := max(0, k-r); j <= min(n-1, k+r); j++ {
					m = max(m, in[l*next+j*step])
				}
				out[l*next+k*step] = m
			}
		}
		return out
	}
	return pass(pass(v, p.w, p.h, 1, p.w), p.h, p.w, p.w, 1)
}

// compared is how differences of hues are compared: packing takes colour from thin strokes.
func compared(noise float64) func(d hue) hue {
	if noise > noisy {
		return hue.lightly
	}
	return func(d hue) hue { return d }
}

func unit(d hue) hue {
	l := math.Sqrt(d.dot(d))
	return hue{d[0] / l, d[1] / l, d[2] / l, d[3] / l}
}

// turned is by how much the direction of d differs from the unit u.
func turned(d, u hue) float64 {
	d = unit(d)
	t := d.dot(u)
	if t <= 0 {
		return math.Inf(1)
	}
	return math.Sqrt(max(0, 1-t*t))
}

// oneInk reports whether a piece is drawn in one ink: nearly all of its pixels leave the
// colour that it stands on in one direction.
func (p *hues) oneInk(px []int, on hue, noise float64) bool {
	const most = 0.92
	var sum hue
	var ds []hue
	for _, i := range px {
		if d := p.v[i].sub(on); d.dot(d) > away*away {
			ds = append(ds, d)
			for k := range d {
				sum[k] += d[k]
			}
		}
	}
	if len(ds) == 0 {
		return false
	}
	u := unit(sum)
	n := 0
	for _, d := range ds {
		if turned(d, u) < slack(noise) {
			n++
		}
	}
	return float64(n) >= most*float64(len(ds))
}

// nearestTo is the colour nearest to c that is not on; -1 if there is none.
func nearestTo(c hue, cs []hue, on hue) int {
	best, least := -1, math.Inf(1)
	for k := range cs {
		if d := c.far2(cs[k]); cs[k] != on && d < least {
			best, least = k, d
		}
	}
	return best
}

// slack is how far from a direction a hue may lie.
func slack(noise float64) float64 {
	if noise > noisy {
		return smear
	}
	return aside
}
