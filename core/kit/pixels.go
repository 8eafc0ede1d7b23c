package kit

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	draw2 "image/draw"
	_ "image/jpeg" // the readers of the standard library did not write the file
	_ "image/png"
	"math"
	"slices"
	"strings"

	_ "golang.org/x/image/webp"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/kit/readback"
	"dyekit/core/kit/witness"
	"dyekit/core/recipe"
)

// checkPNG opens a PNG again and holds it to what was drawn, row beside row.
func (j *job) checkPNG(ctx context.Context, f recipe.File, px pixels, data []byte, cs *checks) error {
	p, err := readback.ReadPNG(data)
	if err != nil {
		return err
	}
	e := f.Entry
	cs.add("opens", true, "png")
	cs.add("pixel-size", p.W == f.W && p.H == f.H, "%d × %d px", p.W, p.H)
	if !e.Kind().Unscaled {
		cs.add("resolution", math.Abs(p.PPI-f.PPI) < 0.02, "%.2f ppi", p.PPI)
	}
	if p.W != f.W || p.H != f.H {
		return nil
	}
	b, err := j.besides(p, px)
	if err != nil {
		return err
	}
	cs.add("transparency", b.opaque == b.wantOpaque, "%s", opacity(b.wantOpaque))
	if e.Reduced() {
		got, err := p.Image()
		if err != nil {
			return err
		}
		checkPalette(e.Palette, len(p.Palette), got, px.screen[0], cs)
	} else {
		addSame("picture", b.off, cs)
	}
	if err := j.checkDrawn(ctx, f, px, cs); err != nil {
		return err
	}
	j.checkInk(f, func() [][3]uint8 { return b.colours }, cs)
	return nil
}

func (j *job) checkPixels(ctx context.Context, f recipe.File, px pixels, data []byte, cs *checks) error {
	e := f.Entry
	img, kind, ppi, intent, err := decode(data)
	if err != nil {
		return err
	}
	b := img.Bounds()
	cs.add("opens", kind == string(e.Format), "%s", kind)
	cs.add("pixel-size", b.Dx() == f.W && b.Dy() == f.H, "%d × %d px", b.Dx(), b.Dy())
	if !e.Kind().Unscaled {
		cs.add("resolution", math.Abs(ppi-f.PPI) < 0.02, "%.2f ppi", ppi)
	}
	if b.Dx() != f.W || b.Dy() != f.H {
		return nil
	}
	inks, isCMYK := img.(*image.CMYK)
	if e.ColourSpace() == format.CMYK {
		cs.add("ink-space", isCMYK, "%s", space(img.ColorModel()))
		cs.add("profile", bytes.Equal(intent, icc.Press(j.press(e))), "%s", j.press(e).Name)
		if !isCMYK {
			return nil
		}
	} else if e.Kind().Holds(format.CMYK) {
		cs.add("ink-space", !isCMYK, "%s", space(img.ColorModel()))
	}
	o, ok := img.(interface{ Opaque() bool })
	opaque := px.press != nil || px.screen[0].Opaque()
	cs.add("transparency", ok && o.Opaque() == opaque, "%s", opacity(opaque))
	if px.press != nil {
		n := differing(inks.Pix, px.press.Pix)
		cs.add("picture", n == 0, "%d px are not as they were drawn", n)
	} else {
		checkSame("picture", straight(img), px.screen[0], cs)
	}
	if err := j.checkDrawn(ctx, f, px, cs); err != nil {
		return err
	}
	if !e.Kind().Holds(format.CMYK) {
		j.checkInk(f, func() [][3]uint8 { return visible(straight(img)) }, cs)
	}
	return nil
}

// checkInk holds a picture in one ink to its one colour, whatever the edges;
// several inks mix where they meet.
func (j *job) checkInk(f recipe.File, found func() [][3]uint8, cs *checks) {
	if f.Entry.Opaque() || !j.versions[f.Versions[0]].Spec.OneInk() {
		return
	}
	if ink, one := onlyInk(j.drawing(f.Versions[0])); one {
		hex, one := inkOf(found(), ink)
		cs.add("inks", one, "%s", hex)
	}
}

// checkSame holds a file that loses nothing to what was drawn, pixel for
// pixel. What is wholly transparent has no colour.
func checkSame(name string, got, want *image.NRGBA, cs *checks) {
	n := 0
	for y := range want.Rect.Dy() {
		n += drawnPixels{want}.differ(y, drawnPixels{got}.row(y))
	}
	addSame(name, n, cs)
}

