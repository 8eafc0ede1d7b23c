package readback

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"io"
	"slices"

	"github.com/klauspost/compress/flate"

	"dyekit/core/adler"
)

// A PNG is a file whose chunks were read; its pixels are read row by row.
type PNG struct {
	W, H    int
	PPI     float64    // 0 if it keeps none
	Palette [][4]uint8 // straight; nil if it has none
	kind    int        // of colour (PNG, second edition, section 11.2.2)
	depth   int        // bits of a sample
	adam7   bool       // in seven passes
	data    [][]byte   // of the IDAT chunks
	table   [256][4]uint8
}

// MaxPNG bounds the pixels of a file that is read.
const MaxPNG = 1 << 28

var errPNG = errors.New("it is no PNG that is written here")

// ReadPNG reads the chunks of a file: each must be whole, in its place, and one
// that is written here.
func ReadPNG(b []byte) (*PNG, error) {
	rest, ok := bytes.CutPrefix(b, []byte("\x89PNG\r\n\x1a\n"))
	if !ok {
		return nil, errPNG
	}
	p := &PNG{}
	for order := 0; ; {
		if len(rest) < 12 || len(rest)-12 < int(binary.BigEndian.Uint32(rest)) {
			return nil, errors.New("a chunk is cut off")
		}
		n := int(binary.BigEndian.Uint32(rest))
		name, body := string(rest[4:8]), rest[8:8+n]
		if crc32.ChecksumIEEE(rest[4:8+n]) != binary.BigEndian.Uint32(rest[8+n:]) {
			return nil, fmt.Errorf("the check sum of its chunk %s is wrong", name)
		}
		rest = rest[12+n:]
		// Chunks come in this order (section 5.6).
		place, known := map[string]int{"IHDR": 1, "sRGB": 2, "pHYs": 3, "PLTE": 4, "tRNS": 5, "IDAT": 6, "IEND": 7}[name]
		if !known || place < order || place == order && name != "IDAT" || order == 0 && name != "IHDR" {
			return nil, fmt.Errorf("its chunk %.4q is none that is written here, or out of place", name)
		}
		order = place
		if err := p.chunk(name, body); err != nil {
			return nil, err
		}
		if name == "IEND" {
			break
		}
	}
	if len(rest) > 0 || len(p.data) == 0 || (p.kind == 3) != (p.Palette != nil) {
		return nil, errPNG
	}
	for i := range p.table {
		if i < len(p.Palette) {
			p.table[i] = p.Palette[i]
		}
	}
	return p, nil
}

func (p *PNG) chunk(name string, body []byte) error {
	switch name {
	case "IHDR":
		if len(body) != 13 || body[10] != 0 || body[11] != 0 || body[12] > 1 {
			return errPNG
		}
		p.W, p.H = int(binary.BigEndian.Uint32(body)), int(binary.BigEndian.Uint32(body[4:]))
		p.depth, p.kind, p.adam7 = int(body[8]), int(body[9]), body[12] == 1
		if p.W < 1 || p.H < 1 || p.W > MaxPNG/p.H {
			return fmt.Errorf("it is %d × %d px", p.W, p.H)
		}
		indexed := p.kind == 3 && (p.depth == 1 || p.depth == 2 || p.depth == 4)
		if p.samples() == 0 || p.depth != 8 && !indexed {
			return fmt.Errorf("colour type %d of %d bits is not written here", p.kind, p.depth)
		}
	case "sRGB":
		if len(body) != 1 || body[0] != 0 { // perceptual
			return errPNG
		}
	case "pHYs":
		if len(body) != 9 || body[8] != 1 {
			return errPNG
		}
		x, y := binary.BigEndian.Uint32(body), binary.BigEndian.Uint32(body[4:])
		if x != y {
			return errors.New("its resolution differs across and down")
		}
		p.PPI = float64(x) * 0.0254
	case "PLTE":
		if len(body)%3 != 0 || len(body) == 0 || len(body) > 3<<p.depth {
			return errPNG
		}
		for ; len(body) > 0; body = body[3:] {
			p.Palette = append(p.Palette, [4]uint8{body[0], body[1], body[2], 255})
		}
	case "tRNS":
		if p.Palette == nil || len(body) > len(p.Palette) {
			return errPNG
		}
		for i, a := range body {
			p.Palette[i][3] = a
		}
	case "IDAT":
		p.data = append(p.data, body)
	}
	return nil
}

// SameLines reports whether both hold the same lines, compressed to the same bytes
// and to be read in the same way, by palettes of the same length.
func (p *PNG) SameLines(q *PNG) bool {
	return p.W == q.W && p.H == q.H && p.kind == q.kind && p.depth == q.depth && p.adam7 == q.adam7 &&
		p.Palette != nil && len(p.Palette) == len(q.Palette) && slices.EqualFunc(p.data, q.data, bytes.Equal)
}

