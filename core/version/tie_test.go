package version

import (
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

func TestTie(t *testing.T) {
	plum := InkMapping{Ink{Name: "Kettle Plum", RGB: "#6a2c50", CMYK: &[4]float64{40, 85, 20, 35}, Spot: "Kettle Plum"}, "#6b2d4f"}
	near := InkMapping{Ink{Name: "Other", RGB: "#ff0000"}, "#6c2e50"}
	d := read(t, `<linearGradient id="g"><stop stop-color="#6b2d4f"/><stop offset="1" stop-color="#fff"/></linearGradient>
		<rect width="50" height="50" fill="#6b2d4f"/><rect x="50" width="50" height="50" fill="#206047"/><rect y="50" width="50" height="50" fill="url(#g)"/>`)
	out, err := MapInks(d, []InkMapping{near, plum})
	if err != nil {
		t.Fatal(err)
	}
	var got []colour.Colour
	out.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			switch p := s.Paint.(type) {
			case drawing.Solid:
				got = append(got, p.Colour)
			case *drawing.Gradient:
				got = append(got, p.Stops[0].Colour)
			}
		}
	})
	if len(got) != 3 || got[0].Spot != "Kettle Plum" || got[0].RGB.Hex() != "#6a2c50" || got[0].Build != (colour.CMYK{C: 40, M: 85, Y: 20, K: 35}) {
		t.Errorf("the plum is %+v", got)
	}
	if got[1] != (colour.Colour{RGB: got[1].RGB}) || got[1].RGB.Hex() != "#206047" {
		t.Errorf("the green, which nobody tied, is %+v", got[1])
	}
	if got[2].Spot != "" || !got[2].Built {
		t.Errorf("in a gradient the plum is %+v", got[2])
	}
	if again, err := MapInks(d, nil); err != nil || again != d {
		t.Error("no inks change the drawing")
	}
	for _, c := range []struct {
		change func(*InkMapping)
		want   string
	}{
		{func(x *InkMapping) { x.Name = " " }, "name"}, {func(x *InkMapping) { x.Name = strings.Repeat("x", 99) }, "name"},
		{func(x *InkMapping) { x.RGB = "plum" }, "rgb"}, {func(x *InkMapping) { x.Drawn = "" }, "drawn"},
		{func(x *InkMapping) { x.CMYK = nil }, "cmyk"}, {func(x *InkMapping) { x.CMYK = &[4]float64{0, 0, 0, 101} }, "cmyk: K 101"},
		{func(x *InkMapping) { x.Stock = "glossy" }, "stock"}, {func(x *InkMapping) { x.Tint = -1 }, "tint"},
	} {
		bad := plum
		c.change(&bad)
		if err := bad.Check(); err == nil || !strings.HasPrefix(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %s", bad, err, c.want)
		}
		if _, err := MapInks(d, []InkMapping{bad}); err == nil {
			t.Errorf("%+v was tied", bad)
		}
	}
}

// One ink kept for two papers is taken as the paper asks, in plain paint on its
// plate and in a gradient without.
func TestInksForAStock(t *testing.T) {
	inks := []InkMapping{
		{Ink: Ink{Name: "Plum", RGB: "#6b2d4f", CMYK: &[4]float64{40, 85, 20, 35}, Spot: "Plum C", Stock: "coated"}, Drawn: "#6b2d4f"},
		{Ink: Ink{Name: "Plum", RGB: "#6b2d4f", CMYK: &[4]float64{35, 90, 15, 30}, Spot: "Plum U", Stock: "uncoated"}, Drawn: "#6b2d4f"},
	}
	d := read(t, `<linearGradient id="g"><stop stop-color="#6b2d4f"/><stop offset="1" stop-color="#fff"/></linearGradient><rect width="50" height="50" fill="#6b2d4f"/><rect y="50" width="50" height="50" fill="url(#g)"/>`)
	d, err := MapInks(d, inks)
	if err != nil {
		t.Fatal(err)
	}
	for stock, want := range map[string]struct {
		spot string
		c    float64
	}{"coated": {"Plum C", 40}, "uncoated": {"Plum U", 35}} {
		e := ForStock(d, inks, stock)
		p := e.Nodes[0].(*drawing.Shape).Paint.(drawing.Solid).Colour
		g := e.Nodes[1].(*drawing.Shape).Paint.(*drawing.Gradient).Stops[0].Colour
		if p.Spot != want.spot || p.Build.C != want.c || g.Spot != "" || g.Build.C != want.c {
			t.Errorf("%s: %+v, in the gradient %+v", stock, p, g)
		}
	}
}