func addSame(name string, off int, cs *checks) {
	if off > 0 {
		cs.add(name, false, "%d px are not as they were drawn", off)
		return
	}
	cs.add(name, true, "every pixel as it was drawn")
}

// differing counts the pixels of four bytes that are not the same.
func differing(a, b []uint8) (n int) {
	for i := 0; i < len(a); i += 4 {
		if *(*[4]uint8)(a[i:]) != *(*[4]uint8)(b[i:]) {
			n++
		}
	}
	return n
}

// sampled is how many tiles of each picture are drawn again.
const sampled = 48

// checkDrawn has the witness draw places of a picture again.
func (j *job) checkDrawn(ctx context.Context, f recipe.File, px pixels, cs *checks) error {
	d := j.seen(f, f.Versions[0])
	look := func(d *drawing.Drawing, side int, at func(x, y int) [4]uint8, ground *colour.RGB) error {
		to, w, h, o := j.camera(f, side)
		if ground != nil {
			o.Ground, o.Hard = ground, false
		}
		again := func() (witness.Verdict, error) {
			k := witness.New(&j.paths, d, to, w, h, o)
			return k.Compare(ctx, at, k.Sample(sampled))
		}
		var v witness.Verdict
		var err error
		if px.runs != nil && px.runs.Of != nil { // in another ink it was looked at, or will be
			v, err = j.verdicts.get(fmt.Sprintf("%p", px.runs.Of), again)
		} else {
			v, err = again()
		}
		cs.add("drawing", v.OK(), "%v", v)
		return err
	}
	if p := px.press; p != nil {
		d, err := j.inkable(ctx, f)
		if err != nil {
			return err
		}
		cmy, black := witness.Plates(d, j.press(f.Entry))
		b := j.backing(f)
		err = look(cmy, f.W, func(x, y int) [4]uint8 {
			i := p.PixOffset(x, y)
			return [4]uint8{p.Pix[i], p.Pix[i+1], p.Pix[i+2], 255}
		}, &colour.RGB{R: b.C / 100, G: b.M / 100, B: b.Y / 100})
		if err != nil {
			return err
		}
		return look(black, f.W, func(x, y int) [4]uint8 {
			return [4]uint8{p.Pix[p.PixOffset(x, y)+3], 0, 0, 255}
		}, &colour.RGB{R: b.K / 100})
	}
	if px.runs != nil {
		return look(d, px.runs.W, px.runs.At, nil)
	}
	for _, img := range px.screen {
		if err := look(d, img.Rect.Dx(), witness.Pixels(img), nil); err != nil {
			return err
		}
	}
	return nil
}

// decode reads a picture, its resolution and its ICC profile, nil if it has none,
// with readers that did not write it.
func decode(data []byte) (img image.Image, kind string, ppi float64, profile []byte, err error) {
	if bytes.HasPrefix(data, []byte("II*\x00")) {
		t, err := readback.ReadTIFF(data)
		if err != nil {
			return nil, "", 0, nil, err
		}
		return t.Image, "tiff", t.PPI, t.Profile, nil
	}
	if ppi, err = resolution(data); err != nil {
		return nil, "", 0, nil, err
	}
	img, kind, err = image.Decode(bytes.NewReader(data))
	return img, kind, ppi, profileOfJPEG(data), err
}

// Pixels reads a picture that was made here back, as straight 8-bit pixels.
func Pixels(data []byte) (*image.NRGBA, error) {
	img, _, _, _, err := decode(data)
	if err != nil {
		return nil, err
	}
	return straight(img), nil
}

// profileOfJPEG is the ICC profile in a JPEG, or nil.
func profileOfJPEG(data []byte) (p []byte) {
	for at := 2; at+18 < len(data) && data[at] == 0xff && data[at+1] != 0xda; {
		n := int(binary.BigEndian.Uint16(data[at+2:]))
		if at+2+n <= len(data) && data[at+1] == 0xe2 && n > 16 && string(data[at+4:at+15]) == "ICC_PROFILE" {
			p = append(p, data[at+18:at+2+n]...)
		}
		at += 2 + n
	}
	return p
}

// checkICO opens an icon again: every size it must hold, each the picture of
// the art.
func (j *job) checkICO(ctx context.Context, f recipe.File, px pixels, data []byte, cs *checks) error {
	imgs, err := readback.Icon(data)
	if err != nil {
		return err
	}
	var sides []int
	for _, img := range imgs {
		sides = append(sides, img.Rect.Dx())
	}
	cs.add("opens", true, "icon")
	cs.add("pixel-size", slices.Equal(sides, f.Icon.Sides), "%v px", sides)
	if !slices.Equal(sides, f.Icon.Sides) {
		return nil
	}
	for i, img := range imgs {
		checkSame("picture", img, px.screen[i], cs)
	}
	return j.checkDrawn(ctx, f, px, cs)
}

