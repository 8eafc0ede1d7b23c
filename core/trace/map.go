package trace

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"slices"

	"dyekit/core/geom"
	"dyekit/core/parallel"
)

// Limits of a tracing.
const (
	MaxTraced = 16_000_000 // px
	maxArcs   = 200_000
)

// Options say how a picture is traced. The zero value finds the colours and is
// neither fine nor smooth.
type Options struct {
	Colours int     // how many; 0 for as many as there are
	Smooth  float64 // from 0, every bend is kept, to 1, few long curves
}

// A Tracing is a picture as regions of few colours. The regions share their
// borders: there is no gap between them and nothing is covered twice, but where
// a region lies wholly within another, which then goes on below it, so that no
// seam can show.
type Tracing struct {
	W, H    int
	Regions []Region // as they are painted, the largest first
	Ground  color.NRGBA
	Bare    bool    // the ground is transparent
	Grounds bool    // a plain ground of the colour Ground was left out
	Noise   float64 // of plain places, as a share of a channel
	Edge    float64 // px that a soft edge takes, in the middle
}

// A Region is all that has one colour, in pixels of the picture.
type Region struct {
	Colour color.NRGBA
	Path   geom.Path // outer contours with positive area, holes negative
	Ramp   *Ramp     // that it is painted with, whose mean Colour is; nil for plain ones
}

// An arc is a stretch of border between two places where more than two colours
// meet, or all the way round.
type arc struct {
	ps       []geom.Point
	right    int16 // the colour on the side to which x turns into y
	left     int16
	from, to end
	oval     *oval     // that it is, or nil
	path     geom.Path // fitted, beginning with MoveTo
}

// An end is a spoke of a meeting of colours; none of a closed arc.
type end struct{ node, spoke int }

// noisy is the noise from which on a picture wavers.
const noisy = 0.012

// Trace turns a picture into regions.
func Trace(ctx context.Context, img *image.NRGBA, opt Options) (*Tracing, error) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if w < 2 || h < 2 {
		return nil, errors.New("the picture is too small to be traced")
	}
	if w > MaxTraced/h {
		return nil, fmt.Errorf("a picture of %d × %d px is too large to be traced: at most %d megapixels", w, h, MaxTraced/1_000_000)
	}
	if w > maxWhole/h {
		return halfTraced(ctx, img, opt)
	}
	p := huesOf(img)
	whole := p // small art suffers from what takes noise away
	t := &Tracing{W: w, H: h, Noise: p.noise()}
	const grain = 0.055 // a median takes thin strokes along: only of what is worse than packing leaves
	if t.Noise > grain {
		p = p.calm()
	}
	if t.Noise > 2*grain {
		p = p.calm()
	}
	left := t.Noise
	if p != whole {
		left = p.noise()
	}
	noise := min(0.08, max(left, 0.5*t.Noise))
	cs := p.palette(min(opt.Colours, MaxColour), noise)
	if len(cs) < 2 {
		return nil, errors.New("the picture is of one colour: there is nothing to trace")
	}
	speck := 3 + int(9*opt.Smooth)
	if t.Noise > noisy {
		speck += 6
	}
	var small []bit
	if !whole.hard(cs) {
		small = whole.pieces(cs, noise)
	}
	plain := cs // without those of small art, whose strokes have none of their own
	if len(small) > 0 && opt.Colours == 0 {
		if c := p.without(small, cs).palette(0, noise); len(c) > 0 {
			plain = c
		}
	}
	known := plain
	if noise <= noisy { // of a clean picture they are right too
		known = slices.Concat(plain, cs)
	}
	lettering, done, err := whole.traceSmall(ctx, small, cs, known, opt.Colours == 0, noise, opt)
	if err != nil {
		return nil, err
	}
	if len(done) > 0 {
		if p = p.without(done, cs); len(done) == len(small) {
			cs = plain
		} // else the rest needs its colours
	}
	m, err := p.labelled(ctx, cs, noise, speck)
	if err != nil {
		return nil, err
	}
	if opt.Colours == 0 {
		m.ramps(p, noise)
	}
	ground := m.ground()
	t.Bare = ground >= 0 && cs[ground][3] < 0.04
	t.Grounds = ground >= 0 && !t.Bare
	if ground >= 0 {
		t.Ground = m.colour(ground)
	}
	b := &borders{labels: m, ground: ground}
	if err := b.walk(ctx); err != nil {
		return nil, err
	}
	tol := b.tolerance(opt)
	b.leeway = b.wavers(opt)
	if m.hard() {
		// Steps of whole pixels: the border runs through their middles.
		for i := range b.arcs {
			for range 3 {
				b.arcs[i].soften()
			}
		}
		tol.off = max(tol.off, 0.45)
	}
	if !b.symmetric(tol) {
		b.concentric(tol)
		err = parallel.Do(ctx, len(b.arcs), func(_ context.Context, i int) error {
			b.arcs[i].fit(tol)
			return nil
		})
	}
	if err != nil {
		return nil, err
	}
	t.Edge = m.edge()
	t.Regions = t.with(b.regions(), lettering)
	return t, nil
}

