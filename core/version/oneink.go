package version

import (
	"context"
	"fmt"
	"image"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/preflight"
	"dyekit/core/raster"
)

// What a colour becomes in one ink.
const (
	AsInk   = "ink"
	AsPaper = "paper"
	AsTint  = "tint"
	AsOmit  = "omit"
)

// A Reading says what one colour of the master becomes, and why.
type Reading struct {
	Colour colour.RGB
	As     string
	Why    string
}

const (
	loses   = 0.05 // share of lost edges that is a finding
	refuses = 0.25 // share at which a blob would be handed out
	same    = 2.0  // ΔE00 under which colours are read together
	eye     = 768  // px of the longer side on which overlaps are looked for
)

// A leaf is a shape on its way to one ink.
type leaf struct {
	shape *drawing.Shape
	in    []*drawing.Group
	seen  colour.RGB // its colour on white paper
	as    string
	why   string
}

// singleInk reads every shape as ink, paper or nothing. In this slice paper
// cannot be cut out of ink yet: a master that needs it is refused.
func (v *Version) singleInk(ctx context.Context, d *drawing.Drawing) error {
	if v.Spec.Ink == nil {
		return fmt.Errorf("version %q names no ink", v.Spec.Name)
	}
	ink, err := v.Spec.Ink.Colour()
	if err != nil {
		return fmt.Errorf("version %q: ink: %w", v.Spec.Name, err)
	}
	if d.Has().Pictures {
		v.Refused = "pixels cannot be cut into one ink yet"
		return nil
	}
	if h := d.Has(); h.Masks || h.Filters || h.Blends {
		v.Refused = "masks, filters and blends cannot be read as one ink yet"
		return nil
	}
	leaves, refused := v.read(d)
	if refused != "" {
		v.Refused = refused
		return nil
	}
	box := d.Bounds()
	if refused, err = settleWhite(ctx, leaves, box); err != nil || refused != "" {
		v.Refused = refused
		return err
	}
	v.collect(leaves)
	reads := map[*drawing.Shape]string{}
	some := false
	for _, l := range leaves {
		reads[l.shape] = l.as
		some = some || l.as == AsInk
	}
	if !some {
		v.Refused = "nothing in the master reads as ink"
		return nil
	}
	out := solid(d).Map(func(n drawing.Node) drawing.Node {
		s, ok := n.(*drawing.Shape)
		if !ok || reads[s] != AsInk {
			return nil
		}
		c := *s
		c.Paint = drawing.Solid{Colour: ink, Alpha: 1}
		return &c
	})
	if v.Lost, err = lost(ctx, leaves, box); err != nil {
		return err
	}
	if v.Lost > refuses {
		v.Refused = fmt.Sprintf("in one ink %.0f %% of the edges one sees would melt together; colours that touch cannot be kept apart yet", v.Lost*100)
		return nil
	}
	v.Drawing = out
	return nil
}

// read gives every shape its first reading.
func (v *Version) read(d *drawing.Drawing) (leaves []leaf, refused string) {
	backing, _ := preflight.Backing(d)
	d.Walk(func(n drawing.Node, in []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok || refused != "" {
			return
		}
		l := leaf{shape: s, in: in, as: AsInk, why: "it is darker than the paper"}
		alpha := 1.0
		for _, g := range in {
			alpha *= g.Alpha
		}
		switch p := s.Paint.(type) {
		case drawing.Solid:
			l.seen = p.Colour.RGB.Over(colour.White, p.Alpha*alpha)
		case *drawing.Gradient:
			l.seen = p.Mean().Over(colour.White, alpha)
			white := 0
			for _, st := range p.Stops {
				if st.Colour.RGB.Over(colour.White, st.Alpha*alpha).NearWhite() {
					white++
				}
			}
			if white > 0 && white < len(p.Stops) {
				refused = "a gradient runs from ink to paper; it cannot be cut where the reading changes yet"
				return
			}
			l.why = "the mean of its gradient is darker than the paper"
		}
		switch {
		case s == backing && l.seen.NearWhite():
			l.as, l.why = AsOmit, "it is the white rectangle behind the art"
		case l.seen.NearWhite():
			l.as, l.why = "", ""
		}
		for _, o := range v.Spec.Overrides {
			if !o.names(s) {
				continue
			}
			if o.As == AsTint {
				refused = "tints cannot be made yet"
				return
			}
			l.as, l.why = o.As, "a person said so"
		}
		leaves = append(leaves, l)
	})
	return leaves, refused
}

