package kit

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dyekit/core/finding"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/core/recipe"

	"dyekit/internal/budget"
	"dyekit/startpage"
)

// demo masters, drawn for Dye Kit.
func master(t testing.TB, name string) []byte {
	t.Helper()
	b, err := os.ReadFile("../../studio/demo/" + name)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func parse(t testing.TB, s string) *recipe.Recipe {
	t.Helper()
	r, err := recipe.Parse([]byte(s))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// small is a recipe that has everything and makes it small.
const small = `{"name":"small","naming":"{brand}_{version}_{size}_{colour}","frame":{"margin":"4%"},
 "versions":[{"name":"colour","treatment":"as-drawn"},
  {"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},
  {"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]}},
  {"name":"plum","treatment":"single-ink","ink":{"name":"Plum","rgb":"#6b2d4f","cmyk":[40,85,20,35],"spot":"Kettle Plum"}}],
 "files":[{"format":"png","widths":[300,64],"ppi":72},{"format":"png","size":"2x1in","ppi":150},{"format":"png","heights":[50],"antialias":false},
  {"format":"jpeg","widths":[200],"ppi":300,"colour":"cmyk"},{"format":"jpeg","widths":[200],"backing":"#333333"},
  {"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"rgb","versions":["colour"]},{"format":"eps","colour":"cmyk"},{"format":"eps","colour":"rgb"}]}`

func input(t testing.TB) Input {
	return Input{Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Odd Kettle", Recipe: parse(t, small), Readers: outside.None}
}

func build(t testing.TB, in Input) *Kit {
	t.Helper()
	in.Pages = startpage.Pages{}
	k, err := Build(context.Background(), in)
	if err != nil {
		t.Fatal(err)
	}
	return k
}

func bytesOf(t testing.TB, k *Kit, f File) []byte {
	t.Helper()
	b, err := k.Bytes(context.Background(), f)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func zipped(t testing.TB, k *Kit) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := k.Zip(context.Background(), &b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestSameInputSameBytes(t *testing.T) {
	a, b := zipped(t, build(t, input(t))), zipped(t, build(t, input(t)))
	if !bytes.Equal(a, b) {
		t.Error("two builds of the same differ")
	}
	in := input(t)
	in.Number = 2
	if c := build(t, in); c.Kit != "odd-kettle_kit_r2" {
		t.Errorf("kit 2 is called %s", c.Kit)
	}
}

// Every kind of file goes through its checks; the outside readers must all
// be there and agree.
func TestEveryKindOfFile(t *testing.T) {
	in := input(t)
	in.Readers = outside.All
	k := build(t, in)
	kinds := map[string]int{}
	for _, f := range k.Files {
		kinds[string(f.Format)+" "+string(f.Colour)]++
		names := map[string]bool{}
		for _, c := range f.Checks {
			names[c.Name] = true
			if !c.OK {
				t.Errorf("%s: %s failed: %s", f.Path, c.Name, c.Found)
			}
		}
		if !names["opens"] || !names["picture"] {
			t.Errorf("%s was checked for %v only", f.Path, names)
		}
		if f.Version != "colour" && f.Format != "jpeg" && f.Format != "svg" && !names["inks"] {
			t.Errorf("%s: its inks were not checked", f.Path)
		}
	}
	for _, want := range []string{"png rgb", "jpeg cmyk", "jpeg rgb", "svg rgb", "pdf cmyk", "pdf rgb", "eps cmyk", "eps rgb"} {
		if kinds[want] == 0 {
			t.Errorf("no %s", want)
		}
	}
	read := map[string]bool{}
	for _, r := range k.Readers.Read {
		read[r.Reader] = true
	}
	for _, want := range []string{"ghostscript", "librsvg", "poppler"} {
		if !read[want] {
			t.Errorf("%s read nothing", want)
		}
	}
	if i := slices.IndexFunc(k.Files, func(f File) bool { return f.Version == "white" && f.Format == "pdf" }); i < 0 {
		t.Error("the white PDF is missing")
	}
}

func TestDemoMasters(t *testing.T) {
	for _, c := range []struct {
		file string
		code finding.Code
	}{
		{"larkmoor-roundel.svg", "outside-page"}, {"odd-kettle.svg", "live-text"}, {"fennick-diamond.jpg", "raster-inside"},
	} {
		in := input(t)
		in.Master, in.MasterName, in.Readers = master(t, c.file), c.file, outside.None
		if c.code == "live-text" || budget.Whole() {
			in.Readers = outside.All
		}
		k := build(t, in)
		made := map[string]bool{}
		for _, f := range k.Files {
			for v := range strings.SplitSeq(f.Version, "+") {
				made[v] = true
			}
		}
		if len(made) != 4 {
			t.Errorf("%s: versions %v, want all four", c.file, made)
		}
		if !hasCode(k, c.code) {
			t.Errorf("%s: no %s in %v", c.file, c.code, k.Findings)
		}
	}
}

// treatments is a recipe that asks for every way to make a version.
const treatments = `{"name":"treatments","naming":"{brand}_{version}_{size}","frame":{"margin":"2%"},
 "versions":[{"name":"tints","treatment":"tints","ink":{"rgb":"#000000","cmyk":[0,0,0,100]}},
  {"name":"plum-tints","treatment":"tints","ink":{"name":"Plum","rgb":"#6b2d4f","cmyk":[40,85,20,35],"spot":"Kettle Plum"}},
  {"name":"light","treatment":"single-ink","ink":{"rgb":"#ffffff","cmyk":[0,0,0,0]},"reversed":"keep-light"},
  {"name":"apart","treatment":"single-ink","ink":{"rgb":"#000000","cmyk":[0,0,0,100]},"gap":"1.5%"},
  {"name":"outlined","treatment":"single-ink","ink":{"rgb":"#ffffff","cmyk":[0,0,0,0]},"outline":{"width":"1%","ink":{"rgb":"#6b2d4f","cmyk":[40,85,20,35]}}},
  {"name":"sticker","treatment":"backed","backing":{"shape":"circle","ink":{"rgb":"#206047","cmyk":[80,30,70,30]},"room":"6%"}},
  {"name":"stamp","treatment":"backed","ink":{"rgb":"#000000","cmyk":[0,0,0,100]},"backing":{"shape":"rounded","knockout":true}},
  {"name":"watermark","treatment":"single-ink","ink":{"rgb":"#000000","cmyk":[0,0,0,100]},"opacity":0.2}],
 "files":[{"format":"png","widths":[300]},{"format":"png","size":"2x1in","ppi":150},{"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"eps","colour":"cmyk"}]}`

func TestEveryTreatmentIsReadAlikeByAll(t *testing.T) {
	for _, m := range []string{"larkmoor-roundel.svg", "odd-kettle.svg"}[:budget.Of(1, 2)] {
		in := input(t)
		in.Master, in.Recipe, in.Readers = master(t, m), parse(t, treatments), outside.All
		k := build(t, in)
		var left []string
		for _, o := range k.Omitted {
			left = append(left, o.Version+" "+string(o.Format))
		}
		if len(left) > 0 {
			t.Errorf("%s: left out %v", m, left)
		}
		sizes := map[string]int{}
		for _, f := range k.Files {
			if f.Format == "png" && f.WidthPx == 300 && f.PPI == 72 {
				sizes[f.Version] = f.HeightPx
			}
		}
		if sizes["tints"] != sizes["outlined"] || sizes["sticker"] == sizes["tints"] {
			t.Errorf("%s: heights %v: all in one frame but those on a backing", m, sizes)
		}
	}
}

func hasCode(k *Kit, code finding.Code) bool {
	for _, f := range k.Findings {
		if f.Code == code {
			return true
		}
	}
	return false
}

func TestMends(t *testing.T) {
	in := input(t)
	in.Master = master(t, "larkmoor-roundel.svg")
	in.Recipe = parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[100]}]}`)
	with := build(t, in)
	in.Options.Mends = []intake.Mend{intake.DropBacking}
	without := build(t, in)
	if with.Files[0].HeightPx == without.Files[0].HeightPx {
		t.Error("the frame is the same with and without the backing")
	}
	for _, c := range without.Files[0].Checks {
		if c.Name == "transparency" && c.Found != "transparent" {
			t.Errorf("without its backing the art is %s", c.Found)
		}
	}
	in.Options.Mends = []intake.Mend{"nonsense"}
	if _, err := Build(context.Background(), in); err == nil {
		t.Error("an unknown mend was taken")
	}
}

// A file that is not what it claims to be is found, whatever was done to it.
func TestVerifyFindsEveryChange(t *testing.T) {
	k := build(t, input(t))
	whole := zipped(t, k)
	files := func() map[string][]byte {
		m, err := OpenZip(whole)
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	if r, err := Verify(context.Background(), files(), nil); err != nil || len(r.Files) != len(k.Files) {
		t.Fatalf("an untouched kit: %v", err)
	}
	path := k.Files[0].Path
	for name, change := range map[string]func(m map[string][]byte){
		"a bit":       func(m map[string][]byte) { m[path][len(m[path])/2] ^= 1 },
		"a file gone": func(m map[string][]byte) { delete(m, path) },
		"one more":    func(m map[string][]byte) { m["PNG/extra.png"] = []byte("x") },
		"the master":  func(m map[string][]byte) { m["MASTER/odd-kettle.svg"][30] ^= 1 },
		"swapped": func(m map[string][]byte) {
			// Another picture under the same name, its hash corrected: only the
			// comparison with the art can tell.
			other := m["PNG/odd-kettle_black_300_rgb.png"]
			m["PNG/odd-kettle_colour_300_rgb.png"] = other
			var man Manifest
			if err := json.Unmarshal(m["kit.json"], &man); err != nil {
				t.Fatal(err)
			}
			for i := range man.Files {
				if f := &man.Files[i]; f.Path == "PNG/odd-kettle_colour_300_rgb.png" {
					f.SHA256, f.Bytes = Hash(other), len(other)
				}
			}
			m["kit.json"], _ = json.Marshal(man)
		},
	} {
		m := files()
		change(m)
		if _, err := Verify(context.Background(), m, nil); !errors.Is(err, ErrCheck) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := Verify(context.Background(), map[string][]byte{"a": nil}, nil); !errors.Is(err, ErrNotKit) {
		t.Errorf("no kit: %v", err)
	}
}

func TestRefusedMasters(t *testing.T) {
	in := input(t)
	in.Master = []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"/><rect width="5" height="5" filter="glow(2px)"/></svg>`)
	if _, err := Build(context.Background(), in); !errors.Is(err, ErrRefused) {
		t.Errorf("a filter: %v", err)
	}
	in.Master = []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 99 99"><rect width="60" height="60"/><rect x="30" width="60" height="60" fill="red" style="mix-blend-mode:screen"/></svg>`)
	in.Recipe = parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"pdf","colour":"cmyk","effects":"omit"},{"format":"png","widths":[50]}]}`)
	k := build(t, in)
	if len(k.Files) != 1 || len(k.Omitted) != 1 || !strings.Contains(k.Omitted[0].Reason, "mixed as light") || len(k.Omitted[0].Choices) != 2 || strings.Contains(k.Omitted[0].Reason, "cannot be carried") {
		t.Errorf("a blend of light in process inks: %v", k.Omitted)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Build(ctx, input(t)); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
}

func TestSave(t *testing.T) {
	k := build(t, input(t))
	dir := t.TempDir()
	at := filepath.Join(dir, "kit")
	if err := k.Save(context.Background(), at, false); err != nil {
		t.Fatal(err)
	}
	files, err := Open(at)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Verify(context.Background(), files, nil); err != nil {
		t.Errorf("the folder: %v", err)
	}
	if err := k.Save(context.Background(), at, false); !errors.Is(err, ErrNotEmpty) {
		t.Errorf("a second time: %v", err)
	}
	if err := k.Save(context.Background(), at, true); err != nil {
		t.Errorf("with force: %v", err)
	}
	if err := k.Save(context.Background(), filepath.Join(dir, "kit.zip"), false); err != nil {
		t.Fatal(err)
	}
	z, err := zip.OpenReader(filepath.Join(dir, "kit.zip"))
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	for _, f := range z.File {
		if !strings.HasPrefix(f.Name, "odd-kettle_kit_r1/") || f.Modified.Year() != 1980 {
			t.Errorf("%s of %v", f.Name, f.Modified)
		}
	}
	left, _ := filepath.Glob(filepath.Join(dir, ".dyekit-*"))
	if len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestGuide(t *testing.T) {
	in := input(t)
	in.Brand = `Odd <b>"Kettle"</b>`
	k := build(t, in)
	var page string
	for _, f := range k.Extra {
		if f.Path == "START-HERE.html" {
			page = string(bytesOf(t, k, f))
		}
	}
	for _, bad := range []string{"<b>\"", "http://", "https://", "<script src"} {
		if strings.Contains(page, bad) {
			t.Errorf("the guide holds %q", bad)
		}
	}
	for _, f := range k.Files {
		if f.Format != "png" && !strings.Contains(page, `href="`+f.Path+`"`) {
			t.Errorf("the guide does not lead to %s", f.Path)
		}
	}
}

// Lines that fade in the smallest picture of the recipe are found against it.
func TestHairlinesOfTheRecipe(t *testing.T) {
	in := Input{Master: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 200"><path d="M0 0h400v200H0z" fill="#206047"/><path id="rule" d="M20 100H380" stroke="#fff" stroke-width="2"/></svg>`), Brand: "Rule", Readers: outside.None}
	const one = `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[%d]},{"format":"icons"}]}`
	for width, found := range map[int]bool{100: true, 400: false} {
		in.Recipe = parse(t, fmt.Sprintf(one, width))
		p, err := NewPlan(context.Background(), in)
		if err != nil {
			t.Fatal(err)
		}
		if got := len(p.Hairlines) > 0; got != found || found && p.Hairlines[0].Mend != "thicken 4" {
			t.Errorf("at %d px: %+v", width, p.Hairlines)
		}
	}
}

