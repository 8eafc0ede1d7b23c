package version

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/planar"
	"dyekit/core/raster"
)

const (
	// bandStep is how far two neighbouring bands of a gradient may differ, in
	// ΔE00, and maxBands how many there are at most.
	bandStep = 1.5
	maxBands = 48
	// spread is how far a colour reaches under its darker neighbours, as a share
	// of the longer side: as far as a pixel is wide in a picture of 150 px.
	spread = 1.0 / 150
	// fineSteps is how finely a ramp is looked at to be cut into bands.
	fineSteps = 4 * rampSteps
	// maxFlat bounds the colours of a flattened drawing.
	maxFlat = 2000
)

// Flatten returns a drawing that looks the same on white paper and has nothing
// translucent, no mask, no blend and no clip of several regions. What is opaque
// stays as it is; where something translucent lies, opaque patches are painted in
// its place, of the colours that are seen there: curves are kept, gradients
// become bands. It is for file types without transparency. Inks are mixed as
// inks: a declared build is kept where it shows alone, and mixed with others by
// their shares.
//
// What has pictures with alpha in it, or is too finely shaded, becomes opaque pictures
// as large as that is, k px to the page unit and clipped by their own outlines; all
// else stays in curves. Filters have to be pictures before; they are an error that
// wraps ErrPixels, and with a k of 0 all pixels are.
func Flatten(ctx context.Context, d *drawing.Drawing, k float64) (*drawing.Drawing, error) {
	if h := d.Has(); k == 0 && h.Pictures || h.Filters {
		return nil, ErrPixels
	}
	box := d.Bounds()
	f := flattener{ctx: ctx, box: box.Grow(box.Long() / 100), spread: spread * box.Long(), k: k}
	out, err := f.nodes(d.Nodes, f.box, func(n drawing.Node) drawing.Node { return n })
	if err != nil {
		return nil, err
	}
	return with(d, out...), ctx.Err()
}

// A flattener goes through what is painted, in order.
type flattener struct {
	ctx     context.Context
	box     geom.Rect // of the drawing
	spread  float64   // page units
	below   []lain
	colours int
	k       float64 // px to the page unit of patches that are pictures; 0 for none
}

// A lain node is painted already, as part of the groups it stands in.
type lain struct {
	node drawing.Node
	box  geom.Rect
}

// burdened reports whether a node has to be resolved, or something in it.
func burdened(n drawing.Node) bool {
	h := (&drawing.Drawing{Nodes: []drawing.Node{n}}).Has()
	return h.Translucent || h.Masks || h.Blends || h.HardClips
}

// open reports whether what is in a group may be resolved piece by piece: it
// meets what lies below as if there were no group, but for a clip of one region.
func open(g *drawing.Group) bool {
	if g.Alpha != 1 || g.Mask != nil || g.Blend != drawing.Normal || g.Isolated || g.Filter != nil {
		return false
	}
	only := *g
	only.Nodes = nil
	return !burdened(&only)
}

// nodes returns what is to be painted in the place of nodes that stand in a
// clip, whose box is given; wrap puts a node into the groups that these stand in.
func (f *flattener) nodes(ns []drawing.Node, clip geom.Rect, wrap func(drawing.Node) drawing.Node) (out []drawing.Node, err error) {
	var run []drawing.Node // burdened ones, one after the other
	flush := func() error {
		if len(run) == 0 {
			return nil
		}
		patches, err := f.settle(run, clip)
		for _, n := range run {
			f.lay(n, wrap)
		}
		out, run = append(out, patches...), nil
		return err
	}
	for _, n := range ns {
		g, group := n.(*drawing.Group)
		switch {
		case !burdened(n):
			if err := flush(); err != nil {
				return nil, err
			}
			out = append(out, n)
			f.lay(n, wrap)
		case group && open(g):
			if err := flush(); err != nil {
				return nil, err
			}
			c, inner := *g, clip
			if g.Clip != nil {
				inner = clip.Intersect(drawing.Bounds(&c))
			}
			c.Nodes, err = f.nodes(g.Nodes, inner, func(x drawing.Node) drawing.Node {
				one := *g
				one.Nodes = []drawing.Node{x}
				return wrap(&one)
			})
			if err != nil {
				return nil, err
			}
			out = append(out, &c)
		default:
			run = append(run, n)
		}
	}
	return out, flush()
}

