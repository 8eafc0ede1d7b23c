package decision

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/preflight"
	"dyekit/core/version"
)

// A MovedInk is an ink that painted a colour of the master before and paints none of
// the new one: its plate would be lost.
type MovedInk struct {
	version.InkMapping
	To         string  `json:"to,omitempty"`         // the colour that comes nearest, #rrggbb; "" for none
	Difference float64 `json:"difference,omitempty"` // of it, ΔE00
	Near       bool    `json:"near,omitempty"`       // it is taken for the same ink unless a person says otherwise
}

// Near is the ΔE00 within which an ink is carried over to a new drawing if nothing else
// is as near, and clearer is how much farther all else has to be (common practice).
const (
	Near    = 10
	clearer = 3
)

// Moved tells which inks painted something of the tones of a master before, in those
// inks, and nothing now.
func Moved(inks []version.InkMapping, before, now []preflight.Tone) (out []MovedInk) {
	paints := func(k version.InkMapping, tones []preflight.Tone) bool {
		return slices.ContainsFunc(tones, func(t preflight.Tone) bool { return k.Paints(t.Colour) })
	}
	for _, k := range inks {
		if !paints(k, before) || paints(k, now) {
			continue
		}
		drawn, err := colour.ParseHex(k.Drawn)
		if err != nil {
			continue
		}
		m := MovedInk{InkMapping: k, Difference: math.Inf(1)}
		second := math.Inf(1)
		for _, t := range now {
			if slices.ContainsFunc(inks, func(o version.InkMapping) bool { return o.Paints(t.Colour) }) {
				continue // it is another ink
			}
			d := colour.Difference(drawn.Lab(), t.Colour.RGB.Lab())
			if d < m.Difference {
				m.To, m.Difference, second = t.Colour.RGB.Hex(), d, m.Difference
			} else {
				second = min(second, d)
			}
		}
		if m.To == "" {
			m.Difference = 0
		}
		m.Near = m.To != "" && m.Difference < Near && second > m.Difference+clearer
		out = append(out, m)
	}
	return out
}

// Says tells in words what became of the ink.
func (m MovedInk) Says() string {
	what := m.Name
	if m.Spot != "" {
		what = fmt.Sprintf("%s, plate %s,", m.Name, m.Spot)
	}
	return fmt.Sprintf("the ink %s stood for %s, which is not in this master", what, strings.ToLower(m.Drawn))
}

// Carried is the ink as it stands for the colour that came nearest: with its name,
// plate and build, and on the screen as it is drawn now unless it was set apart.
func (m MovedInk) Carried() version.InkMapping {
	k := m.InkMapping
	if strings.EqualFold(k.RGB, k.Drawn) {
		k.RGB = m.To
	}
	k.Drawn = m.To
	return k
}
