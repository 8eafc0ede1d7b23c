package scene

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// A Photograph is a made-up one, to try marks on: nothing of anybody's is shipped.
type Photograph struct {
	Name string // of its file
	W, H int    // px
	draw func(w, h float64) []drawing.Node
}

// Drawing is what the photograph shows, on a page of W × H units.
func (p Photograph) Drawing() *drawing.Drawing {
	w, h := float64(p.W), float64(p.H)
	page := rect(0, 0, w, h)
	return &drawing.Drawing{Page: page, Nodes: append(p.draw(w, h), grain(page, 0.9, 4, 0.11))}
}

// Photographs are light and dark, calm and busy, wide and tall.
func Photographs() []Photograph {
	return []Photograph{
		{"meadow_at_noon.jpg", 1800, 1200, meadow}, {"harbour_at_night.jpg", 1800, 1200, harbour}, {"tea_table.jpg", 1500, 1500, teaTable},
		{"kite_over_dunes.jpg", 1200, 1800, dunes}, {"market_stall.jpg", 1800, 1200, market},
	}
}

// fade is a box that runs from one colour into others, from top to bottom.
func fade(r geom.Rect, cs ...colour.RGB) drawing.Node {
	g := &drawing.Gradient{P0: geom.Pt(r.X0, r.Y0), P1: geom.Pt(r.X0, r.Y1), To: geom.Identity}
	for i, c := range cs {
		g.Stops = append(g.Stops, drawing.Stop{At: float64(i) / float64(max(1, len(cs)-1)), Colour: colour.Screen(c), Alpha: 1})
	}
	return &drawing.Shape{Path: geom.Box(r), Paint: g}
}

// glow is a soft spot of light or shade.
func glow(at geom.Point, radius float64, c colour.RGB, alpha float64) drawing.Node {
	return &drawing.Shape{Path: geom.Ellipse(at, radius, radius), Paint: &drawing.Gradient{Radial: true, P0: at, P1: at, R1: radius, To: geom.Identity,
		Stops: []drawing.Stop{{Colour: colour.Screen(c), Alpha: alpha}, {At: 1, Colour: colour.Screen(c)}}}}
}

// grain is noise over a box, as of a sensor: fine at a high frequency, leaves and
// clouds at a low one.
func grain(r geom.Rect, frequency float64, octaves int, alpha float64) drawing.Node {
	f := &drawing.Filter{Region: r, To: geom.Identity, Steps: []drawing.Step{
		{Op: drawing.Turbulence{FX: frequency, FY: frequency, Octaves: octaves, Seed: 7, Fractal: true}, In: drawing.Nothing, Region: r},
		{Op: drawing.ColourMatrix{M: [20]float64{0.6, 0.6, 0.6, 0, -0.4, 0.6, 0.6, 0.6, 0, -0.4, 0.6, 0.6, 0.6, 0, -0.4, 0, 0, 0, 0, 1}}, In: 0, Region: r},
	}}
	return &drawing.Group{Nodes: []drawing.Node{flat(geom.Box(r), grey8(0x80))}, Alpha: alpha, Filter: f, Blend: drawing.Overlay}
}

// blurred softens what is far away.
func blurred(r geom.Rect, by float64, ns ...drawing.Node) drawing.Node {
	return &drawing.Group{Nodes: ns, Alpha: 1, Filter: &drawing.Filter{Region: r, To: geom.Identity,
		Steps: []drawing.Step{{Op: drawing.GaussianBlur{X: by, Y: by}, In: drawing.SourceGraphic, Region: r}}}}
}

// hills is a wavy line with all that lies below it.
func hills(w, h, y, high, waves, phase float64, c colour.RGB) drawing.Node {
	var p geom.Path
	p.MoveTo(geom.Pt(-10, h+10))
	for x := -10.0; x <= w+10; x += 12 {
		p.LineTo(geom.Pt(x, y-high*(math.Sin(x/w*waves+phase)+0.4*math.Sin(x/w*waves*2.7+phase*2))))
	}
	p.LineTo(geom.Pt(w+10, h+10))
	p.Close()
	return flat(p, c)
}

func rgb(hex uint32) colour.RGB {
	return colour.FromBytes(uint8(hex>>16), uint8(hex>>8), uint8(hex))
}

func meadow(w, h float64) []drawing.Node {
	page := rect(0, 0, w, h)
	ns := []drawing.Node{fade(page, rgb(0x8fb7d8), rgb(0xcfe2ec), rgb(0xeef0e6)), glow(geom.Pt(w*0.8, h*0.1), h*0.5, colour.White, 0.9)}
	ns = append(ns, blurred(page, 6, hills(w, h, h*0.55, h*0.05, 6, 1, rgb(0x9db39a))), blurred(page, 3, hills(w, h, h*0.63, h*0.03, 9, 0.2, rgb(0x86a36f))))
	field := rect(0, h*0.68, w, h*0.32)
	ns = append(ns, fade(field, rgb(0x9bb35f), rgb(0x5f7f38), rgb(0x47652b)))
	return append(ns, grain(field, 0.05, 5, 0.5))
}

