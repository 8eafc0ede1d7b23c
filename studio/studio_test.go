package studio

import (
	"bytes"
	"context"
	"errors"
	"os"
	"strings"
	"testing"
	"time"

	"dyekit/core/frame"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/core/version"
	"dyekit/internal/testkit"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
	"dyekit/studio/queue"
)

var database *testkit.Database

func TestMain(m *testing.M) { testkit.Main(m, &database) }

// fresh is a database with its tables and nothing in them.
var fresh = testkit.Template{Database: &database, Prepare: func(dsn string) error {
	s, err := Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	return s.Close()
}}

// demonstration is a database with the demo scenario: it is built once, and every
// test begins with a copy.
var demonstration = testkit.Template{Database: &database, Prepare: func(dsn string) error {
	s, err := Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	return s.LoadDemo(context.Background())
}}

func openDemo(t *testing.T) *Studio {
	t.Helper()
	return openAt(t, demonstration.Copy(t))
}

func open(t *testing.T) *Studio {
	t.Helper()
	return openAt(t, fresh.Copy(t))
}

func openAt(t *testing.T, dsn string) *Studio {
	t.Helper()
	s, err := Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	s.Readers = outside.None // they take most of the time, and are tested with kits
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

func work(t *testing.T, s *Studio, id int64) *Snapshot {
	t.Helper()
	m, err := s.Mark(context.Background(), id)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(context.Background(), m)
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
			s.RunQueue(ctx)
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
	t.Parallel()
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
	t.Parallel()
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
	t.Parallel()
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
	if d, _ := s.Desk(context.Background(), DeskQuery{}); d.Marks != 1 {
		t.Errorf("%d marks", d.Marks)
	}
	if _, err := s.Mark(context.Background(), 999); !errors.Is(err, ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// A font that a client brings is used for all its marks, kits included, and
// a master that needs it is not lost before it comes.
func TestFontsOfAClient(t *testing.T) {
	t.Parallel()
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
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Errorf("%+v", j)
	}
}

func TestSearch(t *testing.T) {
	t.Parallel()
	s := open(t)
	take(t, s, "Larkmoor", "Roundel")
	take(t, s, "Odd 100% Kettle", "Kettle")
	for words, want := range map[string]int{"": 2, "kettle": 1, "ROUND": 1, "100%": 1, "%": 1, "_": 0, "nothing": 0} {
		if d, err := s.Desk(context.Background(), DeskQuery{Words: words}); err != nil || len(d.Cards) != want || d.Marks != want {
			t.Errorf("%q: %d marks, %v, want %d", words, d.Marks, err, want)
		}
	}
}

func TestDecisionsAreUndone(t *testing.T) {
	t.Parallel()
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
		if what, err := s.Undo(ctx, m.ID, AnyState); err != nil || what != want {
			t.Errorf("undo: %q %v, want %q", what, err, want)
		}
	}
	if w := work(t, s, m.ID); w.Recipe.Name != "standard" || w.Decisions.Recipe != "" {
		t.Errorf("after all undone: %+v", w.Decisions)
	}
	for _, want := range []string{"web", "mend", ""} {
		if what, err := s.Redo(ctx, m.ID, AnyState); err != nil || what != want {
			t.Errorf("redo: %q %v, want %q", what, err, want)
		}
	}
	var in *InputError
	if err := s.Decide(ctx, m.ID, "bad", func(d *Decisions) error { d.Frame = &frame.Spec{Margin: frame.Margins{"4 apples"}}; return nil }); !errors.As(err, &in) || in.Field != "frame" {
		t.Errorf("a wrong margin: %v", err)
	}
	if err := s.Decide(ctx, m.ID, "bad", func(d *Decisions) error { d.Recipe = "nosuch"; return nil }); !errors.As(err, &in) || in.Field != "recipe" {
		t.Errorf("a wrong recipe: %v", err)
	}
}

func TestDemo(t *testing.T) {
	t.Parallel()
	dsn := database.New(t)
	s := openAt(t, dsn)
	ctx := context.Background()
	if err := s.LoadDemo(ctx); err != nil {
		t.Fatal(err)
	}
	if err := s.LoadDemo(ctx); !errors.Is(err, ErrNotEmpty) {
		t.Errorf("a second time: %v", err)
	}
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil || len(d.Cards) != 4 {
		t.Fatalf("%d marks, %v", d.Marks, err)
	}
	for _, m := range d.Cards {
		w := work(t, s, m.ID)
		if w.Stop != "" {
			t.Errorf("%s: %s", m.Client, w.Stop)
		}
		ws := w.Weights(t.Context())
		for range 5 { // a busy machine weighs in several goes; each keeps what it found
			if _, known, _ := preview.Total(ws); !known {
				ws = w.Weights(t.Context())
			}
		}
		for i, x := range ws {
			if x.Bytes == 0 && w.Plan.Files[i].Entry.Format != "eps" {
				t.Errorf("%s: %s has no weight", m.Client, w.Plan.Files[i].Path)
			}
		}
	}
	// A second process sees the same.
	if d, err := openAt(t, dsn).Desk(ctx, DeskQuery{}); err != nil || d.Marks != 4 {
		t.Errorf("from elsewhere: %d marks, %v", d.Marks, err)
	}
}

// Estimated weights are near enough to plan with.
func TestEstimates(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	d, _ := s.Desk(context.Background(), DeskQuery{Words: "kettle"})
	w := work(t, s, d.Cards[0].ID)
	guess := map[string]int{}
	for i, x := range w.Weights(t.Context()) {
		guess[w.Plan.Files[i].Path] = x.Bytes
	}
	for _, f := range report(t, s, w.Mark.Kit).Files {
		if g := guess[f.Path]; float64(g) < 0.55*float64(f.Bytes) || float64(g) > 1.8*float64(f.Bytes) {
			t.Errorf("%s: estimated %d bytes, is %d", f.Path, g, f.Bytes)
		}
	}
}

// After a new master, words on a colour that moved a little follow it; on one
// that is gone they are listed, can be given to the nearest, or let go.
func TestDecisionsAfterANewMaster(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	art := func(a, b string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="60" height="100" fill="` + a + `"/><rect x="40" y="30" width="60" height="40" fill="` + b + `"/></svg>`)
	}
	m, err := s.TakeIn(ctx, Taking{Client: "Odd Kettle", Mark: "Kettle", Filename: "a.svg", Data: art("#1a5f7a", "#e08800")})
	if err != nil {
		t.Fatal(err)
	}
	id := m.ID
	for _, c := range []string{"#1a5f7a", "#e08800"} {
		if err := s.Decide(ctx, id, "reading", func(d *Decisions) error {
			return d.Say("black", version.Override{Colour: c, As: version.AsInk})
		}); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Revise(ctx, id, Taking{Filename: "b.svg", Data: art("#1d657f", "#3a8f2f")}); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, id)
	if o := w.Decisions.Readings["black"]; len(o) != 2 || o[0].Colour != "#1d657f" && o[1].Colour != "#1d657f" {
		t.Errorf("the blue was not followed: %v", o)
	}
	all := w.Loose()
	if len(all) != 1 || all[0].Word.Colour != "#e08800" || all[0].To == "" || all[0].Difference < decision.Follows {
		t.Fatalf("loose: %+v", all)
	}
	if err := s.Settle(ctx, w, all[0].Says, false); err != nil {
		t.Fatal(err)
	}
	if w = work(t, s, id); len(w.Loose()) != 0 || len(w.Decisions.Readings["black"]) != 1 {
		t.Errorf("after it was let go: %v", w.Decisions.Readings)
	}
	if err := s.Settle(ctx, w, all[0].Says, true); err == nil {
		t.Error("settled twice")
	}
}
