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
	// maxFlat bounds the colours of a flattened drawing.
	maxFlat = 2000
)

// Flatten returns a drawing that looks the same on white paper and has nothing
// translucent, no mask, no blend and no clip: every area one opaque colour,
// with curves kept. Gradients become bands. It is for file types without
// transparency. Inks are mixed as inks: a declared build is kept where it
// shows alone, and mixed with others by their shares.
//
// Pictures and filters are made of pixels and cannot be flattened; the error
// then wraps ErrPixels.
func Flatten(ctx context.Context, d *drawing.Drawing) (*drawing.Drawing, error) {
	if h := d.Has(); h.Pictures || h.Filters {
		return nil, ErrPixels
	}
	a := NewArt(d)
	a.fine = true
	if err := a.resolve(ctx); err != nil {
		return nil, err
	}
	f := flattening{ctx: ctx, art: a, known: map[flatKey]int{}, blends: d.Has().Blends}
	m := a.plane.Label(f.label)
	switch {
	case f.err != nil:
		return nil, f.err
	case len(f.colours) > maxFlat:
		return nil, fmt.Errorf("it has more than %d colours when its translucent paint is resolved", maxFlat)
	}
	// The lightest first: each reaches a little under the darker ones it
	// meets, so that no hairline of paper shows between them.
	order := make([]int, len(f.colours))
	rank := make([]int, len(f.colours)+1)
	for i := range order {
		order[i] = i + 1
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(f.colours[b-1].RGB.Lab().L, f.colours[a-1].RGB.Lab().L)
	})
	for i, l := range order {
		rank[l] = i + 1
	}
	pen := geom.Pen{Width: 2 * spread * m.Long(), Join: geom.RoundJoin}
	var out []drawing.Node
	for _, l := range order {
		path := m.Path(func(x int) bool { return x == l })
		if len(path) == 0 {
			continue
		}
		later := func(x int) bool { return rank[x] > rank[l] }
		if lines := m.Lines(func(a, b int) bool { return a == l && later(b) || b == l && later(a) }); len(lines) > 0 {
			under, err := planar.Intersect(ctx, planar.Layer{Path: lines.Stroke(pen, strokeTol*m.Long())}, planar.Layer{Path: m.Path(later)})
			if err != nil {
				return nil, err
			}
			if path, err = planar.Union(ctx, planar.Layer{Path: path}, planar.Layer{Path: under}); err != nil {
				return nil, err
			}
		}
		out = append(out, &drawing.Shape{Path: path, Paint: drawing.Solid{Colour: f.colours[l-1], Alpha: 1}, Simple: true})
	}
	return with(d, out...), ctx.Err()
}

// ErrPixels is returned for drawings that hold pictures or filters.
var ErrPixels = fmt.Errorf("pictures and filters under or over translucent paint cannot be resolved to shapes")

// A flattening gives every face the opaque colour that is seen there.
type flattening struct {
	ctx     context.Context
	art     *Art
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
}

func (f *flattening) label(in *planar.Set) int {
	if f.err = cmp.Or(f.err, f.ctx.Err()); f.err != nil || len(f.colours) > maxFlat {
		return 0 // refused afterwards
	}
	s := sight{in: in}
	var p raster.Pixel
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
	k := flatKey{spot: c.Spot, tint: c.Tint}
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
			if k := t.ink.Tint; t.ink.Spot != "" && k > 0 {
				b = colour.CMYK{C: b.C * k / 100, M: b.M * k / 100, Y: b.Y * k / 100, K: b.K * k / 100}
			}
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
	const fine = 4 * rampSteps
	length := 0.0
	for i := range fine {
		length += far(float64(i)/fine, float64(i+1)/fine)
	}
	step := max(bandStep, length/maxBands)
	ends := []float64{0}
	gone := 0.0
	for i := range fine {
		gone += far(float64(i)/fine, float64(i+1)/fine)
		if t := float64(i+1) / fine; gone >= step && t < 1 {
			ends, gone = append(ends, t), 0
		}
	}
	ends = append(ends, 1)
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
