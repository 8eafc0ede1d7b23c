package kit

import (
	"cmp"
	"context"
	"fmt"
	"image"
	"io"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/export"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/pdf"
	"dyekit/core/export/png"
	"dyekit/core/fonts"
	"dyekit/core/format"
	"dyekit/core/preflight"
	"dyekit/core/proof"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/sheet"
	"dyekit/core/version"
)

// Sheet is what a brand sheet says of a plan. line stands at the foot of each page;
// set are the fonts at hand, the shipped ones if it is nil.
func (p *Plan) Sheet(ctx context.Context, brand, line string, r *recipe.Recipe, set *fonts.Set) (*sheet.Content, error) {
	c := &sheet.Content{Brand: brand, Line: line, Art: p.Base.Bounds(), Frame: p.Frame.Box}
	standard := r.Standard() != nil
	for _, v := range p.Versions {
		if v.Drawing == nil {
			continue
		}
		x := sheet.Version{Name: v.Spec.Name, Drawing: v.Drawing, Box: p.FrameOf(v.Spec.Name).Box, Own: v.OnBacking(),
			Light: v.White() || v.Spec.Reversed == version.OnDark, Part: !v.Spec.Whole() || standard && v.Spec.Lockup == version.Full, Says: p.says(v)}
		if k, ok := ink(v); ok {
			if col, err := v.Spec.Ink.Colour(); err == nil {
				x.Ink = &col
			}
			x.Light = x.Light || colour.Contrast(k, colour.White) < lightInk
		}
		c.Versions = append(c.Versions, x)
	}
	tones, err := preflight.Tones(ctx, p.Master.Drawing)
	if err != nil {
		return nil, err
	}
	for _, t := range tones {
		if len(c.Inks) == mostInks || t.Share < 0.002 {
			continue
		}
		k := sheet.Ink{Colour: t.Colour, Build: p.Press.Print(t.Colour).Build, Name: cmp.Or(t.Colour.Spot, t.Colour.RGB.Word())}
		for _, m := range p.Inks {
			if m.Paints(t.Colour) {
				k.Name = m.Name
			}
		}
		if slices.ContainsFunc(c.Inks, func(o sheet.Ink) bool { return o.Name == k.Name }) {
			k.Name += " " + t.Colour.RGB.Hex()
		}
		c.Inks = append(c.Inks, k)
	}
	if set == nil {
		set = fonts.Shipped()
	}
	for _, f := range p.Master.Drawing.Set {
		c.Fonts = append(c.Fonts, sheet.Font{Family: f, Faces: set.Find(f, fonts.Style{})})
	}
	c.Smallest.Px, c.Smallest.MM, err = p.smallest(ctx)
	return c, err
}

// says tells how a version is printed, in a few words.
func (p *Plan) says(v *version.Version) string {
	k := v.Spec.Ink
	if !v.Spec.OneInk() || k == nil {
		return "all inks"
	}
	if k.Spot != "" {
		return "one ink: " + k.Spot
	}
	c, err := k.Colour()
	if err != nil {
		return "one ink"
	}
	b := p.Press.Print(c).Build
	if b.NoInk() {
		return "no ink: the paper shows"
	}
	return fmt.Sprintf("one ink: CMYK %.0f %.0f %.0f %.0f", b.C, b.M, b.Y, b.K)
}

// smallest is how small the mark may get, as the first version in one ink tells: px
// on a screen and mm in print; 0 where nothing tells.
func (p *Plan) smallest(ctx context.Context) (px int, mm float64, err error) {
	for _, v := range p.Versions {
		if v.Drawing == nil || v.Spec.Treatment != version.SingleInk || v.Spec.Backing != nil || v.Spec.Outline != nil || !v.Spec.Whole() {
			continue
		}
		region, err := v.Region(ctx)
		if ctx.Err() != nil {
			return 0, 0, ctx.Err()
		}
		if err != nil {
			continue
		}
		width := p.FrameOf(v.Spec.Name).Box.W()
		d := proof.Details(region)
		if n := d.Pixels(width); n > 0 {
			return n, math.Ceil(d.Print(width)), nil
		}
		break
	}
	return 0, 0, nil
}

// SheetPDF writes pages as a PDF in process and spot inks, each build as it is.
func SheetPDF(w io.Writer, title string, pages []export.Page, press *colour.Press) error {
	return pdf.Encode(w, pages, pdf.Options{Title: title, Colour: format.CMYK, Press: press})
}

// SheetPNG writes a page as a picture of so many px to the inch.
func SheetPNG(ctx context.Context, w io.Writer, p export.Page, ppi float64) error {
	img, err := PageImage(ctx, p, ppi)
	if err != nil {
		return err
	}
	return png.Encode(w, img, png.Options{PPI: ppi})
}

// SheetJPEG writes a page as a JPEG, for looking at.
func SheetJPEG(ctx context.Context, w io.Writer, p export.Page, ppi float64) error {
	img, err := PageImage(ctx, p, ppi)
	if err != nil {
		return err
	}
	return jpeg.EncodeRGB(w, img, jpeg.Options{Quality: 90, PPI: ppi})
}

// PageImage draws a page on white.
func PageImage(ctx context.Context, p export.Page, ppi float64) (*image.NRGBA, error) {
	w, h := max(1, int(math.Round(p.Frame.W/96*ppi))), max(1, int(math.Round(p.Frame.H/96*ppi)))
	return raster.Render(ctx, p.Drawing, raster.Fit(p.Frame.Box, w, h), w, h, raster.Options{Ground: &colour.White})
}
