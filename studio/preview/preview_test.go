package preview

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"image"
	"image/png"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/parts"
	"dyekit/core/proof"
	"dyekit/studio/decision"
)

const (
	dot    = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><rect width="90" height="60" fill="#fff"/><circle cx="40" cy="30" r="20" fill="#206047"/></svg>`
	lights = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 30"><g id="symbol"><circle cx="15" cy="15" r="12" fill="#b3402c"/></g><g id="word"><path d="M35 5h50v20h-50zM45 10v10h30v-10z" fill-rule="evenodd" fill="#206047"/></g></svg>`
)

// A store holds bytes by their hash, as a database does, and counts how often it
// is asked.
type store struct {
	mu    sync.Mutex
	bytes map[string][]byte
	asked atomic.Int64
}

func (s *store) put(data string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.bytes == nil {
		s.bytes = map[string][]byte{}
	}
	h := fmt.Sprintf("%x", sha256.Sum256([]byte(data)))
	s.bytes[h] = []byte(data)
	return h
}

func (s *store) load(_ context.Context, hash string) ([]byte, error) {
	s.asked.Add(1)
	s.mu.Lock()
	defer s.mu.Unlock()
	if b, ok := s.bytes[hash]; ok {
		return b, nil
	}
	return nil, ErrNotFound
}

func table() (*Table, *store) {
	s := new(store)
	return NewTable(fonts.Shipped(), s.load), s
}

