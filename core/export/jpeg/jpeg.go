// Package jpeg writes baseline JPEG (ITU-T T.81): YCbCr with JFIF 1.02, or
// CMYK with the Adobe marker, never subsampled, so that flat art keeps its
// edges. JPEG has no transparency: pictures are laid on a backing first.
package jpeg

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math"

	"dyekit/core/colour"
	"dyekit/core/t81"
)

// Options of a file.
type Options struct {
	Quality int     // 1 to 100; 0 stands for 90
	PPI     float64 // kept as dots per inch; 0 for none
	Profile []byte  // ICC, or nil
}

// MaxSide is the longest side a frame header can hold.
const MaxSide = 65535

// EncodeRGB writes an opaque sRGB picture; opacity in img is ignored.
func EncodeRGB(dst io.Writer, img *image.NRGBA, o Options) error {
	b := img.Bounds()
	return encode(dst, img.Pix, img.Stride, b.Dx(), b.Dy(), 3, o, func(p []uint8, v *[4]float64) {
		r, g, bl := float64(p[0]), float64(p[1]), float64(p[2])
		// JFIF 1.02: full-range ITU-R BT.601.
		v[0] = colour.BT601.Of(r, g, bl)
		v[1] = -0.168735892*r - 0.331264108*g + 0.5*bl + 128
		v[2] = 0.5*r - 0.418687589*g - 0.081312411*bl + 128
	})
}

// EncodeCMYK writes a CMYK picture. Values are stored inverted and untouched
// by a colour transform, as the Adobe marker with transform 0 says.
func EncodeCMYK(dst io.Writer, img *image.CMYK, o Options) error {
	b := img.Bounds()
	return encode(dst, img.Pix, img.Stride, b.Dx(), b.Dy(), 4, o, func(p []uint8, v *[4]float64) {
		for i := range 4 {
			v[i] = float64(255 - p[i])
		}
	})
}

// encode writes n components; pixel turns the four bytes of a pixel into
// samples from 0 to 255.
func encode(dst io.Writer, pix []uint8, stride, w, h, n int, o Options, pixel func(p []uint8, v *[4]float64)) error {
	if w < 1 || h < 1 || w > MaxSide || h > MaxSide {
		return fmt.Errorf("a JPEG of %d × %d px cannot be: each side is between 1 and %d px", w, h, MaxSide)
	}
	if o.Quality == 0 {
		o.Quality = 90
	}
	if o.Quality < 1 || o.Quality > 100 {
		return fmt.Errorf("JPEG quality %d is not between 1 and 100", o.Quality)
	}
	e := &encoder{out: bufio.NewWriter(dst)}
	e.tables(o.Quality)
	e.headers(w, h, n, o)
	var prev [4]int
	var block [4][64]float64
	var v [4]float64
	for by := 0; by < h; by += 8 {
		for bx := 0; bx < w; bx += 8 {
			flat := flatBlock(pix, stride, w, h, bx, by)
			if flat { // most blocks of a mark: one colour, no transform
				pixel(pix[by*stride+4*bx:], &v)
			} else {
				for i := range 64 {
					x, y := min(w-1, bx+i%8), min(h-1, by+i/8)
					pixel(pix[y*stride+4*x:], &v)
					for c := range n {
						block[c][i] = v[c] - 128
					}
				}
			}
			for c := range n {
				t := 0
				if n == 3 && c > 0 {
					t = 1
				}
				if flat {
					prev[c] = e.dc(int(math.Round((v[c]-128)*8/float64(e.quant[t][0]))), t, prev[c])
					e.code(2*t+1, 0)
				} else {
					prev[c] = e.block(&block[c], t, prev[c])
				}
			}
		}
	}
	e.bits(0x7f, 7) // fill the last byte with ones
	e.out.WriteString("\xff\xd9")
	return e.out.Flush()
}

// flatBlock reports whether the 8 × 8 block at (bx, by) is of one colour.
func flatBlock(pix []uint8, stride, w, h, bx, by int) bool {
	first := binary.LittleEndian.Uint32(pix[by*stride+4*bx:])
	for y := by; y < min(h, by+8); y++ {
		row := pix[y*stride+4*bx : y*stride+4*min(w, bx+8)]
		for ; len(row) >= 4; row = row[4:] {
			if binary.LittleEndian.Uint32(row) != first {
				return false
			}
		}
	}
	return true
}

type encoder struct {
	out   *bufio.Writer
	quant [2][64]int // natural order
	codes [4][256]t81.Code
	acc   uint32
	n     uint
}

