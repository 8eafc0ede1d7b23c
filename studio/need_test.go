package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"testing"
)

// Every need can be added, makes files, and is taken away again.
func TestNeeds(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	ctx := context.Background()
	before := work(t, s, 2)
	files := len(before.Plan.Files)
	needs := before.Needs()
	names := map[string]bool{}
	for _, n := range needs {
		names[n.Spec.Name] = true
		if b, err := before.Glimpse(ctx, n.Spec.Name, 108, 64); err != nil || len(b) < 100 {
			t.Errorf("%s: %d bytes, %v", n.Spec.Name, len(b), err)
		}
		w := work(t, s, 2)
		if err := s.AddVersion(ctx, w, n.Spec.Name, ""); err != nil {
			t.Fatalf("%s: %v", n.Spec.Name, err)
		}
	}
	for _, want := range []string{"light", "grey", "stamp", "sticker", "on-colour", "symbol", "wordmark"} {
		if !names[want] {
			t.Errorf("%s is not offered: %v", want, names)
		}
	}
	w := work(t, s, 2)
	if len(w.Needs()) > 0 || len(w.Plan.Files) < files+5*len(needs) {
		t.Errorf("%d files after %d were added to %d; still offered: %v", len(w.Plan.Files), len(needs), files, w.Needs())
	}
	for _, v := range w.Plan.Versions {
		if v.Drawing == nil {
			t.Errorf("%s is not made: %s", v.Spec.Name, v.Refused)
		}
	}
	var in *InputError
	if err := s.AddVersion(ctx, w, "light", ""); !errors.As(err, &in) || in.Field != "need" {
		t.Errorf("a second time: %v", err)
	}
	for _, n := range needs {
		if err := s.LeaveOut(ctx, 2, n.Spec.Name); err != nil {
			t.Fatal(err)
		}
	}
	w = work(t, s, 2)
	if len(w.Plan.Files) != files {
		t.Errorf("%d files after all was taken away, were %d", len(w.Plan.Files), files)
	}
	// A need is served of one part alone, too.
	if err := s.AddVersion(ctx, w, "stamp", "symbol"); err != nil {
		t.Fatal(err)
	}
	w = work(t, s, 2)
	if v, ok := w.Version("stamp-symbol"); !ok || v.Drawing == nil || v.Spec.Lockup != "symbol" {
		t.Errorf("a stamp of the symbol: %+v", v)
	}
	for _, lockup := range []string{"symbol", "ghost"} {
		if err := s.AddVersion(ctx, w, "stamp", lockup); !errors.As(err, &in) || in.Field != "need" {
			t.Errorf("a stamp of %s once more: %v", lockup, err)
		}
	}
}

// What a new master changed, and the way back to the one before.
func TestCompareAndGoBack(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	m := take(t, s, "A", "B")
	before := work(t, s, m.ID)
	if _, err := s.Compare(ctx, m, 0); !errors.Is(err, ErrNotFound) {
		t.Errorf("one master has something to compare with: %v", err)
	}
	const next = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect id="half" width="50" height="100" fill="#206047"/><rect id="field" x="50" width="50" height="100" fill="#123456"/></svg>`
	const last = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect id="half" width="50" height="100" fill="#206047"/><rect id="other" x="50" width="50" height="100" fill="#b3402c"/></svg>`
	for _, data := range []string{next, last} {
		if err := s.Revise(ctx, m.ID, Taking{Filename: "next.svg", Data: []byte(data)}); err != nil {
			t.Fatal(err)
		}
	}
	m, err := s.Mark(ctx, m.ID)
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.Compare(ctx, m, 2)
	if err != nil {
		t.Fatal(err)
	}
	if fmt.Sprint(c.Gone.Parts, c.Came.Parts, c.Gone.Colours, c.Came.Colours) != "[field] [other] [#123456] [#b3402c]" || math.Abs(c.Differ-0.5) > 0.01 {
		t.Errorf("%+v %+v, %v of the pixels", c.Gone, c.Came, c.Differ)
	}
	for _, which := range []string{"old", "new", "difference"} {
		if b, err := c.Picture(ctx, which, 90); err != nil || !bytes.HasPrefix(b, []byte("\x89PNG")) {
			t.Errorf("%s: %v", which, err)
		}
	}
	if _, err := c.Picture(ctx, "sideways", 90); !errors.Is(err, ErrNotFound) {
		t.Errorf("a side that is none: %v", err)
	}
	if err := s.GoBack(ctx, m.ID, 1); err != nil {
		t.Fatal(err)
	}
	if w := work(t, s, m.ID); w.Name != before.Name || w.Mark.Master.Revision != 4 {
		t.Errorf("after going back: master %d, the same build is %v", w.Mark.Master.Revision, w.Name == before.Name)
	}
	for _, r := range []int{0, 4, 9} {
		if err := s.GoBack(ctx, m.ID, r); !errors.Is(err, ErrNotFound) {
			t.Errorf("back to master %d: %v", r, err)
		}
	}
}
