package kit

import (
	"context"
	"fmt"
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// lookSide is the longer side, in px, of the pictures that are compared:
// enough to see a missing stroke, little enough to cost nothing.
const lookSide = 320

// How far a file may differ from the art. Soft is the share of all pixels that
// may be off by more than step of 255, as edges that lie on each other are;
// hard is the share that may be off by more than three steps, as what is
// missing is; mean is of all channels.
type tolerance struct {
	step       int
	soft, hard float64
	mean       float64
}

// The tolerances were set so that right files of open drawings pass (see
// TestOpenDrawingsPass and make sweep) and a file that lacks one part does not
// (see TestMissingPartsAreFound).
var (
	strict = tolerance{step: 6, soft: 0.001, hard: 0.0001, mean: 0.6}  // the same curves and paints again
	curve  = tolerance{step: 32, soft: 0.015, hard: 0.0002, mean: 1.5} // rewritten curves and inks
	shape  = tolerance{step: 64, soft: 0.01, hard: 0.001, mean: 2.5}   // by another renderer
	bands  = tolerance{step: 40, soft: 0.02, hard: 0.002, mean: 2}     // gradients cut into bands
)

// A difference is how two pictures of the same size compare.
type difference struct {
	soft, hard, mean float64
	most             int
}

func (d difference) within(t tolerance) bool {
	return d.soft <= t.soft && d.hard <= t.hard && d.mean <= t.mean
}

func (d difference) String() string {
	return fmt.Sprintf("mean %.2f of 255, largest %d, %.2f %% of pixels off", d.mean, d.most, d.soft*100)
}

// channel is a premultiplied channel, so that what cannot be seen does not
// count; 3 is the opacity.
func channel(img *image.NRGBA, x, y, c int) int {
	p := img.Pix[img.PixOffset(x, y):]
	if c == 3 {
		return int(p[3])
	}
	return int(p[c]) * int(p[3]) / 255
}

// compare measures how two pictures differ. Where several soft edges lie on
// top of each other, a pixel depends on the size it was drawn at; so one that
// differs is off only if it lies outside the range of the nine pixels around
// its place in the other picture, looked at both ways: a line that is missing
// in one is still found. alphaOnly looks at opacity alone.
func compare(a, b *image.NRGBA, t tolerance, alphaOnly bool) difference {
	var d difference
	w, h := a.Rect.Dx(), a.Rect.Dy()
	first := 0
	if alphaOnly {
		first = 3
	}
	sum, off, far := 0, 0, 0
	for y := range h {
		p, q := a.Pix[y*a.Stride:][:4*w], b.Pix[y*b.Stride:][:4*w]
		for x := range w {
			if *(*[4]uint8)(p[4*x:]) == *(*[4]uint8)(q[4*x:]) {
				continue
			}
			worst := 0
			for c := first; c < 4; c++ {
				e := channel(a, x, y, c) - channel(b, x, y, c)
				e = max(e, -e)
				worst = max(worst, e)
				sum += e
			}
			if worst <= t.step {
				d.most = max(d.most, worst)
				continue
			}
			worst = 0
			for c := first; c < 4; c++ {
				worst = max(worst, beyond(a, b, x, y, c), beyond(b, a, x, y, c))
			}
			d.most = max(d.most, worst)
			if worst > t.step {
				off++
			}
			if worst > 3*t.step {
				far++
			}
		}
	}
	d.soft, d.hard = float64(off)/float64(w*h), float64(far)/float64(w*h)
	d.mean = float64(sum) / float64(4*w*h)
	return d
}

// beyond is how far a channel of one pixel of img lies outside the range of
// the nine around its place in other.
func beyond(img, other *image.NRGBA, x, y, c int) int {
	lo, hi := around(other, x, y, c)
	k := channel(img, x, y, c)
	return max(0, lo-k, k-hi)
}

// reduce averages blocks of n × n pixels, weighting colours by opacity. What
// lies beyond the right and bottom edges counts as bare. With whole blocks the
// result is what drawing the art at that size gives, as coverage is exact.
func reduce(img *image.NRGBA, n int) *image.NRGBA {
	if n <= 1 {
		return img
	}
	b := img.Bounds()
	w, h := (b.Dx()+n-1)/n, (b.Dy()+n-1)/n
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	sum := make([][4]int, w)
	for y := range h {
		clear(sum)
		for v := y * n; v < min((y+1)*n, b.Dy()); v++ {
			row := img.Pix[v*img.Stride : v*img.Stride+4*b.Dx()]
			for x := range w {
				s := &sum[x]
				for i := 4 * x * n; i < min(4*(x+1)*n, len(row)); i += 4 {
					if a := int(row[i+3]); a > 0 {
						s[0] += a * int(row[i])
						s[1] += a * int(row[i+1])
						s[2] += a * int(row[i+2])
						s[3] += a
					}
				}
			}
		}
		put(out, y, sum, n)
	}
	return out
}

// put stores the sums of a row of blocks.
func put(out *image.NRGBA, y int, sum [][4]int, n int) {
	for x, s := range sum {
		if s[3] == 0 {
			continue
		}
		o := out.Pix[out.PixOffset(x, y):]
		for c := range 3 {
			o[c] = uint8((s[c] + s[3]/2) / s[3])
		}
		o[3] = uint8((s[3] + n*n/2) / (n * n))
	}
}

// over lays a picture on an opaque ground.
func over(img *image.NRGBA, ground colour.RGB) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	r, g, b := ground.Bytes()
	for i := 0; i < len(img.Pix); i += 4 {
		a := int(img.Pix[i+3])
		for c, k := range []uint8{r, g, b} {
			out.Pix[i+c] = uint8((int(img.Pix[i+c])*a + int(k)*(255-a) + 127) / 255)
		}
		out.Pix[i+3] = 255
	}
	return out
}

