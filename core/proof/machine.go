package proof

import (
	"context"
	"image"
	"image/color"
	"math"
	"slices"
	"sync"
)

// bits is a picture of black on white, one bit a pixel.
func bits(on []bool, w, h int) *image.Paletted {
	img := image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{color.Gray{255}, color.Gray{0}})
	for i, x := range on {
		if x {
			img.Pix[i] = 1
		}
	}
	return img
}

// Resolutions of a fax, in dots per inch (ITU-T T.4, as inch-based machines
// round it).
const (
	FaxAcross = 204
	FaxDown   = 98  // standard
	FaxFine   = 196 // fine
)

// Fax is what a fax sends of art that is mm wide on white paper: each dot is
// black where more than half of its brightness is missing. The pixels of a
// standard fax are taller than wide; the picture has them as they are sent.
func Fax(ctx context.Context, a Art, mm float64, fine bool) (*image.Paletted, error) {
	down := float64(FaxDown)
	if fine {
		down = FaxFine
	}
	w, h, err := a.size(mm, FaxAcross, down)
	if err != nil {
		return nil, err
	}
	return dark(ctx, a, w, h)
}

// AsReceived is a standard fax with each line twice, as the receiver prints it:
// dots there are about as wide as two lines are high.
func AsReceived(sent *image.Paletted) *image.Paletted {
	w, h := sent.Rect.Dx(), sent.Rect.Dy()
	out := image.NewPaletted(image.Rect(0, 0, w, 2*h), sent.Palette)
	for y := range 2 * h {
		copy(out.Pix[y*out.Stride:], sent.Pix[y/2*sent.Stride:][:w])
	}
	return out
}

// dark is where the art is darker than half.
func dark(ctx context.Context, a Art, w, h int) (*image.Paletted, error) {
	on, err := inked(ctx, a, w, h)
	if err != nil {
		return nil, err
	}
	return bits(on, w, h), nil
}

func inked(ctx context.Context, a Art, w, h int) ([]bool, error) {
	v, err := a.luma(ctx, w, h)
	if err != nil {
		return nil, err
	}
	on := make([]bool, len(v))
	for i := range v {
		on[i] = v[i] < 0.5
	}
	return on, nil
}

// machineDPI is the resolution at which machines with ink are looked at.
const machineDPI = 600

// A photocopier's lens spreads light and its drum favours black and white; a
// copy of a copy does so twice (common practice, no standard).
const (
	copyDPI    = 400
	copySpread = 0.06 // mm, the standard deviation
	copySteep  = 2.6  // contrast of one generation
)

// Photocopy is the copy of a copy of art that is mm wide.
func Photocopy(ctx context.Context, a Art, mm float64) (*image.Gray, error) {
	w, h, err := a.size(mm, copyDPI, copyDPI)
	if err != nil {
		return nil, err
	}
	v, err := a.luma(ctx, w, h)
	if err != nil {
		return nil, err
	}
	for range 2 {
		v = blurred(v, w, h, copySpread/inch*copyDPI)
		for i := range v {
			v[i] = min(1, max(0, (v[i]-0.5)*copySteep+0.5))
		}
	}
	return grey(v, w, h), nil
}

// blurred spreads brightness by a Gaussian; outside is white paper.
func blurred(v []float64, w, h int, sigma float64) []float64 {
	n := int(math.Ceil(3 * sigma))
	k := make([]float64, 2*n+1)
	sum := 0.0
	for i := range k {
		x := float64(i - n)
		k[i] = math.Exp(-x * x / (2 * sigma * sigma))
		sum += k[i]
	}
	pass := func(src []float64, size, step, count, skip int) []float64 {
		out := make([]float64, len(src))
		for line := range count {
			base := line * skip
			for i := range size {
				s := 0.0
				for j, kv := range k {
					p := 1.0
					if q := i + j - n; q >= 0 && q < size {
						p = src[base+q*step]
					}
					s += kv * p
				}
				out[base+i*step] = s / sum
			}
		}
		return out
	}
	return pass(pass(v, w, 1, h, w), h, w, w, 1)
}

