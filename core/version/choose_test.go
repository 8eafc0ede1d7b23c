package version

import (
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// Where two readings keep the same, the dark colour is the ink, by the exact search
// and whichever of the two comes first ("One-ink reading": on a tie darker is ink).
func TestOnATieTheDarkIsInk(t *testing.T) {
	dark, light := colour.Lab{L: 20}, colour.Lab{L: 70}
	for name, c := range map[string]struct {
		labs [2]colour.Lab
		want [2]Word
	}{
		"dark first":  {[2]colour.Lab{dark, light}, [2]Word{AsInk, AsPaper}},
		"light first": {[2]colour.Lab{light, dark}, [2]Word{AsPaper, AsInk}},
	} {
		// Both meet the page along as much, and each other along more: just one of
		// them is ink, and either keeps as much as the other.
		r := &reading{classes: make([]class, 2), weight: [][]float64{{0, 1, 1}, {1, 0, 5}, {1, 5, 0}}}
		for i := range r.classes {
			r.classes[i].lab = c.labs[i]
		}
		r.exact([]int{1, 2})
		if got := [2]Word{r.classes[0].As, r.classes[1].As}; got != c.want {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	// The lesser of two evils is no tie: more that is kept outweighs darkness.
	r := &reading{classes: make([]class, 2), weight: [][]float64{{0, 1, 2}, {1, 0, 5}, {2, 5, 0}}}
	r.classes[0].lab, r.classes[1].lab = dark, light
	if r.exact([]int{1, 2}); r.classes[0].As != AsPaper || r.classes[1].As != AsInk {
		t.Errorf("the reading that keeps more is not taken: %v, %v", r.classes[0].As, r.classes[1].As)
	}
}

// A ramp between inks keeps their builds from end to end, both ends included; where a
// stop is of the screen alone, so is what lies beside it.
func TestRampsKeepTheirBuilds(t *testing.T) {
	ink := func(k float64) colour.Colour {
		return colour.Colour{RGB: colour.CMYK{K: k}.RGB(), Build: colour.CMYK{K: k}, Built: true}
	}
	g := &drawing.Gradient{Stops: []drawing.Stop{{At: 0, Colour: ink(0), Alpha: 1}, {At: 0.5, Colour: ink(40), Alpha: 1}, {At: 1, Colour: ink(100), Alpha: 1}}}
	for at, want := range map[float64]float64{0: 0, 0.25: 20, 0.5: 40, 0.75: 70, 1: 100} {
		if c := rampInk(g, at); !c.Built || math.Abs(c.Build.K-want) > 1e-9 || c.Build.C != 0 {
			t.Errorf("at %v: %+v, want K %v", at, c, want)
		}
	}
	g.Stops[2].Colour = colour.Screen(colour.Black)
	for at, want := range map[float64]bool{0: true, 0.4: true, 0.6: false, 1: false} {
		if c := rampInk(g, at); c.Built != want {
			t.Errorf("beside a stop of the screen, at %v: built is %v", at, c.Built)
		}
	}
}
