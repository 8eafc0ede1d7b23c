package photomark

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/draw"
	stdpng "image/png"
	"math"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/png"
	"dyekit/core/export/tiff"
	lossless "dyekit/core/export/webp"
	"dyekit/core/intake/picture"
	"dyekit/core/t81/blocks"
	"dyekit/core/tags"
)

// Kind tells the kind of a photograph by its first bytes; empty if it is none that
// a mark can be laid on.
func Kind(b []byte) string {
	switch {
	case bytes.HasPrefix(b, []byte("\xff\xd8\xff")):
		return "jpeg"
	case bytes.HasPrefix(b, []byte("\x89PNG\r\n\x1a\n")):
		return "png"
	case len(b) > 12 && string(b[:4]) == "RIFF" && string(b[8:12]) == "WEBP":
		return "webp"
	case tags.Are(b):
		return "tiff"
	}
	return ""
}

// open takes a photograph of w × h px apart, or a copy whose longer side is at most
// longest px.
func open(data []byte, w, h, longest int, r *Result) (photo, error) {
	small := longest > 0 && max(w, h) > longest
	if r.Kind == "jpeg" && !small {
		return openJPEG(data)
	}
	p := &pixelPhoto{kind: r.Kind, data: data, small: small}
	if small {
		var err error
		p.img, err = picture.Reduced(data, longest)
		return p, err
	}
	return p, p.read(r)
}

// A pixelPhoto is a photograph that is unpacked as a whole, and packed again. Of img,
// deep and inks one is set.
type pixelPhoto struct {
	kind   string
	data   []byte
	small  bool           // it is a smaller copy, in sRGB and the right way up
	img    *image.NRGBA   // as stored
	deep   *image.NRGBA64 // of 16 bits
	inks   *image.CMYK
	grey   bool // it has no colours
	turn   turn
	screen *icc.Screen // or nil
	press  *colour.Press
}

func (p *pixelPhoto) read(r *Result) error {
	if p.kind == "png" && bytes.Contains(p.data[:min(len(p.data), 4096)], []byte("acTL")) {
		return errors.New("the picture moves: a mark is laid on photographs that stand still")
	}
	img, err := picture.Samples(p.data)
	if err != nil {
		return err
	}
	meta := picture.ReadMeta(p.data)
	if p.turn = turn(meta.Turn); p.turn > 8 {
		p.turn = 0
	}
	to := image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy())
	switch img := img.(type) {
	case *image.CMYK:
		p.inks = image.NewCMYK(to)
		draw.Draw(p.inks, to, img, img.Rect.Min, draw.Src)
		p.press = colour.Coated
		if q, err := icc.Read(meta.Profile); err == nil {
			p.press = q
		}
		return nil
	case *image.RGBA64, *image.NRGBA64, *image.Gray16:
		_, p.grey = img.(*image.Gray16)
		if p.kind == "png" {
			p.deep = image.NewNRGBA64(to)
			draw.Draw(p.deep, to, img, img.Bounds().Min, draw.Src)
			break
		}
		r.Notes = append(r.Notes, "its 16 bits a channel became 8")
	}
	if _, ok := img.(*image.Gray); ok {
		p.grey = true
	}
	if p.deep == nil {
		if n, ok := img.(*image.NRGBA); ok && n.Rect == to && n.Stride == 4*to.Dx() {
			p.img = n
		} else {
			p.img = image.NewNRGBA(to)
			draw.Draw(p.img, to, img, img.Bounds().Min, draw.Src)
		}
	}
	if s, err := icc.ReadScreen(meta.Profile); err == nil && !s.Plain() {
		p.screen = s
	}
	if p.kind == "tiff" && picture.Pages(p.data) > 1 {
		r.Notes = append(r.Notes, "only the first of its pages was taken")
	}
	return nil
}

func (p *pixelPhoto) bounds() image.Rectangle {
	switch {
	case p.deep != nil:
		return p.deep.Rect
	case p.inks != nil:
		return p.inks.Rect
	}
	return p.img.Rect
}

func (p *pixelPhoto) size() (w, h int) { return p.turn.seen(p.bounds().Dx(), p.bounds().Dy()) }

