package kit

import (
	"context"
	"fmt"
	"image"
	"slices"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/kit/outside"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/internal/budget"
)

const shadowed = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 150"><defs><filter id="f" x="-30%" y="-30%" width="160%" height="160%"><feGaussianBlur in="SourceAlpha" stdDeviation="4"/><feOffset dx="5" dy="5" result="o"/><feMerge><feMergeNode in="o"/><feMergeNode in="SourceGraphic"/></feMerge></filter></defs>
 <g filter="url(#f)"><rect x="20" y="20" width="100" height="70" fill="#d98a1f"/></g><circle cx="150" cy="100" r="30" fill="#2c5282"/></svg>`

// Three fades over each other: more colours than can be resolved to shapes.
const fades = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 150"><defs><linearGradient id="a"><stop stop-color="#a00"/><stop offset="1" stop-color="#a00" stop-opacity="0"/></linearGradient><linearGradient id="b" x2="0" y2="1"><stop stop-color="#0a0"/><stop offset="1" stop-color="#0a0" stop-opacity="0"/></linearGradient><radialGradient id="c"><stop stop-color="#00a"/><stop offset="1" stop-color="#00a" stop-opacity="0"/></radialGradient></defs>
 <rect x="10" y="10" width="120" height="100" fill="url(#a)"/><rect x="45" y="30" width="120" height="100" fill="url(#b)"/><circle cx="100" cy="75" r="60" fill="url(#c)"/></svg>`

func curves3(effects string) string {
	if effects != "" {
		effects = `,"effects":"` + effects + `"`
	}
	return `{"name":"x","naming":"{brand}_{version}_{size}_{colour}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],
	"files":[{"format":"svg"` + effects + `},{"format":"pdf","colour":"cmyk"` + effects + `},{"format":"eps","colour":"cmyk"` + effects + `},{"format":"png","widths":[300]},{"format":"jpeg","widths":[300],"colour":"cmyk"}]}`
}

// A shadow goes into PDF and EPS as a picture unless a person chooses otherwise, and
// SVG keeps it; what is left out is known before the build, and what comes then is just
// what was promised.
func TestEffectsInCurveFiles(t *testing.T) {
	ctx := context.Background()
	for effects, want := range map[string]struct {
		left   int
		pixels []string
	}{"": {0, []string{"pdf", "eps"}}, "omit": {2, nil}, "leave-out": {0, nil}, "picture": {0, []string{"svg", "pdf", "eps"}}} {
		in := Input{Master: []byte(shadowed), MasterName: "x.svg", Brand: "Soft", Recipe: parse(t, curves3(effects)), Readers: outside.None}
		if effects == "" || budget.Whole() {
			in.Readers = outside.All
		}
		p, err := NewPlan(ctx, in)
		if err != nil {
			t.Fatal(err)
		}
		if len(p.Omitted) != want.left {
			t.Errorf("%q: %d left out before the build, want %d: %v", effects, len(p.Omitted), want.left, p.Omitted)
		}
		for _, o := range p.Omitted {
			if !slices.Equal(o.Choices, []string{recipe.Picture, recipe.LeaveOut}) || !strings.Contains(o.Reason, "shadow") {
				t.Errorf("%q: left out with %v: %s", effects, o.Choices, o.Reason)
			}
		}
		if said := len(p.Inside) == 2 && strings.Contains(p.Inside[0].Reason, "as a picture at 300 ppi"); said != (effects == "") {
			t.Errorf("%q: said to hold pictures: %+v", effects, p.Inside)
		}
		k := build(t, in)
		if len(k.Files) != len(p.Files) || len(k.Omitted) != len(p.Omitted) || len(k.Files) != 5-want.left {
			t.Errorf("%q: %d files promised, %d made", effects, len(p.Files), len(k.Files))
		}
		for _, f := range k.Files {
			if slices.Contains(want.pixels, string(f.Format)) != (f.Pixels != "") {
				t.Errorf("%q: %s is said to hold %q", effects, f.Path, f.Pixels)
			}
		}
	}
}

