package raster_test

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"math"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/raster"
)

// open are drawings of open icon and flag sets (npm: see core/intake/svg/testdata).
func open(t testing.TB) (all []*drawing.Drawing) {
	t.Helper()
	var list []struct{ SVG string }
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err == nil {
		err = json.Unmarshal(b, &list)
	}
	if err != nil {
		t.Fatal(err)
	}
	for i, x := range list {
		if i%4 != 0 {
			continue
		}
		d, _, err := svg.Read(context.Background(), []byte(x.SVG), svg.Options{})
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, d)
	}
	return all
}

// Runs are the pixels, on a ground and without, with edges and without.
func TestRunsAreThePixels(t *testing.T) {
	n := 0
	for i, d := range open(t) {
		if !raster.Flat(d) {
			continue
		}
		n++
		w, h := 90+i%60, 75+i%50
		to := raster.Fit(d.Page, w, h)
		for _, o := range []raster.Options{{}, {Hard: true}, {Ground: &colour.RGB{R: 0.2, G: 0.5, B: 0.9}}} {
			img, err := raster.Render(context.Background(), d, to, w, h, o)
			if err != nil {
				t.Fatal(err)
			}
			pic, err := raster.RenderRuns(context.Background(), d, to, w, h, o)
			if err != nil {
				t.Fatal(err)
			}
			for y, row := range pic.Rows {
				for k, r := range row {
					if k > 0 && (r.End <= row[k-1].End || r.Colour == row[k-1].Colour) || k == len(row)-1 && int(r.End) != w {
						t.Fatalf("drawing %d, row %d: runs %v", i, y, row)
					}
				}
			}
			if got := pic.Image(); string(got.Pix) != string(img.Pix) {
				t.Errorf("drawing %d, %+v: runs are not the pixels", i, o)
			}
		}
	}
	if n < 30 {
		t.Errorf("only %d flat drawings", n)
	}
}

// An outline that was resolved covers what it covered: the two are drawn with
// other chords, each of which may lie geom.Flatness beside its curve.
func TestResolvedOutlinesCoverTheSame(t *testing.T) {
	const step = 2 * geom.Flatness * 255
	changed := 0
	for i, d := range open(t) {
		var o raster.Outlines
		if err := o.Resolve(context.Background(), d); err != nil {
			t.Fatal(err)
		}
		for _, w := range []int{23, 240} {
			to := raster.Fit(d.Page, w, w)
			plain, err := raster.Render(context.Background(), d, to, w, w, raster.Options{})
			if err != nil {
				t.Fatal(err)
			}
			again, err := raster.Render(context.Background(), d, to, w, w, raster.Options{Outlines: &o})
			if err != nil {
				t.Fatal(err)
			}
			most := 0
			for k := 3; k < len(plain.Pix); k += 4 {
				e := int(plain.Pix[k]) - int(again.Pix[k])
				most = max(most, e, -e)
			}
			if float64(most) > step+1 {
				t.Errorf("drawing %d at %d px: opacity differs by %d of 255", i, w, most)
			}
			if most > 0 {
				changed++
			}
		}
	}
	t.Logf("%d pictures differ in some pixel", changed)
}

// In one picture time grows with the edges by a power under 1.1, whether they lie
// apart or cross: that of many is told from that of few.
func BenchmarkGrowthInEdges(b *testing.B) {
	star := func(n int) *drawing.Drawing {
		r := rand.New(rand.NewPCG(1, uint64(n)))
		d := &drawing.Drawing{Page: geom.Rect{X1: 1000, Y1: 1000}}
		for range n / 40 {
			c := geom.Pt(r.Float64()*1000, r.Float64()*1000)
			var p geom.Path
			for k := range 40 {
				q := c.Add(geom.Pt(r.Float64()-0.5, r.Float64()-0.5).Mul(30))
				if k == 0 {
					p.MoveTo(q)
				} else {
					p.LineTo(q)
				}
			}
			d.Nodes = append(d.Nodes, &drawing.Shape{Path: p, Paint: drawing.Solid{Alpha: 1}})
		}
		return d
	}
	for _, resolved := range []bool{false, true} {
		name := "as-drawn"
		if resolved {
			name = "resolved"
		}
		b.Run(name, func(b *testing.B) { growth(b, star(2000), star(40_000), 20, resolved) })
	}
}

// BenchmarkGrowthInPixels is the same for pixels, of which there are twenty times
// as many.
func BenchmarkGrowthInPixels(b *testing.B) {
	for _, d := range open(b)[:1] {
		power(b, 400, func() { drawAt(b, d, nil, 200) }, func() { drawAt(b, d, nil, 4000) })
	}
}

func growth(b *testing.B, few, many *drawing.Drawing, times float64, resolved bool) {
	var o *raster.Outlines
	if resolved {
		o = new(raster.Outlines)
		for _, d := range []*drawing.Drawing{few, many} {
			if err := o.Resolve(context.Background(), d); err != nil {
				b.Fatal(err)
			}
		}
	}
	power(b, times, func() { drawAt(b, few, o, 1000) }, func() { drawAt(b, many, o, 1000) })
}

func drawAt(b *testing.B, d *drawing.Drawing, o *raster.Outlines, w int) *image.NRGBA {
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, w), w, w, raster.Options{Outlines: o})
	if err != nil {
		b.Fatal(err)
	}
	return img
}

// power reports the power with which time grows from few to many, which are times
// as many.
func power(b *testing.B, times float64, few, many func()) {
	few()
	many()
	var short, long time.Duration
	for range b.N {
		for range 5 {
			start := time.Now()
			few()
			short += time.Since(start) / 5
		}
		start := time.Now()
		many()
		long += time.Since(start)
	}
	b.ReportMetric(math.Log(float64(long)/float64(short))/math.Log(times), "power")
	b.ReportMetric(float64(long.Milliseconds())/float64(b.N), "ms-of-many")
}

// A shape that reaches far beyond its page, as a slip of the pen or a mirrored arc
// does, crosses itself on the page as it did: what is settled of so large a shape
// is coarser than a page is drawn.
func TestOutlinesFarLargerThanThePage(t *testing.T) {
	p := geom.Path{}
	p.MoveTo(geom.Pt(13.148, 187.8))
	p.CubeTo(geom.Pt(41156.2, 77623.9), geom.Pt(22733.1, 42897.7), geom.Pt(6.531, 155.36))
	p.LineTo(geom.Pt(18.158, 108.89))
	p.CubeTo(geom.Pt(32.08, 559.76), geom.Pt(4.5715, 235.65), geom.Pt(26.743, 625.62))
	p.LineTo(geom.Pt(32.662, 137.06))
	p.LineTo(geom.Pt(24, 150))
	p.Close()
	d := &drawing.Drawing{Page: geom.Rect{X1: 30, Y1: 900}, Nodes: []drawing.Node{&drawing.Shape{Path: p, Paint: drawing.Solid{Alpha: 1}}}}
	var o raster.Outlines
	if err := o.Resolve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	to := raster.Fit(d.Page, 60, 1800)
	plain, err := raster.Render(t.Context(), d, to, 60, 1800, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	again, err := raster.Render(t.Context(), d, to, 60, 1800, raster.Options{Outlines: &o})
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(plain.Pix, again.Pix) {
		t.Error("the shape is drawn otherwise once its outline is resolved")
	}
}
