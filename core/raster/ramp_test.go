package raster_test

import (
	"fmt"
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

func gradientOn(t *testing.T, g *drawing.Gradient, w, h int) *image.NRGBA {
	t.Helper()
	page := geom.Rect{X1: float64(w), Y1: float64(h)}
	return picture(t, page, w, h, &drawing.Shape{Path: geom.Box(page), Paint: g})
}

func picture(t *testing.T, page geom.Rect, w, h int, ns ...drawing.Node) *image.NRGBA {
	t.Helper()
	img, err := raster.Render(t.Context(), &drawing.Drawing{Page: page, Nodes: ns}, raster.Fit(page, w, h), w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// apart is the largest difference of two pictures, of 255.
func apart(a, b *image.NRGBA) (most int) {
	for i := range a.Pix {
		d := int(a.Pix[i]) - int(b.Pix[i])
		most = max(most, d, -d)
	}
	return most
}

func stop(at, v, alpha float64) drawing.Stop {
	return drawing.Stop{At: at, Colour: colour.Screen(colour.RGB{R: v, G: v, B: v}), Alpha: alpha}
}

// Where two stops lie at one place the edge between their colours is that of a shape,
// however it lies, and however the ramp goes on.
func TestLeapsAreEdges(t *testing.T) {
	const w, h = 60, 40
	page := geom.Rect{X1: w, Y1: h}
	for _, degrees := range []float64{0, 13, 45, 71, 90, 200} {
		sin, cos := math.Sincos(degrees * math.Pi / 180)
		d := geom.Pt(cos, sin)
		p0 := geom.Pt(30.3, 20.6).Sub(d.Mul(400))
		ramp := &drawing.Gradient{P0: p0, P1: p0.Add(d.Mul(1000)), Stops: []drawing.Stop{stop(0.4, 0, 1), stop(0.4, 1, 1)}, To: geom.Identity}
		far := d.Turn().Mul(500)
		at := p0.Add(d.Mul(400))
		var half geom.Path
		half.MoveTo(at.Add(far))
		half.LineTo(at.Sub(far))
		half.LineTo(at.Sub(far).Add(d.Mul(500)))
		half.LineTo(at.Add(far).Add(d.Mul(500)))
		half.Close()
		black, white := drawing.Solid{Alpha: 1}, drawing.Solid{Colour: colour.Screen(colour.White), Alpha: 1}
		edge := picture(t, page, w, h, &drawing.Shape{Path: geom.Box(page), Paint: black}, &drawing.Shape{Path: half, Paint: white})
		if n := apart(gradientOn(t, ramp, w, h), edge); n > 3 {
			t.Errorf("%g degrees: a leap lies %d of 255 beside the edge of a shape", degrees, n)
		}
	}
	ring := &drawing.Gradient{Radial: true, P0: geom.Pt(30.3, 20.6), P1: geom.Pt(30.3, 20.6), R1: 30, Stops: []drawing.Stop{stop(0.5, 1, 1), stop(0.5, 0, 1)}, To: geom.Identity}
	disc := picture(t, page, w, h, &drawing.Shape{Path: geom.Box(page), Paint: drawing.Solid{Alpha: 1}},
		&drawing.Shape{Path: geom.Ellipse(geom.Pt(30.3, 20.6), 15, 15), Paint: drawing.Solid{Colour: colour.Screen(colour.White), Alpha: 1}})
	if n := apart(gradientOn(t, ring, w, h), disc); n > 6 {
		t.Errorf("a leap of a radial gradient lies %d of 255 beside a disc", n)
	}
}

// A pixel is the mean of the ramp it covers, however the ramp is spread: held to
// sums of many samples. No pixel moves much when the ramp does by little.
func TestRampsAreMeans(t *testing.T) {
	const w, h, grain = 24, 5, 64
	stops := map[string][]drawing.Stop{
		"fade":  {stop(0, 0, 1), stop(1, 1, 0.3)},
		"steps": {stop(0.1, 0.2, 0.5), stop(0.3, 0.9, 1), stop(0.3, 0, 1), stop(0.8, 0.6, 0)},
	}
	for name, ss := range stops {
		for spread := drawing.Pad; spread <= drawing.Repeat; spread++ {
			for _, turn := range []float64{0.7, 3, 5.3, 19, 140} {
				for kind, g := range map[string]*drawing.Gradient{
					"line":  {P0: geom.Pt(7.2, 1), P1: geom.Pt(7.2+turn*0.8, 1+turn*0.6)},
					"round": {Radial: true, P0: geom.Pt(9.7, 2.2), P1: geom.Pt(9.7, 2.2), R1: turn},
					"focal": {Radial: true, P0: geom.Pt(9.7, 2.2), P1: geom.Pt(9.7-turn/3, 2.4), R1: turn},
				} {
					g.Stops, g.Spread, g.To = ss, spread, geom.Identity
					said := fmt.Sprint(name, ", ", kind, ", spread ", spread, ", a turn of ", turn, " px")
					got := gradientOn(t, g, w, h)
					for y := range h {
						for x := range w {
							var sum [4]float64
							for i := range grain {
								for j := range grain {
									p := geom.Pt(float64(x)+(float64(i)+0.5)/grain, float64(y)+(float64(j)+0.5)/grain)
									at, _ := g.Offset(p)
									c, a := g.Colour(at)
									for k, v := range [4]float64{c.R * a, c.G * a, c.B * a, a} {
										sum[k] += v / (grain * grain)
									}
								}
							}
							c := got.NRGBAAt(x, y)
							a := float64(c.A) / 255
							if e := max(math.Abs(a-sum[3]), math.Abs(float64(c.R)/255*a-sum[0])); e > 6.0/255 {
								t.Errorf("%s: %v at %d, %d is off by %.1f of 255", said, c, x, y, e*255)
							}
						}
					}
					moved := *g
					moved.P0.X += 1e-5
					moved.P1.X += 1e-5
					if n := apart(got, gradientOn(t, &moved, w, h)); n > 1 {
						t.Errorf("%s: moved by 1/100 000 px it changes by %d of 255", said, n)
					}
				}
			}
		}
	}
}
