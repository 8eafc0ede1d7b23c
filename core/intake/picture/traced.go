package picture

import (
	"context"
	"fmt"
	"image"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/raster"
	"dyekit/core/trace"
)

// Pictures that are smaller than this along their longer side, or as soft, do not
// show enough to be traced well.
const (
	smallSide = 100 // px
	soft      = 3.5 // px that an edge takes
)

// traced makes shapes of a picture, and says how near they come.
func traced(ctx context.Context, img *image.NRGBA, opt Options) (*drawing.Drawing, finding.List, error) {
	bare, set := img, finding.List(nil)
	if len(opt.Words) > 0 {
		bare, set = without(img, opt.Words)
	}
	t, err := trace.Trace(ctx, bare, *opt.Trace)
	if err != nil {
		return nil, nil, err
	}
	page := geom.Rect{X1: float64(t.W), Y1: float64(t.H)}
	d := &drawing.Drawing{Page: page}
	paint := func(c [4]uint8, p geom.Path, part string) {
		solid := drawing.Solid{Colour: colour.Screen(colour.FromBytes(c[0], c[1], c[2])), Alpha: float64(c[3]) / 255}
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: solid, Part: part})
	}
	colours := map[[4]uint8]bool{}
	if t.Grounds {
		paint([4]uint8{t.Ground.R, t.Ground.G, t.Ground.B, 255}, geom.Box(page), "ground")
		colours[[4]uint8{t.Ground.R, t.Ground.G, t.Ground.B, 255}] = true
	}
	segments, blends := 0, 0
	for _, r := range t.Regions {
		if r.Ramp != nil {
			blends++
			segments += len(r.Path)
			d.Nodes = append(d.Nodes, &drawing.Shape{Path: r.Path, Paint: blend(r.Ramp), Part: "gradient"})
			continue
		}
		c := [4]uint8{r.Colour.R, r.Colour.G, r.Colour.B, r.Colour.A}
		colours[c] = true
		segments += len(r.Path)
		paint(c, r.Path, colour.FromBytes(c[0], c[1], c[2]).Word())
	}
	for _, w := range opt.Words {
		d.Nodes = append(d.Nodes, &drawing.Shape{Path: w.Path, Paint: drawing.Solid{Colour: colour.Screen(w.Ink), Alpha: 1}, Part: "words", Origin: drawing.Lettered})
		d.Set = append(d.Set, w.Font)
	}
	got, err := raster.Render(ctx, d, raster.Fit(d.Page, t.W, t.H), t.W, t.H, raster.Options{})
	if err != nil {
		return nil, nil, err
	}
	around := grounds(img)
	marked := art(img, around)
	parts := small(t.W, t.H, marked)
	places, worst := lost(img, got, parts, around)
	held := ""
	if blends > 0 {
		held = fmt.Sprintf("; %s became what they were drawn as", count(blends, "gradient"))
	}
	if len(parts) > 0 {
		held += fmt.Sprintf(", and of the worst of %s %.0f %% is there", count(len(parts), "small part"), 100*worst)
	}
	var fs finding.List
	fs.Add(finding.Traced, finding.Mended, fmt.Sprintf("the picture was traced into %s of %s, %d curves and lines in all; %.1f %% of its area looks different%s", count(len(t.Regions), "shape"), count(len(colours), "colour"), segments, 100*difference(img, got), held), "", geom.Rect{})
	fs = append(fs, set...)
	lines, in := tiny(slices.DeleteFunc(slices.Clone(parts), func(p part) bool {
		return slices.ContainsFunc(opt.Words, func(w Words) bool { return w.holds(p) })
	}))
	sayLost(&fs, len(parts), places, worst, lines)
	sayTiny(&fs, lines, in)
	squares, all, worst := cut(img, got, wires(t.W, t.H, marked, parts), around)
	sayCut(&fs, squares, all, worst)
	sayPatches(&fs, slices.DeleteFunc(patches(img, got), func(p geom.Rect) bool {
		return slices.ContainsFunc(opt.Words, func(w Words) bool { return w.Box.Contains(p, 1) }) // another font is no lost shade
	}))
	long := max(t.W, t.H)
	if long < smallSide {
		fs.Add(finding.Traced, finding.Warn, fmt.Sprintf("the picture has only %d px along its longer side: small forms in it are guessed. Its pixels can be used up to %.0f mm in print (at 300 ppi)", long, float64(long)/300*25.4), "", geom.Rect{})
	}
	if w := t.Edge; w > soft {
		fs.Add(finding.Traced, finding.Warn, fmt.Sprintf("the picture is blurred: its edges take %.1f px, and corners and fine forms are lost in them", w), "", geom.Rect{})
	}
	return d, fs, nil
}

// blend is a ramp as it is painted.
func blend(r *trace.Ramp) *drawing.Gradient {
	g := &drawing.Gradient{P1: geom.Pt(1, 0), To: r.To}
	if r.Radial {
		g.Radial, g.P1, g.R1 = true, geom.Point{}, 1
	}
	for _, s := range r.Stops {
		g.Stops = append(g.Stops, drawing.Stop{At: s.At, Colour: colour.Screen(colour.FromBytes(s.Colour.R, s.Colour.G, s.Colour.B)), Alpha: 1})
	}
	return g
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// difference is the share of a picture's area that another one, as large, shows in
// another colour, weighted by how much.
func difference(img, got *image.NRGBA) float64 {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	off := make([]int, h) // of each row, in 255ths of a pixel
	parallel.Each(h, func(y int) {
		for i := 4 * w * y; i < 4*w*(y+1); i += 4 {
			p, q := img.Pix[i:i+4], got.Pix[i:i+4]
			if *(*[4]uint8)(p) == *(*[4]uint8)(q) {
				continue
			}
			m := max(p[3], q[3]) - min(p[3], q[3])
			for k := range 3 {
				a, b := int(p[k])*int(p[3])/255, int(q[k])*int(q[3])/255
				m = max(m, uint8(max(a, b)-min(a, b)))
			}
			off[y] += int(m)
		}
	})
	all := 0
	for _, n := range off {
		all += n
	}
	return float64(all) / 255 / float64(w*h)
}
