package version

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/colour"
)

// Ready are finishes made of a brand's own inks, to begin with. Inks that are nearly
// white or grey serve only where there are no others.
func Ready(inks []Ink) []Finish {
	type seen struct {
		ink Ink
		lab colour.Lab
	}
	var all []seen
	for _, k := range inks {
		c, err := k.Colour()
		if err != nil || c.RGB.NearWhite() {
			continue
		}
		k.Spot, k.Stock = "", "" // light and mixtures of inks are no plate of their own
		all = append(all, seen{k, c.RGB.Lab()})
	}
	if len(all) == 0 {
		all = []seen{{Ink{Name: "Ink", RGB: "#191918", CMYK: &[4]float64{0, 0, 0, 100}}, colour.Lab{}}}
	}
	// The strongest comes first, by chroma; then the one that differs most from it.
	slices.SortStableFunc(all, func(a, b seen) int { return cmp.Compare(b.lab.Chroma(), a.lab.Chroma()) })
	first := all[0]
	second := first
	far := 0.0
	for _, x := range all[1:] {
		if d := colour.Difference(first.lab, x.lab); d > far {
			second, far = x, d
		}
	}
	if far == 0 { // one ink alone runs into a lighter one of itself
		second = seen{lighter(first.ink), colour.Lab{}}
	}
	dark, light := first.ink, second.ink
	if second.lab.L < first.lab.L && far > 0 {
		dark, light = light, dark
	}
	white := Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}
	black := Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}
	two := []Stop{{At: 0, Ink: light}, {At: 1, Ink: dark}}
	return []Finish{
		{Name: "Dusk", Fills: []Fill{{Kind: Linear, Angle: 90, Stops: two}}},
		{Name: "Lantern", Fills: []Fill{{Kind: Radial, Stops: two}}, Effects: []Effect{{Kind: Glow, Ink: light, Opacity: 0.7, Size: "2.5%"}}},
		{Name: "Pebble", Fills: []Fill{{Kind: Along, Stops: []Stop{{At: 0, Ink: dark}, {At: 1, Ink: light}}}}},
		{Name: "Adrift", Effects: []Effect{{Kind: Shadow, Ink: black, Opacity: 0.35, Size: "1.6%", Right: "0.8%", Down: "1.6%"}}},
		{Name: "Enamel", Lines: []Line{{Width: "1.2%", Ink: white}, {Width: "0.8%", Ink: dark}}, Effects: []Effect{{Kind: Edge, Ink: white, Opacity: 0.6, Size: "0.8%", Right: "0.8%", Down: "0.8%"}}},
		{Name: "Pressed", Effects: []Effect{{Kind: Inner, Ink: black, Opacity: 0.55, Size: "0.9%", Right: "0.5%", Down: "0.9%"}}},
		{Name: "Rings", Lines: []Line{{Width: "0.45%", Ink: dark, Double: true}}},
	}
}

// lighter is an ink half way to white.
func lighter(k Ink) Ink {
	c, err := k.Colour()
	if err != nil {
		return k
	}
	out := Ink{Name: k.Name + ", lighter", RGB: c.RGB.Over(colour.White, 0.5).Hex()}
	if k.CMYK != nil {
		b := *k.CMYK
		for i := range b {
			b[i] = math.Round(b[i]*5) / 10
		}
		out.CMYK = &b
	}
	return out
}
