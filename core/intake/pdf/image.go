package pdf

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io"

	"golang.org/x/image/ccitt"
	"golang.org/x/image/draw"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// errElsewhere says that only another program can decode a picture.
var errElsewhere = errors.New("the picture is packed in a way that is not read here")

// A sampled is an image before its colours are known: samples of some bits,
// row by row, each row beginning with a whole byte.
type samples struct {
	w, h, n, bits int
	data          []byte
}

// drawImage paints an image XObject or an inline image (section 8.9).
func (m *machine) drawImage(s *stream, from any) {
	if !m.visible() {
		return
	}
	if m.unread(aPicture, s.dict) {
		return
	}
	if s.dict["OPI"] != nil {
		m.standIn("a picture")
	}
	for _, o := range m.file.array(s.dict["Alternates"]) {
		if forPrint, _ := m.file.get(m.file.dict(o)["DefaultForPrinting"]).(bool); forPrint {
			m.findings.Add(finding.Unsupported, finding.Warn, "a picture has another one that takes its place in print; the one that screens show was taken", m.layer, geom.Rect{})
		}
	}
	img, inks, err := m.image(s)
	if errors.Is(err, errElsewhere) {
		m.needs = "pictures"
		return
	}
	if err != nil {
		m.findings.Add(finding.Unsupported, finding.Stop, "a picture on the page cannot be read: "+err.Error(), m.layer, geom.Rect{})
		return
	}
	if img == nil {
		return
	}
	p := &drawing.Picture{Image: img, Inks: inks, To: m.m.Mul(geom.Affine{A: 1, D: -1, F: 1}), Alpha: m.fillAlpha, Part: m.layer}
	if stencil, _ := m.file.get(s.dict["ImageMask"]).(bool); stencil && m.fill.space.pattern {
		// A pattern seen through the stencil.
		inner := &machine{reader: m.reader, state: m.state, res: m.res, start: m.start}
		inner.clip, inner.mask, inner.blend = nil, nil, drawing.Normal
		inner.layPattern(drawing.Region{Path: box(0, 0, 1, 1).Transform(m.m)}, m.fill, m.fillAlpha, drawing.Filled)
		p.Alpha = 1
		m.emit(&drawing.Group{Nodes: inner.out.Nodes, Alpha: 1, Mask: &drawing.Mask{Nodes: []drawing.Node{p}, Alpha: true}, Part: m.layer})
		return
	}
	m.emit(p)
}

// image reads a picture, and the inks that it is declared in if it is in some.
func (m *machine) image(s *stream) (*image.NRGBA, *drawing.Inks, error) {
	f := m.file
	stencil, _ := f.get(s.dict["ImageMask"]).(bool)
	raw, err := m.unpackImage(s, stencil)
	if err != nil {
		return nil, nil, err
	}
	decode, _ := f.numbers(s.dict["Decode"])
	if stencil {
		return m.stencil(raw, decode), m.stencilInks(raw), nil
	}
	var cs *space
	if o := s.dict["ColorSpace"]; o != nil {
		if cs, err = m.space(o, m.res); err != nil || cs.pattern {
			return nil, nil, errSpace
		}
		if device, ok := o.(name); ok {
			cs = m.namedImage(device, cs)
		}
	} else {
		switch raw.n {
		case 1:
			cs = deviceGray
		case 3:
			cs = deviceRGB
		case 4:
			cs = m.deviceCMYK()
		}
	}
	if cs == nil || cs.n != raw.n {
		return nil, nil, errors.New("it does not have the channels it says")
	}
	img, inks := m.coloured(raw, cs, decode, s)
	m.pictured(cs, "a picture", inks)
	return m.alphaOf(img, inks, s)
}

// pictured says what becomes of the inks that pixels are declared in.
func (m *machine) pictured(cs *space, what string, kept *drawing.Inks) {
	switch {
	case kept != nil && kept.Spot.Spot == "" && cs != deviceGray:
		m.findings.Add(finding.InksMixed, finding.Note, what+" is in process inks: screens show it as a press prints it, and print files keep its builds", m.layer, geom.Rect{})
	case kept != nil:
	case len(cs.plates) > 0:
		m.findings.Add(finding.InksMixed, finding.Warn, what+" is in the "+plural(cs.plates)+", which pixels do not keep here: it was taken as it is shown on a screen", m.layer, geom.Rect{})
	case cs != deviceGray && cs.colour(make([]float64, cs.n)).Built:
		m.findings.Add(finding.InksMixed, finding.Note, what+" is in process inks: it is shown as a press prints it, and its builds are made anew for print files", m.layer, geom.Rect{})
	}
}

