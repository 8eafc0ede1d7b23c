package photomark

import (
	"fmt"
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/intake/picture"
	"dyekit/core/t81/blocks"
)

// A model is what the components of a JPEG stand for.
type model uint8

const (
	grey model = iota
	ycc        // JFIF 1.02
	rgb
	cmyk // stored inverted, with the Adobe marker
	ycck
)

// A jpegPhoto is a photograph of which blocks are changed where they are.
type jpegPhoto struct {
	*blocks.File
	model  model
	turn   turn
	screen *icc.Screen
	press  *colour.Press
	shown  map[[4]uint8]colour.RGB
}

func openJPEG(data []byte) (*jpegPhoto, error) {
	f, err := blocks.Read(data)
	if err != nil {
		return nil, fmt.Errorf("the photograph cannot be read: %w", err)
	}
	p := &jpegPhoto{File: f, shown: map[[4]uint8]colour.RGB{}}
	for c := range f.Components {
		if _, _, ok := f.Step(c); !ok {
			return nil, fmt.Errorf("the photograph cannot be read: its colours are sampled in a rare way")
		}
	}
	switch len(f.Components) {
	case 1:
		p.model = grey
	case 3:
		p.model = ycc
		ids := [3]byte{f.Components[0].ID, f.Components[1].ID, f.Components[2].ID}
		if f.Adobe == 0 || f.Adobe < 0 && !hasJFIF(f) && ids == [3]byte{'R', 'G', 'B'} {
			p.model = rgb
		}
	case 4:
		switch f.Adobe {
		case 0:
			p.model = cmyk
		case 2:
			p.model = ycck
		default:
			return nil, fmt.Errorf("the photograph cannot be read: it does not tell what its four components are")
		}
	}
	m := picture.ReadMeta(data)
	if p.turn = turn(m.Turn); p.turn > 8 {
		p.turn = 0
	}
	if p.model >= cmyk {
		p.press = colour.Coated
		if q, err := icc.Read(m.Profile); err == nil {
			p.press = q
		}
		return p, nil
	}
	want := 3
	if p.model == grey {
		want = 1
	}
	if s, err := icc.ReadScreen(m.Profile); err == nil && s.Channels == want {
		p.screen = s
	}
	return p, nil
}

func hasJFIF(f *blocks.File) bool {
	for _, s := range f.Segments {
		if s.Marker == blocks.APP0 && len(s.Body) > 4 && string(s.Body[:4]) == "JFIF" {
			return true
		}
	}
	return false
}

func (p *jpegPhoto) size() (w, h int) { return p.turn.seen(p.W, p.H) }

func (p *jpegPhoto) look(r image.Rectangle) *image.NRGBA {
	s := p.turn.stored(r, p.W, p.H)
	out := image.NewNRGBA(image.Rect(0, 0, s.Dx(), s.Dy()))
	n := s.Dx() * s.Dy()
	planes := make([][]uint8, len(p.Components))
	for c := range planes {
		planes[c] = make([]uint8, n)
		fx, fy, _ := p.Step(c)
		p.over(c, s, func(bx, by int) {
			v := p.Samples(c, bx, by)
			in := image.Rect(bx*8*fx, by*8*fy, (bx+1)*8*fx, (by+1)*8*fy).Intersect(s)
			for y := in.Min.Y; y < in.Max.Y; y++ {
				for x := in.Min.X; x < in.Max.X; x++ {
					planes[c][(y-s.Min.Y)*s.Dx()+x-s.Min.X] = clamp(v[(y/fy-by*8)*8+x/fx-bx*8])
				}
			}
		})
	}
	for i := range n {
		var v [4]uint8
		for c := range planes {
			v[c] = planes[c][i]
		}
		px := out.Pix[4*i : 4*i+4 : 4*i+4]
		px[0], px[1], px[2] = p.show(v).Bytes()
		px[3] = 255
	}
	return picture.Turned(out, int(p.turn))
}

// over calls f for the blocks of a component that a box of the file touches.
func (p *jpegPhoto) over(c int, s image.Rectangle, f func(bx, by int)) {
	fx, fy, _ := p.Step(c)
	for by := s.Min.Y / (8 * fy); by*8*fy < s.Max.Y; by++ {
		for bx := s.Min.X / (8 * fx); bx*8*fx < s.Max.X; bx++ {
			f(bx, by)
		}
	}
}

func clamp(v float64) uint8 { return uint8(min(255, max(0, math.Round(v)))) }

// maxShown bounds the colours that are kept.
const maxShown = 1 << 16

