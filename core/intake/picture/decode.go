package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	_ "image/gif" // formats that Decode knows
	_ "image/jpeg"
	_ "image/png"
	"math"

	cmyktiff "github.com/hhrutter/tiff"
	_ "golang.org/x/image/bmp"
	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/tags"
)

// Check reports whether data is a picture that Decode takes, as far as its head
// tells.
func Check(data []byte) error {
	_, _, err := Size(data)
	return err
}

// Size is the width and height of a picture in px as it is seen, from its head
// alone. A picture that Decode does not take for its size is an error.
func Size(data []byte) (w, h int, err error) {
	w, h, err = Extent(data)
	if err == nil && w > MaxPixels/h {
		err = fmt.Errorf("the picture of %d × %d px is larger than %d megapixels", w, h, MaxPixels/1_000_000)
	}
	return w, h, err
}

// Extent is Size of a picture however large.
func Extent(data []byte) (w, h int, err error) {
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if errors.Is(err, image.ErrFormat) {
		return 0, 0, errors.New("it is not a picture of a known kind (PNG, JPEG, GIF, TIFF, WebP, BMP)")
	}
	if err != nil && tags.Are(data) {
		c, err = cmyktiff.DecodeConfig(bytes.NewReader(data))
	}
	if err != nil {
		return 0, 0, fmt.Errorf("the picture is damaged: %w", err)
	}
	if c.Width < 1 || c.Height < 1 {
		return 0, 0, errors.New("the picture is damaged: it has no size")
	}
	if ReadMeta(data).Turn >= 5 {
		return c.Height, c.Width, nil
	}
	return c.Width, c.Height, nil
}

// Pages is how many pictures a file holds that are seen one by one.
func Pages(data []byte) int {
	if !tags.Are(data) {
		return 1
	}
	return max(1, len(tags.Read(data).Pages))
}

// Decode reads a PNG, JPEG, GIF, TIFF, WebP or BMP picture into straight 8-bit
// sRGB with alpha, by the profile inside and the right way up. The size is
// checked before any pixel is unpacked.
func Decode(data []byte) (*image.NRGBA, error) {
	img, err := Samples(data)
	if err != nil {
		return nil, err
	}
	m := ReadMeta(data)
	return Turned(seen(img, m), m.Turn), nil
}

// Samples reads the pixels of a picture as they are stored: neither turned nor seen
// by its profile. The size is checked before any pixel is unpacked.
func Samples(data []byte) (image.Image, error) {
	if err := Check(data); err != nil {
		return nil, err
	}
	img, err := decode(data)
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	return img, nil
}

// Reduced is Decode made smaller: at most long px on its longer side. The picture is
// never held at its full size as sRGB, so that a large photograph takes little.
func Reduced(data []byte, long int) (*image.NRGBA, error) {
	w, h, err := Extent(data)
	if err == nil && w > MaxReduced/h {
		err = fmt.Errorf("the picture of %d × %d px is larger than %d megapixels", w, h, MaxReduced/1_000_000)
	}
	if err != nil {
		return nil, err
	}
	img, err := decode(data)
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	m := ReadMeta(data)
	b := img.Bounds()
	k := min(1, float64(long)/float64(max(b.Dx(), b.Dy())))
	to := image.Rect(0, 0, max(1, int(math.Round(k*float64(b.Dx())))), max(1, int(math.Round(k*float64(b.Dy())))))
	if c, ok := img.(*image.CMYK); ok {
		// Inks have four channels, which no quick way of scaling knows: each pixel is
		// the mean of its part.
		return Turned(seen(meanInks(c, to), m), m.Turn), nil
	}
	small := image.NewRGBA(to) // what scaling is quick for
	xdraw.CatmullRom.Scale(small, to, img, b, xdraw.Src, nil)
	return Turned(seen(small, m), m.Turn), nil
}

// meanInks makes a picture in process inks smaller.
func meanInks(c *image.CMYK, to image.Rectangle) *image.CMYK {
	out := image.NewCMYK(to)
	w, h := c.Rect.Dx(), c.Rect.Dy()
	for y := range to.Dy() {
		for x := range to.Dx() {
			x0, x1, y0, y1 := x*w/to.Dx(), (x+1)*w/to.Dx(), y*h/to.Dy(), (y+1)*h/to.Dy()
			var sum [4]int
			for v := y0; v < y1; v++ {
				for u := x0; u < x1; u++ {
					p := c.Pix[v*c.Stride+4*u:]
					for i := range sum {
						sum[i] += int(p[i])
					}
				}
			}
			n := (x1 - x0) * (y1 - y0)
			for i := range sum {
				out.Pix[out.PixOffset(x, y)+i] = uint8((sum[i] + n/2) / n)
			}
		}
	}
	return out
}

// decodePage is Decode of one page of several, from 1, with the process inks that its
// pixels are declared in, nil for those of a screen, and whether it had 16 bits a channel.
func decodePage(data []byte, page int) (*image.NRGBA, *drawing.Inks, bool, error) {
	if n := Pages(data); page > n {
		return nil, nil, false, fmt.Errorf("the file has %d pages; there is no page %d", n, page)
	}
	if page > 1 {
		t := tags.Read(data)
		data = t.Alone(t.Pages[page-1])
	}
	img, err := Samples(data)
	if err != nil {
		return nil, nil, false, err
	}
	m := ReadMeta(data)
	shown := Turned(seen(img, m), m.Turn)
	c, ok := img.(*image.CMYK)
	if !ok {
		return shown, nil, deep(img), nil
	}
	// Four channels are turned as a picture with opacity is.
	as := image.NewNRGBA(image.Rect(0, 0, c.Rect.Dx(), c.Rect.Dy()))
	for y := range c.Rect.Dy() {
		copy(as.Pix[y*as.Stride:], c.Pix[y*c.Stride:][:4*c.Rect.Dx()])
	}
	return shown, &drawing.Inks{Pix: Turned(as, m.Turn).Pix}, false, nil
}

