package scene

import (
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// CardW and CardH are the proportions of the small pictures of uses.
const CardW, CardH = 280, 104

var (
	wall   = colour.FromBytes(0xf4, 0xf4, 0xf2)
	night  = colour.FromBytes(0x2b, 0x2b, 0x2a)
	pencil = grey8(0xb9)
)

// ring is the edge of a shape: the shape, and the shape within it in its ground.
func ring(edge, within geom.Path, line, ground colour.RGB) []drawing.Node {
	return []drawing.Node{flat(edge, line), flat(within, ground)}
}

func boxed(x, y, w, h, thick float64, line, ground colour.RGB) []drawing.Node {
	r := rect(x, y, w, h)
	return ring(geom.Box(r), geom.Box(r.Grow(-thick)), line, ground)
}

// Card is the small picture of a use, of CardW by CardH units. A light mark is
// shown on what is dark: the thing itself is dyed in the brand's colour, or dark
// where there is none that carries it.
func Card(use string, light bool, brand colour.RGB) (Scene, bool) {
	cloth, room := colour.White, wall
	if light {
		cloth = brand
		if colour.Contrast(brand, colour.White) < 3 { // WCAG 2.2, 1.4.11
			cloth = night
		}
	}
	s := Scene{Key: use, Ground: cloth, page: rect(0, 0, CardW, CardH)}
	var back []drawing.Node
	add := func(ns ...drawing.Node) { back = append(back, ns...) }
	add(flat(geom.Box(s.page), room))
	switch use {
	case "web":
		add(boxed(62, 16, 156, 100, 1, pencil, cloth)...)
		add(bars(158, 27, 6, 4, 22)...)
		add(bars(186, 27, 6, 4, 22)...)
		add(bars(72, 58, 13, 6, 136, 136, 104, 136)...)
		s.mark, s.place = rect(72, 22, 74, 26), "left"
	case "profile":
		add(ring(geom.RoundBox(rect(96, 8, 88, 88), 44, 44), geom.RoundBox(rect(97, 9, 86, 86), 43, 43), pencil, cloth)...)
		s.mark = rect(111, 23, 58, 58)
	case "letter":
		add(boxed(100, 8, 80, 100, 1, pencil, cloth)...)
		add(bars(109, 56, 9, 3.4, 62, 62, 44, 62, 62)...)
		s.mark, s.place = rect(109, 16, 42, 28), "top-left"
	case "dark":
		back[0] = flat(geom.Box(s.page), night)
		s.Ground, s.mark = night, rect(70, 16, 140, 72)
	case "print":
		add(boxed(78, 14, 124, 76, 0.6, pencil, cloth)...)
		for _, x := range []float64{84, 195.4} { // trim marks
			for _, y := range []float64{2, 92} {
				add(flat(geom.Box(rect(x, y, 0.6, 10)), grey8(0x6d)))
			}
		}
		for _, y := range []float64{20, 83.4} {
			for _, x := range []float64{66, 204} {
				add(flat(geom.Box(rect(x, y, 10, 0.6)), grey8(0x6d)))
			}
		}
		s.mark = rect(96, 26, 88, 52)
	case "shirt":
		if !light {
			cloth = grey8(0xdd)
		}
		s.Ground = cloth
		k := 0.29
		add(flat(shirt().Transform(geom.Translate(140-320*k, 2-30*k).Mul(geom.Scale(k, k))), cloth))
		s.mark = rect(118, 36, 44, 40)
	case "sign":
		add(boxed(62, 24, 156, 56, 1.6, grey8(0x4a), cloth)...)
		for _, x := range []float64{70, 210} {
			for _, y := range []float64{32, 72} {
				add(flat(geom.RoundBox(rect(x-1.6, y-1.6, 3.2, 3.2), 1.6, 1.6), grey8(0x8a)))
			}
		}
		s.mark = rect(82, 32, 116, 40)
	case "film":
		add(flat(geom.RoundBox(rect(62, 6, 156, 88), 3, 3), night), flat(geom.Box(rect(66, 10, 148, 76)), cloth))
		add(flat(geom.Box(rect(110, 94, 60, 4)), night))
		s.mark = rect(88, 22, 104, 52)
	case "lab":
		add(boxed(74, 8, 132, 88, 1, pencil, colour.White)...)
		add(flat(geom.Box(rect(80, 14, 120, 76)), cloth))
		s.mark = rect(92, 24, 96, 56)
	case "icon":
		add(ring(geom.RoundBox(rect(70, 18, 68, 68), 14, 14), geom.RoundBox(rect(71, 19, 66, 66), 13, 13), pencil, cloth)...)
		add(bars(152, 32, 14, 6, 60, 44, 54, 30)...)
		s.mark = rect(80, 28, 48, 48)
	case "form":
		add(boxed(74, 8, 132, 100, 1, pencil, grey8(0xe6))...)
		add(bars(84, 18, 10, 4, 40, 52)...)
		add(bars(84, 82, 10, 4, 112, 112)...)
		add(boxed(84, 40, 60, 34, 0.6, pencil, cloth)...)
		s.mark = rect(88, 43, 52, 28)
	case "layout":
		add(boxed(80, 8, 120, 100, 1, pencil, cloth)...)
		for x := 88.0; x < 190; x += 37 {
			add(bars(x, 62, 8, 3, 30, 30, 30, 22, 30)...)
		}
		s.mark = rect(88, 14, 104, 40)
	default:
		return Scene{}, false
	}
	s.back = func() []drawing.Node { return back }
	return s, true
}
