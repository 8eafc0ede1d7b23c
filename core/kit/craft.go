package kit

import (
	"context"
	"io"

	"dyekit/core/colour/icc"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/ico"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/pdf"
	"dyekit/core/export/png"
	"dyekit/core/export/svg"
	"dyekit/core/export/tiff"
	"dyekit/core/export/webp"
	"dyekit/core/format"
	"dyekit/core/recipe"
)

// A craft is how files of one format are written, and checked once written. px
// is what was drawn for a file of pixels.
type craft struct {
	encode func(j *job, ctx context.Context, w io.Writer, f recipe.File, px pixels) error
	check  func(j *job, ctx context.Context, f recipe.File, px pixels, data []byte, cs *checks) error
}

// crafts has one for every format that core/format knows and that is a file; a
// test says so.
var crafts map[format.Key]craft

func init() { // not in the declaration, as the crafts speak of the table
	crafts = map[format.Key]craft{
		format.SVG:         {(*job).encodeSVG, (*job).checkSVG},
		format.PDF:         {(*job).encodePDF, (*job).checkPDF},
		format.EPS:         {(*job).encodeEPS, (*job).checkEPS},
		format.PNG:         {(*job).encodePNG, (*job).checkPNG},
		format.JPEG:        {(*job).encodeJPEG, (*job).checkJPEG},
		format.TIFF:        {(*job).encodeTIFF, (*job).checkPixels},
		format.WebP:        {(*job).encodeWebP, (*job).checkPixels},
		format.ICO:         {(*job).encodeICO, (*job).checkICO},
		format.WebManifest: {(*job).webManifest, (*job).checkLinks},
		format.HeadLines:   {(*job).headLines, (*job).checkLinks},
	}
}

func (j *job) encodePNG(_ context.Context, w io.Writer, f recipe.File, px pixels) error {
	o := png.Options{PPI: f.PPI, Interlace: f.Entry.Interlace, Lines: &j.lines}
	if p := f.Entry.Palette; p != nil {
		o.NoPalette, o.Colours, o.Auto = p.Never, p.Colors, !p.Never && p.Colors == 0
	}
	if px.runs != nil {
		return png.EncodeRuns(w, px.runs, o)
	}
	return png.Encode(w, px.screen[0], o)
}

func (j *job) encodeWebP(_ context.Context, w io.Writer, _ recipe.File, px pixels) error {
	return webp.Encode(w, px.screen[0])
}

func (j *job) encodeICO(_ context.Context, w io.Writer, _ recipe.File, px pixels) error {
	return ico.Encode(w, px.screen)
}

func (j *job) encodeTIFF(_ context.Context, w io.Writer, f recipe.File, px pixels) error {
	o := tiff.Options{PPI: f.PPI, Compression: f.Entry.Compression}
	if px.press != nil {
		o.Profile = icc.Press(j.press(f.Entry))
		return tiff.EncodeCMYK(w, px.press, o)
	}
	return tiff.EncodeRGB(w, px.screen[0], o)
}

func (j *job) encodeJPEG(_ context.Context, w io.Writer, f recipe.File, px pixels) error {
	o := jpeg.Options{Quality: f.Entry.Quality, PPI: f.PPI}
	if px.press != nil {
		o.Profile = icc.Press(j.press(f.Entry))
		return jpeg.EncodeCMYK(w, px.press, o)
	}
	return jpeg.EncodeRGB(w, px.screen[0], o)
}

// title is what a file of curves calls itself.
func (j *job) title(f recipe.File) string {
	if len(f.Versions) == 1 {
		return j.brand + ", " + f.Versions[0]
	}
	return j.brand
}

// page is the art of a version as a file of curves shows it.
func (j *job) page(ctx context.Context, f recipe.File, version string) (export.Page, error) {
	d, err := j.art(ctx, f, version)
	return export.Page{Drawing: d, Frame: j.frameFor(f, version)}, err
}

func (j *job) encodeSVG(ctx context.Context, w io.Writer, f recipe.File, _ pixels) error {
	p, err := j.page(ctx, f, f.Versions[0])
	if err != nil {
		return err
	}
	e := f.Entry
	o := svg.Options{Title: j.title(f), Desc: j.tell(f.Versions[0]), Current: e.Current, Fluid: e.Fluid}
	if e.Dark != "" {
		o.Dark = j.seen(f, e.Dark)
	}
	return svg.Encode(w, p, o)
}

func (j *job) encodeEPS(ctx context.Context, w io.Writer, f recipe.File, _ pixels) error {
	p, err := j.page(ctx, f, f.Versions[0])
	if err != nil {
		return err
	}
	e := f.Entry
	o := eps.Options{Title: j.title(f), Colour: e.ColourSpace(), Level: e.Level, Press: j.press(e)}
	if e.Preview {
		if o.Preview, err = preview(ctx, p.Drawing, p.Frame); err != nil {
			return err
		}
	}
	return eps.Encode(w, p, o)
}

func (j *job) encodePDF(ctx context.Context, w io.Writer, f recipe.File, _ pixels) error {
	var pages []export.Page
	for _, v := range f.Versions {
		p, err := j.page(ctx, f, v)
		if err != nil {
			return err
		}
		pages = append(pages, p)
	}
	e := f.Entry
	return pdf.Encode(w, pages, pdf.Options{Title: j.title(f), Colour: e.ColourSpace(), Standard: e.Standard, Press: j.press(e), NoProfile: e.NoProfile})
}
