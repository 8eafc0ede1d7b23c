// Package kin tells how one drawing of a mark stands to another: the same arrangement, the same
// shapes arranged otherwise, some of them alone, or another mark. It looks at shapes and not at
// colours, so that a version in one ink is kin to the one in colour.
package kin

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/preflight"
	"dyekit/core/raster"
)

const (
	long     = 1000 // px of the longer side of what is looked at
	side     = 16   // cells along the side of the grid on which a shape is compared
	most     = 400  // shapes of a drawing that are looked at, the largest first
	speck    = 5    // px: what is smaller is dust
	solid    = 128  // of 255: from this cover on a pixel is painted
	overlaid = 96   // cells along the side of the grid on which whole drawings are laid over each other
)

// What counts as what (rules of this engine). Capitals of three families in two sizes lie at most
// 0.093 apart, other capitals at least 0.114 (TestLettersInTwoSizes).
const (
	formTol   = 0.11 // mean difference of the cells of one shape
	aspectTol = 1.08 // times as wide for its height
	smallTol  = 1.25 // the same of shapes of few pixels
	few       = 14   // px
	alike     = 0.85 // of two drawings laid over each other
	enough    = 0.6  // of the shapes, that a drawing shares with another
	gone      = 0.2  // of a shape's own paint, below which it is not there
	kept      = 0.7  // of a shape's own paint, below which another one is in its place
	reach     = 2    // px that paint may lie beside its place
	leastPart = 0.1  // of the shapes of a mark, that a part of it has: a disc alone is nobody's
	roomy     = 97   // percent of a drawing's box: what is painted less wide or high has bare room round it
	groundOff = 12.0 // ΔE00 from the ground of a picture, within which it is the ground
)

// A Relation is how a drawing stands to another.
type Relation string

const (
	Same       Relation = "same"       // the same shapes in the same arrangement
	Rearranged Relation = "rearranged" // the same shapes, placed otherwise
	Part       Relation = "part"       // some of the shapes alone
	Other      Relation = "other"      // another mark
)

// A Look is what a drawing is compared by.
type Look struct {
	Box   geom.Rect // of the art, page units
	bare  bool      // something that lay behind all of it was left out
	views []view    // all paint; and, where there is white paint beside other, what is not white
}

// Full is how much of its box art covers that has no silhouette of its own.
const Full = 0.9

// Covers is the share of its box that a drawing paints: art that covers all of it has no silhouette
// by which it could be told from other art.
func (l *Look) Covers() float64 {
	if len(l.views) == 0 {
		return 0
	}
	return l.views[0].share()
}

// share is how much of the box is painted.
func (v view) share() float64 {
	n := 0
	for _, c := range v.cover {
		if c != 0 {
			n++
		}
	}
	return float64(n) / float64(len(v.cover))
}

// A view is one silhouette of a drawing.
type view struct {
	w, h   int
	cover  []uint8   // 0 or 255
	label  []int32   // the shape that a pixel belongs to, 0 for none
	shapes []shape   // the largest first
	cells  []float64 // the silhouette on a square grid, whatever its proportions
	wide   []float64 // the most of each of them and its eight neighbours: what lies next to its place is there
}

// A shape is a connected region of a silhouette.
type shape struct {
	id     int32
	box    image.Rectangle
	pixels int
	cells  [side * side]float64 // how much of each cell of the box is painted
}

func (s shape) aspect() float64 { return float64(s.box.Dx()) / float64(s.box.Dy()) }
func (s shape) least() int      { return min(s.box.Dx(), s.box.Dy()) }

// weight is what a shape counts among others: its longer side, so that letters count beside a
// large symbol.
func (s shape) weight() float64 { return float64(max(s.box.Dx(), s.box.Dy())) }

