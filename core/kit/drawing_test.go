package kit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/recipe"
	"dyekit/internal/testkit"
)

// A mark of a leaf and four letters, to be drawn in several arrangements.
const (
	leaf    = `<g id="symbol" transform="translate(%g %g) scale(%g)"><path d="M0 60C0 20 30 0 80 0c0 60-30 90-70 90L0 60z" fill="%[4]s"/><path d="M20 70L60 20" stroke="%[5]s" stroke-width="6" fill="none"/></g>`
	letters = `<g id="wordmark" transform="translate(%g %g) scale(%g)" fill="%s"><path d="M0 0h10v40h20v10H0z"/><path d="M40 0h30v10H50v10h15v10H50v10h20v10H40z"/><path d="M80 50L95 0h10l15 50h-11l-3-12h-12l-3 12zm16-22h8l-4-16z"/><path d="M130 0h30v10h-20v12h15v10h-15v18h-10z"/></g>`
)

func sheetOf(w, h float64, body ...string) string {
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g">%s</svg>`, w, h, strings.Join(body, ""))
}

func stacked(green, vein string) string {
	return sheetOf(200, 200, fmt.Sprintf(leaf, 60.0, 10.0, 1.0, green, vein), fmt.Sprintf(letters, 20.0, 120.0, 1.0, green))
}

func wide(green, vein string) string {
	return sheetOf(320, 100, fmt.Sprintf(leaf, 5.0, 5.0, 1.0, green, vein), fmt.Sprintf(letters, 105.0, 20.0, 1.3, green))
}

// leafKit is what a kit is made from of the mark with drawings of its own, as the command line names them.
func leafKit(t testing.TB, base string, cells map[string]string) Input {
	t.Helper()
	r := parse(t, base)
	in := Input{Master: []byte(stacked("#206047", "#ffffff")), MasterName: "leaf.svg", Brand: "Leaf", Recipe: r, Readers: "none", Drawings: map[string]Drawn{}}
	for _, lockups := range []bool{true, false} {
		for cell, svg := range cells {
			lockup, colourway, _ := strings.Cut(cell, "/")
			if (colourway == "") != lockups {
				continue
			}
			ref := strings.ReplaceAll(cell, "/", "-") + ".svg"
			if err := r.Draw(lockup, colourway, ref); err != nil {
				t.Fatal(err)
			}
			in.Drawings[ref] = Drawn{Name: ref, Data: []byte(svg)}
		}
	}
	return in
}

const threeColourways = `{"name":"three","frame":{"fit":"artwork"},"versions":[{"name":"colour","treatment":"as-drawn"},
	{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},
	{"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]}}],
	"files":[{"format":"png","widths":[320]},{"format":"svg"},{"format":"pdf","colour":"cmyk"}]}`

