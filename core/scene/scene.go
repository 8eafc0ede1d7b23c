// Package scene draws places where a mark is used, plainly and with the mark in
// them: to judge it by, and as the pictures by which a client chooses.
package scene

import (
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

// A Scene is a place where the mark is used, drawn plainly in mm.
type Scene struct {
	Key, Name string
	Size      string     // how large the mark is there
	Ground    colour.RGB // what the mark stands on
	page      geom.Rect
	mark      geom.Rect // where the frame of the mark goes, at most
	place     string    // one of the nine of package frame
	back      func() []drawing.Node
}

func flat(p geom.Path, c colour.RGB) drawing.Node {
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
}

func grey8(v uint8) colour.RGB { return colour.FromBytes(v, v, v) }

func rect(x, y, w, h float64) geom.Rect { return geom.Rect{X0: x, Y0: y, X1: x + w, Y1: y + h} }

// bars stand for lines of text.
func bars(x, y, step, thick float64, widths ...float64) []drawing.Node {
	var out []drawing.Node
	for i, w := range widths {
		out = append(out, flat(geom.Box(rect(x, y+float64(i)*step, w, thick)), grey8(0xc2)))
	}
	return out
}

// shirt is the outline of one, about 450 × 390.
func shirt() geom.Path {
	var p geom.Path
	p.MoveTo(geom.Pt(250, 30))
	p.QuadTo(geom.Pt(320, 95), geom.Pt(390, 30))
	p.LineTo(geom.Pt(455, 52))
	p.LineTo(geom.Pt(545, 165))
	p.LineTo(geom.Pt(475, 215))
	p.LineTo(geom.Pt(440, 170))
	p.LineTo(geom.Pt(448, 420))
	p.LineTo(geom.Pt(192, 420))
	p.LineTo(geom.Pt(200, 170))
	p.LineTo(geom.Pt(165, 215))
	p.LineTo(geom.Pt(95, 165))
	p.LineTo(geom.Pt(185, 52))
	p.Close()
	return p
}

// Places lists the places, with the brand's own colour for those that may be
// dyed in it.
func Places(brand colour.RGB) []Scene {
	table := flat(geom.Box(rect(0, 0, 240, 150)), grey8(0xa9))
	return []Scene{
		{Key: "letter", Name: "a letter", Size: "50 mm wide", Ground: colour.White, page: rect(0, 0, 240, 150), mark: rect(45, 14, 50, 30), place: "top-left", back: func() []drawing.Node {
			return append([]drawing.Node{table, flat(geom.Box(rect(30, 0, 180, 150)), colour.White)},
				append(bars(140, 18, 5, 1.6, 48, 40, 44), bars(45, 66, 6, 1.8, 60, 0, 148, 146, 150, 139, 148, 92, 0, 147, 141, 150)...)...)
		}},
		{Key: "card", Name: "a card", Size: "on 85 × 55 mm", Ground: brand, page: rect(0, 0, 120, 75), mark: rect(35, 20, 50, 35), back: func() []drawing.Node {
			return []drawing.Node{flat(geom.Box(rect(0, 0, 120, 75)), grey8(0xa9)), flat(geom.RoundBox(rect(17.5, 10, 85, 55), 2, 2), brand)}
		}},
		{Key: "shirt", Name: "a shirt", Size: "90 mm wide", Ground: grey8(0x2e), page: rect(0, 0, 640, 400), mark: rect(265, 130, 110, 90), back: func() []drawing.Node {
			return []drawing.Node{flat(geom.Box(rect(0, 0, 640, 400)), grey8(0xc9)), flat(shirt(), grey8(0x2e))}
		}},
		{Key: "screen", Name: "a page on a screen", Size: "28 px high of 800 px", Ground: colour.White, page: rect(0, 0, 320, 200), mark: rect(14, 6.5, 90, 7), place: "left", back: func() []drawing.Node {
			out := []drawing.Node{flat(geom.Box(rect(0, 0, 320, 200)), grey8(0xf2)), flat(geom.Box(rect(0, 0, 320, 20)), colour.White), flat(geom.Box(rect(0, 20, 320, 0.4)), grey8(0xc9)), flat(geom.Box(rect(14, 32, 292, 76)), grey8(0xdd))}
			out = append(out, bars(210, 9, 9, 2, 26)...)
			out = append(out, bars(244, 9, 9, 2, 26)...)
			out = append(out, bars(278, 9, 9, 2, 28)...)
			return append(out, bars(14, 120, 7, 2.4, 150, 280, 272, 288, 190)...)
		}},
		{Key: "sign", Name: "a shop's sign", Size: "1.6 m wide", Ground: brand, page: rect(0, 0, 3200, 2000), mark: rect(800, 330, 1600, 440), back: func() []drawing.Node {
			out := []drawing.Node{flat(geom.Box(rect(0, 0, 3200, 2000)), grey8(0xb8)), flat(geom.Box(rect(250, 230, 2700, 640)), brand)}
			for _, x := range []float64{330, 1260, 2190} {
				out = append(out, flat(geom.Box(rect(x, 960, 680, 1040)), grey8(0x6d)))
			}
			return out
		}},
	}
}

// Of finds a place by its key.
func Of(key string, brand colour.RGB) (Scene, bool) {
	all := Places(brand)
	i := slices.IndexFunc(all, func(s Scene) bool { return s.Key == key })
	if i < 0 {
		return Scene{}, false
	}
	return all[i], true
}

// Draw puts art into the scene, its frame as large as there is room. box is that
// frame, in the page units of the art; they are those of the outcome too, whose page
// is the scene: the art stays as it is, and the little around it is moved.
func (s Scene) Draw(art *drawing.Drawing, box geom.Rect) *drawing.Drawing {
	k := min(s.mark.W()/box.W(), s.mark.H()/box.H())
	to := frame.Around(rect(0, 0, box.W()*k, box.H()*k), s.mark.W(), s.mark.H(), s.place)
	m := geom.Translate(box.X0, box.Y0).Mul(geom.Scale(1/k, 1/k)).Mul(geom.Translate(to.X0-s.mark.X0, to.Y0-s.mark.Y0))
	return &drawing.Drawing{Page: m.Rect(s.page), Nodes: append(drawing.Moved(s.back(), m), art.Nodes...)}
}
