package studio

import (
	"container/list"
	"context"
	"fmt"
	"image"
	"math"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export/png"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/preflight"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Limits of what is kept in memory; losing it costs only time.
const (
	maxWorks = 60
	maxPNGs  = 64 << 20 // bytes of previews
)

// A Work is a mark on the table: its master read, its versions made, its
// files planned. It never changes; another decision gives another Work.
type Work struct {
	Name      string // the build's name
	Mark      *Mark
	Decisions Decisions
	Recipe    *recipe.Recipe
	Plan      *kit.Plan
	Tones     []preflight.Tone
	Stop      string // why no kit can be made, or ""

	tones   map[string][]preflight.Tone // by version
	standIn func() (*intake.Master, error)
	weights func() []Weight
	pngs    *pngCache
}

// Work returns the mark on the table.
func (s *Studio) Work(ctx context.Context, m *Mark) (*Work, error) {
	d, err := m.Decisions()
	if err != nil {
		return nil, err
	}
	r, err := d.Resolve()
	if err != nil {
		return nil, err
	}
	name, err := buildName(m.Master.Hash, d, r, m.Brand(), m.fonts)
	if err != nil {
		return nil, err
	}
	if w := s.works.get(name); w != nil {
		c := *w
		c.Mark = m // kits and jobs move on while the art stays
		return &c, nil
	}
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return nil, err
	}
	set, err := s.fontSet(ctx, m.fonts)
	if err != nil {
		return nil, err
	}
	opt := intake.Options{Fonts: set, Mends: d.Mends}
	read, err := intake.Read(ctx, data, opt)
	if err != nil {
		return nil, fmt.Errorf("the master cannot be read: %w", err)
	}
	w := &Work{Name: name, Mark: m, Decisions: d, Recipe: r, pngs: &s.works.pngs}
	if w.Plan, err = kit.PlanFor(ctx, read, m.Brand(), r); err != nil {
		return nil, err
	}
	if w.Tones, err = preflight.Tones(ctx, read.Drawing); err != nil {
		return nil, err
	}
	w.tones = map[string][]preflight.Tone{}
	for _, v := range w.Plan.Versions {
		t := w.Tones
		if v.Drawing != nil && v.Spec.Treatment != version.AsDrawn {
			if t, err = preflight.Tones(ctx, v.Drawing); err != nil {
				return nil, err
			}
		}
		w.tones[v.Spec.Name] = t
	}
	if f, stop := w.Plan.Findings.Stopping(); stop {
		w.Stop = f.Message
	} else if len(w.Plan.Files) == 0 {
		w.Stop = "the recipe leaves no file to make"
	}
	w.standIn = sync.OnceValues(func() (*intake.Master, error) {
		opt.StandIn = standInFamily
		return intake.Read(context.WithoutCancel(ctx), data, opt)
	})
	w.weights = sync.OnceValue(func() []Weight { return w.weigh(context.WithoutCancel(ctx)) })
	s.works.put(name, w)
	return w, nil
}

// Warm puts the marks on the table that the desk will show, so that its first
// visitor does not wait for all of them to be read.
func (s *Studio) Warm(ctx context.Context) {
	ms, err := s.Marks(ctx, "")
	if err != nil {
		return // the visitor will be told
	}
	for _, m := range ms[:min(len(ms), maxWorks)] {
		if w, err := s.Work(ctx, m); err == nil {
			w.Weights()
		}
		if ctx.Err() != nil {
			return
		}
	}
}

// Version returns a version by name.
func (w *Work) Version(name string) (*version.Version, bool) {
	for _, v := range w.Plan.Versions {
		if v.Spec.Name == name {
			return v, true
		}
	}
	return nil, false
}

// A Ground is what a version is looked at on.
type Ground struct {
	Key    string // in addresses: white, grey, black, photo, or six hex digits
	Name   string
	What   string
	Colour colour.RGB // of a photograph, its mean
	Photo  bool
}

