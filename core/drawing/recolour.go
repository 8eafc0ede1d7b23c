package drawing

import (
	"image"
	"slices"

	"dyekit/core/colour"
)

// A Recolouring says what becomes of the paint of a drawing. What it says nothing
// of stays as it is.
type Recolouring struct {
	// Colour replaces solid colours and the stops of gradients.
	Colour func(colour.Colour) colour.Colour
	// Gradient replaces gradients, in place of Colour.
	Gradient func(*Gradient) Paint
	// Picture replaces pictures; nil drops one.
	Picture func(*Picture) *Picture
}

// Recolour returns the drawing with other paint and the same shapes.
func (d *Drawing) Recolour(r Recolouring) *Drawing {
	return d.Map(func(n Node) Node {
		switch n := n.(type) {
		case *Shape:
			p := r.paint(n.Paint)
			if p == n.Paint {
				return n
			}
			c := *n
			c.Paint = p
			return &c
		case *Picture:
			if r.Picture == nil {
				return n
			}
			if p := r.Picture(n); p != nil {
				return p
			}
			return nil
		}
		return n
	})
}

func (r *Recolouring) paint(p Paint) Paint {
	switch p := p.(type) {
	case Solid:
		if r.Colour != nil {
			p.Colour = r.Colour(p.Colour)
		}
		return p
	case *Gradient:
		switch {
		case r.Gradient != nil:
			return r.Gradient(p)
		case r.Colour != nil:
			return p.Recolour(r.Colour)
		}
	}
	return p
}

// Kept leaves a gradient as it is.
func Kept(g *Gradient) Paint { return g }

// Recolour returns the gradient with other colours at its stops.
func (g *Gradient) Recolour(f func(colour.Colour) colour.Colour) *Gradient {
	h := *g
	h.Stops = slices.Clone(g.Stops)
	for i := range h.Stops {
		h.Stops[i].Colour = f(h.Stops[i].Colour)
	}
	return &h
}

// MapPixels returns the picture with other colours, in 8 bits a channel and not
// premultiplied; f is asked once for each colour. Opacity stays.
func (p *Picture) MapPixels(f func(rgb [3]uint8) [3]uint8) *Picture {
	c := *p
	c.Image, c.Inks = image.NewNRGBA(p.Image.Rect), nil
	known := map[[3]uint8][3]uint8{}
	for i := 0; i < len(c.Image.Pix); i += 4 {
		k := [3]uint8(p.Image.Pix[i : i+3])
		v, ok := known[k]
		if !ok {
			v = f(k)
			known[k] = v
		}
		copy(c.Image.Pix[i:], v[:])
		c.Image.Pix[i+3] = p.Image.Pix[i+3]
	}
	return &c
}
