package recipe

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
)

// The example of the contract must be read as it stands; much of it is the built-in
// standard.
const contract = `{"name": "standard",
 "naming": "{brand}_{version}_{size}",
 "frame": {"fit": "artwork", "margin": "4%"},
 "versions": [
   {"name": "colour", "treatment": "as-drawn"},
   {"name": "black",  "treatment": "single-ink", "ink": {"name": "Black", "rgb": "#000000", "cmyk": [0,0,0,100]}},
   {"name": "white",  "treatment": "single-ink", "ink": {"name": "White", "rgb": "#ffffff", "cmyk": [0,0,0,0]}, "reversed": "same-shapes"}
 ],
 "files": [
   {"format": "png", "widths": [3000, 1000, 500, 250], "ppi": 72},
   {"format": "png", "size": "8x10in", "ppi": 350},
   {"format": "jpeg", "widths": [1500], "ppi": 300, "colour": "cmyk", "backing": "#ffffff", "quality": 92},
   {"format": "svg"}, {"format": "pdf", "colour": "cmyk"}, {"format": "eps", "colour": "cmyk", "level": 2}
 ]}`

func parse(t *testing.T, s string) *Recipe {
	t.Helper()
	r, err := Parse([]byte(s))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestContractExample(t *testing.T) {
	r := parse(t, contract)
	b, ok := Builtin("standard")
	if !ok {
		t.Fatal("no built-in standard")
	}
	// The built-in one has the same versions, then one for square places, and no paper for
	// portraits.
	x, _ := json.Marshal(r)
	v, _ := json.Marshal(r.Versions)
	if y, _ := json.Marshal(b.Versions[:len(r.Versions)]); string(v) != string(y) || slices.ContainsFunc(b.Files, func(e Entry) bool { return e.Size != "" }) {
		t.Errorf("the built-in standard differs: %s", y)
	}
	if _, err := Parse([]byte(strings.Replace(contract, `"ppi": 72`, `"ppi": 0`, 1))); err == nil || !strings.Contains(err.Error(), "files[0].ppi") {
		t.Errorf("a resolution of nothing: %v", err)
	}
	// What is written is read again.
	if _, err := Parse(x); err != nil {
		t.Errorf("round trip: %v", err)
	}
}

func TestBuiltins(t *testing.T) {
	for _, n := range Builtins() {
		r, ok := Builtin(n)
		if !ok || r.Name != n || r.For == "" {
			t.Errorf("%s: %+v", n, r)
		}
		if _, _, err := r.Plan("Brand", Art{W: 300, H: 200}); err != nil {
			t.Errorf("%s: %v", n, err)
		}
	}
	for _, n := range []string{"", "../standard", "nosuch", "standard.json"} {
		if _, ok := Builtin(n); ok {
			t.Errorf("%q is a built-in", n)
		}
	}
}

// Errors name the place.
func TestWrongRecipes(t *testing.T) {
	for _, c := range []struct{ from, to, want string }{
		{`"naming"`, `"nameing"`, "nameing: is not a key known here"},
		{`"ppi": 72`, `"dpi": 72`, "files[0].dpi: is not a key"},
		{`[3000, 1000, 500, 250]`, `["a"]`, "files[0].widths[0]: must be a whole number"},
		{`[3000, 1000, 500, 250]`, `[0]`, "files[0].widths[0]: 0 px is not between 1 and"},
		{`[3000, 1000, 500, 250]`, `[99999]`, "files[0].widths[0]: 99999 px"},
		{`"png", "size"`, `"gif", "size"`, `files[1].format: "gif" is not known`},
		{`"8x10in"`, `"8 miles"`, "files[1].size:"},
		{`"level": 2`, `"level": 4`, "files[5].level"},
		{`"cmyk", "backing"`, `"lab", "backing"`, "files[2].colour"},
		{`"#ffffff", "quality"`, `"white", "quality"`, "files[2].backing"},
		{`92`, `"high"`, "files[2].quality: must be a whole number"},
		{`"as-drawn"`, `"sketchy"`, "versions[0].treatment"},
		{`"black"`, `"colour"`, `versions[1].name: there are two versions called "colour"`},
		{`[0,0,0,100]`, `[0,0,0]`, "versions[1].ink.cmyk: must be a list of 4"},
		{`[0,0,0,100]`, `[0,0,0,101]`, "versions[1].ink.cmyk[3]"},
		{`"#000000"`, `"black"`, "versions[1].ink.rgb"},
		{`"same-shapes"`, `"other"`, "versions[2].reversed"},
		{`"same-shapes"`, `"same-shapes", "gap": "2 moons"`, "versions[2].gap"},
		{`"same-shapes"`, `"same-shapes", "gap": "0"`, "versions[2].gap: \"0\" is not above 0"},
		{`"same-shapes"`, `"same-shapes", "outline": {"width": "200%"}`, "versions[2].outline.width"},
		{`"same-shapes"`, `"same-shapes", "outline": {"width": "2%", "side": "left"}`, "versions[2].outline.side"},
		{`"same-shapes"`, `"same-shapes", "outline": {"width": "2%", "ink": {"name": "x", "rgb": "red"}}`, "versions[2].outline.ink.rgb"},
		{`"same-shapes"`, `"same-shapes", "backing": {"shape": "star"}`, "versions[2].backing.shape"},
		{`"same-shapes"`, `"same-shapes", "backing": {"room": "-1"}`, "versions[2].backing.room"},
		{`"same-shapes"`, `"same-shapes", "backing": {"color": "#ffffff"}`, "versions[2].backing"},
		{`"same-shapes"`, `"same-shapes", "backing": "whitish"`, "versions[2].backing"},
		{`"single-ink"`, `"backed", "backing": {"ink": {"name": "x", "rgb": "0"}}, "reversed": "same-shapes"`, "versions[1].backing.ink.rgb"},
		{`"same-shapes"`, `"same-shapes", "opacity": 2`, "versions[2].opacity"},
		{`"same-shapes"`, `"same-shapes", "overrides": [{"colour": "#123456", "as": "gold"}]`, "versions[2].overrides[0].as"},
		{`"same-shapes"`, `"same-shapes", "overrides": [{"colour": "#123456", "as": "tint", "tint": 120}]`, "versions[2].overrides[0].tint"},
		{`"same-shapes"`, `"same-shapes", "overrides": [{"as": "ink"}]`, "versions[2].overrides[0]: names either"},
		{`"same-shapes"`, `"same-shapes", "overrides": [{"colour": "blue", "as": "ink"}]`, "versions[2].overrides[0].colour"},
		{`{"format": "svg"}`, `{"format": "svg", "dark": "blue"}`, "files[3].dark"},
		{`{"format": "svg"}`, `{"format": "svg", "preview": true}`, "files[3].preview: is for eps"},
		{`{"format": "svg"}`, `{"format": "png", "widths": [9], "fluid": true}`, "files[3].fluid"},
		{`{"format": "svg"}`, `{"format": "ico", "widths": [512]}`, "files[3].widths[0]: an ICO"},
		{`{"format": "svg"}`, `{"format": "ico", "heights": [16]}`, "files[3].widths: an ICO is square"},
		{`{"format": "svg"}`, `{"format": "icons", "widths": [16]}`, "files[3].widths"},
		{`{"format": "svg"}`, `{"format": "tiff", "widths": [9], "compression": "zip"}`, "files[3].compression"},
		{`{"format": "pdf", "colour": "cmyk"}`, `{"format": "pdf", "standard": "pdfx1a"}`, "files[4].standard: pdfx1a is made of process inks"},
		{`{"format": "pdf", "colour": "cmyk"}`, `{"format": "pdf", "standard": "pdfx9"}`, "files[4].standard"},
		{`{"format": "pdf", "colour": "cmyk"}`, `{"format": "svg", "standard": "pdfa2b"}`, "files[4].standard: pdfa2b is for pdf"},
		{`{"format": "pdf", "colour": "cmyk"}`, `{"format": "pdf", "colour": "cmyk", "press": "newsprint"}`, "files[4].press"},
		{`"4%"`, `"4 apples"`, "frame.margin"},
		{`"artwork"`, `"tight"`, "frame.fit"},
		{`{brand}_{version}_{size}`, `../{brand}`, "naming:"},
		{`{brand}_{version}_{size}`, `{brand}/{version}`, "naming:"},
		{`{brand}_{version}_{size}`, `{brand}_{colr}`, "naming: {colr} is not a field"},
		{`{brand}_{version}_{size}`, `logo`, "naming:"},
		{`{"format": "svg"}`, `{"format": "svg", "versions": ["blue"]}`, `files[3].versions[0]: there is no version called "blue"`},
		{`{"format": "svg"}`, `{"format": "svg", "widths": [5]}`, "files[3].widths: svg is drawn in curves"},
		{`"versions": [`, `"versions": 5, "files": [`, "versions: must be a list"},
		{`]}`, `]`, "line"},
	} {
		s := strings.Replace(contract, c.from, c.to, 1)
		r, err := Parse([]byte(s))
		if err == nil { // some faults need the art
			_, _, err = r.Plan("Brand", Art{W: 300, H: 300})
		}
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.to, err, c.want)
		}
	}
	if _, err := Parse([]byte(contract + "x")); err == nil {
		t.Error("trailing junk was taken")
	}
}

