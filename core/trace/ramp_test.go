package trace_test

import (
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/trace"
)

// painted is a shape with any paint.
func painted(p geom.Path, by drawing.Paint) *drawing.Shape {
	return &drawing.Shape{Path: p, Paint: by}
}

func stop(at float64, r, g, b uint8) drawing.Stop {
	return drawing.Stop{At: at, Colour: colour.Screen(colour.FromBytes(r, g, b)), Alpha: 1}
}

// Blends that were drawn come out as blends, and what they fill as the shape that it was:
// linear ones at any angle, rings about the middle of a circle or an ellipse, of two stops or
// more, with a flat rest, also from packed pictures.
func TestBlendsComeBack(t *testing.T) {
	circle := geom.Ellipse(geom.Pt(150, 140), 110, 110)
	box := geom.RoundBox(geom.Rect{X0: 30, Y0: 40, X1: 270, Y1: 250}, 30, 30)
	for what, c := range map[string]struct {
		path   geom.Path
		by     *drawing.Gradient
		pieces int
		slack  float64 // of 255, that pixels are off in the mean, packed twice that
	}{
		"a line":            {circle, &drawing.Gradient{P0: geom.Pt(40, 60), P1: geom.Pt(260, 200), To: geom.Identity, Stops: []drawing.Stop{stop(0, 224, 48, 32), stop(1, 240, 192, 32)}}, 6, 0.5},
		"three stops":       {box, &drawing.Gradient{P0: geom.Pt(30, 0), P1: geom.Pt(270, 0), To: geom.Identity, Stops: []drawing.Stop{stop(0, 30, 60, 160), stop(0.4, 120, 40, 150), stop(1, 230, 80, 120)}}, 14, 0.8},
		"rings":             {circle, &drawing.Gradient{Radial: true, P0: geom.Pt(150, 140), P1: geom.Pt(150, 140), R1: 110, To: geom.Identity, Stops: []drawing.Stop{stop(0, 250, 240, 160), stop(1, 200, 90, 20)}}, 6, 0.6},
		"rings, dark first": {box, &drawing.Gradient{Radial: true, R1: 1, To: geom.Affine{A: 150, D: 90, E: 150, F: 145}, Stops: []drawing.Stop{stop(0, 20, 50, 110), stop(1, 120, 190, 230)}}, 14, 1},
		"with a flat rest":  {box, &drawing.Gradient{P0: geom.Pt(30, 40), P1: geom.Pt(150, 40), To: geom.Identity, Stops: []drawing.Stop{stop(0, 40, 120, 60), stop(1, 190, 220, 90)}}, 14, 0.8},
	} {
		d := &drawing.Drawing{Page: geom.Rect{X1: 300, Y1: 280}, Nodes: []drawing.Node{painted(c.path, c.by)}}
		clean := onWhite(render(t, d, 300, 280))
		for _, s := range []spoiling{spoilings[0], {"JPEG 80", jpeg80}} {
			tr, err := trace.Trace(t.Context(), s.do(clean), trace.Options{Smooth: 0.3})
			if err != nil {
				t.Fatal(err)
			}
			slack, pieces := c.slack, c.pieces
			if s.name != "clean" {
				slack, pieces = 2*slack, 2*pieces
			}
			if len(tr.Regions) != 1 || tr.Regions[0].Ramp == nil || tr.Regions[0].Ramp.Radial != c.by.Radial || len(tr.Regions[0].Path) > pieces {
				t.Errorf("%s, %s: %d regions: %+v", what, s.name, len(tr.Regions), tr.Regions[0])
				continue
			}
			if off := meanOff(clean, render(t, traced(tr), 300, 280)); off > slack {
				t.Errorf("%s, %s: %.2f of 255 off in the mean; stops %v", what, s.name, off, tr.Regions[0].Ramp.Stops)
			}
		}
	}
}

// meanOff is how far two pictures' pixels are apart, of 255.
func meanOff(a, b *image.NRGBA) float64 {
	sum := 0.0
	for i := range a.Pix {
		sum += math.Abs(float64(a.Pix[i]) - float64(b.Pix[i]))
	}
	return sum / float64(len(a.Pix))
}

// Stripes of near shades with edges between them are no blend, nor is what follows no line and
// no rings; and who asks for a number of colours gets colours.
func TestWhatIsNoBlend(t *testing.T) {
	stripes := &drawing.Drawing{Page: geom.Rect{X1: 300, Y1: 200}}
	for i := range 6 {
		c := uint8(60 + 24*i)
		stripes.Nodes = append(stripes.Nodes, painted(geom.Box(geom.Rect{X0: 30 + 40*float64(i), Y0: 30, X1: 70 + 40*float64(i), Y1: 170}), drawing.Solid{Colour: colour.Screen(colour.FromBytes(c, 90, 160)), Alpha: 1}))
	}
	tr, err := trace.Trace(t.Context(), onWhite(render(t, stripes, 300, 200)), trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if len(tr.Regions) != 6 {
		t.Errorf("of six stripes came %d regions", len(tr.Regions))
	}
	saddle := image.NewNRGBA(image.Rect(0, 0, 200, 200))
	for y := range 200 {
		for x := range 200 {
			v := uint8(128 + float64(x-100)*float64(y-100)/100)
			copy(saddle.Pix[saddle.PixOffset(x, y):], []uint8{v, 80, 255 - v, 255})
		}
	}
	tr, err = trace.Trace(t.Context(), saddle, trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range tr.Regions {
		if r.Ramp != nil {
			t.Errorf("a saddle is taken for %+v", r.Ramp)
		}
	}
	by := &drawing.Gradient{P1: geom.Pt(200, 0), To: geom.Identity, Stops: []drawing.Stop{stop(0, 224, 48, 32), stop(1, 240, 192, 32)}}
	d := &drawing.Drawing{Page: geom.Rect{X1: 200, Y1: 200}, Nodes: []drawing.Node{painted(geom.Ellipse(geom.Pt(100, 100), 80, 80), by)}}
	tr, err = trace.Trace(t.Context(), onWhite(render(t, d, 200, 200)), trace.Options{Colours: 5})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range tr.Regions {
		if r.Ramp != nil {
			t.Error("of five colours one is a blend")
		}
	}
}
