package kit

import (
	"context"
	"io"

	"dyekit/core/drawing"
	"dyekit/core/export/png"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// DrawPNG draws d, as raster.Render does with the same arguments, and writes it as
// a PNG. Flat art goes there as runs: the same file, sooner.
func DrawPNG(ctx context.Context, to io.Writer, d *drawing.Drawing, fit geom.Affine, w, h int, how raster.Options, o png.Options) error {
	if raster.Flat(d) {
		pic, err := raster.RenderRuns(ctx, d, fit, w, h, how)
		if err != nil {
			return err
		}
		return png.EncodeRuns(to, pic, o)
	}
	img, err := raster.Render(ctx, d, fit, w, h, how)
	if err != nil {
		return err
	}
	return png.Encode(to, img, o)
}
