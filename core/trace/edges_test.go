package trace_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/planar"
	"dyekit/core/trace"
	"dyekit/internal/budget"
)

// A scan is a drawing of one ink on paper, a little turned, blurred and noisy, with the
// outline that it was made of.
type scan struct {
	name string
	path geom.Path // px of the picture
	img  *image.NRGBA
}

const scanSide = 800 // px

// scans makes some of drawings of one colour of the open sets.
func scans(t testing.TB, most int) (out []scan) {
	ctx := context.Background()
	for _, x := range specimens(t) {
		var layers []planar.Layer
		inks, n := map[string]bool{}, 0
		x.d.Walk(func(x drawing.Node, in []*drawing.Group) {
			s, ok := x.(*drawing.Shape)
			if !ok || len(in) > 1 {
				n = 100
				return
			}
			layers = append(layers, planar.Layer{Path: s.Path, Rule: s.Rule})
			inks[fmt.Sprint(s.Paint)] = true
			n++
		})
		if len(inks) != 1 || n > 60 {
			continue
		}
		p, err := planar.Union(ctx, layers...)
		if err != nil || len(p) < 8 {
			continue
		}
		k := 0.86 * scanSide / x.d.Page.Long()
		at := geom.Translate(scanSide/2, scanSide/2).Mul(geom.Rotate(0.023)).Mul(geom.Scale(k, k)).Mul(geom.Translate(-x.d.Page.Centre().X, -x.d.Page.Centre().Y))
		p = p.Transform(at)
		d := &drawing.Drawing{Page: geom.Rect{X1: scanSide, Y1: scanSide}, Nodes: []drawing.Node{shape(p, red)}}
		out = append(out, scan{x.name, p, scanned(render(t, d, scanSide, scanSide))})
		if len(out) == most {
			break
		}
	}
	return out
}

// scanned is a picture as a scanner sees it: on paper, through a lens, with grain.
func scanned(img *image.NRGBA) *image.NRGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	paper := [3]float64{244, 241, 233}
	v := make([][3]float64, w*h)
	for i := range v {
		a := float64(img.Pix[4*i+3]) / 255
		for c := range 3 {
			v[i][c] = a*float64(img.Pix[4*i+c]) + (1-a)*paper[c]
		}
	}
	const sigma = 1.1
	var kernel [7]float64
	sum := 0.0
	for i := range kernel {
		kernel[i] = math.Exp(-float64((i-3)*(i-3)) / (2 * sigma * sigma))
		sum += kernel[i]
	}
	for _, step := range []int{1, w} {
		u := make([][3]float64, len(v))
		for y := range h {
			for x := range w {
				at := x
				n := w
				if step == w {
					at, n = y, h
				}
				for k, f := range kernel {
					j := min(max(at+k-3, 0), n-1) - at
					for c := range 3 {
						u[y*w+x][c] += f / sum * v[y*w+x+j*step][c]
					}
				}
			}
		}
		v = u
	}
	r := rand.New(rand.NewPCG(3, 4))
	out := image.NewNRGBA(img.Rect)
	for i := range v {
		for c := range 3 {
			out.Pix[4*i+c] = uint8(min(255, max(0, v[i][c]+5*r.NormFloat64()+0.5)))
		}
		out.Pix[4*i+3] = 255
	}
	return out
}

// apart is how far two outlines lie from each other, px: the mean along both.
func apart(a, b geom.Path) float64 {
	return (oneWay(a, b) + oneWay(b, a)) / 2
}

func oneWay(a, b geom.Path) float64 {
	const cell, far, side = 4.0, 4.0, 2 * scanSide / 4
	type seg struct{ p, q geom.Point }
	grid := make([][]seg, side*side)
	at := func(v float64) int { return min(side-1, max(0, int(v/cell))) }
	b.Flatten(0.02, func(p, q geom.Point) {
		for x := at(min(p.X, q.X) - far); x <= at(max(p.X, q.X)+far); x++ {
			for y := at(min(p.Y, q.Y) - far); y <= at(max(p.Y, q.Y)+far); y++ {
				grid[y*side+x] = append(grid[y*side+x], seg{p, q})
			}
		}
	})
	sum, n := 0.0, 0.0
	a.Flatten(0.02, func(p, q geom.Point) {
		l := q.Sub(p).Len()
		steps := math.Ceil(l / 0.5)
		for i := 0.0; i < steps; i++ {
			o := p.Lerp(q, (i+0.5)/steps)
			best := far
			for _, s := range grid[at(o.Y)*side+at(o.X)] {
				d := s.q.Sub(s.p)
				t := 0.0
				if v := d.Dot(d); v > 0 {
					t = min(1, max(0, o.Sub(s.p).Dot(d)/v))
				}
				best = min(best, o.Sub(s.p.Lerp(s.q, t)).Len())
			}
			sum += best * l / steps
			n += l / steps
		}
	})
	return sum / max(n, 1e-9)
}

