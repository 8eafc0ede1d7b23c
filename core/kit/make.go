package kit

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"slices"
	"sync"

	"github.com/HugoSmits86/nativewebp"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/eps"
	"dyekit/core/export/ico"
	"dyekit/core/export/jpeg"
	"dyekit/core/export/pdf"
	"dyekit/core/export/png"
	"dyekit/core/export/svg"
	"dyekit/core/export/tiff"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A job holds what all files of a kit are made from.
type job struct {
	brand    string
	plan     *Plan
	versions map[string]*version.Version
	reuse    func(key string) (File, bool) // nil if nothing may be copied
	base     string

	mu      sync.Mutex
	squares map[string]geom.Rect        // of icons
	flats   map[string]*drawing.Drawing // versions with nothing translucent
}

// frameFor is the frame of a version in a file: its own, or a box of other
// proportions around it.
func (j *job) frameFor(f recipe.File, version string) frame.Frame {
	own := j.plan.FrameOf(version)
	if f.Icon != nil {
		side := max(float64(f.W), 64)
		return frame.Frame{Box: j.square(f, version, f.W), W: side, H: side}
	}
	if f.Page == ([2]float64{}) {
		return own
	}
	return frame.Frame{Box: frame.Around(own.Box, f.Page[0], f.Page[1], ""), W: f.Page[0], H: f.Page[1]}
}

func (j *job) drawing(name string) *drawing.Drawing { return j.versions[name].Drawing }

// art is the drawing of a version as a file can hold it: flattened where the
// file type knows no transparency; for a press of its own with the builds that
// press needs.
func (j *job) art(ctx context.Context, f recipe.File, name string) (*drawing.Drawing, error) {
	d, e := j.drawing(name), f.Entry
	if e.Format == "eps" || e.Standard == pdf.X1a {
		var err error
		if d, err = j.flat(ctx, name); err != nil {
			return nil, err
		}
	}
	if p := j.press(e); e.ColourSpace() == export.CMYK && p != colour.Coated {
		if d.Has().Pictures {
			return nil, export.Cannot("pictures are separated for coated paper (fogra39) alone yet")
		}
		d = forPress(d, p)
	}
	return d, nil
}

// flat is a version with nothing translucent in it.
func (j *job) flat(ctx context.Context, name string) (*drawing.Drawing, error) {
	d := j.drawing(name)
	if h := d.Has(); !h.Translucent && !h.Masks && !h.Blends || h.Pictures || h.Filters {
		return d, nil // the writer refuses what it cannot hold
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	if f, ok := j.flats[name]; ok {
		return f, nil
	}
	f, err := version.Flatten(ctx, d)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, export.Cannot("its translucent paint cannot be resolved: " + err.Error())
	}
	j.flats[name] = f
	return f, nil
}

// forPress gives colours without a build of their own the one a press needs.
func forPress(d *drawing.Drawing, p *colour.Press) *drawing.Drawing {
	build := func(c colour.Colour) colour.Colour {
		if !c.Built {
			c.Build, c.Built = p.Propose(c.RGB).Build, true
		}
		return c
	}
	return d.Map(func(n drawing.Node) drawing.Node {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return n
		}
		c := *s
		switch p := s.Paint.(type) {
		case drawing.Solid:
			p.Colour = build(p.Colour)
			c.Paint = p
		case *drawing.Gradient:
			g := *p
			g.Stops = slices.Clone(p.Stops)
			for i := range g.Stops {
				g.Stops[i].Colour = build(g.Stops[i].Colour)
			}
			c.Paint = &g
		}
		return &c
	})
}

