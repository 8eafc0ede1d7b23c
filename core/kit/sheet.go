package kit

import (
	"context"
	"fmt"
	"image"
	"io"
	"math"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/pdf"
	"dyekit/core/export/png"
	"dyekit/core/fonts"
	"dyekit/core/format"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/sheet"
	"dyekit/core/version"
)

// Sheet is what a brand sheet says of a plan. line stands at the foot of each page;
// set are the fonts at hand, the shipped ones if it is nil.
func (p *Plan) Sheet(ctx context.Context, brand, line string, r *recipe.Recipe, set *fonts.Set) (*sheet.Content, error) {
	c := &sheet.Content{Brand: brand, Line: line, Art: p.Base.Bounds()}
	standard := r.Standard() != nil
	for _, v := range p.Versions {
		if v.Drawing == nil || v.Spec.Square && v.Spec.Whole() { // the whole again
			continue
		}
		x := sheet.Version{Name: v.Spec.Name, Drawing: v.Drawing, Box: p.FrameOf(v.Spec.Name).Box, Own: v.OnBacking(),
			Light: Dark(v), Part: !v.Spec.Whole() || v.Spec.Square || standard && v.Spec.Lockup == version.Full, Says: p.says(v)}
		c.Versions = append(c.Versions, x)
	}
	inks, err := p.NamedInks(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range inks {
		c.Inks = append(c.Inks, sheet.Ink{Name: k.Name, Colour: k.Colour, Build: k.Build})
	}
	if set == nil {
		set = fonts.Shipped()
	}
	for _, f := range p.Master.Drawing.Set {
		c.Fonts = append(c.Fonts, sheet.Font{Family: f, Faces: set.Find(f, fonts.Style{})})
	}
	return c, p.advise(ctx, c)
}

// advise fills in what is told of size, room and grounds.
func (p *Plan) advise(ctx context.Context, c *sheet.Content) error {
	vs, err := p.Judged(ctx, advice.Fine)
	if err != nil {
		return err
	}
	main, ok := Main(vs)
	if !ok {
		return nil
	}
	if r := p.Room(vs); r != nil {
		c.Room = sheet.Room{Free: r.Free, Says: r.Says(), Shown: r.Shown}
	}
	said := map[string]bool{}
	for _, v := range append([]advice.Judged{main}, vs...) {
		if said[v.Lockup] || v.OneInk && v.Part && v.Dark {
			continue
		}
		said[v.Lockup] = true
		s := v.Smallest()
		x := sheet.Smallest{Version: v.Name, Says: s.Why}
		if s.Given() {
			x.Px, x.MM = *s.ScreenPx, *s.PrintMM
		} else if s.Mend != nil {
			x.Says += " " + *s.Mend
		}
		c.Smallest = append(c.Smallest, x)
	}
	c.Grounds = []sheet.Ground{{Name: "white", Colour: paper}, {Name: "mid grey", Colour: sheet.Grey(0x80)}, {Name: "black", Colour: key}}
	for _, k := range c.Inks {
		if new := !slices.ContainsFunc(c.Grounds, func(g sheet.Ground) bool {
			return colour.Difference(g.Colour.RGB.Lab(), k.Colour.RGB.Lab()) < oneGround
		}); new && len(c.Grounds) < mostGrounds {
			c.Grounds = append(c.Grounds, sheet.Ground{Name: k.Name, Colour: k.Colour})
		}
	}
	if vs, err = p.Judged(ctx, advice.Coarse); err != nil {
		return err
	}
	for i := range c.Grounds {
		g := &c.Grounds[i]
		at, why := advice.Choose(g.Colour.RGB, false, vs)
		if g.Says = why; at >= 0 {
			g.Version = vs[at].Name
		}
	}
	return nil
}

// Grounds of a sheet, in process inks, and how many: those within oneGround of each
// other (ΔE00) are one.
var (
	paper = colour.Colour{RGB: colour.White, Built: true}
	key   = colour.Colour{RGB: colour.Black, Build: colour.CMYK{K: 100}, Built: true}
)

const (
	mostGrounds = 6
	oneGround   = 5
)

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

// SheetPDF writes pages, in mm, as a PDF in process and spot inks, each build as it is.
// Shadows, glows and blurs are pictures in it, and so is art that is mixed as light.
func SheetPDF(ctx context.Context, w io.Writer, title string, pages []export.Page, press *colour.Press) error {
	const k = picturePPI / 25.4 // px to the mm
	plain := make([]export.Page, len(pages))
	for i, p := range pages {
		d := p.Drawing
		var err error
		if d.Has().Filters {
			if d, err = version.WithPictures(ctx, d, p.Frame.Box, k); err != nil {
				return err
			}
		}
		if d, err = version.GroupsAsPictures(ctx, d, p.Frame.Box, k, softened); err != nil {
			return err
		}
		p.Drawing = d
		plain[i] = p
	}
	return pdf.Encode(w, plain, pdf.Options{Title: title, Colour: format.CMYK, Press: press})
}

// softened reports whether a group is mixed as light, or seen through a filtered mask.
func softened(g *drawing.Group) bool {
	if g.Blend != drawing.Normal && g.Blend != drawing.Multiply {
		return true
	}
	for m := g.Mask; m != nil; m = m.Mask {
		if d := (&drawing.Drawing{Nodes: m.Nodes}); d.Has().Filters {
			return true
		}
	}
	return false
}

// Softened reports whether pages have art that stands in their PDF as pictures.
func Softened(pages []export.Page) bool {
	return slices.ContainsFunc(pages, func(p export.Page) (found bool) {
		p.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if g, ok := n.(*drawing.Group); ok {
				found = found || g.Filter != nil || softened(g)
			}
		})
		return found
	})
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
