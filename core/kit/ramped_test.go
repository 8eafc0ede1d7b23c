package kit

import (
	"bytes"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/kit/outside"
	"dyekit/core/proof"
	"dyekit/internal/budget"

	cmyktiff "github.com/hhrutter/tiff"
)

// rampsInPlates is a page of 192 pt with four gradients in plates: from a tint to a full ink,
// from one ink to another, in a ring that falls off by the square of the offset down to bare
// paper, and from an ink to a process ink, in a space of five inks of which it uses two.
func rampsInPlates() []byte {
	calculator := func(proc string, n int) string {
		return fmt.Sprintf("<</FunctionType 4/Domain[%s]/Range[0 1 0 1 0 1 0 1]/Length %d>>\nstream\n%s\nendstream", strings.TrimSpace(strings.Repeat("0 1 ", n)), len(proc), proc)
	}
	line := func(c0, c1, n string) string {
		return "/Extend[true true]/Function<</FunctionType 2/Domain[0 1]/N " + n + "/C0[" + c0 + "]/C1[" + c1 + "]>>>>"
	}
	const ember = "[/Separation/Ember/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>]"
	return pdfOf(192, `/Resources<</Shading<<
		/A<</ShadingType 2/ColorSpace`+ember+`/Coords[0 0 24 0]`+line(".2", "1", "1")+`
		/B<</ShadingType 2/ColorSpace[/DeviceN[/Ember/Moor#20#283#29]/DeviceCMYK 5 0 R]/Coords[24 24 24 48]`+line("1 0", "0 1", "1")+`
		/C<</ShadingType 3/ColorSpace`+ember+`/Coords[12 36 0 12 36 12]`+line("1", "0", "2")+`
		/D<</ShadingType 2/ColorSpace[/DeviceN[/Cyan/Magenta/Yellow/Black/Moor#20#283#29]/DeviceCMYK 6 0 R]/Coords[24 0 48 0]`+line("0 0 0 0 1", "0 1 0 0 0", "1")+`
		>>>>`,
		"4 0 0 4 0 0 cm q 0 0 24 24 re W n /A sh Q q 24 24 24 24 re W n /B sh Q q 0 24 24 24 re W n /C sh Q q 24 0 24 24 re W n /D sh Q",
		calculator("{exch dup .8 mul exch .2 mul 0}", 2),
		// Cyan, magenta, yellow and black as they are; the ink adds its own cyan.
		calculator("{5 -1 roll add 4 1 roll}", 5))
}

// A gradient in plates lies in them in every file that has plates, as ghostscript separates
// it from the master itself, and elsewhere is the build that stands for them.
func TestRampsKeepTheirPlates(t *testing.T) {
	t.Parallel()
	master := rampsInPlates()
	recipe := `{"name":"x","naming":"{version}_{colour}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}}],
	 "files":[{"format":"pdf","colour":"cmyk","standard":"STANDARD"},{"format":"eps","colour":"cmyk","level":LEVEL},{"format":"pdf","colour":"rgb"},{"format":"eps","colour":"rgb","level":LEVEL},{"format":"svg"},{"format":"tiff","widths":[48],"colour":"cmyk"},{"format":"png","widths":[48]}]}`
	want := separations(t, "in.pdf", master)
	if len(want) < 6 {
		t.Fatalf("ghostscript makes %d plates of the master", len(want))
	}
	// Proof shows the same plates.
	p, err := NewPlan(t.Context(), Input{Master: master, MasterName: "x.pdf", Brand: "Pier", Recipe: parse(t, `{"name":"x","naming":"{version}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[48]}]}`), Readers: outside.None})
	if err != nil {
		t.Fatal(err)
	}
	d := p.Versions[0].Drawing
	plates, err := proof.Plates(t.Context(), proof.Art{Drawing: d, Box: d.Page}, 192, 192, colour.Coated)
	if err != nil {
		t.Fatal(err)
	}
	for _, plate := range plates {
		if worst := farBytes(plate.Image.Pix, want[plate.Name]); worst > 8 { // the ring, in ghostscript's steps
			t.Errorf("%s in Proof is %d of 255 off", plate.Name, worst)
		}
	}
	standards := []string{"pdfx4", "pdfa2b", "pdfx1a"}
	for i, standard := range standards[:budget.Of(2, len(standards))] {
		k := build(t, Input{Master: master, MasterName: "x.pdf", Brand: "Pier", Recipe: parse(t, strings.NewReplacer("STANDARD", standard, "LEVEL", fmt.Sprint(3-i%2)).Replace(recipe)), Readers: outside.None})
		if len(k.Files) != 12 || len(k.Failed) > 0 {
			t.Fatalf("%s: %d files, %v %v", standard, len(k.Files), k.Failed, k.Omitted)
		}
		for _, n := range k.Findings {
			if n.Code == finding.InksMixed && n.Severity != finding.Note {
				t.Errorf("%+v", n)
			}
		}
		for _, f := range k.Files {
			data := bytesOf(t, k, f)
			switch {
			case f.Version != "colour":
			case f.Format == "pdf" || f.Format == "eps":
				got := separations(t, "in."+string(f.Format), data)
				// Ghostscript takes shadings in small steps, of another size in PostScript, and
				// what knows none has rings that cover each pixel they touch.
				most, mean := 3, 0.5
				if f.Format == "eps" {
					most, mean = 16, 2
				}
				for p, v := range want {
					sum := 0.0
					for i := range v {
						sum += math.Abs(float64(got[p][i]) - float64(v[i]))
					}
					if worst := farBytes(got[p], v); worst > most || sum > mean*float64(len(v)) {
						t.Errorf("%s: %s: the plate %s is %.2f of 255 off, at most %d", standard, f.Path, p, sum/float64(len(v)), worst)
					}
				}
			case f.Format == "tiff":
				img, err := cmyktiff.Decode(bytes.NewReader(data))
				if err != nil {
					t.Fatal(err)
				}
				// Half a pixel past the middle of each line: 61.7 % of Ember, 52.1 % of Ember
				// and 47.9 % of Moor, 47.9 % of Moor and 52.1 % of magenta.
				for at, k := range map[image.Point][4]float64{{12, 36}: {0, .493, .123, 0}, {36, 12}: {.479, .417, .104, 0}, {36, 36}: {.479, .521, 0, 0}} {
					c := img.(*image.CMYK).CMYKAt(at.X, at.Y)
					for j, v := range []uint8{c.C, c.M, c.Y, c.K} {
						if d := float64(v) - 255*k[j]; d > 1.5 || d < -1.5 {
							t.Errorf("%s: %s: at %v %v, want %v", standard, f.Path, at, c, k)
						}
					}
				}
			}
		}
	}
}