func (p *pixelPhoto) look(r image.Rectangle) *image.NRGBA {
	b := p.bounds()
	s := p.turn.stored(r, b.Dx(), b.Dy())
	out := image.NewNRGBA(image.Rect(0, 0, s.Dx(), s.Dy()))
	for y := range s.Dy() {
		for x := range s.Dx() {
			px := out.Pix[out.PixOffset(x, y):][:4]
			var c colour.RGB
			a := 255
			switch sx, sy := s.Min.X+x, s.Min.Y+y; {
			case p.inks != nil:
				q := p.inks.Pix[p.inks.PixOffset(sx, sy):]
				if build := (colour.CMYK{C: float64(q[0]) / 2.55, M: float64(q[1]) / 2.55, Y: float64(q[2]) / 2.55, K: float64(q[3]) / 2.55}); build.NoInk() {
					c = colour.White
				} else {
					c = p.press.Show(build)
				}
			case p.deep != nil:
				q := p.deep.Pix[p.deep.PixOffset(sx, sy):]
				c, a = colour.FromBytes(q[0], q[2], q[4]), int(q[6])
			default:
				q := p.img.Pix[p.img.PixOffset(sx, sy):]
				c, a = colour.FromBytes(q[0], q[1], q[2]), int(q[3])
			}
			if p.screen != nil {
				c = p.screen.RGB([]float64{c.R, c.G, c.B}[:p.screen.Channels])
			}
			c = c.Over(colour.White, float64(a)/255)
			px[0], px[1], px[2] = c.Bytes()
			px[3] = 255
		}
	}
	return picture.Turned(out, int(p.turn))
}

// samples is a screen colour as the file keeps it, from 0 to 1.
func (p *pixelPhoto) samples(c colour.RGB) (v [4]float64) {
	switch {
	case p.inks != nil:
		b := p.press.Print(colour.Screen(c)).Build
		return [4]float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}
	case p.screen == nil:
		return [4]float64{c.R, c.G, c.B}
	}
	q := p.screen.From(c)
	if p.screen.Channels == 1 {
		return [4]float64{q[0], q[0], q[0]}
	}
	return [4]float64{q[0], q[1], q[2]}
}

// lay puts the mark over what is there (Porter and Duff's over, straight opacity).
func (p *pixelPhoto) lay(m *image.NRGBA, at image.Point) {
	b := p.bounds()
	s := p.turn.stored(m.Rect.Add(at), b.Dx(), b.Dy())
	m = picture.Turned(m, int(undone[p.turn]))
	known := map[[3]uint8][4]float64{}
	for y := range s.Dy() {
		for x := range s.Dx() {
			o := m.Pix[m.PixOffset(x, y):][:4]
			if o[3] == 0 {
				continue
			}
			k := [3]uint8(o)
			v, ok := known[k]
			if !ok {
				v = p.samples(colour.FromBytes(k[0], k[1], k[2]))
				known[k] = v
				p.grey = p.grey && k[0] == k[1] && k[1] == k[2]
			}
			a := float64(o[3]) / 255
			switch sx, sy := s.Min.X+x, s.Min.Y+y; {
			case p.inks != nil:
				q := p.inks.Pix[p.inks.PixOffset(sx, sy):][:4]
				for i := range q {
					q[i] = clamp(float64(q[i]) + a*(255*v[i]-float64(q[i])))
				}
			case p.deep != nil:
				c := p.deep.NRGBA64At(sx, sy)
				under := float64(c.A) / 65535 * (1 - a)
				over := func(g uint16, v float64) uint16 {
					return uint16(math.Round((a*65535*v + under*float64(g)) / (a + under)))
				}
				c.R, c.G, c.B = over(c.R, v[0]), over(c.G, v[1]), over(c.B, v[2])
				c.A = uint16(math.Round(65535 * (a + under)))
				p.deep.SetNRGBA64(sx, sy, c)
			default:
				q := p.img.Pix[p.img.PixOffset(sx, sy):][:4]
				under := float64(q[3]) / 255 * (1 - a)
				for i := range 3 {
					q[i] = clamp((a*255*v[i] + under*float64(q[i])) / (a + under))
				}
				q[3] = clamp(255 * (a + under))
			}
		}
	}
}