// See looks at a drawing, without what lies behind all of it.
func See(ctx context.Context, d *drawing.Drawing) (*Look, error) {
	art := preflight.Bare(d)
	box := art.Bounds().Intersect(d.Page)
	l := &Look{Box: box, bare: art != d}
	d = art
	if box.Empty() {
		return l, nil
	}
	m, err := draw(ctx, d, box)
	if err != nil {
		return nil, err
	}
	// A picture may have bare room round it, which is none of its shape.
	if in := m.painted(); !in.Empty() && (in.Dx() < m.w*roomy/100 || in.Dy() < m.h*roomy/100) {
		at := func(x, y int) (float64, float64) {
			return box.X0 + float64(x)/float64(m.w)*box.W(), box.Y0 + float64(y)/float64(m.h)*box.H()
		}
		x0, y0 := at(in.Min.X, in.Min.Y)
		x1, y1 := at(in.Max.X, in.Max.Y)
		l.Box = geom.Rect{X0: x0, Y0: y0, X1: x1, Y1: y1}
		if m, err = draw(ctx, d, l.Box); err != nil {
			return nil, err
		}
	}
	l.views = append(l.views, newView(m.paint, m.w, m.h))
	if m.mixed {
		l.views = append(l.views, newView(m.dark, m.w, m.h))
	}
	return l, ctx.Err()
}

// A mask is a silhouette in px: 0 or 255.
type mask struct {
	w, h        int
	paint, dark []uint8 // all paint, and what of it is not white
	mixed       bool    // whether the two differ
}

// painted is the box of what is painted.
func (m mask) painted() image.Rectangle {
	b := image.Rectangle{Min: image.Pt(m.w, m.h)}
	for i, c := range m.paint {
		if c != 0 {
			x, y := i%m.w, i/m.w
			b.Min.X, b.Min.Y, b.Max.X, b.Max.Y = min(b.Min.X, x), min(b.Min.Y, y), max(b.Max.X, x+1), max(b.Max.Y, y+1)
		}
	}
	return b
}

// draw is the silhouette of a drawing through a box.
func draw(ctx context.Context, d *drawing.Drawing, box geom.Rect) (m mask, err error) {
	k := long / box.Long()
	w, h := max(1, int(math.Round(box.W()*k))), max(1, int(math.Round(box.H()*k)))
	img, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
	if err != nil {
		return m, err
	}
	paint, dark := make([]uint8, w*h), make([]uint8, w*h)
	whites, others := 0, 0
	white := map[[3]uint8]bool{}
	for i := range paint {
		p := img.Pix[4*i : 4*i+4]
		if p[3] < solid {
			continue
		}
		paint[i] = 255
		key := [3]uint8(p)
		is, known := white[key]
		if !known {
			is = colour.FromBytes(p[0], p[1], p[2]).NearWhite()
			white[key] = is
		}
		if is {
			whites++
		} else {
			others++
			dark[i] = 255
		}
	}
	if g, ok := ground(img); ok {
		art := make([]uint8, w*h)
		for i := range art {
			if p := img.Pix[4*i : 4*i+4]; colour.Difference(colour.FromBytes(p[0], p[1], p[2]).Lab(), g) >= groundOff {
				art[i] = 255
			}
		}
		if slices.Contains(art, 255) { // else the mark is a plain box
			paint, whites = art, 0
		}
	}
	return mask{w, h, paint, dark, whites > 0 && others > 0}, nil
}

// ground is the colour of a picture that is painted all over, if its corners have one.
func ground(img *image.NRGBA) (colour.Lab, bool) {
	for i := 3; i < len(img.Pix); i += 4 {
		if img.Pix[i] < solid {
			return colour.Lab{}, false
		}
	}
	w, h := img.Rect.Dx(), img.Rect.Dy()
	at := func(x, y int) colour.Lab {
		c := img.NRGBAAt(x, y)
		return colour.FromBytes(c.R, c.G, c.B).Lab()
	}
	g := at(0, 0)
	for _, c := range []colour.Lab{at(w-1, 0), at(0, h-1), at(w-1, h-1)} {
		if colour.Difference(c, g) > groundOff/2 {
			return colour.Lab{}, false
		}
	}
	return g, true
}

