package version

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/planar"
	"dyekit/core/preflight"
	"dyekit/core/raster"
)

// Art is a drawing from which versions are made. The division of its page
// into faces is done once, at the first version that needs it; a change of
// the reading only labels the faces anew. Art may be used from several
// goroutines.
type Art struct {
	Drawing *drawing.Drawing
	// Keys are those of the master's pieces, for overrides that name one; it may
	// be nil.
	Keys []string
	// Outlines, if not nil, keeps the lines round versions for art in other inks.
	Outlines *Outlines

	fine bool // gradients are cut into bands that nobody tells apart

	mu        sync.Mutex
	lockups   map[string]*Art // of some parts alone
	arranging parallel.Once[*Art]
	suggested bool // named is known
	named     *Art // with its symbol named; see withSymbol
	*division      // nil until it is needed
	dividing  parallel.Once[*division]
	readings  []keptReading
	reads     parallel.Once[*reading]
}

// A division is the page divided into faces.
type division struct {
	plane    *planar.Plane
	nodes    []node
	leaves   []*leaf
	layers   []planar.Layer
	view     geom.Rect
	pieces   int // curves of the drawing
	findings finding.List
	err      error // why it cannot be divided
}

// NewArt takes a drawing whose mends are done.
func NewArt(d *drawing.Drawing) *Art { return &Art{Drawing: d} }

// A node is a shape or group as a program that tells its colour on a face.
type node struct {
	first, last int // its layers are those from first up to last
	leaf        *leaf
	group       *drawing.Group
	clip        []clip
	mask        *mask
	kids        []node
}

// A leaf is a shape, or one side of a picture's threshold. Layers from the
// one after its own on cut a gradient where its reading changes: the tone is
// the number of those that do not hold a face.
type leaf struct {
	layer   int
	cuts    int
	tones   []tone
	part    string
	piece   int
	backing bool
}

// A tone is a flat colour that stands for a shape or a stretch of its ramp.
type tone struct {
	pixel raster.Pixel
	seen  colour.RGB // on white
	ink   colour.Colour
}

// A clip is a region by its layer, itself clipped.
type clip struct {
	layer int
	clip  []clip
}

type mask struct {
	kids          []node
	clip          []clip
	alpha, linear bool
	mask          *mask
}

// resolve divides the page, unless that has been done.
func (a *Art) resolve(ctx context.Context) error {
	if d := a.divided(nil); d != nil {
		return d.err
	}
	d, err := a.dividing.Do(ctx, "", func(ctx context.Context) (*division, error) {
		d, err := a.divide(ctx)
		if err != nil {
			return nil, err
		}
		return a.divided(d), nil
	})
	if err != nil {
		return err
	}
	return d.err
}

// divided keeps d unless there is one already, and returns what is kept.
func (a *Art) divided(d *division) *division {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.division == nil {
		a.division = d
	}
	return a.division
}

func (a *Art) divide(ctx context.Context) (*division, error) {
	box := a.Drawing.Bounds()
	if box.Empty() {
		return &division{err: errors.New("the drawing is empty")}, nil
	}
	d := &division{view: box.Grow(box.Long() / 100)}
	backing, _ := preflight.Backing(a.Drawing)
	c := compiler{art: a, division: d, ctx: ctx, backing: backing}
	d.nodes = c.nodes(a.Drawing.Nodes, "", nil)
	if c.err != nil {
		return nil, c.err
	}
	d.plane, d.err = planar.Overlay(ctx, d.view, d.layers)
	return d, ctx.Err()
}

// A compiler turns nodes into programs and their paths into layers.
type compiler struct {
	*division
	art     *Art
	ctx     context.Context
	backing *drawing.Shape
	err     error
}

func (c *compiler) layer(p geom.Path, r geom.Rule) int {
	c.layers = append(c.layers, planar.Layer{Path: p, Rule: r})
	return len(c.layers) - 1
}

// nodes compiles what is drawn, or what a mask is made of; in is nil but for a
// mask.
func (c *compiler) nodes(ns []drawing.Node, part string, in *drawing.Mask) []node {
	var out []node
	for _, n := range ns {
		first := len(c.layers)
		var m node
		switch n := n.(type) {
		case *drawing.Shape:
			m.leaf = c.shape(n, in)
		case *drawing.Picture:
			m.group = &drawing.Group{Alpha: 1}
			m.kids = c.picture(n, in)
		case *drawing.Group:
			if n.Alpha == 0 {
				continue
			}
			m.group = n
			m.clip = c.clips(n.Clip)
			m.mask = c.mask(n.Mask)
			m.kids = c.nodes(n.Nodes, n.Part, in)
			if n.Filter != nil {
				if _, effect, err := (raster.Pixel{0, 0, 0, 1}).Flat(n.Filter); effect || err != nil {
					c.findings.Add(finding.EffectDropped, finding.Note,
						"an effect (shadow, glow, blur or the like) has no edge that one ink could follow; it is left out of one-ink versions", n.Part, drawing.Bounds(n))
				}
			}
		}
		if m.leaf == nil && m.group == nil {
			continue
		}
		m.first, m.last = first, len(c.layers)
		out = append(out, m)
	}
	return out
}

func (c *compiler) clips(rs []drawing.Region) []clip {
	if rs == nil {
		return nil
	}
	out := []clip{}
	for _, r := range rs {
		out = append(out, clip{c.layer(r.Path, r.Rule), c.clips(r.Clip)})
	}
	return out
}

