package kit

import (
	"errors"
	"image"
	"math"

	"dyekit/core/colour"
)

// checkJPEG holds a JPEG to what was drawn: each coefficient of each block may
// be off by half a step of the file's own tables and no more (ITU-T T.81,
// A.3.4), and by what rounding pixels to 8 bits adds.
func checkJPEG(img image.Image, px pixels, data []byte, cs *checks) error {
	tables, err := quantisation(data)
	if err != nil {
		return err
	}
	var planes []plane
	switch p := img.(type) {
	case *image.YCbCr:
		if p.SubsampleRatio != image.YCbCrSubsampleRatio444 {
			cs.add("picture", false, "its colours are kept at less than full size")
			return nil
		}
		src := px.screen[0]
		for c, pix := range [][]uint8{p.Y, p.Cb, p.Cr} {
			stride := p.YStride
			if c > 0 {
				stride = p.CStride
			}
			t := tables[0]
			if c > 0 {
				t = tables[1]
			}
			planes = append(planes, plane{t, func(x, y int) float64 { return float64(pix[y*stride+x]) }, func(x, y int) float64 {
				q := src.Pix[src.PixOffset(x, y):]
				return ycc(c, float64(q[0]), float64(q[1]), float64(q[2]))
			}})
		}
	case *image.CMYK:
		if px.press == nil {
			cs.add("picture", false, "it holds process inks")
			return nil
		}
		for c := range 4 {
			planes = append(planes, plane{tables[0],
				func(x, y int) float64 { return float64(p.Pix[p.PixOffset(x, y)+c]) },
				func(x, y int) float64 { return float64(px.press.Pix[px.press.PixOffset(x, y)+c]) }})
		}
	default:
		cs.add("picture", false, "it holds neither colours nor process inks")
		return nil
	}
	b := img.Bounds()
	off := 0
	for y := 0; y < b.Dy(); y += 8 {
		for x := 0; x < b.Dx(); x += 8 {
			for _, p := range planes {
				if !p.allowed(x, y, min(8, b.Dx()-x), min(8, b.Dy()-y)) {
					off++
					break
				}
			}
		}
	}
	if off > 0 {
		cs.add("picture", false, "%d blocks of 8 × 8 px are further from what was drawn than the file's own tables allow", off)
		return nil
	}
	cs.add("picture", true, "every block as near to what was drawn as the file's own tables allow")
	return nil
}

// ycc is one channel of a colour (JFIF 1.02: CCIR 601 with 256 levels).
func ycc(c int, r, g, b float64) float64 {
	switch c {
	case 0:
		return colour.BT601.Of(r, g, b)
	case 1:
		return -0.168736*r - 0.331264*g + 0.5*b + 128
	}
	return 0.5*r - 0.418688*g - 0.081312*b + 128
}

// A plane is one channel: the table it was quantised with, what was read back
// and what was drawn.
type plane struct {
	table     *[64]int // in order of rows
	got, want func(x, y int) float64
}

// noise is how far a coefficient may move when 64 pixels are rounded by half a
// step each, as they are when a block is decoded and once more in the reader's
// own arithmetic: far less than this but in a flat block, where all go the same
// way.
const noise = 8

// allowed reports whether the block at x, y is as near as its table allows.
func (p plane) allowed(x, y, w, h int) bool {
	var diff [64]float64
	whole := w == 8 && h == 8
	most, sum := 0.0, 0.0
	for v := range h {
		for u := range w {
			g := p.got(x+u, y+v)
			d := g - p.want(x+u, y+v)
			diff[8*v+u] = d
			most = max(most, math.Abs(d))
			sum += d * d
			if g == 0 || g == 255 {
				whole = false // what went past the ends was cut: coefficients move
			}
		}
	}
	if most <= 1 {
		return true
	}
	if !whole {
		// Cutting brings pixels nearer to what was drawn, so the error's energy
		// is at most that of all coefficients half a step off (Parseval).
		bound := 0.0
		for _, q := range p.table {
			bound += float64(q*q) / 4
		}
		return math.Sqrt(sum) <= math.Sqrt(bound)+noise
	}
	for i, f := range forward(&diff) {
		if math.Abs(f) > float64(p.table[i])/2+noise {
			return false
		}
	}
	return true
}

// waves[k][n] is the nth sample of the kth wave of the transform (T.81, A.3.3).
var waves = func() (w [8][8]float64) {
	for k := range w {
		c := 0.5
		if k == 0 {
			c = math.Sqrt(0.125)
		}
		for n := range w[k] {
			w[k][n] = c * math.Cos(float64(2*n+1)*float64(k)*math.Pi/16)
		}
	}
	return w
}()

func forward(b *[64]float64) (f [64]float64) {
	var rows [64]float64
	for y := range 8 {
		for k := range 8 {
			for n := range 8 {
				rows[8*y+k] += waves[k][n] * b[8*y+n]
			}
		}
	}
	for x := range 8 {
		for k := range 8 {
			for n := range 8 {
				f[8*k+x] += waves[k][n] * rows[8*n+x]
			}
		}
	}
	return f
}

// zigzag is where the coefficients of a table stand, in order of rows (T.81,
// figure A.6).
var zigzag = [64]int{
	0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21, 28,
	35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
}

// quantisation reads the tables of a JPEG, of 8-bit steps; the second is the
// first where there is one alone.
func quantisation(data []byte) (t [2]*[64]int, err error) {
	for at := 2; at+4 <= len(data) && data[at] == 0xff && data[at+1] != 0xda; {
		n := int(data[at+2])<<8 | int(data[at+3])
		if at+2+n > len(data) || n < 2 {
			break
		}
		for body := data[at+4 : at+2+n]; data[at+1] == 0xdb && len(body) >= 65; body = body[65:] {
			if body[0] > 1 {
				return t, errors.New("it has quantisation tables that are not written here")
			}
			k := new([64]int)
			for i, q := range body[1:65] {
				k[zigzag[i]] = int(q)
			}
			t[body[0]] = k
		}
		at += 2 + n
	}
	if t[0] == nil {
		return t, errors.New("it has no quantisation table")
	}
	if t[1] == nil {
		t[1] = t[0]
	}
	return t, nil
}
