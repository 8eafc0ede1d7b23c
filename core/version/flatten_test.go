package version_test

import (
	"context"
	"errors"
	"image"
	"math"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	intake "dyekit/core/intake/svg"
	"dyekit/core/raster"
	"dyekit/core/version"

	"dyekit/internal/budget"
)

func inked(c, m, y, k float64) colour.Colour {
	b := colour.CMYK{C: c, M: m, Y: y, K: k}
	return colour.Colour{RGB: b.RGB(), Build: b, Built: true}
}

func box(x0, y0, x1, y1 float64, c colour.Colour, alpha float64) *drawing.Shape {
	return &drawing.Shape{Path: geom.Box(geom.Rect{X0: x0, Y0: y0, X1: x1, Y1: y1}), Paint: drawing.Solid{Colour: c, Alpha: alpha}}
}

// Inks mix by their shares; what shows alone keeps its build and its plate.
func TestFlattenMixesInks(t *testing.T) {
	spot := inked(100, 40, 0, 10)
	spot.Spot = "Moor Blue"
	d := &drawing.Drawing{Page: geom.Rect{X1: 100, Y1: 100}, Nodes: []drawing.Node{
		box(0, 0, 60, 50, inked(100, 0, 0, 0), 1),
		box(30, 0, 90, 50, inked(0, 0, 0, 100), 0.5),
		box(0, 60, 90, 90, spot, 1),
	}}
	f, err := version.Flatten(context.Background(), d, 0)
	if err != nil {
		t.Fatal(err)
	}
	got := map[colour.CMYK]float64{}
	for _, n := range f.Nodes {
		s := n.(*drawing.Shape)
		p := s.Paint.(drawing.Solid)
		if p.Alpha != 1 {
			t.Errorf("%v is translucent", p)
		}
		if p.Colour.Spot != "" {
			if p.Colour.Spot != "Moor Blue" || math.Abs(s.Path.Area()-2700) > 1 {
				t.Errorf("the plate is %+v on %v", p.Colour, s.Path.Area())
			}
			continue
		}
		got[p.Colour.Build] += s.Path.Area()
	}
	// What is opaque stays whole under the patches, of 30 × 50 each; the lighter
	// one reaches two thirds of a unit further.
	for want, area := range map[colour.CMYK]float64{{C: 100}: 3000, {C: 50, K: 50}: 1500, {K: 50}: 1500} {
		if a := got[want]; a < area-1 || a > area+40 {
			t.Errorf("%v lies on %v square units, want %v; all: %v", want, a, area, got)
		}
	}
	if len(got) != 3 {
		t.Errorf("%d builds: %v", len(got), got)
	}
	if h := f.Has(); h.Translucent || h.Masks || h.Blends {
		t.Errorf("the flat drawing has %+v", h)
	}
	d.Nodes = append(d.Nodes, &drawing.Picture{Image: image.NewNRGBA(image.Rect(0, 0, 2, 2)), To: geom.Identity, Alpha: 0.5})
	if _, err := version.Flatten(context.Background(), d, 0); !errors.Is(err, version.ErrPixels) {
		t.Errorf("a picture: %v", err)
	}
}

// Open drawings with translucent paint, masks and fading gradients look the
// same flattened, on white paper. See NOTICES.md for the sets.
func TestFlattenedDrawingsLookTheSame(t *testing.T) {
	const side = 160
	least := budget.Of(7, 30)
	done, worst := 0, 0.0
	for i, s := range specimens(t) {
		if i%budget.Of(4, 1) != 0 {
			continue
		}
		ctx := context.Background()
		d, _, err := intake.Read(ctx, []byte(s.SVG), intake.Options{})
		if err != nil {
			t.Fatal(err)
		}
		h := d.Has()
		if !h.Translucent && !h.Masks && !h.Blends || h.Pictures || h.Filters || d.Bounds().Empty() {
			continue
		}
		f, err := version.Flatten(ctx, d, 0)
		if err != nil {
			t.Errorf("%s %s: %v", s.Set, s.Name, err)
			continue
		}
		if h := f.Has(); h.Translucent || h.Masks || h.Blends || h.HardClips {
			t.Errorf("%s %s: the flat drawing has %+v", s.Set, s.Name, h)
		}
		var pix [2]*image.NRGBA
		for i, x := range []*drawing.Drawing{d, f} {
			if pix[i], err = raster.Render(ctx, x, raster.Fit(d.Page, side, side), side, side, raster.Options{Ground: &colour.White}); err != nil {
				t.Fatal(err)
			}
		}
		sum, off := 0, 0
		for i, v := range pix[0].Pix {
			e := max(int(v)-int(pix[1].Pix[i]), int(pix[1].Pix[i])-int(v))
			sum += e
			if e > 40 {
				off++
			}
		}
		mean := float64(sum) / float64(len(pix[0].Pix))
		worst = max(worst, mean)
		if mean > 1.5 || off > len(pix[0].Pix)/250 {
			t.Errorf("%s %s: mean %.2f of 255, %d of %d samples off", s.Set, s.Name, mean, off, len(pix[0].Pix))
		}
		done++
	}
	if done < least {
		t.Errorf("only %d drawings have translucent paint", done)
	}
	t.Logf("%d drawings, the worst differs by %.2f of 255 on the mean", done, worst)
}
