package witness

import (
	"image"
	"math"
	"slices"

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

// A field is some tiles of a picture that are drawn at once: what is known of an
// outline is looked up once for all of them.
type field struct {
	tiles []image.Rectangle
	first []int // where the pixels of each tile begin; one more than there are tiles
	bands []band

	// Of the outline at hand.
	near        []band     // those of the tiles that its box touches
	count       []counting // by tile
	touched     []int      // tiles where anything is counted
	hits, lefts []int      // what reach found
	lines       []line
	starts      [Side*perRow + 1]int32
	sorted      []mark
	cov         [Side * Side]cover
}

// A band is the tiles of one height, from left to right.
type band struct {
	y0, y1 float64
	tiles  []int
}

func newField(tiles []image.Rectangle) *field {
	f := &field{tiles: tiles, first: make([]int, len(tiles)+1), count: make([]counting, len(tiles))}
	order := make([]int, len(tiles))
	for i, r := range tiles {
		order[i] = i
		f.first[i+1] = f.first[i] + r.Dx()*r.Dy()
	}
	slices.SortFunc(order, func(i, j int) int {
		a, b := tiles[i].Min, tiles[j].Min
		if a.Y != b.Y {
			return a.Y - b.Y
		}
		return a.X - b.X
	})
	for from := 0; from < len(order); {
		to := from + 1
		for to < len(order) && tiles[order[to]].Min.Y == tiles[order[from]].Min.Y {
			to++
		}
		r := tiles[order[from]]
		f.bands = append(f.bands, band{float64(r.Min.Y), float64(r.Max.Y), order[from:to]})
		from = to
	}
	return f
}

// begin takes an outline in hand that lies in a box, in px, and reports whether
// it may touch a tile. What it does not touch lies outside of it.
func (f *field) begin(q geom.Rect) bool {
	f.near = f.near[:0]
	for _, b := range f.bands {
		if b.y1+1 < q.Y0 || b.y0-1 > q.Y1 {
			continue
		}
		from, to := 0, len(b.tiles)
		for from < to && q.X0 > float64(f.tiles[b.tiles[from]].Max.X+1) {
			from++
		}
		for from < to && q.X1 < float64(f.tiles[b.tiles[to-1]].Min.X-1) {
			to--
		}
		if from < to {
			f.near = append(f.near, band{b.y0, b.y1, b.tiles[from:to]})
		}
	}
	return len(f.near) > 0
}

// reach finds the tiles that a part of the outline at hand may touch, which lies in
// a box, in px, and those to the right of it; nothing else of it counts.
func (f *field) reach(q geom.Rect) {
	f.hits, f.lefts = f.hits[:0], f.lefts[:0]
	k := 0
	for n := len(f.near); k < n; { // the first that begins where the box does, or below
		if m := (k + n) / 2; f.near[m].y1+1 < q.Y0 {
			k = m + 1
		} else {
			n = m
		}
	}
	for ; k < len(f.near) && f.near[k].y0-1 <= q.Y1; k++ {
		for _, t := range f.near[k].tiles {
			switch r := &f.tiles[t]; {
			case q.X0 > float64(r.Max.X+1):
			case q.X1 < float64(r.Min.X-1):
				f.lefts = append(f.lefts, t)
			default:
				f.hits = append(f.hits, t)
			}
		}
	}
}

// left counts a line that lies to the left of tiles.
func (f *field) left(tiles []int, l line) {
	for _, t := range tiles {
		f.at(t).left(f.tiles[t], l)
	}
}

// at is what is counted in a tile that is touched.
func (f *field) at(t int) *counting {
	c := &f.count[t]
	if !c.used {
		c.used = true
		f.touched = append(f.touched, t)
	}
	return c
}

// coverage calls use with what a path covers of the pixels of each tile that it
// covers any of, in the order of rows. The coverage is valid during the call.
func (w *Witness) coverage(p geom.Path, rule geom.Rule, m geom.Affine, use func(t int, cov []cover)) {
	if len(p) == 0 {
		return
	}
	var o *outline
	if m == w.to {
		o = w.paths.of(p)
	} else {
		o = newOutline(p)
	}
	f := w.field
	if !f.begin(mapped(o.box, m)) {
		return
	}
	each := func(x curve) {
		f.reach(mapped(x.box(), m))
		if len(f.lefts) > 0 { // what lies to the left counts as its chord does
			a, d := m.Apply(x.a), m.Apply(x.d)
			f.left(f.lefts, line{a.X, a.Y, d.X, d.Y})
		}
		if len(f.hits) == 0 {
			return
		}
		f.lines = x.walk(m, f.lines[:0])
		for _, t := range f.hits {
			c := f.at(t)
			for _, l := range f.lines {
				c.line(f.tiles[t], l)
			}
		}
	}
	for k := range o.stretches {
		s := &o.stretches[k]
		switch f.reach(mapped(s.box, m)); {
		case len(f.hits)+len(f.lefts) == 0:
		case len(f.hits) == 0 && s.one:
			a, d := m.Apply(s.a), m.Apply(s.d)
			f.left(f.lefts, line{a.X, a.Y, d.X, d.Y})
		default:
			o.along(k, each)
		}
	}
	for _, t := range f.touched {
		if cov := f.end(t, rule, w.opt.Hard); cov != nil {
			use(t, cov)
		}
	}
	f.touched = f.touched[:0]
}

// A mark is where a sampled line of a tile meets an outline.
type mark struct {
	x        float64
	row, dir int32
}

// A counting counts where the sampled lines of a tile meet one outline.
type counting struct {
	used  bool
	wind  [Side*perRow + 1]int32 // by row: how much the winding number left of the tile differs from that of the row before
	marks []mark
	near  []line // lines that run through the tile
}

// span is the sampled lines [from, to) of a tile that a line meets, and in which
// direction. They lie at (k + ½) ÷ perRow; an end belongs to the one below it.
func span(r image.Rectangle, l line) (from, to int, dir int32) {
	top, bottom, dir := l.y0, l.y1, int32(1)
	if top > bottom {
		top, bottom, dir = bottom, top, -1
	}
	n := r.Dy() * perRow
	at := func(y float64) int {
		return int(math.Ceil(min(max((y-float64(r.Min.Y))*perRow-0.5, -1), float64(n))))
	}
	return max(0, at(top)), min(n, at(bottom)), dir
}

func (c *counting) left(r image.Rectangle, l line) {
	if from, to, dir := span(r, l); from < to {
		c.wind[from] += dir
		c.wind[to] -= dir
	}
}

func (c *counting) line(r image.Rectangle, l line) {
	y0, y1 := float64(r.Min.Y), float64(r.Max.Y)
	x0, x1 := float64(r.Min.X), float64(r.Max.X)
	if max(l.y0, l.y1) < y0 || min(l.y0, l.y1) > y1 || min(l.x0, l.x1) > x1 {
		return
	}
	if max(l.x0, l.x1) < x0-1 {
		c.left(r, l)
		return
	}
	c.near = append(c.near, l)
	from, to, dir := span(r, l)
	for k := from; k < to; k++ {
		y := y0 + (float64(k)+0.5)/perRow
		c.marks = append(c.marks, mark{l.x0 + (y-l.y0)*(l.x1-l.x0)/(l.y1-l.y0), int32(k), dir})
	}
}

// byRow sorts marks by their rows and says where those of each begin; the order of
// those in one stays.
func (f *field) byRow(marks []mark, rows int) {
	clear(f.starts[:rows+1])
	for i := range marks {
		f.starts[marks[i].row+1]++
	}
	for k := range rows {
		f.starts[k+1] += f.starts[k]
	}
	f.sorted = slices.Grow(f.sorted[:0], len(marks))[:len(marks)]
	for _, m := range marks {
		f.sorted[f.starts[m.row]] = m
		f.starts[m.row]++
	}
	copy(f.starts[1:rows+1], f.starts[:rows]) // they have moved on by one
	f.starts[0] = 0
}

// end returns the coverage of a tile, nil if there is none and no doubt of it, and
// readies the counting for the next outline.
func (f *field) end(t int, rule geom.Rule, hard bool) []cover {
	r, c := f.tiles[t], &f.count[t]
	rows := r.Dy() * perRow
	defer func() {
		clear(c.wind[:rows+1])
		c.used, c.marks, c.near = false, c.marks[:0], c.near[:0]
	}()
	x0, x1 := float64(r.Min.X), float64(r.Max.X)
	inside := func(wind int32) bool { return wind != 0 && (rule != geom.EvenOdd || wind&1 != 0) }
	some := len(c.near) > 0
	for k, wind := 0, int32(0); k < rows && !some; k++ {
		wind += c.wind[k]
		some = inside(wind)
	}
	if !some {
		return nil
	}
	out := f.cov[:r.Dx()*r.Dy()]
	clear(out)
	for _, l := range c.near {
		doubt(l, r, out)
	}
	f.byRow(c.marks, rows)
	wind := int32(0)
	for y := range r.Dy() {
		row := out[y*r.Dx():][:r.Dx()]
		whole := 0 // sampled lines that are inside from end to end
		for k := y * perRow; k < (y+1)*perRow; k++ {
			wind += c.wind[k]
			if ms := f.sorted[f.starts[k]:f.starts[k+1]]; len(ms) > 0 {
				sample(ms, wind, inside, row, x0, x1)
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
	if hard {
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
func sample(cs []mark, wind int32, inside func(wind int32) bool, row []cover, x0, x1 float64) {
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
