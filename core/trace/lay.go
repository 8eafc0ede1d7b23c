package trace

import (
	"math"
	"slices"

	"dyekit/core/geom"
)

// lay fits each group once and lays its images down.
func (r *reflection) lay() {
	fitted := make([]geom.Path, len(r.groups))
	for i, g := range r.groups {
		fitted[i] = r.fitOne(g)
	}
	for _, p := range r.pieces {
		path := fitted[p.group]
		if p.turned {
			path = path.Reverse()
		}
		out := make(geom.Path, len(path))
		for k, s := range path {
			out[k] = geom.Seg{Op: s.Op, P: [3]geom.Point{r.flip(s.P[0], p.fx, p.fy), r.flip(s.P[1], p.fx, p.fy), r.flip(s.P[2], p.fx, p.fy)}}
		}
		r.paths[p.arc] = join(r.paths[p.arc], out)
	}
	for i := range r.b.arcs {
		if r.b.arcs[i].from.node < 0 {
			r.paths[i] = closed(r.paths[i])
		}
	}
}

// fitOne fits the first of a group, with its ends where all of them have theirs.
func (r *reflection) fitOne(g []*piece) (out geom.Path) {
	p := g[0]
	if p.ring {
		fit(p.in, r.tol, &out)
		return out
	}
	ps := slices.Clone(p.in)
	n := len(ps)
	for e, at := range []int{0, n - 1} {
		if !p.cut[e].x && !p.cut[e].y {
			continue
		}
		var sum geom.Point
		for _, q := range g {
			k := 0
			if (at == 0) == q.turned { // its other end
				k = len(q.in) - 1
			}
			sum = sum.Add(q.in[k])
		}
		ps[at] = sum.Mul(1 / float64(len(g)))
		if p.cut[e].x {
			ps[at].X = r.x
		}
		if p.cut[e].y {
			ps[at].Y = r.y
		}
	}
	l := &line{ps: ps, u: p.cut[0].into(), v: p.cut[1].into(), wall: [2]geom.Point{p.cut[0].wall(), p.cut[1].wall()}}
	l.fit(r.tol, &out)
	level(out, p.cut)
	return out
}

// into is the direction from an axis into the near side, for a border that goes on
// without a corner: square to the axis.
func (c rim) into() geom.Point {
	switch {
	case !c.smooth:
		return geom.Point{}
	case c.x:
		return geom.Pt(-1, 0)
	case c.y:
		return geom.Pt(0, -1)
	}
	return geom.Point{}
}

// wall is the direction of the axis on which a corner lies.
func (c rim) wall() geom.Point {
	switch {
	case c.smooth:
		return geom.Point{}
	case c.x:
		return geom.Pt(0, 1)
	case c.y:
		return geom.Pt(1, 0)
	}
	return geom.Point{}
}

// level makes a line that crosses an axis, and is square to it but for what pixels
// leave open, exactly so: its two halves are one line then.
func level(p geom.Path, cut [2]rim) {
	const slight = 0.06 // radians
	set := func(end, other *geom.Point, c rim) {
		d := end.Sub(*other)
		switch {
		case !c.smooth:
		case c.x && math.Abs(d.Y) < slight*math.Abs(d.X):
			end.Y = other.Y
		case c.y && math.Abs(d.X) < slight*math.Abs(d.Y):
			end.X = other.X
		}
	}
	if n := len(p); n > 1 {
		if p[1].Op == geom.LineTo {
			set(&p[0].P[0], &p[1].P[0], cut[0])
		}
		if p[n-1].Op == geom.LineTo && (n > 2 || cut[0] == (rim{})) {
			from := p[n-2].End()
			set(&p[n-1].P[0], &from, cut[1])
		}
	}
}

// straight reports whether three points lie on a line.
func straight(a, b, c geom.Point) bool {
	return math.Abs(b.Sub(a).Cross(c.Sub(b))) < 1e-9 && b.Sub(a).Dot(c.Sub(b)) > 0
}

// join appends a path that goes on where the first ends; lines that go on become
// one.
func join(p, q geom.Path) geom.Path {
	if len(p) == 0 {
		return q
	}
	q = q[1:]
	if n := len(p); n > 1 && len(q) > 0 && p[n-1].Op == geom.LineTo && q[0].Op == geom.LineTo && straight(p[n-2].End(), p[n-1].P[0], q[0].P[0]) {
		p[n-1] = q[0]
		q = q[1:]
	}
	return append(p, q...)
}

// closed ends a contour; one that begins within a line begins at its end.
func closed(p geom.Path) geom.Path {
	if n := len(p); n > 0 && p[n-1].Op == geom.Close {
		return p
	}
	if n := len(p); n > 3 && p[1].Op == geom.LineTo && p[n-1].Op == geom.LineTo && straight(p[n-2].End(), p[0].P[0], p[1].P[0]) {
		p = slices.Clone(p[1 : n-1])
		p[0].Op = geom.MoveTo
	}
	p.Close()
	return p
}
