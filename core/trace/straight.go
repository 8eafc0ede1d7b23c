package trace

import (
	"math"
	"slices"

	"dyekit/core/geom"
)

// A rule is a stretch of a border that was drawn with a ruler.
type rule struct {
	from, to int        // its points
	p, d     geom.Point // a place on it, and its direction, a unit
}

// Of straight stretches.
const (
	keen     = 0.06 // px that points may lie beside a line in any case
	shortest = 9    // px
	wavering = 450  // px for each px more of leeway: the more a border wavers, the more of it is straight by chance
	bent     = 0.3  // of the leeway, that the middle of a stretch may lie beside its ends
	near     = 0.8  // of it, that points lie from the line of its middle
)

// straights finds the straight stretches among points without corners, in order. A wide curve
// is nearly straight over any short stretch of it; it is not taken for one, as its middle
// bulges.
func straights(ps []geom.Point, tol bound) []rule {
	slack := max(keen, 0.5*tol.off)
	r := newRuler(ps, tol.few)
	var all []rule
	for from := 0; from < len(ps)-1; from += 3 {
		to := r.reach(from, slack)
		if s, ok := r.trim(from, to, slack); ok {
			all = append(all, s)
		}
	}
	long := func(s rule) float64 { return ps[s.to].Sub(ps[s.from]).Len() }
	slices.SortStableFunc(all, func(a, b rule) int {
		if d := long(b) - long(a); d != 0 {
			return int(math.Copysign(1, d))
		}
		return 0
	})
	var out []rule
	for _, s := range all {
		if !slices.ContainsFunc(out, func(o rule) bool { return s.from < o.to && o.from < s.to }) {
			out = append(out, s)
		}
	}
	slices.SortFunc(out, func(a, b rule) int { return a.from - b.from })
	return r.joined(out, slack)
}

// joined makes one of stretches beside each other that waver about one line.
func (r *ruler) joined(in []rule, slack float64) (out []rule) {
	for _, s := range in {
		if n := len(out) - 1; n >= 0 && r.holds(out[n].from, s.to, 2*slack) {
			p, d := r.line(out[n].from, s.to)
			if math.Abs(r.bulge(out[n].from, s.to, p, d)) <= 2*bent*slack {
				out[n] = rule{out[n].from, s.to, p, d}
				continue
			}
		}
		out = append(out, s)
	}
	return out
}

// A ruler fits lines to stretches of points by their sums.
type ruler struct {
	ps  []geom.Point
	few int          // points that are looked at together, to either side
	sum [][5]float64 // of x, y, x², xy and y² of the points before, from the first one
}

func newRuler(ps []geom.Point, few int) *ruler {
	r := &ruler{ps, few, make([][5]float64, len(ps)+1)}
	for i, p := range ps {
		d := p.Sub(ps[0])
		s := r.sum[i]
		r.sum[i+1] = [5]float64{s[0] + d.X, s[1] + d.Y, s[2] + d.X*d.X, s[3] + d.X*d.Y, s[4] + d.Y*d.Y}
	}
	return r
}

// line is the one nearest to the points from one to another, by least squares across it.
func (r *ruler) line(from, to int) (p, d geom.Point) {
	n := float64(to - from + 1)
	var s [5]float64
	for k := range s {
		s[k] = (r.sum[to+1][k] - r.sum[from][k]) / n
	}
	xx, xy, yy := s[2]-s[0]*s[0], s[3]-s[0]*s[1], s[4]-s[1]*s[1]
	t := math.Atan2(2*xy, xx-yy) / 2
	d = geom.Pt(math.Cos(t), math.Sin(t))
	if d.Dot(r.ps[to].Sub(r.ps[from])) < 0 {
		d = d.Mul(-1)
	}
	return r.ps[0].Add(geom.Pt(s[0], s[1])), d
}

// holds reports whether the points lie within slack of their line, a few together.
func (r *ruler) holds(from, to int, slack float64) bool {
	p, d := r.line(from, to)
	sum, n := 0.0, 0
	for i := from; i <= to; i++ {
		sum += d.Cross(r.ps[i].Sub(p))
		if n++; n > 2*r.few+1 {
			sum -= d.Cross(r.ps[i-n+1].Sub(p))
			n--
		}
		if math.Abs(sum) > slack*float64(n) && n > r.few {
			return false
		}
	}
	return true
}

// reach is how far points are straight from one of them.
func (r *ruler) reach(from int, slack float64) int {
	lo, step := from+1, 6
	for lo+step < len(r.ps) && r.holds(from, lo+step, slack) {
		lo += step
		step *= 2
	}
	for hi := min(len(r.ps), lo+step); hi-lo > 1; {
		if mid := (lo + hi) / 2; r.holds(from, mid, slack) {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo
}

// trim takes the beginnings of the curves beside it off a stretch: as far as points lie on
// the line of its middle, and no farther. False if nothing straight is left.
func (r *ruler) trim(from, to int, slack float64) (s rule, ok bool) {
	least := max(shortest, wavering*(slack-keen))
	if r.ps[to].Sub(r.ps[from]).Len() < least {
		return s, false
	}
	edge := (to - from) / 5
	p, d := r.line(from+edge, to-edge)
	off := func(i int) float64 { // a few together
		a, b := max(0, i-r.few), min(len(r.ps)-1, i+r.few)
		sum := 0.0
		for k := a; k <= b; k++ {
			sum += d.Cross(r.ps[k].Sub(p))
		}
		return math.Abs(sum) / float64(b-a+1)
	}
	a, b := (from+to)/2, (from+to)/2
	for a > from && off(a-1) <= near*slack {
		a--
	}
	for b < to && off(b+1) <= near*slack {
		b++
	}
	if b-a < 5 || r.ps[b].Sub(r.ps[a]).Len() < least {
		return s, false
	}
	p, d = r.line(a, b)
	return rule{a, b, p, d}, math.Abs(r.bulge(a, b, p, d)) <= bent*slack
}

// bulge is how far the middle of a stretch lies beside its ends, by the parabola nearest to
// it by least squares.
func (r *ruler) bulge(from, to int, p, d geom.Point) float64 {
	var x2, x4, x2y, n, x0, y0 float64
	x0 = d.Dot(r.ps[from].Sub(p))
	x1 := d.Dot(r.ps[to].Sub(p))
	mid, half := (x0+x1)/2, (x1-x0)/2
	for i := from; i <= to; i++ {
		o := r.ps[i].Sub(p)
		x, y := (d.Dot(o)-mid)/half, d.Cross(o)
		x2 += x * x
		x4 += x * x * x * x
		x2y += x * x * y
		y0 += y
		n++
	}
	// y = a + c x²: what c is, with a left free.
	den := x4 - x2*x2/n
	if den <= 0 {
		return 0
	}
	return (x2y - x2*y0/n) / den
}

// foot is where a point stands on the line.
func (s *rule) foot(q geom.Point) geom.Point { return s.p.Add(s.d.Mul(s.d.Dot(q.Sub(s.p)))) }
