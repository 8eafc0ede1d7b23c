package recipe

import (
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
	for _, in := range []string{"large", "h", "8x10in, 4x6in", "1000 500", "x"} {
		if err := new(Entry).SetSizes(in); err == nil {
			t.Errorf("%q was taken", in)
		}
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
