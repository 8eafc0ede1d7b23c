package witness

import (
	"image"
	"math"
	"sync"

	"dyekit/core/geom"
)

// lines is how many lines are sampled across each row of pixels.
const perRow = 16

// flat is how far, in px, a curve that is drawn as lines may lie from the true
// one: ours and that of the rasteriser together.
const flat = 1.0/100 + geom.Flatness

// A cover is how much of a pixel is inside, from 0 to 1, and how far that may
// be off.
type cover struct{ a, e float64 }

// A line is a straight piece of an outline in px.
type line struct{ x0, y0, x1, y1 float64 }

// Paths keeps what is known of the outlines of drawings, for all who witness
// pictures of them. It may be used from several goroutines; the zero value is
// empty.
type Paths struct {
	mu    sync.Mutex
	known map[pathKey]*outline
}

// A pathKey names a path by its place in memory: paths do not change.
type pathKey struct {
	first *geom.Seg
	n     int
}

// An outline is a path in stretches, with the boxes of the control points of each:
// what lies elsewhere is passed over without a look at its curves.
type outline struct {
	path      geom.Path
	box       geom.Rect
	stretches []stretch
}

// long is how many segments a stretch has.
const long = 16

type stretch struct {
	box  geom.Rect
	from pen // where the stretch begins
	a, d geom.Point
	one  bool // its curves lead from a to d without a leap
}

// A pen goes along a path.
type pen struct {
	at, start geom.Point
	open      bool
}

// A curve is a cubic.
type curve struct {
	a, b, c, d geom.Point
	straight   bool
}

func (x curve) box() geom.Rect {
	return geom.Rect{
		X0: min(x.a.X, x.b.X, x.c.X, x.d.X), Y0: min(x.a.Y, x.b.Y, x.c.Y, x.d.Y),
		X1: max(x.a.X, x.b.X, x.c.X, x.d.X), Y1: max(x.a.Y, x.b.Y, x.c.Y, x.d.Y),
	}
}

// step goes along a segment and calls f with its curve, if it has one, and with
// the one that closes what was left open.
func (w *pen) step(s *geom.Seg, f func(x curve)) {
	a, b, c := s.P[0], s.P[1], s.P[2]
	switch s.Op {
	case geom.MoveTo:
		w.end(f)
		*w = pen{a, a, true}
	case geom.LineTo:
		w.line(a, f)
	case geom.QuadTo:
		f(curve{w.at, w.at.Add(a.Sub(w.at).Mul(2.0 / 3)), b.Add(a.Sub(b).Mul(2.0 / 3)), b, false})
		w.at = b
	case geom.CubeTo:
		f(curve{w.at, a, b, c, false})
		w.at = c
	case geom.Close:
		w.line(w.start, f)
	}
}

func (w *pen) line(to geom.Point, f func(x curve)) {
	if to != w.at {
		f(curve{w.at, to, to, to, true})
		w.at = to
	}
}

// end closes what is open.
func (w *pen) end(f func(x curve)) {
	if w.open {
		w.line(w.start, f)
	}
}

// of returns the outline of a path.
func (ps *Paths) of(p geom.Path) *outline {
	key := pathKey{&p[0], len(p)}
	ps.mu.Lock()
	o := ps.known[key]
	ps.mu.Unlock()
	if o != nil {
		return o
	}
	o = newOutline(p)
	ps.mu.Lock()
	defer ps.mu.Unlock()
	if ps.known == nil {
		ps.known = map[pathKey]*outline{}
	}
	ps.known[key] = o
	return o
}

// none is the box of nothing.
var none = geom.Rect{X0: math.Inf(1), Y0: math.Inf(1), X1: math.Inf(-1), Y1: math.Inf(-1)}

func newOutline(p geom.Path) *outline {
	o := &outline{path: p, box: none}
	var w pen
	for i := 0; i < len(p); i += long {
		s := stretch{box: none, from: w, one: true}
		o.stretches = append(o.stretches, s)
		w = o.along(i/long, func(x curve) {
			if s.box == none {
				s.a, s.d = x.a, x.a
			}
			s.one = s.one && x.a == s.d
			s.box, s.d = joined(s.box, x.box()), x.d
		})
		o.stretches[i/long] = s
		o.box = joined(o.box, s.box)
	}
	return o
}

// along calls f with the curves of a stretch and returns where they lead.
func (o *outline) along(k int, f func(x curve)) pen {
	w := o.stretches[k].from
	for i := k * long; i < min(len(o.path), (k+1)*long); i++ {
		w.step(&o.path[i], f)
	}
	if (k+1)*long >= len(o.path) {
		w.end(f)
	}
	return w
}

// joined is the box of two boxes; one of no width or height counts too.
func joined(a, b geom.Rect) geom.Rect {
	return geom.Rect{X0: min(a.X0, b.X0), Y0: min(a.Y0, b.Y0), X1: max(a.X1, b.X1), Y1: max(a.Y1, b.Y1)}
}

