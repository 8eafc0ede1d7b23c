// Package photomark lays a mark over photographs: a dark one where the photograph
// is light, a light one where it is dark. JPEG photographs keep their own data but
// for the blocks under the mark.
//
// It changes copies alone: photographs come in as bytes and go out as others.
package photomark

import (
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"sync"

	"golang.org/x/sync/semaphore"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/picture"
	"dyekit/core/raster"
)

// A Mark is art with its frame, in page units of the art.
type Mark struct {
	Drawing *drawing.Drawing // nil if there is none
	Box     geom.Rect
}

// A Marker lays one of two marks on photographs, all by one setting. It may be used
// from several goroutines.
type Marker struct {
	marks   map[string]Mark // Dark and Light, as far as there are
	setting Setting
	room    *semaphore.Weighted // px at work

	mu   sync.Mutex
	sets map[overlayKey]*overlay
}

// MaxPixels bounds a photograph. atOnce is how many px are at work at a time, some four
// bytes each: a larger photograph is marked alone.
const (
	MaxPixels = 80_000_000
	atOnce    = 32_000_000
)

// New returns a Marker. One of the two marks may be missing, and is never laid then.
func New(dark, light Mark, s Setting) (*Marker, error) {
	s = s.Full()
	if err := s.Check(); err != nil {
		return nil, err
	}
	m := &Marker{marks: map[string]Mark{}, setting: s, room: semaphore.NewWeighted(atOnce), sets: map[overlayKey]*overlay{}}
	for name, k := range map[string]Mark{Dark: dark, Light: light} {
		if k.Drawing != nil && !k.Box.Empty() {
			m.marks[name] = k
		}
	}
	if _, ok := m.marks[s.Mark]; s.Mark != Auto && !ok {
		return nil, fmt.Errorf("there is no %s mark to lay on", s.Mark)
	}
	if len(m.marks) == 0 {
		return nil, errors.New("there is no mark to lay on")
	}
	return m, nil
}

// A Result is a marked copy of a photograph.
type Result struct {
	Data  []byte
	Kind  string // jpeg, png, tiff or webp: that of the photograph
	W, H  int    // px, as seen
	Mark  string // Dark or Light
	Place string // one of Places, or Free
	Box   image.Rectangle
	// Contrast is the mean difference in CIE L* between the photograph with the mark
	// and without it, where the mark is.
	Contrast float64
	Notes    []string // what people should know of the copy
}

// hardly is the difference in L* below which a mark is said to be hardly seen:
// about what is told apart at arm's length in small letters (common practice).
const hardly = 15

// A photo is a photograph, taken apart as far as a mark needs it. Pixels are counted
// as they are seen, the right way up.
type photo interface {
	size() (w, h int)
	look(r image.Rectangle) *image.NRGBA // opaque sRGB; r lies inside
	lay(m *image.NRGBA, at image.Point)  // straight sRGB, inside the photograph
	bytes(m *Marker, r *Result) ([]byte, error)
}

// Lay returns a marked copy of a photograph. Errors say in a sentence what is wrong
// with it.
func (m *Marker) Lay(ctx context.Context, data []byte) (*Result, error) {
	r := &Result{Kind: Kind(data)}
	if r.Kind == "" {
		return nil, errors.New("it is no photograph of a known kind (JPEG, PNG, TIFF, WebP)")
	}
	w, h, err := picture.Extent(data)
	if err != nil {
		return nil, err
	}
	if w > MaxPixels/h {
		return nil, fmt.Errorf("the photograph of %d × %d px is larger than %d megapixels", w, h, MaxPixels/1_000_000)
	}
	at := int64(min(w*h, atOnce))
	if err := m.room.Acquire(ctx, at); err != nil {
		return nil, err
	}
	defer m.room.Release(at)
	p, err := open(data, w, h, m.setting.Longest, r)
	if err != nil {
		return nil, err
	}
	r.W, r.H = p.size()
	if r.Place, err = m.place(p); err != nil {
		return nil, err
	}
	if err := m.choose(ctx, p, r); err != nil {
		return nil, err
	}
	if r.Contrast < hardly {
		r.Notes = append(r.Notes, fmt.Sprintf("the mark hardly stands out: its lightness differs by %.0f of 100", r.Contrast))
	}
	if err := m.put(ctx, p, r.Mark, r.Box); err != nil {
		return nil, err
	}
	r.Data, err = p.bytes(m, r)
	return r, err
}

