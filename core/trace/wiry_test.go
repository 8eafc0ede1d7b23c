package trace_test

import (
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/trace"
	"dyekit/internal/budget"
)

// Lines of a pixel or so live, however far they reach: rays, rings and grids keep their ink,
// and not that of the disc beside them.
func TestWiryArtLives(t *testing.T) {
	const side = 400
	line := func(width float64, ps ...geom.Point) geom.Path {
		var p geom.Path
		p.MoveTo(ps[0])
		p.LineTo(ps[1])
		return p.Stroke(geom.Pen{Width: width, Join: geom.RoundJoin}, 0.02)
	}
	var rays, rings, grid []geom.Path
	for i := range 48 {
		sin, cos := math.Sincos(float64(i) * math.Pi / 24)
		rays = append(rays, line(0.9, geom.Pt(200, 200), geom.Pt(200+160*cos, 200+160*sin)))
	}
	for i := range 20 {
		r := 20 + 7.3*float64(i)
		rings = append(rings, append(geom.Ellipse(geom.Pt(200.4, 199.7), r+0.5, r+0.5), geom.Ellipse(geom.Pt(200.4, 199.7), r-0.5, r-0.5).Reverse()...))
	}
	for i := range 40 {
		at := 60.3 + 7.37*float64(i)
		grid = append(grid, line(1.3, geom.Pt(at, 60), geom.Pt(at, 350)), line(1.3, geom.Pt(60, at), geom.Pt(350, at)))
	}
	for what, wires := range map[string][]geom.Path{"rays": rays, "rings": rings, "grid": grid} {
		page := geom.Rect{X1: side, Y1: side}
		d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{
			&drawing.Shape{Path: geom.Box(page), Paint: drawing.Solid{Colour: colour.Screen(colour.White), Alpha: 1}},
			&drawing.Shape{Path: geom.Ellipse(geom.Pt(30, 30), 22, 22), Paint: drawing.Solid{Colour: hex(t, "#a02030"), Alpha: 1}},
		}}
		for _, p := range wires {
			d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: hex(t, "#203040"), Alpha: 1}})
		}
		clean := render(t, d, side, side)
		for packed, img := range map[bool]*image.NRGBA{false: clean, true: jpeg80(clean)} {
			if !packed && what != "rings" && !budget.Whole() {
				continue
			}
			tr, err := trace.Trace(t.Context(), img, trace.Options{Smooth: 0.3})
			if err != nil {
				t.Fatal(err)
			}
			got := onWhite(render(t, traced(tr), side, side))
			want, kept, off := 0.0, 0.0, 0.0
			for y := 58; y < 352; y++ {
				for x := 58; x < 352; x++ {
					a, b := clean.NRGBAAt(x, y), got.NRGBAAt(x, y)
					want += 1 - float64(a.R)/255 // red paint has much less there
					kept += 1 - float64(b.R)/255
					off += math.Abs(float64(a.R)-float64(b.R)) / 255
				}
			}
			t.Logf("%s, packed %v: %.0f of %.0f px of ink, %.0f differ", what, packed, kept, want, off)
			if kept < 0.85*want || kept > 1.35*want || off > 0.35*want {
				t.Errorf("%s, packed %v: of %.0f px of ink there are %.0f, and %.0f differ", what, packed, want, kept, off)
			}
		}
	}
}

// Small letters in packed pictures have their own ink, and not that of larger art or of other
// letters, which packing makes look alike.
func TestSmallLettersHaveTheirOwnInk(t *testing.T) {
	pairs := [][2]string{{"#1b2a41", "#c83c2a"}, {"#c83c2a", "#1b2a41"}, {"#5a5f66", "#0f62a8"}, {"#1f5c44", "#c83c2a"}, {"#111111", "#c83c2a"}, {"#7a4a22", "#1f5c44"}, {"#0f62a8", "#1f5c44"}, {"#111111", "#d98a1f"}}
	f := fonts.Shipped().Find("Cabin", fonts.Style{Weight: 600})[0]
	wrong, all := 0, 0
	for _, p := range pairs {
		for _, cap := range []float64{8, 10, 13} {
			for _, second := range []bool{false, true} { // the other ink has letters too, or a disc
				page := geom.Rect{X1: 240, Y1: 140}
				d := &drawing.Drawing{Page: page}
				fill := func(p geom.Path, c string) {
					d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: hex(t, c), Alpha: 1}})
				}
				words := func(y float64, c string) {
					for _, g := range f.Shape([]rune("HARBOUR TILES"), 0, 13, cap/0.68, fonts.Style{Weight: 600}, false, true) {
						fill(g.Path.Transform(geom.Translate(20.3, y)), c)
					}
				}
				fill(geom.Box(page), "#ffffff")
				words(100.4, p[0])
				if second {
					words(60.7, p[1])
				} else {
					fill(geom.Ellipse(geom.Pt(120, 40), 26, 26), p[1])
				}
				tr, err := trace.Trace(t.Context(), jpeg80(render(t, d, 240, 140)), trace.Options{Smooth: 0.3})
				if err != nil {
					t.Fatal(err)
				}
				var sum [3]float64
				area := 0.0
				for _, r := range tr.Regions {
					for _, q := range r.Path.Subpaths() {
						if q.Bounds().Y0 > 80 && !tr.Grounds || q.Bounds().Y0 > 80 && r.Colour != tr.Ground {
							a := q.Area()
							area += a
							for k, v := range []uint8{r.Colour.R, r.Colour.G, r.Colour.B} {
								sum[k] += a * float64(v)
							}
						}
					}
				}
				all++
				if area <= 0 {
					t.Errorf("%v of %.0f px: no letters", p, cap)
					continue
				}
				c := colour.RGB{R: sum[0] / area / 255, G: sum[1] / area / 255, B: sum[2] / area / 255}.Lab()
				own, other := colour.Difference(c, hex(t, p[0]).RGB.Lab()), colour.Difference(c, hex(t, p[1]).RGB.Lab())
				if own > other || own > 15 {
					wrong++
					t.Logf("%v of %.0f px, two lines %v: ΔE00 %.0f from their ink, %.0f from the other", p, cap, second, own, other)
				}
			}
		}
	}
	if wrong > 0 {
		t.Errorf("%d of %d lines have another ink", wrong, all)
	}
}
