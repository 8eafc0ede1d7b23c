package version

import (
	"fmt"
	"image"
	"math"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/field"
)

// InkMapping is an ink of a brand and the colour in the masters that it stands for.
type InkMapping struct {
	Ink
	Drawn string `json:"drawn"` // #rrggbb
}

// Paints reports whether a colour is painted in the ink: with its plate, or, as a
// stop of a gradient, without.
func (t InkMapping) Paints(c colour.Colour) bool {
	k, err := t.Colour()
	if err != nil {
		return false
	}
	return c == k || c == unplated(k)
}

// maxInkName bounds the names of inks and plates, in bytes.
const maxInkName = 80

// Check reports what is wrong with an ink, by the name of its value.
func (t InkMapping) Check() error {
	if _, err := colour.ParseHex(t.Drawn); err != nil {
		return field.In("drawn", err)
	}
	if _, err := colour.ParseHex(t.RGB); err != nil {
		return field.In("rgb", err)
	}
	switch {
	case strings.TrimSpace(t.Name) == "":
		return field.Errorf("name", "an ink has a name")
	case len(t.Name) > maxInkName || len(t.Spot) > maxInkName:
		return field.Errorf("name", "it is longer than %d letters", maxInkName)
	case t.Spot != "" && t.CMYK == nil:
		return field.Errorf("cmyk", "a spot ink needs the build that stands for it where its plate is missing")
	case t.Stock != "" && t.Stock != "coated" && t.Stock != "uncoated":
		return field.Errorf("stock", "%q is not coated or uncoated", t.Stock)
	case !(t.Tint >= 0 && t.Tint <= 100):
		return field.Errorf("tint", "%v is not between 0 and 100 percent", t.Tint)
	}
	if t.CMYK != nil {
		for i, v := range t.CMYK {
			if !(v >= 0 && v <= 100) {
				return field.Errorf("cmyk", "%c %v is not between 0 and 100 percent", "CMYK"[i], v)
			}
		}
	}
	return nil
}

// MapInks returns the drawing with every colour that is drawn as one of the inks,
// or so near that nobody tells them apart, painted in that ink, with all its
// values. The nearest ink wins.
func MapInks(d *drawing.Drawing, inks []InkMapping) (*drawing.Drawing, error) {
	if len(inks) == 0 {
		return d, nil
	}
	type known struct {
		lab colour.Lab
		ink colour.Colour
	}
	var all []known
	for _, t := range inks {
		if err := t.Check(); err != nil {
			return nil, fmt.Errorf("ink %s: %w", t.Name, err)
		}
		drawn, _ := colour.ParseHex(t.Drawn) // Check read them
		c, err := t.Colour()
		if err != nil {
			return nil, err
		}
		all = append(all, known{drawn.Lab(), c})
	}
	swap := func(c colour.Colour) colour.Colour {
		best, least := -1, math.Inf(1)
		lab := c.RGB.Lab()
		for i, k := range all {
			if d := colour.Difference(lab, k.lab); d < same && d < least {
				best, least = i, d
			}
		}
		if best < 0 {
			return c
		}
		return all[best].ink
	}
	return d.Recolour(drawing.Recolouring{
		Colour: swap,
		Gradient: func(g *drawing.Gradient) drawing.Paint {
			return g.Recolour(func(c colour.Colour) colour.Colour { return unplated(swap(c)) })
		},
		Picture: func(p *drawing.Picture) *drawing.Picture {
			return p.Repainted(tiePixels(p.Image, inks))
		},
	}), nil
}

// ForStock returns the drawing with every ink that is kept for several kinds of
// paper, under one drawn colour, as it is mixed for this one: coated or uncoated.
func ForStock(d *drawing.Drawing, inks []InkMapping, stock string) *drawing.Drawing {
	swap := map[colour.Colour]colour.Colour{}
	for _, to := range inks {
		c, err := to.Colour()
		if to.Stock != stock || err != nil {
			continue
		}
		for _, from := range inks {
			if k, err := from.Colour(); err == nil && from.Stock != stock && strings.EqualFold(from.Drawn, to.Drawn) {
				swap[k], swap[unplated(k)] = c, unplated(c)
			}
		}
	}
	if len(swap) == 0 {
		return d
	}
	one := func(c colour.Colour) colour.Colour {
		if k, ok := swap[c]; ok {
			return k
		}
		return c
	}
	return d.Recolour(drawing.Recolouring{Colour: one})
}

// unplated is a colour without its plate: gradients are printed in process inks.
func unplated(c colour.Colour) colour.Colour {
	c.Spot, c.Tint, c.Mix = "", 0, colour.Mixture{}
	return c
}

// alikePixel is the ΔE00 up to which a pixel counts to a colour of a picture:
// what noise and soft edges make of it.
const alikePixel = 8

// tiePixels gives pixels near to a colour that an ink stands for the ink's screen
// colour, each as far from it as it was from the colour.
func tiePixels(img *image.NRGBA, inks []InkMapping) *image.NRGBA {
	type pair struct {
		lab     colour.Lab
		by      [3]int // what is added to red, green and blue
		changed bool
	}
	var pairs []pair
	change := false
	for _, t := range inks {
		drawn, err := colour.ParseHex(t.Drawn)
		c, err2 := t.Colour()
		if err != nil || err2 != nil {
			continue
		}
		var p pair
		p.lab = drawn.Lab()
		r, g, b := c.RGB.Bytes()
		r0, g0, b0 := drawn.Bytes()
		p.by = [3]int{int(r) - int(r0), int(g) - int(g0), int(b) - int(b0)}
		p.changed = p.by != [3]int{}
		change = change || p.changed
		pairs = append(pairs, p)
	}
	if !change {
		return img
	}
	out := image.NewNRGBA(img.Rect)
	memo := map[[3]uint8][3]uint8{}
	for i := 0; i < len(img.Pix); i += 4 {
		k := [3]uint8(img.Pix[i:])
		v, ok := memo[k]
		if !ok {
			v = k
			lab := colour.FromBytes(k[0], k[1], k[2]).Lab()
			best, least := -1, float64(alikePixel)
			for j, p := range pairs {
				if d := colour.Difference(lab, p.lab); d < least {
					best, least = j, d
				}
			}
			if best >= 0 {
				for c := range v {
					v[c] = uint8(min(255, max(0, int(k[c])+pairs[best].by[c])))
				}
			}
			memo[k] = v
		}
		copy(out.Pix[i:], v[:])
		out.Pix[i+3] = img.Pix[i+3]
	}
	return out
}