// aspect is that of a mark as it is laid.
func (m *Marker) aspect(which string) float64 {
	b := m.marks[which].Box
	if m.setting.Along != "" {
		return b.H() / b.W()
	}
	return b.W() / b.H()
}

func (m *Marker) boxOf(which, place string, w, h int) image.Rectangle {
	b := m.setting.box(place, m.aspect(which), w, h)
	return image.Rect(int(b.X0), int(b.Y0), int(b.X1), int(b.Y1)).Intersect(image.Rect(0, 0, w, h))
}

// calmer is how much less detail, in L*, a corner must have to be taken before one
// that comes first: less nobody sees.
const calmer = 0.2

// place is where the mark goes: of the corners, if a quiet one is wished, that with
// the least detail under either mark.
func (m *Marker) place(p photo) (string, error) {
	if m.setting.Place != Quiet {
		return m.setting.Place, nil
	}
	w, h := p.size()
	best, least := "", math.Inf(1)
	for _, c := range Corners {
		sum := 0.0
		for _, which := range []string{Dark, Light} {
			if _, ok := m.marks[which]; ok {
				b := m.boxOf(which, c, w, h)
				sum += detail(lightness(p.look(b).Pix), b.Dx(), b.Dy())
			}
		}
		if sum /= float64(len(m.marks)); sum < least-calmer {
			best, least = c, sum
		}
	}
	return best, nil
}

// choose picks the mark that stands out more; the light one of equals.
func (m *Marker) choose(ctx context.Context, p photo, r *Result) error {
	r.Contrast = -1
	var seen image.Rectangle
	var ground *image.NRGBA // in that box: both marks are mostly of one size
	for _, which := range []string{Light, Dark} {
		if _, ok := m.marks[which]; !ok || m.setting.Mark != Auto && m.setting.Mark != which {
			continue
		}
		box := m.boxOf(which, r.Place, r.W, r.H)
		o, err := m.overlay(ctx, overlayKey{which: which, w: box.Dx(), h: box.Dy(), plain: true})
		if err != nil {
			return err
		}
		if box != seen {
			seen, ground = box, p.look(box)
		}
		if c := contrast(ground, o.img); c > r.Contrast+1e-9 {
			r.Contrast, r.Mark, r.Box = c, which, box
		}
	}
	return nil
}

// contrast is the mean difference in L* that laying over on ground makes, weighted
// by how much of the mark there is.
func contrast(ground, over *image.NRGBA) float64 {
	sum, n := 0.0, 0.0
	for i := 0; i < len(over.Pix); i += 4 {
		g, o := ground.Pix[i:i+4], over.Pix[i:i+4]
		if o[3] == 0 {
			continue
		}
		var mixed [4]uint8
		for k := range 3 {
			mixed[k] = mix(g[k], o[k], o[3])
		}
		a := float64(o[3])
		sum += a * math.Abs(lstar(mixed[:])-lstar(g))
		n += a
	}
	return sum / max(1, n)
}

// mix lays over on ground by an opacity from 0 to 255.
func mix(ground, over, a uint8) uint8 {
	return uint8((int(ground)*(255-int(a)) + int(over)*int(a) + 127) / 255)
}

// put lays a mark on a photograph, in a box of it.
func (m *Marker) put(ctx context.Context, p photo, which string, box image.Rectangle) error {
	o, err := m.overlay(ctx, overlayKey{which: which, w: box.Dx(), h: box.Dy()})
	if err != nil {
		return err
	}
	w, h := p.size()
	at := box.Min.Sub(image.Pt(o.pad, o.pad))
	all := o.img.Rect.Add(at)
	cut := all.Intersect(image.Rect(0, 0, w, h)) // what lies below may reach past the edge
	if cut.Empty() {
		return nil
	}
	img := o.img
	if cut != all {
		img = image.NewNRGBA(image.Rect(0, 0, cut.Dx(), cut.Dy()))
		for y := range cut.Dy() {
			from := o.img.PixOffset(cut.Min.X-at.X, cut.Min.Y-at.Y+y)
			copy(img.Pix[y*img.Stride:][:4*cut.Dx()], o.img.Pix[from:])
		}
	}
	p.lay(img, cut.Min)
	return nil
}

