package png

import (
	"cmp"
	"encoding/binary"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
)

// A Loss is how visibly two pictures of one size differ, as ΔE00 on white or
// on black, whichever is worse.
type Loss struct {
	Mean, Most float64
}

// Unseen reports whether the loss is one that nobody sees: near-equal colours
// (ΔE00 2) at most, and far less on the whole.
func (l Loss) Unseen() bool { return l.Mean <= 0.3 && l.Most <= 2 }

// Compare measures what b loses of a. Both hold straight sRGB.
func Compare(a, b *image.NRGBA) Loss {
	type pair struct{ a, b uint32 }
	known := map[pair]float64{}
	var l Loss
	var sum float64
	w, h := a.Rect.Dx(), a.Rect.Dy()
	for y := range h {
		p, q := a.Pix[y*a.Stride:][:4*w], b.Pix[y*b.Stride:][:4*w]
		for i := 0; i < len(p); i += 4 {
			k := pair{binary.LittleEndian.Uint32(p[i:]), binary.LittleEndian.Uint32(q[i:])}
			if k.a == k.b {
				continue
			}
			d, ok := known[k]
			if !ok {
				for _, ground := range []colour.RGB{colour.White, colour.Black} {
					d = max(d, colour.Difference(on(p[i:i+4], ground), on(q[i:i+4], ground)))
				}
				known[k] = d
			}
			sum += d
			l.Most = max(l.Most, d)
		}
	}
	l.Mean = sum / float64(w*h)
	return l
}

func on(p []byte, ground colour.RGB) colour.Lab {
	return colour.FromBytes(p[0], p[1], p[2]).Over(ground, float64(p[3])/255).Lab()
}

// A tint is a colour of the picture, premultiplied, and how often it is there.
type tint struct {
	v [4]float64
	n float64
	c uint32
}

// Quantise returns the picture in at most n colours, opacity counted as a part
// of the colour: boxes of the colours there are, halved where they vary most,
// then moved to the middle of what is nearest to each.
func Quantise(img *image.NRGBA, n int) *image.NRGBA {
	count := map[uint32]float64{}
	w, h := img.Rect.Dx(), img.Rect.Dy()
	for y := range h {
		runs(img.Pix[y*img.Stride:][:4*w], func(from, to int, c uint32) { count[c] += float64(to - from) })
	}
	ts := make([]tint, 0, len(count))
	for c, k := range count {
		a := float64(c>>24) / 255
		ts = append(ts, tint{[4]float64{float64(c&0xff) * a, float64(c>>8&0xff) * a, float64(c>>16&0xff) * a, float64(c >> 24)}, k, c})
	}
	slices.SortFunc(ts, func(a, b tint) int { return cmp.Compare(a.c, b.c) })
	centres := settle(ts, split(ts, n))
	to := make(map[uint32]uint32, len(ts))
	for _, t := range ts {
		to[t.c] = straight(centres[nearest(t.v, centres)])
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		dst := out.Pix[y*out.Stride:]
		runs(img.Pix[y*img.Stride:][:4*w], func(from, end int, c uint32) {
			var b [4]byte
			binary.LittleEndian.PutUint32(b[:], to[c])
			fillBytes(dst[4*from:4*end], b[:])
		})
	}
	return out
}

// runs calls f with each stretch of one colour in a row, in px; what is bare has
// none.
func runs(row []byte, f func(from, to int, c uint32)) {
	for i := 0; i < len(row); {
		c := binary.LittleEndian.Uint32(row[i:])
		end := skip(row, i+4, c)
		if c>>24 == 0 {
			c = 0
		}
		f(i/4, end/4, c)
		i = end
	}
}

// split halves the group that varies most until there are n, and returns their
// means. What is bare stays bare: it is a group of its own.
func split(ts []tint, n int) [][4]float64 {
	groups := [][]tint{slices.Clone(ts)}
	if len(ts) > 1 && ts[0].c == 0 {
		groups = [][]tint{{ts[0]}, slices.Clone(ts[1:])}
	}
	spread := make([]float64, len(groups), n)
	axis := make([]int, len(groups), n)
	for i := range groups {
		spread[i], axis[i] = variance(groups[i])
	}
	for len(groups) < n {
		i := 0
		for k := range spread {
			if spread[k] > spread[i] {
				i = k
			}
		}
		if spread[i] <= 0 {
			break
		}
		g, ax := groups[i], axis[i]
		slices.SortStableFunc(g, func(a, b tint) int { return cmp.Compare(a.v[ax], b.v[ax]) })
		m := mean(g)[ax]
		at, _ := slices.BinarySearchFunc(g, m, func(t tint, m float64) int { return cmp.Compare(t.v[ax], m) })
		at = min(len(g)-1, max(1, at))
		groups[i] = g[:at]
		groups = append(groups, g[at:])
		spread, axis = append(spread, 0), append(axis, 0)
		for _, k := range []int{i, len(groups) - 1} {
			spread[k], axis[k] = variance(groups[k])
		}
	}
	out := make([][4]float64, len(groups))
	for i, g := range groups {
		out[i] = mean(g)
	}
	return out
}

func mean(g []tint) (m [4]float64) {
	n := 0.0
	for _, t := range g {
		n += t.n
		for k := range m {
			m[k] += t.v[k] * t.n
		}
	}
	for k := range m {
		m[k] /= n
	}
	return m
}

// variance is the sum of squares along the axis on which a group varies most.
// The square root of the count weighs: edges are few and seen all the same.
func variance(g []tint) (most float64, axis int) {
	m := mean(g)
	var v [4]float64
	for _, t := range g {
		for k := range v {
			v[k] += (t.v[k] - m[k]) * (t.v[k] - m[k]) * math.Sqrt(t.n)
		}
	}
	for k := range v {
		if v[k] > most {
			most, axis = v[k], k
		}
	}
	return most, axis
}

// settle moves the centres to the means of what is nearest to each, a few
// times over.
func settle(ts []tint, centres [][4]float64) [][4]float64 {
	for range 4 {
		sums, counts := make([][4]float64, len(centres)), make([]float64, len(centres))
		for _, t := range ts {
			i := nearest(t.v, centres)
			n := math.Sqrt(t.n)
			counts[i] += n
			for k := range t.v {
				sums[i][k] += t.v[k] * n
			}
		}
		for i, n := range counts {
			if n == 0 || centres[i] == ([4]float64{}) { // what is bare stays bare
				continue
			}
			for k := range sums[i] {
				centres[i][k] = sums[i][k] / n
			}
		}
	}
	return centres
}

func nearest(v [4]float64, centres [][4]float64) int {
	best, at := math.Inf(1), 0
	for i, c := range centres {
		d := (v[0] - c[0]) * (v[0] - c[0])
		for k := 1; k < len(v) && d < best; k++ {
			d += (v[k] - c[k]) * (v[k] - c[k])
		}
		if d < best {
			best, at = d, i
		}
	}
	return at
}

// straight rounds a premultiplied colour to straight bytes.
func straight(v [4]float64) uint32 {
	a := math.Round(v[3])
	if a <= 0 {
		return 0
	}
	c := uint32(a) << 24
	for k := range 3 {
		c |= uint32(min(255, math.Round(v[k]*255/v[3]))) << (8 * k)
	}
	return c
}
