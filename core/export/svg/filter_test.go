package svg_test

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/export"
	"dyekit/core/export/svg"
	"dyekit/core/frame"
	in "dyekit/core/intake/svg"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// Filters as drawing programs write shadows, glows and tints stay filters of SVG 1.1,
// and librsvg draws what is written as it draws what came in. What SVG 1.1 has not, or
// needs more than steps, is not claimed.
func TestFilters(t *testing.T) {
	const body = `<g filter="url(#f)"><path fill="#36c" d="M60 40h280l-60 100h-60v120h-60V140h-40z"/><circle cx="300" cy="220" r="40" fill="#d9a514"/></g></svg>`
	for _, c := range []struct {
		name, steps string
		kept        bool
	}{
		{"shadow of Filter Effects", `<feDropShadow dx="6" dy="8" stdDeviation="5" flood-opacity=".5"/>`, true},
		{"shadow in eight steps", `<feFlood flood-opacity="0" result="b"/><feColorMatrix in="SourceAlpha" type="matrix" values="0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 127 0" result="h"/><feOffset dy="8"/><feGaussianBlur stdDeviation="4"/><feComposite in2="h" operator="out"/><feColorMatrix type="matrix" values="0 0 0 0 0.1 0 0 0 0 0 0 0 0 0 0.4 0 0 0 0.5 0"/><feBlend mode="normal" in2="b" result="e"/><feBlend mode="normal" in="SourceGraphic" in2="e"/>`, true},
		{"paler shadow", `<feGaussianBlur in="SourceAlpha" stdDeviation="6"/><feOffset dx="5" dy="5" result="o"/><feComponentTransfer><feFuncA type="linear" slope="0.4"/></feComponentTransfer><feMerge><feMergeNode/><feMergeNode in="SourceGraphic"/></feMerge>`, true},
		{"steps and curves of tones", `<feComponentTransfer><feFuncR type="gamma" exponent="0.6"/><feFuncG type="table" tableValues="0 .2 1"/><feFuncB type="discrete" tableValues="0 .5 1"/></feComponentTransfer>`, true},
		{"less colour", `<feColorMatrix type="saturate" values="0.2"/>`, true},
		{"a tint laid over", `<feFlood flood-color="#f80" flood-opacity=".6" result="f"/><feBlend in="SourceGraphic" in2="f" mode="multiply" result="m"/><feComposite in="m" in2="SourceAlpha" operator="in"/>`, true},
		{"overlay, of a later standard", `<feFlood flood-color="#f80" result="f"/><feBlend in="SourceGraphic" in2="f" mode="overlay"/>`, false},
		{"noise", `<feTurbulence baseFrequency=".05"/><feComposite in2="SourceAlpha" operator="in"/>`, false},
		{"light", `<feDiffuseLighting in="SourceAlpha"><feDistantLight azimuth="45" elevation="45"/></feDiffuseLighting>`, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			came := `<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300" viewBox="0 0 400 300"><filter id="f" x="-.2" y="-.2" width="1.4" height="1.4" color-interpolation-filters="sRGB">` + c.steps + `</filter>` + body
			d, _, err := in.Read(t.Context(), []byte(came), in.Options{})
			if err != nil {
				t.Fatal(err)
			}
			if svg.Filters(d) != c.kept {
				t.Fatalf("kept as a filter: %v", !c.kept)
			}
			page := export.Page{Drawing: d, Frame: frame.Frame{Box: d.Page, W: 400, H: 300}}
			var b strings.Builder
			if err := svg.Encode(&b, page, svg.Options{}); (err == nil) != c.kept {
				t.Fatalf("written: %v", err)
			}
			if !c.kept {
				return
			}
			if strings.Contains(b.String(), "<image") || !strings.Contains(b.String(), "<filter") {
				t.Error("there is no filter in the file")
			}
			dir, _ := testkit.Run(t, map[string][]byte{"came.svg": []byte(came), "made.svg": []byte(b.String())}, "true")
			for _, name := range []string{"came", "made"} {
				if out, err := exec.Command("rsvg-convert", "-w", "400", "-h", "300", "-o", filepath.Join(dir, name+".png"), filepath.Join(dir, name+".svg")).CombinedOutput(); err != nil {
					t.Fatalf("%s: %v: %s", name, err, out)
				}
			}
			cameAs, madeAs := testkit.ReadPNG(t, filepath.Join(dir, "came.png")), testkit.ReadPNG(t, filepath.Join(dir, "made.png"))
			// The librsvg of Debian 12 does not draw feDropShadow: it is held to our own alone.
			if off := testkit.Outside(cameAs, madeAs, 3); off > 0.002 && !strings.Contains(c.steps, "feDropShadow") {
				t.Errorf("%.2f %% of the pixels differ from those of what came in", 100*off)
			}
			ours, err := raster.Render(t.Context(), d, raster.Fit(d.Page, 400, 300), 400, 300, raster.Options{})
			if err != nil {
				t.Fatal(err)
			}
			if off := testkit.Outside(madeAs, ours, 12); off > 0.004 {
				t.Errorf("%.2f %% of the pixels differ from our own", 100*off)
			}
			// Read in again, it is the same.
			again, _, err := in.Read(t.Context(), []byte(b.String()), in.Options{})
			if err != nil {
				t.Fatal(err)
			}
			second, err := raster.Render(t.Context(), again, raster.Fit(d.Page, 400, 300), 400, 300, raster.Options{})
			if err != nil {
				t.Fatal(err)
			}
			if off := testkit.Outside(second, ours, 2); off > 0.001 {
				t.Errorf("read again %.2f %% of the pixels differ", 100*off)
			}
		})
	}
}
