package kit

import (
	"context"
	"errors"
	"fmt"
	"image"
	"io"
	"strings"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/flat"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/guide"
	"dyekit/core/kit/witness"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
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
	depot    Depot
	base     string

	squares   memo[geom.Rect]        // of icons
	flats     memo[*drawing.Drawing] // versions with nothing translucent
	carriages memo[*drawing.Drawing] // versions as other file types hold them
	arts      memo[*drawing.Drawing] // what files hold, one for all that hold the same
	covers    memo[*flat.Picture]    // what versions in one ink cover
	lines     png.Lines              // of pictures of it
	reads     memo[*alike]           // the first of those that was read again
	verdicts  memo[witness.Verdict]  // on what is covered
	looks     memo[*image.NRGBA]     // art as files are compared with it
	sounds    memo[[]Check]          // what is found of the art itself
	facts     memo[*guide.Page]      // what the guide says of what is planned
	paths     witness.Paths          // of all that is drawn again
}

// A memo keeps what several files need and one of them computes. Those who ask
// meanwhile wait; no lock is held.
type memo[T any] struct {
	mu  sync.Mutex
	got map[string]func() (T, error)
}

func (m *memo[T]) get(key string, compute func() (T, error)) (T, error) {
	m.mu.Lock()
	f, ok := m.got[key]
	if !ok {
		f = sync.OnceValues(compute)
		if m.got == nil {
			m.got = map[string]func() (T, error){}
		}
		m.got[key] = f
	}
	m.mu.Unlock()
	v, err := f()
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		m.mu.Lock() // who asks next may have more time
		delete(m.got, key)
		m.mu.Unlock()
	}
	return v, err
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
		if f.Curves() && f.Size != "" { // a width on paper
			k := f.WPt / 0.75 / own.W
			own.W, own.H = own.W*k, own.H*k
		}
		return own
	}
	box := own.Box
	if f.Entry.Round {
		box = within(j.drawing(version))
	}
	return frame.Frame{Box: frame.Around(box, f.Page[0], f.Page[1], ""), W: f.Page[0], H: f.Page[1]}
}

// accountZone is the radius, as a share of the side, of the circle in which a profile
// picture keeps its art: accounts cut out the circle of half a side (common practice).
const accountZone = 0.46

// within is the square in whose circle a drawing fits, a rectangle behind it aside.
func within(d *drawing.Drawing) geom.Rect {
	d = preflight.Bare(d)
	art := d.Bounds()
	c, far := art.Centre(), 0.0
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			n.Path.Flatten(art.Long()/1000, func(a, b geom.Point) { far = max(far, a.Sub(c).Len(), b.Sub(c).Len()) })
		case *drawing.Picture:
			for _, p := range drawing.Bounds(n).Corners() {
				far = max(far, p.Sub(c).Len())
			}
		}
	})
	if far = min(far, art.Corners()[0].Sub(c).Len()); far == 0 {
		return art
	}
	return geom.Rect{X0: c.X, Y0: c.Y, X1: c.X, Y1: c.Y}.Grow(far / accountZone / 2)
}

func (j *job) drawing(name string) *drawing.Drawing { return j.versions[name].Drawing }

// seen is the drawing of a version as a file of its own proportions shows it: a
// ground that goes to the edge goes to the edge of that file.
func (j *job) seen(f recipe.File, name string) *drawing.Drawing {
	v := j.versions[name]
	if f.Page == ([2]float64{}) && f.Icon == nil {
		return v.Drawing
	}
	return v.Wider(j.frameFor(f, name).Box)
}

// art is the drawing of a version as a file can hold it: without what its type
// does not know; for a press of its own with the builds that press needs.
func (j *job) art(ctx context.Context, f recipe.File, name string) (*drawing.Drawing, error) {
	return j.arts.get(j.artKey(f, name), func() (*drawing.Drawing, error) { return j.arrange(ctx, f, name) })
}

func (j *job) arrange(ctx context.Context, f recipe.File, name string) (d *drawing.Drawing, err error) {
	if !f.Entry.Curves() {
		d = j.seen(f, name)
	} else if d, err = j.carried(ctx, f, name); err != nil {
		return nil, err
	}
	if p := j.press(f.Entry); f.Entry.ColourSpace() == format.CMYK {
		d = version.ForStock(d, j.plan.Inks, p.Stock())
		if p != colour.Coated {
			d = forPress(d, p)
		}
	}
	return d, nil
}

