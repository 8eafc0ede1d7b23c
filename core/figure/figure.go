// Package figure tells of a closed outline whether it is nearly a figure that is drawn with
// instruments: a circle or an upright ellipse, a box with round or sharp corners, turned or
// not (a rule is a long one), or a regular polygon.
//
// Each kind is fitted by least squares of the distances of the outline from the figure
// (Gauss and Newton's method), which are told by formula: I. Quilez, "2D distance
// functions", gives those of boxes and polygons; from memory.
package figure

import (
	"cmp"
	"math"
	"slices"

	"dyekit/core/geom"
)

// A Kind is a sort of figure.
type Kind string

const (
	Circle  Kind = "circle"
	Ellipse Kind = "ellipse"
	Box     Kind = "box"
	Rounded Kind = "rounded box"
	Polygon Kind = "regular polygon"
)

// A Figure is what an outline nearly is.
type Figure struct {
	Kind  Kind
	Sides int       // of a polygon
	Path  geom.Path // closed, the way round that the outline goes
	Off   float64   // how far the outline lies from it at most, in the units of both
}

const (
	samples = 160  // places of an outline that are looked at
	level   = 0.35 // units: turned, stretched or rounded by less is not at all, at its ends
	steps   = 12   // of the fitting
)

// Of returns the figure that a closed outline is nearest to, if that lies within off of it
// everywhere. The simplest kind that does is the one.
func Of(p geom.Path, off float64) (f Figure, ok bool) {
	ps, area := spread(p), math.Abs(p.Area())
	if long := p.Bounds().Long(); len(ps) < samples/2 || area < off*long || hull(ps) > area+4*off*long {
		return f, false // nothing, a line, or hollow somewhere
	}
	for _, m := range models(p, ps) {
		v := fit(m, ps)
		m.settle(v)
		worst := 0.0
		for _, q := range ps {
			worst = max(worst, math.Abs(m.far(v, q)))
		}
		if !(worst <= off) {
			continue
		}
		f = m.figure(v)
		if f.Path.Area()*p.Area() < 0 {
			f.Path = f.Path.Reverse()
		}
		f.Off = worst
		return f, true
	}
	return f, false
}

// spread returns places along an outline, evenly.
func spread(p geom.Path) (out []geom.Point) {
	whole := 0.0
	p.Flatten(0.01, func(a, b geom.Point) { whole += b.Sub(a).Len() })
	step, at, next := whole/samples, 0.0, 0.0
	p.Flatten(0.01, func(a, b geom.Point) {
		l := b.Sub(a).Len()
		for ; next < at+l && len(out) < samples; next += step {
			out = append(out, a.Lerp(b, (next-at)/l))
		}
		at += l
	})
	return out
}

// hull is the area of the least convex outline round places (A. M. Andrew, "Another
// efficient algorithm for convex hulls in two dimensions", 1979).
func hull(ps []geom.Point) float64 {
	ps = slices.SortedFunc(slices.Values(ps), func(a, b geom.Point) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y)) })
	area := 0.0
	for range 2 { // below, then above
		var line []geom.Point
		for _, p := range ps {
			for len(line) > 1 && line[len(line)-1].Sub(line[len(line)-2]).Cross(p.Sub(line[len(line)-1])) <= 0 {
				line = line[:len(line)-1]
			}
			line = append(line, p)
		}
		for i, p := range line[1:] {
			area += line[i].Cross(p) / 2
		}
		slices.Reverse(ps)
	}
	return area
}

// A model is a kind of figure with what is free in it.
type model struct {
	start  []float64
	far    func(v []float64, p geom.Point) float64 // with a sign: negative within
	settle func(v []float64)                       // what is all but level, round or sharp becomes so
	figure func(v []float64) Figure
}

// models are the kinds that an outline is tried as, the simplest first.
func models(p geom.Path, ps []geom.Point) []model {
	box, area := p.Bounds(), math.Abs(p.Area())
	c, w, h := box.Centre(), box.W()/2, box.H()/2
	all := []model{oval(c, w, h), rounded(c, w, h, 0, area)}
	for _, sides := range []int{3, 5, 6, 8} {
		for _, part := range []float64{0, 0.25, 0.5, 0.75} {
			all = append(all, polygon(c, (w+h)/2, sides, part*2*math.Pi/float64(sides)))
		}
	}
	// A box that is turned lies along the longer way in which its places are spread.
	var xx, xy, yy float64
	for _, q := range ps {
		d := q.Sub(c)
		xx, xy, yy = xx+d.X*d.X, xy+d.X*d.Y, yy+d.Y*d.Y
	}
	turn := math.Atan2(2*xy, xx-yy) / 2
	along, across := extent(ps, c, turn), extent(ps, c, turn+math.Pi/2)
	all = append(all, rounded(c, along, across, turn, area))
	for _, turn := range []float64{0.2, 0.45, math.Pi / 4, -0.45, -0.2} { // of a square that tells nothing
		side := math.Sqrt(area) / 2
		all = append(all, rounded(c, side, side, turn, area), rounded(c, 1.05*side, 1.05*side, turn, area))
	}
	return all
}

// extent is how far places lie from a middle, in a direction.
func extent(ps []geom.Point, c geom.Point, turn float64) (far float64) {
	sin, cos := math.Sincos(turn)
	for _, p := range ps {
		far = max(far, math.Abs(p.Sub(c).Dot(geom.Pt(cos, sin))))
	}
	return far
}

