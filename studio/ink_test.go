package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/version"
	"dyekit/studio/preview"
	"dyekit/studio/queue"
)

// A word on a colour reaches the recipe, and only the version spoken of.
func TestReadings(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	before := work(t, s, 2)
	say := func(name string, o version.Override) error {
		return s.Decide(context.Background(), 2, "say", func(d *Decisions) error { return d.Say(name, o) })
	}
	if err := say("black", version.Override{Colour: "#cf7a22", As: version.AsPaper}); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, 2)
	if w.Name == before.Name || w.Source != before.Source || w.Look("black") == before.Look("black") || w.Look("white") != before.Look("white") {
		t.Error("the names of works and looks do not tell what changed")
	}
	if got, ok := s.Seen(2, w.Look("black")); !ok || got.Name != w.Name {
		t.Error("a picture just planned is not at hand")
	}
	if _, ok := s.Seen(1, w.Look("black")); ok {
		t.Error("a picture of one mark is had by the number of another")
	}
	v, _ := w.Version("black")
	for _, r := range v.Readings {
		if r.Colour.Hex() == "#cf7a22" && (r.As != version.AsPaper || !r.Said) {
			t.Errorf("the orange is %+v", r)
		}
	}
	var in *InputError
	for name, o := range map[string]version.Override{
		"colour": {Colour: "#cf7a22", As: version.AsInk}, "nosuch": {Colour: "#cf7a22", As: version.AsInk}, "black": {Colour: "#cf7a22", As: "gold"},
	} {
		if err := say(name, o); !errors.As(err, &in) || in.Field != "reading" {
			t.Errorf("%s %+v: %v", name, o, err)
		}
	}
	all := func(d *Decisions) error { return d.SayAll("black") }
	if err := s.Decide(context.Background(), 2, "all", all); err != nil {
		t.Fatal(err)
	}
	if w = work(t, s, 2); len(w.Decisions.Readings["white"]) != 1 {
		t.Errorf("%+v", w.Decisions.Readings)
	}
	for range 2 {
		if _, err := s.Undo(context.Background(), 2, AnyState); err != nil {
			t.Fatal(err)
		}
	}
	if w = work(t, s, 2); w.Name != before.Name {
		t.Error("undo does not bring back the same work")
	}
}