// newView finds the shapes of a silhouette: what is connected, by sides or corners.
func newView(cover []uint8, w, h int) view {
	label := make([]int32, w*h)
	v := view{w: w, h: h, cover: cover, label: label}
	var stack []int
	for start, c := range cover {
		if c == 0 || label[start] != 0 {
			continue
		}
		id := int32(len(v.shapes) + 1)
		s := shape{id: id, box: image.Rectangle{Min: image.Pt(w, h)}}
		stack = append(stack[:0], start)
		label[start] = id
		for len(stack) > 0 {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := i%w, i/w
			s.pixels++
			s.box.Min.X, s.box.Min.Y = min(s.box.Min.X, x), min(s.box.Min.Y, y)
			s.box.Max.X, s.box.Max.Y = max(s.box.Max.X, x+1), max(s.box.Max.Y, y+1)
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if nx, ny := x+dx, y+dy; nx >= 0 && ny >= 0 && nx < w && ny < h {
						if j := ny*w + nx; cover[j] != 0 && label[j] == 0 {
							label[j] = id
							stack = append(stack, j)
						}
					}
				}
			}
		}
		v.shapes = append(v.shapes, s)
	}
	for i := range v.shapes {
		v.shapes[i].measure(label, w)
	}
	v.shapes = slices.DeleteFunc(v.shapes, func(s shape) bool { return max(s.box.Dx(), s.box.Dy()) < speck })
	slices.SortStableFunc(v.shapes, func(a, b shape) int { return cmp.Compare(b.pixels, a.pixels) })
	v.shapes = v.shapes[:min(len(v.shapes), most)]
	v.cells = v.grid()
	v.wide = widened(v.cells)
	return v
}

// measure fills the cells of a shape by its pixels; a cell takes its share of a pixel
// that lies across several.
func (s *shape) measure(label []int32, w int) {
	bw, bh := float64(s.box.Dx()), float64(s.box.Dy())
	spread := func(at int, of float64) (first int, shares []float64) {
		a, b := float64(at)*side/of, float64(at+1)*side/of
		first = int(a)
		for c := first; c < side && float64(c) < b; c++ {
			shares = append(shares, min(b, float64(c+1))-max(a, float64(c)))
		}
		return first, shares
	}
	type run struct {
		first  int
		shares []float64
	}
	columns := make([]run, s.box.Dx())
	for x := range columns {
		columns[x].first, columns[x].shares = spread(x, bw)
	}
	for y := s.box.Min.Y; y < s.box.Max.Y; y++ {
		row, down := spread(y-s.box.Min.Y, bh)
		for x := s.box.Min.X; x < s.box.Max.X; x++ {
			if label[y*w+x] != s.id {
				continue
			}
			c := columns[x-s.box.Min.X]
			for j, dy := range down {
				for i, dx := range c.shares {
					s.cells[(row+j)*side+c.first+i] += dy * dx
				}
			}
		}
	}
}

// form is how far the forms of two shapes lie apart, whatever their sizes: 0 for the same; alike
// is false if they are two.
func (s shape) form(o shape) (off float64, alike bool) {
	tol := aspectTol
	if min(s.least(), o.least()) < few {
		tol = smallTol
	}
	if a := s.aspect() / o.aspect(); a > tol || a < 1/tol {
		return 1, false
	}
	for i := range s.cells {
		off += math.Abs(s.cells[i] - o.cells[i])
	}
	off /= side * side
	if min(s.least(), o.least()) < few {
		return off, off < 2*formTol
	}
	return off, off < formTol
}

// A Kinship is how a drawing stands to another one, a.To(b).
type Kinship struct {
	Relation Relation
	Overlaid float64 // how far the two agree when laid over each other, 0 to 1
	Stretch  float64 // how many times as wide a is for its height
	Scale    float64 // how many times as long a is on its page
	Shared   float64 // share of a's shapes that b has
	Covers   float64 // share of b's shapes that a has
	Weight   float64 // how many times as much of its box a paints, where they are the same
	// Of a laid over b, where they are the same: shapes of b that are not there, and those in whose
	// place another one is. In b's page units.
	Missing, Changed []geom.Rect
	// Lost are shapes of b that a, which is arranged otherwise, has not among lettering of which it
	// has the rest. In b's page units.
	Lost []geom.Rect
}

