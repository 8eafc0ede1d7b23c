// Package witness draws single tiles of a drawing by other means than
// core/raster: it counts where sampled lines cross outlines instead of summing
// areas, and knows for each pixel how far its own answer may be off. It is slow,
// and it is there to say whether what was drawn quickly is right.
//
// What a drawing means (how a gradient runs, how a group composes) is taken
// from core/drawing and the standards. Of core/raster it takes two things only:
// what filters make, which depends on the size it is made at, and the formulas
// of the blends. Colours are premultiplied, in encoded sRGB, from 0 to 1.
package witness

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/raster"
)

// Side is the side of a tile in px.
const Side = 16

// A Witness draws tiles of one picture of a drawing.
type Witness struct {
	d       *drawing.Drawing
	to      geom.Affine
	w, h    int
	opt     raster.Options
	paths   *Paths
	field   *field // the tiles at hand
	spare   []*sheet
	effects map[*drawing.Group]*image.NRGBA
}

// New returns a witness of d as raster.Render draws it with the same
// arguments. It is not safe for concurrent use. ps keeps what others may use who
// witness the same paths.
func New(ps *Paths, d *drawing.Drawing, to geom.Affine, w, h int, opt raster.Options) *Witness {
	return &Witness{d: d, to: to, w: w, h: h, opt: opt, paths: ps, effects: map[*drawing.Group]*image.NRGBA{}}
}

// A Verdict says how a picture compares with what the witness saw.
type Verdict struct {
	Pixels int // looked at
	Off    int // that differ by more than the witness may be off
	Most   int // the largest excess, of 255
	At     image.Point
}

// A few pixels may differ by a little: where many curves meet within one, the
// doubt that is reckoned with can be too small.
const (
	stray      = 1.0 / 5000 // of the pixels looked at, or
	strayLeast = 4
	strayMost  = 64 // of 255
)

// OK reports whether the picture is right as far as was looked at.
func (v Verdict) OK() bool {
	return v.Off == 0 || v.Most <= strayMost && float64(v.Off) <= max(strayLeast, stray*float64(v.Pixels))
}

func (v Verdict) String() string {
	if v.OK() {
		return fmt.Sprintf("%d px drawn again by sampling, all the same", v.Pixels)
	}
	return fmt.Sprintf("%d of %d px drawn again by sampling differ, the most by %d of 255 at %d, %d", v.Off, v.Pixels, v.Most, v.At.X, v.At.Y)
}

// atOnce is how many tiles are drawn at once: as many as are sampled, so few that
// they take little memory.
const atOnce = 128

// Compare draws tiles again and holds a picture to them; at gives its straight
// 8-bit pixels. Tiles are Side px a side or less, do not lie over each other, and
// those that begin at one height end at one.
func (w *Witness) Compare(ctx context.Context, at func(x, y int) [4]uint8, tiles []image.Rectangle) (Verdict, error) {
	var v Verdict
	for some := range slices.Chunk(tiles, atOnce) {
		if err := w.compare(ctx, at, some, &v); err != nil {
			return v, err
		}
	}
	return v, nil
}

func (w *Witness) compare(ctx context.Context, at func(x, y int) [4]uint8, tiles []image.Rectangle, v *Verdict) error {
	w.field, w.spare = newField(tiles), nil
	s := w.sheet()
	if err := w.draw(ctx, s); err != nil {
		return err
	}
	for t, r := range tiles {
		px := w.pixels(s, t)
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				v.Pixels++
				if d := px[0].beyond(at(x, y)); d > 0 {
					v.Off++
					if k := int(math.Ceil(d * 255)); k > v.Most {
						v.Most, v.At = k, image.Pt(x, y)
					}
				}
				px = px[1:]
			}
		}
	}
	return nil
}

// Whole compares as Compare does, on all cores.
func Whole(ctx context.Context, ps *Paths, d *drawing.Drawing, to geom.Affine, w, h int, opt raster.Options, at func(x, y int) [4]uint8, tiles []image.Rectangle) (Verdict, error) {
	parts := 16
	if d.Has().Filters {
		parts = 1 // what a filter makes is taken from the whole picture, once for each witness
	}
	found := make([]Verdict, parts)
	err := parallel.Do(ctx, parts, func(ctx context.Context, i int) (err error) {
		found[i], err = New(ps, d, to, w, h, opt).Compare(ctx, at, tiles[len(tiles)*i/parts:len(tiles)*(i+1)/parts])
		return err
	})
	var v Verdict
	for _, f := range found {
		if f.Most > v.Most {
			v.Most, v.At = f.Most, f.At
		}
		v.Pixels, v.Off = v.Pixels+f.Pixels, v.Off+f.Off
	}
	return v, err
}

