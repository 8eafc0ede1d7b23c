// Package proof looks at what will come out before it goes out: how small art
// may get, what a fax, a photocopier, a stamp, a cutter or a press leaves of
// it, and how eyes that see colours otherwise see it.
//
// Everything is computed from the drawing and drawn by the engine. Lengths on
// paper are in mm, lengths in the art in page units. Where a machine's
// behaviour is no standard but common practice, the constant says so.
package proof

import (
	"context"
	"errors"
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// inch is 25.4 mm.
const inch = 25.4

// MaxSide bounds the pictures made here, in px.
const MaxSide = 4000

// ErrSize is returned for sizes that cannot be drawn.
var ErrSize = errors.New("the size cannot be drawn")

// An Art is a version in its frame.
type Art struct {
	Drawing *drawing.Drawing
	Box     geom.Rect // the frame, in page units
}

// size is the pixels of the art at a width in mm and resolutions in pixels per
// inch along and across.
func (a Art) size(mm, across, down float64) (w, h int, err error) {
	w = int(math.Round(mm / inch * across))
	h = int(math.Round(mm * a.Box.H() / a.Box.W() / inch * down))
	if !(mm > 0) || w < 1 || h < 1 || w > MaxSide || h > MaxSide {
		return 0, 0, ErrSize
	}
	return w, h, nil
}

// draw renders the art on a ground.
func (a Art) draw(ctx context.Context, w, h int, ground colour.RGB) (*image.NRGBA, error) {
	return raster.Render(ctx, a.Drawing, raster.Fit(a.Box, w, h), w, h, raster.Options{Ground: &ground})
}

// luma renders the art on white paper as brightness from 0 to 1, row by row.
func (a Art) luma(ctx context.Context, w, h int) ([]float64, error) {
	img, err := a.draw(ctx, w, h, colour.White)
	if err != nil {
		return nil, err
	}
	out := make([]float64, w*h)
	for i := range out {
		p := img.Pix[4*i:]
		out[i] = colour.FromBytes(p[0], p[1], p[2]).Luma()
	}
	return out, nil
}

// grey is a picture of brightness.
func grey(v []float64, w, h int) *image.Gray {
	img := image.NewGray(image.Rect(0, 0, w, h))
	for i, x := range v {
		img.Pix[i] = uint8(math.Round(255 * min(1, max(0, x))))
	}
	return img
}