// Of a shadow only the shadow is a picture: what casts it stays in curves, in its own
// inks. Where the art itself is blurred the picture shows that.
func TestOnlyTheEffectIsAPicture(t *testing.T) {
	soft := strings.NewReplacer(`<feMerge><feMergeNode in="o"/><feMergeNode in="SourceGraphic"/></feMerge>`, "", `in="SourceAlpha" `, "").Replace(shadowed)
	srgb := strings.Replace(shadowed, "<filter ", `<filter color-interpolation-filters="sRGB" `, 1)
	over := strings.Replace(srgb, `<feMergeNode in="o"/><feMergeNode in="SourceGraphic"/>`, `<feMergeNode in="SourceGraphic"/><feMergeNode in="o"/>`, 1)
	for name, c := range map[string]struct {
		master         string
		shapes, places int // shapes, and where among the nodes of the group the picture lies; -1 for alone
	}{"a shadow": {shadowed, 2, 0}, "laid over": {over, 2, 1}, "blurred": {soft, 1, -1},
		"laid over in linear light": {strings.Replace(over, ` color-interpolation-filters="sRGB"`, "", 1), 1, -1}} {
		d, _, err := svg.Read(t.Context(), []byte(c.master), svg.Options{Fonts: fonts.Shipped()})
		if err != nil {
			t.Fatal(err)
		}
		got, err := version.WithPictures(t.Context(), d, d.Page, 4)
		if err != nil {
			t.Fatal(err)
		}
		shapes, place := 0, -2
		got.Walk(func(n drawing.Node, in []*drawing.Group) {
			switch n.(type) {
			case *drawing.Shape:
				shapes++
			case *drawing.Picture:
				g := in[len(in)-1]
				if place = slices.Index(g.Nodes, n); len(g.Nodes) == 1 {
					place = -1
				}
			}
		})
		if shapes != c.shapes || place != c.places || got.Has().Filters {
			t.Errorf("%s: %d shapes, picture at %d", name, shapes, place)
		}
		if a, b := drawn4(t, d), drawn4(t, got); widest(a, b) > 3 {
			t.Errorf("%s: looks different by %d of 255", name, widest(a, b))
		}
	}
}

// What is mixed within a group with a shadow mixes with nothing below the group, as before.
func TestFiltersIsolate(t *testing.T) {
	for _, mode := range []string{"screen", "multiply", "difference"} {
		d, _, err := svg.Read(t.Context(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path fill="#c63" d="M0 0h100v60H0z"/><g style="filter:drop-shadow(4px 4px 2px #036)"><path fill="#36c" d="M30 30h40v50H30z" style="mix-blend-mode:`+mode+`"/></g></svg>`), svg.Options{})
		if err != nil {
			t.Fatal(err)
		}
		got, err := version.WithPictures(t.Context(), d, d.Page, 4)
		if err != nil {
			t.Fatal(err)
		}
		if a, b := drawn4(t, d), drawn4(t, got); widest(a, b) > 3 {
			t.Errorf("%s: looks different by %d of 255", mode, widest(a, b))
		}
	}
}

// drawn4 draws a page at 4 px to the page unit on white.
func drawn4(t *testing.T, d *drawing.Drawing) *image.NRGBA {
	t.Helper()
	w, h := int(4*d.Page.W()), int(4*d.Page.H())
	img, err := raster.Render(t.Context(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{Ground: &colour.White})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// widest is the largest difference of two pictures.
func widest(a, b *image.NRGBA) (most int) {
	for i := range a.Pix {
		most = max(most, int(a.Pix[i])-int(b.Pix[i]), int(b.Pix[i])-int(a.Pix[i]))
	}
	return most
}

// A picture inside a file of curves is sharp however small the page is.
func TestPicturesOfSmallPagesAreSharp(t *testing.T) {
	small := strings.Replace(fades, "<svg ", `<svg width="2" height="1.5" `, 1)
	for effects, least := range map[string]int{"": leastPicture - 1, `,"effects":"picture","effects_ppi":36`: leastNamed - 1} {
		r := parse(t, `{"name":"x","naming":"{brand}","versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"eps"`+effects+`}]}`)
		k := build(t, Input{Master: []byte(small), MasterName: "x.svg", Brand: "Soft", Recipe: r, Readers: outside.None})
		var px int
		if len(k.Files) != 1 {
			t.Fatalf("%q: %d files", effects, len(k.Files))
		}
		if _, err := fmt.Sscanf(k.Files[0].Pixels, "a picture inside, sharp up to %d px", &px); err != nil || px < least {
			t.Errorf("%q: %s, want at least %d px", effects, k.Files[0].Pixels, least)
		}
	}
}

// What is too finely shaded for shapes reaches EPS and PDF/X-1a as a picture,
// and says so.
func TestFadesReachEveryFile(t *testing.T) {
	k := build(t, Input{Master: []byte(fades), MasterName: "x.svg", Brand: "Soft", Recipe: parse(t, curves3("")), Readers: outside.All})
	if len(k.Files) != 5 || len(k.Omitted) > 0 {
		t.Fatalf("%d files, left out %v", len(k.Files), k.Omitted)
	}
	for _, f := range k.Files {
		if eps := f.Format == "eps"; eps != (f.Pixels != "") || eps && !strings.Contains(f.Pixels, "300 ppi") {
			t.Errorf("%s holds %q", f.Path, f.Pixels)
		}
	}
}

// A picture that is a small part of a drawing does not bound the files of the
// whole, which say from which width on it looks soft.
func TestASmallPictureBoundsNothing(t *testing.T) {
	const dot = `<image x="150" y="100" width="20" height="20" href="data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg=="/>`
	k := build(t, Input{Master: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 150"><rect width="200" height="150" fill="#2c5282"/>` + dot + `</svg>`), MasterName: "x.svg", Brand: "Dot", Readers: outside.None,
		Recipe: parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[1000,15]},{"format":"svg"}]}`)})
	if len(k.Files) != 3 || len(k.Omitted) > 0 {
		t.Fatalf("%d files, left out %v", len(k.Files), k.Omitted)
	}
	if !slices.ContainsFunc(k.Findings, func(f finding.Finding) bool { return strings.Contains(f.Message, "sharp in files up to 10 px wide") }) {
		t.Errorf("nothing says how large the picture is sharp: %v", k.Findings)
	}
}

// Art that is a hair wider than whole points is an EPS like any other; hairlines
// that outside readers draw wider are no other picture; one that lacks a part is.
func TestWhatReadersSee(t *testing.T) {
	ctx := context.Background()
	lines := ""
	for x := 0; x < 200; x += 8 {
		lines += fmt.Sprintf(`<path d="M%d 0L%d 150" stroke="#222" stroke-width=".35"/>`, x, x+30)
	}
	for name, art := range map[string]string{
		"odd size": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 80.00001 60"><rect width="80.00001" height="60" fill="#235"/></svg>`,
		"hatching": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 230 150">` + lines + `</svg>`,
	} {
		r, _ := recipe.Builtin("print")
		if _, err := Build(ctx, Input{Master: []byte(art), MasterName: "x.svg", Brand: "Fine", Recipe: r, Readers: outside.All}); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	d, _, err := svg.Read(ctx, []byte(faulty), svg.Options{Fonts: fonts.Shipped()})
	if err != nil {
		t.Fatal(err)
	}
	box := d.Bounds()
	want, err := draw(ctx, d, box, 320, 220)
	if err != nil {
		t.Fatal(err)
	}
	n := -1
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		if _, ok := x.(*drawing.Shape); !ok {
			return
		}
		n++
		less := d.Map(func(y drawing.Node) drawing.Node {
			if y == x {
				return nil
			}
			return y
		})
		got, err := draw(ctx, less, box, 320, 220)
		if err != nil {
			t.Fatal(err)
		}
		if off, _ := implausible(got, want, true); off <= strange {
			t.Errorf("shape %d is gone and %.2f %% differ", n, off*100)
		}
		moved := box
		moved.X0, moved.X1 = box.X0+box.W()/60, box.X1+box.W()/60
		if got, err = draw(ctx, d, moved, 320, 220); err != nil {
			t.Fatal(err)
		}
		if off, _ := implausible(got, want, true); off <= strange {
			t.Errorf("five pixels aside, and %.2f %% differ", off*100)
		}
	})
}

