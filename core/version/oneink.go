package version

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

const (
	// strokeTol is how exactly gaps and outlines are fitted, as a share of the
	// longer side of the art.
	strokeTol = 1.0 / 4000
	// silhouette is the share of the outer edge that light parts must carry
	// before keep-light draws the rest as a line, and its width as a share of
	// the longer side.
	silhouette      = 0.9
	silhouetteWidth = 0.008
)

// A plot is a region of one tint. The plots of a version do not overlap.
type plot struct {
	path geom.Path
	tint float64 // percent of the ink
}

// inked makes the regions of ink of a version.
func (v *Version) inked(ctx context.Context, a *Art) error {
	s := v.Spec
	a, s.Overrides = v.held(a)
	own := s.Ink
	if own == nil && s.Backing != nil {
		own = s.Backing.Ink
	}
	if own == nil {
		return fmt.Errorf("version %q names no ink", s.Name)
	}
	if _, err := own.Colour(); err != nil {
		return fmt.Errorf("version %q: ink: %w", s.Name, err)
	}
	s.Ink = own
	if s.Treatment == Backed {
		s.Treatment = SingleInk
	}
	r, err := a.reading(ctx, s)
	if err != nil {
		if ctx.Err() == nil && !errors.Is(err, errRefused) {
			err = fmt.Errorf("%w: %w", errRefused, err)
		}
		return err
	}
	for _, c := range slices.Concat(r.classes, r.omitted) {
		v.Readings = append(v.Readings, c.Reading)
		v.Unbacked = v.Unbacked || c.backing
	}
	slices.SortStableFunc(v.Readings, func(a, b Reading) int {
		return cmp.Or(cmp.Compare(a.Colour.Lab().L, b.Colour.Lab().L), cmp.Compare(a.Colour.Hex(), b.Colour.Hex()))
	})
	plots := slices.Clone(r.ink)
	if s.Gap == "" && len(plots) > 1 && !s.Ink.White() {
		if err := r.trap(ctx, plots, strokeTol*r.m.Long()); err != nil {
			return err
		}
	}
	if len(plots) == 0 {
		return fmt.Errorf("%w: nothing in the master reads as ink", errRefused)
	}
	var nodes []drawing.Node
	if s.Outline != nil {
		nodes, plots, err = a.outline(ctx, *s.Outline, *own, plots)
		if err != nil {
			return err
		}
	}
	for _, p := range plots {
		if len(p.path) == 0 { // thinner than anything that is seen
			continue
		}
		paint, err := inkPaint(*own, p.tint)
		if err != nil {
			return err
		}
		nodes = append(nodes, &drawing.Shape{Path: p.path, Paint: paint, Simple: true})
	}
	if len(nodes) == 0 {
		return fmt.Errorf("%w: what reads as ink in the master is too thin to be seen", errRefused)
	}
	v.Drawing = with(a.Drawing, nodes...)
	v.Lost, v.Places = r.melted()
	v.Findings = append(v.Findings, a.findings...)
	v.Curves[0] = a.pieces
	for _, n := range nodes {
		n.(*drawing.Shape).Path.Each(func(geom.Curve, bool) { v.Curves[1]++ })
	}
	return nil
}

// reading returns what a spec reads in the master, with its plots. Specs that
// differ in their ink alone share one: the last few are kept.
func (a *Art) reading(ctx context.Context, s Spec) (*reading, error) {
	key := fmt.Sprintf("%s %s %q %#v", s.Treatment, s.Reversed, s.Gap, s.Overrides)
	if r := a.known(key, nil); r != nil {
		return r, nil
	}
	return a.reads.Do(ctx, key, func(ctx context.Context) (*reading, error) {
		r, err := a.read(ctx, s)
		if err != nil {
			return nil, err
		}
		if r.ink, err = r.plots(ctx, s); err != nil {
			return nil, err
		}
		r.melted = sync.OnceValues(func() (float64, []Place) { return r.lost(), r.places() })
		return a.known(key, r), nil
	})
}

// mostReadings is how many readings an Art keeps.
const mostReadings = 4