// namedImage is the space of an image that names a device.
func (m *machine) namedImage(device name, s *space) *space {
	switch device {
	case "DeviceGray", "G":
		return m.named("DeviceGray", "DefaultGray")
	case "DeviceRGB", "RGB":
		return m.named("DeviceRGB", "DefaultRGB")
	case "DeviceCMYK", "CMYK":
		return m.named("DeviceCMYK", "DefaultCMYK")
	}
	return s
}

// unpackImage undoes the filters down to samples.
func (m *machine) unpackImage(s *stream, stencil bool) (*samples, error) {
	f := m.file
	w, h := int(f.number(s.dict["Width"], 0)), int(f.number(s.dict["Height"], 0))
	if w < 1 || h < 1 || w > MaxPixels/h {
		return nil, fmt.Errorf("it has %d × %d px", w, h)
	}
	if m.pixels += w * h; m.pixels > MaxPixels {
		m.fail("the pictures on the page have more than %d megapixels together", MaxPixels/1_000_000)
		return nil, m.err
	}
	data, left, parms, err := f.unfilter(s)
	if err != nil {
		return nil, err
	}
	bits := int(f.number(s.dict["BitsPerComponent"], 8))
	if stencil {
		bits = 1
	}
	switch left {
	case "":
	case "DCTDecode", "DCT":
		return unpackJPEG(transformed(data, int(f.number(parms["ColorTransform"], -1))), w, h)
	case "CCITTFaxDecode", "CCF":
		if f.number(parms["K"], 0) > 0 {
			return nil, errElsewhere
		}
		mode := ccitt.Group3
		if f.number(parms["K"], 0) < 0 {
			mode = ccitt.Group4
		}
		align, _ := f.get(parms["EncodedByteAlign"]).(bool)
		black, _ := f.get(parms["BlackIs1"]).(bool)
		columns := int(f.number(parms["Columns"], 1728))
		if columns != w {
			return nil, errElsewhere
		}
		out, err := io.ReadAll(ccitt.NewReader(bytes.NewReader(data), ccitt.MSB, mode, w, h, &ccitt.Options{Align: align, Invert: black}))
		if err != nil && len(out) == 0 {
			return nil, errElsewhere
		}
		return &samples{w, h, 1, 1, out}, nil
	default:
		return nil, errElsewhere
	}
	n := 1
	if o := s.dict["ColorSpace"]; o != nil && !stencil {
		cs, err := m.space(o, m.res)
		if err != nil {
			return nil, err
		}
		n = cs.n
	}
	switch bits {
	case 1, 2, 4, 8, 16:
	default:
		return nil, fmt.Errorf("it has %d bits a sample", bits)
	}
	return &samples{w, h, n, bits, data}, nil
}

// transformed says in a JPEG itself whether its colours are turned into luma and chroma:
// ColorTransform does where no marker of Adobe's stands (Table 13), and where neither does,
// three channels are and four are not. -1 is none.
func transformed(data []byte, transform int) []byte {
	if len(data) < 4 || data[0] != 0xff || data[1] != 0xd8 {
		return data
	}
	channels := 0
	for i := 2; i+9 < len(data) && data[i] == 0xff; {
		kind, n := data[i+1], int(data[i+2])<<8|int(data[i+3])
		if kind == 0xee && n >= 14 && i+9 < len(data) && string(data[i+4:i+9]) == "Adobe" {
			return data
		}
		if kind >= 0xc0 && kind <= 0xcf && kind != 0xc4 && kind != 0xc8 && kind != 0xcc {
			channels = int(data[i+9])
			break
		}
		i += 2 + n
	}
	how := byte(0)
	switch {
	case channels == 3 && transform != 0:
		how = 1
	case channels == 4 && transform > 0:
		how = 2 // YCCK
	}
	if channels < 3 || channels == 3 && how == 1 && transform < 0 {
		return data // as readers take it anyway
	}
	marker := []byte{0xff, 0xee, 0, 14, 'A', 'd', 'o', 'b', 'e', 0, 100, 0, 0, 0, 0, how}
	return append(append(append(make([]byte, 0, len(data)+len(marker)), data[:2]...), marker...), data[2:]...)
}