func at(t *testing.T, tab *Table, s *store, art string, change ...func(*decision.Decisions)) *Snapshot {
	t.Helper()
	var d decision.Decisions
	for _, f := range change {
		f(&d)
	}
	w, err := tab.Snapshot(t.Context(), Subject{Mark: 1, Master: s.put(art), Brand: "Odd Kettle"}, d)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

func pixels(t *testing.T, b []byte, err error) image.Image {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// However many ask for a cold mark at a time, its master is loaded and read once.
func TestColdMarkIsReadOnce(t *testing.T) {
	tab, s := table()
	m := Subject{Mark: 1, Master: s.put(lights), Brand: "Odd Kettle"}
	works := make([]*Snapshot, 30)
	var wg sync.WaitGroup
	for i := range works {
		wg.Go(func() {
			var err error
			if works[i], err = tab.Snapshot(context.Background(), m, decision.Decisions{}); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if n := s.asked.Load(); n != 1 {
		t.Errorf("the master was loaded %d times", n)
	}
	for _, w := range works {
		if w != works[0] {
			t.Fatal("two works for one name")
		}
	}
	if _, ok := tab.Seen(1, works[0].Source); !ok {
		t.Error("it is not at hand by the name of its pictures")
	}
	if _, ok := tab.Seen(2, works[0].Source); ok {
		t.Error("another mark is shown its pictures")
	}
}

// Who leaves while a mark is read is let go, and leaves no failure behind for the
// next.
func TestLeavingEarly(t *testing.T) {
	tab, s := table()
	m := Subject{Mark: 1, Master: s.put(dot), Brand: "Odd Kettle"}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	if _, err := tab.Snapshot(ctx, m, decision.Decisions{}); !errors.Is(err, context.Canceled) {
		t.Errorf("left with %v", err)
	}
	if _, err := tab.Snapshot(context.Background(), m, decision.Decisions{}); err != nil {
		t.Errorf("the next: %v", err)
	}
}

func TestWhatCannotBeLoaded(t *testing.T) {
	tab, s := table()
	if _, err := tab.Snapshot(t.Context(), Subject{Master: "none", Brand: "B"}, decision.Decisions{}); !errors.Is(err, ErrNotFound) {
		t.Errorf("no master: %v", err)
	}
	if _, err := tab.Snapshot(t.Context(), Subject{Master: s.put(dot), Brand: "B", Fonts: []string{"none"}}, decision.Decisions{}); !errors.Is(err, ErrNotFound) {
		t.Errorf("no font: %v", err)
	}
	if _, err := tab.Snapshot(t.Context(), Subject{Master: s.put(dot), Brand: "B"}, decision.Decisions{Profile: "none"}); !errors.Is(err, ErrNotFound) {
		t.Errorf("no profile: %v", err)
	}
	if _, err := tab.Snapshot(t.Context(), Subject{Master: s.put(dot), Brand: "B", Inks: "{"}, decision.Decisions{}); err == nil {
		t.Error("damaged inks were read")
	}
}

func TestPreviews(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, dot)
	ctx := context.Background()
	for _, g := range w.Grounds() {
		a, err := w.Preview(ctx, "colour", 84, 64, g)
		if err != nil || !bytes.HasPrefix(a, []byte("\x89PNG")) {
			t.Fatalf("on %s: %v", g.Name, err)
		}
		b, _ := w.Preview(ctx, "colour", 84, 64, g)
		if &a[0] != &b[0] {
			t.Errorf("on %s: drawn twice", g.Name)
		}
	}
	if _, err := w.Preview(ctx, "nosuch", 9, 9, Ground{}); !errors.Is(err, ErrNotFound) {
		t.Errorf("%v", err)
	}
	white := w.Grounds()[0].Colour
	// The master has a white box behind the art: it stands on that everywhere.
	for _, g := range w.Grounds()[:3] {
		if c, err := w.On(ctx, "colour", g.Colour); err != nil || c.Contrast < 7 || c.Contrast > 8 {
			t.Errorf("in its white box on %s it stands at %+v, %v", g.Name, c, err)
		}
	}
	if c, err := w.On(ctx, "white", white); err != nil || c.Contrast > 1.01 || c.Holds {
		t.Errorf("white on white stands at %v, %v", c, err)
	}
	if c, err := w.On(ctx, "black", white); err != nil || c.Contrast < 20.9 || !c.Holds {
		t.Errorf("black on white stands at %v, %v", c, err)
	}
}

// Pictures of parts of the page: the true colours where the art is, nothing
// beside it, and an answer for what cannot be shown.
// Another ink gives the version in colour another look and leaves the black one's; pictures
// are those that the mark alone, with nothing kept, would have.
func TestAnotherInk(t *testing.T) {
	tab, s := table()
	dotted := strings.Replace(lights, "</g>", `<circle cx="15" cy="15" r="5" fill="#d9a92f"/></g>`, 1)
	with := func(tab *Table, rgb string) *Snapshot {
		m := Subject{Mark: 1, Master: s.put(dotted), Brand: "Odd Kettle", Inks: `[{"name":"Straw","rgb":"` + rgb + `","drawn":"#d9a92f"}]`}
		w, err := tab.Snapshot(t.Context(), m, decision.Decisions{})
		if err != nil {
			t.Fatal(err)
		}
		return w
	}
	straw, lemon := with(tab, "#d9a92f"), with(tab, "#f2e24c")
	for name, same := range map[string]bool{"colour": false, "black": true, "white": true} {
		if got := straw.Look(name) == lemon.Look(name); got != same {
			t.Errorf("%s: the same look: %v", name, got)
		}
		fresh := NewTable(fonts.Shipped(), s.load)
		for _, g := range lemon.Grounds() {
			got, err := lemon.Preview(t.Context(), name, 90, 60, g)
			want, err2 := with(fresh, "#f2e24c").Preview(t.Context(), name, 90, 60, g)
			if err != nil || err2 != nil || !bytes.Equal(got, want) {
				t.Errorf("%s on %s: not the picture that it is alone (%v, %v)", name, g.Key, err, err2)
			}
		}
	}
	if red := with(tab, "#b3402c"); red.Look("black") == straw.Look("black") {
		t.Error("a dot in the red of its disc is no hole in black: that is another look")
	}
	if _, ok := tab.Seen(1, lemon.Name); !ok {
		t.Error("a work is not known by its name")
	}
}

func TestParts(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, lights)
	ctx := t.Context()
	b, err := w.Part(ctx, geom.Rect{X0: 10, Y0: 10, X1: 20, Y1: 20}, 40, 40)
	img := pixels(t, b, err)
	if r, g, bl, a := img.At(20, 20).RGBA(); r>>8 != 0xb3 || g>>8 != 0x40 || bl>>8 != 0x2c || a>>8 != 255 {
		t.Errorf("the middle of the disc is %x %x %x %x", r>>8, g>>8, bl>>8, a>>8)
	}
	for _, r := range []geom.Rect{{}, {X1: 1e-9, Y1: 1e-9}, {X1: 1e9, Y1: 1e9}} {
		if _, err := w.Part(ctx, r, 40, 40); !errors.Is(err, ErrNotFound) {
			t.Errorf("%v: %v", r, err)
		}
	}
	p, err := w.At(ctx, geom.Pt(15, 15), 0.5)
	if err != nil || p.Part != "symbol" || p.Colour != "#b3402c" || p.Size != "24 × 24 px" {
		t.Errorf("the disc: %+v, %v", p, err)
	}
	if p, err = w.At(ctx, geom.Pt(60, 15), 0.5); err != nil || !p.Hole || len(p.Fills) != 3 {
		t.Errorf("the hole: %+v, %v", p, err)
	}
	if p, err = w.At(ctx, geom.Pt(30, 2), 0.5); err != nil || p.Hole || p.Key != "" {
		t.Errorf("a bare place: %+v, %v", p, err)
	}
	if _, err = w.At(ctx, geom.Pt(30, 2), 0); !errors.Is(err, ErrNotFound) {
		t.Errorf("no reach: %v", err)
	}
	for _, f := range []func() ([]byte, error){
		func() ([]byte, error) { return w.Lit(ctx, []int{1}, 90, 30) },
		func() ([]byte, error) { return w.Tone(ctx, 0, 90, 30) },
		func() ([]byte, error) { return w.Whole(ctx, 90, 30) },
		func() ([]byte, error) { return w.MendPicture(ctx, "join #b3402c #206047", 90, 30) },
	} {
		b, err := f()
		if got := pixels(t, b, err).Bounds(); got.Dx() != 90 || got.Dy() != 30 {
			t.Errorf("a picture of %v", got)
		}
	}
	if _, err := w.Tone(ctx, 9, 90, 30); !errors.Is(err, ErrNotFound) {
		t.Errorf("no such colour: %v", err)
	}
	if _, err := w.MendPicture(ctx, "nonsense", 90, 30); !errors.Is(err, ErrNotFound) {
		t.Errorf("no such mend: %v", err)
	}
	if ns := w.Suggested(); len(ns) > 0 {
		for _, n := range ns {
			if err := (parts.Naming{Name: n.Name, Pieces: n.Pieces}).Check(); err != nil {
				t.Errorf("suggested: %v", err)
			}
		}
	}
}

// Every proof of a version is a picture; what there is not is said.
func TestProofs(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, lights)
	ctx := t.Context()
	for _, m := range []string{"fax", "faxfine", "copy", "stamp", "thread", "news", "cut"} {
		b, err := w.Machine(ctx, "black", m, 60)
		pixels(t, b, err)
	}
	if _, err := w.Machine(ctx, "black", "loom", 60); !errors.Is(err, ErrNotFound) {
		t.Errorf("an unknown machine: %v", err)
	}
	for _, v := range proof.Visions {
		b, err := w.Eyes(ctx, "colour", v.Key, 90, 60)
		pixels(t, b, err)
	}
	// Red and green of like lightness: near for those without the long cones.
	if p, ok := w.Confused(proof.Visions[0]); ok && p.A == p.B {
		t.Errorf("a colour beside itself: %+v", p)
	}
	ps, err := w.Plates(ctx, "colour")
	if err != nil || len(ps) != 4 {
		t.Fatalf("%d plates, %v", len(ps), err)
	}
	b, err := w.PlatePicture(ctx, "colour", 0)
	pixels(t, b, err)
	b, err = w.Printed(ctx, "colour", 60, 0.2)
	pixels(t, b, err)
	if _, err := w.PlatePicture(ctx, "colour", 9); !errors.Is(err, ErrNotFound) {
		t.Errorf("no such plate: %v", err)
	}
	f, err := w.Smallest(ctx, "black")
	if err != nil || !f.Given() || f.Why == "" {
		t.Errorf("smallest: %+v, %v", f, err)
	}
	for _, x := range w.Scenes() {
		name, why, err := w.StandsOn(ctx, Ground{Colour: x.Ground})
		if err != nil || name == "" || why == "" {
			t.Fatal(err)
		}
		b, err := w.Scene(ctx, x.Key, name, 120, 80)
		pixels(t, b, err)
	}
}

// Two encodings of one file are held to each other on what both can show.
func TestEncodings(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, lights)
	for _, f := range w.Plan.Files {
		if f.W == 0 || f.W > 600 || !f.Entry.Kind().Shown {
			continue
		}
		same, err := w.Two(t.Context(), f, "png", "webp")
		if err != nil || same.Diff.Most > 0 || same.Bytes[0] == 0 {
			t.Errorf("%s: PNG and WebP differ by %v, %v", f.Path, same.Diff.Most, err)
		}
		poor, err := w.Two(t.Context(), f, "png", "jpeg50")
		if err != nil || poor.Diff.Most == 0 {
			t.Errorf("%s: JPEG 50 loses nothing, %v", f.Path, err)
		}
		if _, err := w.Two(t.Context(), f, "png", "gif"); !errors.Is(err, ErrNotFound) {
			t.Errorf("an unknown encoding: %v", err)
		}
		return
	}
	t.Error("no file to encode")
}

// What a file weighs is known at once when it was weighed, and not before.
func TestWeights(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, dot)
	if _, known, _ := Total(w.WeightsSoon()); known {
		t.Error("known before it was weighed")
	}
	all := w.Weights(t.Context())
	sum, known, _ := Total(all)
	if !known || sum <= 0 || len(all) != len(w.Plan.Files) {
		t.Errorf("%d bytes in %d files, known %v", sum, len(all), known)
	}
	lines := 0
	for _, l := range w.LineWeights() {
		lines += l.Bytes
	}
	if lines != sum {
		t.Errorf("the lines weigh %d, the files %d", lines, sum)
	}
}