// names reports whether the override speaks of the shape.
func (o Override) names(s *drawing.Shape) bool {
	if o.Part != "" {
		return strings.EqualFold(o.Part, s.Part)
	}
	c, err := colour.ParseHex(o.Colour)
	p, ok := s.Paint.(drawing.Solid)
	return err == nil && ok && colour.Difference(c.Lab(), p.Colour.RGB.Lab()) < same
}

// settleWhite decides about white: over ink it would have to be cut out, which
// is refused; under ink it is paper; on nothing it is ink, or it would vanish.
func settleWhite(ctx context.Context, leaves []leaf, box geom.Rect) (refused string, err error) {
	eye, err := newSight(box)
	if err != nil {
		return "", err
	}
	for i := range leaves {
		l := &leaves[i]
		if l.as != "" && l.as != AsPaper {
			continue
		}
		own, err := eye.mask(ctx, leaves[i:i+1], func(leaf) bool { return true })
		if err != nil {
			return "", err
		}
		below, err := eye.mask(ctx, leaves[:i], func(x leaf) bool { return x.as == AsInk })
		if err != nil {
			return "", err
		}
		if overlaps(own, below, eye.pixels(drawing.Bounds(l.shape))) {
			what := "white"
			if !l.seen.NearWhite() {
				what = l.seen.Hex()
			}
			where := ""
			if l.shape.Part != "" {
				where = fmt.Sprintf(" in %q", l.shape.Part)
			}
			return fmt.Sprintf("%s lies over ink%s and would have to be cut out of it, which cannot be done yet", what, where), nil
		}
		if l.as == AsPaper {
			continue
		}
		above, err := eye.mask(ctx, leaves[i+1:], func(x leaf) bool { return x.as == AsInk })
		if err != nil {
			return "", err
		}
		if overlaps(own, above, image.Rectangle{}) {
			l.as, l.why = AsPaper, "it is white under ink, where the paper shows"
		} else {
			l.as, l.why = AsInk, "it is white on nothing and would vanish"
		}
	}
	return "", nil
}

// sight looks at shapes as sets of pixels.
type sight struct {
	to   geom.Affine
	w, h int
}

func newSight(box geom.Rect) (sight, error) {
	if box.Empty() {
		return sight{}, fmt.Errorf("the drawing is empty")
	}
	k := eye / box.Long()
	s := sight{w: max(1, int(box.W()*k)), h: max(1, int(box.H()*k))}
	s.to = raster.Fit(box, s.w, s.h)
	return s, nil
}

// pixels is the box in pixels, rounded outwards.
func (s sight) pixels(b geom.Rect) image.Rectangle {
	r := s.to.Rect(b)
	return image.Rect(int(r.X0)-1, int(r.Y0)-1, int(r.X1)+2, int(r.Y1)+2)
}

// mask draws the chosen leaves, each within the clips of its groups.
func (s sight) mask(ctx context.Context, ls []leaf, want func(leaf) bool) (*image.NRGBA, error) {
	d := &drawing.Drawing{}
	for _, l := range ls {
		if want(l) {
			d.Nodes = append(d.Nodes, l.clipped(colour.Black))
		}
	}
	return raster.Render(ctx, d, s.to, s.w, s.h, raster.Options{Hard: true})
}

// clipped is the shape in a plain colour, inside the clips around it.
func (l leaf) clipped(c colour.RGB) drawing.Node {
	sh := *l.shape
	sh.Paint = drawing.Solid{Colour: colour.Screen(c), Alpha: 1}
	var n drawing.Node = &sh
	for i := len(l.in) - 1; i >= 0; i-- {
		if l.in[i].Clip != nil {
			n = &drawing.Group{Nodes: []drawing.Node{n}, Alpha: 1, Clip: l.in[i].Clip}
		}
	}
	return n
}