// What goes wrong with a gradient in plates is seen, however little of it shows: a plate that
// looks as the process inks that stand for it prints as something else.
func TestChecksCatchWrongRamps(t *testing.T) {
	t.Parallel()
	s := newSpoiler(t, Input{Master: rampsInPlates(), MasterName: "x.pdf", Brand: "Odd Kettle", Recipe: parse(t, `{"name":"ramps","naming":"{version}_{colour}","frame":{"margin":"4%"},
	 "versions":[{"name":"colour","treatment":"as-drawn"}],
	 "files":[{"format":"pdf","colour":"cmyk","standard":"pdfx4"},{"format":"pdf","colour":"rgb"},{"format":"eps","colour":"cmyk","level":3},{"format":"eps","colour":"rgb","level":2}]}`)})
	ramp := func(i int, change func(g *drawing.Gradient)) func(d *drawing.Drawing) *drawing.Drawing {
		return nth(i, func(s *drawing.Shape) drawing.Node {
			g := *s.Paint.(*drawing.Gradient)
			g.Stops = slices.Clone(g.Stops)
			change(&g)
			s.Paint = &g
			return s
		})
	}
	stops := func(i int, change func(k, n int, c *colour.Colour)) func(d *drawing.Drawing) *drawing.Drawing {
		return ramp(i, func(g *drawing.Gradient) {
			for k := range g.Stops {
				change(k, len(g.Stops), &g.Stops[k].Colour)
			}
		})
	}
	process := func(_, _ int, c *colour.Colour) {
		b, _ := c.Press()
		*c = colour.Colour{RGB: c.RGB, Build: b, Built: true}
	}
	const cmyk, rgb, eps, bands = "PDF/cmyk.pdf", "PDF/rgb.pdf", "EPS/colour_cmyk.eps", "EPS/colour_rgb.eps"
	for _, path := range []string{cmyk, rgb, eps, bands} {
		s.drawn("a ramp left to process inks: "+path, path, stops(0, process))
		s.drawn("a ramp of two plates left to process inks: "+path, path, stops(1, process))
		s.drawn("a ramp on another plate: "+path, path, stops(0, func(_, _ int, c *colour.Colour) { c.Spot = "Emberglow" }))
		s.drawn("an end five percent off: "+path, path, stops(0, func(k, n int, c *colour.Colour) {
			if k == n-1 {
				c.Tint -= 5
			}
		}))
		s.drawn("the full ink where paper is: "+path, path, stops(2, func(k, n int, c *colour.Colour) {
			if k == n-1 {
				*c = colour.Colour{RGB: c.RGB, Spot: "Ember", Build: colour.CMYK{M: 80, Y: 20}, Built: true}
			}
		}))
		s.drawn("turned round: "+path, path, ramp(1, func(g *drawing.Gradient) { g.P0, g.P1 = g.P1, g.P0 }))
	}
	for _, path := range []string{cmyk, rgb, eps} {
		s.drawn("an end a tenth of a percent off: "+path, path, stops(0, func(k, n int, c *colour.Colour) {
			if k == n-1 {
				c.Tint -= .1
			}
		}))
		s.drawn("a plate shown by another build: "+path, path, stops(0, func(_, _ int, c *colour.Colour) { c.Build.Y += 1 }))
	}
	s.text("an end in the file", eps, "", `/C0\[0\.2\]`, "/C0[0.3]")
	s.text("the plate of a ramp alone", eps, "", `/R1 \[/Separation \(Ember\)`, "/R1 [/Separation (Umber)")
	s.text("the plates of a ramp changed over", eps, "", `/M1 \[/DeviceN\[\(Ember\)cvn \(Moor \\\(3\\\)\)cvn\]`, `/M1 [/DeviceN[(Moor \(3\))cvn (Ember)cvn]`)
	t.Logf("%d faults", s.n)
}