// show is the screen colour of samples.
func (p *jpegPhoto) show(v [4]uint8) colour.RGB {
	if c, ok := p.shown[v]; ok {
		return c
	}
	if len(p.shown) >= maxShown {
		clear(p.shown)
	}
	a := [4]float64{float64(v[0]), float64(v[1]), float64(v[2]), float64(v[3])}
	var c colour.RGB
	switch p.model {
	case grey:
		c = p.screened(a[0], a[0], a[0])
	case rgb:
		c = p.screened(a[0], a[1], a[2])
	case ycc:
		c = p.screened(fromYCC(a))
	case cmyk:
		c = p.printed(255-a[0], 255-a[1], 255-a[2], 255-a[3])
	case ycck:
		// The inversion of Adobe's files and that of the transform cancel out.
		r, g, b := fromYCC(a)
		c = p.printed(r, g, b, 255-a[3])
	}
	p.shown[v] = c
	return c
}

func fromYCC(v [4]float64) (r, g, b float64) {
	y, cb, cr := v[0], v[1]-128, v[2]-128
	return y + 1.402*cr, y - 0.344136286*cb - 0.714136286*cr, y + 1.772*cb
}

func toYCC(r, g, b float64) (v [4]float64) {
	return [4]float64{
		colour.BT601.Of(r, g, b),
		-0.168735892*r - 0.331264108*g + 0.5*b + 128,
		0.5*r - 0.418687589*g - 0.081312411*b + 128,
	}
}

func (p *jpegPhoto) screened(r, g, b float64) colour.RGB {
	unit := func(v float64) float64 { return min(1, max(0, v/255)) }
	c := colour.RGB{R: unit(r), G: unit(g), B: unit(b)}
	if p.screen == nil {
		return c
	}
	return p.screen.RGB([]float64{c.R, c.G, c.B}[:p.screen.Channels])
}

func (p *jpegPhoto) printed(c, m, y, k float64) colour.RGB {
	pc := func(v float64) float64 { return min(100, max(0, v/2.55)) }
	b := colour.CMYK{C: pc(c), M: pc(m), Y: pc(y), K: pc(k)}
	if b.NoInk() {
		return colour.White
	}
	return p.press.Show(b)
}

// samples is a screen colour as the file keeps it: the inverse of show.
func (p *jpegPhoto) samples(c colour.RGB) [4]float64 {
	if p.model >= cmyk {
		b := p.press.Print(colour.Screen(c)).Build
		if p.model == cmyk {
			return [4]float64{255 - 2.55*b.C, 255 - 2.55*b.M, 255 - 2.55*b.Y, 255 - 2.55*b.K}
		}
		v := toYCC(2.55*b.C, 2.55*b.M, 2.55*b.Y)
		v[3] = 255 - 2.55*b.K
		return v
	}
	v := [3]float64{c.R, c.G, c.B}
	switch {
	case p.screen != nil:
		v = p.screen.From(c)
	case p.model == grey:
		v[0] = colour.BT601.Of(c.R, c.G, c.B)
	}
	switch p.model {
	case ycc:
		return toYCC(255*v[0], 255*v[1], 255*v[2])
	}
	return [4]float64{255 * v[0], 255 * v[1], 255 * v[2]}
}

// lay blends in the numbers of the file: all its models are straight maps of red,
// green and blue, or of inks, so that it is the same as blending those. A sample that
// stands for several px takes the mean of them.
func (p *jpegPhoto) lay(m *image.NRGBA, at image.Point) {
	s := p.turn.stored(m.Rect.Add(at), p.W, p.H)
	m = picture.Turned(m, int(undone[p.turn]))
	known := map[[3]uint8][4]float64{}
	w := s.Dx()
	alpha := make([]float64, w*s.Dy())
	paint := make([][4]float64, len(alpha))
	for i := range alpha {
		px := m.Pix[4*i : 4*i+4 : 4*i+4]
		if px[3] == 0 {
			continue
		}
		k := [3]uint8(px)
		v, ok := known[k]
		if !ok {
			v = p.samples(colour.FromBytes(k[0], k[1], k[2]))
			known[k] = v
		}
		alpha[i], paint[i] = float64(px[3])/255, v
	}
	clear(p.shown)
	for c := range p.Components {
		fx, fy, _ := p.Step(c)
		share := 1 / float64(fx*fy)
		p.over(c, s, func(bx, by int) {
			var a, v [64]float64 // opacity, and opacity times paint, of each sample
			any := false
			in := image.Rect(bx*8*fx, by*8*fy, (bx+1)*8*fx, (by+1)*8*fy).Intersect(s)
			for y := in.Min.Y; y < in.Max.Y; y++ {
				for x := in.Min.X; x < in.Max.X; x++ {
					i := (y-s.Min.Y)*w + x - s.Min.X
					if alpha[i] == 0 {
						continue
					}
					k := (y/fy-by*8)*8 + x/fx - bx*8
					a[k] += share * alpha[i]
					v[k] += share * alpha[i] * paint[i][c]
					any = true
				}
			}
			if !any {
				return
			}
			old := p.Samples(c, bx, by)
			for k := range v {
				v[k] -= a[k] * old[k]
			}
			p.Blend(c, bx, by, &v)
		})
	}
}

func (p *jpegPhoto) bytes(m *Marker, r *Result) ([]byte, error) {
	if err := m.carried(p, r); err != nil {
		return nil, err
	}
	return p.Bytes(), nil
}
