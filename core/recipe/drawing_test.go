package recipe

import (
	"encoding/json"
	"strings"
	"testing"

	"dyekit/core/version"
)

func TestReferences(t *testing.T) {
	for s, want := range map[string]Reference{"wide.svg": {"wide.svg", 0}, "a#b.svg": {"a#b.svg", 0}, "set.pdf#3": {"set.pdf", 3}, "a#1#2": {"a#1", 2}, "../art/wide.svg": {"../art/wide.svg", 0}} {
		got, err := ParseReference(s)
		if err != nil || got != want || got.String() != s {
			t.Errorf("%s: %+v, %v", s, got, err)
		}
	}
	for _, s := range []string{"", " ", "#2", "a.pdf#0", "a.pdf#-1", "a\nb.svg", strings.Repeat("a", MaxReference+1)} {
		if got, err := ParseReference(s); err == nil {
			t.Errorf("%q is %+v", s, got)
		}
	}
}

// A drawing for a lockup that the recipe has not brings it in every colourway of the main one, in
// the lines that ask for those.
func TestDraw(t *testing.T) {
	r, _ := Builtin("standard")
	for _, c := range [][3]string{{"wide", "", "wide.svg"}, {"wide", "white", "set.pdf#2"}, {"", "black", "black.svg"}, {"wide", "wide-black", "wb.svg"}, {"full", "colour", "c.svg"}} {
		if err := r.Draw(c[0], c[1], c[2]); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	got := map[string]string{}
	for _, v := range r.Versions {
		got[v.Name] = v.Lockup + " " + r.Arranged(v).DrawnBy()
	}
	for name, want := range map[string]string{"colour": " c.svg", "black": " black.svg", "white": " ", "icon": "symbol|full ", "wide-colour": "wide wide.svg", "wide-black": "wide wb.svg", "wide-white": "wide set.pdf#2"} {
		if got[name] != want {
			t.Errorf("%s is %q, want %q", name, got[name], want)
		}
	}
	if len(got) != 7 || r.Check() != nil {
		t.Errorf("%v, %v", got, r.Check())
	}
	// What was written is read again.
	b, err := json.Marshal(r)
	if err != nil {
		t.Fatal(err)
	}
	again, err := Parse(b)
	if err != nil || strings.Join(again.Drawings(), " ") != "wide.svg c.svg black.svg wb.svg set.pdf#2" {
		t.Errorf("%v, %v", again, err)
	}
	s, _ := Builtin("social") // its lines name versions
	if err := s.Draw("wide", "", "w.svg"); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(s.Files[1].Versions, " "); got != "white wide-white" {
		t.Errorf("the line for white has %s", got)
	}
}

func TestDrawRefused(t *testing.T) {
	for want, c := range map[string][3]string{
		"is the master itself":        {"", "", "a.svg"},
		`there is no lockup "tall"`:   {"tall", "white", "a.svg"},
		`there is no colourway "red"`: {"", "red", "a.svg"},
		"wide has two drawings":       {"wide", "", "b.svg"},
		"names no file":               {"other", "", ""},
		"at most 60 letters":          {strings.Repeat("x", 61), "", "a.svg"},
		"pages count from 1":          {"other", "", "a.pdf#0"},
	} {
		r, _ := Builtin("standard")
		if err := r.Draw("wide", "", "a.svg"); err != nil {
			t.Fatal(err)
		}
		if err := r.Draw(c[0], c[1], c[2]); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v: %v, want %q", c, err, want)
		}
	}
	for want, l := range map[string]version.Lockup{
		"lockups[0].drawing: a lockup that has a drawing": {Name: "wide", Parts: []string{"symbol"}, Drawing: "a.svg"},
		"lockups[0].parts: a lockup needs":                {Name: "wide"},
		"lockups[0].drawing: \"#1\" names no file":        {Name: "wide", Drawing: "#1"},
	} {
		r, _ := Builtin("standard")
		r.Lockups = []version.Lockup{l}
		if err := r.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
}