// overlaps reports whether two masks share more than stray edge pixels. A
// shape too fine to show on its own counts by its box, if one is given: on
// doubt it lies over ink.
func overlaps(a, b *image.NRGBA, box image.Rectangle) bool {
	area, both := 0, 0
	for i := 3; i < len(a.Pix); i += 4 {
		if a.Pix[i] > 0 {
			area++
			if b.Pix[i] > 0 {
				both++
			}
		}
	}
	if area == 0 {
		box = box.Intersect(b.Bounds())
		for y := box.Min.Y; y < box.Max.Y; y++ {
			for x := box.Min.X; x < box.Max.X; x++ {
				if b.Pix[b.PixOffset(x, y)+3] > 0 {
					return true
				}
			}
		}
		return false
	}
	return both > max(3, area/100)
}

// collect gathers the readings by colour.
func (v *Version) collect(leaves []leaf) {
next:
	for _, l := range leaves {
		for _, r := range v.Readings {
			if r.As == l.as && colour.Difference(r.Colour.Lab(), l.seen.Lab()) < same {
				continue next
			}
		}
		v.Readings = append(v.Readings, Reading{l.seen, l.as, l.why})
	}
}

// lost measures the share of the visible edges that the reading melts: the
// length of every border between two colours, weighted by how visible it is
// (ΔE00), where both sides come out the same. It is counted on pixels.
func lost(ctx context.Context, leaves []leaf, box geom.Rect) (float64, error) {
	s, err := newSight(box)
	if err != nil {
		return 0, err
	}
	// Label 0 is the bare page, seen as white.
	seen := []colour.RGB{colour.White}
	inked := []bool{false}
	d := &drawing.Drawing{}
	for _, l := range leaves {
		if l.as == AsOmit {
			continue
		}
		id := -1
		for i := 1; i < len(seen); i++ {
			if inked[i] == (l.as == AsInk) && colour.Difference(seen[i].Lab(), l.seen.Lab()) < same {
				id = i
			}
		}
		if id < 0 {
			id = len(seen)
			seen, inked = append(seen, l.seen), append(inked, l.as == AsInk)
		}
		d.Nodes = append(d.Nodes, l.clipped(colour.FromBytes(0, uint8(id>>8), uint8(id))))
	}
	img, err := raster.Render(ctx, d, s.to, s.w, s.h, raster.Options{Hard: true})
	if err != nil {
		return 0, err
	}
	// White that is ink stands for itself on a dark page: seen against the
	// bare page it would have no edge at all, so it counts as black there.
	weight := make([][]float64, len(seen))
	for i := range seen {
		weight[i] = make([]float64, len(seen))
		for j := range seen {
			a, b := seen[i], seen[j]
			if i == 0 && b.NearWhite() && inked[j] || j == 0 && a.NearWhite() && inked[i] {
				a, b = colour.Black, colour.White
			}
			if e := colour.Difference(a.Lab(), b.Lab()); e >= same {
				weight[i][j] = e
			}
		}
	}
	label := func(x, y int) int {
		p := img.Pix[img.PixOffset(x, y):]
		return int(p[1])<<8 | int(p[2])
	}
	var all, gone float64
	border := func(a, b int) {
		all += weight[a][b]
		if inked[a] == inked[b] {
			gone += weight[a][b]
		}
	}
	for y := range s.h {
		for x := range s.w {
			at := label(x, y)
			if x+1 < s.w {
				border(at, label(x+1, y))
			} else {
				border(at, 0)
			}
			if y+1 < s.h {
				border(at, label(x, y+1))
			} else {
				border(at, 0)
			}
			if x == 0 {
				border(at, 0)
			}
			if y == 0 {
				border(at, 0)
			}
		}
	}
	if all == 0 {
		return 0, nil
	}
	return gone / all, nil
}

// solid is the drawing with its groups made opaque: one ink has no grey.
func solid(d *drawing.Drawing) *drawing.Drawing {
	e := *d
	e.Nodes = solidNodes(d.Nodes)
	return &e
}

func solidNodes(ns []drawing.Node) []drawing.Node {
	out := make([]drawing.Node, len(ns))
	for i, n := range ns {
		out[i] = n
		if g, ok := n.(*drawing.Group); ok {
			h := *g
			h.Alpha, h.Nodes = 1, solidNodes(g.Nodes)
			out[i] = &h
		}
	}
	return out
}