// known keeps a reading, unless there is one already, and returns what is kept.
func (a *Art) known(key string, r *reading) *reading {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, k := range a.readings {
		if k.key == key {
			return k.reading
		}
	}
	if r != nil {
		a.readings = append(a.readings, keptReading{key, r})
		a.readings = a.readings[max(0, len(a.readings)-mostReadings):]
	}
	return r
}

type keptReading struct {
	key     string
	reading *reading
}

// inkPaint is an ink, or a tint of it. A tint of white shows what is below.
func inkPaint(k Ink, tint float64) (drawing.Solid, error) {
	white := k.White()
	if k.Tint == 0 {
		k.Tint = 100
	}
	k.Tint *= tint / 100
	if white {
		k.Tint = 0
	}
	c, err := k.Colour()
	if white {
		return drawing.Solid{Colour: c, Alpha: tint / 100}, err
	}
	return drawing.Solid{Colour: c, Alpha: 1}, err
}

// plots traces the regions of ink, cuts gaps and draws what keep-light needs
// of the silhouette.
func (r *reading) plots(ctx context.Context, s Spec) ([]plot, error) {
	var tints []float64
	for i := range r.classes {
		if t := r.dots(i); t > 0 && !slices.Contains(tints, t) {
			tints = append(tints, t)
		}
	}
	slices.Sort(tints)
	slices.Reverse(tints)
	var out []plot
	for _, t := range tints {
		path := r.m.Path(func(l int) bool { return l > 0 && r.dots(l-1) == t })
		if len(path) > 0 {
			out = append(out, plot{path, t})
		}
	}
	tol := strokeTol * r.m.Long()
	if s.Gap != "" {
		width, err := s.Gap.Px(r.m.Long())
		if err != nil {
			return nil, fmt.Errorf("gap: %w", err)
		}
		lines := r.m.Lines(func(i, j int) bool { return r.inked(i) && r.alike(i, j) && r.weight[i][j] > 0 })
		cut := planar.Layer{Path: lines.Stroke(geom.Pen{Width: width, Join: geom.RoundJoin, Cap: geom.RoundCap}, tol)}
		for i := range out {
			if out[i].path, err = planar.Subtract(ctx, planar.Layer{Path: out[i].path}, cut); err != nil {
				return nil, err
			}
		}
		r.gapped = true
	}
	if s.Reversed == KeepLight && s.Treatment == SingleInk && r.carried() < silhouette {
		lines := r.m.Lines(func(i, j int) bool { return (i == 0 || j == 0) && !r.inked(i) && !r.inked(j) })
		band := planar.Layer{Path: lines.Stroke(geom.Pen{Width: 2 * silhouetteWidth * r.m.Long(), Join: geom.RoundJoin}, tol)}
		whole := planar.Layer{Path: r.m.Path(func(l int) bool { return l > 0 })}
		line, err := planar.Intersect(ctx, band, whole)
		if err != nil {
			return nil, err
		}
		parts := []planar.Layer{{Path: line}}
		if len(out) > 0 && out[0].tint == 100 {
			parts = append(parts, planar.Layer{Path: out[0].path})
			out = out[1:]
		}
		solid, err := planar.Union(ctx, parts...)
		if err != nil {
			return nil, err
		}
		out = append([]plot{{solid, 100}}, out...)
		r.outlined = true
	}
	return slices.DeleteFunc(out, func(p plot) bool { return len(p.path) == 0 }), nil
}

// trapWidth is how far a lighter tint reaches under a darker one, as a share of
// the longer side of the art.
const trapWidth = 1.0 / 200