// A lockup that is drawn by hand, a white of it on a dark sheet and a black in an off-black give
// right files, which librsvg draws as it draws the drawings themselves.
func TestDrawnCells(t *testing.T) {
	t.Parallel()
	reverse := strings.Replace(wide("#ffffff", "#231f20"), `<g id="symbol"`, `<rect width="320" height="100" fill="#231f20"/><g id="symbol"`, 1)
	offBlack := sheetOf(200, 200, fmt.Sprintf(letters, 20.0, 120.0, 1.0, "#231f20"), fmt.Sprintf(leaf, 60.0, 10.0, 1.0, "#231f20", "#ffffff"))
	in := leafKit(t, threeColourways, map[string]string{"wide": wide("#206047", "#ffffff"), "wide/white": reverse, "/black": offBlack})
	k := build(t, in)
	for _, f := range k.Files {
		if f.Format != "png" {
			continue
		}
		src, svg := map[string]string{"colour": stacked("#206047", "#ffffff"), "wide-colour": wide("#206047", "#ffffff"), "wide-white": wide("#ffffff", "none"), "wide-black": wide("#000000", "#ffffff"),
			"black": stacked("#000000", "#ffffff"), "white": stacked("#ffffff", "none")}[f.Version], bytesOf(t, k, f)
		if src == "" {
			t.Errorf("a version %s", f.Version)
			continue
		}
		// On mid grey both, cut to the art.
		got := onGrey(t, svg)
		box := map[bool][4]float64{true: {5, 5, 308, 90}, false: {20, 10, 160, 160}}[strings.HasPrefix(f.Version, "wide")]
		cut := strings.Replace(src, "viewBox", fmt.Sprintf(`width="%d" height="%d" viewBox="%g %g %g %g" data-was`, f.WidthPx, f.HeightPx, box[0], box[1], box[2], box[3]), 1)
		if f.Version == "black" || f.Version == "wide-black" { // white there is paper, which shows the ground
			cut = strings.ReplaceAll(cut, `stroke="#ffffff"`, `stroke="#808080"`)
		}
		if f.Version == "white" || f.Version == "wide-white" {
			cut = strings.ReplaceAll(cut, `stroke="none"`, `stroke="#808080"`)
		}
		dir, _ := testkit.Run(t, map[string][]byte{"in.svg": []byte(cut)}, "rsvg-convert", "-o", "out.png", "in.svg")
		ref, err := os.ReadFile(filepath.Join(dir, "out.png"))
		if err != nil {
			t.Fatal(err)
		}
		want := onGrey(t, ref)
		if off := apartBy(got, want); off > 2.5 {
			t.Errorf("%s: %.2f of 255 a pixel from what librsvg draws", f.Path, off)
		}
	}
	for code, want := range map[finding.Code]string{finding.DrawingDiffers: "black is painted in its ink, #000000; black.svg has it in #231f20", finding.Backing: "the rectangle of #231f20 behind wide-white.svg"} {
		found := false
		for _, f := range k.Findings {
			found = found || f.Code == code && strings.Contains(f.Message, want)
		}
		if !found {
			t.Errorf("nothing says %q: %+v", want, k.Findings)
		}
	}
	for _, f := range k.Findings {
		if f.Code == finding.DrawingDiffers && f.Severity == finding.Warn && !strings.Contains(f.Message, "wide-white is drawn for one ink") {
			t.Errorf("a warning of what is right: %s", f.Message)
		}
	}
	// The kit holds its drawings, and is made again from them alone.
	files := map[string][]byte{}
	for _, f := range k.All() {
		files[f.Path] = bytesOf(t, k, f)
	}
	if _, err := Verify(t.Context(), files, nil); err != nil {
		t.Error(err)
	}
	s := source(t, k)
	o := order(`{"format":"png","widths":[77]}`)
	o.Versions = []string{"wide-white"}
	if f, _, err := s.Make(t.Context(), o); err != nil || f.WidthPx != 77 {
		t.Errorf("made of a drawn cell: %+v, %v", f, err)
	}
	for p := range files {
		if strings.HasPrefix(p, house) {
			broken := map[string][]byte{}
			for k, v := range files {
				broken[k] = v
			}
			broken[p] = append(bytes.Clone(files[p]), ' ')
			if _, err := Verify(t.Context(), broken, nil); !errors.Is(err, ErrCheck) {
				t.Errorf("%s was changed: %v", p, err)
			}
		}
	}
}

// Another drawing changes the keys of its own files and no others.
func TestDrawingsInKeys(t *testing.T) {
	t.Parallel()
	keys := func(cell string) map[string]string {
		in := leafKit(t, threeColourways, map[string]string{"wide": wide("#206047", "#ffffff"), "/black": cell})
		in.Base = "base"
		return build(t, in).Keys
	}
	a, b := keys(stacked("#000000", "#ffffff")), keys(stacked("#000000", "#fffffe"))
	for p, key := range a {
		drawn := strings.Contains(p, "_black_") || strings.Contains(p, "_black.") || p == "PDF/leaf.pdf" // which has several pages
		if (key == b[p]) == drawn {
			t.Errorf("%s: %s and %s", p, key, b[p])
		}
	}
}

