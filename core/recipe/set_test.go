package recipe

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dyekit/core/version"
)

// grid writes a set as people see it.
func grid(r *Recipe) string {
	s := r.Set()
	var b strings.Builder
	for _, c := range s.Lockups {
		fmt.Fprintf(&b, "|%s", c.Lockup)
	}
	for i, row := range s.Colourways {
		fmt.Fprintf(&b, "\n%s", row.Name)
		for _, v := range s.Cells[i] {
			if v < 0 {
				b.WriteString("|")
			} else {
				b.WriteString("|" + r.Versions[v].Name)
			}
		}
	}
	return b.String()
}

func TestSet(t *testing.T) {
	r, _ := Builtin("standard")
	if got, want := grid(r), "||symbol|full\ncolour|colour|icon\nblack|black|\nwhite|white|"; got != want {
		t.Errorf("the set of standard is\n%s", got)
	}
	for _, c := range [][3]string{{"wide", "", "wide.svg"}, {"wide", "white", "w.svg"}} {
		if err := r.Draw(c[0], c[1], c[2]); err != nil {
			t.Fatal(err)
		}
	}
	// A version of a part, named as people add it, and a colourway that the main lockup has not.
	r.Versions = append(r.Versions, version.Spec{Name: "black-symbol", Lockup: "symbol", Treatment: version.SingleInk, Ink: r.Versions[1].Ink},
		version.Spec{Name: "wide-plum", Lockup: "wide", Treatment: version.SingleInk, Ink: &version.Ink{Name: "Plum", RGB: "#6b2d4f"}})
	if got, want := grid(r), "||wide|symbol|full|symbol\ncolour|colour|wide-colour|icon|\nblack|black|wide-black||black-symbol\nwhite|white|wide-white||\nplum||wide-plum||"; got != want {
		t.Errorf("the set is\n%s", got)
	}
	if s := r.CellSpec("symbol", r.Versions[2]); s.Name != "symbol-white" || s.Lockup != "symbol" || !s.White() {
		t.Errorf("a cell to be: %+v", s)
	}
	if s := r.CellSpec("wide", r.Versions[2]); s.Name != "wide-white-2" {
		t.Errorf("a cell of a name that is taken: %+v", s)
	}
	// What differs in its gap or in what it stands on is another colourway, and is never drawn in
	// its place.
	plum := &version.Ink{Name: "Plum", RGB: "#6b2d4f"}
	on := func(name, lockup string, b version.Backing) version.Spec {
		b.Shape, b.Ink = version.ToTheEdge, plum
		return version.Spec{Name: name, Lockup: lockup, Treatment: version.Backed, Ink: r.Versions[2].Ink, Backing: &b}
	}
	q := &Recipe{Lockups: []version.Lockup{{Name: "wide", Drawing: "w.svg"}}, Versions: []version.Spec{r.Versions[1], on("on-plum", "", version.Backing{}), on("on-run", "", version.Backing{To: plum}),
		{Name: "wide-apart", Lockup: "wide", Treatment: version.SingleInk, Ink: r.Versions[1].Ink, Gap: "1.5%"}, on("wide-on-run", "wide", version.Backing{To: plum})}}
	if got, want := grid(q), "||wide\nblack|black|\non-plum|on-plum|\non-run|on-run|wide-on-run\napart||wide-apart"; got != want {
		t.Errorf("the set is\n%s", got)
	}
	if i := q.Cell("wide", "black"); i >= 0 {
		t.Errorf("black of the wide one is %s", q.Versions[i].Name)
	}
	for _, name := range Builtins() {
		r, _ := Builtin(name)
		s := r.Set()
		for i := range r.Versions {
			if _, _, ok := s.At(i); !ok {
				t.Errorf("%s: %s is not in the set", name, r.Versions[i].Name)
			}
		}
	}
}

// What is left out is in no line, and a line that asked for nothing else is gone: an empty list
// would mean all.
func TestWithout(t *testing.T) {
	r, _ := Builtin("social")
	r.Files[0].Dark = "white"
	w, kept := r.Without("white")
	if len(w.Versions) != 2 || len(w.Files) != len(r.Files)-1 || w.Files[0].Dark != "" || len(r.Versions) != 3 || fmt.Sprint(kept) != "[0 2]" {
		t.Errorf("%+v, %v", w, kept)
	}
	if w.Check() != nil {
		t.Error(w.Check())
	}
}