// trap spreads each tint a little under the darker ones it touches, and puts
// the lighter ones first: areas that only meet show a hairline of paper
// between them in most renderers and on a press that is out of register
// (common practice).
func (r *reading) trap(ctx context.Context, plots []plot, tol float64) error {
	pen := geom.Pen{Width: 2 * trapWidth * r.m.Long(), Join: geom.RoundJoin}
	dots := func(label int) float64 {
		if label == 0 {
			return 0
		}
		return r.dots(label - 1)
	}
	spread := make([]geom.Path, len(plots))
	for i := range plots { // from dark to light
		parts := []planar.Layer{{Path: plots[i].path}}
		for j := range i {
			lines := r.m.Lines(func(below, above int) bool {
				a, b := dots(below), dots(above)
				return a == plots[i].tint && b == plots[j].tint || b == plots[i].tint && a == plots[j].tint
			})
			if len(lines) == 0 {
				continue
			}
			under, err := planar.Intersect(ctx, planar.Layer{Path: lines.Stroke(pen, tol)}, planar.Layer{Path: plots[j].path})
			if err != nil {
				return err
			}
			parts = append(parts, planar.Layer{Path: under})
		}
		spread[i] = plots[i].path
		if len(parts) > 1 {
			var err error
			if spread[i], err = planar.Union(ctx, parts...); err != nil {
				return err
			}
		}
	}
	for i := range plots {
		plots[i].path = spread[i]
	}
	slices.Reverse(plots)
	return nil
}

// carried is the share of the edge to the bare page that has ink on it.
func (r *reading) carried() float64 {
	var all, ink float64
	for l := 1; l < len(r.length); l++ {
		all += r.length[l][0]
		if r.inked(l) {
			ink += r.length[l][0]
		}
	}
	if all == 0 {
		return 1
	}
	return ink / all
}

// back puts the version on its backing, or knocks it out of it.
func (v *Version) back(ctx context.Context, a *Art) error {
	b := Backing{}
	if v.Spec.Backing != nil {
		b = *v.Spec.Backing
	}
	k := b.Ink
	if k == nil {
		k = v.Spec.Ink
	}
	if k == nil {
		return fmt.Errorf("version %q: its backing names no ink", v.Spec.Name)
	}
	paint, err := inkPaint(*k, 100)
	if err != nil {
		return fmt.Errorf("version %q: backing: %w", v.Spec.Name, err)
	}
	if b.Room == "" {
		b.Room = "8%"
	}
	box := v.Drawing.Bounds()
	room, err := b.Room.Px(box.Long())
	if err != nil {
		return fmt.Errorf("version %q: backing: room: %w", v.Spec.Name, err)
	}
	ground := b.path(box, room, v.Drawing)
	if !b.Knockout {
		v.Drawing = with(v.Drawing, append([]drawing.Node{&drawing.Shape{Path: ground, Paint: paint, Simple: true}}, v.Drawing.Nodes...)...)
		return nil
	}
	holes := []planar.Layer{}
	v.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			holes = append(holes, planar.Layer{Path: s.Path, Rule: s.Rule})
		}
	})
	path, err := planar.Subtract(ctx, planar.Layer{Path: ground}, holes...)
	if err != nil {
		return err
	}
	v.Drawing = with(v.Drawing, &drawing.Shape{Path: path, Paint: paint, Simple: true})
	return nil
}

// path is the outline of the backing round a box.
func (b Backing) path(box geom.Rect, room float64, d *drawing.Drawing) geom.Path {
	switch b.Shape {
	case Circle:
		// The smallest circle round the middle of the box that holds the art,
		// not its corners: a round mark gets a round backing that follows it.
		c, far := box.Centre(), 0.0
		d.Walk(func(n drawing.Node, _ []*drawing.Group) {
			switch n := n.(type) {
			case *drawing.Shape:
				n.Path.Flatten(box.Long()/1000, func(p, q geom.Point) { far = max(far, p.Sub(c).Len(), q.Sub(c).Len()) })
			case *drawing.Picture:
				for _, p := range drawing.Bounds(n).Corners() {
					far = max(far, p.Sub(c).Len())
				}
			}
		})
		if corner := box.Corners()[0].Sub(c).Len(); far > corner { // clipped art
			far = corner
		}
		return geom.Ellipse(c, far+room, far+room)
	case Rounded:
		g := box.Grow(room)
		radius := min(g.W(), g.H()) / 5
		return geom.RoundBox(g, radius, radius)
	}
	return geom.Box(box.Grow(room))
}
