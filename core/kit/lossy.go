package kit

import (
	"encoding/binary"
	"errors"
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/t81"
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
	src := blocks{channels: colourOf}
	if px.press != nil {
		src.pix, src.stride, src.channels = px.press.Pix, px.press.Stride, inksOf
	} else {
		src.pix, src.stride = px.screen[0].Pix, px.screen[0].Stride
	}
	off := 0
	for y := 0; y < h; y += 8 {
		for x := 0; x < w; x += 8 {
			if !src.allowed(planes, x, y, min(8, w-x), min(8, h-y)) {
				off++
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

// A plane is one channel: the table it was quantised with, and what was read
// back.
type plane struct {
	table        *[64]int // in order of rows
	pix          []uint8
	stride, step int
}

// A blocks is what was drawn, four bytes a pixel; channels turns them into those
// of the file.
type blocks struct {
	pix      []uint8
	stride   int
	channels func(q [4]uint8) [4]float64
	last     [4]uint8
	is       [4]float64 // of last
	want     [4][64]float64
}

func colourOf(q [4]uint8) (v [4]float64) {
	for c := range 3 {
		v[c] = ycc(c, float64(q[0]), float64(q[1]), float64(q[2]))
	}
	return v
}

func inksOf(q [4]uint8) [4]float64 {
	return [4]float64{float64(q[0]), float64(q[1]), float64(q[2]), float64(q[3])}
}

func (b *blocks) of(q [4]uint8) [4]float64 {
	if q != b.last || b.is == ([4]float64{}) {
		b.last, b.is = q, b.channels(q)
	}
	return b.is
}

// allowed reports whether the block at x, y is near enough in every plane.
func (b *blocks) allowed(planes []plane, x, y, w, h int) bool {
	if w == 8 && h == 8 && b.even(planes, x, y) {
		return true
	}
	for v := range h {
		row := b.pix[(y+v)*b.stride+4*x:]
		for u := range w {
			k := b.of([4]uint8(row[4*u:]))
			for c := range planes {
				b.want[c][8*v+u] = k[c]
			}
		}
	}
	for c := range planes {
		if !planes[c].allowed(&b.want[c], x, y, w, h) {
			return false
		}
	}
	return true
}

// even reports whether a block of one colour came back as one of one colour, off
// by rounding alone: most blocks of flat art do.
func (b *blocks) even(planes []plane, x, y int) bool {
	if !uniform(b.pix[y*b.stride+4*x:], b.stride) {
		return false
	}
	want := b.of([4]uint8(b.pix[y*b.stride+4*x:]))
	if p := &planes[0]; p.step == 4 && !uniform(p.pix[y*p.stride+4*x:], p.stride) {
		return false // four planes that lie in one another
	}
	for c := range planes {
		p := &planes[c]
		block := p.pix[y*p.stride+x*p.step:]
		if math.Abs(float64(block[0])-want[c]) > 1 {
			return false
		}
		if p.step == 1 {
			one := uint64(block[0]) * 0x0101010101010101
			for v := range 8 {
				if binary.LittleEndian.Uint64(block[v*p.stride:]) != one {
					return false
				}
			}
		}
	}
	return true
}

// uniform reports whether the 8 × 8 pixels of four bytes at the beginning of pix
// are one.
func uniform(pix []uint8, stride int) bool {
	two := uint64(binary.LittleEndian.Uint32(pix)) * (1<<32 + 1)
	for v := range 8 {
		row := pix[v*stride:][:32]
		for ; len(row) >= 8; row = row[8:] {
			if binary.LittleEndian.Uint64(row) != two {
				return false
			}
		}
	}
	return true
}

// noise is how far a coefficient may move when 64 pixels are rounded by half a
// step each, as they are when a block is decoded and once more in the reader's
// own arithmetic: far less than this but in a flat block, where all go the same
// way.
const noise = 8

// allowed reports whether the block at x, y is as near to what is wanted as its
// table allows.
func (p *plane) allowed(want *[64]float64, x, y, w, h int) bool {
	var diff [64]float64
	whole := w == 8 && h == 8
	most, sum := 0.0, 0.0
	for v := range h {
		got := p.pix[(y+v)*p.stride+x*p.step:]
		for u := range w {
			g := got[u*p.step]
			d := float64(g) - want[8*v+u]
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
	t81.Forward(&diff)
	for i, f := range diff {
		if math.Abs(f) > float64(p.table[i])/2+noise {
			return false
		}
	}
	return true
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
				k[t81.Zigzag[i]] = int(q)
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