// settle resolves a run as shapes, or where that cannot be as a picture.
func (f *flattener) settle(run []drawing.Node, clip geom.Rect) ([]drawing.Node, error) {
	var box geom.Rect
	pixels := false
	for _, n := range run {
		box = box.Union(drawing.Bounds(n))
		pixels = pixels || (&drawing.Drawing{Nodes: []drawing.Node{n}}).Has().Pictures
	}
	for _, l := range f.below { // it shows through
		pixels = pixels || !l.box.Intersect(box).Empty() && (&drawing.Drawing{Nodes: []drawing.Node{l.node}}).Has().Pictures
	}
	if pixels {
		return f.patch(run, clip)
	}
	colours := f.colours
	ns, err := f.resolve(run, clip)
	if err == nil || f.k == 0 || f.ctx.Err() != nil {
		return ns, err
	}
	f.colours = colours
	return f.patch(run, clip)
}

func (f *flattener) lay(n drawing.Node, wrap func(drawing.Node) drawing.Node) {
	f.below = append(f.below, lain{wrap(n), drawing.Bounds(n)})
}

// resolve returns opaque patches that look as a run of nodes does on what lies
// below, as far as their clip shows it.
func (f *flattener) resolve(run []drawing.Node, clip geom.Rect) ([]drawing.Node, error) {
	var box geom.Rect
	for _, n := range run {
		box = box.Union(drawing.Bounds(n))
	}
	box = box.Intersect(clip)
	if box.Empty() {
		return nil, nil
	}
	d := &drawing.Drawing{Page: f.box}
	for _, l := range f.below {
		if !l.box.Intersect(box).Empty() {
			d.Nodes = append(d.Nodes, l.node)
		}
	}
	a := NewArt(d)
	a.fine = true
	a.division = &division{view: box.Grow(f.box.Long() / 1000)}
	c := compiler{art: a, division: a.division, ctx: f.ctx}
	a.nodes = c.nodes(d.Nodes, "", nil)
	over := c.nodes(run, "", nil)
	a.nodes = append(a.nodes, over...)
	d.Nodes = append(d.Nodes, run...)
	if c.err != nil {
		return nil, c.err
	}
	var err error
	if a.plane, err = planar.Overlay(f.ctx, a.view, a.layers); err != nil {
		return nil, err
	}
	l := flattening{ctx: f.ctx, art: a, over: over, known: map[flatKey]int{}, blends: d.Has().Blends}
	m := a.plane.Label(l.label)
	f.colours += len(l.colours)
	switch {
	case l.err != nil:
		return nil, l.err
	case f.colours > maxFlat:
		return nil, fmt.Errorf("it has more than %d colours when its translucent paint is resolved", maxFlat)
	}
	return f.patches(m, l.colours)
}

// patches are the areas of a map whose labels count colours, each opaque.
func (f *flattener) patches(m *planar.Map, colours []colour.Colour) ([]drawing.Node, error) {
	// The lightest first: each reaches a little under the darker ones it
	// meets, so that no hairline of what lies below shows between them.
	order := make([]int, len(colours))
	rank := make([]int, len(colours)+1)
	for i := range order {
		order[i] = i + 1
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(colours[b-1].RGB.Lab().L, colours[a-1].RGB.Lab().L)
	})
	for i, l := range order {
		rank[l] = i + 1
	}
	paths := m.Paths(len(rank))
	seams, beyond := m.Seams(len(rank), func(a, b int) int {
		if rank[a] > rank[b] {
			a, b = b, a
		}
		if rank[a] == 0 {
			return -1
		}
		return a
	})
	pen := geom.Pen{Width: 2 * f.spread, Join: geom.RoundJoin}
	out := make([]drawing.Node, len(order))
	err := parallel.Do(f.ctx, len(order), func(ctx context.Context, i int) error {
		l := order[i]
		path := paths[l]
		if len(path) == 0 {
			return nil
		}
		if len(seams[l]) > 0 {
			stroke := seams[l].Stroke(pen, f.box.Long()*strokeTol)
			layers := []planar.Layer{{Path: stroke}}
			for _, x := range beyond[l] {
				layers = append(layers, planar.Layer{Path: paths[x]})
			}
			p, err := planar.Overlay(ctx, stroke.Bounds(), layers)
			if err != nil {
				return err
			}
			under := p.Label(func(in *planar.Set) int {
				if in.Has(0) && in.Top() > 0 {
					return 1
				}
				return 0
			}).Path(func(l int) bool { return l == 1 })
			if path, err = planar.Union(ctx, planar.Layer{Path: path}, planar.Layer{Path: under}); err != nil {
				return err
			}
			if len(path) == 0 { // thinner than anything that is seen
				return nil
			}
		}
		out[i] = &drawing.Shape{Path: path, Paint: drawing.Solid{Colour: colours[l-1], Alpha: 1}, Simple: true}
		return nil
	})
	return slices.DeleteFunc(out, func(n drawing.Node) bool { return n == nil }), err
}

