package version

import (
	"context"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

var (
	plum  = Ink{Name: "Plum", RGB: "#6b2d4f", CMYK: &[4]float64{60, 90, 40, 20}}
	amber = Ink{Name: "Amber", RGB: "#cf7a22", CMYK: &[4]float64{10, 60, 90, 0}}
)

// tile is a square of 100 units at 10, 20, with a white one in its middle.
func tile() *Art {
	green := colour.FromBytes(0x20, 0x60, 0x47)
	square := func(x, y, s float64, c colour.RGB, part string) drawing.Node {
		return &drawing.Shape{Path: geom.Box(geom.Rect{X0: x, Y0: y, X1: x + s, Y1: y + s}), Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}, Part: part}
	}
	return NewArt(&drawing.Drawing{Page: geom.Rect{X1: 120, Y1: 140}, Nodes: []drawing.Node{square(10, 20, 100, green, "tile"), square(50, 60, 20, colour.White, "dot")}})
}

func finished(t *testing.T, f Finish) *Version {
	t.Helper()
	v, err := tile().Make(context.Background(), Spec{Name: "x", Treatment: AsDrawn, Finish: &f})
	if err != nil {
		t.Fatal(err)
	}
	if v.Drawing == nil {
		t.Fatalf("refused: %s", v.Refused)
	}
	return v
}

func shapes(d *drawing.Drawing) (out []*drawing.Shape) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			out = append(out, s)
		}
	})
	return out
}

// A gradient runs over the whole of what it paints: from edge to edge at any angle; by
// hand for a square of 100 from 10, 20. White stays white.
func TestFillsRunFromEdgeToEdge(t *testing.T) {
	stops := []Stop{{At: 0, Ink: plum}, {At: 0.5, Ink: amber, Opacity: opacity(0.5)}, {At: 1, Ink: amber}}
	for angle, want := range map[float64][4]float64{0: {10, 70, 110, 70}, 90: {60, 20, 60, 120}, 180: {110, 70, 10, 70}, 45: {10, 20, 110, 120}} {
		v := finished(t, Finish{Fills: []Fill{{Kind: Linear, Angle: angle, Stops: stops}}})
		all := shapes(v.Drawing)
		g, ok := all[0].Paint.(*drawing.Gradient)
		if !ok {
			t.Fatalf("%g°: no gradient", angle)
		}
		for i, got := range []float64{g.P0.X, g.P0.Y, g.P1.X, g.P1.Y} {
			if math.Abs(got-want[i]) > 1e-9 {
				t.Errorf("%g°: from %v to %v, not %v", angle, g.P0, g.P1, want)
				break
			}
		}
		if g.Stops[1].Alpha != 0.5 || g.Stops[0].Colour.Build != (colour.CMYK{C: 60, M: 90, Y: 40, K: 20}) {
			t.Errorf("stops %+v", g.Stops)
		}
		if s, ok := all[1].Paint.(drawing.Solid); !ok || !s.Colour.RGB.NearWhite() {
			t.Error("white did not stay white")
		}
	}
	g := shapes(finished(t, Finish{Fills: []Fill{{Kind: Radial, Part: "tile", Stops: stops}}}).Drawing)[0].Paint.(*drawing.Gradient)
	if !g.Radial || g.P1 != geom.Pt(60, 70) || math.Abs(g.R1-100/math.Sqrt2) > 1e-9 {
		t.Errorf("round: %+v", g)
	}
}

// Along the shape the first ink stands at the edge and the last in the middle; every
// band lies within the one before, and the first covers what the shape covers.
func TestAlongTheShape(t *testing.T) {
	v := finished(t, Finish{Fills: []Fill{{Kind: Along, Stops: []Stop{{At: 0, Ink: plum}, {At: 1, Ink: amber}}}}})
	var bandsOf []*drawing.Shape
	for _, s := range shapes(v.Drawing) {
		if s.Part == "tile" {
			bandsOf = append(bandsOf, s)
		}
	}
	if len(bandsOf) < bands-2 {
		t.Fatalf("%d bands", len(bandsOf))
	}
	if a := math.Abs(bandsOf[0].Path.Area()); math.Abs(a-10000) > 1 {
		t.Errorf("the first band covers %.0f", a)
	}
	for i := 1; i < len(bandsOf); i++ {
		// Each is narrower by a step: thick = 2·10000/400 = 50, the step 50/16.
		side := 100 - 2*50*float64(i)/bands
		if a := math.Abs(bandsOf[i].Path.Area()); math.Abs(a-side*side) > side*0.6+1 {
			t.Errorf("band %d covers %.0f, not about %.0f", i, a, side*side)
		}
	}
	first, last := bandsOf[0].Paint.(drawing.Solid).Colour, bandsOf[len(bandsOf)-1].Paint.(drawing.Solid).Colour
	if first.Build.C < 55 || last.Build.C > 20 {
		t.Errorf("from %v to %v", first.Build, last.Build)
	}
}