// unpackJPEG reads the samples of a JPEG as they stand in it.
func unpackJPEG(data []byte, w, h int) (*samples, error) {
	c, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, errElsewhere
	}
	if c.Width != w || c.Height != h {
		if c.Width < 1 || c.Height < 1 || c.Width > MaxPixels/c.Height {
			return nil, fmt.Errorf("it has %d × %d px", c.Width, c.Height)
		}
		w, h = c.Width, c.Height // what is in it counts
	}
	img, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, errElsewhere
	}
	switch img := img.(type) {
	case *image.Gray:
		s := &samples{w: w, h: h, n: 1, bits: 8}
		for y := range h {
			s.data = append(s.data, img.Pix[y*img.Stride:y*img.Stride+w]...)
		}
		return s, nil
	case *image.CMYK:
		// The library turns the samples round, as picture files have them; in a
		// PDF it is Decode that says so.
		s := &samples{w: w, h: h, n: 4, bits: 8}
		for y := range h {
			for _, v := range img.Pix[y*img.Stride : y*img.Stride+4*w] {
				s.data = append(s.data, 255-v)
			}
		}
		return s, nil
	}
	rgb := image.NewNRGBA(image.Rect(0, 0, w, h))
	draw.Draw(rgb, rgb.Rect, img, img.Bounds().Min, draw.Src)
	s := &samples{w: w, h: h, n: 3, bits: 8, data: make([]byte, 0, 3*w*h)}
	for i := 0; i < len(rgb.Pix); i += 4 {
		s.data = append(s.data, rgb.Pix[i:i+3]...)
	}
	return s, nil
}

// stencil paints where the samples say so (section 8.9.6.2).
func (m *machine) stencil(raw *samples, decode []float64) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, raw.w, raw.h))
	paints := uint64(0)
	if len(decode) > 0 && decode[0] == 1 {
		paints = 1
	}
	cr, cg, cb := m.fill.colour.RGB.Bytes()
	if m.fill.nothing {
		return nil
	}
	raw.each(m.late, func(i int, v []uint64) {
		if v[0] == paints {
			copy(img.Pix[4*i:], []byte{cr, cg, cb, 255})
		} else {
			copy(img.Pix[4*i:], []byte{cr, cg, cb, 0})
		}
	})
	return img
}

// each calls f with the samples of each pixel, until it is too late; what the
// data lack is 0.
func (s *samples) each(late func() bool, f func(i int, v []uint64)) {
	r := bitReader{b: s.data}
	v := make([]uint64, s.n)
	for y := range s.h {
		if late() {
			return
		}
		for x := range s.w {
			for k := range v {
				if s.bits == 8 {
					v[k] = 0
					if at := (y*s.w+x)*s.n + k; at < len(s.data) {
						v[k] = uint64(s.data[at])
					}
				} else {
					v[k] = r.bits(s.bits)
				}
			}
			f(y*s.w+x, v)
		}
		r.align()
	}
}

