package trace_test

import (
	"fmt"
	"image"
	"math"
	"strings"
	"testing"

	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/trace"
)

// turns repeats a shape n times round the middle of a picture of 200 units.
func turns(n int, shape string) string {
	var b strings.Builder
	for k := range n {
		fmt.Fprintf(&b, `<g transform="rotate(%g 100 100)">%s</g>`, 360*float64(k)/float64(n), shape)
	}
	return b.String()
}

// square is a square picture of the 200 units, moved by a part of a unit.
func square(t *testing.T, art string, side int, dx float64) *image.NRGBA {
	t.Helper()
	src := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="%g 0 200 200">%s</svg>`, dx, art)
	m, err := intake.Read(t.Context(), []byte(src), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return render(t, m.Drawing, side, side)
}

// wavy is a ring without corners that has no axis.
func wavy(n int) string {
	var b strings.Builder
	for k := range 720 {
		a := 2 * math.Pi * float64(k) / 720
		r := 70 + 9*math.Cos(float64(n)*a) + 4*math.Sin(2*float64(n)*a)
		fmt.Fprintf(&b, "%c%.4f %.4f", "ML"[min(k, 1)], 100+r*math.Cos(a), 100+r*math.Sin(a))
	}
	return `<path d="` + b.String() + `Z" fill="#206047"/>`
}

const (
	blade = `<path d="M104 84L100 25Q145 30 150 70Z" fill="#123a8c"/>`
	arm   = `<path d="M92 88C80 60 90 30 125 22C108 42 104 60 112 82Z" fill="#b3402c"/><circle cx="140" cy="45" r="9" fill="#e0b000"/>`
	saw   = `<path d="M100 100L97 20L148 38Z" fill="#5a2d8c"/>`
	hub   = `<circle cx="100" cy="100" r="26" fill="#f2c230"/>`
	slice = `<path d="M100 100L180 100A80 80 0 0 1 100 180Q120 140 100 100Z" fill="#e0b000"/>`
)

// uneven counts the curves of a tracing that have no image, turned by a part of a
// full turn about its middle.
func uneven(t *trace.Tracing, n int, mid geom.Point) (wrong, all int) {
	m := geom.Translate(mid.X, mid.Y).Mul(geom.Rotate(2 * math.Pi / float64(n))).Mul(geom.Translate(-mid.X, -mid.Y))
	near := func(p, q geom.Point) bool { return p.Sub(q).Len() < 1e-6 }
	for _, r := range t.Regions {
		var cs []geom.Curve
		r.Path.EachClosed(func(c geom.Curve) {
			if !near(c.A, c.D) || c.Op == geom.CubeTo {
				cs = append(cs, c)
			}
		})
		for _, c := range cs {
			if r := c.A.Sub(mid).Len(); c.Op == geom.CubeTo && math.Abs(c.D.Sub(mid).Len()-r) < 1e-6 && math.Abs(c.At(0.5).Sub(mid).Len()-r) < r/3000 {
				continue // of a circle about the middle, wherever it begins
			}
			a, b, d, e := m.Apply(c.A), m.Apply(c.B), m.Apply(c.C), m.Apply(c.D)
			found := false
			for _, o := range cs {
				if o.Op != c.Op {
					continue
				}
				line := c.Op == geom.LineTo
				found = found || near(a, o.A) && near(e, o.D) && (line || near(b, o.B) && near(d, o.C)) ||
					near(a, o.D) && near(e, o.A) && (line || near(b, o.C) && near(d, o.B))
			}
			all++
			if !found {
				wrong++
			}
		}
	}
	return wrong, all
}

// Art that can be turned, and has no axis, can be turned when it is traced: to a
// millionth of a pixel, wherever its middle falls between pixels.
func TestArtThatTurns(t *testing.T) {
	for _, c := range []struct {
		name, art string
		n         int
	}{
		{"four blades", turns(4, blade), 4},
		{"three arms and dots", turns(3, arm), 3},
		{"a saw of nine", turns(9, saw) + hub, 9},
		{"a wave of five", wavy(5), 5},
		{"a wave of three about a disc", wavy(3) + hub, 3},
		{"an S", `<path d="M140 70C140 30 60 30 60 65C60 100 140 100 140 135C140 170 60 170 60 130" fill="none" stroke="#222" stroke-width="22"/>`, 2},
		{"an S over a disc", `<circle cx="100" cy="100" r="90" fill="#e0b000"/><path d="M140 70C140 30 60 30 60 65C60 100 140 100 140 135C140 170 60 170 60 130" fill="none" stroke="#222" stroke-width="22"/>`, 2},
		{"blades in two colours", turns(3, blade) + `<g transform="rotate(60 100 100)">` + turns(3, strings.ReplaceAll(blade, "#123a8c", "#e0b000")) + `</g>` + hub, 3},
		{"slices in a disc, about a hub", `<circle cx="100" cy="100" r="90" fill="#123a8c"/>` + turns(2, slice) + hub, 2},
	} {
		for i, dx := range []float64{0, 0.37, -0.61} {
			tr, err := trace.Trace(t.Context(), square(t, c.art, 256+60*i, dx), trace.Options{})
			if err != nil {
				t.Fatal(err)
			}
			// The middle of all curves' ends is that of the turning.
			var mid geom.Point
			ends := 0.0
			for _, r := range tr.Regions {
				r.Path.EachClosed(func(c geom.Curve) {
					if c.A.Sub(c.D).Len() > 1e-6 {
						mid, ends = mid.Add(c.A), ends+1
					}
				})
			}
			mid = mid.Mul(1 / ends)
			if wrong, all := uneven(tr, c.n, mid); wrong > 0 || all < 2*c.n {
				t.Errorf("%s, %d px: %d of %d curves have no image", c.name, 256+60*i, wrong, all)
			}
		}
	}
}

// Art that is near to turning, but does not, keeps what is its own.
func TestArtThatHardlyTurns(t *testing.T) {
	art := turns(4, blade) + `<circle cx="160" cy="45" r="6" fill="#123a8c"/>`
	tr, err := trace.Trace(t.Context(), square(t, art, 300, 0), trace.Options{})
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, r := range tr.Regions {
		for _, sub := range r.Path.Subpaths() {
			if b := sub.Bounds(); b.W() < 30 && math.Abs(b.W()-18) < 0.3 && math.Abs(b.H()-18) < 0.3 {
				n++
			}
		}
	}
	if n != 1 {
		t.Errorf("the dot that only one blade has is there %d times", n)
	}
}