// Parts alone stand in frames of their own, under names that say so; a part
// that is not there leaves its files out with the reason.
func TestLockupsInAKit(t *testing.T) {
	in := input(t)
	in.Recipe = parse(t, `{"name":"lockups","naming":"{brand}_{version}_{lockup}_{size}","frame":{"fit":"artwork","margin":"4%"},
	 "versions":[{"name":"colour","treatment":"as-drawn"},{"name":"mark","treatment":"as-drawn","lockup":"symbol"},
	  {"name":"word","treatment":"single-ink","lockup":"wordmark","ink":{"rgb":"#000000","cmyk":[0,0,0,100]}},{"name":"gone","treatment":"as-drawn","lockup":"shadow"}],
	 "files":[{"format":"png","widths":[300]},{"format":"svg"},{"format":"eps","colour":"cmyk"},{"format":"icons","versions":["mark"]}]}`)
	k := build(t, in)
	p, err := NewPlan(context.Background(), in)
	if err != nil {
		t.Fatal(err)
	}
	heights := map[string]int{}
	for _, f := range k.Files {
		if f.Format == "png" && f.WidthPx == 300 {
			heights[f.Path] = f.HeightPx
		}
	}
	for path, version := range map[string]string{"PNG/odd-kettle_colour_300.png": "colour", "PNG/odd-kettle_mark_symbol_300.png": "mark", "PNG/odd-kettle_word_wordmark_300.png": "word"} {
		f := p.FrameOf(version)
		if want := int(300*f.H/f.W + 0.5); heights[path] != want {
			t.Errorf("%s is %d px high, want %d", path, heights[path], want)
		}
	}
	if heights["PNG/odd-kettle_word_wordmark_300.png"] >= heights["PNG/odd-kettle_mark_symbol_300.png"] {
		t.Errorf("the wordmark alone is as high as the symbol: %v", heights)
	}
	for _, o := range k.Omitted {
		if o.Version != "gone" || !strings.Contains(o.Reason, "there are symbol, wordmark, tagline") {
			t.Errorf("left out: %+v", o)
		}
	}
	if len(k.Omitted) != 3 {
		t.Errorf("%d left out", len(k.Omitted))
	}
}