func plan(t *testing.T, r *Recipe, brand string, a Art) (paths []string, left []Omission) {
	t.Helper()
	fs, left, err := r.Plan(brand, a)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range fs {
		paths = append(paths, f.Path)
	}
	return paths, left
}

func TestStandardPlan(t *testing.T) {
	r := parse(t, contract)
	paths, left := plan(t, r, "Odd Kettle & Söhne", Art{W: 300, H: 200})
	for _, want := range []string{
		"PNG/odd-kettle-sohne_colour_3000.png", "PNG/odd-kettle-sohne_white_250.png", "PNG/odd-kettle-sohne_black_8x10in.png",
		"JPEG/odd-kettle-sohne_colour_1500.jpg", "SVG/odd-kettle-sohne_black.svg", "PDF/odd-kettle-sohne.pdf", "PDF/odd-kettle-sohne_white.pdf", "EPS/odd-kettle-sohne_white.eps",
	} {
		if !slices.Contains(paths, want) {
			t.Errorf("%s is missing from %v", want, paths)
		}
	}
	if len(paths) != 25 {
		t.Errorf("%d files", len(paths))
	}
	// White on white is left out, and said; a white page is a file of its own, as
	// among others it would print as a blank sheet (common practice).
	if len(left) != 1 || left[0].Reason != whiteBlock {
		t.Errorf("left out: %v", left)
	}
}

