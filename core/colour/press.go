package colour

import "math"

// Press returns the build that prints c: the declared one, or a proposal
// computed from the screen value. proposed tells which.
func (c Colour) Press() (build CMYK, proposed bool) {
	if c.Built {
		return c.Build, false
	}
	return Propose(c.RGB), true
}

// Propose computes a build from a screen colour by the formula of PDF 32000-1
// section 10.3.5, with full black generation and full undercolour removal, so
// that greys print with black alone and the total ink stays at most 300 %.
// It knows no press and no paper: it is a proposal, and the report says so.
func Propose(c RGB) CMYK {
	r, g, b := min(1, max(0, c.R)), min(1, max(0, c.G)), min(1, max(0, c.B))
	k := 1 - max(r, g, b)
	if k > 0.9999 {
		return CMYK{K: 100}
	}
	// Undercolour removal scaled to the light that is left keeps hues
	// saturated in the shadows.
	part := func(v float64) float64 { return math.Round((1-k-v)/(1-k)*1000) / 10 }
	return CMYK{part(r), part(g), part(b), math.Round(k*1000) / 10}
}

// RGB shows a build on screen by the reverse formula (PDF 32000-1 section
// 10.3.3, in its multiplying form, which is the exact inverse of Propose).
func (b CMYK) RGB() RGB {
	k := 1 - b.K/100
	return RGB{(1 - b.C/100) * k, (1 - b.M/100) * k, (1 - b.Y/100) * k}
}

// Total is the total ink in percent.
func (b CMYK) Total() float64 { return b.C + b.M + b.Y + b.K }

// NoInk reports whether the build leaves the paper bare.
func (b CMYK) NoInk() bool { return b == CMYK{} }