// oval is free in its middle and its half axes.
func oval(c geom.Point, rx, ry float64) model {
	return model{
		start: []float64{c.X, c.Y, rx, ry},
		far: func(v []float64, p geom.Point) float64 {
			d := p.Sub(geom.Pt(v[0], v[1]))
			return (math.Hypot(d.X/v[2], d.Y/v[3]) - 1) * min(v[2], v[3])
		},
		settle: func(v []float64) {
			if math.Abs(v[2]-v[3]) < level {
				v[2] = (v[2] + v[3]) / 2
				v[3] = v[2]
			}
		},
		figure: func(v []float64) Figure {
			k := Ellipse
			if v[2] == v[3] {
				k = Circle
			}
			return Figure{Kind: k, Path: geom.Ellipse(geom.Pt(v[0], v[1]), v[2], v[3])}
		},
	}
}

// rounded is free in its middle, its half sides, the radius of its corners and how it is
// turned.
func rounded(c geom.Point, w, h, turn, area float64) model {
	r := math.Sqrt(max(0, 4*w*h-area) / (4 - math.Pi))
	return model{
		start: []float64{c.X, c.Y, w, h, min(r, w, h), turn},
		far: func(v []float64, p geom.Point) float64 {
			sin, cos := math.Sincos(-v[5])
			d := p.Sub(geom.Pt(v[0], v[1]))
			r := min(max(v[4], 0), v[2], v[3])
			x := math.Abs(cos*d.X-sin*d.Y) - v[2] + r
			y := math.Abs(sin*d.X+cos*d.Y) - v[3] + r
			return math.Hypot(max(x, 0), max(y, 0)) + min(max(x, y), 0) - r
		},
		settle: func(v []float64) {
			const quarter = math.Pi / 2
			if k := math.Round(v[5] / quarter); math.Abs(v[5]-k*quarter)*max(v[2], v[3]) < level {
				if int(k)%2 != 0 {
					v[2], v[3] = v[3], v[2]
				}
				v[5] = 0
			}
			if v[4] < level {
				v[4] = 0
			}
			v[4] = min(v[4], v[2], v[3])
		},
		figure: func(v []float64) Figure {
			k := Rounded
			if v[4] == 0 {
				k = Box
			}
			p := geom.RoundBox(geom.Rect{X0: -v[2], Y0: -v[3], X1: v[2], Y1: v[3]}, v[4], v[4])
			return Figure{Kind: k, Path: p.Transform(geom.Translate(v[0], v[1]).Mul(geom.Rotate(v[5])))}
		},
	}
}

// polygon is free in its middle, the radius of the circle within it and how it is turned.
func polygon(c geom.Point, r float64, sides int, turn float64) model {
	wedge := 2 * math.Pi / float64(sides)
	return model{
		start: []float64{c.X, c.Y, r * math.Cos(wedge/2), turn},
		far: func(v []float64, p geom.Point) float64 {
			d := p.Sub(geom.Pt(v[0], v[1]))
			a := math.Atan2(d.Y, d.X) - v[3]
			a -= wedge * math.Round(a/wedge)
			x, y := d.Len()*math.Cos(a)-v[2], d.Len()*math.Abs(math.Sin(a))-v[2]*math.Tan(wedge/2)
			if y <= 0 {
				return x
			}
			return math.Hypot(x, y) * math.Copysign(1, x+1e-12)
		},
		settle: func(v []float64) {
			// A side or a corner that points up, down or aside all but exactly does so.
			half := wedge / 4
			if k := math.Round(v[3] / half); math.Abs(v[3]-k*half)*v[2] < level && sides%2 == 0 || math.Abs(v[3]-k*half)*v[2] < level/2 {
				v[3] = k * half
			}
		},
		figure: func(v []float64) Figure {
			var p geom.Path
			for i := range sides {
				sin, cos := math.Sincos(v[3] + wedge*(float64(i)+0.5))
				q := geom.Pt(v[0], v[1]).Add(geom.Pt(cos, sin).Mul(v[2] / math.Cos(wedge/2)))
				if i == 0 {
					p.MoveTo(q)
				} else {
					p.LineTo(q)
				}
			}
			p.Close()
			return Figure{Kind: Polygon, Sides: sides, Path: p}
		},
	}
}

// fit moves what is free until the squares of the distances are least.
func fit(m model, ps []geom.Point) []float64 {
	v := append([]float64(nil), m.start...)
	sum := func(v []float64) (s float64) {
		for _, p := range ps {
			d := m.far(v, p)
			s += d * d
		}
		return s
	}
	now, damp := sum(v), 1e-3
	n := len(v)
	for range steps {
		const h = 1e-4
		a, b := make([][]float64, n), make([]float64, n)
		for i := range a {
			a[i] = make([]float64, n)
		}
		row, w := make([]float64, n), make([]float64, n)
		for _, p := range ps {
			d := m.far(v, p)
			for k := range v {
				copy(w, v)
				w[k] += h
				row[k] = (m.far(w, p) - d) / h
			}
			for i := range row {
				b[i] -= row[i] * d
				for j := range row {
					a[i][j] += row[i] * row[j]
				}
			}
		}
		for i := range a {
			a[i][i] *= 1 + damp
			a[i][i] += 1e-9
		}
		move, ok := geom.Solve(a, b)
		if !ok {
			break
		}
		for i := range w {
			w[i] = v[i] + move[i]
		}
		if s := sum(w); s < now {
			done := now-s < 1e-9*float64(len(ps))
			now, damp = s, damp/4
			copy(v, w)
			if done {
				break
			}
		} else {
			damp *= 8
		}
	}
	return v
}
