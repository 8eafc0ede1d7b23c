package colour

import (
	"fmt"
	"slices"
	"strings"
	"unique"
)

// MaxPlates bounds the plates of a Mixture.
const MaxPlates = 4

// An Amount is so much of one ink.
type Amount struct {
	Plate string  // a spot ink, or Cyan, Magenta, Yellow or Black
	Tint  float64 // percent of the full ink, over 0 to 100
}

// A Mixture is how a colour is laid down in several plates, at least one of them a spot ink.
// It knows by which build each mixture of full inks is shown where there are no such
// plates. Equal mixtures are ==. The zero Mixture is none.
type Mixture struct{ h unique.Handle[recipe] }

type recipe struct {
	n       int
	amounts [MaxPlates]Amount
	// corners are the builds of full inks: bit i of the index tells whether plate i is there.
	corners [1 << MaxPlates]CMYK
}

// NewMixture mixes 2 to MaxPlates inks. corner gives the build that stands for those plates
// together, each full, of which full is true. ok is false for other numbers of inks.
func NewMixture(amounts []Amount, corner func(full []bool) CMYK) (m Mixture, ok bool) {
	if len(amounts) < 2 || len(amounts) > MaxPlates {
		return Mixture{}, false
	}
	x := recipe{n: len(amounts)}
	copy(x.amounts[:], amounts)
	full := make([]bool, x.n)
	for s := range 1 << x.n {
		for i := range full {
			full[i] = s>>i&1 == 1
		}
		x.corners[s] = corner(full)
	}
	return Mixture{unique.Make(x)}, true
}

// IsZero reports whether there is none.
func (m Mixture) IsZero() bool { return m == Mixture{} }

// Amounts are the inks of the mixture in the order in which they were declared; nil of the
// zero Mixture.
func (m Mixture) Amounts() []Amount {
	if m.IsZero() {
		return nil
	}
	x := m.h.Value()
	return slices.Clone(x.amounts[:x.n])
}

// String lists the inks that lie there: "Moor 60 % and Black 30 %".
func (m Mixture) String() string {
	var b strings.Builder
	all := slices.DeleteFunc(m.Amounts(), func(a Amount) bool { return a.Tint <= 0 })
	for i, a := range all {
		switch {
		case i == 0:
		case i == len(all)-1:
			b.WriteString(" and ")
		default:
			b.WriteString(", ")
		}
		fmt.Fprintf(&b, "%s %.4g %%", a.Plate, a.Tint)
	}
	return b.String()
}

// Of is how much of a plate is in the mixture, in percent.
func (m Mixture) Of(plate string) float64 {
	for _, a := range m.Amounts() {
		if a.Plate == plate {
			return a.Tint
		}
	}
	return 0
}

// Full is the build of plate i alone and full.
func (m Mixture) Full(i int) CMYK { return m.h.Value().corners[1<<i] }

// Build is what stands for the mixture where its plates are not: between the mixtures of full
// inks in a straight line for each plate.
func (m Mixture) Build() CMYK {
	x := m.h.Value()
	var sum CMYK
	for s, c := range x.corners[:1<<x.n] {
		w := 1.0
		for i, a := range x.amounts[:x.n] {
			if s>>i&1 == 1 {
				w *= a.Tint / 100
			} else {
				w *= 1 - a.Tint/100
			}
		}
		sum = CMYK{sum.C + w*c.C, sum.M + w*c.M, sum.Y + w*c.Y, sum.K + w*c.K}
	}
	return sum
}

// Terms are the factors of Build as a sum of products: that at s belongs to the product of
// the tints, from 0 to 1, of those plates whose bits are set in s. Inks from 0 to 1.
func (m Mixture) Terms() [][4]float64 {
	x := m.h.Value()
	out := make([][4]float64, 1<<x.n)
	for s, c := range x.corners[:1<<x.n] {
		out[s] = [4]float64{c.C / 100, c.M / 100, c.Y / 100, c.K / 100}
	}
	// Each plate in turn: what it adds to what is there without it.
	for i := range x.n {
		for s := range out {
			if s>>i&1 == 1 {
				for j := range 4 {
					out[s][j] -= out[s&^(1<<i)][j]
				}
			}
		}
	}
	return out
}