// rounding is how far a premultiplied channel may move when a colour and its
// opacity are each rounded to 8 bits, and what the ramps of a rasteriser are
// tabulated to.
const rounding = 1.6 / 255

// beyond is how much further than it may a straight 8-bit pixel lies from p.
func (p *pixel) beyond(q [4]uint8) float64 {
	a := float64(q[3]) / 255
	worst := math.Abs(a - p.v[3])
	for c := range 3 {
		worst = max(worst, math.Abs(float64(q[c])/255*a-p.v[c]))
	}
	return max(0, worst-p.e-rounding)
}

// Pixels gives the pixels of a picture to Compare.
func Pixels(img *image.NRGBA) func(x, y int) [4]uint8 {
	return func(x, y int) [4]uint8 { return [4]uint8(img.Pix[img.PixOffset(x, y):]) }
}

// Every lists the tiles that cover a picture.
func Every(w, h int) (tiles []image.Rectangle) {
	for y := 0; y < h; y += Side {
		for x := 0; x < w; x += Side {
			tiles = append(tiles, image.Rect(x, y, min(w, x+Side), min(h, y+Side)))
		}
	}
	return tiles
}

// sampleSide is the side of the tiles that Sample lists, in px: what counts is in
// how many places is looked.
const sampleSide = Side / 2

// Sample lists at most n tiles: on the outlines of shapes evenly taken from all
// of the drawing, and a few places that every picture has.
func (w *Witness) Sample(n int) (tiles []image.Rectangle) {
	seen := map[image.Point]bool{}
	add := func(x, y float64) {
		const k = sampleSide
		t := image.Pt(int(min(max(x, 0), float64(w.w-1)))/k, int(min(max(y, 0), float64(w.h-1)))/k)
		if !seen[t] && len(tiles) < n {
			seen[t] = true
			tiles = append(tiles, image.Rect(t.X*k, t.Y*k, min(w.w, (t.X+1)*k), min(w.h, (t.Y+1)*k)))
		}
	}
	for _, p := range [][2]float64{{0, 0}, {1, 0}, {0, 1}, {1, 1}, {0.5, 0.5}, {0.3, 0.5}, {0.7, 0.5}, {0.5, 0.2}, {0.5, 0.8}} {
		add(p[0]*float64(w.w), p[1]*float64(w.h))
	}
	// Of each shape the ends of its curves, halves first, then quarters and so on.
	const rounds = 5
	var at [rounds][]geom.Point
	w.d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		switch x := x.(type) {
		case *drawing.Shape:
			for r := range rounds {
				for k := 1; k < 2<<r; k += 2 {
					if i := len(x.Path) * k >> (r + 1); i < len(x.Path) && len(x.Path)>>r > 0 && x.Path[i].Op != geom.Close {
						at[r] = append(at[r], w.to.Apply(x.Path[i].End()))
					}
				}
			}
		case *drawing.Picture:
			for r := range rounds {
				for k := 1; k < 2<<r; k += 2 {
					t := float64(k) / float64(int(2)<<r)
					at[r] = append(at[r], w.to.Mul(x.To).Apply(geom.Pt(t, math.Mod(7*t, 1))))
				}
			}
		}
	})
	for _, ps := range at {
		for i := 0; i < len(ps) && len(tiles) < n; i += 1 + len(ps)/n {
			add(ps[i].X, ps[i].Y)
		}
	}
	return tiles
}

// A pixel is a premultiplied colour and how far any channel of it may be off.
type pixel struct {
	v [4]float64
	e float64
}

// A sheet holds the pixels of the tiles at hand, by rows, one tile after the other.
type sheet struct {
	px   []pixel
	used []bool // by tile: something was painted there
}

