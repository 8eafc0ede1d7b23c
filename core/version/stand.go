package version

import "dyekit/core/colour"

// A Stand is what decides on which grounds a version stands.
type Stand struct {
	Ink   *colour.RGB // nil if it is not in one ink
	Light bool        // it is meant for dark grounds
	Out   bool        // it is shown on none: a part, or one with a ground of its own
}

const (
	// leastStanding is the contrast that a mark needs on its ground (WCAG 2.2,
	// 1.4.11).
	leastStanding = 3
	// muchBetter is by how much the contrast of a later version must be higher for
	// it to be shown in the place of an earlier one.
	muchBetter = 1
	// grey is the chroma (CIE L*a*b*) under which a ground changes no colour of the
	// mark.
	grey = 8
)

// Standing returns which version is shown on a ground, and its contrast there: one
// in colour on grey that is light or dark as it asks, contrast 0; otherwise one in
// one ink that stands out, an earlier one unless a later is much better; -1 if none
// stands there.
func Standing(ground colour.RGB, vs []Stand) (best int, contrast float64) {
	best = -1
	for i, v := range vs {
		switch {
		case v.Out:
		case v.Ink == nil:
			if v.Light != (ground.Luminance() > 0.5) && ground.Lab().Chroma() < grey {
				return i, 0
			}
		default:
			if c := colour.Contrast(*v.Ink, ground); c >= leastStanding && (best < 0 || c > contrast+muchBetter) {
				best, contrast = i, c
			}
		}
	}
	return best, contrast
}
