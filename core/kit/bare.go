package kit

import (
	"context"
	"image"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/core/recipe"
)

// Of files without transparency what is shown on white paper is compared elsewhere; a
// white box would not be seen there. So their opacity is held to the art's, too.
const (
	bareSide = 400 // px of the longer side
	bareFrom = 2   // of 255: what is fainter in the art is bare
	bareMost = 12  // of 255: what may lie there in the file, of edges
)

// checkBare holds a page that was read back to the art: where nothing was drawn, nothing
// lies. to is the frame of the page that was read.
func (j *job) checkBare(ctx context.Context, v string, f recipe.File, back *drawing.Drawing, to geom.Rect, cs *checks) error {
	fr := j.frameFor(f, v)
	w, h := pixelsOf(fr.Box, bareSide)
	d := j.seen(f, v)
	art, err := raster.Render(ctx, d, raster.Fit(fr.Box, w, h), w, h, raster.Options{})
	if err != nil {
		return err
	}
	made, err := raster.Render(ctx, back, raster.Fit(to, w, h), w, h, raster.Options{})
	if err != nil {
		return err
	}
	n := laid(made, art)
	cs.add("bare-stays-bare", n == 0, "%d of %d px hold something where nothing was drawn", n, w*h)
	return nil
}

// pixelsOf is the size of a box in px, long on its longer side.
func pixelsOf(box geom.Rect, long int) (w, h int) {
	k := float64(long) / box.Long()
	return max(1, int(box.W()*k)), max(1, int(box.H()*k))
}

// laid counts pixels of a file that hold something where the art has nothing within two
// pixels.
func laid(made, art *image.NRGBA) (n int) {
	w, h := art.Rect.Dx(), art.Rect.Dy()
	for y := range h {
		for x := range w {
			if made.Pix[made.PixOffset(x, y)+3] <= bareMost {
				continue
			}
			near := uint8(0)
			for v := max(0, y-2); v <= min(h-1, y+2); v++ {
				for u := max(0, x-2); u <= min(w-1, x+2); u++ {
					near = max(near, art.Pix[art.PixOffset(u, v)+3])
				}
			}
			if near < bareFrom {
				n++
			}
		}
	}
	return n
}
