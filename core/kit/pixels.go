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

	_ "golang.org/x/image/webp"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/kit/reread"
	"dyekit/core/recipe"
)

func (j *job) checkPixels(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	e := f.Entry
	img, kind, ppi, err := decode(data)
	if err != nil {
		return err
	}
	b := img.Bounds()
	cs.add("opens", kind == e.Format, "%s", kind)
	cs.add("pixel-size", b.Dx() == f.W && b.Dy() == f.H, "%d × %d px", b.Dx(), b.Dy())
	if e.Format != "webp" { // which keeps none
		cs.add("resolution", math.Abs(ppi-f.PPI) < 0.02, "%.2f ppi", ppi)
	}
	// Reduced by a whole number of pixels, so that both sides mean the same.
	n := (max(f.W, f.H) + lookSide - 1) / lookSide
	hard := e.Antialias != nil && !*e.Antialias
	if hard {
		n = 1
	}
	w, h := (f.W+n-1)/n, (f.H+n-1)/n
	box := j.frameFor(f, f.Versions[0]).Box
	box.X1 = box.X0 + box.W()*float64(w*n)/float64(f.W)
	box.Y1 = box.Y0 + box.H()*float64(h*n)/float64(f.H)
	d, err := j.art(ctx, f, f.Versions[0])
	if err != nil {
		return err
	}
	_, isCMYK := img.(*image.CMYK)
	if e.ColourSpace() == export.CMYK {
		cs.add("ink-space", isCMYK, "%s", space(img))
		cs.add("profile", bytes.Equal(profile(data), icc.Press(j.press(e))), "%s", j.press(e).Name)
		d = pressed(d)
	} else if e.Format == "jpeg" || e.Format == "tiff" {
		cs.add("ink-space", !isCMYK, "%s", space(img))
	}
	if e.Palette != nil && !e.Palette.Never {
		if done, err := j.checkPalette(ctx, f, img, cs); done || err != nil {
			return err
		}
	}
	want, err := draw(ctx, d, box, w, h)
	if err != nil {
		return err
	}
	var got *image.NRGBA
	switch p := img.(type) {
	case *image.CMYK:
		got = reduce(screen(p), n)
	case *image.Paletted:
		got = reducePalette(p, n)
	default:
		got = reduce(straight(img), n)
	}
	tol := exact
	if d.Has().Filters {
		tol = curve // effects depend on the size they are made at
	}
	if e.Format == "jpeg" {
		tol = lossy
	}
	if ground, ok := e.Ground(); ok {
		o, ok := img.(interface{ Opaque() bool })
		cs.add("transparency", ok && o.Opaque(), "opaque")
		// Blocks at the edge reach over it, where there is no paper either.
		got, want = over(got, ground), over(want, ground)
	} else {
		// The corners of a trimmed frame are bare; what is opaque in the art
		// must be opaque in the file and nowhere else.
		cs.add("transparency", opacities(got) == opacities(want), "%s", opacities(got))
	}
	if hard {
		tol = jags
	}
	diff := compare(got, want, tol, false)
	cs.add("picture", diff.within(tol), "%v", diff)
	// One ink has one colour, whatever the edges; several mix where they meet.
	if ink, one := onlyInk(d); one && !e.Opaque() && (e.Format == "png" || e.Format == "webp") && j.versions[f.Versions[0]].Spec.OneInk() {
		hex, k := inks(img)
		cs.add("inks", k == 1 && hex == ink.Hex(), "%d colour, %s", k, hex)
	}
	return nil
}

// decode reads a picture and its resolution with readers that did not write
// it.
func decode(data []byte) (img image.Image, kind string, ppi float64, err error) {
	if bytes.HasPrefix(data, []byte("II*\x00")) {
		t, err := reread.ReadTIFF(data)
		if err != nil {
			return nil, "", 0, err
		}
		return t.Image, "tiff", t.PPI, nil
	}
	if ppi, err = resolution(data); err != nil {
		return nil, "", 0, err
	}
	img, kind, err = image.Decode(bytes.NewReader(data))
	return img, kind, ppi, err
}

// Pixels reads a picture that was made here back, as straight 8-bit pixels.
func Pixels(data []byte) (*image.NRGBA, error) {
	img, _, _, err := decode(data)
	if err != nil {
		return nil, err
	}
	return straight(img), nil
}

// profile is the ICC profile in a JPEG or TIFF, or nil.
func profile(data []byte) (p []byte) {
	if t, err := reread.ReadTIFF(data); err == nil {
		return t.Profile
	}
	for at := 2; at+18 < len(data) && data[at] == 0xff && data[at+1] != 0xda; {
		n := int(binary.BigEndian.Uint16(data[at+2:]))
		if at+2+n <= len(data) && data[at+1] == 0xe2 && n > 16 && string(data[at+4:at+15]) == "ICC_PROFILE" {
			p = append(p, data[at+18:at+2+n]...)
		}
		at += 2 + n
	}
	return p
}

