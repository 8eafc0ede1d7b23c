package picture

import (
	"cmp"
	"fmt"
	"image"
	"math"
	"slices"

	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/island"
	"dyekit/core/parallel"
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
	n   int // pixels of its own
}

// Letters of fewer px come out with half of their area and not with their forms: of
// capitals of 6 px in five fonts 65 of 65 keep a half and 16 three quarters, packed 4
// (TestLettersLive of core/trace, with other sizes).
const (
	legible = 7   // px
	inALine = 5   // small parts that make a line of letters
	unlike  = 0.1 // letters differ in how much ink they have, by so much of it; beads do not
)

// tiny finds the lines of letters that are too low to be legible: the box of each, and how
// many parts stand in it.
func tiny(all []part) (lines []geom.Rect, parts int) {
	of := slices.Clone(all)
	slices.SortStableFunc(of, func(a, b part) int {
		return cmp.Or(cmp.Compare(a.box.Max.Y, b.box.Max.Y), cmp.Compare(a.box.Min.X, b.box.Min.X))
	})
	for from := 0; from < len(of); {
		to := from + 1
		for to < len(of) && of[to].box.Max.Y <= of[from].box.Max.Y+1 { // one base line
			to++
		}
		var box image.Rectangle
		low, sum, squares := 0, 0.0, 0.0
		for _, p := range of[from:to] {
			if p.box.Dy() < legible && p.box.Dx() < 3*legible {
				box = box.Union(p.box)
				low++
				sum, squares = sum+float64(p.n), squares+float64(p.n*p.n)
			}
		}
		mean := sum / float64(max(1, low))
		if low >= inALine && 4*low >= 3*(to-from) && math.Sqrt(max(0, squares/float64(low)-mean*mean)) > unlike*mean {
			lines = append(lines, geom.Rect{X0: float64(box.Min.X), Y0: float64(box.Min.Y), X1: float64(box.Max.X), Y1: float64(box.Max.Y)})
			parts += low
		}
		from = to
	}
	return lines, parts
}

// sayTiny says which lines are too low.
func sayTiny(fs *finding.List, lines []geom.Rect, parts int) {
	if len(lines) == 0 {
		return
	}
	high := lines[0].H()
	for _, l := range lines {
		high = min(high, l.H())
	}
	f := finding.Finding{Code: finding.LettersLost, Severity: finding.Warn, Message: fmt.Sprintf("%s stand in %s, %.0f px high: letters of fewer than %d px come out broken, though most of each is there. Bring a larger picture or have the words set anew", count(parts, "small part"), count(len(lines), "line"), high, legible)}
	for _, l := range lines[:min(len(lines), mostSpots)] {
		f.Place = f.Place.Union(l)
		c := l.Centre()
		f.Spots = append(f.Spots, finding.Spot{Near: [2]float64{c.X, c.Y}, Place: l.Grow(2)})
	}
	*fs = append(*fs, f)
}

// lost tells of which small parts of a picture less than a half is in what became of it, the
// worst first; worst is how much of that one is there. Both pictures are of one size,
// straight; around is what lies around each pixel.
func lost(img, got *image.NRGBA, all []part, around [][4]uint8) (places []geom.Rect, worst float64) {
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
	return places, worst
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
	if [4]uint8(p) == q { // as most are
		return 0
	}
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
	parallel.Each(bh, func(by int) {
		for bx := range bw {
			b := map[[4]uint8]heap{}
			var last [4]uint8 // most pixels are as the one before: they are put in together
			var e heap
			for y := by * block; y < min(h, (by+1)*block); y++ {
				for x := bx * block; x < min(w, (bx+1)*block); x++ {
					p := img.Pix[4*(y*w+x):][:4]
					if k := kind(p); k != last || e.n == 0 {
						if e.n > 0 {
							b[last] = e
						}
						last, e = k, b[k]
					}
					e.n++
					for k, v := range p {
						e.sum[k] += int(v)
					}
				}
			}
			b[last] = e
			bins[by*bw+bx] = b
		}
	})
	common := make([][4]uint8, bw*bh)
	parallel.Each(bh, func(y int) {
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
	})
	out := make([][4]uint8, w*h)
	parallel.Each(h, func(y int) {
		for x := range w {
			out[y*w+x] = common[y/block*bw+x/block]
		}
	})
	return out
}

// art marks the pixels that differ from what is around them.
func art(img *image.NRGBA, around [][4]uint8) []bool {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	off := make([]bool, w*h)
	parallel.Each(h, func(y int) {
		for i := y * w; i < (y+1)*w; i++ {
			off[i] = differs(img.Pix[4*i:], around[i]) >= apart
		}
	})
	return off
}

// small lists the small parts among the pixels that are marked as art, none of a picture that
// is a pattern.
func small(w, h int, off []bool) (out []part) {
	for _, l := range island.Find(w, off, false, true) {
		b := l.Box
		if l.N < partLeast || min(b.Dx(), b.Dy()) > partShort || max(b.Dx(), b.Dy()) > partLong || b.Min.X == 0 || b.Min.Y == 0 || b.Max.X == w || b.Max.Y == h {
			continue
		}
		p := part{box: b, n: l.N}
		for _, i := range l.Pixels() {
			for v := -1; v <= 1; v++ { // none lies at the picture's edge
				for u := -1; u <= 1; u++ {
					p.px = append(p.px, i+v*w+u)
				}
			}
		}
		slices.Sort(p.px)
		p.px = slices.Compact(p.px)
		if out = append(out, p); len(out) > mostParts {
			return nil
		}
	}
	return out
}

// sayLost says which small parts did not live, but for those in lines of which it is said
// anyway.
func sayLost(fs *finding.List, parts int, places []geom.Rect, worst float64, lines []geom.Rect) {
	places = slices.DeleteFunc(slices.Clone(places), func(p geom.Rect) bool {
		return slices.ContainsFunc(lines, func(l geom.Rect) bool { return l.Contains(p, 1) })
	})
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