func (p *pixelPhoto) bytes(m *Marker, r *Result) ([]byte, error) {
	var b bytes.Buffer
	meta := picture.ReadMeta(p.data)
	if p.small {
		meta.Profile = nil // its numbers are sRGB now
	}
	if p.screen != nil && p.screen.Channels == 1 && !p.grey {
		meta.Profile = nil
		r.Notes = append(r.Notes, "its grey profile was left out: the mark has colour")
	}
	switch p.kind {
	case "jpeg": // a smaller copy
		if err := jpeg.EncodeRGB(&b, p.img, jpeg.Options{Quality: smallQuality}); err != nil {
			return nil, err
		}
		return withEXIF(b.Bytes(), p.data), nil
	case "png":
		return p.png(meta.Profile)
	case "tiff":
		o := tiff.Options{PPI: tiffPPI(p.data), Profile: meta.Profile}
		var err error
		if p.inks != nil {
			err = tiff.EncodeCMYK(&b, p.inks, o)
		} else {
			p.upright()
			err = tiff.EncodeRGB(&b, p.img, o)
		}
		return b.Bytes(), err
	}
	p.upright()
	if err := lossless.Encode(&b, p.img); err != nil {
		return nil, err
	}
	r.Notes = append(r.Notes, "it is kept without loss, so that it weighs more: WebP cannot be changed in part")
	return webp(b.Bytes(), p.data, meta.Profile, p.img.Rect.Dx(), p.img.Rect.Dy(), !p.img.Opaque()), nil
}

// smallQuality is that of smaller copies, whose pixels are all new.
const smallQuality = 90

// upright turns the pixels, for files whose tag of orientation is not kept.
func (p *pixelPhoto) upright() {
	p.img, p.turn = picture.Turned(p.img, int(p.turn)), 0
}

func (p *pixelPhoto) png(profile []byte) ([]byte, error) {
	var b bytes.Buffer
	var err error
	if p.deep != nil {
		err = stdpng.Encode(&b, p.deep)
	} else {
		err = png.Encode(&b, p.img, png.Options{NoPalette: true})
		// A profile of red, green and blue does not go with grey (PNG, section 11.3.3.3).
		if s, bad := icc.ReadScreen(profile); err == nil && bad == nil && s.Channels == 3 && b.Bytes()[25]&2 == 0 {
			b.Reset()
			err = stdpng.Encode(&b, p.img)
		}
	}
	if err != nil {
		return nil, err
	}
	return chunks(b.Bytes(), p.data, profile != nil, p.small), nil
}

// tiffPPI is the resolution that a TIFF tells, or 0.
func tiffPPI(b []byte) float64 {
	const x, unit, inch, cm = 282, 296, 2, 3
	t := tags.Read(b)
	if len(t.Pages) == 0 {
		return 0
	}
	e := t.Entry(t.Pages[0], x)
	if e == nil {
		return 0
	}
	at := int(t.Order.Uint32(e[8:]))
	if at < 8 || at > len(b)-8 {
		return 0
	}
	num, den := t.Order.Uint32(b[at:]), t.Order.Uint32(b[at+4:])
	if den == 0 {
		return 0
	}
	v := float64(num) / float64(den)
	switch t.Value(t.Pages[0], unit, inch) {
	case inch:
		return v
	case cm:
		return v * 2.54
	}
	return 0
}

// withEXIF gives a new JPEG what an old one says in EXIF: the right way up, and
// without a preview.
func withEXIF(data, old []byte) []byte {
	f, err := blocks.Read(old)
	if err != nil {
		return data
	}
	for _, s := range f.Segments {
		if s.Marker != blocks.APP1 || !bytes.HasPrefix(s.Body, exifHead) || !tags.Are(s.Body[len(exifHead):]) {
			continue
		}
		body := without(upright(s.Body[len(exifHead):]))
		out := append([]byte{}, data[:2]...)
		n := len(exifHead) + len(body) + 2
		out = append(out, 0xff, blocks.APP1, byte(n>>8), byte(n))
		out = append(append(out, exifHead...), body...)
		return append(out, data[2:]...)
	}
	return data
}

// upright returns EXIF data that say the picture stands the right way up.
func upright(b []byte) tags.File {
	const orientation = 274
	t := tags.Read(bytes.Clone(b))
	if len(t.Pages) == 0 {
		t.Pages = []int{8}
		return t
	}
	if e := t.Entry(t.Pages[0], orientation); e != nil {
		t.Order.PutUint16(e[8:], 1)
	}
	return t
}

// checkName is for patterns of names.
func checkName(pattern string) error {
	if _, err := name(pattern, "p", Dark, 1, 1, ".jpg"); err != nil {
		return fmt.Errorf("the names: %w", err)
	}
	return nil
}
