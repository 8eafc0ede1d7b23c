package png

import (
	"cmp"
	"encoding/binary"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/flat"
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
	to := reduced(count, n)
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

// quantiseRuns is Quantise of a picture's runs.
func quantiseRuns(pic *flat.Picture, n int) *flat.Picture {
	count := map[uint32]float64{}
	seen := func(c uint32) uint32 { // what is bare has no colour
		if c>>24 == 0 {
			return 0
		}
		return c
	}
	for _, row := range pic.Rows {
		at := int32(0)
		for _, r := range row {
			count[seen(r.Colour)] += float64(r.End - at)
			at = r.End
		}
	}
	to := reduced(count, n)
	out := &flat.Picture{W: pic.W, H: pic.H, Rows: make([][]flat.Run, pic.H)}
	var runs []flat.Run
	for y, row := range pic.Rows {
		if pic.Same(y) {
			out.Rows[y] = out.Rows[y-1]
			continue
		}
		runs = runs[:0]
		for _, r := range row {
			c := to[seen(r.Colour)]
			if k := len(runs); k > 0 && runs[k-1].Colour == c {
				runs[k-1].End = r.End
			} else {
				runs = append(runs, flat.Run{End: r.End, Colour: c})
			}
		}
		if y > 0 && slices.Equal(runs, out.Rows[y-1]) {
			out.Rows[y] = out.Rows[y-1]
		} else {
			out.Rows[y] = slices.Clone(runs)
		}
	}
	return out
}

// reduced gives each colour, counted in px, the one of n that stands for it.
func reduced(count map[uint32]float64, n int) map[uint32]uint32 {
	ts := make([]tint, 0, len(count))
	for c, k := range count {
		a := float64(c>>24) / 255
		ts = append(ts, tint{[4]float64{float64(c&0xff) * a, float64(c>>8&0xff) * a, float64(c>>16&0xff) * a, float64(c >> 24)}, k, c})
	}
	slices.SortFunc(ts, func(a, b tint) int { return cmp.Compare(a.c, b.c) })
	centres := settle(ts, split(ts, n))
	to, search := make(map[uint32]uint32, len(ts)), newSearch(centres)
	for _, t := range ts {
		to[t.c] = straight(centres[search.nearest(t.v)])
	}
	return to
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

// split parts the group that varies most at its mean until there are n, and
// returns their means. What is bare stays bare: it is a group of its own.
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
		low, high := halves(groups[i], axis[i])
		if len(low) == 0 || len(high) == 0 { // apart by less than the mean is exact
			spread[i] = 0
			continue
		}
		groups[i] = low
		groups = append(groups, high)
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

// halves parts a group, in place, at its mean along an axis; both keep their order.
func halves(g []tint, axis int) (low, high []tint) {
	m := mean(g)[axis]
	low = g[:0]
	for _, t := range g {
		if t.v[axis] < m {
			low = append(low, t)
		} else {
			high = append(high, t)
		}
	}
	copy(g[len(low):], high)
	return low, g[len(low):]
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
		search := newSearch(centres)
		for _, t := range ts {
			i := search.nearest(t.v)
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

// A search finds the nearest of some centres: they lie sorted along the axis on
// which they vary most, and it looks no further than that alone allows.
type search struct {
	axis int
	at   []float64 // of each centre along the axis, ascending
	of   []int     // the number of each
	all  [][4]float64
}

func newSearch(centres [][4]float64) *search {
	s := &search{all: centres, at: make([]float64, len(centres)), of: make([]int, len(centres))}
	most := -1.0
	for k := range 4 {
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, c := range centres {
			lo, hi = min(lo, c[k]), max(hi, c[k])
		}
		if hi-lo > most {
			most, s.axis = hi-lo, k
		}
	}
	for i := range s.of {
		s.of[i] = i
	}
	slices.SortFunc(s.of, func(i, j int) int {
		return cmp.Or(cmp.Compare(centres[i][s.axis], centres[j][s.axis]), cmp.Compare(i, j))
	})
	for i, k := range s.of {
		s.at[i] = centres[k][s.axis]
	}
	return s
}

// nearest is the number of the centre nearest to v, the least of several.
func (s *search) nearest(v [4]float64) int {
	best, at := math.Inf(1), 0
	look := func(i int) {
		c := &s.all[s.of[i]]
		d := 0.0
		for k := range v {
			d += (v[k] - c[k]) * (v[k] - c[k])
		}
		if d < best || d == best && s.of[i] < at {
			best, at = d, s.of[i]
		}
	}
	x := v[s.axis]
	up, _ := slices.BinarySearch(s.at, x)
	for down := up - 1; up < len(s.at) || down >= 0; {
		switch {
		case down < 0 || up < len(s.at) && s.at[up]-x <= x-s.at[down]:
			if d := s.at[up] - x; d*d > best {
				return at
			}
			look(up)
			up++
		default:
			if d := x - s.at[down]; d*d > best {
				return at
			}
			look(down)
			down--
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
