package kit

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // reads the head of what it did not write
	"math"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/core/t81"
	"dyekit/core/t81/blocks"
)

// checkJPEG opens a JPEG again and holds it to what was drawn: each coefficient of
// each block is off by half a step of the file's own tables and no more (ITU-T
// T.81, A.3.4). Its head is read by the standard library, its blocks by package
// blocks, which reads photographs and did not write the file; nothing has to be
// drawn of it.
func (j *job) checkJPEG(ctx context.Context, f recipe.File, px pixels, data []byte, cs *checks) error {
	head, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return err
	}
	ppi, err := resolution(data)
	if err != nil {
		return err
	}
	l := lossy{cmyk: head.ColorModel == color.CMYKModel}
	if px.press != nil {
		l.pix, l.stride, l.w, l.h = px.press.Pix, px.press.Stride, px.press.Rect.Dx(), px.press.Rect.Dy()
	} else {
		p := px.screen[0]
		l.pix, l.stride, l.w, l.h = p.Pix, p.Stride, p.Rect.Dx(), p.Rect.Dy()
	}
	e := f.Entry
	cs.add("opens", kind == string(e.Format), "%s", kind)
	cs.add("pixel-size", head.Width == f.W && head.Height == f.H, "%d × %d px", head.Width, head.Height)
	if !e.Kind().Unscaled {
		cs.add("resolution", math.Abs(ppi-f.PPI) < 0.02, "%.2f ppi", ppi)
	}
	if head.Width != f.W || head.Height != f.H || head.Width != l.w || head.Height != l.h {
		return nil
	}
	if e.ColourSpace() == format.CMYK {
		cs.add("ink-space", l.cmyk, "%s", space(head.ColorModel))
		cs.add("profile", bytes.Equal(profileOfJPEG(data), icc.Press(j.press(e))), "%s", j.press(e).Name)
	} else {
		cs.add("ink-space", !l.cmyk, "%s", space(head.ColorModel))
	}
	if l.cmyk != (px.press != nil) {
		return nil
	}
	cs.add("transparency", px.press != nil || px.screen[0].Opaque(), "%s", opacity(true))
	if err := l.check(data, cs); err != nil {
		return err
	}
	return j.checkDrawn(ctx, f, px, cs)
}

// A lossy is what was drawn, four bytes a pixel, beside the blocks of a file.
type lossy struct {
	pix    []uint8
	stride int
	w, h   int // px
	cmyk   bool
	off    int // blocks that are too far from what was drawn

	x, y int // the block at hand
	even bool
	want [4][64]float64 // its coefficients, row by row; of an even one the first
	last [4]uint8
	is   [4]float64 // samples of last
}

// check reads the blocks.
func (l *lossy) check(data []byte, cs *checks) error {
	l.x = -1
	samples, adobe := 3, -1 // JFIF: luma and chroma
	if l.cmyk {
		samples, adobe = 4, 0 // common practice: inks as they are, inverted
	}
	errOther := errors.New("its samples are not those that are written here")
	p, err := blocks.Visit(data, func(f *blocks.File, c, x, y int, b *[64]int16, set uint64) error {
		if x == 0 && y == 0 {
			if k := f.Components[c]; len(f.Components) != samples || f.Adobe != adobe || k.H != 1 || k.V != 1 {
				return errOther
			}
		}
		if x != l.x || y != l.y {
			l.block(x, y)
		}
		if !l.near(c, &f.Components[c].Quant, b, set) {
			l.off++
		}
		return nil
	})
	switch {
	case errors.Is(err, errOther):
		cs.add("picture", false, "%v", err)
		return nil
	case err != nil:
		return err
	}
	cs.add("picture", l.off == 0 && p.Behind == 0, "%s", l.found(p.Behind))
	return nil
}

// block makes ready what is wanted of the block in column x of row y.
func (l *lossy) block(x, y int) {
	l.x, l.y = x, y
	at := 8*y*l.stride + 32*x
	whole := 8*x+8 <= l.w && 8*y+8 <= l.h
	if l.even = whole && uniform(l.pix[at:], l.stride); l.even {
		for c, v := range l.samples([4]uint8(l.pix[at:])) {
			l.want[c][0] = 8 * v // A.3.3 of one value
		}
		return
	}
	for v := range 8 {
		row := l.pix[min(8*y+v, l.h-1)*l.stride:] // behind the border comes its last pixel again
		for u := range 8 {
			k := l.samples([4]uint8(row[4*min(8*x+u, l.w-1):]))
			for c := range l.want {
				l.want[c][8*v+u] = k[c]
			}
		}
	}
	for c := range l.want {
		t81.Forward(&l.want[c])
	}
}

// rounding is how far a coefficient may be off beside half a step: what the digits
// of JFIF's own numbers leave over 64 pixels, and no more.
const rounding = 0.01

// near reports whether a block of component c is within half a step of what is
// wanted.
func (l *lossy) near(c int, q *[64]int32, b *[64]int16, set uint64) bool {
	want := &l.want[c]
	if l.even {
		// Where nothing is wanted any number is a whole step off.
		return set&^1 == 0 && math.Abs(float64(int32(b[0])*q[0])-want[0]) <= float64(q[0])/2+rounding
	}
	for i, z := range t81.Zigzag {
		if math.Abs(float64(int32(b[i])*q[i])-want[z]) > float64(q[i])/2+rounding {
			return false
		}
	}
	return true
}

func (l *lossy) found(behind int) string {
	switch {
	case l.off > 0:
		return fmt.Sprintf("%d blocks of 8 × 8 px are further from what was drawn than the file's own tables allow", l.off)
	case behind > 0:
		return fmt.Sprintf("%d bytes follow the picture", behind)
	}
	return "every block as near to what was drawn as the file's own tables allow"
}

// samples are those of a pixel, from −128 to 127: luma and chroma (JFIF 1.02: CCIR
// 601 with 256 levels), or inks, inverted.
func (l *lossy) samples(q [4]uint8) [4]float64 {
	if q == l.last && l.is != ([4]float64{}) {
		return l.is
	}
	l.last = q
	if l.cmyk {
		for c, v := range q {
			l.is[c] = 127 - float64(v)
		}
		return l.is
	}
	r, g, b := float64(q[0]), float64(q[1]), float64(q[2])
	l.is = [4]float64{colour.BT601.Of(r, g, b) - 128, -0.168736*r - 0.331264*g + 0.5*b, 0.5*r - 0.418688*g - 0.081312*b}
	return l.is
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
