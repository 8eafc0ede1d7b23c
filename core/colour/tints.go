package colour

import "unique"

// Plates lists the plates of a spot ink or a mixture, in the order of its tints; nil of
// other colours.
func (c Colour) Plates() (names []string) {
	if c.Spot != "" {
		return []string{c.Spot}
	}
	for _, a := range c.Mix.Amounts() {
		names = append(names, a.Plate)
	}
	return names
}

// TintsOn are the tints, from 0 to 1, with which c is laid down in the plates of another
// colour; ok is false if it lies in others. Bare paper lies in every plate, with none of it.
func (c Colour) TintsOn(in Colour) (tints []float64, ok bool) {
	switch {
	case in.Spot == "" && in.Mix.IsZero():
		return nil, false
	case c.bare():
		return make([]float64, len(in.Plates())), true
	case in.Spot != "":
		a, _ := c.Full()
		b, _ := in.Full()
		return []float64{c.Of(in.Spot)}, c.Spot == in.Spot && a == b
	case !c.Mix.SameInks(in.Mix):
		return nil, false
	}
	for _, a := range c.Mix.Amounts() {
		tints = append(tints, a.Tint/100)
	}
	return tints, true
}

// bare reports whether a colour is paper that nothing is laid on.
func (c Colour) bare() bool {
	return c.Spot == "" && c.Mix.IsZero() && c.RGB == White && (!c.Built || c.Build.NoInk())
}

// Tinted is the colour of tints from 0 to 1 in the plates of c, as a screen shows it.
func (c Colour) Tinted(tints []float64, shown RGB) Colour {
	switch {
	case c.Spot == "":
		c.Mix = c.Mix.with(tints)
		c.Build, c.Built = c.Mix.Build(), true
	case tints[0] <= 0:
		return Colour{RGB: shown, Built: true} // a tint of 0 would stand for the full ink
	default:
		c.Build, _ = c.Full()
		c.Built, c.Tint = true, 100*tints[0]
	}
	c.RGB = shown
	return c
}

// SameInks reports whether two mixtures are of the same plates, told by the same builds.
func (m Mixture) SameInks(n Mixture) bool {
	if m.IsZero() || n.IsZero() {
		return m == n
	}
	return m.with(make([]float64, MaxPlates)) == n.with(make([]float64, MaxPlates))
}

// with is the mixture with other tints, from 0 to 1.
func (m Mixture) with(tints []float64) Mixture {
	x := m.h.Value()
	for i := range x.n {
		x.amounts[i].Tint = 100 * tints[i]
	}
	return Mixture{unique.Make(x)}
}
