package fonts

import (
	"fmt"
	"math"
	"os"
	"strings"
	"sync"
	"testing"

	"dyekit/internal/testkit"
)

// noto is the folder of Debian's fonts-noto-core.
const noto = "/usr/share/fonts/truetype/noto/"

// shaped are glyphs as hb-shape (HarfBuzz's own, of Debian's libharfbuzz-bin) places them,
// in font units.
func shaped(t *testing.T, file []byte, style Style, lines []string, rtl bool) (all [][][3]float64) {
	t.Helper()
	args := []string{"--no-glyph-names", "--no-clusters", "--language=en", "--text-file=in.txt", fmt.Sprintf("--variations=wght=%g,wdth=%g", style.Weight, style.Width)}
	if rtl {
		args = append(args, "--direction=rtl")
	} else {
		args = append(args, "--direction=ltr")
	}
	_, out := testkit.Run(t, map[string][]byte{"in.ttf": file, "in.txt": []byte(strings.Join(lines, "\n") + "\n")}, "hb-shape", append(args, "in.ttf")...)
	for line := range strings.Lines(out) {
		var gs [][3]float64
		for g := range strings.SplitSeq(strings.Trim(strings.TrimSpace(line), "[]"), "|") {
			var id int
			var v [3]float64
			if _, err := fmt.Sscanf(g, "%d@%f,%f+%f", &id, &v[0], &v[1], &v[2]); err != nil {
				v = [3]float64{}
				if _, err := fmt.Sscanf(g, "%d+%f", &id, &v[2]); err != nil {
					t.Fatalf("%q: %v", g, err)
				}
			}
			gs = append(gs, v)
		}
		all = append(all, gs)
	}
	if len(all) != len(lines) {
		t.Fatalf("%d of %d lines are shaped", len(all), len(lines))
	}
	return all
}

// likeHarfBuzz holds lines of one face to it.
func likeHarfBuzz(t *testing.T, f *Face, file []byte, style Style, lines []string, rtl bool) {
	t.Helper()
	em := float64(f.font.Upem())
	for i, want := range shaped(t, file, style.full(), lines, rtl) {
		cs := []rune(lines[i])
		got := f.Shape(cs, 0, len(cs), em, style, rtl, true)
		if len(got) != len(want) {
			t.Errorf("%s: %s: %d glyphs, want %d", f.Family, lines[i], len(got), len(want))
			continue
		}
		for j, g := range got {
			// Positions of variable fonts lie between units, which hb-shape rounds.
			for k, v := range [3]float64{g.Offset.X, -g.Offset.Y, g.Advance} {
				if math.Abs(v-want[j][k]) > 1 {
					t.Errorf("%s: %s: glyph %d is at %.1f, %.1f and %.1f wide, want %v", f.Family, lines[i], j, g.Offset.X, -g.Offset.Y, g.Advance, want[j])
					break
				}
			}
		}
	}
}

// Letters of some forty scripts are placed as HarfBuzz places them: kerned, joined, with
// their marks, in cascades.
func TestShapesLikeHarfBuzz(t *testing.T) {
	b, err := os.ReadFile("../intake/svg/testdata/lines.txt")
	if err != nil {
		t.Fatal(err)
	}
	lines, order, left := map[string][]string{}, []string{}, map[string]bool{}
	for line := range strings.Lines(string(b)) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		if len(f) != 3 {
			continue
		}
		// A run is of one script: figures run the other way in some of them.
		if strings.ContainsFunc(f[2], func(c rune) bool {
			return strings.ContainsRune("0123456789&(),!-", c) || c >= 0x660 && c <= 0x669 || c >= 0x6f0 && c <= 0x6f9
		}) {
			continue
		}
		if lines[f[1]] == nil {
			order = append(order, f[1])
		}
		lines[f[1]] = append(lines[f[1]], f[2])
		left[f[1]] = strings.Contains("Arabic Hebrew Syriac Thaana NKo Adlam", f[0])
	}
	if len(order) < 40 {
		t.Fatalf("%d fonts", len(order))
	}
	for _, name := range order {
		file, err := os.ReadFile(noto + name + ".ttf")
		if err != nil {
			t.Fatal(err)
		}
		f, err := read(file)
		if err != nil {
			t.Fatal(err)
		}
		likeHarfBuzz(t, f, file, Style{Weight: f.Weight}, lines[name], left[name])
	}
}

// So is every pair of Latin letters in the fonts that ship, at several weights.
func TestShippedFontsAreKerned(t *testing.T) {
	letters := []rune("AVTLoypfaeiJWK.’ÄÉøß&7")
	var lines []string
	for _, a := range letters {
		var b strings.Builder
		for _, c := range letters {
			b.WriteRune(a)
			b.WriteRune(c)
		}
		lines = append(lines, b.String())
	}
	files, err := shippedFiles.ReadDir("shipped")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range files {
		file, err := shippedFiles.ReadFile("shipped/" + e.Name())
		if err != nil {
			t.Fatal(err)
		}
		f, err := read(file)
		if err != nil {
			t.Fatal(err)
		}
		weights := []float64{f.Weight}
		if f.weights {
			weights = []float64{400, 640} // 650 is where one of them changes its features, and readers round
		}
		for _, w := range weights {
			likeHarfBuzz(t, f, file, Style{Weight: w}, lines, false)
		}
	}
}

// Lines are set beside each other, in new styles as well, and come out the same.
func TestShapingBesideEachOther(t *testing.T) {
	f := Shipped().Find("Lora", Style{Weight: 400})[0]
	cs := []rune("AVATAR Toy")
	width := func(w float64) (sum float64) {
		for _, g := range f.Shape(cs, 0, len(cs), 100, Style{Weight: w}, false, true) {
			sum += g.Advance
		}
		return sum
	}
	want := map[float64]float64{}
	for w := 400.0; w < 410; w++ {
		want[w] = width(w)
	}
	file, err := shippedFiles.ReadFile("shipped/lora.ttf")
	if err != nil {
		t.Fatal(err)
	}
	if f, err = read(file); err != nil { // of which nothing is made yet
		t.Fatal(err)
	}
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			w := 400 + float64(i%10)
			if got := width(w); got != want[w] {
				t.Errorf("weight %v: %v wide, want %v", w, got, want[w])
			}
		})
	}
	all.Wait()
}