// encode makes the bytes of one file. An error that wraps export.ErrCannot
// means that the file type cannot carry the art.
func (j *job) encode(ctx context.Context, f recipe.File) ([]byte, error) {
	fr := j.frameFor(f, f.Versions[0])
	e := f.Entry
	title := j.brand
	if len(f.Versions) == 1 {
		title += ", " + f.Versions[0]
	}
	d, err := j.art(ctx, f, f.Versions[0])
	if err != nil {
		return nil, err
	}
	page := export.Page{Drawing: d, Frame: fr}
	switch e.Format {
	case "png":
		img, err := j.render(ctx, f, f.W)
		if err != nil {
			return nil, err
		}
		o := png.Options{PPI: f.PPI, Interlace: e.Interlace}
		if p := e.Palette; p != nil {
			o.NoPalette, o.Colours, o.Auto = p.Never, p.Colors, !p.Never && p.Colors == 0
		}
		return png.Encode(img, o)
	case "webp":
		img, err := j.render(ctx, f, f.W)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		err = nativewebp.Encode(&b, img, nil)
		return b.Bytes(), err
	case "ico":
		var imgs []*image.NRGBA
		for _, side := range f.Icon.Sides {
			img, err := j.render(ctx, f, side)
			if err != nil {
				return nil, err
			}
			imgs = append(imgs, img)
		}
		return ico.Encode(imgs)
	case "tiff":
		o := tiff.Options{PPI: f.PPI, Compression: e.Compression}
		if e.ColourSpace() == export.CMYK {
			o.Profile = icc.Press(j.press(e))
			img, err := j.separate(ctx, f)
			if err != nil {
				return nil, err
			}
			return tiff.EncodeCMYK(img, o)
		}
		img, err := j.render(ctx, f, f.W)
		if err != nil {
			return nil, err
		}
		return tiff.EncodeRGB(img, o)
	case "jpeg":
		o := jpeg.Options{Quality: e.Quality, PPI: f.PPI}
		if e.ColourSpace() == export.CMYK {
			o.Profile = icc.Press(j.press(e))
			img, err := j.separate(ctx, f)
			if err != nil {
				return nil, err
			}
			return jpeg.EncodeCMYK(img, o)
		}
		img, err := j.render(ctx, f, f.W)
		if err != nil {
			return nil, err
		}
		return jpeg.EncodeRGB(img, o)
	case recipe.WebManifest:
		return j.webManifest(f)
	case recipe.HeadLines:
		return j.headLines(f), nil
	case "svg":
		o := svg.Options{Title: title, Desc: j.tell(f.Versions[0]), Current: e.Current, Fluid: e.Fluid}
		if e.Dark != "" {
			o.Dark = j.drawing(e.Dark)
		}
		return svg.Encode(page, o)
	case "eps":
		o := eps.Options{Title: title, Colour: e.ColourSpace(), Level: e.Level}
		if e.Preview {
			if o.Preview, err = preview(ctx, d, fr); err != nil {
				return nil, err
			}
		}
		return eps.Encode(page, o)
	case "pdf":
		var pages []export.Page
		for _, v := range f.Versions {
			d, err := j.art(ctx, f, v)
			if err != nil {
				return nil, err
			}
			pages = append(pages, export.Page{Drawing: d, Frame: j.frameFor(f, v)})
		}
		return pdf.Encode(pages, pdf.Options{Title: title, Colour: e.ColourSpace(), Standard: e.Standard, Press: j.press(e)})
	}
	return nil, fmt.Errorf("%s files cannot be made yet", e.Format)
}

// press is the printing condition a file is made for.
func (j *job) press(e recipe.Entry) *colour.Press {
	if p, ok := colour.PressOf(e.Press); ok {
		return p
	}
	return j.plan.Press
}

// tell describes a version to those who do not see it.
func (j *job) tell(name string) string {
	s := j.versions[name].Spec
	switch {
	case s.OneInk() && s.Ink != nil:
		return fmt.Sprintf("The mark of %s in one ink, %s.", j.brand, s.Ink.Name)
	case s.Treatment == version.Backed:
		return fmt.Sprintf("The mark of %s on a backing.", j.brand)
	}
	return fmt.Sprintf("The mark of %s in its own colours.", j.brand)
}

// render draws the version of a file for the screen, w px wide.
func (j *job) render(ctx context.Context, f recipe.File, w int) (*image.NRGBA, error) {
	h, box := f.H, j.frameFor(f, f.Versions[0]).Box
	if f.Icon != nil {
		h, box = w, j.square(f, f.Versions[0], w)
	}
	o := raster.Options{Hard: f.Entry.Antialias != nil && !*f.Entry.Antialias}
	if c, ok := f.Entry.Ground(); ok {
		o.Ground = &c
	}
	return raster.Render(ctx, j.drawing(f.Versions[0]), raster.Fit(box, w, h), w, h, o)
}

// previewSide is the longer side of the preview in an EPS, in px: enough to
// place it by.
const previewSide = 200

// preview draws art small and grey on white.
func preview(ctx context.Context, d *drawing.Drawing, fr frame.Frame) (*image.Gray, error) {
	k := previewSide / max(fr.W, fr.H)
	w, h := max(1, int(fr.W*k+0.5)), max(1, int(fr.H*k+0.5))
	img, err := raster.Render(ctx, d, raster.Fit(fr.Box, w, h), w, h, raster.Options{Ground: &colour.White})
	if err != nil {
		return nil, err
	}
	g := image.NewGray(img.Rect)
	for i := range g.Pix {
		p := img.Pix[4*i:]
		g.Pix[i] = uint8((299*int(p[0]) + 587*int(p[1]) + 114*int(p[2]) + 500) / 1000)
	}
	return g, nil
}

// separate draws the version of a file in process inks.
func (j *job) separate(ctx context.Context, f recipe.File) (*image.CMYK, error) {
	d, err := j.art(ctx, f, f.Versions[0])
	if err != nil {
		return nil, err
	}
	if h := d.Has(); h.Filters || h.Blends {
		return nil, export.Cannot("filters and blends are made of light and cannot be turned into process inks yet")
	}
	ground, _ := f.Entry.Ground()
	return raster.Separate(ctx, d, raster.Fit(j.frameFor(f, f.Versions[0]).Box, f.W, f.H), f.W, f.H, j.press(f.Entry).Propose(ground).Build)
}

// Sample makes the bytes of one planned file without checking them, to look
// at it or to weigh it before a kit is built.
func Sample(ctx context.Context, p *Plan, brand string, f recipe.File) ([]byte, error) {
	return newJob(brand, p).encode(ctx, f)
}

func newJob(brand string, p *Plan) *job {
	j := &job{brand: brand, plan: p, versions: map[string]*version.Version{}, squares: map[string]geom.Rect{}, flats: map[string]*drawing.Drawing{}}
	for _, v := range p.Versions {
		j.versions[v.Spec.Name] = v
	}
	return j
}