// With the page as frame each drawing keeps its own.
func TestDrawingsKeepTheirPages(t *testing.T) {
	t.Parallel()
	in := leafKit(t, threeColourways, map[string]string{"wide": wide("#206047", "#ffffff"), "/black": strings.Replace(stacked("#000000", "#ffffff"), "0 0 200 200", "-50 0 300 200", 1)})
	in.Recipe.Frame = frame.Spec{Fit: frame.ViewBox}
	for _, f := range build(t, in).Files {
		if f.Format != "svg" {
			continue
		}
		want := [2]float64{150, 150}
		if strings.HasPrefix(f.Version, "wide") {
			want = [2]float64{240, 75}
		} else if f.Version == "black" {
			want = [2]float64{225, 150}
		}
		if math.Abs(f.WidthPt-want[0]) > 0.01 || math.Abs(f.HeightPt-want[1]) > 0.01 {
			t.Errorf("%s is %g × %g pt, want %v", f.Path, f.WidthPt, f.HeightPt, want)
		}
	}
}

// What a drawing of its own has otherwise than the mark is said, and what is right is not.
func TestDrawingsThatDiffer(t *testing.T) {
	t.Parallel()
	other := sheetOf(200, 200, `<path d="M10 10h60v60h-60z" fill="#206047"/><path d="M80 100L180 190H20z" fill="#206047"/>`)
	for name, c := range map[string]struct {
		cells map[string]string
		want  string // of a warning; none if empty
	}{
		"a lockup":             {map[string]string{"wide": wide("#206047", "#ffffff")}, ""},
		"a black":              {map[string]string{"/black": stacked("#000000", "#ffffff")}, ""},
		"a thicker black":      {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `fill="#000000"><path d="M0 0h10v40`, `fill="#000000" stroke="#000000" stroke-width="3"><path d="M0 0h10v40`, 1)}, ""},
		"another mark":         {map[string]string{"wide": other}, "shares hardly any shapes with the master"},
		"another black":        {map[string]string{"/black": other}, "shares hardly any shapes with what would be derived"},
		"a letter is gone":     {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `<path d="M40 0h30v10H50v10h15v10H50v10h20v10H40z"/>`, "", 1)}, "1 shape missing"},
		"another letter":       {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `M40 0h30v10H50v10h15v10H50v10h20v10H40z`, `M40 0h4v46h26v4H40z`, 1)}, "1 shape drawn differently"},
		"wide, a letter gone":  {map[string]string{"wide": strings.Replace(wide("#206047", "#ffffff"), `<path d="M40 0h30v10H50v10h15v10H50v10h20v10H40z"/>`, "", 1)}, "but for 1 shape"},
		"wide, another letter": {map[string]string{"wide": strings.Replace(wide("#206047", "#ffffff"), `M40 0h30v10H50v10h15v10H50v10h20v10H40z`, `M40 0h4v46h26v4H40z`, 1)}, "but for 1 shape"},
		"the symbol alone":     {map[string]string{"symbol": sheetOf(90, 100, fmt.Sprintf(leaf, 5.0, 5.0, 1.0, "#206047", "#ffffff"))}, ""},
		"squeezed":             {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `viewBox="0 0 200 200"`, `viewBox="0 0 200 200" preserveAspectRatio="none" width="180" height="200"`, 1)}, "0.90 times as wide"},
		"a colour too many":    {map[string]string{"wide": strings.Replace(wide("#206047", "#ffffff"), `fill="#206047"><path d="M0 0`, `fill="#b03020"><path d="M0 0`, 1)}, "#b03020"},
		"a black in two":       {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `fill="#000000"><path d="M0 0`, `fill="#777777"><path d="M0 0`, 1)}, "more than one colour"},
		"wide in its place":    {map[string]string{"/black": wide("#000000", "#ffffff")}, "arranged differently"},
		"half the size":        {map[string]string{"/black": strings.Replace(stacked("#000000", "#ffffff"), `viewBox`, `width="100" height="100" viewBox`, 1)}, ""},
		"a colour, by hand":    {map[string]string{"/colour": stacked("#206047", "#ffffff")}, ""},
		"and in other inks":    {map[string]string{"/colour": stacked("#203047", "#ffffff")}, "#203047"},
		"two drawings of it":   {map[string]string{"wide": strings.Replace(sheetOf(900, 200, wide("#206047", "#ffffff"), strings.Replace(wide("#206047", "#ffffff"), "<svg", `<svg x="580" y="100" width="320" height="100"`, 1)), "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 320 100\">", `<svg width="320" height="100" viewBox="0 0 320 100">`, 1)}, "several pages or drawings"},
	} {
		p, err := NewPlan(t.Context(), leafKit(t, threeColourways, c.cells))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		said := ""
		for _, f := range p.Findings {
			if (f.Code == finding.DrawingDiffers || f.Code == finding.SeveralDrawings) && f.Severity == finding.Warn {
				said += f.Message + "; "
			}
		}
		if c.want == "" && said != "" || !strings.Contains(said, c.want) {
			t.Errorf("%s: said %q, want %q", name, said, c.want)
		}
	}
}

