package recipe

import (
	"slices"
	"strings"
	"testing"

	"dyekit/core/format"
)

// Each change by a chip makes the recipe one expects, and what makes none is
// refused with a sentence.
func TestChangesByUse(t *testing.T) {
	r := parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000"}}],
		"files":[{"format":"png","widths":[1000,500],"ppi":72},{"format":"svg"}]}`)
	all := []string{"colour", "black"}
	do := func(err error) {
		t.Helper()
		if err == nil {
			err = r.Check()
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	do(r.AddSize(0, "720"))
	do(r.AddSize(0, "h300"))
	if s := r.Files[0].Sizes(); s != "1000, 720, 500, h300" {
		t.Errorf("sizes %s", s)
	}
	do(r.AddSize(0, "60 mm at 300 ppi")) // its height follows from the version
	if e := r.Files[1]; e.Size != "60mm" || e.PPI != 300 || len(e.Widths) > 0 || e.Format != "png" {
		t.Errorf("a size on paper became %+v", e)
	}
	do(r.DropSize(1, "60mm")) // the last of its line
	do(r.DropSize(0, "500"))
	if len(r.Files) != 2 || r.Files[0].Sizes() != "1000, 720, h300" {
		t.Errorf("%d lines, sizes %s", len(r.Files), r.Files[0].Sizes())
	}
	do(r.ToggleVersion(0, "black"))
	if !slices.Equal(r.Files[0].Versions, []string{"colour"}) {
		t.Errorf("versions %v", r.Files[0].Versions)
	}
	if err := r.ToggleVersion(0, "colour"); err == nil {
		t.Error("a line without versions")
	}
	do(r.ToggleVersion(0, "black"))
	if r.Files[0].Versions != nil {
		t.Errorf("all versions are %v", r.Files[0].Versions)
	}
	do(r.Double(0))
	if r.Files[1].PPI != 300 || !strings.Contains(r.Naming, "{ppi}") {
		t.Errorf("doubled: %+v named %s", r.Files[1], r.Naming)
	}
	if _, _, err := r.Plan("b", Art{W: 200, H: 100}); err != nil {
		t.Errorf("doubled names: %v", err)
	}
	for _, u := range Uses() {
		do(r.AddUse(u.Name, all))
		if name, who := r.Files[len(r.Files)-1].UseOf(); name != u.Name || who != u.For {
			t.Errorf("the use %s is %s, %s", u.Name, name, who)
		}
	}
	k := slices.IndexFunc(r.Files, func(e Entry) bool { return e.Format == "pdf" })
	for _, want := range []format.Standard{"pdfx4", "pdfx1a", "pdfa2b", ""} {
		do(r.Next(k, "standard"))
		if r.Files[k].Standard != want {
			t.Errorf("the standard is %q, want %q", r.Files[k].Standard, want)
		}
	}
	do(r.Next(k, "colour"))
	do(r.Next(k, "pages"))
	if e := r.Files[k]; e.Colour != "rgb" || e.Pages == "" {
		t.Errorf("turned to %+v", e)
	}
	for name, err := range map[string]error{"pages of PNG": r.Next(0, "pages"),
		"no size": r.AddSize(0, "large"), "of curves": r.AddSize(2, "500"), "no line": r.DropLine(99), "no use": r.AddUse("Moon", all), "not there": r.DropSize(0, "7"),
	} {
		if err == nil {
			t.Errorf("%s: not refused", name)
		}
	}
}

func FuzzAddSize(f *testing.F) {
	for _, s := range []string{"720", "h300", "2x", "60 mm at 300 ppi", "8x10in", "", "at", "1e9", "-5", "0mm"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r := Recipe{Files: []Entry{{Format: "png", Widths: []int{10}}}}
		if err := r.AddSize(0, s); err == nil {
			r.Files[0].Sizes()
		}
	})
}