// A PDF may be one file for each lockup, with a page for each colourway; white has its own.
func TestOneFileForEachLockup(t *testing.T) {
	r, _ := Builtin("standard")
	if err := r.Draw("wide", "", "w.svg"); err != nil {
		t.Fatal(err)
	}
	r.Files = []Entry{{Format: "pdf", Pages: OneLockup, Versions: []string{"colour", "black", "white", "wide-colour", "wide-black", "wide-white", "icon"}}}
	for naming, want := range map[string]string{
		"":                           "PDF/leaf.pdf colour+black; PDF/leaf_white.pdf white; PDF/leaf_wide.pdf wide-colour+wide-black; PDF/leaf_wide-white.pdf wide-white; PDF/leaf_symbol-full.pdf icon",
		"{brand}_{lockup}_{version}": "PDF/leaf.pdf colour+black; PDF/leaf_white.pdf white; PDF/leaf_wide.pdf wide-colour+wide-black; PDF/leaf_wide_wide-white.pdf wide-white; PDF/leaf_symbol-full.pdf icon",
	} {
		r.Naming = naming
		files, _, err := r.Plan("Leaf", Art{W: 300, H: 200})
		if err != nil || r.Check() != nil {
			t.Fatal(err, r.Check())
		}
		var got []string
		for _, f := range files {
			got = append(got, f.Path+" "+f.Version())
		}
		slices.Sort(got)
		w := strings.Split(want, "; ")
		slices.Sort(w)
		if !slices.Equal(got, w) {
			t.Errorf("%q: %q", naming, got)
		}
	}
}

// A line with a rule takes in what comes later, and what it does not name stays out.
func TestRules(t *testing.T) {
	parse := func(line string) (*Recipe, error) {
		r, _ := Builtin("standard")
		if err := r.Draw("wide", "", "w.svg"); err != nil {
			t.Fatal(err)
		}
		b, err := json.Marshal(r)
		if err != nil {
			t.Fatal(err)
		}
		at := strings.Index(string(b), `"files":[`) + len(`"files":[`)
		return Parse([]byte(string(b[:at]) + line + "," + string(b[at:])))
	}
	for line, want := range map[string]string{
		`{"format":"svg"}`: "colour black white wide-colour wide-black wide-white",
		`{"format":"svg","colourways":["colour","white"]}`:                      "colour white wide-colour wide-white",
		`{"format":"svg","lockups":["full"]}`:                                   "colour black white",
		`{"format":"svg","lockups":["wide"],"colourways":["black"]}`:            "wide-black",
		`{"format":"png","box":"9x9","round":true,"colourways":["colour"]}`:     "colour icon wide-colour",
		`{"format":"svg","lockups":["nosuch"]}`:                                 "files[0].lockups[0]: there is no lockup",
		`{"format":"svg","colourways":["nosuch"]}`:                              "files[0].colourways[0]: there is no colourway",
		`{"format":"svg","versions":["black"],"colourways":["colour"]}`:         "and not both",
		`{"format":"svg","lockups":["symbol|full"],"colourways":["black"]}`:     "no version is of these lockups",
		`{"format":"svg","lockups":["full","wide"],"colourways":["black"]}`:     "black wide-black",
		`{"format":"svg","versions":["icon"]}`:                                  "icon",
		`{"format":"icons","lockups":["full"],"colourways":["colour","white"]}`: "colour white",
	} {
		r, err := parse(line)
		got := fmt.Sprint(err)
		if err == nil {
			got = strings.Join(called(r.VersionsOf(r.Files[0])), " ")
		}
		if err == nil && got != want || err != nil && !strings.Contains(got, want) {
			t.Errorf("%s: %s, want %s", line, got, want)
		}
	}
	r, err := parse(`{"format":"svg","colourways":["colour","white"]}`)
	if err != nil {
		t.Fatal(err)
	}
	if err := r.Draw("tall", "", "t.svg"); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(called(r.VersionsOf(r.Files[0])), " "); got != "colour white wide-colour wide-white tall-colour tall-white" {
		t.Errorf("with another lockup the line has %s", got)
	}
	// A stroke over a rule leaves a list; back to all leaves none.
	if err := r.Stroke(0, false, "white", "tall-white"); err != nil || strings.Join(r.Files[0].Versions, " ") != "colour wide-colour wide-white tall-colour" || r.Files[0].Colourways != nil {
		t.Errorf("%+v, %v", r.Files[0], err)
	}
	if err := r.Stroke(0, true, "white", "tall-white", "black", "wide-black", "tall-black"); err != nil || r.Files[0].Versions != nil {
		t.Errorf("%+v, %v", r.Files[0], err)
	}
	if err := r.ToggleColourway(0, "black"); err != nil || strings.Join(called(r.VersionsOf(r.Files[0])), " ") != "black wide-black tall-black" {
		t.Errorf("%+v, %v", r.Files[0], err)
	}
	if w, _ := r.Without("black"); w.Check() != nil || strings.Join(called(w.VersionsOf(w.Files[0])), " ") != "wide-black tall-black" {
		t.Errorf("%+v, %v", w.Files[0], w.Check())
	}
}