func (c *compiler) mask(m *drawing.Mask) *mask {
	if m == nil {
		return nil
	}
	return &mask{kids: c.nodes(m.Nodes, "", m), clip: c.clips(m.Clip), alpha: m.Alpha, linear: m.Linear, mask: c.mask(m.Mask)}
}

// shape makes a leaf of a shape. What is wholly transparent is nothing.
func (c *compiler) shape(s *drawing.Shape, in *drawing.Mask) *leaf {
	l := &leaf{part: s.Part, piece: s.Piece, backing: s == c.backing}
	switch p := s.Paint.(type) {
	case drawing.Solid:
		if p.Alpha == 0 {
			return nil
		}
		l.layer = c.layer(s.Path, s.Rule)
		l.tones = []tone{flat(p.Colour.RGB, p.Alpha)}
		l.tones[0].ink = p.Colour
	case *drawing.Gradient:
		l.layer = c.layer(s.Path, s.Rule)
		cut := cutRamp
		if c.art.fine {
			cut = bandRamp
		}
		cuts, tones := cut(p, c.view, in)
		if tones == nil {
			c.err = errors.New("a gradient repeats too often, or its circles do not hold each other: it cannot be cut into bands")
			return nil
		}
		for _, path := range cuts {
			c.layer(path, geom.NonZero)
		}
		l.cuts, l.tones = len(cuts), tones
	default:
		c.err = fmt.Errorf("a paint of kind %T is not known", p)
		return nil
	}
	if in == nil {
		s.Path.Each(func(geom.Curve, bool) { c.pieces++ })
		c.leaves = append(c.leaves, l)
	}
	return l
}

func flat(c colour.RGB, alpha float64) tone {
	return tone{pixel: raster.NewPixel(c, alpha), seen: c.Over(colour.White, alpha)}
}

// A sight tells what is seen on a face.
type sight struct {
	in   *planar.Set
	skip func(l *leaf, tone int) int // the number of a leaf that is left out, or 0
	top  *leaf                       // the last that painted
	tone int                         // and with which of its tones
	gone int                         // left out with nothing painted over it, or 0
	look func(t *tone) raster.Pixel  // what a tone is painted with; its pixel if nil
	// plain leaves out white so faint that what lies below is seen through it: a
	// highlight is no hole.
	plain bool
	err   error
}

// draw lays nodes over dst.
func (s *sight) draw(ns []node, dst *raster.Pixel) {
	for i := 0; i < len(ns); i++ {
		k := s.in.From(ns[i].first)
		if k < 0 {
			return // and none of those above holds the face
		}
		if k >= ns[i].last { // on to the node whose layer does; they are in order
			i += sort.Search(len(ns)-i, func(j int) bool { return ns[i+j].last > k })
			if i == len(ns) || k < ns[i].first {
				i--
				continue
			}
		}
		n := &ns[i]
		if n.leaf != nil {
			s.leaf(n.leaf, dst)
			continue
		}
		g := n.group
		if n.clip != nil && !s.inside(n.clip) {
			continue
		}
		alpha := g.Alpha
		if n.mask != nil {
			alpha *= s.through(n.mask)
		}
		if alpha <= 0 {
			continue
		}
		if alpha == 1 && g.Blend == drawing.Normal && g.Filter == nil && !g.Isolated {
			s.draw(n.kids, dst)
			continue
		}
		var own raster.Pixel
		top := s.top
		s.draw(n.kids, &own)
		if g.Filter != nil && own[3] > 0 {
			var err error
			if own, _, err = own.Flat(g.Filter); err != nil {
				s.err = err
			}
		}
		if own[3] == 0 || s.plain && g.Blend == drawing.Normal && gleam(own, alpha, *dst) {
			s.top = top
			continue
		}
		dst.Lay(own, alpha, g.Blend)
	}
}

// gleam reports whether p is white that is laid over something so faintly that
// less than half of it covers.
func gleam(p raster.Pixel, alpha float64, below raster.Pixel) bool {
	if a := float64(p[3]) * alpha; a >= 0.5 || float64(below[3]) < 1-faint {
		return false
	}
	k := float64(p[3])
	return colour.RGB{R: float64(p[0]) / k, G: float64(p[1]) / k, B: float64(p[2]) / k}.NearWhite()
}

func (s *sight) leaf(l *leaf, dst *raster.Pixel) {
	if !s.in.Has(l.layer) {
		return
	}
	t := 0
	for t < l.cuts && !s.in.Has(l.layer+1+t) {
		t++
	}
	if s.skip != nil {
		if n := s.skip(l, t); n > 0 {
			s.gone = n
			return
		}
	}
	p := l.tones[t].pixel
	if s.look != nil {
		p = s.look(&l.tones[t])
	}
	if p[3] == 0 || s.plain && gleam(p, 1, *dst) {
		return
	}
	dst.Lay(p, 1, drawing.Normal)
	s.top, s.tone, s.gone = l, t, 0
}

func (s *sight) inside(cs []clip) bool {
	for _, c := range cs {
		if s.in.Has(c.layer) && (c.clip == nil || s.inside(c.clip)) {
			return true
		}
	}
	return false
}

// through is what a mask lets through on the face.
func (s *sight) through(m *mask) float64 {
	if m.clip != nil && !s.inside(m.clip) {
		return 0
	}
	sub := sight{in: s.in}
	var p raster.Pixel
	sub.draw(m.kids, &p)
	v := p.Light(m.linear)
	if m.alpha {
		v = float64(p[3])
	}
	if m.mask != nil {
		v *= s.through(m.mask)
	}
	return v
}