// Lines by area, on a square of 100: outside 2 wide with round corners is 4·100·2 + π·4.
func TestLines(t *testing.T) {
	area := func(v *Version, hex string) (sum float64) {
		for _, s := range shapes(v.Drawing) {
			if p, ok := s.Paint.(drawing.Solid); ok && p.Colour.RGB.Hex() == hex {
				sum += math.Abs(s.Path.Area())
			}
		}
		return sum
	}
	for _, x := range []struct {
		l     Line
		want  float64
		reach float64 // of the whole beyond the square
	}{
		{Line{Width: "2", Ink: plum, Side: Inside}, 100*100 - 96*96, 0},
		{Line{Width: "2", Ink: plum, Side: Centred}, 100*100 - 98*98 + 400*1 + math.Pi, 1},
		// Outside it begins a little under the mark: a quarter of its width, or less.
		{Line{Width: "2", Ink: plum}, 400*2 + math.Pi*4, 2},
		{Line{Width: "2", Ink: plum, Double: true}, 400*2 + math.Pi*4 + 400*2 + math.Pi*(36-16), 6},
	} {
		v := finished(t, Finish{Lines: []Line{x.l}})
		got := area(v, plum.RGB)
		slack := 0.01 * x.want
		if x.l.Side == "" {
			slack += 400 * min(0.5, spread*100)
		}
		if math.Abs(got-x.want) > slack {
			t.Errorf("%+v: covers %.1f, not %.1f", x.l, got, x.want)
		}
		if b := v.Drawing.Bounds(); math.Abs(b.X1-110-x.reach) > 0.05 {
			t.Errorf("%+v: reaches to %.2f", x.l, b.X1)
		}
	}
}

// Nothing soft is cut: the box of what comes of an effect holds three deviations and
// the way it falls (a Gaussian has 0.3 % beyond them).
func TestEffectsAreNotCut(t *testing.T) {
	v := finished(t, Finish{Effects: []Effect{{Kind: Shadow, Ink: plum, Opacity: 0.5, Size: "4", Right: "3", Down: "-5"}}})
	b := v.Drawing.Bounds()
	if want := (geom.Rect{X0: 10 - 12 + 0, Y0: 20 - 12 - 5, X1: 110 + 12 + 3, Y1: 120 + 12}); !b.Contains(want, 1e-6) {
		t.Errorf("%v does not hold %v", b, want)
	}
	two := finished(t, Finish{Effects: []Effect{{Kind: Inner, Ink: plum, Size: "2"}, {Kind: Glow, Ink: amber, Size: "5"}}})
	if b := two.Drawing.Bounds(); !b.Contains(geom.Rect{X0: -5, Y0: 5, X1: 125, Y1: 135}, 1e-6) {
		t.Errorf("a glow round a shadow: %v", b)
	}
}

