package preview

import (
	"strings"

	"dyekit/core/colour"
	"dyekit/core/preflight"
	"dyekit/core/proof"
	"dyekit/core/version"
)

// Graphics is the contrast that WCAG 2.2 asks of graphics (success criterion
// 1.4.11).
const Graphics = 3.0

// A Swatch is a colour of the master as it is printed and seen.
type Swatch struct {
	preflight.Tone
	Name string              // of the brand's ink, of the plate, or in words
	Ink  *version.InkMapping // the brand's ink for it, or nil
	Twin *version.InkMapping // the same ink for other paper, or nil
	// Near is the brand's ink that a colour comes near which has none, as those of a worn
	// picture do, or nil; Off is by how much, ΔE00.
	Near  *version.InkMapping
	Off   float64
	Print colour.Printed
	On    string // the press that it is printed by
	Total float64
	// Stands is how it stands on white, mid grey and black.
	Stands [3]Stand
}

// A Stand is how a colour stands on a ground.
type Stand struct {
	On    string
	Ratio float64 // contrast of WCAG 2.2, 1 to 21; 0 for a colour on itself
}

// OK reports whether it is enough for graphics.
func (s Stand) OK() bool { return s.Ratio >= Graphics }

// Swatches lists the colours of the master with the inks that paint them.
func (w *Snapshot) Swatches() (out []Swatch) {
	for _, t := range w.Tones {
		k, press := Swatch{Tone: t, Name: t.Colour.RGB.Word()}, w.Plan.Press
		for _, x := range w.inks {
			if x.Colour == t.Colour {
				k.Name = x.Name
			}
		}
		for _, x := range w.Plan.Inks {
			if !x.Paints(t.Colour) {
				continue
			}
			k.Ink, press = &x, colour.PressFor(x.Stock, press) // an ink is mixed for its stock
			for _, y := range w.Plan.Inks {
				if strings.EqualFold(y.Drawn, x.Drawn) && y.Stock != x.Stock {
					k.Twin = &y
				}
			}
		}
		if k.Ink == nil && t.Colour.Spot == "" && !t.Gradient {
			k.Near, k.Off = nearInk(t.Colour.RGB, w.Plan.Inks)
		}
		k.Print, k.On = press.Print(t.Colour), press.Name
		k.Total = k.Print.Build.Total()
		for i, g := range w.Grounds()[:len(k.Stands)] {
			k.Stands[i] = Stand{g.Name, colour.Contrast(t.Colour.RGB, g.Colour)}
		}
		out = append(out, k)
	}
	return out
}

// nearest is how far, in ΔE00, a colour may be from an ink to be asked whether it is that
// one: what scanning and packing change.
const nearest = 10

// nearInk is the ink that a colour comes nearest; nil if to none.
func nearInk(c colour.RGB, inks []version.InkMapping) (near *version.InkMapping, off float64) {
	off = nearest
	for _, x := range inks {
		drawn, err := colour.ParseHex(x.Drawn)
		if d := colour.Difference(c.Lab(), drawn.Lab()); err == nil && d < off {
			near, off = &x, d
		}
	}
	return near, off
}

// Mend is the mend that makes a colour the ink that it comes near.
func (k Swatch) Mend() preflight.Mend {
	return preflight.Mend("join " + k.Near.Drawn + " " + k.Colour.RGB.Hex())
}

// Pairs is how the first n colours of the master stand on each other: a row for
// each that others stand on, nothing if there is but one.
func (w *Snapshot) Pairs(n int) (rows [][]Stand) {
	n = min(n, len(w.Tones))
	if len(w.Tones) < 2 {
		return nil
	}
	for _, on := range w.Tones[:n] {
		var row []Stand
		for _, t := range w.Tones[:n] {
			s := Stand{On: on.Colour.RGB.Hex()}
			if t.Colour.RGB.Hex() != s.On {
				s.Ratio = colour.Contrast(t.Colour.RGB, on.Colour.RGB)
			}
			row = append(row, s)
		}
		rows = append(rows, row)
	}
	return rows
}

// maxConfused bounds the colours that are held to each other in Confused.
const maxConfused = 12

// Confused finds the two colours of the master that come nearest to each other in
// the eyes of some people; ok is false if there are not two.
func (w *Snapshot) Confused(v proof.Vision) (proof.Pair, bool) {
	var cs []colour.RGB
	for _, t := range w.Tones {
		if !t.Gradient && len(cs) < maxConfused {
			cs = append(cs, t.Colour.RGB)
		}
	}
	return v.Nearest(cs)
}
