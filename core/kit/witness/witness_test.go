package witness

import (
	"context"
	"encoding/json"
	"image"
	"os"
	"slices"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake/svg"
	"dyekit/core/raster"
)

func open(t *testing.T) (all []struct{ Set, Name, SVG string }) {
	t.Helper()
	b, err := os.ReadFile("../../intake/svg/testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	return all
}

// What is drawn by areas and what is counted along lines is the same on
// drawings of open sets (npm: see core/intake/svg/testdata), and a picture
// that was changed is seen to be.
func TestTheSameByOtherMeans(t *testing.T) {
	ctx := context.Background()
	n := 0
	for i, x := range open(t) {
		if i%5 != 0 {
			continue
		}
		d, _, err := svg.Read(ctx, []byte(x.SVG), svg.Options{})
		if err != nil {
			t.Fatal(err)
		}
		const w, h = 120, 97
		to := raster.Fit(d.Page, w, h)
		img, err := raster.Render(ctx, d, to, w, h, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		ps := new(Paths)
		v, err := New(ps, d, to, w, h, raster.Options{}).Compare(ctx, Pixels(img), Every(w, h))
		if err != nil {
			t.Fatal(err)
		}
		if all, err := Whole(ctx, ps, d, to, w, h, raster.Options{}, Pixels(img), Every(w, h)); err != nil || all != v {
			t.Errorf("%s %s: on all cores %v, %v", x.Set, x.Name, all, err)
		}
		if !v.OK() {
			t.Errorf("%s %s: %v", x.Set, x.Name, v)
		}
		n++
		// One shape less, where it can be seen.
		last := d.Nodes[len(d.Nodes)-1]
		less := *d
		less.Nodes = slices.Clone(d.Nodes[:len(d.Nodes)-1])
		if drawing.Bounds(last).Area() < d.Page.Area()/50 {
			continue
		}
		bare, err := raster.Render(ctx, &less, to, w, h, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if slices.Equal(bare.Pix, img.Pix) {
			continue
		}
		if v, _ := New(new(Paths), d, to, w, h, raster.Options{}).Compare(ctx, Pixels(bare), Every(w, h)); v.OK() {
			t.Errorf("%s %s: a shape is gone and nothing is seen", x.Set, x.Name)
		}
	}
	if n < 60 {
		t.Errorf("only %d drawings", n)
	}
}

// A picture drawn half a pixel beside its place, or three steps lighter, is
// found in the tiles that are sampled of it.
func TestSmallFaultsAreSeen(t *testing.T) {
	ctx := context.Background()
	d, _, err := svg.Read(ctx, []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><defs><linearGradient id="g"><stop stop-color="#225"/><stop offset="1" stop-color="#e80"/></linearGradient></defs>
		<circle cx="30" cy="30" r="22.3" fill="#1a5f7a"/><rect x="50.5" y="11" width="30" height="37" fill="url(#g)" opacity=".7"/><path d="M5 5L85 55" stroke="#a3322b" stroke-width="1.3"/></svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	const w, h = 1000, 667
	to := raster.Fit(d.Page, w, h)
	right, err := raster.Render(ctx, d, to, w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	look := func(img *image.NRGBA) Verdict {
		k := New(new(Paths), d, to, w, h, raster.Options{})
		v, err := k.Compare(ctx, Pixels(img), k.Sample(24))
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	if v := look(right); !v.OK() || v.Pixels > 24*Side*Side {
		t.Errorf("the right picture: %v", v)
	}
	to.E += 0.5
	moved, err := raster.Render(ctx, d, to, w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	to.E -= 0.5
	if v := look(moved); v.OK() {
		t.Error("half a pixel is not seen")
	}
	lighter := image.NewNRGBA(right.Rect)
	copy(lighter.Pix, right.Pix)
	for i := 0; i < len(lighter.Pix); i += 4 {
		lighter.Pix[i] += 3
	}
	if v := look(lighter); v.OK() {
		t.Error("three steps of red are not seen")
	}
}
