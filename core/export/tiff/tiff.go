// Package tiff writes TIFF 6.0 files: RGB with or without opacity, or CMYK;
// in strips, compressed without loss, with resolution and colour profile.
package tiff

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math"
	"slices"

	"github.com/hhrutter/lzw"
	"github.com/klauspost/compress/zlib"
)

// Compressions.
const (
	Deflate = "deflate" // Adobe's TIFF Technical Notes of 2002; the default
	LZW     = "lzw"     // TIFF 6.0 section 13
)

// Options of a file.
type Options struct {
	PPI         float64 // pixels per inch; 0 for none
	Compression string
	Profile     []byte // ICC, or nil
}

// Tags of TIFF 6.0, and that of ICC profiles (ICC.1, annex B).
const (
	tagWidth           = 256
	tagHeight          = 257
	tagBits            = 258
	tagCompression     = 259
	tagPhotometric     = 262
	tagStripOffsets    = 273
	tagSamples         = 277
	tagRowsPerStrip    = 278
	tagStripByteCounts = 279
	tagXResolution     = 282
	tagYResolution     = 283
	tagPlanar          = 284
	tagResolutionUnit  = 296
	tagPredictor       = 317
	tagInkSet          = 332
	tagExtraSamples    = 338
	tagProfile         = 34675
)

// EncodeRGB writes straight sRGB; opacity is kept as unassociated alpha if a
// pixel is not opaque.
func EncodeRGB(dst io.Writer, img *image.NRGBA, o Options) error {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	n := 4
	if img.Opaque() {
		n = 3
	}
	return encode(dst, w, h, n, 2, n == 4, o, func(dst []byte, y int) {
		row := img.Pix[y*img.Stride:][:4*w]
		if n == 4 {
			copy(dst, row)
			return
		}
		for ; len(row) >= 4 && len(dst) >= 3; row, dst = row[4:], dst[3:] {
			dst[0], dst[1], dst[2] = row[0], row[1], row[2]
		}
	})
}

// EncodeCMYK writes process inks, 255 being the full ink.
func EncodeCMYK(dst io.Writer, img *image.CMYK, o Options) error {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	return encode(dst, w, h, 4, 5, false, o, func(dst []byte, y int) { copy(dst, img.Pix[y*img.Stride:][:4*w]) })
}

func encode(to io.Writer, w, h, n, photometric int, alpha bool, o Options, row func(dst []byte, y int)) error {
	if w < 1 || h < 1 {
		return fmt.Errorf("a TIFF of %d × %d px cannot be", w, h)
	}
	if o.Compression != "" && o.Compression != Deflate && o.Compression != LZW {
		return fmt.Errorf("TIFF compression %q is not deflate or lzw", o.Compression)
	}
	out := bytes.NewBuffer([]byte("II*\x00\x00\x00\x00\x00")) // the place of the directory follows
	perStrip := max(1, (256<<10)/(w*n))
	var offsets, counts []uint32
	strip := make([]byte, min(h, perStrip)*w*n)
	for from := 0; from < h; from += perStrip {
		raw := strip[:min(h-from, perStrip)*w*n]
		for at := 0; at < len(raw); at += w * n {
			line := raw[at : at+w*n]
			row(line, from+at/(w*n))
			differences(line, n)
		}
		offsets = append(offsets, uint32(out.Len()))
		if err := compress(out, raw, o.Compression); err != nil {
			return err
		}
		counts = append(counts, uint32(out.Len())-offsets[len(offsets)-1])
		if out.Len()&1 == 1 {
			out.WriteByte(0) // values begin on word boundaries
		}
	}
	d := directory{}
	d.long(tagWidth, uint32(w))
	d.long(tagHeight, uint32(h))
	d.short(tagBits, slices.Repeat([]uint16{8}, n)...)
	kind := uint16(8)
	if o.Compression == LZW {
		kind = 5
	}
	d.short(tagCompression, kind)
	d.short(tagPhotometric, uint16(photometric))
	d.long(tagStripOffsets, offsets...)
	d.short(tagSamples, uint16(n))
	d.long(tagRowsPerStrip, uint32(perStrip))
	d.long(tagStripByteCounts, counts...)
	d.short(tagPlanar, 1)
	d.short(tagPredictor, 2)
	if o.PPI > 0 {
		d.ratio(tagXResolution, o.PPI)
		d.ratio(tagYResolution, o.PPI)
		d.short(tagResolutionUnit, 2) // inch
	}
	if photometric == 5 {
		d.short(tagInkSet, 1) // CMYK
	}
	if alpha {
		d.short(tagExtraSamples, 2) // unassociated
	}
	if len(o.Profile) > 0 {
		d.add(tagProfile, 7, uint32(len(o.Profile)), o.Profile)
	}
	at := d.write(out)
	b := out.Bytes()
	if len(b) > math.MaxUint32 {
		return fmt.Errorf("a TIFF of %d × %d px is too large for the format", w, h)
	}
	binary.LittleEndian.PutUint32(b[4:], at)
	_, err := to.Write(b)
	return err
}