// With the drawings' own pages as frames, other room round the art is said; it is none of trimmed files.
func TestRoomOfDrawings(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		fit   string
		wider float64 // px at the left
		said  bool
	}{{"viewbox", 0, false}, {"viewbox", 2, false}, {"viewbox", 10, true}, {"artwork", 10, false}} {
		base := strings.Replace(threeColourways, `"fit":"artwork"`, `"fit":"`+c.fit+`"`, 1)
		black := strings.Replace(stacked("#000000", "#ffffff"), `viewBox="0 0 200 200"`, fmt.Sprintf(`viewBox="%g 0 %g 200"`, -c.wider, 200+c.wider), 1)
		p, err := NewPlan(t.Context(), leafKit(t, base, map[string]string{"/black": black}))
		if err != nil {
			t.Fatal(err)
		}
		said := false
		for _, f := range p.Findings {
			said = said || f.Severity == finding.Warn && strings.Contains(f.Message, "black, drawn in -black.svg, leaves other room on its page than what would be derived: 19 % of the mark’s longer side on the left, not 12 %")
		}
		if said != c.said {
			t.Errorf("%s, %g px wider: said %v: %v", c.fit, c.wider, said, p.Findings)
		}
	}
}

// A version that is drawn with more or less ink than would be derived is said to be heavier or
// lighter; one that has the same is not.
func TestWeightOfDrawings(t *testing.T) {
	t.Parallel()
	for line, want := range map[string]string{"": "", `stroke="#000000" stroke-width="0.3" `: "", `stroke="#000000" stroke-width="2" `: "heavier", `stroke="#ffffff" stroke-width="2" `: "lighter"} {
		black := strings.Replace(stacked("#000000", "#ffffff"), "<svg ", "<svg "+line, 1)
		p, err := NewPlan(t.Context(), leafKit(t, threeColourways, map[string]string{"/black": black}))
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		for _, f := range p.Findings {
			if m := regexp.MustCompile(`^black is drawn \d+ % (heavier|lighter) than what would be derived, by the area of its ink$`).FindStringSubmatch(f.Message); m != nil && f.Severity == finding.Note {
				got = m[1]
			}
		}
		if got != want {
			t.Errorf("with %s: said %q, want %q: %v", line, got, want, p.Findings)
		}
	}
}

// Of art that covers its whole box it is said that it cannot be compared.
func TestDrawingsWithoutSilhouette(t *testing.T) {
	t.Parallel()
	flag := func(a, b string) string {
		return sheetOf(90, 60, fmt.Sprintf(`<path d="M0 0h90v30H0z" fill="%s"/><path d="M0 30h90v30H0z" fill="%s"/>`, a, b))
	}
	in := leafKit(t, threeColourways, map[string]string{"wide": flag("#206047", "#b03020")})
	in.Master = []byte(flag("#b03020", "#206047"))
	p, err := NewPlan(t.Context(), in)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range p.Findings {
		if f.Code == finding.DrawingDiffers && f.Severity == finding.Note && strings.Contains(f.Message, "wide.svg covers its whole box") {
			return
		}
	}
	t.Errorf("nothing is said: %+v", p.Findings)
}