// walk goes along a curve, mapped by m, in steps of equal parameter, so many
// that a chord lies at most 1/100 px off: the second derivative bounds the
// distance by |B″| ÷ 8n².
func (x *curve) walk(m geom.Affine, f func(l line)) {
	a, d := m.Apply(x.a), m.Apply(x.d)
	if x.straight {
		f(line{a.X, a.Y, d.X, d.Y})
		return
	}
	b, c := m.Apply(x.b), m.Apply(x.c)
	bend := 6 * max(a.Sub(b.Mul(2)).Add(c).Len(), b.Sub(c.Mul(2)).Add(d).Len())
	n := int(min(500, 1+math.Sqrt(bend*100/8)))
	at := a
	for i := 1; i <= n; i++ {
		to := d
		if i < n {
			t := float64(i) / float64(n)
			u := 1 - t
			to = a.Mul(u * u * u).Add(b.Mul(3 * u * u * t)).Add(c.Mul(3 * u * t * t)).Add(d.Mul(t * t * t))
		}
		f(line{at.X, at.Y, to.X, to.Y})
		at = to
	}
}

// coverage is what a path covers of each pixel of r, nil if nothing. It is valid
// until the next tile.
func (w *Witness) coverage(p geom.Path, rule geom.Rule, m geom.Affine, r image.Rectangle) []cover {
	if len(p) == 0 {
		return nil
	}
	var o *outline
	if m == w.to {
		o = w.paths.of(p)
	} else {
		o = newOutline(p)
	}
	x0, y0, x1, y1 := float64(r.Min.X), float64(r.Min.Y), float64(r.Max.X), float64(r.Max.Y)
	// away says that what lies in a box of the page cannot touch the tile.
	away := func(b geom.Rect) (geom.Rect, bool) {
		q := mapped(b, m)
		return q, q.Y1 < y0-1 || q.Y0 > y1+1 || q.X0 > x1+1
	}
	if _, none := away(o.box); none {
		return nil
	}
	c := &w.counting
	c.begin(r)
	for k := range o.stretches {
		s := &o.stretches[k]
		q, none := away(s.box)
		if none {
			continue
		}
		if q.X1 < x0-1 && s.one { // what lies to the left counts as its chord does
			a, d := m.Apply(s.a), m.Apply(s.d)
			c.left(line{a.X, a.Y, d.X, d.Y})
			continue
		}
		o.along(k, func(x curve) {
			q, none := away(x.box())
			switch {
			case none:
			case q.X1 < x0-1:
				a, d := m.Apply(x.a), m.Apply(x.d)
				c.left(line{a.X, a.Y, d.X, d.Y})
			default:
				x.walk(m, c.line)
			}
		})
	}
	return c.end(w, rule)
}

// mapped is the box of a box that m maps; one of no width or height counts too.
func mapped(b geom.Rect, m geom.Affine) geom.Rect {
	if m.B == 0 && m.C == 0 && m.A >= 0 && m.D >= 0 {
		return geom.Rect{X0: m.A*b.X0 + m.E, Y0: m.D*b.Y0 + m.F, X1: m.A*b.X1 + m.E, Y1: m.D*b.Y1 + m.F}
	}
	c, x, y := m.Apply(b.Centre()), b.W()/2, b.H()/2
	x, y = math.Abs(m.A)*x+math.Abs(m.C)*y, math.Abs(m.B)*x+math.Abs(m.D)*y
	return geom.Rect{X0: c.X - x, Y0: c.Y - y, X1: c.X + x, Y1: c.Y + y}
}

// A cross is where a sampled line meets an outline.
type cross struct {
	x   float64
	dir int
}

// A counting counts where the sampled lines of a tile meet one outline.
type counting struct {
	r    image.Rectangle
	wind [Side*perRow + 1]int // by row: how much the winding number left of the tile differs from that of the row before
	rows [Side * perRow][]cross
	near []line // lines that run through the tile
}

func (c *counting) begin(r image.Rectangle) {
	c.r, c.near = r, c.near[:0]
	clear(c.wind[:])
	for k := range c.rows {
		c.rows[k] = c.rows[k][:0]
	}
}

// span is the sampled lines [from, to) that a line meets, and in which direction.
// They lie at (k + ½) ÷ perRow; an end belongs to the one below it.
func (c *counting) span(l line) (from, to, dir int) {
	top, bottom, dir := l.y0, l.y1, 1
	if top > bottom {
		top, bottom, dir = bottom, top, -1
	}
	n := c.r.Dy() * perRow
	at := func(y float64) int {
		return int(math.Ceil(min(max((y-float64(c.r.Min.Y))*perRow-0.5, -1), float64(n))))
	}
	return max(0, at(top)), min(n, at(bottom)), dir
}