func (e *encoder) tables(quality int) {
	// The tables of T.81 annex K.1, scaled by quality as is usual: 50
	// leaves them, 100 makes them all ones (common practice).
	s := 5000 / quality
	if quality >= 50 {
		s = 200 - 2*quality
	}
	for t := range e.quant {
		for i, q := range baseQuant[t] {
			e.quant[t][t81.Zigzag[i]] = min(255, max(1, (q*s+50)/100))
		}
	}
	for i := range huffman {
		e.codes[i] = t81.Codes(&huffman[i].counts, huffman[i].values)
	}
}

func (e *encoder) marker(m byte, body []byte) {
	e.out.Write([]byte{0xff, m})
	var n [2]byte
	binary.BigEndian.PutUint16(n[:], uint16(len(body)+2))
	e.out.Write(n[:])
	e.out.Write(body)
}

func (e *encoder) headers(w, h, n int, o Options) {
	e.out.WriteString("\xff\xd8")
	unit, d := byte(0), uint16(1)
	if o.PPI > 0 {
		unit, d = 1, uint16(math.Round(o.PPI))
	}
	e.marker(0xe0, []byte{'J', 'F', 'I', 'F', 0, 1, 2, unit, byte(d >> 8), byte(d), byte(d >> 8), byte(d), 0, 0})
	if n == 4 {
		e.marker(0xee, []byte{'A', 'd', 'o', 'b', 'e', 0, 100, 0, 0, 0, 0, 0})
	}
	// ICC.1 annex B.4: the profile in pieces that fit into a marker.
	const piece = 65533 - 14
	total := (len(o.Profile) + piece - 1) / piece
	for i := range total {
		part := o.Profile[i*piece : min(len(o.Profile), (i+1)*piece)]
		e.marker(0xe2, append([]byte{'I', 'C', 'C', '_', 'P', 'R', 'O', 'F', 'I', 'L', 'E', 0, byte(i + 1), byte(total)}, part...))
	}
	tables := 1
	if n == 3 {
		tables = 2
	}
	for t := range tables {
		q := []byte{byte(t)}
		for _, z := range t81.Zigzag {
			q = append(q, byte(e.quant[t][z]))
		}
		e.marker(0xdb, q)
	}
	sof := []byte{8, byte(h >> 8), byte(h), byte(w >> 8), byte(w), byte(n)}
	sos := []byte{byte(n)}
	for c := range n {
		t := byte(0)
		if n == 3 && c > 0 {
			t = 1
		}
		sof = append(sof, byte(c+1), 0x11, t)
		sos = append(sos, byte(c+1), t<<4|t)
	}
	e.marker(0xc0, sof)
	for i := range 2 * tables {
		class := byte(i&1) << 4
		b := append([]byte{class | byte(i>>1)}, huffman[i].counts[:]...)
		e.marker(0xc4, append(b, huffman[i].values...))
	}
	e.marker(0xda, append(sos, 0, 63, 0))
}

// block codes one block of a component with table t and returns its DC value.
func (e *encoder) block(b *[64]float64, t, prev int) int {
	var q [64]int
	t81.Forward(b)
	for i := range q {
		q[i] = int(math.Round(b[i] / float64(e.quant[t][i])))
	}
	e.dc(q[0], t, prev)
	run := 0
	for _, z := range t81.Zigzag[1:] {
		v := q[z]
		if v == 0 {
			run++
			continue
		}
		for ; run > 15; run -= 16 {
			e.code(2*t+1, 0xf0)
		}
		size, bits := t81.Magnitude(v)
		e.code(2*t+1, run<<4|size)
		e.bits(bits, uint(size))
		run = 0
	}
	if run > 0 {
		e.code(2*t+1, 0)
	}
	return q[0]
}

// dc codes a DC value by its difference from the one before and returns it.
func (e *encoder) dc(v, t, prev int) int {
	size, bits := t81.Magnitude(v - prev)
	e.code(2*t, size)
	e.bits(bits, uint(size))
	return v
}

func (e *encoder) code(table, sym int) {
	c := e.codes[table][sym]
	e.bits(c.Bits, c.N)
}

func (e *encoder) bits(v uint32, n uint) {
	e.acc = e.acc<<n | v
	e.n += n
	for e.n >= 8 {
		b := byte(e.acc >> (e.n - 8))
		e.out.WriteByte(b)
		if b == 0xff {
			e.out.WriteByte(0)
		}
		e.n -= 8
		e.acc &= 1<<e.n - 1
	}
}
