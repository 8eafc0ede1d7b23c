package web

import (
	"fmt"
	"slices"

	"dyekit/core/kit"
)

// A ramp is a gradient on one line of the inks, with those of its colours that stand nowhere by
// themselves below it.
type ramp struct {
	ID    string
	Stops []rampStop
	Parts []string
	Cards []inkCard
	Open  bool
}

type rampStop struct {
	At, Alpha  float64
	Hex, Paper string // on the screen and in print
	Name       string
}

// Says is the ramp in words.
func (r ramp) Says() string {
	s := "gradient"
	for i, x := range r.Stops {
		s += map[bool]string{true: " from ", false: " to "}[i == 0] + x.Hex
	}
	return s
}

// A dyeLine is an ink's line with the page that it is on.
type dyeLine struct {
	Page inksPage
	inkCard
}

// With puts an ink's line together.
func (p inksPage) With(k inkCard) dyeLine { return dyeLine{p, k} }

// ramps takes the colours that stand in gradients alone out of the list of inks, and puts them below
// the first gradient that they are in; those of gradients that are not listed stay last.
func (p *inksPage) ramps(d header) {
	rs, more := d.Snapshot.Ramps()
	p.MoreRamps = more
	card := func(n int) int {
		return slices.IndexFunc(p.Cards, func(k inkCard) bool { return k.N == n })
	}
	swatches := d.Snapshot.Swatches()
	press := d.Snapshot.Plan.Press
	for i, r := range rs {
		x := ramp{ID: fmt.Sprintf("ramp%d", i), Parts: r.Parts}
		for j, s := range r.Stops {
			stop := rampStop{At: s.At, Alpha: s.Alpha, Hex: s.Colour.RGB.Hex(), Paper: press.Print(s.Colour).Shown.Hex(), Name: s.Colour.RGB.Word()}
			if n := r.Tones[j]; n >= 0 {
				stop.Name, stop.Paper = swatches[n].Name, swatches[n].Print.Shown.Hex()
				if plates := kit.PlateName(s.Colour); plates != "" && swatches[n].Ink == nil {
					stop.Name = plates
				}
				if at := card(n); at >= 0 && p.Cards[at].Gradient {
					x.Cards, x.Open = append(x.Cards, p.Cards[at]), x.Open || p.Cards[at].Open
					p.Cards = slices.Delete(p.Cards, at, at+1)
				}
			}
			x.Stops = append(x.Stops, stop)
		}
		p.Ramps = append(p.Ramps, x)
	}
}

// Untied counts the colours of a gradient that are no ink of the client's.
func (r ramp) Untied() (n int) {
	for _, k := range r.Cards {
		if k.Ink == nil {
			n++
		}
	}
	return n
}
