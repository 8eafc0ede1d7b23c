package picture

import (
	"fmt"
	"image"
	"slices"

	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/lettering"
)

// holds reports whether a part of the picture is one of the letters that are set anew.
func (w Words) holds(p part) bool {
	x, y := float64(p.box.Min.X+p.box.Max.X)/2, float64(p.box.Min.Y+p.box.Max.Y)/2
	return w.Box.X0 <= x && x < w.Box.X1 && w.Box.Y0 <= y && y < w.Box.Y1
}

// without is a picture without what stands where words are set anew: each box has the colour
// of its rim, in the middle. What is said of it is that they were set, and where the ground
// is not of one colour.
func without(img *image.NRGBA, words []Words) (*image.NRGBA, finding.List) {
	out := *img
	out.Pix = slices.Clone(img.Pix)
	var fs finding.List
	for _, w := range words {
		box := image.Rect(int(w.Box.X0), int(w.Box.Y0), int(w.Box.X1), int(w.Box.Y1)).Intersect(img.Rect)
		if box.Empty() {
			fs = append(fs, finding.Finding{Code: finding.MendIdle, Severity: finding.Warn, Message: fmt.Sprintf("the words %q are set beside the picture, which is smaller now: take them out, or set them anew", w.Text), Mend: w.Mend, Place: w.Box})
			continue
		}
		on, even := lettering.Rim(img, box)
		for y := box.Min.Y; y < box.Max.Y; y++ {
			for x := box.Min.X; x < box.Max.X; x++ {
				copy(out.Pix[out.PixOffset(x, y):], on[:])
			}
		}
		fs = append(fs, finding.Finding{Code: finding.Traced, Severity: finding.Mended, Message: fmt.Sprintf("the words %q were set anew in %s, in place of what the picture has there", w.Text, w.Font), Parts: []string{"words"}, Mend: w.Mend, Place: w.Box})
		if !even {
			fs.Add(finding.Traced, finding.Warn, fmt.Sprintf("the words %q stand on more than one colour, or their box cuts through something: what lay in the box became plain", w.Text), "words", geom.Rect{X0: float64(box.Min.X), Y0: float64(box.Min.Y), X1: float64(box.Max.X), Y1: float64(box.Max.Y)})
		}
	}
	return &out, fs
}
