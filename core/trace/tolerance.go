package trace

import (
	"math"
	"slices"

	"dyekit/core/geom"
)

// How far a curve may lie from the border that it follows, px.
const (
	exact    = 0.12  // of a clean picture
	easy     = 0.15  // more where it is to be smooth
	steady   = 0.012 // px of jitter up to which single points count
	together = 2     // points to either side, beyond it
	shaking  = 0.04  // px of jitter from which on borders waver over several pixels
	loose    = 12    // px for each px beyond it
)

// A bound is how far a curve may lie from the border that it follows. Where points waver, a
// few are looked at together, so that what pixels add is not taken for a bend.
type bound struct {
	off float64 // px
	few int     // points to either side
}

// tolerance is the bound for borders: by how much they waver, and by what was asked for.
func (b *borders) tolerance(opt Options) bound {
	j := b.jitter()
	t := bound{off: exact + easy*opt.Smooth + j + loose*max(0, j-shaking)}
	if j > steady {
		t.few = together
	}
	return t
}

// finely is the bound for small art, which is traced enlarged: its borders hardly waver, and
// its forms are few of its pixels.
func finely(opt Options, noise float64) bound {
	t := bound{off: 0.2 + 0.5*opt.Smooth}
	if noise > noisy {
		t.off += 0.25
	}
	return t
}

// wavers is how far borders that are images of one another may seem to be apart, px.
func (b *borders) wavers(opt Options) float64 { return 0.2 + 0.1*opt.Smooth + 3.5*b.jitter() }

// jitter is by how much single points of the borders lie beside them, px: the standard
// deviation, by the median of fourth differences, in which no smooth curve shows.
func (b *borders) jitter() float64 {
	const (
		apart = 2     // points, as neighbours waver together
		gain  = 8.367 // √70: that of 1 −4 6 −4 1 on white noise
		sigma = 0.6745
	)
	var all []float64
	for _, a := range b.arcs {
		for i := 2 * apart; i < len(a.ps)-2*apart; i++ {
			at := func(k int) geom.Point { return a.ps[i+k*apart] }
			d := at(-2).Add(at(2)).Add(at(0).Mul(6)).Sub(at(-1).Add(at(1)).Mul(4))
			all = append(all, math.Abs(at(1).Sub(at(-1)).Unit().Cross(d)))
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2] / (gain * sigma)
}