// To compares a drawing with another.
func (l *Look) To(o *Look) Kinship {
	if len(l.views) == 0 || len(o.views) == 0 {
		return Kinship{Relation: Other}
	}
	var best Kinship
	var a, b view
	for i, x := range l.views {
		for j, y := range o.views {
			k := x.to(y)
			if i+j == 0 || k.Overlaid+k.Shared+k.Covers > best.Overlaid+best.Shared+best.Covers+1e-9 {
				best, a, b = k, x, y
			}
		}
	}
	best.Stretch = l.Box.W() / l.Box.H() / (o.Box.W() / o.Box.H())
	best.Scale = l.Box.Long() / o.Box.Long()
	switch {
	case best.Overlaid >= alike && best.Stretch < 1.25 && best.Stretch > 0.8:
		best.Relation = Same
		best.Missing, best.Changed = a.holds(b, o.Box)
		best.Weight = a.share() / b.share()
	case best.Shared >= enough && best.Covers >= enough:
		best.Relation, best.Lost = Rearranged, a.lost(b, o.Box)
	case best.Shared >= enough && best.Covers >= leastPart:
		best.Relation, best.Lost = Part, a.lost(b, o.Box)
	default:
		best.Relation = Other
	}
	return best
}

func (v view) to(o view) (k Kinship) {
	got, all, covered, theirs := 0.0, 0.0, 0.0, 0.0
	for i, at := range v.pairs(o) {
		all += v.shapes[i].weight()
		if at >= 0 {
			got += v.shapes[i].weight()
			covered += o.shapes[at].weight()
		}
	}
	for _, t := range o.shapes {
		theirs += t.weight()
	}
	if all > 0 && theirs > 0 {
		k.Shared, k.Covers = got/all, covered/theirs
	}
	near, of := 0.0, 0.0
	for i, a := range v.cells {
		near += min(a, o.wide[i]) + min(o.cells[i], v.wide[i])
		of += a + o.cells[i]
	}
	if of > 0 {
		k.Overlaid = near / of
	}
	return k
}

// pairs finds for each shape of v the one of o that is most like it, each once; -1 if there is none.
func (v view) pairs(o view) (at []int) {
	taken := make([]bool, len(o.shapes))
	for _, s := range v.shapes {
		best, least := -1, 2.0
		for j, t := range o.shapes {
			if taken[j] {
				continue
			}
			if off, same := s.form(t); same && off < least {
				best, least = j, off
			}
		}
		if best >= 0 {
			taken[best] = true
		}
		at = append(at, best)
	}
	return at
}

// grid is the silhouette on a square grid.
func (v view) grid() []float64 {
	column := make([]int, v.w)
	for x := range column {
		column[x] = x * overlaid / v.w
	}
	painted, all := make([]int, overlaid*overlaid), make([]int, overlaid*overlaid)
	for y := range v.h {
		row := y * overlaid / v.h * overlaid
		for x, c := range v.cover[y*v.w : (y+1)*v.w] {
			i := row + column[x]
			all[i]++
			if c != 0 {
				painted[i]++
			}
		}
	}
	out := make([]float64, overlaid*overlaid)
	for i, n := range all {
		if n > 0 {
			out[i] = float64(painted[i]) / float64(n)
		}
	}
	return out
}

// widened is the most of each cell and its eight neighbours.
func widened(g []float64) []float64 {
	out := make([]float64, len(g))
	for y := range overlaid {
		for x := range overlaid {
			for j := max(0, y-1); j <= min(overlaid-1, y+1); j++ {
				for i := max(0, x-1); i <= min(overlaid-1, x+1); i++ {
					out[y*overlaid+x] = max(out[y*overlaid+x], g[j*overlaid+i])
				}
			}
		}
	}
	return out
}
