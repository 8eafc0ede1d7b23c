package trace

import (
	"cmp"
	"context"
	"image"
	"image/color"
	"slices"

	"dyekit/core/geom"
	"dyekit/core/island"
	"dyekit/core/parallel"
)

// Small art, as lines of letters are, is traced by itself: of strokes a pixel or two thick
// no pixel has the full colour, and what smooths the borders of large art eats them. Each
// piece that stands free on a plain colour is taken out of the picture, enlarged so that
// every pixel keeps what it holds, and traced with what is beside it.
const (
	fine      = 3    // times that small art is enlarged
	smallSide = 44   // px, of the shorter side of a piece's box
	smallLong = 90   // px, of the longer one
	thickest  = 6    // px from which a piece is no small art: a square as large is wholly of its colour
	part      = 0.35 // of the picture's longer side, that a piece takes at most
	maxSmall  = 4000
)

// Wiry art, as rays, rings and grids of fine lines are, is small art whatever its size.
const (
	wire    = 2       // px, that its lines are thick
	wiry    = 0.9     // of its pixels are in such lines
	maxWiry = 600_000 // px of its box
)

// Of the pixels of small art, as hues differ from the colour that they stand on.
const (
	strong = 0.28 // a piece has some that do so much
	weak   = 0.07 // and these, and noise, belong to it
	full   = 0.75 // of the way to the strongest, that pixels well within a piece go
)

// A bit is small art that stands on one colour.
type bit struct {
	px  []int // its pixels with those around, in order
	box image.Rectangle
	on  int // the colour of the palette
}

// pieces finds the small art of a picture: those parts that differ from a plain colour all
// round them. Of parts within parts the outer ones count.
func (p *hues) pieces(cs []hue, noise float64) []bit {
	if noise > noisy { // colour runs out of thin strokes, and makes one of many
		p = p.lightly()
		ls := make([]hue, len(cs))
		for k, c := range cs {
			ls[k] = c.lightly()
		}
		cs = ls
	}
	const much = 0.005 // of the picture, that a colour has on which art stands
	near := make([]int16, len(p.v))
	parallel.Each(p.h, func(y int) {
		for i := y * p.w; i < (y+1)*p.w; i++ {
			near[i] = none
			for k := range cs {
				if p.v[i].far2(cs[k]) <= (weak+noise)*(weak+noise) {
					near[i] = int16(k)
					break
				}
			}
		}
	})
	count := make([]int, len(cs))
	for _, k := range near {
		if k != none {
			count[k]++
		}
	}
	var all []bit
	for k := range cs {
		if float64(count[k]) >= much*float64(len(p.v)) {
			all = append(all, p.piecesOn(k, cs[k], near, noise)...)
		}
	}
	if len(all) > maxSmall {
		return nil // a pattern, and no lettering
	}
	slices.SortStableFunc(all, func(a, b bit) int { return cmp.Compare(len(b.px), len(a.px)) })
	taken := make([]bool, len(p.v))
	var out []bit
	for _, s := range all {
		if slices.ContainsFunc(s.px, func(i int) bool { return taken[i] && near[i] != int16(s.on) }) {
			continue
		}
		for _, i := range s.px {
			taken[i] = true
		}
		out = append(out, s)
	}
	return out
}

// piecesOn are those on one colour.
func (p *hues) piecesOn(k int, on hue, near []int16, noise float64) (out []bit) {
	edge := strong + noise
	other := make([]bool, len(near))
	parallel.Each(p.h, func(y int) {
		for i := y * p.w; i < (y+1)*p.w; i++ {
			other[i] = near[i] != int16(k)
		}
	})
	for _, c := range island.Find(p.w, other, false, true) {
		long, short := max(c.Box.Dx(), c.Box.Dy()), min(c.Box.Dx(), c.Box.Dy())
		if c.Box.Min.X == 0 || c.Box.Min.Y == 0 || c.Box.Max.X == p.w || c.Box.Max.Y == p.h || c.Box.Dx()*c.Box.Dy() > maxWiry {
			continue
		}
		small := float64(long) <= part*float64(max(p.w, p.h)) && short <= smallSide && long <= smallLong
		px, most := c.Pixels(), 0.0
		for _, i := range px {
			most = max(most, p.v[i].far2(on))
		}
		if most < edge*edge {
			continue
		}
		if small {
			if side, _ := p.thick(px, c.Box, on, full*full*most); side >= thickest {
				continue
			}
		} else if _, wires := p.thick(px, c.Box, on, edge*edge); wires < wiry {
			continue
		}
		if !p.oneInk(px, on, noise) {
			continue
		}
		out = append(out, bit{px: px, box: c.Box, on: k})
	}
	return out
}

