package scene

import (
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Every scene holds the mark whole and as large as there is room.
func TestScenes(t *testing.T) {
	green := colour.FromBytes(0x20, 0x60, 0x47)
	all := Places(green)
	for _, use := range []string{"web", "profile", "letter", "dark", "print", "shirt", "sign", "film", "lab", "icon", "form", "layout"} {
		for _, light := range []bool{false, true} {
			s, ok := Card(use, light, green)
			if !ok {
				t.Fatalf("there is no picture of %s", use)
			}
			// What the mark is shown on lets it be seen: WCAG 2.2, 1.4.11.
			if light && colour.Contrast(s.Ground, colour.White) < 3 {
				t.Errorf("%s: a light mark on %s", use, s.Ground.Hex())
			}
			all = append(all, s)
		}
	}
	for _, dims := range [][2]float64{{100, 100}, {400, 20}, {20, 400}} {
		box := geom.Rect{X1: dims[0], Y1: dims[1]}
		art := &drawing.Drawing{Page: box, Nodes: []drawing.Node{flat(geom.Box(box), grey8(0))}}
		for _, s := range all {
			d := s.Draw(art, box)
			k := s.page.W() / d.Page.W() // from its units to those of the scene
			b := geom.Translate(s.page.X0, s.page.Y0).Mul(geom.Scale(k, k)).Mul(geom.Translate(-d.Page.X0, -d.Page.Y0)).Rect(drawing.Bounds(d.Nodes[len(d.Nodes)-1]))
			if !s.mark.Contains(b, 1e-6) || math.Abs(b.W()/b.H()-dims[0]/dims[1]) > 1e-9 || math.Abs(b.W()-s.mark.W()) > 1e-6 && math.Abs(b.H()-s.mark.H()) > 1e-6 {
				t.Errorf("%s: art of %v stands on %v within %v", s.Key, dims, b, s.mark)
			}
		}
	}
	if _, ok := Of("moon", colour.White); ok {
		t.Error("there is a scene on the moon")
	}
	if _, ok := Card("moon", false, colour.White); ok {
		t.Error("there is a picture of the moon")
	}
}