// A press changes what is proposed and what files carry; a profile that is
// none is refused in words.
func TestPress(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	before := work(t, s, m.ID)
	if err := s.SetPress(ctx, m.ID, "fogra29", Upload{}); err != nil {
		t.Fatal(err)
	}
	if w := work(t, s, m.ID); w.Plan.Press != colour.Uncoated || w.Look("colour") != before.Look("colour") {
		t.Errorf("the press is %s", w.Plan.Press.Name)
	}
	own := icc.Press(colour.GRACoL)
	if err := s.SetPress(ctx, m.ID, "", Upload{Filename: "own.icc", Data: own}); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	if !bytes.Equal(w.Plan.Press.Profile, own) || w.Decisions.Press != "" {
		t.Errorf("the press is %s, decided %+v", w.Plan.Press.Name, w.Decisions)
	}
	if _, err := s.Build(ctx, w); err != nil {
		t.Fatal(err)
	}
	name := queue.WorkerName()
	id, err := s.queue.Lease(ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.queue.Do(ctx, id, name, s.work, inWords); err != nil {
		t.Fatal(err)
	}
	if m, err = s.Mark(ctx, m.ID); err != nil || m.Kit == nil {
		t.Fatalf("no kit: %v", err)
	}
	if b, err := s.File(ctx, m.Kit.ID, "MASTER/press.icc"); err != nil || !bytes.Equal(b, own) {
		t.Errorf("the kit does not hold the profile: %v", err)
	}
	var in *InputError
	for _, bad := range []struct {
		key string
		u   Upload
	}{{"newsprint", Upload{}}, {"", Upload{Filename: "x.icc", Data: []byte("hello")}}, {"", Upload{Filename: "screen.icc", Data: icc.SRGB}}} {
		if err := s.SetPress(ctx, m.ID, bad.key, bad.u); !errors.As(err, &in) || in.Field != "press" {
			t.Errorf("%s %s: %v", bad.key, bad.u.Filename, err)
		}
	}
	if err := s.SetPress(ctx, m.ID, "fogra39", Upload{}); err != nil {
		t.Fatal(err)
	}
	if w := work(t, s, m.ID); w.Name != before.Name {
		t.Error("the usual press makes another build than no word on it")
	}
}

// Two marks of a client share its inks; a change makes both stale, and undo
// brings the same builds back.
func TestInks(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	a, b := take(t, s, "Vat Nine", "Dot"), take(t, s, "Vat Nine", "Dash")
	other := take(t, s, "Elsewhere", "Dot")
	before := work(t, s, a.ID)
	drawn := before.Tones[0].Colour.RGB.Hex()
	plum := version.InkMapping{Ink: version.Ink{Name: " Plum ", RGB: "#6b2d4f", CMYK: &[4]float64{40, 85, 20, 35}, Spot: "Vat Plum"}, Drawn: drawn}
	if err := s.SetInk(ctx, a.ID, plum); err != nil {
		t.Fatal(err)
	}
	for _, id := range []int64{a.ID, b.ID} {
		w := work(t, s, id)
		if c := w.Tones[0].Colour; c.Spot != "Vat Plum" || c.RGB.Hex() != "#6b2d4f" {
			t.Errorf("mark %d is drawn in %+v", id, c)
		}
	}
	if w := work(t, s, other.ID); w.Tones[0].Colour.Spot != "" {
		t.Error("another client's mark has the ink")
	}
	w := work(t, s, a.ID)
	if w.Name == before.Name || w.Look("colour") == before.Look("colour") {
		t.Error("an ink changes neither build nor pictures")
	}
	if _, err := s.Build(ctx, w); err != nil {
		t.Fatal(err)
	}
	name := queue.WorkerName()
	id, err := s.queue.Lease(ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.queue.Do(ctx, id, name, s.work, inWords); err != nil {
		t.Fatal(err)
	}
	m, err := s.Mark(ctx, a.ID)
	if err != nil || m.Kit == nil || m.Kit.Build != w.Name {
		t.Fatalf("the kit is %+v, %v", m.Kit, err)
	}
	plate := false
	for _, f := range report(t, s, m.Kit).Files {
		plate = plate || f.Format == "eps" && f.Version == "colour" && strings.Contains(fmt.Sprint(f.Checks), "Vat Plum")
	}
	if !plate {
		t.Error("no EPS of the kit has the plate")
	}
	var in *InputError
	second := plum
	second.Drawn = "#123456"
	if err := s.SetInk(ctx, b.ID, second); !errors.As(err, &in) || in.Field != "ink #123456" {
		t.Errorf("two inks of one name: %v", err)
	}
	second.CMYK = nil
	if err := s.SetInk(ctx, b.ID, second); !errors.As(err, &in) {
		t.Errorf("a plate without a build: %v", err)
	}
	if err := s.DropInk(ctx, b.ID, drawn); err != nil {
		t.Fatal(err)
	}
	if w := work(t, s, a.ID); w.Tones[0].Colour.Spot != "" {
		t.Error("an ink that was dropped is still there")
	}
	for range 2 {
		if err := s.UndoInks(ctx, a.ID); err != nil {
			t.Fatal(err)
		}
	}
	if w := work(t, s, a.ID); w.Name != before.Name {
		t.Error("after undo the build is another")
	}
}

// A colour that comes near an ink, as a worn picture's does, is asked about; made that ink, it
// is painted in it. One that is far from all is its own.
func TestColoursNearAnInk(t *testing.T) {
	t.Parallel()
	s := open(t)
	art := func(c string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 40"><path fill="` + c + `" d="M0 0h40v40H0z"/><path fill="#2050c0" d="M50 0h40v40H50z"/></svg>`)
	}
	m, err := s.TakeIn(t.Context(), Taking{Client: "Vat Nine", Mark: "Worn", Filename: "a.svg", Data: art("#bd7f3c")})
	if err != nil {
		t.Fatal(err)
	}
	build := [4]float64{10, 60, 100, 0}
	if err := s.SetInk(t.Context(), m.ID, version.InkMapping{Ink: version.Ink{Name: "Amber", RGB: "#cf7a22", CMYK: &build}, Drawn: "#cf7a22"}); err != nil {
		t.Fatal(err)
	}
	look := func() map[string]preview.Swatch {
		t.Helper()
		m, err := s.Mark(t.Context(), m.ID)
		if err != nil {
			t.Fatal(err)
		}
		w, err := s.Snapshot(t.Context(), m)
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]preview.Swatch{}
		for _, k := range w.Swatches() {
			out[k.Colour.RGB.Hex()] = k
		}
		return out
	}
	worn, other := look()["#bd7f3c"], look()["#2050c0"]
	if worn.Near == nil || worn.Near.Name != "Amber" || worn.Off < 2 || worn.Off > 10 || other.Near != nil {
		t.Fatalf("near: %+v, %.1f off, and blue %+v", worn.Near, worn.Off, other.Near)
	}
	if err := s.Decide(t.Context(), m.ID, "made it Amber", func(d *Decisions) error { d.Mend(worn.Mend(), true); return nil }); err != nil {
		t.Fatal(err)
	}
	if k := look()["#cf7a22"]; k.Ink == nil || k.Ink.Name != "Amber" || k.Near != nil {
		t.Errorf("made the ink: %+v", k)
	}
}
