package studio

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dyekit/core/finding"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/guide"
	"dyekit/core/parts"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// A new master in which an ink's colour moved: the plate is not dropped in silence. The
// ink is listed with the colour that comes nearest, is a thing to look at, and keeps its
// plate when a person says so.
func TestInksThatMove(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	art := func(a, b string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="60" height="100" fill="` + a + `"/><rect x="70" y="30" width="30" height="40" fill="` + b + `"/></svg>`)
	}
	m, err := s.TakeIn(ctx, Taking{Client: "Odd Kettle", Mark: "Kettle", Filename: "a.svg", Data: art("#206047", "#e08800")})
	if err != nil {
		t.Fatal(err)
	}
	id := m.ID
	fir := version.InkMapping{Ink: version.Ink{Name: "Fir", RGB: "#206047", CMYK: &[4]float64{80, 20, 70, 30}, Spot: "FIR 7"}, Drawn: "#206047"}
	if err := s.SetInk(ctx, id, fir); err != nil {
		t.Fatal(err)
	}
	plates := func() (out []string) {
		for _, x := range work(t, s, id).Tones {
			out = append(out, x.Colour.Spot)
		}
		return out
	}
	if !slices.Contains(plates(), "FIR 7") {
		t.Fatal("the ink does not paint the first master")
	}
	if err := s.Revise(ctx, id, Taking{Filename: "b.svg", Data: art("#2a6e53", "#e08800")}); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, id)
	all := w.Loose()
	if len(all) != 1 || all[0].Of != "ink" || all[0].To != "#2a6e53" || !all[0].Ink.Near || !strings.Contains(all[0].Says, "FIR 7") {
		t.Fatalf("loose: %+v", all)
	}
	if !slices.ContainsFunc(w.Plan.Findings, func(f finding.Finding) bool { return f.Code == finding.InkMoved && f.Severity == finding.Warn }) {
		t.Error("nothing to look at")
	}
	if err := s.Settle(ctx, w, all[0].Says, true); err != nil {
		t.Fatal(err)
	}
	w = work(t, s, id)
	if len(w.Loose()) != 0 || !slices.Contains(plates(), "FIR 7") {
		t.Errorf("after it was kept: %v, plates %v", w.Loose(), plates())
	}
	// A colour far away is offered and not chosen; without an answer it stays listed
	// through the next revision.
	for _, c := range []string{"#7a2f8f", "#7b308f"} {
		if err := s.Revise(ctx, id, Taking{Filename: "c.svg", Data: art(c, "#e08800")}); err != nil {
			t.Fatal(err)
		}
		w = work(t, s, id)
		if all = w.Loose(); len(all) != 1 || all[0].Of != "ink" || all[0].Ink.Near {
			t.Fatalf("%s: loose: %+v", c, all)
		}
	}
	if err := s.Settle(ctx, w, all[0].Says, false); err != nil {
		t.Fatal(err)
	}
	if w = work(t, s, id); len(w.Loose()) != 0 {
		t.Errorf("after it was let go: %v", w.Loose())
	}
}

// What was decided of parts that a new master has not is listed in one place.
func TestDecisionsWithoutTheirPart(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	art := func(id string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><g id="` + id + `"><rect width="60" height="50"/></g><g id="word"><rect y="60" width="60" height="20"/></g></svg>`)
	}
	m, err := s.TakeIn(ctx, Taking{Client: "Odd Kettle", Mark: "Kettle", Filename: "a.svg", Data: art("badge")})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Decide(ctx, m.ID, "parts", func(d *Decisions) error {
		d.Parts = []parts.Naming{{Name: "symbol", Pieces: []string{"badge"}}}
		d.Lockups = []version.Lockup{{Name: "icon", Parts: []string{"symbol"}}}
		d.Frame = &frame.Spec{Fit: frame.Artwork, Clear: &frame.Clear{Part: "symbol", Times: 0.5}}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if all := work(t, s, m.ID).Loose(); len(all) != 0 {
		t.Fatalf("before: %+v", all)
	}
	if err := s.Revise(ctx, m.ID, Taking{Filename: "b.svg", Data: art("crest")}); err != nil {
		t.Fatal(err)
	}
	for _, of := range []string{"part", "lockup", "frame"} {
		w := work(t, s, m.ID)
		all := w.Loose()
		i := slices.IndexFunc(all, func(x decision.Loose) bool { return x.Of == of })
		if i < 0 {
			t.Fatalf("%s is not listed: %+v", of, all)
		}
		if err := s.Settle(ctx, w, all[i].Says, false); err != nil {
			t.Fatal(err)
		}
	}
	if all := work(t, s, m.ID).Loose(); len(all) != 0 {
		t.Errorf("after all were settled: %+v", all)
	}
}

// Undo takes a new master back like any decision, and redo brings it again; what was
// decided before it stands.
func TestUndoANewMaster(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	art := func(c string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9" fill="` + c + `"/></svg>`)
	}
	m, err := s.TakeIn(ctx, Taking{Client: "Odd Kettle", Mark: "Kettle", Filename: "a.svg", Data: art("#206047")})
	if err != nil {
		t.Fatal(err)
	}
	is := func(step string, revision int, tone string) {
		t.Helper()
		w := work(t, s, m.ID)
		if w.Mark.Master.Revision != revision || w.Tones[0].Colour.RGB.Hex() != tone {
			t.Errorf("%s: master %d in %s, want %d in %s", step, w.Mark.Master.Revision, w.Tones[0].Colour.RGB.Hex(), revision, tone)
		}
	}
	if err := s.Revise(ctx, m.ID, Taking{Filename: "b.svg", Data: art("#a02020")}); err != nil {
		t.Fatal(err)
	}
	is("revised", 2, "#a02020")
	if err := s.Decide(ctx, m.ID, "a recipe", func(d *Decisions) error { d.Recipe = "print"; return nil }); err != nil {
		t.Fatal(err)
	}
	for _, step := range []struct {
		do       func(context.Context, int64, int64) (string, error)
		what     string
		revision int
		tone     string
	}{
		{s.Undo, "a recipe", 2, "#a02020"},
		{s.Undo, "master b.svg", 1, "#206047"},
		{s.Undo, "", 1, "#206047"},
		{s.Redo, "master b.svg", 2, "#a02020"},
		{s.Redo, "a recipe", 2, "#a02020"},
		{s.Undo, "a recipe", 2, "#a02020"},
		{s.Undo, "master b.svg", 1, "#206047"},
	} {
		what, err := step.do(ctx, m.ID, AnyState)
		if err != nil || what != step.what {
			t.Fatalf("%q, %v, want %q", what, err, step.what)
		}
		is(step.what, step.revision, step.tone)
	}
	// The next one is a third; the second is not lost.
	if err := s.Revise(ctx, m.ID, Taking{Filename: "c.svg", Data: art("#2020a0")}); err != nil {
		t.Fatal(err)
	}
	is("revised again", 3, "#2020a0")
	if err := s.GoBack(ctx, m.ID, 2); err != nil {
		t.Fatal(err)
	}
	is("went back", 4, "#a02020")
	if what, err := s.Undo(ctx, m.ID, AnyState); err != nil || what != "master 2 again" {
		t.Errorf("%q, %v", what, err)
	}
	is("undone", 3, "#2020a0")
}

// What came to a kit and went from it is told by plates and inks, versions and sizes.
func TestGistOfTwoKits(t *testing.T) {
	t.Parallel()
	was := &guide.Page{Inks: []guide.Ink{{Name: "Fir", Hex: "#206047", Spot: "FIR 7"}, {Hex: "#e08800"}}, Versions: []guide.Version{{Name: "colour"}},
		Files: []guide.File{{Format: format.PNG, WidthPx: 500, HeightPx: 300}, {Format: format.SVG}}}
	is := &guide.Page{Inks: []guide.Ink{{Hex: "#2a6e53"}, {Hex: "#e08800"}}, Versions: []guide.Version{{Name: "colour"}, {Name: "black"}},
		Files: []guide.File{{Format: format.PNG, WidthPx: 500, HeightPx: 310}, {Format: format.PNG, WidthPx: 500, HeightPx: 310}, {Format: format.SVG}}}
	var got []string
	for _, g := range gist(was, is) {
		got = append(got, fmt.Sprint(g.What, " ", g.Came, " ", g.Went))
	}
	want := []string{"plates [] [FIR 7]", "inks [#2a6e53] [Fir #206047]", "versions [black] []", "sizes [PNG 500 × 310 px] [PNG 500 × 300 px]"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
	if g := gist(is, is); len(g) > 0 {
		t.Errorf("of the same: %v", g)
	}
}
