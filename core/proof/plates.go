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
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		p, ok := s.Paint.(drawing.Solid)
		if !ok || p.Colour.Spot == "" {
			return
		}
		full := p.Colour.RGB
		if t := p.Colour.Tint; t > 0 && t < 100 { // undo the mix with white paper
			un := func(v float64) float64 { return min(1, max(0, 1-(1-v)*100/t)) }
			full = colour.RGB{R: un(full.R), G: un(full.G), B: un(full.B)}
		}
		if !slices.ContainsFunc(out, func(x spotInk) bool { return x.name == p.Colour.Spot }) {
			out = append(out, spotInk{p.Colour.Spot, full})
		}
	})
	return out
}

// repaint returns the drawing with other colours; gradients and pictures are
// process work and go through f as white.
func repaint(d *drawing.Drawing, f func(colour.Colour) colour.Colour, others bool) *drawing.Drawing {
	r := drawing.Recolouring{Colour: f, Gradient: drawing.Kept}
	if !others {
		r.Gradient = func(*drawing.Gradient) drawing.Paint {
			return drawing.Solid{Colour: colour.Screen(colour.Black), Alpha: 1}
		}
		r.Picture = func(*drawing.Picture) *drawing.Picture { return nil }
	}
	return d.Recolour(r)
}

// withoutSpots paints spot inks as bare paper: the plates below are knocked
// out under them.
func withoutSpots(d *drawing.Drawing) *drawing.Drawing {
	return repaint(d, func(c colour.Colour) colour.Colour {
		if c.Spot == "" {
			return c
		}
		return colour.Colour{RGB: colour.White, Built: true}
	}, true)
}

// onlySpot paints one spot ink as light by its tint, and all else black.
func onlySpot(d *drawing.Drawing, name string) *drawing.Drawing {
	return repaint(d, func(c colour.Colour) colour.Colour {
		v := 0.0
		if c.Spot == name {
			v = 1
			if c.Tint > 0 {
				v = c.Tint / 100
			}
		}
		return colour.Screen(colour.RGB{R: v, G: v, B: v})
	}, false)
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