// A clear space measured in a part, a standard lockup, and a stretched file:
// what is asked for is what the finished files hold.
func TestFrameByPartAndStretch(t *testing.T) {
	const art = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect id="a" x="10" y="10" width="40" height="40"/><rect id="b" x="10" y="70" width="40" height="20"/></svg>`
	r := parse(t, `{"name": "x", "naming": "{brand}_{version}_{size}", "frame": {"clear": {"part": "b", "times": 0.5}},
		"lockups": [{"name": "row", "parts": ["a", "b"], "placed": "beside", "gap": 0.5, "standard": true}],
		"versions": [{"name": "colour", "treatment": "as-drawn"}, {"name": "drawn", "treatment": "as-drawn", "lockup": "full"}, {"name": "b", "treatment": "as-drawn", "lockup": "b"}],
		"files": [{"format": "png", "widths": [240]}, {"format": "svg"}, {"format": "png", "versions": ["colour"], "stretch": "100x100", "sure": true}]}`)
	k := build(t, Input{Master: []byte(art), MasterName: "x.svg", Brand: "Mark", Recipe: r, Readers: outside.All})
	sizes := map[string][2]int{}
	for _, f := range k.Files {
		sizes[f.Path] = [2]int{f.WidthPx, f.HeightPx}
	}
	// Row: 40 + 20 + 40 wide, 40 high, 10 of room on each side; drawn: 40 × 80;
	// b alone: 40 × 20.
	for path, want := range map[string][2]int{"PNG/mark_colour_240.png": {240, 120}, "PNG/mark_drawn_240.png": {240, 400}, "PNG/mark_b_240.png": {240, 160}, "PNG/mark_colour_100x100.png": {100, 100}} {
		if sizes[path] != want {
			t.Errorf("%s is %v, want %v", path, sizes[path], want)
		}
	}
	said := false
	for _, f := range k.Findings {
		said = said || f.Code == finding.Distorted && strings.Contains(f.Message, "0.50 times as wide")
	}
	if !said {
		t.Errorf("nothing is said of the distortion: %v", k.Findings)
	}
}

// One file that cannot be made is left out with its reason and a next step; the
// others are whole, and the kit says that it is incomplete. Unless that is
// wanted, there is no kit.
func TestOneBadFileIsLeftOut(t *testing.T) {
	ctx := context.Background()
	in := input(t)
	p, err := NewPlan(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	broken := func() *job {
		j := newJob(in.Brand, p)
		c := *j.versions["black"]
		c.Drawing = nil // what no plan lets through
		j.versions["black"] = &c
		return j
	}
	var k Kit
	in.Partial = true
	if err := broken().files(ctx, p.Files, &k, in, 0); err != nil {
		t.Fatal(err)
	}
	made := map[string]bool{}
	for _, f := range k.Files {
		made[f.Version] = true
	}
	if len(k.Failed) == 0 || made["black"] || !made["colour"] || !made["white"] {
		t.Fatalf("%d failed, made %v", len(k.Failed), made)
	}
	for _, f := range k.Failed {
		if !strings.Contains(f.Version, "black") || f.Reason == "" || f.Next == "" || len([]rune(f.Reason)) > longest {
			t.Errorf("failed: %+v", f)
		}
	}
	in.Partial = false
	if err := broken().files(ctx, p.Files, &Kit{}, in, 0); err == nil || !strings.Contains(err.Error(), "odd-kettle_") {
		t.Errorf("without leave to be partial: %v", err)
	}
	k.Incomplete = true
	pg, err := newJob(in.Brand, p).guide(ctx, &k, in, p.Files)
	if err != nil {
		t.Fatal(err)
	}
	if page, err := startHere(startpage.Pages{}, pg, "", nil); err != nil || !bytes.Contains(page, []byte("<li><code>"+k.Failed[0].Path)) {
		t.Errorf("the guide does not say what is missing: %v", err)
	}
	if s := Plain(fmt.Errorf("x: %w", context.DeadlineExceeded)); strings.Contains(s, "deadline") {
		t.Errorf("a person is told %q", s)
	}
}

// A file that speaks of others has no name of its own to be found by, nor has one of an
// unnamed master; a plan that nobody waits for is none.
func TestKeysAndPlansThatEnd(t *testing.T) {
	in := Input{Master: []byte(faulty), MasterName: "x.svg", Brand: "Pier", Recipe: parse(t, `{"name":"x","naming":"{version}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"svg"}]}`)}
	p, err := NewPlan(t.Context(), in)
	if err != nil {
		t.Fatal(err)
	}
	f := p.Files[0]
	if p.Key("", "Pier", f) != "" || p.Key("a", "Pier", f) == "" || p.Key("a", "Pier", f) == p.Key("b", "Pier", f) {
		t.Errorf("%q, %q and %q", p.Key("", "Pier", f), p.Key("a", "Pier", f), p.Key("b", "Pier", f))
	}
	late, cancel := context.WithCancel(t.Context())
	cancel()
	if p, err := NewPlan(late, in); !errors.Is(err, context.Canceled) {
		t.Errorf("a plan for nobody: %v, %v", p, err)
	}
}