// labelled labels the pixels, of a packed picture by what packing leaves of them.
func (p *hues) labelled(ctx context.Context, cs []hue, noise float64, speck int) (*labels, error) {
	q, ds := p, cs
	if noise > noisy {
		q, ds = p.lightly(), make([]hue, len(cs))
		for k, c := range cs {
			ds[k] = c.lightly()
		}
	}
	m, err := q.label(ctx, ds, noise, speck)
	if err == nil {
		m.paints = cs
	}
	return m, err
}

// hard reports whether the edges of a picture are steps: hardly a pixel beside one is of no
// colour of the palette.
func (p *hues) hard(cs []hue) bool {
	const step, off = 0.25, 0.08
	soft, all := 0, 0
	for i := 0; i < len(p.v); i += len(p.v)/200_000 | 1 {
		if p.step(i%p.w, i/p.w) < step {
			continue
		}
		all++
		if !slices.ContainsFunc(cs, func(c hue) bool { return p.v[i].far2(c) < off*off }) {
			soft++
		}
	}
	return soft*20 < all
}

// soften moves each point towards the middle of its neighbours; meetings stay.
func (a *arc) soften() {
	n := len(a.ps)
	if n < 5 {
		return
	}
	old := append([]geom.Point(nil), a.ps...)
	for i := range a.ps {
		if a.from.node >= 0 && (i == 0 || i == n-1) {
			continue
		}
		p, q := old[(i+n-1)%n], old[(i+1)%n]
		a.ps[i] = old[i].Mul(0.5).Add(p.Add(q).Mul(0.25))
	}
}

// ground is the colour that most of the picture's edge has, if it is bare or has
// all four corners; none otherwise.
func (m *labels) ground() int16 {
	w, h := m.p.w, m.p.h
	corners := [4]int16{m.at(0, 0), m.at(w-1, 0), m.at(0, h-1), m.at(w-1, h-1)}
	for k, c := range m.cs {
		if c[3] < 0.04 {
			return int16(k)
		}
	}
	if corners[0] == corners[1] && corners[1] == corners[2] && corners[2] == corners[3] {
		return corners[0]
	}
	return none
}

func (m *labels) colour(k int16) color.NRGBA {
	c := m.paints[k]
	if c[3] == 0 {
		return color.NRGBA{}
	}
	u := func(v float64) uint8 { return uint8(min(1, max(0, v))*255 + 0.5) }
	return color.NRGBA{u(c[0] / c[3]), u(c[1] / c[3]), u(c[2] / c[3]), u(c[3])}
}

// borders follow the places between pixels of unlike colours.
type borders struct {
	*labels
	ground int16
	arcs   []arc
	leeway float64 // px by which art that is symmetric may seem not to be
	nodes  [][]int // of each meeting: the arc and side of each spoke, 2·arc + 0 or 1
}

