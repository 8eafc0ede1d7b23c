package drawing

import "dyekit/core/colour"

// between is how many steps lie between two stops where the way from screen
// colour to inks is not straight.
const between = 8

// Inks lists offsets and ink components of the gradient (see colour.Inks) so
// finely that mixing the inks between neighbours looks like mixing the screen
// colours. Declared builds are mixed with each other; a build is proposed only
// where one is missing.
func (g *Gradient) Inks(cmyk bool) (at []float64, inks [][]float64) {
	put := func(t float64, c colour.Colour) {
		at, inks = append(at, t), append(inks, c.Inks(cmyk))
	}
	for i, s := range g.Stops {
		if i > 0 && cmyk {
			a := g.Stops[i-1]
			for k := 1; k < between && s.At > a.At; k++ {
				t := float64(k) / between
				put(a.At+(s.At-a.At)*t, colour.Mix(a.Colour, s.Colour, t))
			}
		}
		put(s.At, s.Colour)
	}
	return at, inks
}

// Inked is the gradient in process inks, each mixture painted as show says.
// Opacity stays.
func (g *Gradient) Inked(show func(inks []float64) colour.RGB) *Gradient {
	at, inks := g.Inks(true)
	pad := *g
	pad.Spread = Pad
	out := *g
	out.Stops = make([]Stop, len(at))
	for i := range at {
		_, a := pad.Colour(at[i])
		out.Stops[i] = Stop{At: at[i], Colour: colour.Screen(show(inks[i])), Alpha: a}
	}
	return &out
}