// An overlayKey names a mark drawn at a size in px; plain is without what lies
// below.
type overlayKey struct {
	which string
	w, h  int
	plain bool
}

// An overlay is a mark drawn: straight sRGB, with pad px round the mark.
type overlay struct {
	img *image.NRGBA
	pad int
}

// mostOverlays bounds those that are kept: photographs of a batch are mostly of few
// sizes.
const mostOverlays = 64

func (m *Marker) overlay(ctx context.Context, k overlayKey) (*overlay, error) {
	k.plain = k.plain && m.setting.Below != ""
	m.mu.Lock()
	o := m.sets[k]
	m.mu.Unlock()
	if o != nil {
		return o, nil
	}
	o, err := m.draw(ctx, k)
	if err != nil {
		return nil, err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if len(m.sets) >= mostOverlays {
		clear(m.sets)
	}
	m.sets[k] = o
	return o, nil
}

// How a halo and a tint are, in parts of the mark's shorter side, and how opaque.
const (
	haloWide, haloAlpha = 0.12, 0.85
	tintWide, tintAlpha = 0.28, 0.45
)

func (m *Marker) draw(ctx context.Context, k overlayKey) (*overlay, error) {
	mark := m.marks[k.which]
	w, h := float64(k.w), float64(k.h)
	var to geom.Affine
	b := mark.Box
	switch m.setting.Along {
	case "up":
		to = geom.Scale(w/b.H(), h/b.W()).Mul(geom.Affine{B: -1, C: 1, E: -b.Y0, F: b.X1})
	case "down":
		to = geom.Scale(w/b.H(), h/b.W()).Mul(geom.Affine{B: 1, C: -1, E: b.Y1, F: -b.X0})
	default:
		to = raster.Fit(b, k.w, k.h)
	}
	short := min(w, h)
	pad := 0
	below := m.setting.Below
	if k.plain {
		below = ""
	}
	switch below {
	case Halo:
		pad = int(math.Ceil(3 * haloWide * short))
	case Tint:
		pad = int(math.Ceil(tintWide * short))
	}
	page := geom.Rect{X0: float64(-pad), Y0: float64(-pad), X1: w + float64(pad), Y1: h + float64(pad)}
	art := drawing.Moved(mark.Drawing.Nodes, to)
	var nodes []drawing.Node
	switch other := other(k.which); below {
	case Halo:
		nodes = append(nodes, halo(art, page, other, haloWide*short))
	case Tint:
		r := tintWide * short
		nodes = append(nodes, &drawing.Shape{Path: geom.RoundBox(page, r/2, r/2), Paint: drawing.Solid{Colour: colour.Screen(other), Alpha: tintAlpha}})
	}
	nodes = append(nodes, &drawing.Group{Nodes: art, Alpha: m.setting.Opacity, Isolated: true})
	d := &drawing.Drawing{Page: page, Nodes: nodes}
	img, err := raster.Render(ctx, d, geom.Translate(float64(pad), float64(pad)), k.w+2*pad, k.h+2*pad, raster.Options{})
	if err != nil {
		return nil, err
	}
	return &overlay{img, pad}, nil
}

// other is the tone of what lies below a mark.
func other(which string) colour.RGB {
	if which == Dark {
		return colour.White
	}
	return colour.Black
}

// halo is the blurred outline of art, in a colour.
func halo(art []drawing.Node, page geom.Rect, c colour.RGB, wide float64) drawing.Node {
	steps := []drawing.Step{
		{Op: drawing.GaussianBlur{X: wide, Y: wide}, In: drawing.SourceAlpha, Region: page},
		{Op: drawing.Flood{Colour: c, Alpha: haloAlpha}, In: drawing.Nothing, Region: page},
		{Op: drawing.Composite{Operator: "in"}, In: 1, In2: 0, Region: page},
	}
	return &drawing.Group{Nodes: art, Alpha: 1, Filter: &drawing.Filter{Region: page, To: geom.Identity, Steps: steps}}
}