// lab is the colour of a pixel, those beyond the edge being ground.
func (b *borders) lab(x, y int) int16 {
	if x < 0 || y < 0 || x >= b.p.w || y >= b.p.h {
		return b.ground
	}
	return b.l[y*b.p.w+x]
}

// A side is the way between the middles of two neighbouring pixels: from (x, y)
// to the right, or down.
type side struct {
	x, y int
	down bool
}

// crossing is where the border crosses a side. Beyond the picture it runs along
// its edge.
func (b *borders) crossing(s side) geom.Point {
	dx, dy := 1, 0
	if s.down {
		dx, dy = 0, 1
	}
	t := 0.5
	in := func(x, y int) bool { return x >= 0 && y >= 0 && x < b.p.w && y < b.p.h }
	if in(s.x, s.y) && in(s.x+dx, s.y+dy) {
		t = b.place(s.x, s.y, dx, dy)
	}
	return geom.Pt(float64(s.x)+0.5+t*float64(dx), float64(s.y)+0.5+t*float64(dy))
}

// A cell is the square between the middles of four pixels, by its left top one.
// Its sides are counted clockwise from the top.
type cell struct{ x, y int }

func sidesOf(x, y int) [4]side {
	return [4]side{{x, y, false}, {x + 1, y, true}, {x, y + 1, false}, {x, y, true}}
}

// walk finds the meetings and follows the arcs between them, then those that go
// all the way round.
func (b *borders) walk(ctx context.Context) error {
	w, h := b.p.w, b.p.h
	meet := map[cell]int{} // number of the meeting
	var where []cell
	crossed := func(s side) bool {
		if s.down {
			return b.lab(s.x, s.y) != b.lab(s.x, s.y+1)
		}
		return b.lab(s.x, s.y) != b.lab(s.x+1, s.y)
	}
	open := func(c cell) (out []int) {
		for k, s := range sidesOf(c.x, c.y) {
			if crossed(s) {
				out = append(out, k)
			}
		}
		return out
	}
	cells := b.cells()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	for _, c := range cells {
		n := len(open(c))
		if n == 3 || n == 4 && !(b.lab(c.x, c.y) == b.lab(c.x+1, c.y+1) && b.lab(c.x+1, c.y) == b.lab(c.x, c.y+1)) {
			meet[c] = len(where)
			where = append(where, c)
		}
	}
	b.nodes = make([][]int, len(where))
	// through is the side by which a border that enters a cell leaves it.
	through := func(c cell, in int) int {
		o := open(c)
		if len(o) == 2 {
			if o[0] == in {
				return o[1]
			}
			return o[0]
		}
		// A saddle of two colours: which of them is joined says the mean.
		a, o2 := b.lab(c.x, c.y), b.lab(c.x+1, c.y)
		if b.saddle(c.x, c.y, a, o2) { // left top and right bottom are one
			return [4]int{1, 0, 3, 2}[in]
		}
		return [4]int{3, 2, 1, 0}[in]
	}
	beyond := func(c cell, k int) (cell, int) {
		switch k {
		case 0:
			return cell{c.x, c.y - 1}, 2
		case 1:
			return cell{c.x + 1, c.y}, 3
		case 2:
			return cell{c.x, c.y + 1}, 0
		}
		return cell{c.x - 1, c.y}, 1
	}
	done := make([]bool, 2*(w+1)*(h+1))
	number := func(s side) int {
		n := 2 * ((s.y+1)*(w+1) + s.x + 1)
		if s.down {
			n++
		}
		return n
	}
	// follow goes out of a cell by a side until it comes to a meeting or back.
	follow := func(c cell, k int, a *arc) {
		first := sidesOf(c.x, c.y)[k]
		a.left, a.right = b.besides(first, k)
		for s := first; ; {
			done[number(s)] = true
			a.ps = append(a.ps, b.crossing(s))
			var in int
			c, in = beyond(c, k)
			if n, ok := meet[c]; ok {
				a.to = end{n, in}
				return
			}
			k = through(c, in)
			s = sidesOf(c.x, c.y)[k]
			if s == first {
				return
			}
		}
	}
	centre := func(c cell) geom.Point {
		var sum geom.Point
		o := open(c)
		for _, k := range o {
			sum = sum.Add(b.crossing(sidesOf(c.x, c.y)[k]))
		}
		p := sum.Mul(1 / float64(len(o)))
		switch { // what meets the picture's edge meets it there
		case c.x < 0:
			p.X = 0
		case c.x == w-1:
			p.X = float64(w)
		}
		switch {
		case c.y < 0:
			p.Y = 0
		case c.y == h-1:
			p.Y = float64(h)
		}
		return p
	}
	for n := range where {
		b.nodes[n] = []int{-1, -1, -1, -1}
	}
	for n, c := range where {
		for _, k := range open(c) {
			if b.nodes[n][k] >= 0 {
				continue
			}
			a := arc{from: end{n, k}}
			a.ps = append(a.ps, centre(c))
			follow(c, k, &a)
			a.ps = append(a.ps, centre(where[a.to.node]))
			b.nodes[n][k] = 2 * len(b.arcs)
			b.nodes[a.to.node][a.to.spoke] = 2*len(b.arcs) + 1
			b.arcs = append(b.arcs, a)
			if len(b.arcs) > maxArcs {
				return fmt.Errorf("the picture falls into more than %d pieces: it is no drawing", maxArcs)
			}
		}
	}
	for _, c := range cells {
		for k, s := range sidesOf(c.x, c.y) {
			if k > 1 || !crossed(s) || done[number(s)] {
				continue
			}
			a := arc{from: end{-1, 0}, to: end{-1, 0}}
			follow(c, k, &a)
			b.arcs = append(b.arcs, a)
			if len(b.arcs) > maxArcs {
				return fmt.Errorf("the picture falls into more than %d pieces: it is no drawing", maxArcs)
			}
		}
	}
	return nil
}

