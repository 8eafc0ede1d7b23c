package kit

import (
	"bytes"
	"fmt"
	"image/png"
	"testing"

	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/internal/budget"
)

// pictureOf is a drawing as a PNG, on nothing.
func pictureOf(t *testing.T, svg string, width int) []byte {
	t.Helper()
	m, err := intake.Read(t.Context(), []byte(svg), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	h := int(float64(width) * m.Drawing.Page.H() / m.Drawing.Page.W())
	img, err := raster.Render(t.Context(), m.Drawing, raster.Fit(m.Drawing.Page, width, h), width, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Lockups placed by hand, lockups for small places and drawings that are pictures go through every
// recipe that comes along: each file passes its checks, none is left out that the mark alone has, and
// what stands in for the mark does so in its colourway.
func TestPlacedAndSmallInEveryRecipe(t *testing.T) {
	t.Parallel()
	symbol := sheetOf(90, 100, fmt.Sprintf(leaf, 5.0, 5.0, 1.0, "#206047", "#ffffff"))
	names := recipe.Builtins()
	if !budget.Whole() {
		names = []string{"standard"}
	}
	for _, name := range names {
		for _, small := range []Drawn{{Name: "small.svg", Data: []byte(symbol)}, {Name: "small.png", Data: pictureOf(t, symbol, 600)}}[:budget.Of(1, 2)] {
			r, ok := recipe.Builtin(name)
			if !ok {
				t.Fatal(name)
			}
			alone := build(t, Input{Master: []byte(stacked("#206047", "#ffffff")), MasterName: "leaf.svg", Brand: "Leaf", Recipe: r, Readers: "none"})
			c := *r
			c.Lockups = append(c.Lockups[:len(c.Lockups):len(c.Lockups)], version.Lockup{Name: "row", Parts: []string{"symbol", "wordmark"}, Placed: version.ByStand, At: []version.Stand{{X: 1.2, Y: 0.3, Scale: 0.8}}})
			for _, of := range c.Colourways() {
				c.Versions = append(c.Versions[:len(c.Versions):len(c.Versions)], c.CellSpec("row", of))
			}
			if len(r.Colourways()) > 0 {
				if err := c.Draw("small", "", small.Name); err != nil {
					t.Fatal(err)
				}
				c.Lockups[len(c.Lockups)-1].Below = "200px"
			}
			in := Input{Master: []byte(stacked("#206047", "#ffffff")), MasterName: "leaf.svg", Brand: "Leaf", Recipe: &c, Readers: "none", Drawings: map[string]Drawn{small.Name: small}}
			k := build(t, in)
			if len(k.Failed) > 0 {
				t.Errorf("%s, %s: %+v", name, small.Name, k.Failed)
			}
			stood := 0
			for _, f := range k.Files {
				if f.For == "" {
					continue
				}
				stood++
				of, ok := c.Colourway(specOf(t, &c, f.Version))
				if main, is := c.Colourway(specOf(t, &c, f.For)); !ok || is && main.Name != of.Name {
					t.Errorf("%s, %s: %s, of %s, stands in for %s", name, small.Name, f.Path, f.Version, f.For)
				}
			}
			if len(k.Files) < len(alone.Files) || stood == 0 && name == "standard" {
				t.Errorf("%s, %s: %d files of which %d stand in, and %d of the mark alone: %+v", name, small.Name, len(k.Files), stood, len(alone.Files), k.Omitted)
			}
			t.Logf("%s, %s: %d files, %d stand in", name, small.Name, len(k.Files), stood)
		}
	}
}

func specOf(t *testing.T, r *recipe.Recipe, name string) version.Spec {
	t.Helper()
	for _, v := range r.Versions {
		if v.Name == name {
			return v
		}
	}
	t.Fatalf("there is no version %s", name)
	return version.Spec{}
}