// samples is how many samples make a pixel; 0 for what is no colour type.
func (p *PNG) samples() int {
	return map[int]int{0: 1, 2: 3, 3: 1, 4: 2, 6: 4}[p.kind]
}

// Each calls f with every row of the picture as straight 8-bit pixels, from the
// first to the last. A row is valid during the call and not to be changed; same
// says that it equals the row before.
func (p *PNG) Each(f func(y int, row []uint8, same bool) error) error {
	if p.adam7 {
		img, err := p.Image()
		if err != nil {
			return err
		}
		for y := range p.H {
			if err := f(y, img.Pix[y*img.Stride:][:4*p.W], false); err != nil {
				return err
			}
		}
		return nil
	}
	row := make([]uint8, 4*p.W)
	return p.lines(func(l lines) error {
		return l.each(p, func(y int, line []byte, same bool) error {
			if !same {
				if err := p.expand(row, line); err != nil {
					return err
				}
			}
			return f(y, row, same)
		})
	})
}

// Indexed reports whether a row is a byte for each pixel, an index into Table.
func (p *PNG) Indexed() bool { return p.kind == 3 && p.depth == 8 && !p.adam7 }

// Table holds the palette, and bare colours behind it.
func (p *PNG) Table() *[256][4]uint8 { return &p.table }

// EachIndexed is Each with the indices of a picture that is Indexed; each of them
// is in the palette.
func (p *PNG) EachIndexed(f func(y int, row []uint8, same bool) error) error {
	return p.lines(func(l lines) error {
		return l.each(p, func(y int, line []byte, same bool) error {
			if !same {
				if err := p.within(highest(line)); err != nil {
					return err
				}
			}
			return f(y, line, same)
		})
	})
}