// coloured turns samples into screen colours.
// The inks are those of its pixels, if all of them are in process inks or in one plate.
func (m *machine) coloured(raw *samples, cs *space, decode []float64, s *stream) (*image.NRGBA, *drawing.Inks) {
	img := image.NewNRGBA(image.Rect(0, 0, raw.w, raw.h))
	if len(decode) < 2*raw.n {
		decode = cs.decode
		if cs.indexed {
			decode = []float64{0, float64(uint64(1)<<raw.bits - 1)}
		}
	}
	top := float64(uint64(1)<<raw.bits - 1)
	key, keyed := m.file.numbers(s.dict["Mask"])
	keyed = keyed && len(key) >= 2*raw.n
	type px struct {
		shown, build [4]byte
	}
	inks := newInking(cs, raw.w*raw.h)
	known := map[[4]uint64]px{}
	w := make([]float64, raw.n)
	raw.each(m.late, func(i int, v []uint64) {
		var k [4]uint64
		short := raw.n <= 4
		if short {
			copy(k[:], v)
			if c, ok := known[k]; ok {
				copy(img.Pix[4*i:], c.shown[:])
				inks.put(i, c.build)
				return
			}
		}
		for j := range w {
			w[j] = float64(v[j]) / top
			if decode != nil {
				w[j] = decode[2*j] + w[j]*(decode[2*j+1]-decode[2*j])
			}
		}
		var c px
		drawn := cs.colour(w)
		c.shown[0], c.shown[1], c.shown[2] = drawn.RGB.Bytes()
		c.shown[3] = 255
		c.build = inks.of(drawn)
		if keyed {
			inside := true
			for j := range v {
				inside = inside && float64(v[j]) >= key[2*j] && float64(v[j]) <= key[2*j+1]
			}
			if inside {
				c.shown[3] = 0
			}
		}
		if short && len(known) < 1<<20 {
			known[k] = c
		}
		copy(img.Pix[4*i:], c.shown[:])
		inks.put(i, c.build)
	})
	return img, inks.done()
}

// alphaOf lays the image's mask over it (sections 8.9.6.3 and 11.6.5.3). Where
// sizes differ, the larger one counts.
func (m *machine) alphaOf(img *image.NRGBA, inks *drawing.Inks, s *stream) (*image.NRGBA, *drawing.Inks, error) {
	f := m.file
	soft, isSoft := f.get(s.dict["SMask"]).(*stream)
	hard, isHard := f.get(s.dict["Mask"]).(*stream)
	if !isSoft && !isHard {
		return img, inks, nil
	}
	from := soft
	if !isSoft {
		from = hard
	}
	if m.unread(aPicture, from.dict) {
		return img, inks, nil
	}
	raw, err := m.unpackImage(from, !isSoft)
	if err != nil {
		return nil, nil, err
	}
	if raw.n != 1 {
		return nil, nil, errors.New("its mask is not grey")
	}
	decode, _ := f.numbers(from.dict["Decode"])
	if len(decode) < 2 {
		decode = []float64{0, 1}
	}
	top := float64(uint64(1)<<raw.bits - 1)
	mask := image.NewGray(image.Rect(0, 0, raw.w, raw.h))
	raw.each(m.late, func(i int, v []uint64) {
		a := decode[0] + float64(v[0])/top*(decode[1]-decode[0])
		if !isSoft {
			a = 1 - a // what is marked is masked out
		}
		mask.Pix[i] = uint8(unit(a)*255 + 0.5)
	})
	if mask.Rect != img.Rect {
		size := image.Rect(0, 0, max(img.Rect.Dx(), mask.Rect.Dx()), max(img.Rect.Dy(), mask.Rect.Dy()))
		if m.pixels += size.Dx() * size.Dy(); m.pixels > MaxPixels {
			m.fail("the pictures on the page have more than %d megapixels together", MaxPixels/1_000_000)
			return nil, nil, m.err
		}
		inks = scaledInks(inks, img.Rect, size)
		big, bigMask := image.NewNRGBA(size), image.NewGray(size)
		draw.BiLinear.Scale(big, size, img, img.Rect, draw.Src, nil)
		draw.BiLinear.Scale(bigMask, size, mask, mask.Rect, draw.Src, nil)
		img, mask = big, bigMask
	}
	matte, hasMatte := f.numbers(from.dict["Matte"])
	var back [3]float64
	if hasMatte = hasMatte && isSoft; hasMatte {
		inks = nil // its samples are mixed with another colour
		if cs, err := m.space(s.dict["ColorSpace"], m.res); err == nil && cs.n == len(matte) {
			c := cs.colour(matte).RGB
			back = [3]float64{c.R, c.G, c.B}
		}
	}
	for i, a := range mask.Pix {
		p := img.Pix[4*i : 4*i+4]
		p[3] = a
		if hasMatte && a > 0 {
			for k := range 3 {
				c := back[k] + (float64(p[k])/255-back[k])/(float64(a)/255)
				p[k] = uint8(unit(c)*255 + 0.5)
			}
		}
	}
	return img, inks, nil
}
