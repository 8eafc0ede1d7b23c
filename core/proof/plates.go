package proof

import (
	"context"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/raster"
)

// A Plate is what one ink of a press prints.
type Plate struct {
	Name     string
	Ink      colour.RGB  // what it looks like where it is solid
	Image    *image.Gray // 255 where the ink is solid
	Coverage float64     // of the whole frame, 0 to 1
}

// Process names the plates that are always there.
var Process = []string{"Cyan", "Magenta", "Yellow", "Black"}

// Plates separates the art: the four process plates and one for each spot ink.
// Spot inks leave the process plates bare, as in the files.
func Plates(ctx context.Context, a Art, w, h int, press *colour.Press) ([]Plate, error) {
	if w < 1 || h < 1 || w > MaxSide || h > MaxSide {
		return nil, ErrSize
	}
	to := raster.Fit(a.Box, w, h)
	process, err := raster.Separate(ctx, withoutSpots(a.Drawing), to, w, h, press, colour.CMYK{})
	if err != nil {
		return nil, err
	}
	var out []Plate
	for c, name := range Process {
		p := Plate{Name: name, Image: image.NewGray(image.Rect(0, 0, w, h))}
		for i := range p.Image.Pix {
			p.Image.Pix[i] = process.Pix[4*i+c]
		}
		b := [4]float64{}
		b[c] = 100
		p.Ink = press.Show(colour.CMYK{C: b[0], M: b[1], Y: b[2], K: b[3]})
		out = append(out, p)
	}
	for _, s := range spotsOf(a.Drawing) {
		ground := colour.Black
		img, err := raster.Render(ctx, onlySpot(a.Drawing, s.name), to, w, h, raster.Options{Ground: &ground})
		if err != nil {
			return nil, err
		}
		p := Plate{Name: s.name, Ink: s.ink, Image: image.NewGray(image.Rect(0, 0, w, h))}
		for i := range p.Image.Pix {
			p.Image.Pix[i] = img.Pix[4*i]
		}
		out = append(out, p)
	}
	for i := range out {
		sum := 0
		for _, v := range out[i].Image.Pix {
			sum += int(v)
		}
		out[i].Coverage = float64(sum) / 255 / float64(w*h)
	}
	return out, nil
}

type spotInk struct {
	name string
	ink  colour.RGB
}

// spotsOf lists the spot inks in the order in which they are painted.
func spotsOf(d *drawing.Drawing) []spotInk {
	var out []spotInk
	sure := map[string]bool{} // whose full ink was met, and not a tint alone
	add := func(name string, full colour.RGB, known bool) {
		i := slices.IndexFunc(out, func(x spotInk) bool { return x.name == name })
		switch {
		case i < 0:
			out = append(out, spotInk{name, full})
		case known && !sure[name]:
			out[i].ink = full
		}
		sure[name] = sure[name] || known
	}
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Picture:
			if n.Inks != nil && n.Inks.Spot.Spot != "" {
				add(n.Inks.Spot.Spot, n.Inks.Spot.RGB, true)
			}
		case *drawing.Shape:
			for _, c := range drawing.LaidDown(n.Paint) {
				if c.Spot != "" {
					add(c.Spot, unmixed(c), c.Of(c.Spot) == 1)
				}
				for i, k := range c.Mix.Amounts() {
					if !colour.IsProcess(k.Plate) {
						add(k.Plate, colour.Coated.Show(c.Mix.Full(i)), false)
					}
				}
			}
		}
	})
	return out
}

// unmixed is what the full ink of a tint looks like: without the white paper in it.
func unmixed(c colour.Colour) colour.RGB {
	t := c.Tint
	if t <= 0 || t >= 100 {
		return c.RGB
	}
	un := func(v float64) float64 { return min(1, max(0, 1-(1-v)*100/t)) }
	return colour.RGB{R: un(c.RGB.R), G: un(c.RGB.G), B: un(c.RGB.B)}
}

