package lettering_test

import (
	"bytes"
	"context"
	"image"
	"image/draw"
	"image/jpeg"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/typed"
	"dyekit/core/lettering"
	"dyekit/core/raster"
)

// picture sets a line on a ground.
func picture(t *testing.T, s lettering.Setting, ground colour.RGB, w, h int, packed bool) *image.NRGBA {
	t.Helper()
	p, err := s.Path(fonts.Shipped())
	if err != nil {
		t.Fatal(err)
	}
	page := geom.Rect{X1: float64(w), Y1: float64(h)}
	d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(page), Paint: drawing.Solid{Colour: colour.Screen(ground), Alpha: 1}},
		&drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(s.Ink), Alpha: 1}},
	}}
	img, err := raster.Render(t.Context(), d, geom.Identity, w, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if packed {
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 80}); err != nil {
			t.Fatal(err)
		}
		j, err := jpeg.Decode(&b)
		if err != nil {
			t.Fatal(err)
		}
		draw.Draw(img, img.Rect, j, image.Point{}, draw.Src)
	}
	return img
}

// Words of 6 to 16 px are found again in their font, in size and place to a part of a pixel.
func TestWordsAreFoundAgain(t *testing.T) {
	for _, c := range []struct {
		font           string
		weight, size   float64
		track          float64
		words          string
		ink, ground    string
		packed, italic bool
	}{
		{"Cabin", 600, 14, 60, "TEAHOUSE & BAKERY", "#203040", "#ffffff", false, false},
		{"Cabin", 600, 14, 60, "TEAHOUSE & BAKERY", "#203040", "#ffffff", true, false},
		{"Lora", 400, 11, 20, "Since the year of the comet", "#7a1f1f", "#f4ecd8", false, false},
		{"Lora", 400, 13, 0, "handmade kites", "#203040", "#e9e9e9", true, true},
		{"Bitter", 700, 9, 100, "HERITAGE LINE", "#ffffff", "#1f5f4a", false, false},
		{"Sometype Mono", 400, 16, 0, "No. 4711", "#101010", "#d8c020", true, false},
		{"Dancing Script", 500, 16, 0, "with love", "#803060", "#ffffff", false, false},
	} {
		ink, _ := colour.ParseHex(c.ink)
		ground, _ := colour.ParseHex(c.ground)
		want := lettering.Setting{At: geom.Pt(12.3, 24.6), Ink: ink, Line: typed.Line{Text: c.words, Font: c.font, Weight: c.weight, Size: c.size, Tracking: c.track, Italic: c.italic}}
		p, err := want.Path(fonts.Shipped())
		if err != nil {
			t.Fatal(err)
		}
		b := p.Bounds()
		img := picture(t, want, ground, int(b.X1)+20, 40, c.packed)
		box := image.Rect(int(b.X0)-3, int(b.Y0)-3, int(b.X1)+4, int(b.Y1)+4)
		ps, err := lettering.Propose(t.Context(), img, box, c.words, fonts.Shipped())
		if err != nil {
			t.Errorf("%s: %v", c.words, err)
			continue
		}
		g, far := ps[0], 3.0
		if c.packed {
			far = 10 // packing takes colour from thin strokes, and darkens what is left
		}
		t.Logf("%s: %s %g %v, %.2f px at %.2f, tracking %.1f, %s, explains %.3f; then %s %g, %.3f", c.words, g.Line.Font, g.Line.Weight, g.Line.Italic, g.Line.Size, g.At, g.Line.Tracking, g.Ink.Hex(), g.Explains, ps[1].Line.Font, ps[1].Line.Weight, ps[1].Explains)
		if g.Line.Font != c.font || g.Line.Italic != c.italic || math.Abs(g.Line.Weight-c.weight) > 100 {
			t.Errorf("%s, in %s %g: taken for %s %g, which explains %.3f", c.words, c.font, c.weight, g.Line.Font, g.Line.Weight, g.Explains)
		}
		if math.Abs(g.Line.Size-c.size) > 0.03*c.size || g.At.Sub(want.At).Len() > 0.3 || math.Abs(g.Line.Tracking-c.track) > 15 {
			t.Errorf("%s: %.2f px at %.2f with %.1f, set in %.2f px at %.2f with %.1f", c.words, g.Line.Size, g.At, g.Line.Tracking, c.size, want.At, c.track)
		}
		if g.Explains < 0.95 || colour.Difference(g.Ink.Lab(), ink.Lab()) > far {
			t.Errorf("%s: explains %.3f, in %s for %s", c.words, g.Explains, g.Ink.Hex(), c.ink)
		}
	}
}

// A setting comes back from its words; what cannot be one is refused in a sentence.
func TestSettingsInWords(t *testing.T) {
	s := lettering.Setting{Box: geom.Rect{X0: 1, Y0: 2, X1: 30, Y1: 14}, At: geom.Pt(1.25, 12.125), Ink: colour.FromBytes(1, 2, 3), Line: typed.Line{Text: `a "b" #c {d}`, Font: "Cabin", Size: 9.5}}
	got, err := lettering.Parse(s.String())
	if err != nil || got.String() != s.String() {
		t.Errorf("%v: %v, want %v", err, got, s)
	}
	for _, bad := range []string{
		"", "set", "set 1 2 3 4 5 6 #000000", "set 1 2 1 4 5 6 #000000 {}", "set 1 2 3 4 5 6 #000000 {}", "set 1 2 3 4 5 6 black " + `{"text":"a","font":"b"}`,
		"set 1 2 3 4 5 NaN #000000 " + `{"text":"a","font":"b"}`, "set -1 2 3 4 5 6 #000000 " + `{"text":"a","font":"b"}`, "set 1 2 3 4 5 6 #000000 " + `{"text":"a","font":"b","glow":1}`,
		"set 1 2 3 4 5 6 #000000 " + `{"text":"a","font":"b"} {}`,
	} {
		if s, err := lettering.Parse(bad); err == nil {
			t.Errorf("%q is %v", bad, s)
		}
	}
}

// What cannot be fitted is said.
func TestNothingToFit(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 400, 400))
	for want, c := range map[string]struct {
		box   image.Rectangle
		words string
	}{
		"too large":      {image.Rect(0, 0, 301, 200), "a"},
		"too small":      {image.Rect(1, 1, 30, 3), "a"},
		"nothing stands": {image.Rect(1, 1, 30, 30), "a"},
		"nothing to set": {image.Rect(1, 1, 30, 30), " "},
	} {
		if _, err := lettering.Propose(context.Background(), img, c.box, c.words, fonts.Shipped()); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v: %v, want %q", c.box, err, want)
		}
	}
}
