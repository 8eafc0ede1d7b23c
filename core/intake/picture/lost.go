package picture

import (
	"fmt"
	"image"
	"slices"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// Small parts of a picture, as letters and fine lines are, are held to what became of them
// one by one: a share of the whole area hides a broken name. Which parts there are is told
// from the picture alone, and not by what traced it.
const (
	partShort = 44  // px, of the shorter side of a small part's box
	partLong  = 120 // px, of the longer one
	partLeast = 5   // px that a part has, and no speck
	apart     = 64  // of 255, that its pixels differ from what is around
	lostUnder = 0.5 // of a part that has to be there
	mostParts = 3000
	mostSpots = 40 // that are marked
)

// A part is a small part: its pixels with those beside them.
type part struct {
	px  []int
	box image.Rectangle
}

// lost tells how many small parts a picture has, and of which less than a half is in what
// became of it, the worst first; worst is how much of that one is there. Both pictures are
// of one size, straight.
func lost(img, got *image.NRGBA) (parts int, places []geom.Rect, worst float64) {
	around := grounds(img)
	all := small(img, around)
	if len(all) > mostParts {
		return 0, nil, 1 // a pattern
	}
	type kept struct {
		share float64
		box   image.Rectangle
	}
	var ks []kept
	for _, p := range all {
		a, b := make([]float64, len(p.px)), make([]float64, len(p.px))
		for i, at := range p.px {
			a[i], b[i] = differs(img.Pix[4*at:], around[at]), differs(got.Pix[4*at:], around[at])
		}
		ks = append(ks, kept{both(a, b), p.box})
	}
	slices.SortStableFunc(ks, func(a, b kept) int {
		switch {
		case a.share < b.share:
			return -1
		case a.share > b.share:
			return 1
		}
		return 0
	})
	worst = 1
	for i, k := range ks {
		if i == 0 {
			worst = k.share
		}
		if k.share < lostUnder {
			places = append(places, geom.Rect{X0: float64(k.box.Min.X), Y0: float64(k.box.Min.Y), X1: float64(k.box.Max.X), Y1: float64(k.box.Max.Y)})
		}
	}
	return len(all), places, worst
}

// both is how much of two strengths is common to them, as a share of what is in either,
// each as a part of its own largest: a lighter ink is no lost letter.
func both(a, b []float64) float64 {
	most := func(v []float64) float64 { return max(slices.Max(v), apart) }
	ma, mb := most(a), most(b)
	common, either := 0.0, 0.0
	for i := range a {
		x, y := a[i]/ma, b[i]/mb
		common, either = common+min(x, y), either+max(x, y)
	}
	return common / either
}

// differs is the largest difference of a channel, each as it is seen on black, or of opacity.
func differs(p []uint8, q [4]uint8) float64 {
	most := max(int(p[3])-int(q[3]), int(q[3])-int(p[3]))
	for k := range 3 {
		x, y := int(p[k])*int(p[3])/255, int(q[k])*int(q[3])/255
		most = max(most, x-y, y-x)
	}
	return float64(most)
}

// grounds is, of each pixel, the colour that is most common around it.
func grounds(img *image.NRGBA) [][4]uint8 {
	const block = 24 // px; three by three of them are asked
	w, h := img.Rect.Dx(), img.Rect.Dy()
	bw, bh := (w+block-1)/block, (h+block-1)/block
	kind := func(p []uint8) [4]uint8 { return [4]uint8{p[0] >> 4, p[1] >> 4, p[2] >> 4, p[3] >> 4} }
	type heap struct {
		n   int
		sum [4]int
	}
	bins := make([]map[[4]uint8]heap, bw*bh)
	for i := range bins {
		bins[i] = map[[4]uint8]heap{}
	}
	for y := range h {
		for x := range w {
			p := img.Pix[4*(y*w+x):][:4]
			b := bins[y/block*bw+x/block]
			e := b[kind(p)]
			e.n++
			for k, v := range p {
				e.sum[k] += int(v)
			}
			b[kind(p)] = e
		}
	}
	common := make([][4]uint8, bw*bh)
	for y := range bh {
		for x := range bw {
			all := map[[4]uint8]heap{}
			for v := max(0, y-1); v <= min(bh-1, y+1); v++ {
				for u := max(0, x-1); u <= min(bw-1, x+1); u++ {
					for k, e := range bins[v*bw+u] {
						s := all[k]
						s.n += e.n
						for i := range s.sum {
							s.sum[i] += e.sum[i]
						}
						all[k] = s
					}
				}
			}
			var best [4]uint8
			var top heap
			for k, e := range all {
				if e.n > top.n || e.n == top.n && slices.Compare(k[:], best[:]) < 0 {
					best, top = k, e
				}
			}
			for i := range top.sum {
				common[y*bw+x][i] = uint8(top.sum[i] / max(1, top.n))
			}
		}
	}
	out := make([][4]uint8, w*h)
	for i := range out {
		out[i] = common[i/w/block*bw+i%w/block]
	}
	return out
}

// small lists the small parts of a picture.
func small(img *image.NRGBA, around [][4]uint8) (out []part) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	off := make([]bool, w*h)
	for i := range off {
		off[i] = differs(img.Pix[4*i:], around[i]) >= apart
	}
	seen := make([]bool, w*h)
	var stack []int
	for s := range off {
		if !off[s] || seen[s] {
			continue
		}
		p, n := part{box: image.Rect(s%w, s/w, s%w+1, s/w+1)}, 0
		stack, seen[s] = append(stack[:0], s), true
		inside := map[int]bool{}
		for len(stack) > 0 {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := i%w, i/w
			p.box = p.box.Union(image.Rect(x, y, x+1, y+1))
			n++
			for v := max(0, y-1); v <= min(h-1, y+1); v++ {
				for u := max(0, x-1); u <= min(w-1, x+1); u++ {
					j := v*w + u
					if n <= partShort*partLong {
						inside[j] = true
					}
					if off[j] && !seen[j] {
						seen[j] = true
						stack = append(stack, j)
					}
				}
			}
		}
		b := p.box
		if n < partLeast || min(b.Dx(), b.Dy()) > partShort || max(b.Dx(), b.Dy()) > partLong || b.Min.X == 0 || b.Min.Y == 0 || b.Max.X == w || b.Max.Y == h {
			continue
		}
		for i := range inside {
			p.px = append(p.px, i)
		}
		slices.Sort(p.px)
		out = append(out, p)
	}
	return out
}

// sayLost says which small parts did not live.
func sayLost(fs *finding.List, parts int, places []geom.Rect, worst float64) {
	if len(places) == 0 {
		return
	}
	f := finding.Finding{Code: finding.LettersLost, Severity: finding.Warn, Message: fmt.Sprintf("of %s, as letters and fine lines are, %d did not live through the tracing: of the worst one %.0f %% is there. Look at each place that is marked, and bring a larger picture or have the words set anew", count(parts, "small part"), len(places), 100*worst)}
	for _, p := range places[:min(len(places), mostSpots)] {
		f.Place = f.Place.Union(p)
		c := p.Centre()
		f.Spots = append(f.Spots, finding.Spot{Near: [2]float64{c.X, c.Y}, Place: p.Grow(2)})
	}
	*fs = append(*fs, f)
}