// checkPalette holds a file with a palette that may lose something to the art
// reduced in the same way, and says what was lost. done is false if the file
// lost nothing and is to be checked like any other.
func (j *job) checkPalette(ctx context.Context, f recipe.File, img image.Image, cs *checks) (done bool, err error) {
	full, err := j.render(ctx, f, f.W)
	if err != nil {
		return false, err
	}
	got := straight(img)
	loss := png.Compare(full, got)
	p, indexed := img.(*image.Paletted)
	if !indexed {
		cs.add("palette", f.Entry.Palette.Colors == 0, "none: 256 colours would be seen to lose some")
		return false, nil
	}
	most := 256
	if n := f.Entry.Palette.Colors; n > 0 {
		most = n
	}
	said := fmt.Sprintf("%d colours, ΔE00 %.2f on the mean, %.1f at most", len(p.Palette), loss.Mean, loss.Most)
	cs.add("palette", len(p.Palette) <= most && (f.Entry.Palette.Colors > 0 || loss.Unseen()), "%s", said)
	if loss == (png.Loss{}) {
		return false, nil
	}
	cs.add("picture", bytes.Equal(png.Quantise(full, most).Pix, got.Pix), "the art in %d colours", most)
	return true, nil
}

// checkICO opens an icon again: every size it must hold, each the picture of
// the art.
func (j *job) checkICO(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	imgs, err := reread.Icon(data)
	if err != nil {
		return err
	}
	var sides []int
	for _, img := range imgs {
		sides = append(sides, img.Rect.Dx())
	}
	cs.add("opens", true, "icon")
	cs.add("pixel-size", slices.Equal(sides, f.Icon.Sides), "%v px", sides)
	for _, img := range imgs {
		side := img.Rect.Dx()
		want, err := draw(ctx, j.drawing(f.Versions[0]), j.square(f, f.Versions[0], side), side, side)
		if err != nil {
			return err
		}
		if ground, ok := f.Entry.Ground(); ok {
			want = over(want, ground)
		}
		diff := compare(img, want, exact, false)
		cs.add("picture", diff.within(exact), "%d px: %v", side, diff)
	}
	return nil
}

func space(img image.Image) string {
	if img.ColorModel() == color.CMYKModel {
		return "CMYK"
	}
	return "RGB"
}

// onlyInk is the one colour a drawing is painted in, if it is just one.
func onlyInk(d *drawing.Drawing) (c colour.RGB, one bool) {
	n := 0
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		s, ok := x.(*drawing.Shape)
		if !ok {
			return
		}
		p, ok := s.Paint.(drawing.Solid)
		switch {
		case !ok: // a gradient has many
			n += 2
		case n == 0 || p.Colour.RGB != c:
			n++
			c = p.Colour.RGB
		}
	})
	return c, n == 1
}

// opacities says whether a picture has bare pixels.
func opacities(img *image.NRGBA) string {
	if img.Opaque() {
		return "opaque"
	}
	return "transparent"
}

// inks counts the colours of the pixels that are not bare.
func inks(img image.Image) (hex string, n int) {
	seen := map[[3]uint8]bool{}
	var last [3]uint8
	add := func(c color.NRGBA) {
		if k := [3]uint8{c.R, c.G, c.B}; c.A > 0 {
			last = k
			seen[k] = true
		}
	}
	if p, ok := img.(*image.Paletted); ok {
		for _, c := range p.Palette {
			add(color.NRGBAModel.Convert(c).(color.NRGBA))
		}
	} else {
		b := img.Bounds()
		for y := b.Min.Y; y < b.Max.Y && len(seen) < 16; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				add(color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA))
			}
		}
	}
	return colour.FromBytes(last[0], last[1], last[2]).Hex(), len(seen)
}

// straight turns any picture into straight 8-bit pixels.
func straight(img image.Image) *image.NRGBA {
	if n, ok := img.(*image.NRGBA); ok {
		return n
	}
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	if p, ok := img.(*image.Paletted); ok { // not through premultiplied colours
		for y := range b.Dy() {
			for x, i := range p.Pix[y*p.Stride:][:b.Dx()] {
				c := color.NRGBAModel.Convert(p.Palette[i]).(color.NRGBA)
				copy(out.Pix[y*out.Stride+4*x:], []uint8{c.R, c.G, c.B, c.A})
			}
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

// screen shows process inks by the formula that proposes them.
func screen(img *image.CMYK) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	for i := 0; i < len(img.Pix); i += 4 {
		p := img.Pix[i : i+4]
		k := 255 - int(p[3])
		for c := range 3 {
			out.Pix[i+c] = uint8(((255-int(p[c]))*k + 127) / 255)
		}
		out.Pix[i+3] = 255
	}
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