// Drawings that cannot be used end the build, and the sentence names the place.
func TestDrawingsRefused(t *testing.T) {
	t.Parallel()
	for want, change := range map[string]func(in *Input){
		"wide.svg (lockups[0].drawing): the drawing is not there": func(in *Input) { delete(in.Drawings, "wide.svg") },
		"the file is empty": func(in *Input) { in.Drawings["wide.svg"] = Drawn{Name: "wide.svg"} },
		"the file holds one drawing, so there is no page 3": func(in *Input) {
			in.Recipe.Lockups[0].Drawing = "wide.svg#3"
			in.Drawings["wide.svg#3"] = in.Drawings["wide.svg"]
		},
		"cannot be drawn right yet": func(in *Input) {
			in.Drawings["wide.svg"] = Drawn{Name: "wide.svg", Data: []byte(sheetOf(9, 9, `<foreignObject width="9" height="9"><p xmlns="http://www.w3.org/1999/xhtml">x</p></foreignObject><path d="M0 0h9v9z"/>`))}
		},
	} {
		in := leafKit(t, threeColourways, map[string]string{"wide": wide("#206047", "#ffffff")})
		change(&in)
		_, err := Build(context.Background(), in)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}

func TestRecipesWithoutDrawingsAreAsTheyWere(t *testing.T) {
	t.Parallel()
	r, _ := recipe.Builtin("standard")
	in, err := (Input{Recipe: r}).housed()
	if err != nil || in.Recipe != r {
		t.Errorf("another recipe, %v", err)
	}
}

// onGrey is a picture on mid grey, as three bytes a pixel.
func onGrey(t testing.TB, data []byte) []float64 {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	b := img.Bounds()
	var out []float64
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			r, g, bl, a := img.At(x, y).RGBA()
			for _, c := range []uint32{r, g, bl} {
				out = append(out, float64(c)/257+128*(1-float64(a)/65535))
			}
		}
	}
	return out
}

// apartBy is the mean difference of two pictures.
func apartBy(a, b []float64) (off float64) {
	if len(a) != len(b) {
		return math.Inf(1)
	}
	for i := range a {
		off += math.Abs(a[i] - b[i])
	}
	return off / float64(len(a))
}

// What stands in for the mark in a small place has the bytes that its own drawing gives alone, and
// a drawing for small places that has fewer shapes is no reason to look.
func TestSmallPlaces(t *testing.T) {
	t.Parallel()
	base := strings.Replace(threeColourways, `"widths":[320]`, `"widths":[48,320],"versions":["colour","black","white"]`, 1)
	only := sheetOf(90, 100, fmt.Sprintf(leaf, 5.0, 5.0, 1.0, "#206047", "#206047"))
	in := leafKit(t, base, map[string]string{"small": only})
	in.Recipe.Lockups[0].Below = "100px"
	// Its versions are in the lines that ask for the main one; here they serve below alone.
	in.Recipe.Files[0].Versions = []string{"colour", "black", "white"}
	k := build(t, in)
	alone := build(t, Input{Master: []byte(only), MasterName: "only.svg", Brand: "Leaf", Recipe: parse(t, base), Readers: "none"})
	n := 0
	for _, f := range k.Files {
		if f.Format != "png" {
			continue
		}
		if (f.For != "") != (f.WidthPx == 48) {
			t.Errorf("%s, %d px, stands in for %q", f.Path, f.WidthPx, f.For)
		}
		if f.For == "" {
			continue
		}
		n++
		if f.Version != "small-"+f.For {
			t.Errorf("%s is of %s", f.Path, f.Version)
		}
		for _, g := range alone.Files {
			if g.Format == "png" && g.WidthPx == 48 && g.Version == f.For && !bytes.Equal(bytesOf(t, k, f), bytesOf(t, alone, g)) {
				t.Errorf("%s is not what its drawing gives alone", f.Path)
			}
		}
	}
	if n != 3 {
		t.Errorf("%d files are stood in for, not 3", n)
	}
	for _, f := range k.Findings {
		if f.Severity == finding.Warn || f.Severity == finding.Stop {
			t.Errorf("%s: %s", f.Code, f.Message)
		}
	}
}
