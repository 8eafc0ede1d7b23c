package trace

import (
	"math"
	"slices"
)

// Of the directions in which hues leave a colour.
const (
	away  = 0.2  // that a pixel has to leave it to be asked
	aside = 0.16 // how far from a direction it may lie, of its own way
	mean  = 0.22 // the same of all pixels of a piece together, where packing smears colour
	smear = 0.34 // the same in packed pictures, in which colour runs over thin strokes
)

// A way is a direction in which pieces leave the colour that they stand on.
type way struct {
	sum  hue          // of all pixels that go it
	all  hue          // with faint ones, over which packing spreads colour
	rows map[int]bool // of which pieces go it
	ink  hue
}

// inks gives each row of pieces the colours that it is drawn in: the directions in which its
// pieces leave the colour that they stand on, and how far their pixels go, enlarged, at
// most. A piece has one ink: what packing throws about it is none. One that is known
// is taken where it lies in that direction and about so far; the others, if more
// may be, are new.
func (p *hues) inks(rows [][]bit, boxes []*hues, cs, known []hue, more bool, noise float64) [][]hue {
	out := make([][]hue, len(rows))
	seen := compared(noise)
	for on := range cs {
		var ways []*way
		for i, row := range rows {
			for _, s := range row {
				if s.on != on {
					continue
				}
				var sum, all hue
				for _, j := range s.px {
					d := p.v[j].sub(cs[on])
					all = all.add(d)
					if d.dot(d) > away*away {
						sum = sum.add(d)
					}
				}
				if sum.dot(sum) == 0 {
					continue
				}
				var to *way
				off := aside + noise
				for _, w := range ways {
					if v := turned(seen(sum), unit(seen(w.sum))); v < off && (noise <= noisy || turned(all, unit(w.all)) < mean) {
						to, off = w, v
					}
				}
				if to == nil {
					to = &way{rows: map[int]bool{}}
					ways = append(ways, to)
				}
				to.sum, to.all, to.rows[i] = to.sum.add(sum), to.all.add(all), true
			}
		}
		for _, w := range ways {
			if !w.dye(boxes, cs[on], known, more, noise) {
				continue
			}
			for i := range rows {
				if w.rows[i] && !slices.Contains(out[i], w.ink) {
					out[i] = append(out[i], w.ink)
				}
			}
		}
	}
	return out
}

// dye finds the ink at the end of a way; false if there is none.
func (w *way) dye(boxes []*hues, on hue, cs []hue, more bool, noise float64) bool {
	const (
		nearly = 0.72 // of the way of the palette's colour, that is enough for it
		beyond = 1.3
		most   = 60_000 // px that are asked
		top    = 12     // a part of them goes farther than the ink
	)
	seen, d := compared(noise), unit(w.sum)
	px := 0
	for i, b := range boxes {
		if w.rows[i] {
			px += len(b.v)
		}
	}
	var over []float64
	for i, b := range boxes {
		for j := 0; w.rows[i] && j < len(b.v); j += px/most | 1 {
			if e := b.v[j].sub(on); e.dot(e) > away*away && turned(seen(e), unit(seen(w.sum))) < 2*slack(noise) {
				over = append(over, e.dot(d))
			}
		}
	}
	if len(over) == 0 {
		return false
	}
	slices.Sort(over)
	far := over[len(over)-1-len(over)/top]
	at, off := -1, slack(noise)
	for k, c := range cs {
		e := c.sub(on)
		l := math.Sqrt(e.dot(e))
		if l < away || far < nearly*l || far > beyond*l {
			continue
		}
		if v := turned(seen(e), unit(seen(w.sum))); v < off && (noise <= noisy || turned(e, unit(w.all)) < mean) {
			at, off = k, v
		}
	}
	end := on
	for i := range end {
		end[i] = min(1, max(0, on[i]+d[i]*far))
	}
	for i := range 3 {
		end[i] = min(end[i], end[3])
	}
	if at < 0 && !more {
		at = nearestTo(end, cs, on)
	}
	if w.ink = end; at >= 0 {
		w.ink = cs[at]
	}
	return at >= 0 || more
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
			sum = sum.add(d)
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
