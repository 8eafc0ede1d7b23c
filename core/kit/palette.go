package kit

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"math"

	"dyekit/core/export/png"
	"dyekit/core/recipe"
)

// checkPalette holds a file of so many colours, 0 for any, whose palette may lose
// something to what was drawn, and says what was lost.
func checkPalette(want *recipe.Palette, colours int, got, full *image.NRGBA, cs *checks) {
	loss := png.Compare(full, got)
	if colours == 0 {
		cs.add("palette", want.Colors == 0, "none: 256 colours would be seen to lose some")
		checkSame("picture", got, full, cs)
		return
	}
	most := 256
	if n := want.Colors; n > 0 {
		most = n
	}
	cs.add("palette", colours <= most && (want.Colors > 0 || loss.Unseen()), "%d colours, ΔE00 %.2f on the mean, %.1f at most", colours, loss.Mean, loss.Most)
	if loss == (png.Loss{}) {
		checkSame("picture", got, full, cs)
		return
	}
	// That it holds what was made of the art is one thing, and that this is right another.
	cs.add("picture", bytes.Equal(png.Quantise(full, most).Pix, got.Pix), "the art in %d colours", most)
	no := misplaced(full, got)
	cs.add("palette-near", no == "", "%s", orElse(no, "each colour by the nearest one"))
}

// placeSlack is how much farther than the nearest colour of a palette the one may lie that
// stands for a colour, in steps of 255 of premultiplied channels: palettes hold straight
// bytes.
const placeSlack = 2.0

// misplaced says what is wrong with a picture whose colours became fewer: each colour has to
// become one other everywhere, no other one that is there being nearer, and each of those has
// to lie among the colours that it stands for. Empty if nothing is. It knows nothing of how
// colours are chosen.
func misplaced(full, got *image.NRGBA) string {
	to := map[uint32]uint32{}
	for y := range full.Rect.Dy() {
		p, q := full.Pix[y*full.Stride:][:4*full.Rect.Dx()], got.Pix[y*got.Stride:][:4*full.Rect.Dx()]
		for i := 0; i < len(p); i += 4 {
			a, b := binary.LittleEndian.Uint32(p[i:]), binary.LittleEndian.Uint32(q[i:])
			if a>>24 == 0 {
				a = 0
			}
			if b>>24 == 0 {
				b = 0
			}
			if k, known := to[a]; known && k != b {
				return fmt.Sprintf("the colour of %d, %d became two", i/4, y)
			}
			to[a] = b
		}
	}
	type reach struct{ low, high [4]float64 }
	palette := map[uint32]reach{}
	for a, b := range to {
		v := premultiplied(a)
		r, known := palette[b]
		for k := range v {
			if !known || v[k] < r.low[k] {
				r.low[k] = v[k]
			}
			if !known || v[k] > r.high[k] {
				r.high[k] = v[k]
			}
		}
		palette[b] = r
	}
	for b, r := range palette {
		v := premultiplied(b)
		for k := range v {
			if v[k] < r.low[k]-placeSlack || v[k] > r.high[k]+placeSlack {
				return "a colour of the palette lies beyond those that it stands for"
			}
		}
	}
	for a, b := range to {
		v, is := premultiplied(a), premultiplied(b)
		for other := range palette {
			if away(v, premultiplied(other)) < away(v, is)-placeSlack {
				return "a nearer colour of the palette was passed over"
			}
		}
	}
	return ""
}

// premultiplied is a colour of straight bytes, red lowest, times its opacity.
func premultiplied(c uint32) [4]float64 {
	a := float64(c>>24) / 255
	return [4]float64{float64(c&0xff) * a, float64(c>>8&0xff) * a, float64(c>>16&0xff) * a, float64(c >> 24)}
}

func away(a, b [4]float64) float64 {
	sum := 0.0
	for k := range a {
		sum += (a[k] - b[k]) * (a[k] - b[k])
	}
	return math.Sqrt(sum)
}
