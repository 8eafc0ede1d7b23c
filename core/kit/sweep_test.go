//go:build sweep

package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"dyekit/core/fonts"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/core/recipe"
)

// everyTreatment is every way a version can be made, in every file type, in both
// colour spaces.
const everyTreatment = `{"name":"treatments","naming":"{brand}_{version}_{size}_{colour}_{ppi}","frame":{"margin":"3%"},
 "versions":[{"name":"colour","treatment":"as-drawn"},
  {"name":"faint","treatment":"as-drawn","opacity":0.45},
  {"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},
  {"name":"light","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]},"reversed":"keep-light"},
  {"name":"outlined","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]},"outline":{"width":"2%","side":"outside","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}}},
  {"name":"plum","treatment":"single-ink","gap":"1%","ink":{"name":"Plum","rgb":"#6b2d4f","cmyk":[40,85,20,35],"spot":"Kettle Plum"}},
  {"name":"tints","treatment":"tints","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},
  {"name":"backed","treatment":"backed","backing":{"shape":"rounded","ink":{"name":"Sea","rgb":"#1a5f7a","cmyk":[90,40,30,20]}}},
  {"name":"knocked","treatment":"backed","ink":{"name":"Sea","rgb":"#1a5f7a","cmyk":[90,40,30,20]},"backing":{"shape":"circle","knockout":true}}],
 "files":[{"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"rgb"},{"format":"pdf","colour":"cmyk","standard":"pdfx1a","pages":"one-per-version-file","versions":["colour","black"]},
  {"format":"eps","colour":"cmyk"},{"format":"eps","colour":"rgb"},{"format":"png","widths":[1000,250,33],"ppi":72},{"format":"png","heights":[64],"palette":"auto"},
  {"format":"jpeg","widths":[700],"backing":"#808080"},{"format":"jpeg","widths":[700],"colour":"cmyk","backing":"#808080"},
  {"format":"tiff","widths":[300],"ppi":300},{"format":"tiff","widths":[300],"ppi":300,"colour":"cmyk"},{"format":"webp","widths":[300]},{"format":"ico"}]}`

// A case of the sweep.
type sweepCase struct{ set, name, file string }

