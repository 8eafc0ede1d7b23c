// Package picture reads raster files: as masters when a drawing is all there
// is, and as pictures inside drawings.
package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/draw"
	_ "image/gif" // formats that Decode knows
	_ "image/jpeg"
	_ "image/png"

	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// MaxPixels bounds one picture.
const MaxPixels = 40_000_000

// Check reports whether data is a picture that Decode takes, as far as its head
// tells.
func Check(data []byte) error {
	_, _, err := Size(data)
	return err
}

// Size is the width and height of a picture in px, from its head alone.
func Size(data []byte) (w, h int, err error) {
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if errors.Is(err, image.ErrFormat) {
		return 0, 0, errors.New("it is not a picture of a known kind (PNG, JPEG, GIF, TIFF, WebP)")
	}
	if err != nil {
		return 0, 0, fmt.Errorf("the picture is damaged: %w", err)
	}
	if c.Width < 1 || c.Height < 1 || c.Width > MaxPixels/c.Height {
		return 0, 0, fmt.Errorf("the picture of %d × %d px is larger than %d megapixels", c.Width, c.Height, MaxPixels/1_000_000)
	}
	return c.Width, c.Height, nil
}

// Decode reads a PNG, JPEG, GIF, TIFF or WebP picture into straight 8-bit
// sRGB with alpha. The size is checked before any pixel is unpacked.
func Decode(data []byte) (*image.NRGBA, error) {
	if err := Check(data); err != nil {
		return nil, err
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	b := img.Bounds()
	if n, ok := img.(*image.NRGBA); ok && b.Min == (image.Point{}) {
		return n, nil
	}
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(out, out.Bounds(), img, b.Min, draw.Src)
	return out, nil
}

// Read takes a picture as a master: one page unit for each pixel. That it is
// only pixels is a finding; so is a plain ground that fills its corners.
func Read(data []byte) (*drawing.Drawing, finding.List, error) {
	img, err := Decode(data)
	if err != nil {
		return nil, nil, err
	}
	w, h := float64(img.Bounds().Dx()), float64(img.Bounds().Dy())
	page := geom.Rect{X1: w, Y1: h}
	d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{
		&drawing.Picture{Image: img, To: geom.Scale(w, h), Alpha: 1, Part: "picture"},
	}}
	var fs finding.List
	fs.Add(finding.RasterInside, finding.Warn, fmt.Sprintf("the master is a picture of %.0f × %.0f px: it cannot be enlarged past that; one-ink versions are traced from it", w, h), "picture", page)
	if c, ok := ground(img); ok {
		fs.Add(finding.Backing, finding.Warn, fmt.Sprintf("the picture stands on a plain ground of %s: it makes a box on every page of another colour", c), "picture", page)
		fs[len(fs)-1].Mend = "backing" // of core/preflight, which reads the drawing
	}
	return d, fs, nil
}

// ground returns the colour of the corners if all four are opaque and alike.
func ground(img *image.NRGBA) (string, bool) {
	b := img.Bounds()
	first := img.NRGBAAt(0, 0)
	for _, p := range []image.Point{{0, 0}, {b.Dx() - 1, 0}, {0, b.Dy() - 1}, {b.Dx() - 1, b.Dy() - 1}} {
		c := img.NRGBAAt(p.X, p.Y)
		near := func(a, b uint8) bool { return max(a, b)-min(a, b) <= 3 }
		if c.A != 255 || !near(c.R, first.R) || !near(c.G, first.G) || !near(c.B, first.B) {
			return "", false
		}
	}
	return fmt.Sprintf("#%02x%02x%02x", first.R, first.G, first.B), true
}
