// Package planar lays regions over each other and divides the plane into
// faces, each inside some of the regions and outside the others. Union,
// subtraction, intersection, the resolving of self-crossings, and the painting
// of many shapes over each other are all readings of those faces.
//
// Topology is settled on an integer grid with exact arithmetic: curves are cut
// into short pieces that remember their curve and parameters, crossings are
// rounded to grid points until no piece crosses another, and a sweep then
// finds the faces. Geometry stays exact: a boundary is sewn together again
// from the source curves, cut by de Casteljau at the true crossings. What
// comes out has no overlap, runs with its inside on the left of the direction
// in which x turns into y (so that outer contours have positive geom Area and
// holes negative), and is the same under both fill rules.
//
// Lengths and areas are in the units of the paths that came in.
package planar

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"

	"dyekit/core/geom"
)

// A Layer is one region: the inside of a path under a rule.
type Layer struct {
	Path geom.Path
	Rule geom.Rule
}

const (
	// gridBits is the fineness of the grid: the longer side of everything
	// laid over each other measures 2^gridBits grid units.
	gridBits = 26
	// chord is the largest distance of a piece from its curve, as a share of
	// the longer side; a small curve is cut finer still.
	chord = 1.0 / (1 << 14)
	// Sliver is the width, as a share of the longer side, under which a face
	// counts as a fault of the drawing and joins its neighbour: 0.025 mm on a
	// sign of 250 mm. It is wider than two curves drawn with different points
	// along the same line can be apart by their pieces.
	Sliver = 1.0 / 10000
	// MaxPieces bounds the pieces of all curves; beyond it Overlay fails.
	MaxPieces = 3 << 19
	// MaxCrossings bounds the crossings between them.
	MaxCrossings = 1 << 19
	// maxRounds bounds how often crossings are rounded.
	maxRounds = 8
)

// ErrTooMany is returned for drawings with more than MaxPieces pieces or
// MaxCrossings crossings.
var ErrTooMany = fmt.Errorf("the drawing is too fine to be divided into regions: it has more than %d pieces of curves, or %d crossings between them", MaxPieces, MaxCrossings)

// errTangled says that rounding did not come to rest, or that the sweep met a
// crossing after all. No input is known that leads here.
var errTangled = errors.New("planar: the crossings of these paths could not be settled")

// A Plane is the division of the plane by the edges of all layers. It does not
// change once made and may be used from several goroutines.
type Plane struct {
	grid   grid
	rules  []geom.Rule
	curves []source
	points []pt    // vertices, in the order of the sweep
	edges  []edge  // by the number of their first vertex
	ending []int32 // their numbers by that of their last
	deltas []delta
	parent []int32 // the edge below each edge's left end, or -1
	face   []int32 // of side 2e (below edge e) and 2e+1 (above)
	faces  int     // face 0 is the outer one
	bent   bool    // pieces cross, or touch other than at their ends

	mu    sync.Mutex
	joint map[int32]geom.Point // exact places of vertices where curves change
}

// A source is a curve as it came, and the layer it bounds.
type source struct {
	c     geom.Curve
	layer int32
}

// An edge joins two vertices, a before b, and crosses no other.
type edge struct {
	a, b   int32
	src    int32
	t0, t1 float64 // parameters of the source at a and b
	d0, d1 int32   // its range in deltas
}

// A delta is the change of a layer's winding number from below an edge to
// above it.
type delta struct{ layer, wind int32 }

// Overlay divides the plane by the edges of the layers. What lies outside the
// view is not looked at: layers are cut off at its sides. An empty view holds
// everything. It fails for paths that are not finite, for ErrTooMany, and when
// ctx ends.
func Overlay(ctx context.Context, view geom.Rect, layers []Layer) (*Plane, error) {
	p, pieces, err := newPlane(view, layers)
	if err == nil {
		pieces, _, err = p.settle(ctx, pieces)
	}
	if err == nil {
		err = p.arrange(ctx, pieces)
	}
	if err != nil {
		return nil, err
	}
	return p, nil
}