func (c *counting) left(l line) {
	if from, to, dir := c.span(l); from < to {
		c.wind[from] += dir
		c.wind[to] -= dir
	}
}

func (c *counting) line(l line) {
	y0, y1 := float64(c.r.Min.Y), float64(c.r.Max.Y)
	x0, x1 := float64(c.r.Min.X), float64(c.r.Max.X)
	if max(l.y0, l.y1) < y0 || min(l.y0, l.y1) > y1 || min(l.x0, l.x1) > x1 {
		return
	}
	if max(l.x0, l.x1) < x0-1 {
		c.left(l)
		return
	}
	c.near = append(c.near, l)
	from, to, dir := c.span(l)
	for k := from; k < to; k++ {
		y := y0 + (float64(k)+0.5)/perRow
		c.rows[k] = append(c.rows[k], cross{l.x0 + (y-l.y0)*(l.x1-l.x0)/(l.y1-l.y0), dir})
	}
}

// end returns the coverage, nil if there is none and no doubt of it.
func (c *counting) end(w *Witness, rule geom.Rule) []cover {
	r := c.r
	x0, x1 := float64(r.Min.X), float64(r.Max.X)
	inside := func(wind int) bool { return wind != 0 && (rule != geom.EvenOdd || wind&1 != 0) }
	some := len(c.near) > 0
	for k, wind := 0, 0; k < r.Dy()*perRow && !some; k++ {
		wind += c.wind[k]
		some = inside(wind)
	}
	if !some {
		return nil
	}
	out := w.take(r.Dx() * r.Dy())
	for _, l := range c.near {
		doubt(l, r, out)
	}
	wind := 0
	for y := range r.Dy() {
		row := out[y*r.Dx():][:r.Dx()]
		whole := 0 // sampled lines that are inside from end to end
		for k := y * perRow; k < (y+1)*perRow; k++ {
			wind += c.wind[k]
			if len(c.rows[k]) > 0 {
				sample(c.rows[k], wind, inside, row, x0, x1)
			} else if inside(wind) {
				whole++
			}
		}
		if whole > 0 {
			for i := range row {
				row[i].a += float64(whole) / perRow
			}
		}
	}
	if w.opt.Hard {
		for i := range out { // in or out; what is close to half may be either
			c := &out[i]
			if math.Abs(c.a-0.5) <= c.e {
				c.e = 1
			} else {
				c.e = 0
			}
			c.a = math.Round(c.a)
		}
	}
	return out
}

// sample adds a sampled line to the coverage of a row that runs from x0 to x1;
// wind is the winding number left of it.
func sample(cs []cross, wind int, inside func(wind int) bool, row []cover, x0, x1 float64) {
	for i := 1; i < len(cs); i++ {
		for j := i; j > 0 && cs[j].x < cs[j-1].x; j-- {
			cs[j], cs[j-1] = cs[j-1], cs[j]
		}
	}
	from := x0
	for i := 0; ; i++ {
		end := x1
		if i < len(cs) {
			end = min(x1, max(x0, cs[i].x))
		}
		if inside(wind) && from < end {
			fill(row, from-x0, end-x0)
		}
		if i == len(cs) {
			return
		}
		from = end
		wind += cs[i].dir
	}
}

// fill adds one sampled line from a to b to the coverage of a row.
func fill(row []cover, a, b float64) {
	for a < b {
		n := int(a)
		next := min(b, float64(n+1))
		row[n].a += (next - a) / perRow
		a = next
	}
}

// doubt adds to the pixels near a line how much it may put the count off: a
// boundary that runs across n px of a row is met by samples that lie half a
// step beside the mean, and curves are drawn as lines.
func doubt(l line, r image.Rectangle, out []cover) {
	ya, yb := max(min(l.y0, l.y1), float64(r.Min.Y)), min(max(l.y0, l.y1), float64(r.Max.Y))
	slope := 0.0
	if l.y1 != l.y0 {
		slope = (l.x1 - l.x0) / (l.y1 - l.y0)
	}
	for y := int(math.Floor(ya)); y <= min(int(yb), r.Max.Y-1); y++ {
		a, b := l.x0, l.x1
		if l.y1 != l.y0 {
			a = l.x0 + (max(ya, float64(y))-l.y0)*slope
			b = l.x0 + (min(yb, float64(y+1))-l.y0)*slope
		}
		if a > b {
			a, b = b, a
		}
		high := min(yb, float64(y+1)) - max(ya, float64(y))
		for x := max(r.Min.X, int(math.Floor(a-flat))); x <= min(r.Max.X-1, int(b+flat)); x++ {
			run := max(0, min(b, float64(x+1))-max(a, float64(x)))
			c := &out[(y-r.Min.Y)*r.Dx()+x-r.Min.X]
			c.e += (run+0.25)/(2*perRow) + flat*geom.Pt(run, high).Len()
			c.e = min(c.e, 1)
		}
	}
}