// lookSize is the size at which a page of the given proportions is compared.
func lookSize(w, h float64) (int, int) {
	k := lookSide / max(w, h)
	return max(1, int(math.Round(w*k))), max(1, int(math.Round(h*k)))
}

// draw renders d through a box at w × h px.
func draw(ctx context.Context, d *drawing.Drawing, box geom.Rect, w, h int) (*image.NRGBA, error) {
	return raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
}

// pressed is the art in the colours its builds show on screen, so that a file
// in process inks, or with plates, can be compared without passing through a
// profile.
func pressed(d *drawing.Drawing, press *colour.Press, ink inking) *drawing.Drawing {
	swap := func(c colour.Colour) colour.Colour {
		if ink == onPlates && len(c.Spots()) == 0 {
			return c
		}
		b, _ := c.Press()
		return colour.Screen(b.RGB())
	}
	separated := func(p *drawing.Picture) *drawing.Picture { return separated(p, press) }
	plated := func(g *drawing.Gradient) bool { _, _, ok := g.Plates(); return ok }
	if ink == onPlates {
		inPlates := func(g *drawing.Gradient) drawing.Paint {
			if plated(g) {
				return g.Recolour(swap)
			}
			return g
		}
		return d.Recolour(drawing.Recolouring{Colour: swap, Gradient: inPlates, Picture: func(p *drawing.Picture) *drawing.Picture {
			if p.Inks == nil || p.Inks.Spot.Spot == "" {
				return p
			}
			return separated(p)
		}})
	}
	return d.Recolour(drawing.Recolouring{
		Colour: swap,
		Gradient: func(g *drawing.Gradient) drawing.Paint {
			if plated(g) {
				return g.Recolour(swap)
			}
			return g.Inked(func(k []float64) colour.RGB {
				return colour.CMYK{C: k[0] * 100, M: k[1] * 100, Y: k[2] * 100, K: k[3] * 100}.RGB()
			})
		},
		Picture: separated,
	})
}

// separated is a picture in the builds that a file in process inks holds of it,
// in 8 bits a plate, as pressed shows them.
func separated(p *drawing.Picture, press *colour.Press) *drawing.Picture {
	return p.Inked(press, func(k []float64) colour.RGB {
		in := func(v float64) float64 {
			if p.Inks == nil { // proposed, and written in bytes
				v = math.Round(v*255) / 255
			}
			return v * 100
		}
		return colour.CMYK{C: in(k[0]), M: in(k[1]), Y: in(k[2]), K: in(k[3])}.RGB()
	})
}
