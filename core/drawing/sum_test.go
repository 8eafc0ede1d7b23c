package drawing

import (
	"image"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

// summed is a drawing with something of every kind that has a sum.
func summed() *Drawing {
	box := geom.Box(geom.Rect{X1: 4, Y1: 3})
	mix, _ := colour.NewMixture([]colour.Amount{{Plate: "Fern", Tint: 60}, {Plate: "Black", Tint: 10}}, func([]bool) colour.CMYK { return colour.CMYK{K: 40} })
	return &Drawing{Page: geom.Rect{X1: 10, Y1: 10}, Set: []string{"Hanken Grotesk"}, Nodes: []Node{
		&Shape{Path: box, Paint: Solid{Colour: colour.Screen(colour.White), Alpha: 1}, Part: "symbol", Piece: 1},
		&Shape{Path: box, Rule: geom.EvenOdd, Paint: Solid{Colour: colour.Colour{Mix: mix}, Alpha: 1}},
		&Shape{Path: box, Paint: &Gradient{P1: geom.Pt(1, 0), To: geom.Identity, Stops: []Stop{{Alpha: 1}, {At: 1, Alpha: 1}}}},
		&Group{Alpha: 1, Nodes: []Node{&Shape{Path: box, Paint: Solid{Alpha: 1}}}, Clip: []Region{{Path: box}},
			Mask: &Mask{Nodes: []Node{&Shape{Path: box, Paint: Solid{Alpha: 1}}}}, Filter: &Filter{Steps: []Step{{Op: GaussianBlur{X: 1, Y: 1}}}}},
	}}
}

// Two drawings that were made apart have one sum, and any change gives another.
func TestSum(t *testing.T) {
	want, ok := Sum(summed())
	if again, _ := Sum(summed()); !ok || again != want {
		t.Fatalf("the same drawing twice: %s and %s, %v", want, again, ok)
	}
	shape := func(d *Drawing, i int) *Shape { return d.Nodes[i].(*Shape) }
	group := func(d *Drawing) *Group { return d.Nodes[3].(*Group) }
	seen := map[string]string{want: "as it was"}
	for what, change := range map[string]func(d *Drawing){
		"a coordinate":     func(d *Drawing) { shape(d, 0).Path[1].P[0].X += 1e-12 },
		"an operator":      func(d *Drawing) { shape(d, 0).Path[1].Op = geom.MoveTo },
		"one segment less": func(d *Drawing) { shape(d, 0).Path = shape(d, 0).Path[:3] },
		"a part":           func(d *Drawing) { shape(d, 0).Part = "wordmark" },
		"a piece":          func(d *Drawing) { shape(d, 0).Piece = 2 },
		"an origin":        func(d *Drawing) { shape(d, 0).Origin = Lettered },
		"a rule":           func(d *Drawing) { shape(d, 1).Rule = geom.NonZero },
		"an opacity":       func(d *Drawing) { shape(d, 0).Paint = Solid{Colour: colour.Screen(colour.White), Alpha: 0.5} },
		"a plate": func(d *Drawing) {
			shape(d, 0).Paint = Solid{Colour: colour.Colour{RGB: colour.White, Spot: "Fern"}, Alpha: 1}
		},
		"a build": func(d *Drawing) {
			shape(d, 0).Paint = Solid{Colour: colour.Colour{RGB: colour.White, Built: true}, Alpha: 1}
		},
		"a mixture":         func(d *Drawing) { shape(d, 1).Paint = Solid{Alpha: 1} },
		"a stop":            func(d *Drawing) { shape(d, 2).Paint.(*Gradient).Stops[1].At = 0.9 },
		"flat for a ramp":   func(d *Drawing) { shape(d, 2).Paint = Solid{} },
		"a group's opacity": func(d *Drawing) { group(d).Alpha = 0.9 },
		"a blend":           func(d *Drawing) { group(d).Blend = Multiply },
		"no clip":           func(d *Drawing) { group(d).Clip = nil },
		"a mask by opacity": func(d *Drawing) { group(d).Mask.Alpha = true },
		"another blur":      func(d *Drawing) { group(d).Filter.Steps[0].Op = GaussianBlur{X: 1, Y: 2} },
		"another effect":    func(d *Drawing) { group(d).Filter.Steps[0].Op = Offset{X: 1, Y: 1} },
		"one node less":     func(d *Drawing) { d.Nodes = d.Nodes[:3] },
		"another page":      func(d *Drawing) { d.Page.X1++ },
		"another title":     func(d *Drawing) { d.Title = "x" },
	} {
		d := summed()
		change(d)
		got, ok := Sum(d)
		if other, known := seen[got]; !ok || known {
			t.Errorf("%s: the sum of %s, %v", what, other, ok)
		}
		seen[got] = what
	}
}

// Words next to each other do not run into one, and nil counts.
func TestSumTellsPlaces(t *testing.T) {
	a, _ := Sum([]any{"ab", "c"})
	b, _ := Sum([]any{"a", "bc"})
	c, _ := Sum([]any{"ab", "c", nil})
	if a == b || a == c {
		t.Errorf("%s, %s, %s", a, b, c)
	}
}

// What has no cheap or certain name has none.
func TestNoSum(t *testing.T) {
	for what, n := range map[string]Node{
		"a picture":    &Picture{Image: image.NewNRGBA(image.Rect(0, 0, 1, 1))},
		"a function":   &Group{Filter: &Filter{Steps: []Step{{Op: ComponentTransfer{T: [4]func(float64) float64{func(v float64) float64 { return v }}}}}}},
		"within masks": &Group{Mask: &Mask{Nodes: []Node{&Picture{Image: image.NewNRGBA(image.Rect(0, 0, 1, 1))}}}},
	} {
		if _, ok := Sum(&Drawing{Nodes: []Node{n}}); ok {
			t.Errorf("%s has a sum", what)
		}
	}
}