// stampSpread is how far ink creeps beyond a rubber stamp's edge, in mm
// (common practice: fine gaps below 0.3 mm close).
const stampSpread = 0.12

// Stamp is the print of a rubber stamp that is mm wide: ink creeps over its
// edges and closes fine gaps.
func Stamp(ctx context.Context, a Art, mm float64) (*image.Paletted, error) {
	w, h, err := a.size(mm, machineDPI, machineDPI)
	if err != nil {
		return nil, err
	}
	on, err := inked(ctx, a, w, h)
	if err != nil {
		return nil, err
	}
	// Distances run from the middle of a pixel, half a pixel within its edge.
	return bits(grown(on, w, h, stampSpread/inch*machineDPI+0.5), w, h), nil
}

// thread is the thinnest line that can be sewn, in mm (common practice: a
// satin stitch of 1 mm).
const thread = 1.0

// Sewn is art that is mm wide in thread: what is thinner than a stitch is
// gone. Lost is the share of the ink that is.
func Sewn(ctx context.Context, a Art, mm float64) (img *image.Paletted, lost float64, err error) {
	const dpi = machineDPI / 2
	w, h, err := a.size(mm, dpi, dpi)
	if err != nil {
		return nil, 0, err
	}
	on, err := inked(ctx, a, w, h)
	if err != nil {
		return nil, 0, err
	}
	// A line of n px has its middle n/2 px from the nearest bare pixel's
	// middle, half a pixel beyond its edge.
	left := opened(on, w, h, thread/2/inch*dpi-0.5)
	had, has := 0, 0
	for i := range on {
		if on[i] {
			had++
			if left[i] {
				has++
			}
		}
	}
	if had > 0 {
		lost = 1 - float64(has)/float64(had)
	}
	return bits(left, w, h), lost, nil
}

// Newsprint: a screen of 85 lines an inch at 45°, dots that grow by 26 % in
// the middle, on grey paper (common practice; the gain is ISO 12647-3's, from
// memory).
const (
	newsScreen = 85.0
	newsGain   = 0.26
	newsPaper  = 0.84 // brightness
	newsInk    = 0.18
)

// Newsprint is art that is mm wide in black on newspaper.
func Newsprint(ctx context.Context, a Art, mm float64) (*image.Gray, error) {
	w, h, err := a.size(mm, machineDPI, machineDPI)
	if err != nil {
		return nil, err
	}
	v, err := a.luma(ctx, w, h)
	if err != nil {
		return nil, err
	}
	k := 2 * math.Pi * newsScreen / machineDPI / math.Sqrt2
	for i := range v {
		x, y := float64(i%w), float64(i/w)
		c := 1 - v[i]
		c += 4 * newsGain * c * (1 - c) // the usual parabola of dot gain
		// A dot of the screen: 0 in its middle, 1 where four meet.
		dot := 0.5 - 0.25*(math.Cos(k*(x+y))+math.Cos(k*(x-y)))
		v[i] = newsPaper
		if spot(dot) < c {
			v[i] = newsInk
		}
	}
	return grey(v, w, h), nil
}

// spot turns the screen's wave into shares: as much of the paper lies below
// spot(x) as that value says. The wave's values are spread like the sum of two
// cosines; this is their distribution, from a table made once.
func spot(x float64) float64 {
	t := spots()
	f := min(1, max(0, x)) * float64(len(t)-1)
	i := min(len(t)-2, int(f))
	return t[i] + (t[i+1]-t[i])*(f-float64(i))
}

// spots is the distribution of a screen's wave, sampled.
var spots = sync.OnceValue(func() []float64 {
	const n = 400
	var all []float64
	for y := range n {
		for x := range n {
			a, b := 2*math.Pi*(float64(x)+0.5)/n, 2*math.Pi*(float64(y)+0.5)/n
			all = append(all, 0.5-0.25*(math.Cos(a)+math.Cos(b)))
		}
	}
	slices.Sort(all)
	out := make([]float64, 257)
	for i := range out {
		k, _ := slices.BinarySearch(all, float64(i)/256)
		out[i] = float64(k) / float64(len(all))
	}
	return out
})