// differences leaves of each sample of a line what it differs by from that of the
// pixel before (section 14). What stands still, as most of flat art does, is taken
// eight bytes at a time.
func differences(line []byte, n int) {
	i := len(line)
	for i > n {
		if i >= n+8 && binary.LittleEndian.Uint64(line[i-8:]) == binary.LittleEndian.Uint64(line[i-8-n:]) {
			clear(line[i-8 : i])
			i -= 8
			continue
		}
		i--
		line[i] -= line[i-n]
	}
}

func compress(out *bytes.Buffer, raw []byte, how string) error {
	if how == LZW {
		w := lzw.NewWriter(out, true)
		if _, err := w.Write(raw); err != nil {
			return err
		}
		return w.Close()
	}
	w, err := zlib.NewWriterLevel(out, 7)
	if err != nil {
		return err
	}
	if _, err := w.Write(raw); err != nil {
		return err
	}
	return w.Close()
}

// A directory gathers fields; they are written by rising tag (section 2).
type directory []field

type field struct {
	tag, kind uint16
	count     uint32
	data      []byte
}

func (d *directory) add(tag, kind uint16, count uint32, data []byte) {
	*d = append(*d, field{tag, kind, count, data})
}

func (d *directory) short(tag uint16, vs ...uint16) {
	var b []byte
	for _, v := range vs {
		b = binary.LittleEndian.AppendUint16(b, v)
	}
	d.add(tag, 3, uint32(len(vs)), b)
}

func (d *directory) long(tag uint16, vs ...uint32) {
	var b []byte
	for _, v := range vs {
		b = binary.LittleEndian.AppendUint32(b, v)
	}
	d.add(tag, 4, uint32(len(vs)), b)
}

func (d *directory) ratio(tag uint16, v float64) {
	b := binary.LittleEndian.AppendUint32(nil, uint32(math.Round(v*1000)))
	d.add(tag, 5, 1, binary.LittleEndian.AppendUint32(b, 1000))
}

// write appends the values that do not fit into their field, then the fields,
// and returns where those are.
func (d directory) write(out *bytes.Buffer) uint32 {
	slices.SortFunc(d, func(a, b field) int { return cmp.Compare(a.tag, b.tag) })
	at := make([]uint32, len(d))
	for i, f := range d {
		if len(f.data) > 4 {
			at[i] = uint32(out.Len())
			out.Write(f.data)
			if out.Len()&1 == 1 {
				out.WriteByte(0)
			}
		}
	}
	start := uint32(out.Len())
	b := binary.LittleEndian.AppendUint16(nil, uint16(len(d)))
	for i, f := range d {
		b = binary.LittleEndian.AppendUint16(b, f.tag)
		b = binary.LittleEndian.AppendUint16(b, f.kind)
		b = binary.LittleEndian.AppendUint32(b, f.count)
		if len(f.data) > 4 {
			b = binary.LittleEndian.AppendUint32(b, at[i])
		} else {
			b = append(b, append(slices.Clone(f.data), 0, 0, 0, 0)[:4]...)
		}
	}
	out.Write(append(b, 0, 0, 0, 0)) // no further directory
	return start
}