func harbour(w, h float64) []drawing.Node {
	page := rect(0, 0, w, h)
	ns := []drawing.Node{fade(page, rgb(0x0c1424), rgb(0x1d2740), rgb(0x3a3550), rgb(0x141a2a), rgb(0x090d17))}
	var far, near []drawing.Node
	for i := range 14 {
		x, tall := w*float64(i)/14, h*(0.08+0.12*math.Abs(math.Sin(float64(i)*2.3)))
		far = append(far, flat(geom.Box(rect(x, h*0.56-tall, w/13, tall)), rgb(0x131929)))
		for k := range 5 {
			at := geom.Pt(x+w/90+float64(k)*w/80, h*0.56-tall*(0.2+0.16*float64((i+k)%4)))
			if (i*k+i)%3 != 0 {
				near = append(near, flat(geom.Box(rect(at.X, at.Y, w/220, h/110)), rgb(0xf3d38a)), glow(geom.Pt(at.X, h*0.6+float64(k)*h*0.03), h*0.03, rgb(0xe0b266), 0.5))
			}
		}
	}
	ns = append(ns, blurred(page, 3, far...))
	ns = append(ns, near...)
	return append(ns, grain(rect(0, h*0.56, w, h*0.44), 0.012, 4, 0.35))
}

func teaTable(w, h float64) []drawing.Node {
	page := rect(0, 0, w, h)
	ns := []drawing.Node{fade(page, rgb(0xb98d62), rgb(0xa2764c), rgb(0x8a6340)), grain(rect(0, 0, w, h), 0.004, 3, 0.5)}
	cup := func(x, y, r float64) {
		at := geom.Pt(x, y)
		ns = append(ns, glow(geom.Pt(x+r*0.2, y+r*0.25), r*1.9, colour.Black, 0.5),
			flat(geom.Ellipse(at, r*1.5, r*1.5), rgb(0xe9e4da)), flat(geom.Ellipse(at, r*1.05, r*1.05), rgb(0xcfc8bb)),
			flat(geom.Ellipse(at, r, r), rgb(0xf4f1ea)), flat(geom.Ellipse(at, r*0.86, r*0.86), rgb(0x6d3a17)), glow(geom.Pt(x-r*0.3, y-r*0.3), r*0.5, rgb(0xe8c48f), 0.6))
	}
	cup(w*0.34, h*0.36, w*0.12)
	cup(w*0.68, h*0.6, w*0.1)
	return append(ns, glow(geom.Pt(w*0.1, h*0.05), w*0.8, rgb(0xfff1d8), 0.5))
}

func dunes(w, h float64) []drawing.Node {
	page := rect(0, 0, w, h)
	ns := []drawing.Node{fade(page, rgb(0xbcd3e6), rgb(0xe7ebe8), rgb(0xf3ead6)), blurred(page, 2, hills(w, h, h*0.7, h*0.02, 5, 0, rgb(0xe6d7b2)), hills(w, h, h*0.78, h*0.03, 7, 2, rgb(0xdcc795)))}
	ns = append(ns, fade(rect(0, h*0.86, w, h*0.14), rgb(0xd6bf8a), rgb(0xbfa56f)))
	var p geom.Path
	p.MoveTo(geom.Pt(w*0.62, h*0.16))
	p.LineTo(geom.Pt(w*0.73, h*0.25))
	p.LineTo(geom.Pt(w*0.62, h*0.42))
	p.LineTo(geom.Pt(w*0.51, h*0.25))
	p.Close()
	return append(ns, flat(p, rgb(0xc2452d)), flat(geom.Box(rect(w*0.6195, h*0.16, w*0.002, h*0.26)), rgb(0x7d2a1b)))
}

func market(w, h float64) []drawing.Node {
	page := rect(0, 0, w, h)
	ns := []drawing.Node{fade(page, rgb(0x5c5147), rgb(0x3e3730))}
	fruit := []uint32{0xd9482b, 0xe8a12c, 0x7f9a35, 0xc9c04a, 0x8c2b3f, 0xe0692f}
	for row := range 9 {
		for i := range 16 {
			x := w * (float64(i) + 0.5*float64(row%2)) / 15.5
			y, r := h*(0.3+0.085*float64(row)), w*0.034
			c := rgb(fruit[(i*7+row*5+i*row)%len(fruit)])
			ns = append(ns, glow(geom.Pt(x+r*0.2, y+r*0.3), r*1.5, colour.Black, 0.5), flat(geom.Ellipse(geom.Pt(x, y), r, r), c), glow(geom.Pt(x-r*0.3, y-r*0.4), r*0.7, colour.White, 0.5))
		}
	}
	for i := range 12 { // an awning
		c := rgb(0xe9e2d2)
		if i%2 == 0 {
			c = rgb(0x2f5d6b)
		}
		ns = append(ns, flat(geom.Box(rect(w*float64(i)/12, 0, w/12+1, h*0.2)), c))
	}
	return append(ns, fade(rect(0, h*0.2, w, h*0.05), rgb(0x1d1915), rgb(0x3b342d)))
}
