package recipe

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"dyekit/core/frame"
)

// What Sizes writes SetSizes reads.
func TestSizesAsTyped(t *testing.T) {
	for in, want := range map[string]string{
		"3000, 1000,500": "3000, 1000, 500", "500px, h300": "500, h300", "2X, 0.5x": "2x, 0.5x", "8x10in, 250": "250, 8x10in", "": "", " , ": "",
	} {
		var e Entry
		if err := e.SetSizes(in); err != nil || e.Sizes() != want {
			t.Errorf("%q is read as %q (%v)", in, e.Sizes(), err)
		}
		again := Entry{}
		if err := again.SetSizes(e.Sizes()); err != nil || again.Sizes() != e.Sizes() {
			t.Errorf("%q does not come back: %q %v", e.Sizes(), again.Sizes(), err)
		}
	}
	for _, in := range []string{"large", "h", "8x10in, 4x6in", "1000 500", "x", "1080x1080, 500x500", "120mm, 5in", "120mm at 300, 500 at 72"} {
		if err := new(Entry).SetSizes(in); err == nil {
			t.Errorf("%q was taken", in)
		}
	}
}

// A size is read in any spacing and case, with its resolution, and kept in one way.
func TestSizesAsSaid(t *testing.T) {
	for typed, want := range map[string]string{
		"120 mm": "120mm 0", "120mm": "120mm 0", "120mm 300dpi": "120mm 300", "12 cm @ 300": "12cm 300", "12CM@300": "12cm 300", "4.5in": "4.5in 0", `4.5"`: "4.5in 0",
		"4.5 inches at 350 ppi": "4.5in 350", "1080x1080": "1080x1080 0", "1080 X 1080 px": "1080x1080 0", "1080px × 566px": "1080x566 0", "h300": "h300 0", "H 300 px": "h300 0", "300 px high": "h300 0",
		"2x": "2x 0", "0.5 X": "0.5x 0", "500": "500 0", "500 px": "500 0", "w500": "500 0", "500px wide": "500 0", "8x10in": "8x10in 0", "8 x 10 in": "8x10in 0", "8in x 10in": "8x10in 0", "80mm x 3cm": "80mmx3cm 0",
		"60x40mm at 300 ppi": "60x40mm 300", "720 at 150 ppi": "720 150", " 36 pt ": "36pt 0", "120 mm, 300 dpi": "120mm 300",
	} {
		r := Recipe{Files: []Entry{{Format: "png"}}}
		if err := r.AddSize(0, typed); err != nil {
			t.Errorf("%q: %v", typed, err)
			continue
		}
		e := r.Files[len(r.Files)-1]
		if got := fmt.Sprintf("%s %g", e.Sizes(), e.PPI); got != want {
			t.Errorf("%q is read as %s, want %s", typed, got, want)
		}
	}
	for _, typed := range []string{"", "large", "120", "120 miles", "mm", "-5", "0mm", "8x10", "h", "3 x 4 x 5", "120mm at 0 ppi", "120mm at 9000000"} {
		r := Recipe{Files: []Entry{{Format: "png"}}}
		err := r.AddSize(0, typed)
		if typed == "120" || typed == "8x10" { // px
			if err != nil {
				t.Errorf("%q: %v", typed, err)
			}
			continue
		}
		if err == nil {
			t.Errorf("%q was taken: %s", typed, r.Files[0].Sizes())
		} else if s := err.Error(); !strings.Contains(s, "120mm") && !strings.Contains(s, "between") {
			t.Errorf("%q: %q names no form that works", typed, s)
		}
	}
}