// Black and white stay pure; a wrong finish is refused with a sentence; one that does
// not stand out is told, and one that does is not.
func TestFinishesAreJudged(t *testing.T) {
	for _, k := range []Ink{{Name: "Black", RGB: "#000000"}, {Name: "White", RGB: "#ffffff"}, plum} {
		for _, tr := range []Treatment{SingleInk, Tints} {
			v, err := tile().Make(context.Background(), Spec{Name: "x", Treatment: tr, Ink: &k, Finish: &Finish{Effects: []Effect{{Kind: Glow, Ink: amber, Size: "5"}}}})
			if err != nil || v.Refused == "" {
				t.Errorf("%s as %s takes a finish: %v", k.Name, tr, err)
			}
		}
	}
	two := []Stop{{At: 0, Ink: plum}, {At: 1, Ink: amber}}
	for name, f := range map[string]Finish{
		"kind":       {Fills: []Fill{{Kind: "star", Stops: two}}},
		"one stop":   {Fills: []Fill{{Kind: Linear, Stops: two[:1]}}},
		"order":      {Fills: []Fill{{Kind: Linear, Stops: []Stop{{At: 1, Ink: plum}, {At: 0, Ink: amber}}}}},
		"angle":      {Fills: []Fill{{Kind: Linear, Angle: math.NaN(), Stops: two}}},
		"opacity":    {Fills: []Fill{{Kind: Linear, Stops: []Stop{{Ink: plum, Opacity: opacity(2)}, {At: 1, Ink: amber}}}}},
		"ink":        {Lines: []Line{{Width: "1%", Ink: Ink{RGB: "blue"}}}},
		"width":      {Lines: []Line{{Width: "0", Ink: plum}}},
		"very wide":  {Lines: []Line{{Width: "60%", Ink: plum}}},
		"no size":    {Effects: []Effect{{Kind: Glow, Ink: plum}}},
		"far":        {Effects: []Effect{{Kind: Shadow, Ink: plum, Size: "1%", Down: "300%"}}},
		"in px":      {Effects: []Effect{{Kind: Shadow, Ink: plum, Size: "1%", Down: "90000px"}}},
		"effect":     {Effects: []Effect{{Kind: "fog", Ink: plum, Size: "1%"}}},
		"many lines": {Lines: make([]Line, 7)},
	} {
		if err := f.Check(); err == nil {
			t.Errorf("%s: %+v is taken", name, f)
		}
	}
	if v, err := tile().Make(context.Background(), Spec{Name: "x", Treatment: AsDrawn, Finish: &Finish{Fills: []Fill{{Kind: Linear, Part: "nobody", Stops: two}}}}); err != nil || v.Refused == "" {
		t.Errorf("a part that is not there: %v", err)
	}
	warned := func(v *Version) (on string) {
		for _, f := range v.Findings {
			on += f.Message
		}
		return on
	}
	pale := []Stop{{At: 0, Ink: Ink{RGB: "#fff8e8"}}, {At: 1, Ink: Ink{RGB: "#f4f0ff"}}}
	if w := warned(finished(t, Finish{Fills: []Fill{{Kind: Linear, Stops: pale}}})); !strings.Contains(w, "on white") || strings.Contains(w, "on black") || strings.Contains(w, "mid grey") {
		t.Errorf("pale: %q", w)
	}
	if w := warned(finished(t, Finish{Fills: []Fill{{Kind: Linear, Stops: []Stop{{At: 0, Ink: Ink{RGB: "#c0392b"}}, {At: 1, Ink: Ink{RGB: "#1f8a4c"}}}}}})); strings.Contains(w, "on white") || strings.Contains(w, "on black") {
		t.Errorf("red to green: %q", w)
	}
}

// The ready ones are right for any inks: none, one, white ones, many.
func TestReadyFinishes(t *testing.T) {
	for name, inks := range map[string][]Ink{"none": nil, "one": {plum}, "two": {plum, amber}, "white": {{Name: "White", RGB: "#ffffff"}}, "grey": {{Name: "Grey", RGB: "#888888"}}, "spot": {{Name: "Fir", RGB: "#206047", Spot: "FIR 7", CMYK: &[4]float64{80, 20, 70, 30}}}} {
		seen := map[string]bool{}
		for _, f := range Ready(inks) {
			if seen[f.Name] {
				t.Errorf("%s: two are called %s", name, f.Name)
			}
			seen[f.Name] = true
			if err := f.Check(); err != nil {
				t.Errorf("%s, %s: %v", name, f.Name, err)
			}
			if v := finished(t, f); v.Drawing.Bounds().Empty() {
				t.Errorf("%s, %s: nothing is left", name, f.Name)
			}
		}
	}
}

func opacity(v float64) *float64 { return &v }

// A stop of opacity 0 is a fade to nothing, one that says nothing is opaque.
func TestFadeToNothing(t *testing.T) {
	got, err := Fill{Kind: Linear, Stops: []Stop{{Ink: plum, Opacity: opacity(0)}, {At: 0.5, Ink: plum, Opacity: opacity(0.25)}, {At: 1, Ink: plum}}}.stops()
	if err != nil || got[0].Alpha != 0 || got[1].Alpha != 0.25 || got[2].Alpha != 1 {
		t.Errorf("%+v, %v", got, err)
	}
}

// A length in px is held to the mark that it is for.
func TestEffectsFitTheirMark(t *testing.T) {
	for size, fits := range map[string]bool{"4": true, "400px": false, "50%": true} {
		f := &Finish{Effects: []Effect{{Kind: Shadow, Ink: plum, Size: frame.Length(size)}}}
		if err := f.Check(); err != nil {
			t.Fatal(err)
		}
		if err := f.fits(100); (err == nil) != fits {
			t.Errorf("%s in a mark of 100 px: %v", size, err)
		}
	}
}