// thick is the side of the largest square among the pixels of a piece, which are in order, that
// are so far from what it stands on, squared; and the share of these that end no larger square
// than a wire is thick.
func (p *hues) thick(px []int, box image.Rectangle, on hue, far2 float64) (side int, wires float64) {
	w := box.Dx() + 1 // with nothing to the left and above
	at := make([]int, w*(box.Dy()+1))
	thin, all := 0, 0
	for _, i := range px {
		if p.v[i].far2(on) < far2 {
			continue
		}
		k := (i/p.w-box.Min.Y+1)*w + i%p.w - box.Min.X + 1
		at[k] = 1 + min(at[k-1], at[k-w], at[k-w-1])
		side = max(side, at[k])
		all++
		if at[k] <= wire {
			thin++
		}
	}
	return side, float64(thin) / float64(max(1, all))
}

// around is how far about its pixels a piece is taken out, px.
const around = 2

// without is the picture with pieces painted over by what they stand on.
func (p *hues) without(ps []bit, cs []hue) *hues {
	q := &hues{p.w, p.h, slices.Clone(p.v)}
	for _, s := range ps {
		for _, i := range s.px {
			x, y := i%p.w, i/p.w
			for v := max(0, y-around); v <= min(p.h-1, y+around); v++ {
				for u := max(0, x-around); u <= min(p.w-1, x+around); u++ {
					q.v[v*p.w+u] = cs[s.on]
				}
			}
		}
	}
	return q
}

// rows joins pieces whose boxes, with some room, lie over each other: letters of a line are
// traced together.
func rows(ps []bit) (out [][]bit) {
	of := make([]int, len(ps))
	for i := range of {
		of[i] = i
	}
	var root func(i int) int
	root = func(i int) int {
		if of[i] != i {
			of[i] = root(of[i])
		}
		return of[i]
	}
	for i := range ps {
		for j := range i {
			if ps[i].on == ps[j].on && ps[i].box.Inset(-around-1).Overlaps(ps[j].box.Inset(-around-1)) {
				of[root(i)] = root(j)
			}
		}
	}
	at := map[int]int{}
	for i := range ps {
		r := root(i)
		k, ok := at[r]
		if !ok {
			k = len(out)
			at[r] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], ps[i])
	}
	return out
}

// alone is a box of the picture that holds the pieces and nothing else.
func (p *hues) alone(ps []bit, on hue) (q *hues, from image.Point) {
	var box image.Rectangle
	for _, s := range ps {
		box = box.Union(s.box)
	}
	box = box.Inset(-around - 2).Intersect(image.Rect(0, 0, p.w, p.h))
	q = &hues{box.Dx(), box.Dy(), make([]hue, box.Dx()*box.Dy())}
	for i := range q.v {
		q.v[i] = on
	}
	for _, s := range ps {
		for _, i := range s.px {
			x, y := i%p.w, i/p.w
			for v := max(box.Min.Y, y-around); v < min(box.Max.Y, y+around+1); v++ {
				for u := max(box.Min.X, x-around); u < min(box.Max.X, x+around+1); u++ {
					q.v[(v-box.Min.Y)*q.w+u-box.Min.X] = p.v[v*p.w+u]
				}
			}
		}
	}
	return q, box.Min
}

