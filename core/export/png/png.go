// Package png writes PNG files (W3C Recommendation, second edition): the
// smallest colour type that loses nothing, resolution in pHYs.
package png

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"io"
	"math"

	"dyekit/core/flat"
)

// Options of a file. The zero Options writes no resolution and any palette
// that is lossless.
type Options struct {
	PPI       float64 // pixels per inch, kept as pixels per metre; 0 for none
	NoPalette bool    // truecolour or grey even where a palette is lossless
	Interlace bool    // seven passes, coarse to fine (Adam7)
	Colours   int     // at most so many, 2 to 256, whatever is lost; 0 for all
	Auto      bool    // a palette of 256 if nobody sees what is lost
	Quick     bool    // larger and sooner: for looking at, not for keeping
	Lines     *Lines  // of other inks of the same picture; may be nil
}

// Colour types of PNG section 11.2.2.
const (
	grey      = 0
	trueColor = 2
	palette   = 3
	greyAlpha = 4
	trueAlpha = 6
)

// Encode writes the file. img holds straight 8-bit sRGB.
func Encode(dst io.Writer, img *image.NRGBA, o Options) error {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w < 1 || h < 1 {
		return fmt.Errorf("a PNG of %d × %d px cannot be", w, h)
	}
	f := analyse(img)
	most := 256
	if o.Colours > 0 {
		most = o.Colours
	}
	if !o.NoPalette && (o.Colours > 0 || o.Auto) && (f.colors == nil || len(f.colors) > most) {
		if q := Quantise(img, most); o.Colours > 0 || Compare(img, q).Unseen() {
			f = analyse(q)
		}
	}
	return f.write(dst, o)
}

// EncodeRuns writes the same file as Encode does of the picture's pixels, from its
// runs alone.
func EncodeRuns(dst io.Writer, pic *flat.Picture, o Options) error {
	if o.Auto { // what is lost is measured pixel by pixel
		return Encode(dst, pic.Image(), o)
	}
	f := analyseRuns(pic)
	if !o.NoPalette && o.Colours > 0 && (f.colors == nil || len(f.colors) > o.Colours) {
		f = analyseRuns(quantiseRuns(pic, o.Colours))
	}
	return f.write(dst, o)
}

func (f *facts) write(dst io.Writer, o Options) error {
	kind, depth := f.kind(o)
	out := bufio.NewWriter(dst)
	out.WriteString("\x89PNG\r\n\x1a\n")
	head := make([]byte, 13)
	binary.BigEndian.PutUint32(head, uint32(f.w))
	binary.BigEndian.PutUint32(head[4:], uint32(f.h))
	head[8], head[9] = byte(depth), byte(kind)
	if o.Interlace {
		head[12] = 1
	}
	chunk(out, "IHDR", head)
	chunk(out, "sRGB", []byte{0}) // perceptual, section 11.3.3.5
	if o.PPI > 0 {
		b := make([]byte, 9)
		m := uint32(math.Round(o.PPI / 0.0254))
		binary.BigEndian.PutUint32(b, m)
		binary.BigEndian.PutUint32(b[4:], m)
		b[8] = 1 // the unit is the metre
		chunk(out, "pHYs", b)
	}
	if kind == palette {
		plte, trns := f.tables()
		chunk(out, "PLTE", plte)
		if len(trns) > 0 {
			chunk(out, "tRNS", trns)
		}
	}
	chunk(out, "IDAT", f.body(kind, depth, o))
	chunk(out, "IEND", nil)
	return out.Flush()
}

func chunk(out *bufio.Writer, name string, data []byte) {
	var n [4]byte
	binary.BigEndian.PutUint32(n[:], uint32(len(data)))
	out.Write(n[:])
	out.WriteString(name)
	out.Write(data)
	c := crc32.NewIEEE()
	c.Write([]byte(name))
	c.Write(data)
	binary.BigEndian.PutUint32(n[:], c.Sum32())
	out.Write(n[:])
}
