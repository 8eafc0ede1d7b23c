package version

import (
	"cmp"
	"fmt"
	"math"
	"math/bits"
	"slices"

	"dyekit/core/colour"
)

// choose reads every colour as ink or paper so that most of what can be seen
// is kept: the sum of the borders between what differs in the outcome, each
// by length and visibility. On a tie the dark is ink.
func (r *reading) choose() {
	var free []int // labels to decide about
	touch := false
	for i := range r.classes {
		c := &r.classes[i]
		switch {
		case c.fixed:
		case c.nothing:
			c.As, c.Why = AsInk, "it is white on nothing and would vanish"
		case c.white:
			c.As, c.Why = AsPaper, "it is white over or beside a colour, where the paper shows"
		default:
			free = append(free, i+1)
		}
	}
	for _, i := range free {
		for j := 1; j < len(r.weight); j++ {
			touch = touch || i != j && !r.classes[j-1].white && r.weight[i][j] > 0
		}
	}
	if !touch {
		for _, l := range free {
			c := &r.classes[l-1]
			c.As, c.Why = AsInk, "no other colour touches it"
			if len(free) == 1 {
				c.Why = "it is the only colour"
			}
		}
		return
	}
	if len(free) <= exactly {
		r.exact(free)
	} else {
		r.improve(free)
	}
	r.explain(free)
}

// exact tries every assignment, one flip at a time (Gray code).
func (r *reading) exact(free []int) {
	for _, l := range free {
		r.classes[l-1].As = AsInk
	}
	kept, dark := 0.0, 0.0 // of what is paper, for ties
	total := 0.0
	for i := range r.weight {
		for j := range i {
			total += r.weight[i][j]
			if !r.alike(i, j) {
				kept += r.weight[i][j]
			}
		}
	}
	slack := total * 1e-6
	best, bestDark, bestAt := kept, dark, uint32(0)
	var paper uint32
	for k := uint32(1); k < 1<<len(free); k++ {
		f := bits.TrailingZeros32(k)
		l := free[f]
		c := &r.classes[l-1]
		kept += r.flip(l)
		paper ^= 1 << f
		if darkness := 1 + 100 - c.lab.L; c.As == AsPaper {
			dark += darkness
		} else {
			dark -= darkness
		}
		if bits.OnesCount32(paper) == len(free) && !r.anyInk() {
			continue
		}
		if kept > best+slack || kept > best-slack && dark < bestDark {
			best, bestDark, bestAt = max(best, kept), dark, paper
		}
	}
	for f, l := range free {
		if r.classes[l-1].As = AsInk; bestAt>>f&1 != 0 {
			r.classes[l-1].As = AsPaper
		}
	}
}

func (r *reading) anyInk() bool {
	return slices.ContainsFunc(r.classes, func(c class) bool { return c.As == AsInk || c.As == AsTint })
}

// flip turns a label between ink and paper and returns what is kept more.
func (r *reading) flip(l int) float64 {
	sum := func() (s float64) {
		for j, w := range r.weight[l] {
			if w > 0 && !r.alike(l, j) {
				s += w
			}
		}
		return s
	}
	before := sum()
	if c := &r.classes[l-1]; c.As == AsInk {
		c.As = AsPaper
	} else {
		c.As = AsInk
	}
	return sum() - before
}

// improve starts with all dark colours as ink and flips the colour that gains
// most until none does.
func (r *reading) improve(free []int) {
	for _, l := range free {
		if r.classes[l-1].As = AsInk; r.classes[l-1].lab.L > 60 {
			r.classes[l-1].As = AsPaper
		}
	}
	for range 20 * len(free) {
		best, at := 1e-9, -1
		for _, l := range free {
			gain := r.flip(l)
			r.flip(l)
			if gain > best {
				best, at = gain, l
			}
		}
		if at < 0 {
			break
		}
		r.flip(at)
	}
	if !r.anyInk() {
		darkest := slices.MinFunc(free, func(a, b int) int { return cmp.Compare(r.classes[a-1].lab.L, r.classes[b-1].lab.L) })
		r.classes[darkest-1].As = AsInk
	}
}

