package raster

import "dyekit/core/drawing"

// A sheet is a band of rows being painted. Most pixels of flat art have one of a
// few colours: such a pixel is a number in a palette, two bytes in place of
// sixteen, and a run of them is laid, looked at and stored as one. Only pixels
// on edges and in shades have a colour of their own.
//
// Colours are premultiplied, as everywhere in this package.
type sheet struct {
	w    int
	tag  []uint16         // of each pixel: its colour's number in the palette, or own
	px   layer            // the colours of pixels whose tag is own
	used [bandRows][2]int // columns [from, to) that were painted, by row
}

// Tags that are no number of a colour that was laid.
const (
	bare = 0
	own  = 1<<16 - 1
)

func newSheet(w int) *sheet {
	s := &sheet{w: w, tag: make([]uint16, w*bandRows), px: make(layer, 4*w*bandRows)}
	for y := range s.used {
		s.used[y] = [2]int{w, 0}
	}
	return s
}

// clear makes the sheet bare.
func (s *sheet) clear() {
	for y := range s.used {
		if u := &s.used[y]; u[1] > u[0] {
			clear(s.tag[y*s.w+u[0] : y*s.w+u[1]])
			*u = [2]int{s.w, 0}
		}
	}
}

// touch notes that columns [x0, x1) of row y are painted.
func (s *sheet) touch(y, x0, x1 int) {
	u := &s.used[y]
	u[0], u[1] = min(u[0], x0), max(u[1], x1)
}

// crop leaves of row y what lies in [x0, x1).
func (s *sheet) crop(y, x0, x1 int) {
	u := &s.used[y]
	if u[1] <= u[0] {
		return
	}
	row := s.tag[y*s.w : (y+1)*s.w]
	if x0 >= x1 {
		clear(row[u[0]:u[1]])
		*u = [2]int{s.w, 0}
		return
	}
	if u[0] < x0 {
		clear(row[u[0]:min(x0, u[1])])
		u[0] = x0
	}
	if u[1] > x1 {
		clear(row[max(x1, u[0]):u[1]])
		u[1] = x1
	}
	if u[1] <= u[0] {
		*u = [2]int{s.w, 0}
	}
}

// run returns where the run of pixels with one tag that begins at x ends, before
// or at end.
func run(row []uint16, x, end int) int {
	t := row[x]
	for x++; x+4 <= end && row[x] == t && row[x+1] == t && row[x+2] == t && row[x+3] == t; {
		x += 4
	}
	for x < end && row[x] == t {
		x++
	}
	return x
}

// A palette numbers the colours of a picture.
type palette struct {
	colours []premul
	bytes   [][4]uint8 // straight, rounded
	number  map[premul]uint16
}

// mostColours is how many numbers there are; further colours are each pixel's own.
const mostColours = own

func (p *palette) reset() {
	p.colours, p.bytes = append(p.colours[:0], premul{}), append(p.bytes[:0], [4]uint8{})
	if p.number == nil {
		p.number = map[premul]uint16{}
	}
	clear(p.number)
	p.number[premul{}] = bare
}

// of returns the number of a colour, own if there is none left.
func (p *palette) of(f premul) uint16 {
	t, ok := p.number[f]
	if ok {
		return t
	}
	if len(p.colours) >= mostColours {
		return own
	}
	t = uint16(len(p.colours))
	p.number[f] = t
	p.colours = append(p.colours, f)
	var b [4]uint8
	store(b[:], f[:])
	p.bytes = append(p.bytes, b)
	return t
}

// short is the length, in px, up to which a run is not worth a number.
const short = 4

// paint gives pixels [x0, x1) of row y one colour, whatever they had.
func (p *painter) paint(s *sheet, y, x0, x1 int, f premul) {
	t := uint16(own)
	if x1-x0 > short || f == (premul{}) {
		t = p.palette.of(f)
	}
	fillTags(s.tag[y*s.w+x0:y*s.w+x1], t)
	if t == own {
		fill(s.px[4*(y*s.w+x0):4*(y*s.w+x1)], f)
	}
}

func fillTags(b []uint16, v uint16) {
	if len(b) < 16 {
		for i := range b {
			b[i] = v
		}
		return
	}
	b[0] = v
	for n := 1; n < len(b); n *= 2 {
		copy(b[n:], b[:n])
	}
}

// lay lays a colour over pixels [x0, x1) of row y with coverage a.
func (p *painter) lay(s *sheet, y, x0, x1 int, f premul, a float32) {
	if a == 1 && f[3] == 1 {
		p.paint(s, y, x0, x1, f)
		return
	}
	k := premul{f[0] * a, f[1] * a, f[2] * a, f[3] * a}
	u := 1 - k[3]
	row, px := s.tag[y*s.w:(y+1)*s.w], s.px[4*y*s.w:4*(y+1)*s.w]
	for x := x0; x < x1; {
		end := run(row, x, x1)
		if row[x] == own {
			for i := 4 * x; i < 4*end; i += 4 {
				d := px[i : i+4 : i+4]
				d[0], d[1], d[2], d[3] = k[0]+d[0]*u, k[1]+d[1]*u, k[2]+d[2]*u, k[3]+d[3]*u
			}
		} else {
			d := &p.palette.colours[row[x]]
			p.paint(s, y, x, end, premul{k[0] + d[0]*u, k[1] + d[1]*u, k[2] + d[2]*u, k[3] + d[3]*u})
		}
		x = end
	}
}