// traceSmall traces pieces, row by row, and gives their regions and those pieces of which
// something came: the others are left to what traces the rest. They stand on colours of cs,
// and are drawn in those that are known or, if more may be, in new ones.
func (p *hues) traceSmall(ctx context.Context, ps []bit, cs, known []hue, more bool, noise float64, opt Options) (rs []Region, done []bit, err error) {
	lines := rows(ps)
	boxes, from := make([]*hues, len(lines)), make([]image.Point, len(lines))
	err = parallel.Do(ctx, len(lines), func(_ context.Context, i int) error {
		b, at := p.alone(lines[i], cs[lines[i][0].on])
		boxes[i], from[i] = b.enlarged(fine), at
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	inks := p.inks(lines, boxes, cs, known, more, noise)
	found := make([][]Region, len(lines))
	err = parallel.Do(ctx, len(lines), func(ctx context.Context, i int) error {
		if len(inks[i]) == 0 {
			return nil
		}
		set := append([]hue{cs[lines[i][0].on]}, inks[i]...)
		boxes[i].lift(set)
		m, err := boxes[i].labelled(ctx, set, noise, 3+int(9*opt.Smooth))
		if err != nil {
			return err
		}
		b := &borders{labels: m, ground: 0}
		if err := b.walk(ctx); err != nil {
			return err
		}
		tol := finely(opt, noise)
		for j := range b.arcs {
			b.arcs[j].fit(tol)
		}
		found[i] = b.regions()
		to := geom.Translate(float64(from[i].X), float64(from[i].Y)).Mul(geom.Scale(1.0/fine, 1.0/fine))
		for j := range found[i] {
			found[i][j].Path = found[i][j].Path.Transform(to)
		}
		return nil
	})
	for i, l := range lines {
		if len(found[i]) > 0 {
			done = append(done, l...)
		}
	}
	return merged(found), done, err
}

// merged makes one region of those of one colour that are painted at one turn of their row:
// rows do not lie over each other.
func merged(rows [][]Region) (out []Region) {
	for turn := 0; ; turn++ {
		from, any := len(out), false
		for _, r := range rows {
			if turn >= len(r) {
				continue
			}
			any = true
			if at := slices.IndexFunc(out[from:], func(o Region) bool { return o.Colour == r[turn].Colour }); at >= 0 {
				out[from+at].Path = append(out[from+at].Path, r[turn].Path...)
			} else {
				out = append(out, r[turn])
			}
		}
		if !any {
			return out
		}
	}
}

// with lays small art over regions, in the colours that these have where they are about its
// own. What has the colour of the ground, which is not painted, is cut out of all that it
// lies in.
func (t *Tracing) with(rs, small []Region) []Region {
	large := len(rs)
	for _, s := range small {
		if !(t.Bare && s.Colour.A == 0 || t.Grounds && alikeBytes(s.Colour, t.Ground)) {
			if i := slices.IndexFunc(rs[:large], func(r Region) bool { return alikeBytes(r.Colour, s.Colour) }); i >= 0 {
				s.Colour = rs[i].Colour
			}
			rs = append(rs, s)
			continue
		}
		cuts := make([]geom.Path, len(rs))
		for _, p := range s.Path.Subpaths() {
			for i := range rs {
				if rs[i].winds(p[0].End()) != 0 {
					cuts[i] = append(cuts[i], p.Reverse()...)
				}
			}
		}
		for i, c := range cuts {
			rs[i].Path = append(rs[i].Path, c...)
		}
	}
	return rs
}

// alikeBytes reports whether two colours are one but for how they were counted.
func alikeBytes(a, b color.NRGBA) bool {
	const slack = 6 // of 255
	near := func(x, y uint8) bool { return max(x, y)-min(x, y) <= slack }
	return near(a.R, b.R) && near(a.G, b.G) && near(a.B, b.B) && near(a.A, b.A)
}

// winds is how often the region's path goes round a point.
func (r *Region) winds(p geom.Point) (n int) {
	r.Path.Flatten(0.1, func(a, b geom.Point) {
		if (a.Y > p.Y) == (b.Y > p.Y) || p.X >= a.X+(p.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			return
		}
		if a.Y < b.Y {
			n++
		} else {
			n--
		}
	})
	return n
}