// space names the colours of pixels.
func space(m color.Model) string {
	if m == color.CMYKModel {
		return "CMYK"
	}
	return "RGB"
}

// onlyInk is the one colour a drawing is painted in, if it is just one.
func onlyInk(d *drawing.Drawing) (c colour.RGB, one bool) {
	n := 0
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if _, ok := x.(*drawing.Picture); ok {
			n += 2 // it has many
			return
		}
		s, ok := x.(*drawing.Shape)
		if !ok {
			return
		}
		p, ok := s.Paint.(drawing.Solid)
		switch {
		case !ok: // and so has a gradient
			n += 2
		case n == 0 || p.Colour.RGB != c:
			n++
			c = p.Colour.RGB
		}
	})
	return c, n == 1
}

func opacity(opaque bool) string {
	if opaque {
		return "opaque"
	}
	return "transparent"
}

// mostSeen is how many colours of a picture are looked at: more are no ink's.
const mostSeen = 16

// inkOf reports whether all colours have that of an ink, to within the rounding
// of a channel that lies between two steps; hex lists them.
func inkOf(found [][3]uint8, ink colour.RGB) (hex string, one bool) {
	r, g, b := ink.Bytes()
	want := [3]uint8{r, g, b}
	var list []string
	one = len(found) > 0
	for _, c := range found {
		for i, v := range c {
			if d := int(v) - int(want[i]); d < -1 || d > 1 {
				one = false
			}
		}
		list = append(list, colour.FromBytes(c[0], c[1], c[2]).Hex())
	}
	return strings.Join(list, " "), one
}

// straight turns any picture into straight 8-bit pixels.
func straight(img image.Image) *image.NRGBA {
	if n, ok := img.(*image.NRGBA); ok {
		return n
	}
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	if p, ok := img.(*image.Paletted); ok { // not through premultiplied colours
		var colours [256][4]uint8
		for i, c := range p.Palette {
			n := color.NRGBAModel.Convert(c).(color.NRGBA)
			colours[i] = [4]uint8{n.R, n.G, n.B, n.A}
		}
		for y := range b.Dy() {
			row := out.Pix[y*out.Stride:][:out.Stride]
			for x, i := range p.Pix[y*p.Stride:][:b.Dx()] {
				*(*[4]uint8)(row[4*x:]) = colours[i]
			}
		}
		return out
	}
	if p, ok := img.(*image.RGBA); ok && p.Opaque() { // premultiplied by one
		for y := range b.Dy() {
			copy(out.Pix[y*out.Stride:][:out.Stride], p.Pix[y*p.Stride:])
		}
		return out
	}
	if p, ok := img.(*image.YCbCr); ok {
		for y := range b.Dy() {
			row := out.Pix[y*out.Stride:][:out.Stride]
			for x := range b.Dx() {
				i, k := p.YOffset(x, y), p.COffset(x, y)
				row[4*x], row[4*x+1], row[4*x+2] = color.YCbCrToRGB(p.Y[i], p.Cb[k], p.Cr[k])
				row[4*x+3] = 255
			}
		}
		return out
	}
	draw2.Draw(out, out.Rect, img, b.Min, draw2.Src)
	return out
}

// resolution reads pHYs or JFIF density, in pixels per inch; 0 if the file
// keeps none.
func resolution(data []byte) (float64, error) {
	if bytes.HasPrefix(data, []byte("\x89PNG")) {
		for at := 8; at+12 <= len(data); {
			n := int(binary.BigEndian.Uint32(data[at:]))
			if name := string(data[at+4 : at+8]); name == "pHYs" && n == 9 {
				b := data[at+8:]
				if x, y := binary.BigEndian.Uint32(b), binary.BigEndian.Uint32(b[4:]); x != y || b[8] != 1 {
					return 0, errors.New("its resolution differs across and down")
				}
				return float64(binary.BigEndian.Uint32(b)) * 0.0254, nil
			}
			at += 12 + n
		}
		return 0, nil
	}
	if len(data) > 18 && string(data[6:11]) == "JFIF\x00" && data[13] == 1 {
		return float64(binary.BigEndian.Uint16(data[14:])), nil
	}
	return 0, nil
}