// ErrPixels is returned for drawings that hold pictures or filters.
var ErrPixels = fmt.Errorf("pictures and filters under or over translucent paint cannot be resolved to shapes")

// A flattening gives every face where something translucent lies the opaque
// colour that is seen there.
type flattening struct {
	ctx     context.Context
	art     *Art
	over    []node // what is resolved: other faces stay as they are
	known   map[flatKey]int
	colours []colour.Colour
	blends  bool
	err     error
}

type flatKey struct {
	seen [3]uint8
	ink  colour.CMYK
	spot string
	tint float64
	mix  colour.Mixture
}

func (f *flattening) label(in *planar.Set) int {
	if f.err = cmp.Or(f.err, f.ctx.Err()); f.err != nil || len(f.colours) > maxFlat {
		return 0 // refused afterwards
	}
	var p, own raster.Pixel
	s := sight{in: in}
	s.draw(f.over, &own)
	if own[3] < faint {
		return 0
	}
	s = sight{in: in}
	s.draw(f.art.nodes, &p)
	if s.err != nil {
		f.err = s.err
	}
	if p[3] < faint || s.top == nil {
		return 0
	}
	c := colour.Colour{RGB: p.On(colour.White)}
	if t := s.top.tones[s.tone]; t.pixel[3] == 1 && near(p, t.pixel) {
		c = t.ink // nothing lies over it
	} else {
		c.Build, c.Built = f.mix(in, c.RGB), true
	}
	k := flatKey{spot: c.Spot, tint: c.Tint, mix: c.Mix}
	k.seen[0], k.seen[1], k.seen[2] = c.RGB.Bytes()
	if c.Built {
		k.ink = colour.CMYK{C: math.Round(c.Build.C), M: math.Round(c.Build.M), Y: math.Round(c.Build.Y), K: math.Round(c.Build.K)}
	}
	l, ok := f.known[k]
	if !ok {
		f.colours = append(f.colours, c)
		l = len(f.colours)
		f.known[k] = l
	}
	return l
}

func near(a, b raster.Pixel) bool {
	for i := range a {
		if math.Abs(float64(a[i]-b[i])) > 1e-4 {
			return false
		}
	}
	return true
}

// mix lays the inks of a face over each other in the shares their paint has,
// on bare paper. Blends other than multiply are made of light: there the build
// is proposed for what is seen.
func (f *flattening) mix(in *planar.Set, seen colour.RGB) colour.CMYK {
	if f.blends {
		return colour.Propose(seen)
	}
	pass := func(pick func(b colour.CMYK) colour.RGB) raster.Pixel {
		s := sight{in: in, look: func(t *tone) raster.Pixel {
			b, _ := t.ink.Press()
			return raster.NewPixel(pick(b), float64(t.pixel[3]))
		}}
		var p raster.Pixel
		s.draw(f.art.nodes, &p)
		return p
	}
	cmy := pass(func(b colour.CMYK) colour.RGB { return colour.RGB{R: b.C / 100, G: b.M / 100, B: b.Y / 100} })
	k := pass(func(b colour.CMYK) colour.RGB { return colour.RGB{R: b.K / 100} })
	round := func(v float32) float64 { return math.Round(float64(v)*1000) / 10 }
	return colour.CMYK{C: round(cmy[0]), M: round(cmy[1]), Y: round(cmy[2]), K: round(k[0])}
}

