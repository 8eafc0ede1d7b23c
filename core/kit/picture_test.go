package kit

import (
	"context"
	"encoding/json"
	"os"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/internal/budget"
)

// A drawing that lacks any one of its shapes is not the same
// picture.
func TestMissingPartsAreFound(t *testing.T) {
	for _, name := range []string{"odd-kettle.svg", "larkmoor-roundel.svg"} {
		m, err := intake.Read(context.Background(), master(t, name), intake.Options{})
		if err != nil {
			t.Fatal(err)
		}
		d := m.Drawing
		box := d.Bounds()
		w, h := lookSize(box.W(), box.H())
		whole, err := draw(context.Background(), d, box, w, h)
		if err != nil {
			t.Fatal(err)
		}
		d.Walk(func(n drawing.Node, _ []*drawing.Group) {
			s, ok := n.(*drawing.Shape)
			if !ok || s.Part == "backing" {
				return // white on white changes nothing but the opacity
			}
			less := d.Map(func(x drawing.Node) drawing.Node {
				if x == n {
					return nil
				}
				return x
			})
			got, err := draw(context.Background(), less, box, w, h)
			if err != nil {
				t.Fatal(err)
			}
			for kind, tol := range map[string]tolerance{"curves": curve} {
				if diff := compare(got, whole, tol, false); diff.within(tol) {
					t.Errorf("%s without a shape of %q passes as %s: %v", name, s.Part, kind, diff)
				}
			}
		})
	}
}

// Right files of drawings from open sets are not refused, whatever stacks of
// soft edges they have.
func TestOpenDrawingsPass(t *testing.T) {
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct{ Set, Name, SVG string }
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	r := parse(t, `{"name":"mid","frame":{"margin":"4%"},"naming":"{brand}_{version}_{size}_{colour}",
		"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}}],
		"files":[{"format":"png","widths":[1000,250,33]},{"format":"jpeg","widths":[700],"colour":"cmyk"},{"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"eps","colour":"cmyk"}]}`)
	step := budget.Of(63, 9)
	for i := 0; i < len(all); i += step {
		_, err := Build(context.Background(), Input{Master: []byte(all[i].SVG), MasterName: "x.svg", Brand: all[i].Name, Recipe: r, Readers: outside.None})
		if err != nil {
			t.Errorf("%s %s: %v", all[i].Set, all[i].Name, err)
		}
	}
}