// 8 × 10 in at 350 ppi is 2800 × 3500 px; 1000 wide of 1 : 1.414 is 1414
// high; 5 in at 300 ppi is 1500 px (arithmetic).
func TestSizes(t *testing.T) {
	r := parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[
		{"format":"png","size":"8x10in","ppi":350},{"format":"png","widths":[1000],"ppi":72},{"format":"png","heights":[500]},
		{"format":"png","scales":[1,2]},{"format":"png","size":"5x5in"},{"format":"svg"}]}`)
	fs, _, err := r.Plan("b", Art{W: 100, H: 141.4})
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for _, f := range fs {
		got[f.Size] = fmt.Sprintf("%d×%d %.0f×%.0f", f.W, f.H, f.WPt, f.HPt)
	}
	for size, want := range map[string]string{
		"8x10in": "2800×3500 576×720", "1000": "1000×1414 1000×1414", "h500": "354×500 354×500",
		"1x": "100×141 100×141", "2x": "200×283 200×283", "5x5in": "1500×1500 360×360", "": "0×0 75×106",
	} {
		if got[size] != want {
			t.Errorf("size %q: %s, want %s", size, got[size], want)
		}
	}
}

func TestOneFileOfATypeStaysAtTheTop(t *testing.T) {
	r := parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"svg"},{"format":"png","widths":[10,20]}]}`)
	paths, _ := plan(t, r, "b", Art{W: 10, H: 10})
	if strings.Join(paths, " ") != "b_colour.svg PNG/b_colour_10.png PNG/b_colour_20.png" {
		t.Errorf("%v", paths)
	}
}

