package proof

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// What is smaller than a square of 1/500 of the art's length is dust of the
// drawing, and a thin place shorter than 1/30 of it a pinch.
const (
	speck = 4e-6
	pinch = 1.0 / 30
)

// A Detail is the finest there is in art of one ink, in page units; 0 where
// there is none.
type Detail struct {
	Line   float64 // the thinnest line
	Gap    float64 // the narrowest gap, counters among them
	LineAt geom.Point
	GapAt  geom.Point
}

// Details measures a region whose path is wound so that holes run against
// their outlines, as planar's are. From the middle of every stretch of edge a
// ray runs straight into the ink and one out of it; where it meets an edge
// that faces back, within 30°, its length is the thickness there. Tips of
// wedges are no lines: what counts is a thickness that some length of edge
// has, or a piece that is so small as a whole.
func Details(region geom.Path) Detail {
	box := region.Bounds()
	long := box.Long()
	if long == 0 {
		return Detail{}
	}
	if region.Area() < 0 {
		region = region.Reverse()
	}
	e := newEdges(region, box)
	var d Detail
	d.Line, d.LineAt = e.thinnest(1)
	d.Gap, d.GapAt = e.thinnest(-1)
	for _, sub := range region.Subpaths() {
		b := sub.Bounds()
		small := min(b.W(), b.H())
		switch a := sub.Area(); {
		case math.Abs(a) < speck*long*long:
		case a > 0 && (d.Line == 0 || small < d.Line):
			d.Line, d.LineAt = small, b.Centre()
		case a < 0 && (d.Gap == 0 || small < d.Gap):
			d.Gap, d.GapAt = small, b.Centre()
		}
	}
	return d
}

// edges are the straight pieces of a region's outline, sorted into a grid.
type edges struct {
	a, b []geom.Point
	box  geom.Rect
	cell float64
	nx   int
	ny   int
	in   [][]int32
	mark []int32 // by edge: the last ray that looked at it
	ray  int32
}

// cells is how many cells of the grid lie along the longer side.
const cells = 200

func newEdges(p geom.Path, box geom.Rect) *edges {
	e := &edges{box: box, cell: box.Long() / cells}
	e.nx, e.ny = int(box.W()/e.cell)+1, int(box.H()/e.cell)+1
	e.in = make([][]int32, e.nx*e.ny)
	p.Flatten(box.Long()/20_000, func(a, b geom.Point) {
		if a == b {
			return
		}
		i := int32(len(e.a))
		e.a, e.b = append(e.a, a), append(e.b, b)
		x0, x1 := e.col(min(a.X, b.X)), e.col(max(a.X, b.X))
		y0, y1 := e.row(min(a.Y, b.Y)), e.row(max(a.Y, b.Y))
		for y := y0; y <= y1; y++ {
			for x := x0; x <= x1; x++ {
				e.in[y*e.nx+x] = append(e.in[y*e.nx+x], i)
			}
		}
	})
	e.mark = make([]int32, len(e.a))
	return e
}

func (e *edges) col(x float64) int { return min(e.nx-1, max(0, int((x-e.box.X0)/e.cell))) }
func (e *edges) row(y float64) int { return min(e.ny-1, max(0, int((y-e.box.Y0)/e.cell))) }

// facing is the least cosine between an edge and one that faces back, 30° off.
const facing = 0.866

// hit runs a ray to the next edge that faces back; ok is false if there is none
// nearer than far, if it leaves, or meets an edge that does not face back.
func (e *edges) hit(from, dir geom.Point, own int32, far float64) (t float64, ok bool) {
	e.ray++
	best, face := far, 0.0
	x, y := e.col(from.X), e.row(from.Y)
	step := func(d float64) int {
		if d > 0 {
			return 1
		}
		return -1
	}
	next := func(i int, lo, p, d float64) float64 {
		if d == 0 {
			return math.Inf(1)
		}
		line := lo + float64(i)*e.cell
		if d > 0 {
			line += e.cell
		}
		return (line - p) / d
	}
	for x >= 0 && y >= 0 && x < e.nx && y < e.ny {
		for _, i := range e.in[y*e.nx+x] {
			if i == own || e.mark[i] == e.ray {
				continue
			}
			e.mark[i] = e.ray
			s := e.b[i].Sub(e.a[i])
			det := dir.Cross(s)
			if det == 0 {
				continue
			}
			r := e.a[i].Sub(from)
			u, v := r.Cross(s)/det, r.Cross(dir)/det
			if v < 0 || v > 1 || u <= 1e-9*e.cell || u >= best {
				continue
			}
			best, face = u, math.Abs(s.Unit().Turn().Dot(dir))
		}
		tx, ty := next(x, e.box.X0, from.X, dir.X), next(y, e.box.Y0, from.Y, dir.Y)
		if best <= min(tx, ty) {
			break // or it is too far
		}
		if tx < ty {
			x += step(dir.X)
		} else {
			y += step(dir.Y)
		}
	}
	return best, best < far && face >= facing
}

// thinnest is the least thickness that some length of edge has, into the ink
// for side 1 and out of it for side -1. What is thick does not count, and rays
// through it are long: they are run only if nothing thinner is found.
func (e *edges) thinnest(side float64) (w float64, at geom.Point) {
	for _, thin := range []float64{1.0 / 256, 1.0 / 32, math.Inf(1)} { // of the longer side
		if w, at = e.thinner(side, thin*e.box.Long()); w > 0 {
			break
		}
	}
	return w, at
}

// thinner is thinnest among thicknesses below far.
func (e *edges) thinner(side, far float64) (float64, geom.Point) {
	type sample struct {
		w, l float64
		at   geom.Point
	}
	var all []sample
	most := e.box.Long() / 400
	for i := range e.a {
		a, b := e.a[i], e.b[i]
		whole := b.Sub(a).Len()
		n := max(1, int(math.Ceil(whole/most)))
		// Positive area winds so that the ink lies to the left in y-up
		// terms: Turn of the direction points into it.
		in := b.Sub(a).Unit().Turn().Mul(side)
		for k := range n {
			p := a.Lerp(b, (float64(k)+0.5)/float64(n))
			if w, ok := e.hit(p, in, int32(i), far); ok {
				all = append(all, sample{w, whole / float64(n), p.Add(in.Mul(w / 2))})
			}
		}
	}
	slices.SortFunc(all, func(a, b sample) int { return cmp.Compare(a.w, b.w) })
	// Both sides of a line six times as long as thick; a wedge of 30° has 3.7
	// thicknesses of edge below each of its thicknesses, one of 10° has 11.
	const length = 12
	sum := 0.0
	for i, s := range all {
		sum += s.l
		if sum < max(length*s.w, pinch*e.box.Long()) {
			continue
		}
		// Of all that is no thicker, the median is what the line has: the
		// thinnest alone may be a pinch.
		return all[i/2].w, all[i/2].at
	}
	return 0, geom.Point{}
}
