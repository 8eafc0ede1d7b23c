package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/preflight"
	"dyekit/core/version"
	"dyekit/internal/testkit"
)

var database *testkit.Database

func TestMain(m *testing.M) {
	var err error
	if database, err = testkit.StartDatabase(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	database.Close()
	os.Exit(code)
}

func open(t *testing.T) *Studio {
	t.Helper()
	return openAt(t, database.New(t))
}

func openAt(t *testing.T, dsn string) *Studio {
	t.Helper()
	s, err := Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

const dot = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><rect width="90" height="60" fill="#fff"/><circle cx="40" cy="30" r="20" fill="#206047"/></svg>`

func take(t *testing.T, s *Studio, client, mark string) *Mark {
	t.Helper()
	m, err := s.TakeIn(context.Background(), Taking{Client: client, Mark: mark, Filename: "dot.svg", Data: []byte(dot)})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func work(t *testing.T, s *Studio, id int64) *Work {
	t.Helper()
	m, err := s.Mark(context.Background(), id)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Work(context.Background(), m)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// until waits for a job to end.
func until(t *testing.T, s *Studio, id int64) *Job {
	t.Helper()
	for range 3600 {
		j, err := s.Job(context.Background(), id)
		if err != nil {
			t.Fatal(err)
		}
		if !j.Open() {
			return j
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("the build does not end")
	return nil
}

// workers runs n workers until the test ends or stop is called.
func workers(t *testing.T, s *Studio, n int) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{}, n)
	for range n {
		go func() {
			s.Worker(ctx)
			done <- struct{}{}
		}()
	}
	stopped := false
	stop = func() {
		if stopped {
			return
		}
		stopped = true
		cancel()
		for range n {
			<-done
		}
	}
	t.Cleanup(stop)
	return stop
}

func TestMastersAreKeptByteForByte(t *testing.T) {
	s := open(t)
	m := take(t, s, "Larkmoor  Tramway ", "Roundel")
	if m.Client != "Larkmoor Tramway" || m.Master.Revision != 1 || m.Master.Filename != "dot.svg" {
		t.Errorf("%+v", m)
	}
	b, err := s.Bytes(context.Background(), m.Master)
	if err != nil || string(b) != dot {
		t.Errorf("%v, %d bytes", err, len(b))
	}
	// A new revision leaves the old one as it was.
	if err := s.Revise(context.Background(), m.ID, Taking{Filename: "dot2.svg", Data: []byte(strings.Replace(dot, "206047", "b3402c", 1))}); err != nil {
		t.Fatal(err)
	}
	n, _ := s.Mark(context.Background(), m.ID)
	if n.Master.Revision != 2 || n.Master.Filename != "dot2.svg" {
		t.Errorf("%+v", n.Master)
	}
	if b, err := s.Bytes(context.Background(), m.Master); err != nil || string(b) != dot {
		t.Error("the first revision has changed")
	}
}

func TestLargeBytesAreKeptInChunks(t *testing.T) {
	s := open(t)
	data := bytes.Repeat([]byte("0123456789abcdef"), 3<<16+5)
	h, err := s.put(context.Background(), data)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := s.put(context.Background(), data); err != nil || again != h {
		t.Error("the same bytes have two names")
	}
	got, err := s.get(context.Background(), h)
	if err != nil || !bytes.Equal(got, data) {
		t.Errorf("%v, %d of %d bytes", err, len(got), len(data))
	}
	var rows int
	s.db.QueryRow("SELECT COUNT(*) FROM blob_chunks").Scan(&rows)
	if rows != 4 {
		t.Errorf("%d chunks of at most 1 MiB", rows)
	}
	// Damage is found, not handed on.
	if _, err := s.db.Exec("UPDATE blob_chunks SET data = 'x' WHERE seq = 2"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.get(context.Background(), h); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("damaged bytes: %v", err)
	}
	if _, err := s.get(context.Background(), Hash{1}); !errors.Is(err, ErrNotFound) {
		t.Errorf("unknown bytes: %v", err)
	}
}

func TestWrongEntries(t *testing.T) {
	s := open(t)
	take(t, s, "A", "B")
	for name, c := range map[string]struct {
		t     Taking
		field string
	}{
		"no client":     {Taking{Client: "", Mark: "x", Filename: "a.svg", Data: []byte(dot)}, "client"},
		"long client":   {Taking{Client: strings.Repeat("x", 81), Mark: "x", Filename: "a.svg", Data: []byte(dot)}, "client"},
		"no letters":    {Taking{Client: "日本", Mark: "x", Filename: "a.svg", Data: []byte(dot)}, "client"},
		"twice":         {Taking{Client: "A", Mark: "B", Filename: "a.svg", Data: []byte(dot)}, "mark"},
		"no file":       {Taking{Client: "C", Mark: "x", Filename: "", Data: nil}, "master"},
		"too large":     {Taking{Client: "C", Mark: "x", Filename: "a.svg", Data: make([]byte, MaxMaster+1)}, "master"},
		"not a drawing": {Taking{Client: "C", Mark: "x", Filename: "a.svg", Data: []byte("<html/>")}, "master"},
	} {
		_, err := s.TakeIn(context.Background(), c.t)
		var in *InputError
		if !errors.As(err, &in) || in.Field != c.field {
			t.Errorf("%s: %v", name, err)
		}
	}
	// What was refused left nothing behind.
	if ms, _ := s.Marks(context.Background(), ""); len(ms) != 1 {
		t.Errorf("%d marks", len(ms))
	}
	if _, err := s.Mark(context.Background(), 999); !errors.Is(err, ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// A font that a client brings is used for all its marks, kits included, and
// a master that needs it is not lost before it comes.
func TestFontsOfAClient(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	text := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><circle cx="10" cy="10" r="5"/><text y="50" font-size="30" font-family="FAMILY">Ab</text></svg>`
	face, err := os.ReadFile("../core/fonts/shipped/alfa-slab-one.ttf")
	if err != nil {
		t.Fatal(err)
	}
	// The same file under another name in its table would be another font;
	// what counts is the name the file gives itself.
	m, err := s.TakeIn(ctx, Taking{Client: "C", Mark: "M", Filename: "t.svg", Data: []byte(strings.Replace(text, "FAMILY", "Nosuchface", 1))})
	if err != nil {
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	if !strings.Contains(w.Stop, "Nosuchface") {
		t.Errorf("without its font: %q", w.Stop)
	}
	if b, err := w.StandIn(ctx, 90, 60); err != nil || !bytes.HasPrefix(b, []byte("\x89PNG")) {
		t.Errorf("a stand-in: %v", err)
	}
	var in *InputError
	if err := s.AddFont(ctx, m.ID, Upload{"x.ttf", []byte("no font")}); !errors.As(err, &in) || in.Field != "font" {
		t.Errorf("not a font: %v", err)
	}
	before := w.Name
	if err := s.AddFont(ctx, m.ID, Upload{"alfa.ttf", face}); err != nil {
		t.Fatal(err)
	}
	if w = work(t, s, m.ID); w.Name == before {
		t.Error("a new font does not change the build's name")
	}
	if fs, err := s.Fonts(ctx, w.Mark); err != nil || len(fs) != 1 || fs[0].Family != "Alfa Slab One" {
		t.Errorf("%v %v", fs, err)
	}
	if err := s.Revise(ctx, m.ID, Taking{Filename: "t.svg", Data: []byte(strings.Replace(text, "FAMILY", "Alfa Slab One", 1))}); err != nil {
		t.Fatal(err)
	}
	if w = work(t, s, m.ID); w.Stop != "" {
		t.Fatal(w.Stop)
	}
	workers(t, s, 1)
	j, err := s.Build(ctx, w)
	if err != nil {
		t.Fatal(err)
	}
	if j = until(t, s, j.ID); j.State != Done {
		t.Errorf("%+v", j)
	}
}

func TestSearch(t *testing.T) {
	s := open(t)
	take(t, s, "Larkmoor", "Roundel")
	take(t, s, "Odd 100% Kettle", "Kettle")
	for words, want := range map[string]int{"": 2, "kettle": 1, "ROUND": 1, "100%": 1, "%": 1, "_": 0, "nothing": 0} {
		if ms, err := s.Marks(context.Background(), words); err != nil || len(ms) != want {
			t.Errorf("%q: %d marks, %v, want %d", words, len(ms), err, want)
		}
	}
}

func TestDecisionsAreUndone(t *testing.T) {
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	set := func(what string, f func(*Decisions) error) {
		t.Helper()
		if err := s.Decide(ctx, m.ID, what, f); err != nil {
			t.Fatal(err)
		}
	}
	set("web", func(d *Decisions) error { d.Recipe = "web"; return nil })
	set("nothing new", func(d *Decisions) error { d.Recipe = "web"; return nil })
	set("mend", func(d *Decisions) error { d.Mends = []intake.Mend{intake.DropBacking}; return nil })
	if w := work(t, s, m.ID); w.Recipe.Name != "web" || !w.Decisions.Mended(intake.DropBacking) {
		t.Errorf("%+v", w.Decisions)
	}
	m, err := s.Mark(ctx, m.ID)
	if err != nil {
		t.Fatal(err)
	}
	if h, err := s.History(ctx, m); err != nil || len(h) != 2 || h[0].What != "mend" || h[1].What != "web" || time.Since(h[0].At) > time.Minute {
		t.Errorf("the history is %+v, %v", h, err)
	}
	for _, want := range []string{"mend", "web", ""} {
		if what, err := s.Undo(ctx, m.ID); err != nil || what != want {
			t.Errorf("undo: %q %v, want %q", what, err, want)
		}
	}
	if w := work(t, s, m.ID); w.Recipe.Name != "standard" || w.Decisions.Recipe != "" {
		t.Errorf("after all undone: %+v", w.Decisions)
	}
	for _, want := range []string{"web", "mend", ""} {
		if what, err := s.Redo(ctx, m.ID); err != nil || what != want {
			t.Errorf("redo: %q %v, want %q", what, err, want)
		}
	}
	var in *InputError
	if err := s.Decide(ctx, m.ID, "bad", func(d *Decisions) error { d.Margin = "4 apples"; return nil }); !errors.As(err, &in) || in.Field != "margin" {
		t.Errorf("a wrong margin: %v", err)
	}
	if err := s.Decide(ctx, m.ID, "bad", func(d *Decisions) error { d.Recipe = "nosuch"; return nil }); !errors.As(err, &in) || in.Field != "recipe" {
		t.Errorf("a wrong recipe: %v", err)
	}
}

// A word on a colour reaches the recipe, and only the version spoken of.
func TestReadings(t *testing.T) {
	s := open(t)
	if err := s.LoadDemo(context.Background()); err != nil {
		t.Fatal(err)
	}
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
		if _, err := s.Undo(context.Background(), 2); err != nil {
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
	name := workerName()
	id, err := s.lease(ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.work(ctx, id, name); err != nil {
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

// Every need can be added, makes files, and is taken away again.
func TestNeeds(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	if err := s.LoadDemo(ctx); err != nil {
		t.Fatal(err)
	}
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
		if err := s.AddVersion(ctx, w, n.Spec.Name); err != nil {
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
	if err := s.AddVersion(ctx, w, "light"); !errors.As(err, &in) || in.Field != "need" {
		t.Errorf("a second time: %v", err)
	}
	for _, n := range needs {
		if err := s.DropVersion(ctx, 2, n.Spec.Name); err != nil {
			t.Fatal(err)
		}
	}
	if w := work(t, s, 2); len(w.Plan.Files) != files {
		t.Errorf("%d files after all was taken away, were %d", len(w.Plan.Files), files)
	}
}

// What a new master changed, and the way back to the one before.
func TestCompareAndGoBack(t *testing.T) {
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

// Two marks of a client share its inks; a change makes both stale, and undo
// brings the same builds back.
func TestInks(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	a, b := take(t, s, "Vat Nine", "Dot"), take(t, s, "Vat Nine", "Dash")
	other := take(t, s, "Elsewhere", "Dot")
	before := work(t, s, a.ID)
	drawn := before.Tones[0].Colour.RGB.Hex()
	plum := version.Tied{Ink: version.Ink{Name: " Plum ", RGB: "#6b2d4f", CMYK: &[4]float64{40, 85, 20, 35}, Spot: "Vat Plum"}, Drawn: drawn}
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
	name := workerName()
	id, err := s.lease(ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.work(ctx, id, name); err != nil {
		t.Fatal(err)
	}
	m, err := s.Mark(ctx, a.ID)
	if err != nil || m.Kit == nil || m.Kit.Build != w.Name {
		t.Fatalf("the kit is %+v, %v", m.Kit, err)
	}
	plate := false
	for _, f := range m.Kit.Report.Files {
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

func TestBuild(t *testing.T) {
	s := open(t)
	m := take(t, s, "Dot Works", "Dot")
	workers(t, s, 2)
	j, err := s.Build(context.Background(), work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if j2, err := s.Build(context.Background(), work(t, s, m.ID)); err == nil && j2.ID != j.ID {
		t.Error("two builds of one mark at a time")
	}
	if j = until(t, s, j.ID); j.State != Done {
		t.Fatalf("%+v", j)
	}
	w := work(t, s, m.ID)
	if w.Mark.Kit == nil || w.Mark.Kit.Number != 1 || w.Mark.Kit.Build != w.Name {
		t.Fatalf("%+v", w.Mark.Kit)
	}
	var in *InputError
	if _, err := s.Build(context.Background(), w); !errors.As(err, &in) {
		t.Errorf("building the same again: %v", err)
	}
	var zip, again bytes.Buffer
	if err := s.Zip(context.Background(), w.Mark.Kit, &zip); err != nil {
		t.Fatal(err)
	}
	s.Zip(context.Background(), w.Mark.Kit, &again)
	if !bytes.Equal(zip.Bytes(), again.Bytes()) {
		t.Error("the zip is not the same twice")
	}
	files, err := kit.OpenZip(zip.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := kit.Verify(context.Background(), files, nil); err != nil {
		t.Error(err)
	}
	f, err := s.File(context.Background(), w.Mark.Kit.ID, "START-HERE.html")
	if err != nil || !bytes.Equal(f, files["START-HERE.html"]) {
		t.Errorf("a single file: %v", err)
	}
	if _, err := s.File(context.Background(), w.Mark.Kit.ID, "../x"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a file that is not there: %v", err)
	}
	// A change makes the kit stale; a build makes the next number and leaves
	// the first as it was.
	if err := s.Decide(context.Background(), m.ID, "mend", func(d *Decisions) error { d.Mends = []intake.Mend{intake.DropBacking}; return nil }); err != nil {
		t.Fatal(err)
	}
	w = work(t, s, m.ID)
	if w.Mark.Kit.Build == w.Name {
		t.Error("the kit is not stale")
	}
	if j, err = s.Build(context.Background(), w); err != nil {
		t.Fatal(err)
	}
	if j = until(t, s, j.ID); j.State != Done {
		t.Fatalf("%+v", j)
	}
	ks, _ := s.Kits(context.Background(), m.ID)
	if len(ks) != 2 || ks[0].Number != 2 || ks[1].Number != 1 {
		t.Fatalf("%d kits", len(ks))
	}
	again.Reset()
	s.Zip(context.Background(), ks[1], &again)
	if !bytes.Equal(zip.Bytes(), again.Bytes()) {
		t.Error("kit 1 has changed")
	}
}

func TestCancel(t *testing.T) {
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Cancel(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	if j, _ = s.Job(ctx, j.ID); j.State != Cancelled {
		t.Errorf("waiting, then cancelled: %+v", j)
	}
	// Cancelled while it runs: the worker hears of it by its pulse.
	j, err = s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if id, err := s.lease(ctx, "me"); err != nil || id != j.ID {
		t.Fatalf("lease: %d %v", id, err)
	}
	if err := s.Cancel(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	s.work(ctx, j.ID, "me")
	if j, _ = s.Job(ctx, j.ID); j.State != Cancelled {
		t.Errorf("running, then cancelled: %+v", j)
	}
	if ks, _ := s.Kits(ctx, m.ID); len(ks) != 0 {
		t.Errorf("%d kits after two cancelled builds", len(ks))
	}
}

// A worker that dies is replaced; a build that kills three of them is given
// up; a worker that was only slow cannot finish what is no longer its own.
func TestWorkersDie(t *testing.T) {
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	expire := func() {
		if _, err := s.db.Exec("UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND WHERE id = ?", j.ID); err != nil {
			t.Fatal(err)
		}
	}
	if id, _ := s.lease(ctx, "slow"); id != j.ID {
		t.Fatal("not leased")
	}
	if id, _ := s.lease(ctx, "other"); id != 0 {
		t.Fatal("leased twice")
	}
	expire()
	if id, _ := s.lease(ctx, "other"); id != j.ID {
		t.Fatal("not taken over")
	}
	if err := s.work(ctx, j.ID, "slow"); !errors.Is(err, errLost) {
		t.Errorf("the slow worker: %v", err)
	}
	if ks, _ := s.Kits(ctx, m.ID); len(ks) != 0 {
		t.Error("the slow worker made a kit")
	}
	expire()
	if id, _ := s.lease(ctx, "third"); id != j.ID {
		t.Fatal("not taken over again")
	}
	expire()
	if id, _ := s.lease(ctx, "fourth"); id != 0 {
		t.Fatal("begun a fourth time")
	}
	if j, _ = s.Job(ctx, j.ID); j.State != Failed || !strings.Contains(j.Error, "died") {
		t.Errorf("%+v", j)
	}
	// Stopping in order gives the build back and costs no attempt.
	j, err = s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	s.lease(ctx, "going")
	gone, cancel := context.WithCancel(ctx)
	cancel()
	s.work(gone, j.ID, "going")
	workers(t, s, 1)
	if j = until(t, s, j.ID); j.State != Done {
		t.Errorf("after a worker left: %+v", j)
	}
}

// MariaDB killed and started again between two steps loses nothing that was
// saved, and the open application goes on.
func TestDatabaseIsKilled(t *testing.T) {
	s := open(t)
	m := take(t, s, "Larkmoor", "Roundel")
	ctx := context.Background()
	if err := s.Decide(ctx, m.ID, "mend", func(d *Decisions) error { d.Mends = []intake.Mend{intake.DropBacking}; return nil }); err != nil {
		t.Fatal(err)
	}
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	database.Kill()
	if err := s.Ping(ctx); err == nil {
		t.Error("a dead database answers")
	}
	if err := database.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	if !w.Decisions.Mended(intake.DropBacking) {
		t.Error("the decision is lost")
	}
	workers(t, s, 1)
	if j = until(t, s, j.ID); j.State != Done {
		t.Errorf("the build: %+v", j)
	}
	if b, err := s.Bytes(ctx, w.Mark.Master); err != nil || string(b) != dot {
		t.Error("the master is lost")
	}
}

func TestDemo(t *testing.T) {
	dsn := database.New(t)
	s := openAt(t, dsn)
	ctx := context.Background()
	if err := s.LoadDemo(ctx); err != nil {
		t.Fatal(err)
	}
	if err := s.LoadDemo(ctx); !errors.Is(err, ErrNotEmpty) {
		t.Errorf("a second time: %v", err)
	}
	ms, err := s.Marks(ctx, "")
	if err != nil || len(ms) != 3 {
		t.Fatalf("%d marks, %v", len(ms), err)
	}
	for _, m := range ms {
		w := work(t, s, m.ID)
		if w.Stop != "" {
			t.Errorf("%s: %s", m.Client, w.Stop)
		}
		for i, x := range w.Weights() {
			if x.Bytes == 0 && w.Plan.Files[i].Entry.Format != "eps" {
				t.Errorf("%s: %s has no weight", m.Client, w.Plan.Files[i].Path)
			}
		}
	}
	// A second process sees the same.
	if ms, err := openAt(t, dsn).Marks(ctx, ""); err != nil || len(ms) != 3 {
		t.Errorf("from elsewhere: %d marks, %v", len(ms), err)
	}
}

// Estimated weights are near enough to plan with.
func TestEstimates(t *testing.T) {
	s := open(t)
	if err := s.LoadDemo(context.Background()); err != nil {
		t.Fatal(err)
	}
	ms, _ := s.Marks(context.Background(), "kettle")
	w := work(t, s, ms[0].ID)
	guess := map[string]int{}
	for i, x := range w.Weights() {
		guess[w.Plan.Files[i].Path] = x.Bytes
	}
	for _, f := range ms[0].Kit.Report.Files {
		if g := guess[f.Path]; float64(g) < 0.55*float64(f.Bytes) || float64(g) > 1.8*float64(f.Bytes) {
			t.Errorf("%s: estimated %d bytes, is %d", f.Path, g, f.Bytes)
		}
	}
}

func TestPreviews(t *testing.T) {
	s := open(t)
	m := take(t, s, "A", "B")
	w := work(t, s, m.ID)
	ctx := context.Background()
	for _, g := range w.Grounds() {
		a, err := w.Preview(ctx, "colour", 84, 64, g)
		if err != nil || !bytes.HasPrefix(a, []byte("\x89PNG")) {
			t.Errorf("on %s: %v", g.Name, err)
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
	// Ten colours, none of which covers a sixth: three tenths are black.
	many := &Work{Plan: w.Plan, tones: map[string][]preflight.Tone{"colour": nil}}
	for i := range 10 {
		c := colour.White
		if i%3 == 1 {
			c = colour.Black
		}
		many.tones["colour"] = append(many.tones["colour"], preflight.Tone{Colour: colour.Screen(c), Share: 0.1})
	}
	if c, err := many.Stands(ctx, "colour", white); err != nil || c < 20.9 {
		t.Errorf("many small colours stand at %v, %v", c, err)
	}
	if c, err := w.Stands(ctx, "white", white); err != nil || c > 1.01 {
		t.Errorf("white on white stands at %v, %v", c, err)
	}
	if c, err := w.Stands(ctx, "black", white); err != nil || c < 20.9 {
		t.Errorf("black on white stands at %v, %v", c, err)
	}
}