// sheet returns an empty sheet; give gives it back.
func (w *Witness) sheet() *sheet {
	n := len(w.spare)
	if n == 0 {
		f := w.field
		return &sheet{make([]pixel, f.first[len(f.tiles)]), make([]bool, len(f.tiles))}
	}
	s := w.spare[n-1]
	w.spare = w.spare[:n-1]
	clear(s.px)
	clear(s.used)
	return s
}

func (w *Witness) give(s *sheet) { w.spare = append(w.spare, s) }

// pixels are those of a tile, to be painted.
func (w *Witness) pixels(s *sheet, t int) []pixel {
	s.used[t] = true
	return s.px[w.field.first[t]:w.field.first[t+1]]
}

// middle is the middle of pixel i of a tile, in px.
func (w *Witness) middle(t, i int) geom.Point {
	r := w.field.tiles[t]
	return geom.Pt(float64(r.Min.X+i%r.Dx())+0.5, float64(r.Min.Y+i/r.Dx())+0.5)
}

// draw draws the tiles at hand.
func (w *Witness) draw(ctx context.Context, s *sheet) error {
	nodes := w.d.Nodes
	if g := w.opt.Ground; g != nil {
		for i := range s.px {
			s.px[i].v = [4]float64{g.R, g.G, g.B, 1}
		}
		if w.d.Has().Blends { // art blends with itself, not with what it lies on
			nodes = []drawing.Node{&drawing.Group{Nodes: nodes, Alpha: 1, Isolated: true}}
		}
	}
	return w.nodes(ctx, nodes, s)
}