// A width on paper is one for each version, whose height follows; a box in px is the
// same for all, and a page on paper as before.
func TestSizesFollowTheVersion(t *testing.T) {
	r := parse(t, mini+`{"format": "png", "size": "120mm", "ppi": 300}, {"format": "png", "box": "1080x1080"}, {"format": "png", "size": "120x60mm", "ppi": 300}]}`)
	fs, left, err := r.Plan("Mark", Art{W: 200, H: 100, Own: map[string]Art{"again": {W: 100, H: 200}}})
	if err != nil || len(left) > 0 {
		t.Fatal(left, err)
	}
	var got []string
	for _, f := range fs {
		got = append(got, fmt.Sprintf("%s %dx%d", f.Path, f.W, f.H))
	}
	want := []string{"PNG/mark_colour_120mm.png 1417x709", "PNG/mark_again_120mm.png 1417x2835", "PNG/mark_colour_1080x1080.png 1080x1080", "PNG/mark_again_1080x1080.png 1080x1080",
		"PNG/mark_colour_120x60mm.png 1417x709", "PNG/mark_again_120x60mm.png 1417x709"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}

const mini = `{"name": "x", "naming": "{brand}_{version}_{size}", "versions": [{"name": "colour", "treatment": "as-drawn"}, {"name": "again", "treatment": "as-drawn"}], "files": [`

// To distort the mark takes a second yes.
func TestStretch(t *testing.T) {
	if _, err := Parse([]byte(mini + `{"format": "png", "stretch": "500x300"}]}`)); err == nil || !strings.Contains(err.Error(), "distorts the mark") {
		t.Errorf("stretched on the first word: %v", err)
	}
	r := parse(t, mini+`{"format": "png", "widths": [100], "stretch": "500x300", "sure": true}]}`)
	art := Art{W: 200, H: 100}
	fs, _, err := r.Plan("Mark", art)
	if err != nil || len(fs) != 4 {
		t.Fatalf("%d files, %v", len(fs), err)
	}
	if f := fs[1]; f.W != 500 || f.H != 300 || f.Path != "PNG/mark_colour_500x300.png" || math.Abs(f.Distortion(art)-500.0/300/2) > 1e-12 {
		t.Errorf("%+v, distorted %v", f, f.Distortion(art))
	}
	if k := fs[0].Distortion(art); k != 1 {
		t.Errorf("a plain width is distorted by %v", k)
	}
	for _, s := range []string{`{"format": "svg", "stretch": "5x3", "sure": true}`, `{"format": "png", "stretch": "5x3in", "sure": true}`, `{"format": "png", "stretch": "wide", "sure": true}`} {
		if _, err := Parse([]byte(mini + s + "]}")); err == nil {
			t.Errorf("%s was taken", s)
		}
	}
}

func TestFolders(t *testing.T) {
	for folders, want := range map[string]string{"type": "PNG/mark_again_9.png", "version": "again/mark_again_9.png", "none": "mark_again_9.png"} {
		r := parse(t, strings.Replace(mini, `"naming"`, `"folders": "`+folders+`", "naming"`, 1)+`{"format": "png", "widths": [9]}, {"format": "jpeg", "widths": [9]}]}`)
		fs, _, err := r.Plan("Mark", Art{W: 1, H: 1})
		if err != nil || !slices.ContainsFunc(fs, func(f File) bool { return f.Path == want }) {
			t.Errorf("by %s: %v %v", folders, fs, err)
		}
	}
	if _, err := Parse([]byte(strings.Replace(mini, `"naming"`, `"folders": "colour", "naming"`, 1) + `{"format": "svg"}]}`)); err == nil {
		t.Error("folders by colour were taken")
	}
}

// What is below the smallest size is left out and says so.
func TestSmallest(t *testing.T) {
	r := parse(t, strings.Replace(mini, `"naming"`, `"frame": {"smallest": "120px"}, "naming"`, 1)+`{"format": "png", "widths": [100, 120]}, {"format": "ico"}]}`)
	fs, left, err := r.Plan("Mark", Art{W: 1, H: 1})
	if err != nil || len(fs) != 4 || len(left) != 2 || !strings.Contains(left[0].Reason, "smallest size, 120 px") {
		t.Errorf("%d files, left out %v, %v", len(fs), left, err)
	}
	r.Frame.Smallest = "30mm"
	r.Files = append(r.Files, Entry{Format: "png", Size: "20x20mm", PPI: 300}, Entry{Format: "png", Size: "40x40mm", PPI: 300})
	if fs, left, err = r.Plan("Mark", Art{W: 1, H: 1}); err != nil || len(fs) != 8 || len(left) != 2 {
		t.Errorf("%d files, left out %v, %v", len(fs), left, err)
	}
	for _, s := range []frame.Spec{{Smallest: "3%"}, {Smallest: "wide"}, {Smallest: "-3px"}, {Clear: &frame.Clear{Times: 1}}, {Clear: &frame.Clear{Part: "a", Times: -1}}} {
		if s.Check() == nil {
			t.Errorf("%+v was taken", s)
		}
	}
}

func TestDiff(t *testing.T) {
	a := []File{{Path: "a.png", W: 10, H: 5}, {Path: "b.svg"}}
	b := []File{{Path: "a.png", W: 20, H: 10}, {Path: "b.svg"}}
	x, y, both := Diff(a, b)
	if both != 1 || !slices.Equal(x, []string{"a.png (10 × 5 px)"}) || !slices.Equal(y, []string{"a.png (20 × 10 px)"}) {
		t.Errorf("%v %v %d", x, y, both)
	}
}

// A file of curves has a size on paper if the recipe says one: a width, whose height follows
// from the version, or a page. PDF pages keep to what readers show (ISO 32000-1, annex C.2).
func TestCurvesOnPaper(t *testing.T) {
	r := parse(t, mini+`{"format": "pdf", "size": "80mm", "pages": "one-per-version-file"}, {"format": "svg", "size": "1x1in", "versions": ["colour"]}, {"format": "eps", "size": "2in", "versions": ["again"]}, {"format": "pdf", "size": "5081mm"}, {"format": "pdf", "size": "1mm", "versions": ["again"]}]}`)
	fs, left, err := r.Plan("Mark", Art{W: 200, H: 100, Own: map[string]Art{"again": {W: 100, H: 200}}})
	if err != nil || len(left) != 3 {
		t.Fatal(left, err)
	}
	var got []string
	for _, f := range fs {
		got = append(got, fmt.Sprintf("%s %.2f×%.2f %v", f.Path, f.WPt, f.HPt, f.Page[0] > 0))
	}
	want := []string{"PDF/mark_colour_80mm.pdf 226.77×113.39 false", "PDF/mark_again_80mm.pdf 226.77×453.54 false", "mark_colour_1x1in.svg 72.00×72.00 true", "mark_again_2in.eps 144.00×288.00 false"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
	for _, s := range []string{`{"format": "pdf", "widths": [300]}`, `{"format": "svg", "size": "80mm", "fluid": true}`, `{"format": "svg", "size": "80mm", "widths": [3]}`, `{"format": "icons", "size": "80mm"}`, `{"format": "eps", "box": "20x20"}`} {
		if _, err := Parse([]byte(mini + s + "]}")); err == nil {
			t.Errorf("%s was taken", s)
		}
	}
	r = parse(t, mini+`{"format": "pdf", "size": "8mm", "pages": "one-per-version-file"}]}`)
	r.Frame.Smallest = "10mm"
	if fs, left, _ := r.Plan("Mark", Art{W: 200, H: 100}); len(fs) != 0 || len(left) != 2 {
		t.Errorf("smaller than the smallest: %d files, %v", len(fs), left)
	}
}

// A resolution said beside one size is that of the line, whichever sizes say none; two are refused.
func TestResolutionOfALine(t *testing.T) {
	for typed, want := range map[string]float64{"500, 120mm at 150 ppi": 150, "120mm at 150 ppi, 500": 150, "120mm at 150 ppi, 500 at 150 ppi": 150, "120mm at 150 ppi, 500 at 300 ppi": 0} {
		var e Entry
		if err := e.SetSizes(typed); (err == nil) != (want > 0) || want > 0 && e.PPI != want {
			t.Errorf("%q: %v ppi, %v", typed, e.PPI, err)
		}
	}
}