// dense gives pixels [x0, x1) of row y colours of their own and returns them.
func (p *painter) dense(s *sheet, y, x0, x1 int) layer {
	row, px := s.tag[y*s.w:(y+1)*s.w], s.px[4*y*s.w:4*(y+1)*s.w]
	for x := x0; x < x1; {
		end := run(row, x, x1)
		if t := row[x]; t != own {
			fill(px[4*x:4*end], p.palette.colours[t])
			fillTags(row[x:end], own)
		}
		x = end
	}
	return px[4*x0 : 4*x1]
}

// laySheet lays row y of one sheet over another with opacity a.
func (p *painter) laySheet(dst, src *sheet, y int, a float32, mode drawing.BlendMode) {
	u := src.used[y]
	if u[1] <= u[0] {
		return
	}
	dst.touch(y, u[0], u[1])
	row := src.tag[y*src.w : (y+1)*src.w]
	for x := u[0]; x < u[1]; {
		end := run(row, x, u[1])
		t := row[x]
		switch {
		case t == bare:
		case mode != drawing.Normal:
			blend(p.dense(dst, y, x, end), p.dense(src, y, x, end), a, mode)
		case t == own:
			over(p.dense(dst, y, x, end), src.px[4*(y*src.w+x):4*(y*src.w+end)], a)
		default:
			p.lay(dst, y, x, end, p.palette.colours[t], a)
		}
		x = end
	}
}

// scale multiplies the pixels of row y by the opacity of m.
func (p *painter) scale(s, m *sheet, y int) {
	s.crop(y, m.used[y][0], m.used[y][1])
	u := s.used[y]
	if u[1] <= u[0] {
		return
	}
	mask := m.tag[y*m.w : (y+1)*m.w]
	for x := u[0]; x < u[1]; {
		end := run(mask, x, u[1])
		if t := mask[x]; t != own {
			p.fade(s, y, x, end, p.palette.colours[t][3])
		} else {
			for i := x; i < end; i++ {
				p.fade(s, y, i, i+1, m.px[4*(y*m.w+i)+3])
			}
		}
		x = end
	}
}

// fade multiplies pixels [x0, x1) of row y by an opacity.
func (p *painter) fade(s *sheet, y, x0, x1 int, a float32) {
	row := s.tag[y*s.w : (y+1)*s.w]
	if a >= 1 {
		return
	}
	if a <= 0 {
		clear(row[x0:x1])
		return
	}
	for x := x0; x < x1; {
		end := run(row, x, x1)
		switch t := row[x]; t {
		case bare:
		case own:
			px := s.px[4*(y*s.w+x) : 4*(y*s.w+end)]
			for i := range px {
				px[i] *= a
			}
		default:
			f := p.palette.colours[t]
			p.paint(s, y, x, end, premul{f[0] * a, f[1] * a, f[2] * a, f[3] * a})
		}
		x = end
	}
}

// alter puts every painted pixel of row y through f.
func (p *painter) alter(s *sheet, y int, f func(premul) premul) {
	row := s.tag[y*s.w : (y+1)*s.w]
	for x, u := s.used[y][0], s.used[y]; x < u[1]; {
		end := run(row, x, u[1])
		switch t := row[x]; t {
		case bare:
		case own:
			px := s.px[4*(y*s.w+x) : 4*(y*s.w+end)]
			for i := 0; i < len(px); i += 4 {
				v := f(premul(px[i : i+4]))
				copy(px[i:], v[:])
			}
		default:
			p.paint(s, y, x, end, f(p.palette.colours[t]))
		}
		x = end
	}
}

// put stores row y as straight 8-bit pixels; dst is the picture's row, and bare.
func (p *painter) put(s *sheet, y int, dst []uint8) {
	row := s.tag[y*s.w : (y+1)*s.w]
	for x, u := s.used[y][0], s.used[y]; x < u[1]; {
		end := run(row, x, u[1])
		switch t := row[x]; t {
		case bare:
		case own:
			store(dst[4*x:4*end], s.px[4*(y*s.w+x):4*(y*s.w+end)])
		default:
			fillPixels(dst[4*x:4*end], p.palette.bytes[t])
		}
		x = end
	}
}

func fillPixels(b []uint8, v [4]uint8) {
	if v[3] == 0 {
		return
	}
	copy(b, v[:])
	for n := 4; n < len(b); n *= 2 {
		copy(b[n:], b[:n])
	}
}