func (w *Witness) nodes(ctx context.Context, ns []drawing.Node, dst *sheet) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	for _, n := range ns {
		switch n := n.(type) {
		case *drawing.Shape:
			w.shape(n, dst)
		case *drawing.Picture:
			w.picture(n, dst)
		case *drawing.Group:
			if err := w.group(ctx, n, dst); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *Witness) shape(s *drawing.Shape, dst *sheet) {
	if p, ok := s.Paint.(drawing.Solid); ok && p.Alpha <= 0 {
		return
	}
	var paint func(x, y float64) pixel
	w.coverage(s.Path, s.Rule, w.to, func(t int, cov []cover) {
		if paint == nil {
			paint = w.painter(s.Paint, w.to.Rect(s.Path.Bounds()))
		}
		px := w.pixels(dst, t)
		for i, c := range cov {
			if c.a > 0 || c.e > 0 {
				at := w.middle(t, i)
				px[i].lay(paint(at.X, at.Y), c)
			}
		}
	})
}

// lay puts src over p with a coverage (Compositing and Blending Level 1,
// section 5.1).
func (p *pixel) lay(src pixel, c cover) {
	step := 0.0 // how much the result depends on the coverage
	for i := range 4 {
		step = max(step, math.Abs(src.v[i]-p.v[i]*src.v[3]))
	}
	k := src.v[3] * c.a
	p.e = p.e*(1-k) + src.e*c.a + step*c.e
	for i := range 4 {
		p.v[i] = src.v[i]*c.a + p.v[i]*(1-k)
	}
}

// cut multiplies p by an opacity.
func (p *pixel) cut(c cover) {
	p.e = p.e*c.a + max(p.v[0], p.v[1], p.v[2], p.v[3])*c.e
	for i := range 4 {
		p.v[i] *= c.a
	}
}

func (w *Witness) group(ctx context.Context, g *drawing.Group, dst *sheet) error {
	if g.Alpha <= 0 {
		return nil
	}
	if g.Alpha == 1 && g.Clip == nil && g.Mask == nil && g.Blend == drawing.Normal && !g.Isolated && g.Filter == nil {
		return w.nodes(ctx, g.Nodes, dst)
	}
	sub := w.sheet()
	defer w.give(sub)
	var err error
	if g.Filter != nil {
		err = w.effect(ctx, g, sub)
	} else {
		err = w.nodes(ctx, g.Nodes, sub)
	}
	if err != nil {
		return err
	}
	if g.Clip != nil {
		sub.cut(w.clip(g.Clip))
	}
	if g.Mask != nil {
		m, err := w.mask(ctx, g.Mask)
		if err != nil {
			return err
		}
		sub.cut(m)
	}
	for t := range sub.used {
		if sub.used[t] {
			compose(w.pixels(dst, t), w.pixels(sub, t), g)
		}
	}
	return nil
}

// compose lays what a group painted over dst, by its opacity and blend.
func compose(dst, src []pixel, g *drawing.Group) {
	for i := range dst {
		p, s := &dst[i], src[i]
		if g.Blend == drawing.Normal {
			p.lay(s, cover{a: g.Alpha})
			continue
		}
		below, over := single(p.v), single(s.v)
		below.Lay(over, g.Alpha, g.Blend)
		// Some blends turn a little into a lot: edges are not judged by them.
		p.e = min(1, 8*(p.e+s.e)+rounding)
		for c := range 4 {
			p.v[c] = float64(below[c])
		}
	}
}

func single(v [4]float64) (p raster.Pixel) {
	for c := range 4 {
		p[c] = float32(v[c])
	}
	return p
}

// cut multiplies each pixel by the opacity of m.
func (s *sheet) cut(m []cover) {
	for i := range s.px {
		s.px[i].cut(m[i])
	}
}

// effect takes what a filter makes as raster makes it.
func (w *Witness) effect(ctx context.Context, g *drawing.Group, dst *sheet) error {
	img, ok := w.effects[g]
	if !ok {
		only := &drawing.Group{Nodes: g.Nodes, Filter: g.Filter, Alpha: 1}
		var err error
		if img, err = raster.Render(ctx, &drawing.Drawing{Page: w.d.Page, Nodes: []drawing.Node{only}}, w.to, w.w, w.h, raster.Options{Hard: w.opt.Hard}); err != nil {
			return err
		}
		w.effects[g] = img
	}
	for t, r := range w.field.tiles {
		px := w.pixels(dst, t)
		for i := range px {
			q := img.Pix[img.PixOffset(r.Min.X+i%r.Dx(), r.Min.Y+i/r.Dx()):]
			a := float64(q[3]) / 255
			px[i] = pixel{[4]float64{float64(q[0]) / 255 * a, float64(q[1]) / 255 * a, float64(q[2]) / 255 * a, a}, 1.0 / 255}
		}
	}
	return nil
}

// clip is the coverage of the union of regions, each inside its own clip, of all
// pixels of the tiles at hand.
func (w *Witness) clip(rs []drawing.Region) []cover {
	f := w.field
	out := make([]cover, f.first[len(f.tiles)])
	for _, x := range rs {
		var inner []cover
		if x.Clip != nil {
			inner = w.clip(x.Clip)
		}
		w.coverage(x.Path, x.Rule, w.to, func(t int, cov []cover) {
			for i, c := range cov {
				k := f.first[t] + i
				if inner != nil {
					c = c.both(inner[k])
				}
				o := &out[k]
				o.e = o.e*(1-c.a) + c.e*(1-o.a)
				o.a += c.a * (1 - o.a)
			}
		})
	}
	return out
}

// both is what two coverages leave together.
func (c cover) both(d cover) cover { return cover{c.a * d.a, c.e*d.a + c.a*d.e + c.e*d.e} }

// mask is what a mask lets through of all pixels of the tiles at hand (SVG 1.1
// section 14.4).
func (w *Witness) mask(ctx context.Context, m *drawing.Mask) ([]cover, error) {
	s := w.sheet()
	defer w.give(s)
	if err := w.nodes(ctx, m.Nodes, s); err != nil {
		return nil, err
	}
	if m.Clip != nil {
		s.cut(w.clip(m.Clip))
	}
	out := make([]cover, len(s.px))
	for i, p := range s.px {
		out[i] = cover{p.v[3], p.e}
		if !m.Alpha && p.v[3] > 0 {
			c := colour.RGB{R: p.v[0] / p.v[3], G: p.v[1] / p.v[3], B: p.v[2] / p.v[3]}
			if m.Linear {
				c = colour.RGB{R: light(c.R), G: light(c.G), B: light(c.B)}
				out[i].e = 13 * p.e // the steepest that light goes over encoded values, and its quotient
			}
			out[i].a = (colour.LumaR*c.R + colour.LumaG*c.G + colour.LumaB*c.B) * p.v[3]
		}
	}
	if m.Mask != nil {
		inner, err := w.mask(ctx, m.Mask)
		if err != nil {
			return nil, err
		}
		for i, k := range inner {
			out[i] = cover{out[i].a * k.a, out[i].e*k.a + out[i].a*k.e}
		}
	}
	return out, nil
}

// light decodes a channel (IEC 61966-2-1).
func light(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}