func TestTwoFilesWithOneName(t *testing.T) {
	r := parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[10],"ppi":72},{"format":"png","widths":[10],"ppi":300}]}`)
	_, _, err := r.Plan("b", Art{W: 10, H: 10})
	if err == nil || !strings.Contains(err.Error(), "files[1]") || !strings.Contains(err.Error(), "files[0]") {
		t.Errorf("%v", err)
	}
	r.Naming = "{brand}_{version}_{size}_{ppi}"
	if _, _, err := r.Plan("b", Art{W: 10, H: 10}); err != nil {
		t.Errorf("with {ppi}: %v", err)
	}
	if _, _, err := r.Plan("日本", Art{W: 10, H: 10}); err == nil {
		t.Error("a brand that leaves no name was taken")
	}
}

// Where one version is left and no name tells versions apart, all versions in one
// file and a file for each are the same file: it is made once, and said.
func TestOneVersionLeft(t *testing.T) {
	r := parse(t, `{"name":"x","naming":"{brand}","versions":[{"name":"colour","treatment":"as-drawn"}],
		"files":[{"format":"pdf"},{"format":"pdf","pages":"one-per-version-file"}]}`)
	paths, left := plan(t, r, "b", Art{W: 100, H: 100})
	if len(paths) != 1 || len(left) != 1 || left[0].Version != "colour" || !strings.Contains(left[0].Reason, "another line") {
		t.Errorf("%v, left out: %v", paths, left)
	}
	// What is white on nothing gets a file of its own beside the pages of the others.
	white := parse(t, `{"name":"x","versions":[{"name":"colour","treatment":"as-drawn"},{"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]}}],
		"files":[{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"cmyk","standard":"pdfx1a","pages":"one-per-version-file"}]}`)
	for range 2 {
		paths, _ := plan(t, white, "b", Art{W: 100, H: 100})
		slices.Sort(paths)
		if want := "PDF/b.pdf PDF/b_colour.pdf PDF/b_white.pdf PDF/b_white_pdfx1a.pdf"; strings.Join(paths, " ") != want {
			t.Errorf("%v, want %s", paths, want)
		}
		slices.Reverse(white.Files)
	}
	r.Files[1].Colour = "cmyk" // not the same: names have to tell
	if _, _, err := r.Plan("b", Art{W: 100, H: 100}); err == nil {
		t.Error("two files of one name are planned")
	}
}

// A file of many pages is as large as its first, and tells the sizes of all where they
// differ. 100 px of 1/96 in are 75 pt (CSS).
func TestPagesOfSeveralSizes(t *testing.T) {
	r := parse(t, `{"name":"x","versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}}],"files":[{"format":"pdf"}]}`)
	for _, c := range []struct {
		own         map[string]Art
		least, most [2]float64
	}{
		{nil, [2]float64{75, 30}, [2]float64{75, 30}},
		{map[string]Art{"black": {W: 40, H: 80}}, [2]float64{30, 30}, [2]float64{75, 60}},
		{map[string]Art{"colour": {W: 40, H: 80}}, [2]float64{30, 30}, [2]float64{75, 60}},
	} {
		fs, _, err := r.Plan("b", Art{W: 100, H: 40, Own: c.own})
		if err != nil || len(fs) != 1 {
			t.Fatalf("%v, %v", fs, err)
		}
		f := fs[0]
		least, most := f.Span()
		if least != c.least || most != c.most || (len(f.Sheets) > 0) != (c.own != nil) {
			t.Errorf("%v: %v to %v, sheets %v", c.own, least, most, f.Sheets)
		}
		if first := (Art{W: 100, H: 40, Own: c.own}).of("colour"); f.WPt != first.W*0.75 || f.HPt != first.H*0.75 {
			t.Errorf("%v: the file is %g × %g pt", c.own, f.WPt, f.HPt)
		}
	}
}

// A raster is never enlarged past 100 % (common practice).
func TestPicturesAreNotEnlarged(t *testing.T) {
	r := parse(t, contract)
	paths, left := plan(t, r, "b", Art{W: 600, H: 400, Pixels: 600})
	for _, p := range paths {
		if strings.Contains(p, "3000") || strings.Contains(p, "1500") || strings.Contains(p, "8x10in") {
			t.Errorf("%s would be enlarged", p)
		}
	}
	if len(left) < 3 {
		t.Errorf("left out: %v", left)
	}
}

// A size that would be too large for a very tall mark is left out, and said;
// the rest of the recipe is made.
func TestVeryTallMarks(t *testing.T) {
	paths, left := plan(t, parse(t, contract), "b", Art{W: 10, H: 500})
	if len(paths) == 0 || len(left) < 4 || !strings.Contains(left[0].Reason, "3000 × 150000 px is more than") {
		t.Errorf("%d files, left out: %v", len(paths), left)
	}
}

func TestSlug(t *testing.T) {
	for in, want := range map[string]string{
		"Larkmoor Tramway": "larkmoor-tramway", "  Ünïté  & Co. ": "unite-co", "../../etc": "etc", "Straße 9": "strasse-9",
		"日本": "", "a_b.c": "a-b-c", strings.Repeat("x", 200): strings.Repeat("x", 60),
	} {
		if got := Slug(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(contract))
	f.Add([]byte(`{"files":[{"palette":3}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		r, err := Parse(b)
		if err != nil {
			return
		}
		fs, _, err := r.Plan("brand", Art{W: 100, H: 50})
		if err != nil {
			return
		}
		for _, x := range fs {
			if strings.Contains(x.Path, "..") || strings.HasPrefix(x.Path, "/") || strings.Count(x.Path, "/") > 1 {
				t.Fatalf("the path %q leaves the kit", x.Path)
			}
		}
	})
}
