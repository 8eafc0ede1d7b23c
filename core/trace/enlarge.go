package trace

import "dyekit/core/parallel"

// enlarged is the picture k times as large, so that what a pixel holds is what its k × k
// pixels hold together: a cubic through the pixels (Keys 1981, a = −½), corrected a few
// times by what the mean of each square is off (iterative back-projection, Irani and Peleg
// 1991). An edge within a pixel comes to lie where its share says, and a stroke thinner
// than a pixel gets its full colour back.
func (p *hues) enlarged(k int) *hues {
	if k == 1 {
		return p
	}
	q := p.cubic(k)
	for range 5 {
		e := q.means(k)
		for i := range e.v {
			for c := range 4 {
				e.v[i][c] = p.v[i][c] - e.v[i][c]
			}
		}
		d := e.cubic(k)
		parallel.Each(q.h, func(y int) {
			for i := y * q.w; i < (y+1)*q.w; i++ {
				for c := range 4 {
					q.v[i][c] = min(1, max(0, q.v[i][c]+d.v[i][c]))
				}
			}
		})
	}
	return q
}

// means are the pixels that k × k others make.
func (p *hues) means(k int) *hues {
	q := &hues{p.w / k, p.h / k, make([]hue, p.w/k*(p.h/k))}
	parallel.Each(q.h, func(y int) {
		for x := range q.w {
			var s hue
			for v := range k {
				for u := range k {
					c := p.v[(y*k+v)*p.w+x*k+u]
					for i := range s {
						s[i] += c[i]
					}
				}
			}
			for i := range s {
				s[i] /= float64(k * k)
			}
			q.v[y*q.w+x] = s
		}
	})
	return q
}

// cubic is the picture k times as large through its pixels.
func (p *hues) cubic(k int) *hues {
	weights := make([][4]float64, k)
	from := make([]int, k)
	for i := range k {
		at := (float64(i)+0.5)/float64(k) - 0.5
		if at < 0 {
			from[i], at = -1, at+1
		}
		t := at
		weights[i] = [4]float64{-t/2 + t*t - t*t*t/2, 1 - 2.5*t*t + 1.5*t*t*t, t/2 + 2*t*t - 1.5*t*t*t, -t*t/2 + t*t*t/2}
	}
	wide := &hues{p.w * k, p.h, make([]hue, p.w*k*p.h)}
	parallel.Each(p.h, func(y int) {
		for x := range wide.w {
			w, a := &weights[x%k], x/k+from[x%k]
			var s hue
			for j := range 4 {
				c := &p.v[y*p.w+min(p.w-1, max(0, a-1+j))]
				for i := range s {
					s[i] += w[j] * c[i]
				}
			}
			wide.v[y*wide.w+x] = s
		}
	})
	q := &hues{p.w * k, p.h * k, make([]hue, p.w*k*p.h*k)}
	parallel.Each(q.h, func(y int) {
		w, a := &weights[y%k], y/k+from[y%k]
		for x := range q.w {
			var s hue
			for j := range 4 {
				c := &wide.v[min(p.h-1, max(0, a-1+j))*wide.w+x]
				for i := range s {
					s[i] += w[j] * c[i]
				}
			}
			q.v[y*q.w+x] = s
		}
	})
	return q
}
