package kit

import (
	"fmt"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// How far what is read back may lie from the art: outlines by this share of
// the longer side of the page, screen colours by a little more than half a step
// of 255, builds by what is written of them (see near).
const (
	outlineSlack = 1.0 / 40_000
	screenSlack  = 0.6 / 255
)

// sameShapes compares the shapes of a drawing that was read back with those of
// the art, in the order in which they are painted: their outlines, and the
// builds, plates or screen colours of plain paint. It returns what differs.
// Gradients, but for their plates, clips and opacity are left to the comparison of
// pictures, as file types say them in different ways.
func sameShapes(back *drawing.Drawing, box geom.Rect, art *drawing.Drawing, frame geom.Rect, ink inking) string {
	want := shapes(art)
	got, bands := unbanded(back, want, onto(box, frame), outlineSlack*box.Long())
	if len(got) != len(want) {
		return fmt.Sprintf("%d shapes, the art has %d", len(got), len(want))
	}
	to := onto(box, frame)
	slack := outlineSlack * box.Long()
	for i, w := range want {
		if d := apart(got[i].Path, w.Path, to, slack); d > slack && !alongside(got[i].Path, w.Path.Transform(to), slack) {
			return fmt.Sprintf("shape %d of %d lies %.4g of %.4g beside its place", i+1, len(want), d, box.Long())
		}
		if ramp, ok := w.Paint.(*drawing.Gradient); ok {
			if why := samePlates(got[i].Paint, bands[got[i]], ramp, ink); why != "" {
				return fmt.Sprintf("shape %d of %d: %s", i+1, len(want), why)
			}
			continue
		}
		if why := samePaint(got[i].Paint, w.Paint, ink); why != "" {
			return fmt.Sprintf("shape %d of %d: %s", i+1, len(want), why)
		}
	}
	return ""
}

// asSimple is a drawing that was read back, and whose shapes were found to be those
// of the art, to be drawn as the art is: by outlines whose areas may be summed. A
// shape under another rule than the art's is drawn as it is.
func (j *job) asSimple(back *drawing.Drawing, box geom.Rect, art *drawing.Drawing, frame geom.Rect) *drawing.Drawing {
	to := onto(box, frame)
	simple := map[*drawing.Shape]geom.Path{}
	want := shapes(art)
	for i, s := range shapes(back) {
		if want[i].Simple {
			simple[s] = s.Path
		} else if p, ok := j.plan.outlines.Path(want[i].Path, want[i].Rule); ok && s.Rule == want[i].Rule {
			simple[s] = p.Transform(to)
		}
	}
	return back.Map(func(n drawing.Node) drawing.Node {
		s, ok := n.(*drawing.Shape)
		if !ok || simple[s] == nil {
			return n
		}
		c := *s
		c.Path, c.Simple = simple[s], true
		return &c
	})
}

// onto is the map that lays a frame of the art onto a box that was read back.
func onto(box, frame geom.Rect) geom.Affine {
	sx, sy := box.W()/frame.W(), box.H()/frame.H()
	return geom.Affine{A: sx, D: sy, E: box.X0 - frame.X0*sx, F: box.Y0 - frame.Y0*sy}
}

// shapes lists the shapes of a drawing that can be seen.
func shapes(d *drawing.Drawing) (out []*drawing.Shape) {
	d.Walk(func(n drawing.Node, in []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok || len(s.Path) == 0 {
			return
		}
		if p, ok := s.Paint.(drawing.Solid); ok && p.Alpha <= 0 {
			return
		}
		for _, g := range in {
			if g.Alpha <= 0 {
				return
			}
		}
		out = append(out, s)
	})
	return out
}

// apart is the largest distance between the ends and handles of two paths'
// curves, w being mapped by to; more than slack if there are others. Curves
// hardly longer than slack may be missing in either, as rounding takes them
// away.
func apart(g, w geom.Path, to geom.Affine, slack float64) (most float64) {
	if d, ok := stepwise(g, w, to, slack); ok {
		return d
	}
	a, b := curves(g), curves(w.Transform(to))
	for len(a) > 0 || len(b) > 0 {
		i, j, ok := resume(a, b, slack)
		if !ok {
			if len(a) == 0 || len(b) == 0 {
				return math.Inf(1)
			}
			return farthest(a[0], b[0])
		}
		a, b = a[i:], b[j:]
		if len(a) > 0 && len(b) > 0 {
			most = max(most, farthest(a[0], b[0]))
			a, b = a[1:], b[1:]
		}
	}
	return most
}

// mostAlongside bounds the pairs of lines that alongside looks at.
const mostAlongside = 2_000_000

// alongside reports whether two outlines run within slack of each other all along
// and enclose the same: a shape so small on its page that rounding took many of
// its curves away is the same shape all the same, whichever of them it took.
func alongside(g, w geom.Path, slack float64) bool {
	lines := func(p geom.Path) (ls []geom.Curve) {
		p.Flatten(slack/4, func(a, b geom.Point) { ls = append(ls, geom.Curve{Op: geom.LineTo, A: a, D: b}) })
		return ls
	}
	a, b := lines(g), lines(w)
	if len(a) == 0 || len(b) == 0 || len(a)*len(b) > mostAlongside {
		return false
	}
	round := 0.0
	for _, l := range b {
		round += l.D.Sub(l.A).Len()
	}
	if math.Abs(g.Area()-w.Area()) > slack*round {
		return false
	}
	near := func(p geom.Point, ls []geom.Curve) bool {
		return slices.ContainsFunc(ls, func(l geom.Curve) bool {
			d := l.D.Sub(l.A)
			t := 0.0
			if n := d.Dot(d); n > 0 {
				t = min(1, max(0, p.Sub(l.A).Dot(d)/n))
			}
			return p.Sub(l.A.Add(d.Mul(t))).Len() <= slack
		})
	}
	all := func(from, on []geom.Curve) bool {
		return !slices.ContainsFunc(from, func(l geom.Curve) bool { return !near(l.A, on) || !near(l.A.Lerp(l.D, 0.5), on) })
	}
	return all(a, b) && all(b, a)
}

// stepwise is apart for paths of the same segments, none of which lie further
// apart than slack; ok is false for others. A file type that knows cubic curves
// alone has one in the place of a quadratic.
func stepwise(g, w geom.Path, to geom.Affine, slack float64) (most float64, ok bool) {
	if len(g) != len(w) {
		return 0, false
	}
	var at geom.Point // where w is
	for i := range g {
		a, b := &g[i], w[i]
		if a.Op == geom.CubeTo && b.Op == geom.QuadTo {
			c := geom.Curve{Op: b.Op, A: at, B: b.P[0], D: b.P[1]}.Cubic()
			b = geom.Seg{Op: geom.CubeTo, P: [3]geom.Point{c.B, c.C, c.D}}
		}
		if a.Op != b.Op {
			return 0, false
		}
		for k := range a.Op.Points() {
			if most = max(most, a.P[k].Sub(to.Apply(b.P[k])).Len()); !(most <= slack) {
				return 0, false
			}
		}
		if b.Op != geom.Close {
			at = b.End()
		}
	}
	return most, true
}

// resume finds how many short curves to pass over, in one path or the other, so
// that both go on with the same curve or are at their end.
func resume(a, b []geom.Curve, slack float64) (i, j int, ok bool) {
	// However many there are, together they get hardly anywhere.
	const most, far = 200, 24
	short := func(cs []geom.Curve) (n int) {
		gone := 0.0
		for n < min(most, len(cs)) && reach(cs[n]) <= 4*slack && gone <= far*slack {
			gone += reach(cs[n])
			n++
		}
		return n
	}
	la, lb := short(a), short(b)
	for skip := 0; skip <= la+lb; skip++ {
		for i = max(0, skip-lb); i <= min(la, skip); i++ {
			j = skip - i
			if i == len(a) && j == len(b) || i < len(a) && j < len(b) && farthest(a[i], b[j]) <= slack {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}

func farthest(a, b geom.Curve) float64 {
	return max(a.A.Sub(b.A).Len(), a.B.Sub(b.B).Len(), a.C.Sub(b.C).Len(), a.D.Sub(b.D).Len())
}

// reach is how far a curve gets from its start.
func reach(c geom.Curve) float64 {
	return max(c.B.Sub(c.A).Len(), c.C.Sub(c.A).Len(), c.D.Sub(c.A).Len())
}

// curves lists all curves as cubics, a line that closes a path like one that is
// written.
func curves(p geom.Path) (out []geom.Curve) {
	out = make([]geom.Curve, 0, len(p))
	p.EachClosed(func(c geom.Curve) { out = append(out, c.Cubic()) })
	return out
}

func samePaint(got, want drawing.Paint, ink inking) string {
	w, ok := want.(drawing.Solid)
	g, same := got.(drawing.Solid)
	switch {
	case !ok:
		return ""
	case !same:
		return "it is painted with a gradient"
	case !w.Colour.Mix.IsZero() && ink != onScreen:
		if !sameMixture(g.Colour.Mix, w.Colour.Mix) {
			return fmt.Sprintf("its plates are %v, not %v", g.Colour.Mix.Amounts(), w.Colour.Mix.Amounts())
		}
	case w.Colour.Spot != "" && ink != onScreen:
		if g.Colour.Spot != w.Colour.Spot {
			return fmt.Sprintf("it is on plate %q, not %q", g.Colour.Spot, w.Colour.Spot)
		}
		if full, _ := w.Colour.Full(); math.Abs(g.Colour.Of(w.Colour.Spot)-w.Colour.Of(w.Colour.Spot)) > tintSlack || !near(g.Colour.Build, full) {
			return fmt.Sprintf("it is %.4g %% of a plate shown as %v, not %.4g %% of %v", g.Colour.Tint, g.Colour.Build, w.Colour.Tint, full)
		}
	case ink == onPress:
		b, _ := w.Colour.Press()
		if !near(g.Colour.Build, b) {
			return fmt.Sprintf("its build is %v, not %v", g.Colour.Build, b)
		}
	case off(g.Colour.RGB, w.Colour.RGB) > screenSlack:
		return fmt.Sprintf("it is %s, not %s", g.Colour.RGB.Hex(), w.Colour.RGB.Hex())
	}
	return ""
}

// tintSlack is how far a tint may be off, as a share of the full ink: four decimals are
// written.
const tintSlack = 0.6e-4

// sameMixture compares plates, their tints and the build that stands for them, to within
// what is written.
func sameMixture(a, b colour.Mixture) bool {
	const slack = 0.05 // percent
	x, y := a.Amounts(), b.Amounts()
	if len(x) != len(y) {
		return false
	}
	for i := range x {
		if x[i].Plate != y[i].Plate || math.Abs(x[i].Tint-y[i].Tint) > slack {
			return false
		}
	}
	p, q := a.Build(), b.Build()
	return max(math.Abs(p.C-q.C), math.Abs(p.M-q.M), math.Abs(p.Y-q.Y), math.Abs(p.K-q.K)) <= slack
}

// off is the largest difference of a channel.
func off(a, b colour.RGB) float64 {
	return max(math.Abs(a.R-b.R), math.Abs(a.G-b.G), math.Abs(a.B-b.B))
}