// withoutSpots paints spot inks as bare paper, as the plates below are knocked out under
// them, and leaves of mixtures the process inks.
func withoutSpots(d *drawing.Drawing) *drawing.Drawing {
	rest := func(c colour.Colour) colour.Colour {
		if len(c.Spots()) == 0 {
			return c
		}
		b := colour.CMYK{C: 100 * c.Of("Cyan"), M: 100 * c.Of("Magenta"), Y: 100 * c.Of("Yellow"), K: 100 * c.Of("Black")}
		return colour.Colour{RGB: colour.White, Build: b, Built: true}
	}
	return d.Recolour(drawing.Recolouring{
		Colour: rest,
		Gradient: func(g *drawing.Gradient) drawing.Paint {
			if len(drawing.LaidDown(g)) == 0 {
				return g
			}
			return g.Recolour(rest)
		},
		Picture: func(p *drawing.Picture) *drawing.Picture {
			if p.Inks == nil || p.Inks.Spot.Spot == "" {
				return p
			}
			return p.MapPixels(func([3]uint8) [3]uint8 { return [3]uint8{255, 255, 255} })
		},
	})
}

// onlySpot paints one spot ink as light by its tint, and all else black: gradients and
// pictures too, which are process work, but for those in the ink.
func onlySpot(d *drawing.Drawing, name string) *drawing.Drawing {
	tint := func(c colour.Colour) colour.Colour {
		v := c.Of(name)
		return colour.Screen(colour.RGB{R: v, G: v, B: v})
	}
	return d.Recolour(drawing.Recolouring{
		Colour: tint,
		Gradient: func(g *drawing.Gradient) drawing.Paint {
			if len(drawing.LaidDown(g)) == 0 {
				return drawing.Solid{Colour: colour.Screen(colour.Black), Alpha: 1}
			}
			return g.Recolour(tint)
		},
		Picture: func(p *drawing.Picture) *drawing.Picture {
			if p.Inks == nil || p.Inks.Spot.Spot != name {
				return p.MapPixels(func([3]uint8) [3]uint8 { return [3]uint8{} })
			}
			return p.Tints()
		},
	})
}

// MaxShift is the largest misregistration that is shown, in mm (common
// practice: a sheet-fed press stays well below 0.2).
const MaxShift = 0.2

// Printed lays plates over each other on white paper, each shifted by dx, dy
// mm, the art being mm wide. Plates that have no shift stand where they are.
func Printed(plates []Plate, press *colour.Press, mm float64, shift map[string][2]float64) *image.NRGBA {
	if len(plates) < 4 {
		return nil
	}
	r := plates[0].Image.Rect
	w, h := r.Dx(), r.Dy()
	moved := make([][]uint8, len(plates))
	for i, p := range plates {
		s := shift[p.Name]
		moved[i] = slide(p.Image, s[0]/mm*float64(w), s[1]/mm*float64(w))
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	memo := map[[4]uint8]colour.RGB{}
	for i := range w * h {
		k := [4]uint8{moved[0][i], moved[1][i], moved[2][i], moved[3][i]}
		c, ok := memo[k]
		if !ok {
			c = press.Show(colour.CMYK{C: float64(k[0]) / 2.55, M: float64(k[1]) / 2.55, Y: float64(k[2]) / 2.55, K: float64(k[3]) / 2.55})
			memo[k] = c
		}
		for j := 4; j < len(plates); j++ { // a spot ink filters what lies below
			if t := float64(moved[j][i]) / 255; t > 0 {
				ink := plates[j].Ink.Over(colour.White, t)
				c = colour.RGB{R: c.R * ink.R, G: c.G * ink.G, B: c.B * ink.B}
			}
		}
		p := out.Pix[4*i:]
		p[0], p[1], p[2] = c.Bytes()
		p[3] = 255
	}
	return out
}

// slide moves a plate by parts of a pixel; outside is bare.
func slide(img *image.Gray, dx, dy float64) []uint8 {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if dx == 0 && dy == 0 {
		return img.Pix
	}
	at := func(x, y int) float64 {
		if x < 0 || y < 0 || x >= w || y >= h {
			return 0
		}
		return float64(img.Pix[y*img.Stride+x])
	}
	fx, fy := math.Floor(-dx), math.Floor(-dy)
	u, v := -dx-fx, -dy-fy
	out := make([]uint8, w*h)
	for y := range h {
		for x := range w {
			p, q := x+int(fx), y+int(fy)
			s := (at(p, q)*(1-u)+at(p+1, q)*u)*(1-v) + (at(p, q+1)*(1-u)+at(p+1, q+1)*u)*v
			out[y*w+x] = uint8(math.Round(s))
		}
	}
	return out
}