// Grounds lists the grounds of the wall: white, mid grey, black, the two
// colours that cover most of the art, and a photograph.
func (w *Work) Grounds() []Ground {
	gs := []Ground{
		{Key: "white", Name: "White", What: "paper", Colour: colour.White},
		{Key: "grey", Name: "Mid grey", What: "L* 54", Colour: colour.FromBytes(128, 128, 128)},
		{Key: "black", Name: "Black", What: "screen", Colour: colour.Black},
	}
	for _, t := range w.Tones {
		c := t.Colour.RGB
		new := t.Share > 0.02
		for _, g := range gs {
			new = new && colour.Difference(c.Lab(), g.Colour.Lab()) > 10
		}
		if new && len(gs) < 5 {
			gs = append(gs, Ground{Key: c.Hex()[1:], Name: c.Hex(), What: fmt.Sprintf("colour %d of the art", len(gs)-2), Colour: c})
		}
	}
	return append(gs, Ground{Key: "photo", Name: "Photograph", What: "sky and grass", Colour: meanOf(photo()), Photo: true})
}

// Ground finds a ground by its key.
func (w *Work) Ground(key string) (Ground, bool) {
	for _, g := range w.Grounds() {
		if g.Key == key {
			return g, true
		}
	}
	return Ground{}, false
}

// Preview draws a version in the middle of width × height px of a ground. The
// picture is the engine's own output, ground and all.
func (w *Work) Preview(ctx context.Context, name string, width, height int, g Ground) ([]byte, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil {
		return nil, ErrNotFound
	}
	f := w.Plan.Frame.Box
	box := frame.Around(f.Grow(f.Long()*0.06), float64(width), float64(height), "")
	if !g.Photo {
		return w.picture(ctx, "v:"+name, v.Drawing, box, width, height, &g.Colour)
	}
	d := *v.Drawing
	img := photo()
	// The photograph fills the box as a page is filled: cut, not squeezed.
	b := frame.Around(geom.Rect{X1: 1, Y1: 1}, float64(img.Rect.Dx()), float64(img.Rect.Dy()), "")
	k := max(box.W()/b.W(), box.H()/b.H())
	to := geom.Affine{A: b.W() * k, D: b.H() * k, E: box.Centre().X - b.W()*k/2, F: box.Centre().Y - b.H()*k/2}
	d.Nodes = append([]drawing.Node{&drawing.Picture{Image: img, To: to, Alpha: 1}}, d.Nodes...)
	return w.picture(ctx, "photo:"+name, &d, box, width, height, nil)
}

// Tag draws the first version on white for the desk.
func (w *Work) Tag(ctx context.Context, width, height int) ([]byte, error) {
	return w.Preview(ctx, w.Plan.Versions[0].Spec.Name, width, height, Ground{Colour: colour.White})
}

// Whole draws the master with its whole page.
func (w *Work) Whole(ctx context.Context, width, height int) ([]byte, error) {
	return w.picture(ctx, "whole", w.Plan.Master.Drawing, w.Plan.Master.Drawing.Page, width, height, nil)
}

// standInFamily is set instead of a missing font, for looking only.
const standInFamily = "Hanken Grotesk"

// StandIn draws the master with its whole page, text without its font set in
// another one: it shows where the text is, not how it looks.
func (w *Work) StandIn(ctx context.Context, width, height int) ([]byte, error) {
	m, err := w.standIn()
	if err != nil {
		return nil, err
	}
	return w.picture(ctx, "stand-in", m.Drawing, m.Drawing.Page, width, height, nil)
}

// Tone draws the master with one colour in its own and all others faint.
func (w *Work) Tone(ctx context.Context, n, width, height int) ([]byte, error) {
	if n < 0 || n >= len(w.Tones) {
		return nil, ErrNotFound
	}
	t := w.Tones[n]
	d := w.Plan.Master.Drawing.Map(func(x drawing.Node) drawing.Node {
		s, ok := x.(*drawing.Shape)
		if !ok {
			return x
		}
		switch p := s.Paint.(type) {
		case drawing.Solid:
			if !t.Gradient && p.Colour == t.Colour {
				return x
			}
		case *drawing.Gradient:
			if t.Gradient && colour.Screen(p.Mean()) == t.Colour {
				return x
			}
		}
		c := *s
		c.Paint = drawing.Solid{Colour: colour.Screen(colour.FromBytes(0xc4, 0xc4, 0xc3)), Alpha: 1}
		return &c
	})
	return w.picture(ctx, fmt.Sprintf("tone:%d", n), d, w.Plan.Master.Drawing.Page, width, height, nil)
}

