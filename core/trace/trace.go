// Package trace draws smooth curves round the dark or light parts of pixels.
//
// A contour runs where the values of neighbouring pixels pass a level, placed
// between them by linear interpolation, so that soft edges give exact places.
// The polygon is then cut at its corners and fitted with cubics. Coordinates
// are in pixels, the middle of the first pixel at (0.5, 0.5).
package trace

import (
	"math"

	"dyekit/core/geom"
)

// A Field is a grid of values. Outside stands for everything round it.
type Field struct {
	W, H    int
	V       []float64 // W × H, row by row
	Outside float64
}

func (f *Field) at(x, y int) float64 {
	if x < 0 || y < 0 || x >= f.W || y >= f.H {
		return f.Outside
	}
	return f.V[y*f.W+x]
}

// MinArea is the area in square pixels under which a contour is a speck.
const MinArea = 2

// Contours returns the boundary of the places whose value is at least level,
// fitted within tol pixels: outer contours with positive area, holes negative.
func (f *Field) Contours(level, tol float64) geom.Path {
	var out geom.Path
	for _, poly := range f.polygons(level) {
		var a float64
		for i, p := range poly {
			a += p.Cross(poly[(i+1)%len(poly)]) / 2
		}
		if math.Abs(a) >= MinArea {
			fit(poly, bound{off: tol}, &out)
		}
	}
	return out
}

// polygons walks the squares between pixel middles (marching squares). Where
// two opposite corners are inside, the mean of the four says whether they are
// joined.
func (f *Field) polygons(level float64) [][]geom.Point {
	// An edge of the grid of middles: from (x, y) to the right or down.
	type edge struct {
		x, y int
		down bool
	}
	place := func(e edge) geom.Point {
		a, b := f.at(e.x, e.y), f.at(e.x+1, e.y)
		if e.down {
			b = f.at(e.x, e.y+1)
		}
		t := 0.5
		if a != b {
			t = min(max((level-a)/(b-a), 0.001), 0.999)
		}
		if e.down {
			return geom.Pt(float64(e.x)+0.5, float64(e.y)+0.5+t)
		}
		return geom.Pt(float64(e.x)+0.5+t, float64(e.y)+0.5)
	}
	next := map[edge]edge{}
	var order []edge
	link := func(from, to edge) {
		next[from] = to
		order = append(order, from)
	}
	for y := -1; y < f.H; y++ {
		for x := -1; x < f.W; x++ {
			tl, tr := f.at(x, y) >= level, f.at(x+1, y) >= level
			bl, br := f.at(x, y+1) >= level, f.at(x+1, y+1) >= level
			if tl == tr && tr == bl && bl == br {
				continue
			}
			top, bottom := edge{x, y, false}, edge{x, y + 1, false}
			left, right := edge{x, y, true}, edge{x + 1, y, true}
			// The inside stays on the side to which x turns into y.
			mid := (f.at(x, y)+f.at(x+1, y)+f.at(x, y+1)+f.at(x+1, y+1))/4 >= level
			switch {
			case tl && br && !tr && !bl:
				if mid {
					link(top, right)
					link(bottom, left)
				} else {
					link(top, left)
					link(bottom, right)
				}
			case tr && bl && !tl && !br:
				if mid {
					link(left, top)
					link(right, bottom)
				} else {
					link(right, top)
					link(left, bottom)
				}
			default:
				enter, leave := edge{}, edge{}
				// Clockwise on the screen, the contour enters where the corners
				// change from inside to outside and leaves where they change back.
				for _, s := range [4]struct {
					a, b bool
					e    edge
				}{{tl, tr, top}, {tr, br, right}, {br, bl, bottom}, {bl, tl, left}} {
					if s.a && !s.b {
						enter = s.e
					}
					if !s.a && s.b {
						leave = s.e
					}
				}
				link(enter, leave)
			}
		}
	}
	var all [][]geom.Point
	for _, e := range order {
		if _, ok := next[e]; !ok {
			continue
		}
		var poly []geom.Point
		for {
			n, ok := next[e]
			if !ok {
				break
			}
			delete(next, e)
			poly = append(poly, place(e))
			e = n
		}
		if len(poly) >= 3 {
			all = append(all, poly)
		}
	}
	return all
}