func decode(data []byte) (img image.Image, err error) {
	defer func() { // readers of rare kinds break on some damaged files
		if x := recover(); x != nil {
			img, err = nil, fmt.Errorf("it breaks its reader (%v)", x)
		}
	}()
	if !tags.Are(data) {
		img, kind, err := image.Decode(bytes.NewReader(data))
		if err == nil && kind == "webp" {
			img = fullRange(img)
		}
		return img, err
	}
	const separated = 5
	t := tags.Read(data)
	if len(t.Pages) > 0 && t.Value(t.Pages[0], tagPhotometric, 0) != separated {
		if img, err := tiff.Decode(bytes.NewReader(data)); err == nil {
			return img, nil
		}
	}
	return cmyktiff.Decode(bytes.NewReader(data))
}

// seen turns samples into what a screen shows.
func seen(img image.Image, m Meta) *image.NRGBA {
	b := img.Bounds()
	if c, ok := img.(*image.CMYK); ok {
		return pressed(c, m.Profile)
	}
	out, ok := shallow(img)
	if !ok || b.Min != (image.Point{}) || out.Stride != 4*b.Dx() {
		out = image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
		var to draw.Image = out
		if o, ok := img.(interface{ Opaque() bool }); ok && o.Opaque() {
			// Of opaque pixels both kinds are one, and there is a quick way to this one.
			to = &image.RGBA{Pix: out.Pix, Stride: out.Stride, Rect: out.Rect}
		}
		draw.Draw(to, out.Rect, img, b.Min, draw.Src)
	}
	var look func(c [3]uint8) [3]uint8
	if p, err := icc.ReadScreen(m.Profile); err == nil && !p.Plain() {
		look = func(c [3]uint8) [3]uint8 {
			v := []float64{float64(c[0]) / 255, float64(c[1]) / 255, float64(c[2]) / 255}
			r, g, b := p.RGB(v[:p.Channels]).Bytes()
			return [3]uint8{r, g, b}
		}
	}
	if look == nil {
		return out
	}
	known := map[[3]uint8][3]uint8{}
	for i := 0; i < len(out.Pix); i += 4 {
		k := [3]uint8(out.Pix[i : i+3])
		v, ok := known[k]
		if !ok {
			v = look(k)
			known[k] = v
		}
		copy(out.Pix[i:], v[:])
	}
	return out
}

// deep reports whether samples have 16 bits a channel.
func deep(img image.Image) bool {
	switch img.(type) {
	case *image.NRGBA64, *image.RGBA64, *image.Gray16:
		return true
	}
	return false
}

// shallow gives samples 8 bits a channel, those of 16 rounded to the nearest; false if they are
// of some other kind.
func shallow(img image.Image) (*image.NRGBA, bool) {
	if n, ok := img.(*image.NRGBA); ok {
		return n, true
	}
	if !deep(img) {
		return nil, false
	}
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	near := func(v uint16) uint8 { return uint8((uint32(v)*255 + 32767) / 65535) }
	for y := range b.Dy() {
		for x := range b.Dx() {
			var c color.NRGBA64
			switch img := img.(type) {
			case *image.NRGBA64:
				c = img.NRGBA64At(b.Min.X+x, b.Min.Y+y)
			default:
				c = color.NRGBA64Model.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA64)
			}
			copy(out.Pix[out.PixOffset(x, y):], []uint8{near(c.R), near(c.G), near(c.B), near(c.A)})
		}
	}
	return out, true
}

// pressed shows process inks as the press of the profile prints them, or offset
// on coated paper where there is none.
func pressed(img *image.CMYK, profile []byte) *image.NRGBA {
	press := colour.Coated
	if p, err := icc.Read(profile); err == nil {
		press = p
	}
	b := img.Rect
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	known := map[[4]uint8][3]uint8{}
	for y := range b.Dy() {
		for x := range b.Dx() {
			k := [4]uint8(img.Pix[y*img.Stride+4*x:])
			v, ok := known[k]
			if !ok {
				build := colour.CMYK{C: float64(k[0]) / 2.55, M: float64(k[1]) / 2.55, Y: float64(k[2]) / 2.55, K: float64(k[3]) / 2.55}
				c := colour.White
				if !build.NoInk() {
					c = press.Show(build)
				}
				v[0], v[1], v[2] = c.Bytes()
				known[k] = v
			}
			copy(out.Pix[4*(y*b.Dx()+x):], []uint8{v[0], v[1], v[2], 255})
		}
	}
	return out
}

// Turned brings a picture the right way up: orientation as EXIF 2.3 counts it.
func Turned(img *image.NRGBA, turn int) *image.NRGBA {
	if turn < 2 || turn > 8 {
		return img
	}
	w, h := img.Rect.Dx(), img.Rect.Dy()
	to := image.Rect(0, 0, w, h)
	if turn >= 5 {
		to = image.Rect(0, 0, h, w)
	}
	out := image.NewNRGBA(to)
	for y := range to.Dy() {
		for x := range to.Dx() {
			sx, sy := x, y
			switch turn {
			case 2:
				sx = w - 1 - x
			case 3:
				sx, sy = w-1-x, h-1-y
			case 4:
				sy = h - 1 - y
			case 5:
				sx, sy = y, x
			case 6:
				sx, sy = y, h-1-x
			case 7:
				sx, sy = w-1-y, h-1-x
			case 8:
				sx, sy = w-1-y, x
			}
			copy(out.Pix[out.PixOffset(x, y):][:4], img.Pix[img.PixOffset(sx, sy):][:4])
		}
	}
	return out
}