// picture draws d through box into the largest size that fits.
func (w *Work) picture(ctx context.Context, what string, d *drawing.Drawing, box geom.Rect, width, height int, ground *colour.RGB) ([]byte, error) {
	k := min(float64(width)/box.W(), float64(height)/box.H())
	pw, ph := max(1, int(math.Round(box.W()*k))), max(1, int(math.Round(box.H()*k)))
	key := fmt.Sprintf("%s|%s|%dx%d|%v", w.Name, what, pw, ph, ground)
	if ground != nil {
		key = fmt.Sprintf("%s|%s|%dx%d|%s", w.Name, what, pw, ph, ground.Hex())
	}
	if b := w.pngs.get(key); b != nil {
		return b, nil
	}
	img, err := raster.Render(ctx, d, raster.Fit(box, pw, ph), pw, ph, raster.Options{Ground: ground})
	if err != nil {
		return nil, err
	}
	b, err := png.Encode(img, png.Options{})
	if err != nil {
		return nil, err
	}
	w.pngs.put(key, b)
	return b, nil
}

// Stands is the contrast with which a version stands on a ground: the best
// that any colour covering a sixth of it or more reaches, as one strong
// colour is enough to be seen.
func (w *Work) Stands(ctx context.Context, name string, ground colour.RGB) (float64, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil {
		return 0, ErrNotFound
	}
	if v.Drawing.Has().Pictures { // the mean of what is opaque
		c, err := w.mean(ctx, v.Drawing)
		return colour.Contrast(c, ground), err
	}
	best := 1.0
	for _, t := range w.tones[name] {
		if t.Share >= 1.0/6 {
			best = max(best, colour.Contrast(t.Colour.RGB, ground))
		}
	}
	return best, nil
}

func (w *Work) mean(ctx context.Context, d *drawing.Drawing) (colour.RGB, error) {
	img, err := raster.Render(ctx, d, raster.Fit(w.Plan.Frame.Box, 64, 64), 64, 64, raster.Options{})
	if err != nil {
		return colour.RGB{}, err
	}
	return meanOf(img), nil
}

func meanOf(img *image.NRGBA) colour.RGB {
	var s [4]float64
	for i := 0; i < len(img.Pix); i += 4 {
		a := float64(img.Pix[i+3])
		for c := range 3 {
			s[c] += a * float64(img.Pix[i+c]) / 255
		}
		s[3] += a
	}
	if s[3] == 0 {
		return colour.White
	}
	return colour.RGB{R: s[0] / s[3], G: s[1] / s[3], B: s[2] / s[3]}
}

// workCache keeps the works last used.
type workCache struct {
	mu    sync.Mutex
	order list.List // of *Work, newest first
	index map[string]*list.Element
	pngs  pngCache
}

func (c *workCache) get(name string) *Work {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.index[name]
	if !ok {
		return nil
	}
	c.order.MoveToFront(e)
	return e.Value.(*Work)
}

func (c *workCache) put(name string, w *Work) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.index == nil {
		c.index = map[string]*list.Element{}
	}
	if _, ok := c.index[name]; ok {
		return
	}
	c.index[name] = c.order.PushFront(w)
	for c.order.Len() > maxWorks {
		last := c.order.Back()
		delete(c.index, last.Value.(*Work).Name)
		c.order.Remove(last)
	}
}

// pngCache keeps the previews last used, up to a weight.
type pngCache struct {
	mu    sync.Mutex
	order list.List // of keyed
	index map[string]*list.Element
	bytes int
}

type keyed struct {
	key  string
	data []byte
}

func (c *pngCache) get(key string) []byte {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.index[key]
	if !ok {
		return nil
	}
	c.order.MoveToFront(e)
	return e.Value.(keyed).data
}

func (c *pngCache) put(key string, data []byte) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.index == nil {
		c.index = map[string]*list.Element{}
	}
	if _, ok := c.index[key]; ok {
		return
	}
	c.index[key] = c.order.PushFront(keyed{key, data})
	c.bytes += len(data)
	for c.bytes > maxPNGs && c.order.Len() > 1 {
		last := c.order.Back()
		k := last.Value.(keyed)
		c.bytes -= len(k.data)
		delete(c.index, k.key)
		c.order.Remove(last)
	}
}