// Colours as they print and stand: contrast by WCAG, the published 21 : 1 of
// black on white among them.
func TestSwatches(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h5v9H0z"/><path d="M6 0h3v9H6z" fill="#767676"/></svg>`)
	ks := w.Swatches()
	if len(ks) != 2 {
		t.Fatalf("%d swatches", len(ks))
	}
	if x := ks[0].Stands[0]; x.Ratio < 20.99 || !x.OK() {
		t.Errorf("black on white: %+v", x)
	}
	if x := ks[0].Stands[2]; x.Ratio != 1 || x.OK() {
		t.Errorf("black on black: %+v", x)
	}
	// #767676 is the lightest grey with 4.5 : 1 on white (WCAG 2.2, technique G18).
	if x := ks[1].Stands[0]; x.Ratio < 4.5 || x.Ratio > 4.6 {
		t.Errorf("#767676 on white: %+v", x)
	}
	rows := w.Pairs(8)
	if len(rows) != 2 || rows[0][0].Ratio != 0 || rows[0][1].Ratio != rows[1][0].Ratio {
		t.Errorf("pairs: %+v", rows)
	}
	if at(t, tab, s, dot).Pairs(8) == nil {
		t.Error("white and green are two colours")
	}
}

// Two masters beside each other: what came, what went, and where they differ.
func TestCompare(t *testing.T) {
	tab, s := table()
	old := Subject{Mark: 1, Master: s.put(lights), Brand: "B"}
	now := Subject{Mark: 1, Master: s.put(strings.Replace(lights, "#b3402c", "#2c52b3", 1)), Brand: "B"}
	c, err := tab.Compare(t.Context(), old, now, decision.Decisions{})
	if err != nil {
		t.Fatal(err)
	}
	if len(c.Gone.Colours) != 1 || c.Gone.Colours[0] != "#b3402c" || len(c.Came.Colours) != 1 || !(c.Differ > 0.2 && c.Differ < 0.6) {
		t.Errorf("gone %v, came %v, %.2f differs", c.Gone, c.Came, c.Differ)
	}
	for _, which := range []string{"old", "new", "difference"} {
		b, err := c.Picture(t.Context(), which, 90)
		pixels(t, b, err)
	}
	if _, err := c.Picture(t.Context(), "other", 90); !errors.Is(err, ErrNotFound) {
		t.Errorf("no such side: %v", err)
	}
	same, err := tab.Compare(t.Context(), old, old, decision.Decisions{})
	if err != nil || same.Differ != 0 || !same.Gone.Empty() || !same.Came.Empty() {
		t.Errorf("a master beside itself: %+v, %v", same, err)
	}
}

