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
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	var planes []plane
	switch p := img.(type) {
	case *image.YCbCr:
		if p.SubsampleRatio != image.YCbCrSubsampleRatio444 {
			cs.add("picture", false, "its colours are kept at less than full size")
			return nil
		}
		planes = []plane{{table: tables[0], pix: p.Y, stride: p.YStride, step: 1}, {table: tables[1], pix: p.Cb, stride: p.CStride, step: 1}, {table: tables[1], pix: p.Cr, stride: p.CStride, step: 1}}
	case *image.CMYK:
		if px.press == nil {
			cs.add("picture", false, "it holds process inks")
			return nil
		}
		for c := range 4 {
			planes = append(planes, plane{table: tables[0], pix: p.Pix[c:], stride: p.Stride, step: 4})
		}
	default:
		cs.add("picture", false, "it holds neither colours nor process inks")
		return nil
	}
	for i := range planes {
		planes[i].want = make([]float64, 8*w)
	}
	off := 0
	for y := 0; y < h; y += 8 {
		high := min(8, h-y)
		if px.press != nil {
			inksOf(px.press, y, high, planes)
		} else {
			coloursOf(px.screen[0], y, high, planes)
		}
		for x := 0; x < w; x += 8 {
			for i := range planes {
				if !planes[i].allowed(x, y, min(8, w-x), high) {
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

// A plane is one channel: the table it was quantised with, what was read back,
// and of the eight rows at hand what was drawn.
type plane struct {
	table        *[64]int // in order of rows
	pix          []uint8
	stride, step int
	want         []float64
}

// coloursOf fills the planes with so many rows of a picture from y on.
func coloursOf(img *image.NRGBA, y, rows int, planes []plane) {
	w := img.Rect.Dx()
	var last [3]uint8
	v := [3]float64{0, 128, 128} // of black
	for r := range rows {
		src := img.Pix[(y+r)*img.Stride:]
		for x := range w {
			if q := [3]uint8(src[4*x:]); q != last {
				last = q
				for c := range v {
					v[c] = ycc(c, float64(q[0]), float64(q[1]), float64(q[2]))
				}
			}
			planes[0].want[r*w+x], planes[1].want[r*w+x], planes[2].want[r*w+x] = v[0], v[1], v[2]
		}
	}
}

// inksOf is coloursOf for process inks.
func inksOf(img *image.CMYK, y, rows int, planes []plane) {
	w := img.Rect.Dx()
	for r := range rows {
		src := img.Pix[(y+r)*img.Stride:]
		for x := range w {
			for c := range planes {
				planes[c].want[r*w+x] = float64(src[4*x+c])
			}
		}
	}
}

// noise is how far a coefficient may move when 64 pixels are rounded by half a
// step each, as they are when a block is decoded and once more in the reader's
// own arithmetic: far less than this but in a flat block, where all go the same
// way.
const noise = 8

// allowed reports whether the block at x, y is as near as its table allows.
func (p *plane) allowed(x, y, w, h int) bool {
	var diff [64]float64
	whole := w == 8 && h == 8
	most, sum := 0.0, 0.0
	across := len(p.want) / 8
	for v := range h {
		got, want := p.pix[(y+v)*p.stride+x*p.step:], p.want[v*across+x:]
		for u := range w {
			g := got[u*p.step]
			d := float64(g) - want[u]
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
