package kin

import "math"

// inPlace is the share of the shapes which two views have in common that stand in the one as in the
// other, but for where all of them stand together and how large they are.
func (v view) inPlace(o view) float64 {
	type pair struct{ a, b, weight float64 }
	var xs, ys []pair
	k := 0.0 // the size of all together: that of the largest of them, which is the first
	for i, j := range v.pairs(o) {
		if j >= 0 {
			if k == 0 {
				k = o.shapes[j].weight() / v.shapes[i].weight()
			}
			p, q, w := v.shapes[i].box, o.shapes[j].box, v.shapes[i].weight()
			xs = append(xs, pair{float64(p.Min.X+p.Max.X) / 2, float64(q.Min.X+q.Max.X) / 2, w})
			ys = append(ys, pair{float64(p.Min.Y+p.Max.Y) / 2, float64(q.Min.Y+q.Max.Y) / 2, w})
		}
	}
	if len(xs) == 0 {
		return 0
	}
	// Their place is the one that suits most of them.
	far := stray * float64(max(o.w, o.h))
	best, all := 0.0, 0.0
	for _, x := range xs {
		all += x.weight
	}
	for i := range xs {
		in := 0.0
		for n := range xs {
			dx := xs[n].b - xs[i].b - k*(xs[n].a-xs[i].a)
			dy := ys[n].b - ys[i].b - k*(ys[n].a-ys[i].a)
			if math.Hypot(dx, dy) <= far {
				in += xs[n].weight
			}
		}
		best = max(best, in)
	}
	return best / all
}

// lettered reports whether there is a line of shapes that stand beside each other as letters do.
func (l *Look) lettered() bool {
	return len(l.views) > 0 && len(lines(l.views[0].shapes)) > 0
}
