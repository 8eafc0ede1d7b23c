package kit

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/export"
	"dyekit/core/export/svg"
	"dyekit/core/frame"
	"dyekit/core/raster"
	"dyekit/core/version"
	"dyekit/internal/testkit"
)

// Every ready finish looks in SVG, as librsvg draws it, as it does in our pictures:
// gradients, lines, and the filters of soft light and shade.
func TestFinishesInSVG(t *testing.T) {
	p := planOf(t, twoInks, sheetRecipe)
	art := version.NewArt(p.Master.Drawing)
	inks := []version.Ink{{Name: "Fir", RGB: "#206047"}, {Name: "Brick", RGB: "#d9412b"}}
	const w = 360
	files := map[string][]byte{}
	drawn := map[string]export.Page{}
	for _, f := range version.Ready(inks) {
		v, err := art.Make(context.Background(), version.Spec{Name: f.Name, Treatment: version.AsDrawn, Finish: &f})
		if err != nil || v.Drawing == nil {
			t.Fatal(f.Name, err, v.Refused)
		}
		box := v.Drawing.Bounds().Grow(4)
		page := export.Page{Drawing: v.Drawing, Frame: frame.Frame{Box: box, W: 2 * box.W(), H: 2 * box.H()}}
		var b strings.Builder
		if err := svg.Encode(&b, page, svg.Options{}); err != nil {
			t.Fatal(f.Name, err)
		}
		if soft := len(f.Effects) > 0; soft != strings.Contains(b.String(), "<filter") || !svg.Filters(v.Drawing) {
			t.Errorf("%s: soft %v, but the file says otherwise", f.Name, soft)
		}
		files[f.Name+".svg"], drawn[f.Name] = []byte(b.String()), page
	}
	dir, _ := testkit.Run(t, files, "true")
	for name, page := range drawn {
		h := int(w*page.Frame.H/page.Frame.W + 0.5)
		out := filepath.Join(dir, name+".png")
		if b, err := exec.Command("rsvg-convert", "-w", fmt.Sprint(w), "-h", fmt.Sprint(h), "-o", out, filepath.Join(dir, name+".svg")).CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", name, err, b)
		}
		want, err := raster.Render(context.Background(), page.Drawing, raster.Fit(page.Frame.Box, w, h), w, h, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		// librsvg blurs by three boxes, as SVG 1.1 section 15.17 allows: a few steps of
		// 255 in what is soft.
		if off := testkit.Outside(testkit.ReadPNG(t, out), want, 12); off > 0.004 {
			t.Errorf("%s: %.2f %% of the pixels differ from librsvg's", name, 100*off)
		}
	}
}
