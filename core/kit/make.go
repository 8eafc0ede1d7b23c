package kit

import (
	"context"
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/pdf"
	"dyekit/core/export/png"
	"dyekit/core/export/svg"
	"dyekit/core/frame"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A job holds what all files of a kit are made from.
type job struct {
	brand    string
	plan     *Plan
	versions map[string]*version.Version
}

// frameFor is the frame of a version in a file: its own, or a box of other
// proportions around it.
func (j *job) frameFor(f recipe.File, version string) frame.Frame {
	own := j.plan.FrameOf(version)
	if f.Page == ([2]float64{}) {
		return own
	}
	return frame.Frame{Box: frame.Around(own.Box, f.Page[0], f.Page[1], ""), W: f.Page[0], H: f.Page[1]}
}

func (j *job) drawing(name string) *drawing.Drawing { return j.versions[name].Drawing }

// encode makes the bytes of one file. An error that wraps export.ErrCannot
// means that the file type cannot carry the art.
func (j *job) encode(ctx context.Context, f recipe.File) ([]byte, error) {
	fr := j.frameFor(f, f.Versions[0])
	e := f.Entry
	d := j.drawing(f.Versions[0])
	title := j.brand
	if len(f.Versions) == 1 {
		title += ", " + f.Versions[0]
	}
	page := export.Page{Drawing: d, Frame: fr}
	switch e.Format {
	case "png":
		img, err := raster.Render(ctx, d, raster.Fit(fr.Box, f.W, f.H), f.W, f.H, j.options(e))
		if err != nil {
			return nil, err
		}
		return png.Encode(img, png.Options{PPI: f.PPI, NoPalette: e.Palette != nil && e.Palette.Never})
	case "jpeg":
		opt := jpeg.Options{Quality: e.Quality, PPI: f.PPI}
		ground := backing(e)
		to := raster.Fit(fr.Box, f.W, f.H)
		if e.ColourSpace() == export.CMYK {
			if h := d.Has(); h.Filters || h.Blends {
				return nil, export.Cannot("filters and blends are made of light and cannot be turned into process inks yet")
			}
			img, err := raster.Separate(ctx, d, to, f.W, f.H, colour.Propose(ground))
			if err != nil {
				return nil, err
			}
			return jpeg.EncodeCMYK(img, opt)
		}
		ro := j.options(e)
		ro.Ground = &ground
		img, err := raster.Render(ctx, d, to, f.W, f.H, ro)
		if err != nil {
			return nil, err
		}
		return jpeg.EncodeRGB(img, opt)
	case "svg":
		return svg.Encode(page, svg.Options{Title: title})
	case "eps":
		return eps.Encode(page, eps.Options{Title: title, Colour: e.ColourSpace(), Level: e.Level})
	case "pdf":
		var pages []export.Page
		for _, v := range f.Versions {
			pages = append(pages, export.Page{Drawing: j.drawing(v), Frame: j.frameFor(f, v)})
		}
		return pdf.Encode(pages, pdf.Options{Title: title, Colour: e.ColourSpace()})
	}
	return nil, fmt.Errorf("%s files cannot be made yet", e.Format)
}

func (j *job) options(e recipe.Entry) raster.Options {
	return raster.Options{Hard: e.Antialias != nil && !*e.Antialias}
}

// backing is the colour that JPEG puts where the art is transparent.
func backing(e recipe.Entry) colour.RGB {
	if c, err := colour.ParseHex(e.Backing); err == nil {
		return c
	}
	return colour.White
}

// Sample makes the bytes of one planned file without checking them, to look
// at it or to weigh it before a kit is built.
func Sample(ctx context.Context, p *Plan, brand string, f recipe.File) ([]byte, error) {
	return newJob(brand, p).encode(ctx, f)
}

func newJob(brand string, p *Plan) *job {
	j := &job{brand: brand, plan: p, versions: map[string]*version.Version{}}
	for _, v := range p.Versions {
		j.versions[v.Spec.Name] = v
	}
	return j
}
