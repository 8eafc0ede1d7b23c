package trace_test

import (
	"fmt"
	"image"
	"image/color"
	"maps"
	"math"
	"strings"
	"testing"

	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/trace"
)

// mirrored are the segments of a tracing, by colour, as text that does not depend
// on where a contour begins or which way it runs.
func mirrored(t *trace.Tracing, flip func(geom.Point) geom.Point) map[string]int {
	out := map[string]int{}
	at := func(p geom.Point) string {
		p = flip(p)
		return fmt.Sprintf("%.6f,%.6f", p.X+0, p.Y+0)
	}
	for _, r := range t.Regions {
		r.Path.EachClosed(func(c geom.Curve) {
			a, b := []string{at(c.A)}, []string{at(c.D)}
			if c.Op == geom.CubeTo {
				a, b = append(a, at(c.B)), append(b, at(c.C))
			}
			if c.A.Sub(c.D).Len() < 1e-9 {
				return
			}
			x, y := strings.Join(a, " "), strings.Join(b, " ")
			if y < x {
				x, y = y, x
			}
			out[fmt.Sprint(r.Colour, x, "|", y)]++
		})
	}
	return out
}

// axisOf is the middle of a tracing.
func axisOf(t *trace.Tracing) geom.Point {
	var box geom.Rect
	for i, r := range t.Regions {
		if b := r.Path.Bounds(); i == 0 {
			box = b
		} else {
			box = box.Union(b)
		}
	}
	return box.Centre()
}

const (
	shield = `<path d="M20 20H180V110C180 160 140 185 100 200C60 185 20 160 20 110Z" fill="#123a8c"/><path d="M100 40L120 90L170 95L130 125L145 175L100 148L55 175L70 125L30 95L80 90Z" fill="#e0b000"/><path d="M60 20H140V40H60Z" fill="#b3402c"/>`
	heart  = `<path d="M100 180C20 120 20 40 65 40C90 40 100 65 100 70C100 65 110 40 135 40C180 40 180 120 100 180Z" fill="#b3402c"/><circle cx="65" cy="90" r="14" fill="#fff"/><circle cx="135" cy="90" r="14" fill="#fff"/>`
	cross  = `<path d="M80 20H120V80H180V120H120V180H80V120H20V80H80Z" fill="#206047"/><circle cx="100" cy="100" r="30" fill="#f2c230"/>`
	lens   = `<path d="M20 100C60 40 140 40 180 100C140 160 60 160 20 100Z" fill="#5a2d8c"/><path d="M70 100A30 30 0 0 1 130 100A30 30 0 0 1 70 100Z" fill="#fff"/><path d="M85 85H115V115H85Z" fill="#111"/>`
)

func picture(t *testing.T, art string, side int, dx float64) *image.NRGBA {
	t.Helper()
	src := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="%g 0 200 210">%s</svg>`, dx, art)
	m, err := intake.Read(t.Context(), []byte(src), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return render(t, m.Drawing, side, side*21/20)
}

// Symmetric art comes out symmetric to the last of the digits that are kept, wherever
// its axis falls between pixels. Clean, always; with noise or packed as far as is
// reached: what packing leaves is not symmetric itself.
func TestSymmetricArtIsSymmetric(t *testing.T) {
	most := []int{0, 1, 9} // of 24, for each spoiling
	for i, spoil := range spoilings {
		looked, uneven := 0, 0
		for _, c := range []struct {
			name, art string
			both      bool
		}{{"shield", shield, false}, {"heart", heart, false}, {"cross", cross, true}, {"lens", lens, true}} {
			for _, side := range []int{128, 256} {
				for _, dx := range []float64{0, 0.37} {
					tr, err := trace.Trace(t.Context(), spoil.do(picture(t, c.art, side, dx)), trace.Options{})
					if err != nil {
						t.Fatal(err)
					}
					mid := axisOf(tr)
					own := mirrored(tr, func(p geom.Point) geom.Point { return p })
					across := mirrored(tr, func(p geom.Point) geom.Point { p.X = 2*mid.X - p.X; return p })
					over := mirrored(tr, func(p geom.Point) geom.Point { p.Y = 2*mid.Y - p.Y; return p })
					looked++
					if !maps.Equal(own, across) {
						uneven++
						t.Logf("%s of %d px, %s, moved by %g: left and right differ", c.name, side, spoil.name, dx)
					}
					if !c.both {
						continue
					}
					looked++
					if !maps.Equal(own, over) {
						uneven++
						t.Logf("%s of %d px, %s, moved by %g: above and below differ", c.name, side, spoil.name, dx)
					}
				}
			}
		}
		if uneven > most[i] {
			t.Errorf("%s: %d of %d are not symmetric, at most %d", spoil.name, uneven, looked, most[i])
		}
	}
}

// What only looks symmetric keeps what is not.
func TestAsymmetryIsKept(t *testing.T) {
	img := picture(t, shield, 256, 0)
	for y := 120; y < 126; y++ {
		for x := 26; x < 32; x++ { // a notch on one side
			img.SetNRGBA(x, y, color.NRGBA{})
		}
	}
	tr, err := trace.Trace(t.Context(), img, trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := math.Inf(1), math.Inf(-1)
	for _, r := range tr.Regions {
		r.Path.Flatten(0.05, func(a, b geom.Point) {
			if (a.Y > 123) != (b.Y > 123) {
				x := a.Lerp(b, (123-a.Y)/(b.Y-a.Y)).X
				left, right = min(left, x), max(right, x)
			}
		})
	}
	if mid := axisOf(tr).X; math.IsInf(left, 0) || math.Abs((left+right)/2-mid) < 2 {
		t.Errorf("the notch is gone: from %.1f to %.1f about %.1f", left, right, mid)
	}
}