// Image reads the whole picture.
func (p *PNG) Image() (*image.NRGBA, error) {
	img := image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	if !p.adam7 {
		err := p.Each(func(y int, row []uint8, _ bool) error {
			copy(img.Pix[y*img.Stride:], row)
			return nil
		})
		return img, err
	}
	row := make([]uint8, 4*p.W)
	return img, p.lines(func(l lines) error {
		// Passes of section 8.2: where they begin, and their steps.
		for _, a := range [7][4]int{{0, 0, 8, 8}, {4, 0, 8, 8}, {0, 4, 4, 8}, {2, 0, 4, 4}, {0, 2, 2, 4}, {1, 0, 2, 2}, {0, 1, 1, 2}} {
			l.w, l.h = (p.W-a[0]+a[2]-1)/a[2], (p.H-a[1]+a[3]-1)/a[3]
			if l.w <= 0 || l.h <= 0 {
				continue
			}
			err := l.each(p, func(y int, line []byte, _ bool) error {
				if err := p.expand(row[:4*l.w], line); err != nil {
					return err
				}
				to := img.Pix[(a[1]+y*a[3])*img.Stride:]
				for x := range l.w {
					*(*[4]uint8)(to[4*(a[0]+x*a[2]):]) = [4]uint8(row[4*x:])
				}
				return nil
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// lines opens the compressed lines, a zlib stream (RFC 1950, section 2.2), and sees
// to it that nothing follows them but their checksum.
func (p *PNG) lines(f func(l lines) error) error {
	data := p.data[0]
	if len(p.data) > 1 {
		data = bytes.Join(p.data, nil)
	}
	const head, foot = 2, 4
	if len(data) < head+foot || data[0]&15 != 8 || data[1]&32 != 0 || binary.BigEndian.Uint16(data)%31 != 0 {
		return fmt.Errorf("its lines are no zlib stream: %w", errPNG)
	}
	in, sum := bytes.NewReader(data[head:]), uint32(adler.New)
	z := flate.NewReader(in)
	defer z.Close()
	if err := f(lines{z, &sum, p.W, p.H}); err != nil {
		return err
	}
	if n, err := io.ReadFull(z, make([]byte, 1)); n > 0 || err != io.EOF {
		return fmt.Errorf("after its last line: %w", errors.Join(err, errPNG))
	}
	if in.Len() != foot || binary.BigEndian.Uint32(data[len(data)-foot:]) != sum {
		return fmt.Errorf("its lines are not those that were summed: %w", errPNG)
	}
	return nil
}

// lines are those of one pass.
type lines struct {
	r    io.Reader
	sum  *uint32 // Adler-32 of all that was read
	w, h int
}

// each calls f with every line, its filter taken off (section 9). same says that
// the line equals the one before.
func (l lines) each(p *PNG, f func(y int, line []byte, same bool) error) error {
	n := (l.w*p.samples()*p.depth + 7) / 8
	bpp := max(1, p.samples()*p.depth/8)
	// Room for pixels left of a line: they count as 0.
	cur, prev := make([]byte, bpp+1+n), make([]byte, bpp+1+n)
	var sum uint32 // of the line above, if it has no filter
	plain := false // it has none
	for y := range l.h {
		if _, err := io.ReadFull(l.r, cur[bpp:]); err != nil {
			return fmt.Errorf("line %d: %w", y+1, err)
		}
		filter := cur[bpp]
		line, above := cur[bpp+1:], prev[bpp+1:]
		same := plain && filter == 0 && bytes.Equal(line, above)
		if !same {
			sum = adler.Checksum(cur[bpp:])
		}
		*l.sum, plain = adler.Join(*l.sum, sum, 1+n), filter == 0
		cur[bpp] = 0
		if err := unfilter(filter, line, above, bpp); err != nil {
			return err
		}
		if err := f(y, line, same || y > 0 && filter != 0 && bytes.Equal(line, above)); err != nil {
			return err
		}
		cur, prev = prev, cur
	}
	return nil
}

func unfilter(filter byte, line, above []byte, bpp int) error {
	switch filter {
	case 0:
	case 1:
		for i := bpp; i < len(line); i++ {
			line[i] += line[i-bpp]
		}
	case 2:
		for i := range line {
			line[i] += above[i]
		}
	case 3:
		for i := range line {
			left := 0
			if i >= bpp {
				left = int(line[i-bpp])
			}
			line[i] += byte((left + int(above[i])) / 2)
		}
	case 4:
		for i := range line {
			var a, c int
			if i >= bpp {
				a, c = int(line[i-bpp]), int(above[i-bpp])
			}
			b := int(above[i])
			line[i] += byte(nearest(a, b, c))
		}
	default:
		return fmt.Errorf("it has a filter %d", filter)
	}
	return nil
}

// nearest is the neighbour nearest to a + b − c, of left, above and corner
// (section 9.4).
func nearest(a, b, c int) int {
	abs := func(v int) int { return max(v, -v) }
	p := a + b - c
	switch pa, pb, pc := abs(p-a), abs(p-b), abs(p-c); {
	case pa <= pb && pa <= pc:
		return a
	case pb <= pc:
		return b
	}
	return c
}

// expand turns samples into straight pixels.
func (p *PNG) expand(row, line []byte) error {
	switch p.kind {
	case 0:
		for x := 0; x < len(row)/4; x++ {
			v := line[x]
			*(*[4]uint8)(row[4*x:]) = [4]uint8{v, v, v, 255}
		}
	case 2:
		for ; len(line) >= 4 && len(row) >= 4; row, line = row[4:], line[3:] {
			binary.LittleEndian.PutUint32(row, binary.LittleEndian.Uint32(line)|0xff<<24)
		}
		if len(row) >= 4 { // the last has nothing behind it
			*(*[4]uint8)(row) = [4]uint8{line[0], line[1], line[2], 255}
		}
	case 4:
		for x := 0; x < len(row)/4; x++ {
			v, a := line[2*x], line[2*x+1]
			*(*[4]uint8)(row[4*x:]) = [4]uint8{v, v, v, a}
		}
	case 6:
		copy(row, line)
	case 3:
		most := byte(0)
		if p.depth == 8 {
			for x, k := range line[:len(row)/4] {
				most = max(most, k)
				*(*[4]uint8)(row[4*x:]) = p.table[k]
			}
		} else {
			per, mask := 8/p.depth, byte(1)<<p.depth-1
			for from := 0; from < len(line); {
				v, to := line[from], from+1
				for to < len(line) && line[to] == v {
					to++
				}
				out := row[4*per*from : min(4*per*to, len(row))]
				for x := range min(per, len(out)/4) {
					k := v >> (8 - p.depth - x*p.depth) & mask
					most = max(most, k)
					*(*[4]uint8)(out[4*x:]) = p.table[k]
				}
				for n := 4 * per; n < len(out); n *= 2 { // the rest of the run repeats it
					copy(out[n:], out[:n])
				}
				from = to
			}
		}
		return p.within(most)
	}
	return nil
}

// highest is the highest byte of a line. Where eight bytes are those before them,
// as in most of flat art, they need no look.
func highest(line []byte) (most byte) {
	for len(line) >= 8 {
		first := line[:8]
		most = max(most, slices.Max(first))
		same := binary.LittleEndian.Uint64(first)
		line = line[8:]
		for len(line) >= 8 && binary.LittleEndian.Uint64(line) == same {
			line = line[8:]
		}
	}
	for _, v := range line {
		most = max(most, v)
	}
	return most
}

// within sees to it that the highest index of a row is one of the palette's.
func (p *PNG) within(most uint8) error {
	if int(most) >= len(p.Palette) {
		return fmt.Errorf("a pixel has colour %d of a palette of %d", most, len(p.Palette))
	}
	return nil
}
