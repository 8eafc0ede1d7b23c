package proof

import (
	"errors"
	"image"

	"dyekit/core/colour"
)

// A Difference is how two pictures of one size look beside each other, in
// ΔE00, where bare pixels count on white and on black, whichever is worse.
type Difference struct {
	Mean float64 // of the pixels that are painted in either
	Most float64
	At   image.Point // where that is
	Seen float64     // share of the painted pixels that differ by 1 or more
	// Map is dark where nothing differs and light where most does: 255 is a
	// ΔE00 of ten or more.
	Map *image.Gray
}

// Compare holds two pictures to each other.
func Compare(a, b *image.NRGBA) (Difference, error) {
	if a.Rect.Size() != b.Rect.Size() {
		return Difference{}, errors.New("the pictures have different sizes")
	}
	w, h := a.Rect.Dx(), a.Rect.Dy()
	d := Difference{Map: image.NewGray(image.Rect(0, 0, w, h))}
	memo := map[[8]uint8]float64{}
	sum, painted, seen := 0.0, 0, 0
	for y := range h {
		p, q := a.Pix[y*a.Stride:], b.Pix[y*b.Stride:]
		for x := range w {
			s, t := p[4*x:4*x+4], q[4*x:4*x+4]
			if s[3] == 0 && t[3] == 0 {
				continue
			}
			painted++
			if [4]uint8(s) == [4]uint8(t) {
				continue
			}
			k := [8]uint8{s[0], s[1], s[2], s[3], t[0], t[1], t[2], t[3]}
			e, ok := memo[k]
			if !ok {
				e = look(s, t)
				memo[k] = e
			}
			sum += e
			if e >= 1 {
				seen++
			}
			if e > d.Most {
				d.Most, d.At = e, image.Pt(x, y)
			}
			d.Map.Pix[y*d.Map.Stride+x] = uint8(min(255, e*25.5))
		}
	}
	if painted > 0 {
		d.Mean, d.Seen = sum/float64(painted), float64(seen)/float64(painted)
	}
	return d, nil
}

// look is the difference of two pixels on the worse of white and black.
func look(p, q []uint8) float64 {
	worst := 0.0
	for _, ground := range []colour.RGB{colour.White, colour.Black} {
		on := func(p []uint8) colour.Lab {
			return colour.FromBytes(p[0], p[1], p[2]).Over(ground, float64(p[3])/255).Lab()
		}
		worst = max(worst, colour.Difference(on(p), on(q)))
	}
	return worst
}
