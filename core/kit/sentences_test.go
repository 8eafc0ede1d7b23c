package kit

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"dyekit/core/asked"
	"dyekit/core/recipe"
	"dyekit/internal/budget"
)

// Whatever a page offers to make is made: all the sentences of core/asked, of marks that are
// wide, tall, white, tiny and a picture, with every recipe.
func TestEveryOfferIsMade(t *testing.T) {
	t.Parallel()
	svg := func(w, h float64, body string) []byte {
		return fmt.Appendf(nil, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g">%s</svg>`, w, h, body)
	}
	masters := map[string][]byte{
		"kettle":  master(t, "odd-kettle.svg"),
		"roundel": master(t, "larkmoor-roundel.svg"),
		"picture": master(t, "fennick-diamond.jpg"),
		"wide":    svg(4000, 100, `<path d="M0 0h4000v100H0z" fill="#234"/><circle cx="300" cy="50" r="40" fill="#fc0"/>`),
		"tall":    svg(20, 900, `<path d="M0 0h20v900H0z" fill="#234"/>`),
		"white":   svg(100, 60, `<path d="M0 0h100v60H0z" fill="#fff"/>`),
		"tiny":    svg(1, 1, `<circle cx=".5" cy=".5" r=".4" fill="#a12"/>`),
	}
	var sentences [][2]string
	for _, name := range []string{"before", "after", "jobs", "more", "fifth", "sixth"} {
		b, err := os.ReadFile("../asked/testdata/" + name + ".txt")
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(string(b)) {
			if f := strings.Split(line, " | "); len(f) > 1 && line[0] != '#' {
				sentences = append(sentences, [2]string{f[0], f[1]})
			}
		}
	}
	// A sample tries some masters with some recipes, and some of what is offered.
	step := budget.Of(24, 1)
	offered, made, pairs := 0, 0, 0
	for _, name := range slices.Sorted(maps.Keys(masters)) {
		data := masters[name]
		for _, r := range recipe.Builtins() {
			if pairs++; pairs%step != 0 {
				continue
			}
			rec, _ := recipe.Builtin(r)
			s, err := Inspect(context.Background(), Input{Master: data, MasterName: name, Brand: "Mark", Recipe: rec})
			if err != nil {
				t.Errorf("%s, %s: %v", name, r, err)
				continue
			}
			k, err := s.Planned(context.Background())
			if err != nil {
				t.Fatal(err)
			}
			tried := map[string]bool{}
			for _, x := range sentences {
				for _, w := range asked.Read(x[0], x[1]).Each() {
					a, ok := k.Answer(w)
					if !ok {
						continue
					}
					for _, p := range append([]asked.Pick{a.Pick}, a.Others...) {
						if p.Make == nil {
							continue
						}
						if offered++; offered%step != 0 {
							continue
						}
						key := p.Make.Query().Encode()
						if tried[key] {
							continue
						}
						tried[key] = true
						f, _, err := s.Make(context.Background(), *p.Make)
						var no *NotMadeError
						switch {
						case p.Make.MostKB > 0 && errors.As(err, &no): // nobody knows before
						case err != nil:
							t.Errorf("%s, %s: %q: %s: %v", name, r, x[1], key, err)
						case f.WidthPx != p.WidthPx && p.Make.MostKB == 0:
							t.Errorf("%s, %s: %q: %s is %d px wide and said to be %d", name, r, x[1], key, f.WidthPx, p.WidthPx)
						default:
							made++
						}
					}
				}
			}
		}
	}
	t.Logf("%d offered, %d different ones made", offered, made)
}