// explain says why each colour was read as it was.
func (r *reading) explain(free []int) {
	for _, l := range free {
		c := &r.classes[l-1]
		// The neighbour that weighs most.
		other, most, sum := 0, 0.0, 0.0
		for j := 1; j < len(r.weight); j++ {
			if w := r.weight[l][j]; w > most {
				other, most = j, w
			}
			sum += r.length[l][j]
		}
		word := "the bare page"
		if other > 0 {
			word = r.classes[other-1].Word
		}
		where := "lies beside"
		if r.length[l][0] < 0.01*(sum+r.length[l][0]) {
			where = "lies inside"
		}
		switch {
		case other == 0:
			c.Why = "no other colour touches it"
		case c.As == AsPaper && r.inked(other):
			c.Why = fmt.Sprintf("it %s %s and would melt with it", where, word)
		case c.As == AsPaper:
			c.Why = "more of the drawing stays to be seen with it as paper"
		case !r.inked(other):
			c.Why = fmt.Sprintf("it stands out from %s, which is paper", word)
		default:
			c.Why = fmt.Sprintf("it melts with %s, but its edge to the page is worth more", word)
		}
	}
}

// keepLight reads the light as ink and the dark as the ground showing: at the
// lightness that keeps most of what can be seen on a dark page, so that no
// face becomes its own negative.
func (r *reading) keepLight() {
	var free []int
	for i := range r.classes {
		if !r.classes[i].fixed {
			free = append(free, i+1)
		}
	}
	slices.SortStableFunc(free, func(a, b int) int { return cmp.Compare(r.classes[b-1].lab.L, r.classes[a-1].lab.L) })
	set := func(n int) { // the n lightest are ink
		for k, l := range free {
			c := &r.classes[l-1]
			c.As, c.Why = AsPaper, "it is dark: the dark ground shows there"
			if k < n {
				c.As, c.Why = AsInk, "it is light, and light stays light"
			}
		}
	}
	best, at := math.Inf(1), 0
	for n := 1; n <= len(free); n++ {
		set(n)
		if l := r.lost(); l < best-1e-9 {
			best, at = l, n
		}
	}
	set(at)
}

// tint turns every colour into a percentage of the ink by its luminance, the
// dot area of Murray and Davies on paper white: (1 − Y) / (1 − Y of the ink),
// rounded to 5 %. Neighbours that differ visibly never get the same step.
func (r *reading) tint(s Spec) {
	const step, apart = 5.0, 5.0
	solid := 0.0
	if ink, err := s.Ink.Colour(); err == nil && !ink.RGB.NearWhite() {
		solid = ink.RGB.Luminance()
	}
	dark := s.Reversed == KeepLight // light stays light on a dark ground
	area := func(c colour.RGB) float64 {
		if dark {
			return 100 * c.Luminance()
		}
		return min(100, 100*(1-c.Luminance())/(1-solid))
	}
	order := make([]int, 0, len(r.classes))
	for i := range r.classes {
		c := &r.classes[i]
		if c.fixed {
			continue
		}
		switch {
		case c.nothing && !dark:
			c.As, c.Tint, c.Why = AsTint, 100, "it is white on nothing and would vanish"
		case c.white && !dark:
			c.As, c.Why = AsPaper, "white is the paper"
		default:
			order = append(order, i)
		}
	}
	// From the largest area down, each takes the free step nearest to its own.
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(r.classes[b].area, r.classes[a].area) })
	done := map[int]bool{}
	for _, i := range order {
		c := &r.classes[i]
		want := area(c.Colour)
		best, off := math.Round(want/step)*step, math.Inf(1)
		for t := 0.0; t <= 100; t += step {
			clash := false
			for j := range r.classes {
				o := &r.classes[j]
				if r.length[i+1][j+1] > 0 && (done[j] || o.fixed || o.As != "") && colour.Difference(c.lab, o.lab) > apart {
					clash = clash || r.dots(j) == t
				}
			}
			if d := math.Abs(t - want); !clash && d < off {
				best, off = t, d
			}
		}
		done[i] = true
		c.As, c.Tint = AsTint, best
		if best == 0 {
			c.As = AsPaper
		}
		c.Why = fmt.Sprintf("its lightness is that of %.0f %% of the ink", want)
		if math.Abs(best-want) > step {
			c.Why += fmt.Sprintf(", moved to %.0f %% so that its neighbours stay apart", best)
		}
	}
}

// dots is the share of ink, in percent, that class i is printed with.
func (r *reading) dots(i int) float64 {
	if !r.inked(i + 1) {
		return 0
	}
	return full(r.classes[i].Tint)
}
