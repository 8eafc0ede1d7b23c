package drawing

import (
	"image"

	"dyekit/core/colour"
)

// between is how many steps lie between two stops where the way from screen
// colour to inks is not straight.
const between = 8

// Inks lists offsets and ink components of the gradient (see colour.Inks) so
// finely that mixing the inks between neighbours looks like mixing the screen
// colours. Declared builds are mixed with each other; a build is proposed only
// where one is missing.
func (g *Gradient) Inks(cmyk bool) (at []float64, inks [][]float64) {
	put := func(t float64, c colour.Colour) {
		at, inks = append(at, t), append(inks, c.Inks(cmyk))
	}
	for i, s := range g.Stops {
		if i > 0 && cmyk {
			a := g.Stops[i-1]
			for k := 1; k < between && s.At > a.At; k++ {
				t := float64(k) / between
				put(a.At+(s.At-a.At)*t, colour.Mix(a.Colour, s.Colour, t))
			}
		}
		put(s.At, s.Colour)
	}
	return at, inks
}

// Plates is the gradient in the spot plates that all of its stops share with each other or
// with bare paper: in is a colour that lies in them, and tints are those of each stop, from
// 0 to 1, which run in straight lines from stop to stop. ok is false if it has none, or lies
// in others too.
func (g *Gradient) Plates() (in colour.Colour, tints [][]float64, ok bool) {
	for _, s := range g.Stops {
		if len(s.Colour.Spots()) > 0 {
			in, ok = s.Colour, true
			break
		}
	}
	for _, s := range g.Stops {
		t, shared := s.Colour.TintsOn(in)
		if !shared {
			return colour.Colour{}, nil, false
		}
		tints = append(tints, t)
	}
	return in, tints, ok
}

// LaidDown lists the colours of a paint that lie in the plates which they declare: a solid
// one, and the stops of a gradient that share their plates. Other gradients lie in none.
func LaidDown(p Paint) (cs []colour.Colour) {
	switch p := p.(type) {
	case Solid:
		return []colour.Colour{p.Colour}
	case *Gradient:
		if _, _, ok := p.Plates(); ok {
			for _, s := range p.Stops {
				cs = append(cs, s.Colour)
			}
		}
	}
	return cs
}

// Offsets are those of the stops.
func (g *Gradient) Offsets() (at []float64) {
	for _, s := range g.Stops {
		at = append(at, s.At)
	}
	return at
}

// Inked is the gradient in process inks, each mixture painted as show says.
// Opacity stays.
func (g *Gradient) Inked(show func(inks []float64) colour.RGB) *Gradient {
	at, inks := g.Inks(true)
	pad := *g
	pad.Spread = Pad
	out := *g
	out.Stops = make([]Stop, len(at))
	for i := range at {
		_, a := pad.Colour(at[i])
		out.Stops[i] = Stop{At: at[i], Colour: colour.Screen(show(inks[i])), Alpha: a}
	}
	return &out
}

// Inks are the amounts of ink that the pixels of a picture are declared in: of the
// process inks, or of one spot plate.
type Inks struct {
	Spot colour.Colour // the full ink of the plate; of process inks its Spot is empty
	// Pix has a byte for each pixel and plate, row by row without gaps, 255 being the full
	// ink: the tint of the plate, or cyan, magenta, yellow and black.
	Pix []uint8
}

// At is the build of pixel i, each ink from 0 to 1; a tint of a plate is shown by its
// process alternate.
func (k *Inks) At(i int) [4]float64 {
	if k.Spot.Spot == "" {
		p := k.Pix[4*i : 4*i+4]
		return [4]float64{float64(p[0]) / 255, float64(p[1]) / 255, float64(p[2]) / 255, float64(p[3]) / 255}
	}
	b, _ := k.Spot.Full()
	t := float64(k.Pix[i]) / 255 / 100
	return [4]float64{b.C * t, b.M * t, b.Y * t, b.K * t}
}

// Inked is the picture in process inks, each pixel painted as show says. Opacity stays.
// Pixels of screen colours are separated for a press.
func (p *Picture) Inked(press *colour.Press, show func(inks []float64) colour.RGB) *Picture {
	if p.Inks == nil {
		return p.MapPixels(func(k [3]uint8) (v [3]uint8) {
			b := press.Pixel(colour.FromBytes(k[0], k[1], k[2]))
			v[0], v[1], v[2] = show([]float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}).Bytes()
			return v
		})
	}
	c := *p
	c.Inks = nil
	c.Image = image.NewNRGBA(image.Rect(0, 0, p.Image.Rect.Dx(), p.Image.Rect.Dy()))
	known := map[[4]float64][3]uint8{}
	for i := 0; i < len(c.Image.Pix); i += 4 {
		k := p.Inks.At(i / 4)
		v, ok := known[k]
		if !ok {
			v[0], v[1], v[2] = show(k[:]).Bytes()
			known[k] = v
		}
		copy(c.Image.Pix[i:], v[:])
	}
	for y := range c.Image.Rect.Dy() {
		for x := range c.Image.Rect.Dx() {
			c.Image.Pix[c.Image.PixOffset(x, y)+3] = p.Image.Pix[y*p.Image.Stride+4*x+3]
		}
	}
	return &c
}

// Tints is a picture in a spot plate, each pixel as light as its tint. Opacity stays.
func (p *Picture) Tints() *Picture {
	c := *p
	c.Image, c.Inks = image.NewNRGBA(image.Rect(0, 0, p.Image.Rect.Dx(), p.Image.Rect.Dy())), nil
	for y := range c.Image.Rect.Dy() {
		for x := range c.Image.Rect.Dx() {
			i := y*c.Image.Rect.Dx() + x
			v := p.Inks.Pix[i]
			copy(c.Image.Pix[4*i:], []uint8{v, v, v, p.Image.Pix[y*p.Image.Stride+4*x+3]})
		}
	}
	return &c
}

// Repainted is the picture with other pixels, as many as it had. What is seen in the colour
// that it had keeps its inks, and what is not gets a build that is proposed; a picture in a
// plate leaves it if a colour becomes another one than white.
func (p *Picture) Repainted(img *image.NRGBA) *Picture {
	c := *p
	c.Image, c.Inks = img, nil
	b := img.Rect
	if p.Inks == nil || b.Dx() != p.Image.Rect.Dx() || b.Dy() != p.Image.Rect.Dy() {
		return &c
	}
	k := Inks{Spot: p.Inks.Spot, Pix: append([]uint8(nil), p.Inks.Pix...)}
	for y := range b.Dy() {
		for x := range b.Dx() {
			to, from := img.Pix[y*img.Stride+4*x:][:4], p.Image.Pix[y*p.Image.Stride+4*x:][:3]
			if to[3] == 0 || [3]uint8(to) == [3]uint8(from) {
				continue
			}
			if k.Spot.Spot != "" {
				if [3]uint8(to) != [3]uint8{255, 255, 255} {
					return &c
				}
				k.Pix[y*b.Dx()+x] = 0
				continue
			}
			n := colour.Coated.Pixel(colour.FromBytes(to[0], to[1], to[2]))
			for j, v := range []float64{n.C, n.M, n.Y, n.K} {
				k.Pix[4*(y*b.Dx()+x)+j] = uint8(v*2.55 + 0.5)
			}
		}
	}
	c.Inks = &k
	return &c
}
