package pdf

import (
	"image"
	"math"

	"golang.org/x/image/draw"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// An inking gathers the inks of a picture while its colours are found. A nil one is of a
// picture in screen colours.
type inking struct {
	spot colour.Colour
	pix  []uint8
	lost bool // a colour was in other inks
}

// newInking begins with a space; nil if its colours are not made of ink.
func newInking(cs *space, pixels int) *inking {
	switch {
	case cs.ink.Spot != "":
		return &inking{spot: cs.ink, pix: make([]uint8, pixels)}
	case len(cs.plates) == 0 && cs.colour(make([]float64, cs.n)).Built:
		return &inking{pix: make([]uint8, 4*pixels)}
	}
	return nil
}

// of are the inks of a colour in bytes: its tint, or its build.
func (k *inking) of(c colour.Colour) (b [4]byte) {
	if k == nil {
		return b
	}
	in := func(v float64) byte { return byte(math.Round(unit(v/100) * 255)) }
	switch {
	case k.spot.Spot != "" && c.Spot == k.spot.Spot:
		b[0] = in(c.Tint)
	case k.spot.Spot != "" && c.Spot == "" && c.Built && c.Build.NoInk():
	case k.spot.Spot == "" && c.Spot == "" && c.Built:
		b = [4]byte{in(c.Build.C), in(c.Build.M), in(c.Build.Y), in(c.Build.K)}
	default:
		k.lost = true
	}
	return b
}

func (k *inking) put(i int, b [4]byte) {
	switch {
	case k == nil:
	case k.spot.Spot != "":
		k.pix[i] = b[0]
	default:
		copy(k.pix[4*i:], b[:])
	}
}

func (k *inking) done() *drawing.Inks {
	if k == nil || k.lost {
		return nil
	}
	return &drawing.Inks{Spot: k.spot, Pix: k.pix}
}

// stencilInks are those of a stencil: the ink at hand, everywhere, as what is not painted
// is bare.
func (m *machine) stencilInks(raw *samples) *drawing.Inks {
	c := m.fill.colour
	if m.fill.space == nil || m.fill.space.pattern || !c.Built {
		return nil
	}
	k := &inking{pix: make([]uint8, 4*raw.w*raw.h)}
	if c.Spot != "" {
		if k.spot = m.fill.space.ink; k.spot.Spot == "" { // one of several plates
			k.spot, k.spot.Tint = c, 100
		}
		k.pix = k.pix[:raw.w*raw.h]
	}
	b := k.of(c)
	for i := range raw.w * raw.h {
		k.put(i, b)
	}
	return k.done()
}

// scaledInks are the inks of a picture in another size, as its colours are scaled.
func scaledInks(k *drawing.Inks, from, to image.Rectangle) *drawing.Inks {
	if k == nil {
		return nil
	}
	n := len(k.Pix) / (from.Dx() * from.Dy())
	out := &drawing.Inks{Spot: k.Spot, Pix: make([]uint8, n*to.Dx()*to.Dy())}
	one, big := image.NewGray(from), image.NewGray(to)
	for j := range n {
		for i := range one.Pix {
			one.Pix[i] = k.Pix[n*i+j]
		}
		draw.BiLinear.Scale(big, to, one, from, draw.Src, nil)
		for i, v := range big.Pix {
			out.Pix[n*i+j] = v
		}
	}
	return out
}
