package kin_test

import (
	"context"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/version"
)

func read(t testing.TB, src string) *drawing.Drawing {
	t.Helper()
	m, err := intake.Read(context.Background(), []byte(src), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return m.Drawing
}

func see(t testing.TB, d *drawing.Drawing) *kin.Look {
	t.Helper()
	l, err := kin.See(context.Background(), d)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func kettle(t testing.TB) string {
	t.Helper()
	b, err := os.ReadFile("../../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// A ring of the same size drawn with another line is so much heavier: π(R² − r²), whichever way
// the two are compared.
func TestWeight(t *testing.T) {
	ring := func(r float64) *kin.Look {
		return see(t, read(t, fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path fill-rule="evenodd" d="M90 50a40 40 0 0 1-80 0a40 40 0 0 1 80 0zm%[1]g 0a%[2]g %[2]g 0 0 0 %[3]g 0a%[2]g %[2]g 0 0 0-%[3]g 0z"/></svg>`, r-40-2*r, r, 2*r)))
	}
	area := func(r float64) float64 { return 40*40 - r*r }
	for _, r := range []float64{22, 26, 30, 32} {
		k := ring(r).To(ring(28))
		if want := area(r) / area(28); k.Relation != kin.Same || math.Abs(k.Weight-want) > 0.01*want {
			t.Errorf("a ring with a hole of %g: %s, %.3f times as heavy, want %.3f", r, k.Relation, k.Weight, want)
		}
	}
}

// What a lockup, a colourway, a part and another mark are to the master.
func TestRelations(t *testing.T) {
	src := kettle(t)
	master := read(t, src)
	base := see(t, master)
	roundel, err := os.ReadFile("../../studio/demo/larkmoor-roundel.svg")
	if err != nil {
		t.Fatal(err)
	}
	wide, err := version.Arrange(t.Context(), master, version.Lockup{Name: "wide", Parts: []string{"symbol", "wordmark", "tagline"}, Placed: version.Beside, Gap: 0.2})
	if err != nil {
		t.Fatal(err)
	}
	part := func(names ...string) *drawing.Drawing {
		d, err := version.Arrange(t.Context(), master, version.Lockup{Name: "x", Parts: names})
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	made := func(s version.Spec) *drawing.Drawing {
		v, err := version.NewArt(master).Make(t.Context(), s)
		if err != nil || v.Drawing == nil {
			t.Fatalf("%v %s", err, v.Refused)
		}
		return v.Drawing
	}
	white, black := &version.Ink{Name: "White", RGB: "#ffffff"}, &version.Ink{Name: "Black", RGB: "#000000"}
	larger := strings.Replace(strings.Replace(src, `viewBox="0 0 600 640">`, `viewBox="0 0 1200 1280"><g transform="scale(2)">`, 1), "</svg>", "</g></svg>", 1)
	for name, c := range map[string]struct {
		d    *drawing.Drawing
		want kin.Relation
	}{
		"itself":        {master, kin.Same},
		"twice as big":  {read(t, larger), kin.Same},
		"black":         {made(version.Spec{Name: "black", Treatment: version.SingleInk, Ink: black}), kin.Same},
		"white":         {made(version.Spec{Name: "white", Treatment: version.SingleInk, Ink: white}), kin.Same},
		"in tints":      {made(version.Spec{Name: "grey", Treatment: version.Tints, Ink: black}), kin.Same},
		"wide":          {wide, kin.Rearranged},
		"the symbol":    {part("symbol"), kin.Part},
		"the words":     {part("wordmark", "tagline"), kin.Part},
		"another mark":  {read(t, string(roundel)), kin.Other},
		"a plain disc":  {read(t, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4.5" cy="4.5" r="4"/></svg>`), kin.Other},
		"other letters": {read(t, strings.NewReplacer("Odd Kettle", "Fenwick &amp; Co", "TEAHOUSE", "BINDERY").Replace(src)), kin.Same},
	} {
		k := see(t, c.d).To(base)
		t.Logf("%-14s %s", name, fmt.Sprintf("%-10s overlaid %.3f stretch %.3f scale %.3f shared %.3f covers %.3f missing %d changed %d", k.Relation, k.Overlaid, k.Stretch, k.Scale, k.Shared, k.Covers, len(k.Missing), len(k.Changed)))
		if k.Relation != c.want {
			t.Errorf("%s is %s to the master, want %s", name, k.Relation, c.want)
		}
	}
}