// A file of a kit beside what it was: in words, and only where it can be seen.
func TestDiffer(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, dot)
	b, err := w.Preview(t.Context(), "colour", 90, 60, w.Grounds()[0])
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		path    string
		was, is []byte
		shown   bool
		says    string
	}{
		{"a.png", b, b, true, "the bytes changed, the pixels not"},
		{"a.svg", []byte(dot), []byte(strings.Replace(dot, "#206047", "#ff0000", 1)), true, "looks different"},
		{"a.svg", []byte(dot), []byte(strings.Replace(dot, "90 60", "90 90", 1)), true, "proportions"},
		{"a.pdf", nil, nil, false, "curves"},
	} {
		says, shown, err := Differ(t.Context(), x.path, x.was, x.is)
		if err != nil || shown != x.shown || !strings.Contains(says, x.says) {
			t.Errorf("%s: %q, shown %v, %v", x.path, says, shown, err)
		}
	}
	if _, _, err := Differ(t.Context(), "a.png", []byte("broken"), b); err == nil {
		t.Error("a broken file was compared")
	}
}

// What is wanted beyond the recipe can be looked at before it is added, and what
// is there is not offered.
func TestNeedsCanBeSeen(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, lights)
	all := w.Needs()
	if len(all) < 8 {
		t.Fatalf("%d needs", len(all))
	}
	for _, n := range all {
		b, err := w.Glimpse(t.Context(), n.Spec.Name, 60, 40)
		if err != nil {
			t.Errorf("%s: %v", n.Spec.Name, err)
			continue
		}
		pixels(t, b, nil)
	}
	added := at(t, tab, s, lights, func(d *decision.Decisions) { d.Added = append(d.Added, all[0].Spec) })
	if _, ok := added.Need(all[0].Spec.Name); ok {
		t.Error("what was added is offered again")
	}
	set, err := w.Set("symbol")
	if err != nil || len(set) != 3 {
		t.Errorf("the set of the symbol: %d, %v", len(set), err)
	}
	if names := w.LockupNames(); len(names) != 2 {
		t.Errorf("lockups: %v", names)
	}
}

// Loose ends of a mend: what a person took is marked, what was not is not.
func TestFindingsInOrder(t *testing.T) {
	tab, s := table()
	w := at(t, tab, s, dot, func(d *decision.Decisions) { d.Mend(intake.DropBacking, true) })
	fs := w.Findings()
	rank := map[string]int{"stop": 0, "warn": 1, "mended": 2, "note": 3}
	for i := 1; i < len(fs); i++ {
		if rank[string(fs[i-1].Severity)] > rank[string(fs[i].Severity)] {
			t.Errorf("%s stands before %s", fs[i-1].Severity, fs[i].Severity)
		}
	}
	if !w.Decisions.Mended(intake.DropBacking) {
		t.Error("the mend is not told")
	}
}