// potrace traces a picture with the tracer of that name, as sharply as it sees black and
// white: between the ink and the paper.
func potrace(t testing.TB, img *image.NRGBA) geom.Path {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	var b bytes.Buffer
	fmt.Fprintf(&b, "P4\n%d %d\n", w, h)
	for y := range h {
		row := make([]byte, (w+7)/8)
		for x := range w {
			if img.Pix[img.PixOffset(x, y)+1] < (241+40)/2 {
				row[x/8] |= 0x80 >> (x % 8)
			}
		}
		b.Write(row)
	}
	cmd := exec.Command("potrace", "-s", "--flat", "-u", "100", "-o", "-", "-")
	cmd.Stdin = &b
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	d, _, err := svg.Read(context.Background(), out, svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var p geom.Path
	k := float64(w) / d.Page.W()
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			p = append(p, s.Path...)
		}
	})
	return p.Transform(geom.Scale(k, k).Mul(geom.Translate(-d.Page.X0, -d.Page.Y0)))
}

// On scans of one ink, edges lie nearer to those that were drawn than a general-purpose
// tracer's, potrace of Debian, in fewer pieces.
func TestEdgesOfScans(t *testing.T) {
	sum, n := 0.0, 0.0
	var worse []string
	for _, s := range scans(t, budget.Of(8, 24)) {
		tr, err := trace.Trace(context.Background(), s.img, trace.Options{Smooth: 0.3})
		if err != nil {
			t.Fatal(err)
		}
		var p geom.Path
		for _, r := range tr.Regions {
			p = append(p, r.Path...)
		}
		ref := potrace(t, s.img)
		ours, theirs := apart(p, s.path), apart(ref, s.path)
		t.Logf("%s: %.3f px in %d pieces; potrace %.3f in %d; drawn in %d", s.name, ours, len(p), theirs, len(ref), len(s.path))
		if ours > theirs || len(p) > len(ref) {
			worse = append(worse, s.name)
		}
		sum, n = sum+ours, n+1
	}
	// A square that is 0.4 px longer than wide is made a square.
	if len(worse) > 0 && !(len(worse) == 1 && strings.HasSuffix(worse[0], "blacksmallsquare")) {
		t.Errorf("potrace is nearer, or needs less, for %v", worse)
	}
	if mean := sum / n; mean > 0.09 {
		t.Errorf("edges are %.3f px off in the mean", mean)
	}
}

// Rings of a scan have one middle, also where what they stand about keeps the art from being
// symmetric.
func TestRingsHaveOneMiddle(t *testing.T) {
	c := geom.Pt(402.3, 396.8)
	ring := append(geom.Ellipse(c, 300, 300), geom.Ellipse(c, 270, 270).Reverse()...)
	d := &drawing.Drawing{Page: geom.Rect{X1: scanSide, Y1: scanSide}, Nodes: []drawing.Node{
		shape(ring, red), shape(geom.Ellipse(c, 200, 200), red), shape(polygon(geom.Pt(20, 30), geom.Pt(90, 40), geom.Pt(30, 100)), red),
	}}
	tr, err := trace.Trace(t.Context(), scanned(render(t, d, scanSide, scanSide)), trace.Options{Smooth: 0.3})
	if err != nil {
		t.Fatal(err)
	}
	var middles []geom.Point
	for _, r := range tr.Regions {
		for _, p := range r.Path.Subpaths() {
			if b := p.Bounds(); b.W() > 300 {
				middles = append(middles, b.Centre())
				if b.Centre().Sub(c).Len() > 0.1 || math.Abs(b.W()-b.H()) > 1e-6 {
					t.Errorf("a ring of %.2f × %.2f px about %.2f", b.W(), b.H(), b.Centre())
				}
			}
		}
	}
	if len(middles) != 3 || middles[0].Sub(middles[1]).Len() > 1e-6 || middles[0].Sub(middles[2]).Len() > 1e-6 {
		t.Errorf("the rings' middles: %v", middles)
	}
}

// Sides that were drawn straight and parallel come out so, from a scan too.
func TestStraightStaysStraight(t *testing.T) {
	box := geom.RoundBox(geom.Rect{X0: 150, Y0: 240, X1: 650, Y1: 560}, 40, 40).Transform(geom.Translate(400, 400).Mul(geom.Rotate(0.11)).Mul(geom.Translate(-400, -400)))
	d := &drawing.Drawing{Page: geom.Rect{X1: scanSide, Y1: scanSide}, Nodes: []drawing.Node{shape(box, red)}}
	tr, err := trace.Trace(t.Context(), scanned(render(t, d, scanSide, scanSide)), trace.Options{Smooth: 0.3})
	if err != nil {
		t.Fatal(err)
	}
	var sides []float64 // directions, as parts of a quarter turn
	tr.Regions[0].Path.EachClosed(func(c geom.Curve) {
		if v := c.D.Sub(c.A); c.Op == geom.LineTo && v.Len() > 100 {
			sides = append(sides, math.Mod(math.Atan2(v.Y, v.X)+2*math.Pi, math.Pi/2))
		}
	})
	if len(tr.Regions) != 1 || len(sides) != 4 || len(tr.Regions[0].Path) > 14 {
		t.Fatalf("a rounded box has %d straight sides: %v", len(sides), tr.Regions[0].Path)
	}
	for _, a := range sides {
		if math.Abs(a-0.11) > 0.001 {
			t.Errorf("a side is turned by %.4f and not 0.11", a)
		}
	}
}