// cells are those through which borders run, row by row.
func (b *borders) cells() []cell {
	rows := make([][]cell, b.p.h+1)
	parallel.Each(len(rows), func(i int) {
		y := i - 1
		a, c := b.lab(-1, y), b.lab(-1, y+1) // to the left
		for x := -1; x < b.p.w; x++ {
			d, e := b.lab(x+1, y), b.lab(x+1, y+1)
			if a != c || d != e || a != d {
				rows[i] = append(rows[i], cell{x, y})
			}
			a, c = d, e
		}
	})
	return slices.Concat(rows...)
}

// besides are the colours on either side of a border that leaves a cell by its
// side k.
func (b *borders) besides(s side, k int) (left, right int16) {
	p, q := b.lab(s.x, s.y), b.lab(s.x+1, s.y)
	if s.down {
		q = b.lab(s.x, s.y+1)
	}
	switch k {
	case 0: // upwards: the right hand is to the right
		return p, q
	case 1: // to the right: the right hand is below
		return p, q
	case 2: // downwards: the right hand is to the left
		return q, p
	}
	return q, p
}

// saddle reports whether of two pairs of opposite pixels the left top and right
// bottom one are joined: if the mean of the four is nearer to them.
func (b *borders) saddle(x, y int, a, o int16) bool {
	if a == none || o == none {
		return a != none
	}
	var m hue
	n := 0.0
	for _, d := range [4][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
		if nx, ny := x+d[0], y+d[1]; nx >= 0 && ny >= 0 && nx < b.p.w && ny < b.p.h {
			c := b.p.v[ny*b.p.w+nx]
			for i := range m {
				m[i] += c[i]
			}
			n++
		}
	}
	for i := range m {
		m[i] /= n
	}
	t, _ := m.along(b.cs[a], b.cs[o])
	return t < 0.5
}
