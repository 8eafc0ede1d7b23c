// Package picture reads raster files: as masters when a drawing is all there
// is, and as pictures inside drawings.
package picture

import (
	"context"
	"fmt"
	"image"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/trace"
)

// MaxPixels bounds one picture.
const MaxPixels = 40_000_000

// MaxReduced bounds one that is only seen smaller.
const MaxReduced = 80_000_000

// Options tell how a picture is read as a master.
type Options struct {
	Sheet int // from 1, in files with several; 0 stands for the first
	Trace *trace.Options
	Words []Words // that are set anew in what is traced
}

// Words take the place of what a box of the picture holds.
type Words struct {
	Box        geom.Rect // px
	Path       geom.Path // as they are set, px of the picture
	Ink        colour.RGB
	Text, Font string
	Mend       string // that sets them
}

// Read takes a picture as a master: one page unit for each pixel. That it is only
// pixels is a finding; so is a plain ground that fills its corners. If it is to be
// traced, the drawing is made of shapes.
func Read(ctx context.Context, data []byte, opt Options) (*drawing.Drawing, finding.List, error) {
	img, inks, fine, err := decodePage(data, max(opt.Sheet, 1))
	if err != nil {
		return nil, nil, err
	}
	if opt.Trace != nil {
		return traced(ctx, img, opt)
	}
	w, h := float64(img.Bounds().Dx()), float64(img.Bounds().Dy())
	page := geom.Rect{X1: w, Y1: h}
	d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{
		&drawing.Picture{Image: img, Inks: inks, To: geom.Scale(w, h), Alpha: 1, Part: "picture"},
	}}
	var fs finding.List
	fs.Add(finding.RasterInside, finding.Warn, fmt.Sprintf("the master is a picture of %.0f × %.0f px: it cannot be enlarged past that; one-ink versions are traced from it", w, h), "picture", page)
	if w*h <= trace.MaxTraced {
		fs[0].Mend = traceAsIs
	}
	if fine {
		fs.Add(finding.RasterInside, finding.Note, "the picture has 16 bits a channel: files are drawn with 8, rounded to the nearest, which is as fine as screens and presses show", "picture", page)
	}
	if inks != nil {
		fs.Add(finding.InksMixed, finding.Note, "the picture is in process inks: screens show it as the press of its profile prints it, and print files keep its builds", "picture", page)
	}
	if c, ok := ground(img); ok {
		fs.Add(finding.Backing, finding.Warn, fmt.Sprintf("the picture stands on a plain ground of %s: it makes a box on every page of another colour", c), "picture", page)
		fs[len(fs)-1].Mend = "backing" // of core/preflight, which reads the drawing
	}
	return d, fs, nil
}

// traceAsIs is the mend of core/preflight that traces a picture in the colours
// it has.
const traceAsIs = "trace auto 0.3"

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