// inkable is the art of a file of pixels in process inks: effects and blends are
// made of light, and what comes of them is separated as a picture is.
func (j *job) inkable(ctx context.Context, f recipe.File) (*drawing.Drawing, error) {
	d, err := j.art(ctx, f, f.Versions[0])
	if err != nil {
		return nil, err
	}
	if h := d.Has(); !h.Filters && !h.Blends {
		return d, nil
	}
	to, w, h, o := j.camera(f, f.W)
	return j.carriages.get(fmt.Sprint(j.artKey(f, f.Versions[0]), w, h, o.Ground), func() (*drawing.Drawing, error) {
		return version.AsPicture(ctx, d, j.frameFor(f, f.Versions[0]).Box, to.A, o.Ground)
	})
}

// forPress gives colours without a build of their own the one a press needs.
func forPress(d *drawing.Drawing, p *colour.Press) *drawing.Drawing {
	build := func(c colour.Colour) colour.Colour {
		if !c.Built {
			c.Build, c.Built = p.Propose(c.RGB).Build, true
		}
		return c
	}
	return d.Recolour(drawing.Recolouring{Colour: build})
}

// pixels are what a file of pixels is made of, as they were drawn: what it
// must still hold when it is opened again.
type pixels struct {
	screen []*image.NRGBA // one, or one for each side of an icon
	runs   *flat.Picture  // of flat art, in place of screen
	press  *image.CMYK    // of files in process inks, in place of screen
}

// pixels draws what a file of pixels holds; of other files there is nothing
// to draw.
func (j *job) pixels(ctx context.Context, f recipe.File) (px pixels, err error) {
	sides, kind := []int{f.W}, f.Entry.Kind()
	switch {
	case !kind.Pixels:
		return px, nil
	}
	if err := j.ready(ctx, f.Versions[0]); err != nil {
		return px, err
	}
	switch {
	case f.Entry.ColourSpace() == format.CMYK:
		px.press, err = j.separate(ctx, f)
		return px, err
	case kind.Icon:
		sides = f.Icon.Sides
	case f.Entry.Format == format.PNG && !f.Entry.Reduced():
		if d := j.seen(f, f.Versions[0]); raster.Flat(d) {
			px.runs, err = j.renderRuns(ctx, f, d)
			return px, err
		}
	}
	for _, side := range sides {
		img, err := j.render(ctx, f, side)
		if err != nil {
			return pixels{}, err
		}
		px.screen = append(px.screen, img)
	}
	return px, nil
}

// encode writes one file; px is what j.pixels drew for it. An error that is an export.Unsupported means that the file type cannot carry the art.
func (j *job) encode(ctx context.Context, w io.Writer, f recipe.File, px pixels) error {
	k, ok := crafts[f.Entry.Format]
	if !ok {
		return fmt.Errorf("%s files cannot be made yet", f.Entry.Format)
	}
	return k.encode(j, ctx, w, f, px)
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
	to, w, h, o := j.camera(f, w)
	return raster.Render(ctx, j.seen(f, f.Versions[0]), to, w, h, o)
}

// renderRuns draws the version of a file of flat art. What versions in one ink
// cover is drawn once for all of them that cover the same.
func (j *job) renderRuns(ctx context.Context, f recipe.File, d *drawing.Drawing) (*flat.Picture, error) {
	to, w, h, o := j.camera(f, f.W)
	key, ink, one := j.inkedFrom(f, d)
	if !one {
		return raster.RenderRuns(ctx, d, to, w, h, o)
	}
	cover, err := j.covers.get(key, func() (*flat.Picture, error) {
		return raster.RenderRuns(ctx, d, to, w, h, o)
	})
	if err != nil {
		return nil, err
	}
	return cover.Inked(ink.Bytes()), nil
}

// inkedFrom names the picture in one ink, on nothing, from which that of a file
// comes by inking it.
func (j *job) inkedFrom(f recipe.File, d *drawing.Drawing) (key string, ink colour.RGB, ok bool) {
	to, w, h, o := j.camera(f, f.W)
	name, ink, one := silhouette(d)
	return fmt.Sprint(name, to, w, h, o.Hard), ink, one && o.Ground == nil
}

