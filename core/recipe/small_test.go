package recipe

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

const withSmall = `{"name":"s","frame":{"fit":"artwork","smallest":"60px"},
	"lockups":[{"name":"simple","drawing":"simple.svg","below":"100px"},{"name":"dot","drawing":"dot.svg","below":"32px"},{"name":"wide","drawing":"wide.svg"}],
	"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"white","treatment":"single-ink","ink":{"name":"White","rgb":"#ffffff"}},
		{"name":"wide-colour","treatment":"as-drawn","lockup":"wide"},{"name":"simple-colour","treatment":"as-drawn","lockup":"simple"},{"name":"dot-colour","treatment":"as-drawn","lockup":"dot"}],
	"files":[%s]}`

// In small places a lockup stands in for the main one, in the same colourway and no other.
func TestStandIns(t *testing.T) {
	t.Parallel()
	main := `"versions":["colour","white","wide-colour"]`
	for _, c := range []struct{ files, want, omitted string }{
		// The narrowest that serves; white has none and stays below the smallest size; the wide one is another.
		{`{"format":"png","widths":[16,64,120],` + main + `}`, "16:dot-colour<colour 64:simple-colour<colour 120:colour 64:white 120:white 64:wide-colour 120:wide-colour", "white, wide-colour"},
		{`{"format":"png","heights":[40],"versions":["colour"]}`, "h40:simple-colour<colour", ""},
		// A width on paper is no width on a screen.
		{`{"format":"png","size":"10mm","versions":["colour"]}`, "10mm:colour", ""},
		{`{"format":"svg","versions":["colour"]}`, ":colour", ""},
		{`{"format":"png","stretch":"80x80","sure":true,"versions":["colour"]}`, "80x80:colour", ""},
		// Icons by the smallest picture in them, profile pictures as they are shown.
		{`{"format":"ico","versions":["colour"]}`, ":dot-colour<colour", ""},
		{`{"format":"png","box":"400x400","round":true,"versions":["colour"]}`, "400x400:simple-colour<colour", ""},
		{`{"format":"png","box":"400x400","versions":["colour"]}`, "400x400:colour", ""},
		// What a line makes anyway it makes once; what another line makes, too.
		{`{"format":"png","widths":[64],"versions":["colour","simple-colour"]}`, "64:simple-colour", "colour"},
		{`{"format":"png","widths":[64],"versions":["colour"]},{"format":"png","widths":[64],"versions":["simple-colour"]}`, "64:simple-colour", ""},
		{`{"format":"png","widths":[64],"versions":["simple-colour"]},{"format":"png","widths":[64],"versions":["colour"]}`, "64:simple-colour", "simple-colour"},
	} {
		r, err := Parse([]byte(fmt.Sprintf(withSmall, c.files)))
		if err != nil {
			t.Fatalf("%s: %v", c.files, err)
		}
		files, left, err := r.Plan("Leaf", Art{W: 200, H: 100})
		if err != nil {
			t.Errorf("%s: %v", c.files, err)
			continue
		}
		var got, gone []string
		for _, f := range files {
			s := f.Size + ":" + f.Version()
			if f.For != "" {
				s += "<" + f.For
			}
			if !strings.Contains(f.Path, f.Version()) {
				t.Errorf("%s is called %s", s, f.Path)
			}
			got = append(got, s)
		}
		for _, o := range left {
			if !slices.Contains(gone, o.Version) {
				gone = append(gone, o.Version)
			}
		}
		if s := strings.Join(got, " "); s != c.want {
			t.Errorf("%s gives %s, not %s", c.files, s, c.want)
		}
		if s := strings.Join(gone, ", "); s != c.omitted {
			t.Errorf("%s leaves out of %q", c.files, s)
		}
	}
	// What a drawing of few pixels cannot be made in, the mark is made in.
	for _, files := range []string{`{"format":"png","widths":[64],"versions":["colour"]}`, `{"format":"png","widths":[64],"versions":["colour","simple-colour"]}`} {
		r, err := Parse([]byte(fmt.Sprintf(withSmall, files)))
		if err != nil {
			t.Fatal(err)
		}
		fs, _, err := r.Plan("Leaf", Art{W: 200, H: 100, Own: map[string]Art{"simple-colour": {W: 40, H: 40, Pixels: 40}}})
		if err != nil || len(fs) != 1 || fs[0].Version() != "colour" || fs[0].For != "" {
			t.Errorf("%s, of a drawing of 40 px: %+v, %v", files, fs, err)
		}
	}
	// Pages together stand in for no one version.
	two, err := Parse([]byte(fmt.Sprintf(withSmall, `{"format":"pdf","size":"10mm","pages":"one-file","versions":["colour","wide-colour"]}`)))
	if err == nil {
		two.Lockups[0].Below = "20mm"
		fs, _, err := two.Plan("Leaf", Art{W: 200, H: 100})
		if err != nil || len(fs) != 1 || fs[0].Version() != "simple-colour+wide-colour" || fs[0].For != "" {
			t.Errorf("two pages: %+v, %v", fs, err)
		}
	} else {
		t.Error(err)
	}
	// The set of icons: favicons of the small drawings, larger ones of the mark.
	r, err := Parse([]byte(fmt.Sprintf(withSmall, `{"format":"icons","versions":["colour"]}`)))
	if err != nil {
		t.Fatal(err)
	}
	files, _, err := r.Plan("Leaf", Art{W: 200, H: 100})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		want := map[string]string{"ICONS/favicon.ico": "dot-colour", "ICONS/icon-16.png": "dot-colour", "ICONS/icon-32.png": "simple-colour", "ICONS/icon-48.png": "simple-colour", "ICONS/icon-64.png": "simple-colour", "ICONS/icon-96.png": "simple-colour"}[f.Path]
		if want == "" {
			want = "colour"
		}
		if f.Version() != want {
			t.Errorf("%s is of %s, not of %s", f.Path, f.Version(), want)
		}
	}
	for _, bad := range []struct{ below, want string }{{"10%", "is no width"}, {"-3px", "is no width"}, {"wide", "below"}} {
		_, err := Parse([]byte(strings.Replace(fmt.Sprintf(withSmall, `{"format":"svg"}`), `"100px"`, `"`+bad.below+`"`, 1)))
		if err == nil || !strings.Contains(err.Error(), bad.want) || !strings.Contains(err.Error(), "lockups[0].below") {
			t.Errorf("below %s: %v", bad.below, err)
		}
	}
}
