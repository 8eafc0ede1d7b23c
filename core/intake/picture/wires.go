package picture

import (
	"cmp"
	"fmt"
	"image"
	"slices"

	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/island"
	"dyekit/core/parallel"
)

// Fine lines that are no small parts, as rays, rings, grids and outlines reach over the whole
// picture, are held to what became of them piece by piece.
const (
	wireThick = 3  // px of a square from which on art is no fine line
	wireLong  = 14 // px that one reaches at least
	stretch   = 32 // px of a square by which they are looked at
	wireLeast = 8  // px of line in it
	rim       = 3  // px from the picture's edge, where what is cut off looks like a line
)

// wires returns the pixels of fine lines, as marks: of those that are marked as art, without
// the small parts, which are looked at by themselves.
func wires(w, h int, off []bool, parts []part) []bool {
	off = slices.Clone(off)
	for _, p := range parts {
		for _, i := range p.px {
			off[i] = false
		}
	}
	thin := opened(w, h, off, wireThick)
	for i := range off {
		thin[i] = off[i] && !thin[i]
	}
	out := make([]bool, w*h)
	for _, l := range island.Find(w, thin, false, true) {
		if max(l.Box.Dx(), l.Box.Dy()) < wireLong {
			continue
		}
		for _, i := range l.Pixels() {
			out[i] = true
		}
	}
	return out
}

// cut lists the squares in which less than a half of the fine lines is in what became of
// them, and how many squares have any.
func cut(img, got *image.NRGBA, line []bool, around [][4]uint8) (places []geom.Rect, all int, worst float64) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	worst = 1
	for y0 := 0; y0 < h; y0 += stretch {
		for x0 := 0; x0 < w; x0 += stretch {
			y1, x1 := min(h, y0+stretch), min(w, x0+stretch)
			var a, b []float64
			n := 0
			for y := max(rim, y0); y < min(h-rim, y1); y++ {
				for x := max(rim, x0); x < min(w-rim, x1); x++ {
					i := y*w + x
					if line[i] {
						n++
					}
					if line[i] || line[i-1] || line[i+1] || line[i-w] || line[i+w] {
						a, b = append(a, differs(img.Pix[4*i:], around[i])), append(b, differs(got.Pix[4*i:], around[i]))
					}
				}
			}
			if n < wireLeast {
				continue
			}
			all++
			share := both(a, b)
			worst = min(worst, share)
			if share < lostUnder {
				places = append(places, geom.Rect{X0: float64(x0), Y0: float64(y0), X1: float64(x1), Y1: float64(y1)})
			}
		}
	}
	return places, all, worst
}

// Of areas that have another colour than the picture.
const (
	patchOff   = 26 // of 255, by which a channel differs
	patchThick = 3  // px of a square that is in one
	patchLeast = 60 // px
)

// patches lists the areas that have another colour in what became of a picture, the largest
// first: shades that were taken for noise, colours that were not found.
func patches(img, got *image.NRGBA) (places []geom.Rect) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	off := make([]bool, w*h)
	parallel.Each(h, func(y int) {
		for i := y * w; i < (y+1)*w; i++ {
			off[i] = differs(img.Pix[4*i:], [4]uint8(got.Pix[4*i:])) >= patchOff
		}
	})
	all := island.Find(w, opened(w, h, off, patchThick), false, true)
	slices.SortStableFunc(all, func(a, b island.Island) int { return cmp.Compare(b.N, a.N) })
	for _, l := range all {
		if l.N >= patchLeast {
			places = append(places, geom.Rect{X0: float64(l.Box.Min.X), Y0: float64(l.Box.Min.Y), X1: float64(l.Box.Max.X), Y1: float64(l.Box.Max.Y)})
		}
	}
	return places
}

// sayPatches says where areas have another colour.
func sayPatches(fs *finding.List, places []geom.Rect) {
	if len(places) == 0 {
		return
	}
	f := finding.Finding{Code: finding.Traced, Severity: finding.Warn, Message: fmt.Sprintf("%s came out in another colour than the picture has, the largest %.0f × %.0f px: shades that lie near others, or that packing blurred. Ask for more colours, or for less smooth ones, if they matter", count(len(places), "area"), places[0].W(), places[0].H())}
	for _, p := range places[:min(len(places), mostSpots)] {
		f.Place = f.Place.Union(p)
		c := p.Centre()
		f.Spots = append(f.Spots, finding.Spot{Near: [2]float64{c.X, c.Y}, Place: p})
	}
	*fs = append(*fs, f)
}

// opened marks those pixels that lie in a square of marked ones (an opening, J. Serra, "Image
// Analysis and Mathematical Morphology", 1982).
func opened(w, h int, in []bool, side int) []bool {
	out := make([]bool, w*h) // first: where a square ends
	run := make([]int, w+1)  // the largest square that ends in the row above, and in this one
	for y := range h {
		corner := 0
		for x := range w {
			above := run[x+1]
			run[x+1] = 0
			if i := y*w + x; in[i] {
				run[x+1] = 1 + min(run[x], above, corner)
				out[i] = run[x+1] >= side
			}
			corner = above
		}
	}
	// Each end stands for all of its square: to the left, then upwards.
	parallel.Each(h, func(y int) {
		left := 0
		for i := (y+1)*w - 1; i >= y*w; i-- {
			if left--; out[i] {
				left = side
			}
			out[i] = left > 0
		}
	})
	below := make([]int, w)
	for y := h - 1; y >= 0; y-- {
		for x := range w {
			i := y*w + x
			if below[x]--; out[i] {
				below[x] = side
			}
			out[i] = below[x] > 0
		}
	}
	return out
}

// sayCut says where fine lines did not live.
func sayCut(fs *finding.List, places []geom.Rect, all int, worst float64) {
	if len(places) == 0 {
		return
	}
	f := finding.Finding{Code: finding.LettersLost, Severity: finding.Warn, Message: fmt.Sprintf("fine lines did not live through the tracing in %d of the %d places where there are any: of the worst one %.0f %% is there. Look at each place that is marked, and bring a larger picture, or one without what lies behind the lines", len(places), all, 100*worst)}
	for _, p := range places[:min(len(places), mostSpots)] {
		f.Place = f.Place.Union(p)
		c := p.Centre()
		f.Spots = append(f.Spots, finding.Spot{Near: [2]float64{c.X, c.Y}, Place: p})
	}
	*fs = append(*fs, f)
}