// silhouette names what a drawing of plain shapes in one ink covers: drawings of
// one name differ in their ink alone.
func silhouette(d *drawing.Drawing) (name string, ink colour.RGB, one bool) {
	var b strings.Builder
	for i, n := range d.Nodes {
		s, ok := n.(*drawing.Shape)
		if !ok || len(s.Path) == 0 {
			return "", ink, false
		}
		p, ok := s.Paint.(drawing.Solid)
		if !ok || i > 0 && p.Colour.RGB != ink {
			return "", ink, false
		}
		ink = p.Colour.RGB
		fmt.Fprintf(&b, "%p %d %v %v ", &s.Path[0], len(s.Path), s.Rule, p.Alpha)
	}
	return b.String(), ink, len(d.Nodes) > 0
}

// camera is how a file of pixels sees the art: the arguments of raster.Render
// for a picture w px wide.
func (j *job) camera(f recipe.File, w int) (to geom.Affine, _, h int, o raster.Options) {
	h, box := f.H, j.frameFor(f, f.Versions[0]).Box
	if f.Icon != nil {
		h, box = w, j.square(f, f.Versions[0], w)
	}
	o.Hard = f.Entry.Antialias != nil && !*f.Entry.Antialias
	if c, ok := f.Entry.Ground(); ok {
		o.Ground = &c
	}
	o.Outlines = j.plan.outlines
	return raster.Fit(box, w, h), w, h, o
}

// severalPictures is from how many pictures of a version on its outlines are
// resolved first.
const severalPictures = 4

// ready resolves the outlines of a version, if several pictures of it are planned:
// then each is drawn sooner.
func (j *job) ready(ctx context.Context, name string) error {
	_, err := j.plan.resolved.get(name, func() (struct{}, error) {
		n := 0
		for _, x := range j.plan.Files {
			if x.Entry.Kind().Pixels && x.Versions[0] == name {
				n++
			}
		}
		if n < severalPictures {
			return struct{}{}, nil
		}
		return struct{}{}, j.plan.outlines.Resolve(ctx, j.drawing(name))
	})
	return err
}

// readyAll is ready for all versions. Paths of one may be those of another: what is
// drawn by resolved outlines must not depend on which came first.
func (j *job) readyAll(ctx context.Context) error {
	return parallel.Do(ctx, len(j.plan.Versions), func(ctx context.Context, i int) error {
		if v := j.plan.Versions[i]; v.Drawing != nil {
			return j.ready(ctx, v.Spec.Name)
		}
		return nil
	})
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
		g.Pix[i] = uint8(colour.BT601.Of(float64(p[0]), float64(p[1]), float64(p[2])) + 0.5)
	}
	return g, nil
}

// separate draws the version of a file in process inks.
func (j *job) separate(ctx context.Context, f recipe.File) (*image.CMYK, error) {
	d, err := j.inkable(ctx, f)
	if err != nil {
		return nil, err
	}
	to, w, h, _ := j.camera(f, f.W)
	return raster.Separate(ctx, d, to, w, h, j.press(f.Entry), j.backing(f))
}

// backing is the build of what a file in process inks is laid on.
func (j *job) backing(f recipe.File) colour.CMYK {
	ground, _ := f.Entry.Ground()
	return j.press(f.Entry).Propose(ground).Build
}

// Sample makes the bytes of one planned file without checking them, to look
// at it or to weigh it before a kit is built.
func Sample(ctx context.Context, p *Plan, brand string, f recipe.File) ([]byte, error) {
	data, _, err := newJob(brand, p).make(ctx, f)
	return data, err
}

// make draws and encodes one file.
func (j *job) make(ctx context.Context, f recipe.File) ([]byte, pixels, error) {
	px, err := j.pixels(ctx, f)
	if err != nil {
		return nil, px, err
	}
	data, err := export.Bytes(func(w io.Writer) error { return j.encode(ctx, w, f, px) })
	return data, px, err
}

func newJob(brand string, p *Plan) *job {
	j := &job{brand: brand, plan: p, versions: map[string]*version.Version{}, depot: new(Store)}
	for _, v := range p.Versions {
		j.versions[v.Spec.Name] = v
	}
	return j
}
