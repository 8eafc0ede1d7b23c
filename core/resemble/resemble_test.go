package resemble

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"image/png"
	"os"
	"strings"
	"testing"

	"golang.org/x/image/draw"

	"dyekit/core/kit"
	"dyekit/core/recipe"
)

// A made is a kit of a mark of the demo, and how its versions look.
type made struct {
	k     *kit.Kit
	names []string
	seen  []*Seen
}

// known are those that were made already.
var known = map[string]made{}

func set(t *testing.T, name, text string) (*kit.Kit, []string, []*Seen) {
	t.Helper()
	m, ok := known[name+text]
	if !ok {
		m.k, m.names, m.seen = build(t, name, parsed(t, text))
		known[name+text] = m
	}
	return m.k, m.names, m.seen
}

func build(t *testing.T, name string, r *recipe.Recipe) (k *kit.Kit, names []string, seen []*Seen) {
	t.Helper()
	data, err := os.ReadFile("../../studio/demo/" + name)
	if err != nil {
		t.Fatal(err)
	}
	in := kit.Input{Master: data, MasterName: name, Brand: "Mark", Recipe: r, Readers: "none"}
	if k, err = kit.Build(context.Background(), in); err != nil {
		t.Fatal(err)
	}
	p, err := kit.NewPlan(context.Background(), in)
	if err != nil {
		t.Fatal(err)
	}
	for _, v := range p.Versions {
		s, err := Of(context.Background(), v.Drawing)
		if err != nil {
			t.Fatal(err)
		}
		names, seen = append(names, v.Spec.Name), append(seen, s)
	}
	return k, names, seen
}

const recipeText = `{"name":"r","versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},{"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]}}],
 "files":[{"format":"png","widths":[600,120]},{"format":"png","box":"300x300","backing":"#5b6b9b"},{"format":"jpeg","widths":[300],"backing":"#808080"},{"format":"tiff","widths":[200]},{"format":"webp","widths":[250]},
 {"format":"svg"},{"format":"pdf","pages":"one-per-version-file"},{"format":"eps"}]}`

func parsed(t *testing.T, text string) *recipe.Recipe {
	t.Helper()
	r, err := recipe.Parse([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Every file of a kit is told to be the version that it is, neither stretched nor in other
// colours; and a file of another mark is none.
func TestFilesOfAKit(t *testing.T) {
	worst := 0.0
	defer func() { t.Logf("another mark is alike by %.2f at most", worst) }()
	for _, name := range []string{"odd-kettle.svg", "larkmoor-roundel.svg"} {
		k, names, seen := set(t, name, recipeText)
		_, _, others := set(t, map[string]string{"odd-kettle.svg": "larkmoor-roundel.svg", "larkmoor-roundel.svg": "odd-kettle.svg"}[name], recipeText)
		for _, f := range k.Files {
			data, err := k.Bytes(context.Background(), f)
			if err != nil {
				t.Fatal(err)
			}
			s, err := See(context.Background(), data, nil)
			if err != nil {
				t.Errorf("%s: %v", f.Path, err)
				continue
			}
			i, l := s.Best(seen)
			if names[i] != f.Version || !l.Same() || l.Stretched() || l.Recoloured() {
				t.Errorf("%s %s is taken for %s: %+v", name, f.Path, names[i], l)
			}
			if s.Vector != (f.WidthPx == 0) || s.WidthPx != f.WidthPx {
				t.Errorf("%s: curves %v, %d px", f.Path, s.Vector, s.WidthPx)
			}
			if strings.Contains(f.Path, "300x300") && !s.Box {
				t.Errorf("%s: no ground is seen", f.Path)
			}
			_, l = s.Best(others)
			worst = max(worst, l.Shape)
			if l.Same() {
				t.Errorf("%s %s is taken for another mark: %+v", name, f.Path, l)
			}
		}
	}
}

// What is wrong with a file is told: its proportions, its colours.
func TestWrongFiles(t *testing.T) {
	k, names, seen := set(t, "odd-kettle.svg", strings.Replace(recipeText, `"files":[`, `"files":[{"format":"png","stretch":"600x600","sure":true},`, 1))
	for _, f := range k.Files {
		if !strings.Contains(f.Path, "600x600") {
			continue
		}
		data, err := k.Bytes(context.Background(), f)
		if err != nil {
			t.Fatal(err)
		}
		s, err := See(context.Background(), data, nil)
		if err != nil {
			t.Fatal(err)
		}
		if i, l := s.Best(seen); names[i] != f.Version || !l.Stretched() || l.Stretch < 1.3 || l.Recoloured() {
			t.Errorf("%s: %+v", f.Path, l)
		}
	}
	master, err := os.ReadFile("../../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	faded := bytes.ReplaceAll(master, []byte("#6b2d4f"), []byte("#8a3a66"))
	s, err := See(context.Background(), faded, nil)
	if err != nil {
		t.Fatal(err)
	}
	if i, l := s.Best(seen); names[i] != "colour" || !l.Recoloured() || l.Stretched() || l.Ours.Hex() != "#6b2d4f" || l.Theirs.Hex() != "#8a3a66" {
		t.Errorf("faded: %s %+v, %s for %s", names[i], l, l.Theirs.Hex(), l.Ours.Hex())
	}
	// Two of them on one page, a photograph, nothing at all: none of the mark.
	for what, img := range map[string]image.Image{"noise": noise(), "nothing": image.NewNRGBA(image.Rect(0, 0, 50, 50)), "white": white()} {
		var b bytes.Buffer
		if err := png.Encode(&b, img); err != nil {
			t.Fatal(err)
		}
		s, err := See(context.Background(), b.Bytes(), nil)
		if err != nil {
			continue // refused
		}
		if _, l := s.Best(seen); l.Same() {
			t.Errorf("%s: %+v", what, l)
		}
	}
}

func noise() image.Image {
	m := image.NewNRGBA(image.Rect(0, 0, 200, 120))
	x := uint32(7)
	for i := range m.Pix {
		x = x*1664525 + 1013904223
		m.Pix[i] = uint8(x >> 24)
		if i%4 == 3 {
			m.Pix[i] = 255
		}
	}
	return m
}

func white() image.Image {
	m := image.NewNRGBA(image.Rect(0, 0, 200, 120))
	for i := range m.Pix {
		m.Pix[i] = 255
	}
	return m
}

// A file saved again as people do, smaller and as JPEG of poor quality, is still told.
func TestSavedAgain(t *testing.T) {
	k, names, seen := set(t, "odd-kettle.svg", recipeText)
	for _, f := range k.Files {
		if f.Format != "png" || f.WidthPx < 300 || f.Version == "white" {
			continue
		}
		data, err := k.Bytes(context.Background(), f)
		if err != nil {
			t.Fatal(err)
		}
		img, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		small := image.NewRGBA(image.Rect(0, 0, 160, 160*img.Bounds().Dy()/img.Bounds().Dx()))
		draw.Draw(small, small.Rect, image.White, image.Point{}, draw.Src)
		draw.CatmullRom.Scale(small, small.Rect, img, img.Bounds(), draw.Over, nil)
		var b bytes.Buffer
		if err := jpeg.Encode(&b, small, &jpeg.Options{Quality: 50}); err != nil {
			t.Fatal(err)
		}
		s, err := See(context.Background(), b.Bytes(), nil)
		if err != nil {
			t.Fatal(err)
		}
		if i, l := s.Best(seen); names[i] != f.Version || !l.Same() || l.Stretched() {
			t.Errorf("%s, 160 px, quality 50, is taken for %s: %+v", f.Path, names[i], l)
		}
	}
}