// SVG 1.1 has masks by luminance alone, and none within a mask: by clip paths,
// opacity, filters or a mask on the mask itself, each is seen for what it is, however
// deep it lies (SVG 1.1, section 14.4; CSS Masking 1, mask-type).
func TestMasksThatPlainSVGHasNot(t *testing.T) {
	disc := []drawing.Node{&drawing.Shape{Path: geom.Box(geom.Rect{X1: 9, Y1: 9}), Paint: drawing.Solid{Colour: colour.Screen(colour.RGB{R: 1}), Alpha: 1}}}
	group := func(m *drawing.Mask, ns ...drawing.Node) drawing.Node {
		return &drawing.Group{Alpha: 1, Nodes: ns, Mask: m}
	}
	plain := &drawing.Mask{Nodes: disc}
	for name, c := range map[string]struct {
		nodes []drawing.Node
		want  bool
	}{
		"none":                  {disc, false},
		"by luminance":          {[]drawing.Node{group(plain, disc...)}, false},
		"by opacity":            {[]drawing.Node{group(&drawing.Mask{Nodes: disc, Alpha: true}, disc...)}, true},
		"in linear light":       {[]drawing.Node{group(&drawing.Mask{Nodes: disc, Linear: true}, disc...)}, true},
		"masked itself":         {[]drawing.Node{group(&drawing.Mask{Nodes: disc, Mask: plain}, disc...)}, true},
		"masked art within":     {[]drawing.Node{group(&drawing.Mask{Nodes: []drawing.Node{group(plain, disc...)}}, disc...)}, false},
		"opacity within":        {[]drawing.Node{group(&drawing.Mask{Nodes: []drawing.Node{group(&drawing.Mask{Nodes: disc, Alpha: true}, disc...)}}, disc...)}, true},
		"a mask within, masked": {[]drawing.Node{group(&drawing.Mask{Nodes: []drawing.Node{group(&drawing.Mask{Nodes: disc, Mask: plain}, disc...)}}, disc...)}, true},
		"the second of two":     {[]drawing.Node{group(plain, disc...), group(&drawing.Mask{Nodes: disc, Alpha: true}, disc...)}, true},
		"the first of two":      {[]drawing.Node{group(&drawing.Mask{Nodes: disc, Alpha: true}, disc...), group(plain, disc...)}, true},
		"deep in a group":       {[]drawing.Node{group(nil, group(&drawing.Mask{Nodes: disc, Alpha: true}, disc...))}, true},
	} {
		if got := hardMasks(&drawing.Drawing{Nodes: c.nodes}); got != c.want {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}
