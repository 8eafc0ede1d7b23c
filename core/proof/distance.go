package proof

import "math"

// distances returns for each pixel the distance in px to the nearest for which
// on holds, 0 there; +Inf everywhere if it holds nowhere. The transform is
// exact, in two passes over rows and columns (Felzenszwalb and Huttenlocher,
// Distance Transforms of Sampled Functions, 2012).
func distances(on []bool, w, h int) []float64 {
	d := make([]float64, w*h)
	for i, x := range on {
		if !x {
			d[i] = math.Inf(1)
		}
	}
	n := max(w, h)
	f, v, z := make([]float64, n), make([]int, n), make([]float64, n+1)
	for x := range w {
		for y := range h {
			f[y] = d[y*w+x]
		}
		line(f[:h], v, z, func(y int, q float64) { d[y*w+x] = q })
	}
	for y := range h {
		copy(f, d[y*w:(y+1)*w])
		line(f[:w], v, z, func(x int, q float64) { d[y*w+x] = q })
	}
	for i := range d {
		d[i] = math.Sqrt(d[i])
	}
	return d
}

// line is the lower envelope of the parabolas that stand on f.
func line(f []float64, v []int, z []float64, put func(i int, q float64)) {
	k := -1
	for q, fq := range f {
		if math.IsInf(fq, 1) {
			continue
		}
		s := math.Inf(-1)
		for k >= 0 {
			p := v[k]
			s = (fq + float64(q*q) - f[p] - float64(p*p)) / float64(2*(q-p))
			if s > z[k] {
				break
			}
			k--
			s = math.Inf(-1)
		}
		k++
		v[k], z[k] = q, s
	}
	if k < 0 {
		for i := range f {
			put(i, math.Inf(1))
		}
		return
	}
	last := k
	k = 0
	for i := range f {
		for k < last && z[k+1] < float64(i) {
			k++
		}
		d := float64(i - v[k])
		put(i, d*d+f[v[k]])
	}
}

// grown is what lies within r px of where on holds.
func grown(on []bool, w, h int, r float64) []bool {
	d := distances(on, w, h)
	out := make([]bool, len(on))
	for i := range d {
		out[i] = d[i] <= r
	}
	return out
}

// opened is what a disc of radius r px can reach without leaving where on
// holds: what is thinner is gone.
func opened(on []bool, w, h int, r float64) []bool {
	off := make([]bool, len(on))
	for i := range on {
		off[i] = !on[i]
	}
	d := distances(off, w, h)
	core := make([]bool, len(on))
	for i := range d {
		core[i] = d[i] > r
	}
	return grown(core, w, h, r)
}
