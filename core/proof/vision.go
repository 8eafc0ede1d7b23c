package proof

import (
	"image"
	"math"

	"dyekit/core/colour"
)

// A Vision is a way of seeing colours.
type Vision struct {
	Key, Name string
	m         [9]float64 // on linear sRGB
}

// Visions are the three kinds of dichromacy. Matrices: Machado, Oliveira and
// Fernandes, A Physiologically-based Model for Simulation of Color Vision
// Deficiency, IEEE TVCG 15(6), 2009, severity 1.0.
var Visions = []Vision{
	{"protan", "without the long cones (red)", [9]float64{0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998}},
	{"deutan", "without the middle cones (green)", [9]float64{0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881}},
	{"tritan", "without the short cones (blue)", [9]float64{1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900}},
}

// See is a colour as it is seen so.
func (v Vision) See(c colour.RGB) colour.RGB {
	r, g, b := colour.Linear(c.R), colour.Linear(c.G), colour.Linear(c.B)
	row := func(i int) float64 { return colour.Encoded(v.m[i]*r + v.m[i+1]*g + v.m[i+2]*b) }
	return colour.RGB{R: row(0), G: row(3), B: row(6)}
}

// Picture is a picture as it is seen so; opacity stays.
func (v Vision) Picture(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	memo := map[[3]uint8][3]uint8{}
	for i := 0; i < len(img.Pix); i += 4 {
		k := [3]uint8(img.Pix[i : i+3])
		c, ok := memo[k]
		if !ok {
			c[0], c[1], c[2] = v.See(colour.FromBytes(k[0], k[1], k[2])).Bytes()
			memo[k] = c
		}
		copy(out.Pix[i:], c[:])
		out.Pix[i+3] = img.Pix[i+3]
	}
	return out
}

// A Pair is two colours and how far apart they look.
type Pair struct {
	A, B       colour.RGB
	Difference float64 // ΔE00
}

// Nearest is the pair of colours that comes nearest when seen so, of those
// that stand apart for other eyes; ok is false if none does.
func (v Vision) Nearest(cs []colour.RGB) (p Pair, ok bool) {
	p.Difference = math.Inf(1)
	for i, a := range cs {
		for _, b := range cs[:i] {
			if colour.Difference(a.Lab(), b.Lab()) < apart {
				continue
			}
			if d := colour.Difference(v.See(a).Lab(), v.See(b).Lab()); d < p.Difference {
				p, ok = Pair{a, b, d}, true
			}
		}
	}
	return p, ok
}

// apart is the ΔE00 from which two colours are told apart at a glance (common
// practice).
const apart = 10