// bandRamp cuts a gradient into bands so fine that neighbours are hardly told
// apart, on white and on black. It returns no tones where that cannot be done.
func bandRamp(g *drawing.Gradient, view geom.Rect, _ *drawing.Mask) (cuts []geom.Path, tones []tone) {
	u, ok := g.Unroll(view)
	if !ok {
		return nil, nil
	}
	if len(u.Stops) < 2 {
		m := mean(g, 0, 1)
		m.ink = rampInk(g, 0)
		return nil, []tone{m}
	}
	far := func(t0, t1 float64) float64 {
		c0, a0 := u.Colour(t0)
		c1, a1 := u.Colour(t1)
		d := 0.0
		for _, ground := range []colour.RGB{colour.White, colour.Black} {
			d = max(d, colour.Difference(c0.Over(ground, a0).Lab(), c1.Over(ground, a1).Lab()))
		}
		return d
	}
	// Only the stretch of the ramp that the view shows is cut.
	lo, hi := within(u, view)
	length := 0.0
	at := func(i int) float64 { return lo + (hi-lo)*float64(i)/fineSteps }
	for i := range fineSteps {
		length += far(at(i), at(i+1))
	}
	step := max(bandStep, length/maxBands)
	ends := []float64{lo}
	gone := 0.0
	for i := range fineSteps {
		gone += far(at(i), at(i+1))
		if t := at(i + 1); gone >= step && t < hi {
			ends, gone = append(ends, t), 0
		}
	}
	ends = append(ends, hi)
	for i := 1; i < len(ends); i++ {
		m := mean(u, ends[i-1], ends[i])
		m.ink = rampInk(u, (ends[i-1]+ends[i])/2)
		tones = append(tones, m)
		if i == len(ends)-1 {
			break
		}
		p, ok := before(u, ends[i], view)
		if !ok {
			return nil, nil
		}
		cuts = append(cuts, p)
	}
	return cuts, tones
}

// within returns the stretch of a ramp that lies in a box of the page, and as
// much more as is not known to lie outside.
func within(g *drawing.Gradient, box geom.Rect) (lo, hi float64) {
	inv, ok := g.To.Inverse()
	if !ok {
		return 0, 1
	}
	at := func(x, y float64) float64 {
		t, ok := g.Offset(inv.Apply(geom.Pt(x, y)))
		if !ok {
			lo = math.Inf(-1) // it paints nothing there: nothing is known
		}
		return t
	}
	// What lies before an offset is a half plane or a circle: of a box a corner
	// lies farthest, and along a side offsets fall, then rise.
	lo, hi = 1, 0
	cs := box.Corners()
	for i, a := range cs {
		hi = max(hi, at(a.X, a.Y))
		b := cs[(i+1)%4]
		p, q := 0.0, 1.0
		for range 40 {
			u, v := p+(q-p)/3, q-(q-p)/3
			if at(a.Lerp(b, u).X, a.Lerp(b, u).Y) < at(a.Lerp(b, v).X, a.Lerp(b, v).Y) {
				q = v
			} else {
				p = u
			}
		}
		m := a.Lerp(b, (p+q)/2)
		lo = min(lo, at(a.X, a.Y), at(m.X, m.Y))
	}
	if f := g.To.Apply(g.P0); g.Radial && box.Contains(geom.Rect{X0: f.X, Y0: f.Y, X1: f.X, Y1: f.Y}, 0) {
		lo = 0
	}
	const slack = 1e-3
	return min(max(0, lo-slack), 1-slack), max(min(1, hi+slack), slack)
}

// rampInk is the colour of a ramp with its build, mixed of those declared.
func rampInk(g *drawing.Gradient, t float64) colour.Colour {
	rgb, _ := g.Colour(t)
	c := colour.Screen(rgb)
	for i := 1; i < len(g.Stops); i++ {
		a, b := g.Stops[i-1], g.Stops[i]
		if t < a.At || t > b.At || b.At <= a.At || !a.Colour.Built || !b.Colour.Built {
			continue
		}
		return colour.Mix(a.Colour, b.Colour, (t-a.At)/(b.At-a.At))
	}
	return c
}