// newPlane cuts the edges of the layers into pieces; there are none where nothing
// has an extent.
func newPlane(view geom.Rect, layers []Layer) (*Plane, []piece, error) {
	p := &Plane{joint: map[int32]geom.Point{}}
	var box geom.Rect
	n := 0
	for _, l := range layers {
		n += len(l.Path)
	}
	p.curves = make([]source, 0, n)
	for i, l := range layers {
		p.rules = append(p.rules, l.Rule)
		if !l.Path.Finite() {
			return nil, nil, fmt.Errorf("planar: layer %d has a coordinate that is no number", i)
		}
		l.Path.EachClosed(func(c geom.Curve) {
			b := hull(c)
			if len(p.curves) == 0 {
				box = b
			}
			p.curves = append(p.curves, source{c, int32(i)})
			box = geom.Rect{X0: min(box.X0, b.X0), Y0: min(box.Y0, b.Y0), X1: max(box.X1, b.X1), Y1: max(box.Y1, b.Y1)}
		})
	}
	cutOff := !view.Empty() && !view.Contains(box, 0)
	if cutOff {
		box = view
	}
	long := box.Long()
	if !(long > 0) || math.IsInf(long, 0) {
		return p, nil, nil
	}
	p.grid = grid{k: float64(1<<gridBits) / long, o: box.Centre()}
	p.grid.sort(p.curves, box)
	cut := p.cut
	if cutOff {
		cut = func() ([]piece, error) { return p.cutOff(view) }
	}
	pieces, err := cut()
	return p, pieces, err
}

// arrange finds the faces between pieces that are settled.
func (p *Plane) arrange(ctx context.Context, pieces []piece) (err error) {
	if len(pieces) == 0 && p.grid.k == 0 {
		p.faces = 1
		return nil
	}
	// Once is enough by the theorem; the sweep would find what was not.
	for range maxRounds {
		p.gather(pieces) // and nobody holds the pieces any more, which take most of the memory
		if err = p.sweep(ctx); !errors.Is(err, errTangled) {
			return err
		}
		if pieces, _, err = p.settle(ctx, p.pieces()); err != nil {
			return err
		}
	}
	return errTangled
}

// hull is the box of the curve's control points.
func hull(c geom.Curve) geom.Rect {
	r := geom.Rect{X0: min(c.A.X, c.D.X), Y0: min(c.A.Y, c.D.Y), X1: max(c.A.X, c.D.X), Y1: max(c.A.Y, c.D.Y)}
	add := func(q geom.Point) {
		r = geom.Rect{X0: min(r.X0, q.X), Y0: min(r.Y0, q.Y), X1: max(r.X1, q.X), Y1: max(r.Y1, q.Y)}
	}
	if c.Op != geom.LineTo {
		add(c.B)
	}
	if c.Op == geom.CubeTo {
		add(c.C)
	}
	return r
}

// Long is the longer side of everything that was laid over each other.
func (p *Plane) Long() float64 {
	if p.grid.k == 0 {
		return 0
	}
	return float64(1<<gridBits) / p.grid.k
}

// Size returns the number of faces, the outer one included, and of edges.
func (p *Plane) Size() (faces, edges int) { return p.faces, len(p.edges) }

// Resolve returns the region without overlaps: the inside of the path under
// the rule, each contour once, holes opposite.
func Resolve(ctx context.Context, l Layer) (geom.Path, error) {
	return combine(ctx, []Layer{l}, func(s *Set) bool { return s.Has(0) })
}

// Union returns what lies in any of the layers.
func Union(ctx context.Context, layers ...Layer) (geom.Path, error) {
	return combine(ctx, layers, func(s *Set) bool { return s.Top() >= 0 })
}

// Intersect returns what lies in all of the layers.
func Intersect(ctx context.Context, layers ...Layer) (geom.Path, error) {
	return combine(ctx, layers, func(s *Set) bool {
		for i := range layers {
			if !s.Has(i) {
				return false
			}
		}
		return len(layers) > 0
	})
}

// Subtract returns what lies in the first layer and in none of the others.
func Subtract(ctx context.Context, from Layer, others ...Layer) (geom.Path, error) {
	return combine(ctx, append([]Layer{from}, others...), func(s *Set) bool { return s.Has(0) && s.Top() == 0 })
}

func combine(ctx context.Context, layers []Layer, in func(*Set) bool) (geom.Path, error) {
	p, err := Overlay(ctx, geom.Rect{}, layers)
	if err != nil {
		return nil, err
	}
	m := p.Label(func(s *Set) int {
		if in(s) {
			return 1
		}
		return 0
	})
	return m.Path(func(label int) bool { return label == 1 }), nil
}
