package kin_test

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"os"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/preflight"
	"dyekit/core/raster"
	"dyekit/core/version"
)

func inksOf(t testing.TB, d *drawing.Drawing) (out []colour.RGB) {
	t.Helper()
	tones, err := preflight.Tones(context.Background(), preflight.Bare(d))
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range tones {
		out = append(out, x.Colour.RGB)
	}
	return out
}

// A drawer of files as an old brand leaves it: lockups, colourways, pictures of both, another
// brand's mark and another name in the same arrangement.
func TestPropose(t *testing.T) {
	src := kettle(t)
	master := read(t, src)
	arranged := func(placed version.Placing, parts ...string) *drawing.Drawing {
		d, err := version.Arrange(t.Context(), master, version.Lockup{Name: "x", Parts: parts, Placed: placed, Gap: 0.2})
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	made := func(d *drawing.Drawing, rgb string) *drawing.Drawing {
		v, err := version.NewArt(d).Make(t.Context(), version.Spec{Name: "x", Treatment: version.SingleInk, Ink: &version.Ink{Name: "x", RGB: rgb}})
		if err != nil || v.Drawing == nil {
			t.Fatalf("%v %s", err, v.Refused)
		}
		return v.Drawing
	}
	picture := func(d *drawing.Drawing, width int, ground string) *drawing.Drawing {
		b := d.Bounds().Grow(20)
		h := int(float64(width) * b.H() / b.W())
		var o raster.Options
		if ground != "" {
			c, _ := colour.ParseHex(ground)
			o.Ground = &c
		}
		img, err := raster.Render(t.Context(), d, raster.Fit(b, width, h), width, h, o)
		if err != nil {
			t.Fatal(err)
		}
		var buf bytes.Buffer
		if err := png.Encode(&buf, img); err != nil {
			t.Fatal(err)
		}
		m, err := intake.Read(t.Context(), buf.Bytes(), intake.Options{})
		if err != nil {
			t.Fatal(err)
		}
		return m.Drawing
	}
	roundel, err := os.ReadFile("../../studio/demo/larkmoor-roundel.svg")
	if err != nil {
		t.Fatal(err)
	}
	wide, symbol, words := arranged(version.Beside, "symbol", "wordmark", "tagline"), arranged("", "symbol"), arranged(version.Stacked, "wordmark", "tagline")
	drawer := []struct {
		name, want string
		vector     bool
		d          *drawing.Drawing
	}{
		{"kettle.svg", " colour", true, master},
		{"kettle-1c.svg", " black", true, made(master, "#231f20")},
		{"kettle-neg.svg", " white", true, made(master, "#ffffff")},
		{"kettle-plum.svg", " plum", true, made(master, "#6b2d4f")},
		{"long.pdf", "wide colour", true, wide},
		{"long-black.pdf", "wide black", true, made(wide, "#000000")},
		{"long.png", "left: same as long.pdf", false, picture(wide, 700, "")},
		{"long on white.png", "left: same as long.pdf", false, picture(wide, 700, "#ffffff")},
		{"a.svg", "symbol colour", true, symbol},
		{"b.svg", "symbol white", true, made(symbol, "#ffffff")},
		{"c.svg", "wordmark colour", true, words},
		{"tram.svg", "left: another design", true, read(t, string(roundel))},
		{"fenwick.svg", "left: another name", true, read(t, strings.NewReplacer("Odd Kettle", "Fenwick &amp; Co", "TEAHOUSE", "BINDERY").Replace(src))},
	}
	m := kin.Mark{Look: see(t, master), Inks: []kin.Ink{{Name: "plum", RGB: colour.FromBytes(0x6b, 0x2d, 0x4f)}, {Name: "copper", RGB: colour.FromBytes(0xcf, 0x7a, 0x22)}}}
	var ds []kin.Drawing
	for _, x := range drawer {
		ds = append(ds, kin.Drawing{Name: x.name, Look: see(t, x.d), Inks: inksOf(t, x.d), Vector: x.vector})
	}
	for i, p := range m.Propose(ds) {
		got := p.Lockup + " " + p.Colourway
		if p.Leave != "" {
			got = "left: " + p.Leave
		}
		want := drawer[i].want
		if !strings.HasPrefix(want, "left") && got != want || strings.HasPrefix(want, "left") && (p.Leave == "" || !strings.Contains(got, strings.TrimPrefix(want, "left: "))) {
			t.Errorf("%s is %s, want %s (%s)", drawer[i].name, got, want, fmt.Sprint(p.Relation, ds[i].Inks))
		}
	}
}