// TestSweep builds every drawing and picture below the folders in
// DYEKIT_SWEEP (and those that ship with the tests) with every built-in recipe
// and with treatments, and lists what fails by reason. DYEKIT_SWEEP_RECIPES
// limits the recipes, DYEKIT_SWEEP_STEP takes every nth case, DYEKIT_SWEEP_NOSHIP
// leaves out the drawings that ship with the tests, DYEKIT_SWEEP_RANDOM adds random
// ones of the seeds from its first number up to its second and DYEKIT_SWEEP_KEEP
// keeps them in a folder, and pictures are at
// most DYEKIT_SWEEP_MOST px wide, if it is set; DYEKIT_SWEEP_READERS has
// outside readers read as well.
func TestSweep(t *testing.T) {
	var cases []sweepCase
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct{ Set, Name, SVG string }
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	data := map[string][]byte{}
	if os.Getenv("DYEKIT_SWEEP_NOSHIP") != "" {
		all = nil
	}
	for _, x := range all {
		k := x.Set + "/" + x.Name
		data[k] = []byte(x.SVG)
		cases = append(cases, sweepCase{x.Set, x.Name, k})
	}
	var from, to int
	fmt.Sscan(os.Getenv("DYEKIT_SWEEP_RANDOM"), &from, &to)
	for seed := from; seed < to; seed++ {
		k := fmt.Sprintf("random/%04d", seed)
		data[k] = []byte(randomArt(seed))
		cases = append(cases, sweepCase{"random", k, k})
		if keep := os.Getenv("DYEKIT_SWEEP_KEEP"); keep != "" {
			if err := os.WriteFile(filepath.Join(keep, filepath.Base(k)+".svg"), data[k], 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	for _, dir := range filepath.SplitList(os.Getenv("DYEKIT_SWEEP")) {
		filepath.WalkDir(dir, func(p string, e os.DirEntry, err error) error {
			if err == nil && !e.IsDir() && slices.Contains([]string{".svg", ".png", ".jpg", ".webp", ".tif"}, filepath.Ext(p)) {
				if b, err := os.ReadFile(p); err == nil {
					data[p] = b
					cases = append(cases, sweepCase{filepath.Base(dir), strings.TrimPrefix(p, dir), p})
				}
			}
			return nil
		})
	}
	step, most := 1, 0
	fmt.Sscan(os.Getenv("DYEKIT_SWEEP_MOST"), &most)
	fmt.Sscan(os.Getenv("DYEKIT_SWEEP_STEP"), &step)
	names := strings.FieldsFunc(os.Getenv("DYEKIT_SWEEP_RECIPES"), func(r rune) bool { return r == ',' })
	if len(names) == 0 {
		names = append(recipe.Builtins(), "treatments")
	}
	mode := outside.None
	if os.Getenv("DYEKIT_SWEEP_READERS") != "" {
		mode = outside.Auto
	}
	// Fonts that the W3C tests ask for: any will do here.
	set := fonts.Shipped().Clone()
	roboto, err := os.ReadFile("/usr/share/fonts/truetype/roboto/unhinted/RobotoTTF/Roboto-Regular.ttf")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"SVGFreeSansASCII", "Arial", "Verdana", "Helvetica", "Georgia", "Impact", "Blocky"} {
		if err := set.AddAs(roboto, name); err != nil {
			t.Fatal(err)
		}
	}
	builds, files, failedN, refused := 0, 0, 0, 0
	why := map[string][]string{}
	note := func(k, x string) { // at once as well: a long run may be cut off
		t.Logf("%s: %s", k, x)
		why[k] = append(why[k], x)
	}
	for i := 0; i < len(cases); i += step {
		c := cases[i]
		for _, name := range names {
			r, ok := recipe.Builtin(name)
			if !ok {
				r = parse(t, everyTreatment)
			}
			r = capped(r, most)
			start := time.Now()
			ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
			k, err := Build(ctx, Input{Master: data[c.file], MasterName: filepath.Base(c.file), Brand: "Case", Recipe: r, Readers: mode, Partial: true, Options: intake.Options{Fonts: set}})
			cancel()
			if d := time.Since(start); d > 10*time.Second {
				t.Logf("slow: %.0f s: %s %s %s", d.Seconds(), name, c.set, c.name)
			}
			if builds++; builds%50 == 0 {
				t.Logf("so far %d builds, %d files right, %d refused, %d without a kit", builds, files, failedN, refused)
			}
			if err != nil {
				s := err.Error()
				refused++
				note("no kit: "+short(s), name+" "+c.set+" "+c.name)
				continue
			}
			files += len(k.Files)
			failedN += len(k.Failed)
			for _, f := range k.Failed {
				note(string(f.Format)+" "+short(f.Reason), fmt.Sprint(name, " ", c.set, " ", c.name, " ", f.Path, ": ", f.Reason))
			}
			if k.Readers != nil {
				for _, r := range k.Readers.Read {
					if r.Differs {
						note("readers differ: "+r.Reader, fmt.Sprint(name, " ", c.set, " ", c.name, " ", r.Path, ": ", r.Found))
					}
				}
			}
		}
	}
	keys := make([]string, 0, len(why))
	for k := range why {
		keys = append(keys, k)
	}
	sort.Slice(keys, func(a, b int) bool { return len(why[keys[a]]) > len(why[keys[b]]) })
	t.Logf("%d builds, %d files right, %d refused by a check, %d builds without a kit", builds, files, failedN, refused)
	if failedN+refused > 0 {
		t.Fail() // what fails is listed below
	}
	for _, k := range keys {
		t.Logf("%4d  %s", len(why[k]), k)
		for _, x := range why[k][:min(4, len(why[k]))] {
			t.Logf("        %s", x)
		}
	}
}

// capped is a recipe without pictures wider than most; 0 is no limit.
func capped(r *recipe.Recipe, most int) *recipe.Recipe {
	if most == 0 {
		return r
	}
	c := *r
	c.Files = nil
	for _, e := range r.Files {
		var widths []int
		for _, w := range e.Widths {
			if w = min(w, most); !slices.Contains(widths, w) {
				widths = append(widths, w)
			}
		}
		e.Widths = widths
		if e.Size == "" {
			c.Files = append(c.Files, e)
		}
	}
	return &c
}

// short cuts figures out of a reason.
func short(s string) string {
	s = strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return '#'
		}
		return r
	}, s)
	return s[:min(60, len(s))]
}
