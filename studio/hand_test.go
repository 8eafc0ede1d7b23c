package studio

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/core/format"
)

// handed builds a kit and hands it over.
func handed(t *testing.T, s *Studio, w HandWish) (*Kit, *Hand, string) {
	t.Helper()
	m := take(t, s, "Odd Kettle", "Kettle")
	k := built(t, s, m.ID)
	h, token, err := s.HandOver(t.Context(), k, w)
	if err != nil {
		t.Fatal(err)
	}
	return k, h, token
}

// A link opens the page until it is withdrawn or has expired; what is kept does
// not tell it.
func TestHandOver(t *testing.T) {
	t.Parallel()
	dsn := database.New(t)
	s := openAt(t, dsn)
	ctx := WithPerson(t.Context(), "Ada")
	k, h, token := handed(t, s, HandWish{Recipient: "  Odd   Kettle ", Mail: "tea@kettle.example", Language: "de-AT", Greeting: "Use the plum one.", HideUses: []string{"film"}, HideTypes: []format.Key{"eps"}, Closes: time.Now().Add(time.Hour)})
	if h.Recipient != "Odd Kettle" || h.Language != "de" || h.KitID != k.ID || h.Locked {
		t.Errorf("handed over: %+v", h)
	}
	var kept bytes.Buffer
	if err := Backup(ctx, dsn, &kept); err != nil {
		t.Fatal(err)
	}
	z, err := gzip.NewReader(&kept)
	if err != nil {
		t.Fatal(err)
	}
	plain, err := io.ReadAll(z)
	if err != nil || bytes.Contains(plain, []byte(token)) || !bytes.Contains(plain, []byte("tea@kettle.example")) {
		t.Errorf("the link itself is kept, or nothing: %v", err)
	}
	got, err := s.HandOf(ctx, token)
	if err != nil || got.ID != h.ID || got.HideUses[0] != "film" || got.HideTypes[0] != "eps" {
		t.Fatalf("by its link: %+v, %v", got, err)
	}
	p, err := s.Page(ctx, k)
	if err != nil || p.Brand != "Odd Kettle" || len(p.Files) != k.Files || len(p.Pictures) < 5 {
		t.Fatalf("its page: %+v, %v", p, err)
	}
	second, err := s.NewLink(ctx, h.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.HandOf(ctx, token); !errors.Is(err, ErrNotFound) {
		t.Errorf("the first link after a second one: %v", err)
	}
	if err := s.Withdraw(ctx, h.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.HandOf(ctx, second); !errors.Is(err, ErrNotFound) {
		t.Errorf("withdrawn: %v", err)
	}
	if _, err := s.NewLink(ctx, h.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("a new link to what was withdrawn: %v", err)
	}
	brief, _, err := s.HandOver(ctx, k, HandWish{Recipient: "x", Closes: time.Now().Add(time.Hour)})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.Exec("UPDATE hands SET closes_at = NOW(6) WHERE id = ?", brief.ID); err != nil {
		t.Fatal(err)
	}
	if h, _ := s.Hand(ctx, brief.ID); !h.Closed(time.Now()) {
		t.Error("an expired link is open")
	}
	for _, bad := range []string{"", "x", strings.Repeat("a", 27), "' OR 1=1", strings.Repeat("x", 1<<16)} {
		if _, err := s.HandOf(ctx, bad); !errors.Is(err, ErrNotFound) {
			t.Errorf("%.20q opens: %v", bad, err)
		}
	}
}

func TestWrongWishes(t *testing.T) {
	t.Parallel()
	s := open(t)
	k, _, _ := handed(t, s, HandWish{Recipient: "x"})
	for field, w := range map[string]HandWish{
		"recipient": {Recipient: " "},
		"mail":      {Recipient: "x", Mail: "Ada <ada@kettle.example>"},
		"greeting":  {Recipient: "x", Greeting: strings.Repeat("g", MaxGreeting+1)},
		"pass":      {Recipient: "x", Pass: "12345"},
		"closes":    {Recipient: "x", Closes: time.Now().Add(-time.Second)},
		"hide":      {Recipient: "x", HideUses: []string{"moon"}},
	} {
		_, _, err := s.HandOver(t.Context(), k, w)
		var in *InputError
		if !errors.As(err, &in) || in.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	for _, bad := range []string{"ada", "ada@kettle", "ada@kettle.example\r\nBcc: x@y.example", "a@b.example, c@d.example", "ada@ kettle.example"} {
		if checkAddress(bad) == nil {
			t.Errorf("%q is an address", bad)
		}
	}
}

// A passphrase opens the page; five wrong ones and it is not looked at for a
// quarter of an hour, whoever asks and how many at a time.
func TestPassphrase(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	_, _, token := handed(t, s, HandWish{Recipient: "x", Pass: "plum and orange"})
	h, err := s.HandOf(ctx, token)
	if err != nil || !h.Locked || h.OpenTo("") || h.OpenTo("0") {
		t.Fatalf("a locked page: %+v, %v", h, err)
	}
	key, err := s.Unlock(ctx, h, "plum and orange")
	if err != nil || !h.OpenTo(key) {
		t.Fatalf("with the passphrase: %v", err)
	}
	errs := make(chan error)
	for range 3 * Tries {
		go func() {
			_, err := s.Unlock(ctx, h, "plum and green")
			errs <- err
		}()
	}
	wrong, waits := 0, 0
	for range 3 * Tries {
		var in *InputError
		var wait *WaitError
		switch err := <-errs; {
		case errors.As(err, &in):
			wrong++
		case errors.As(err, &wait):
			if d := time.Until(wait.Until); d < TriesFor-time.Minute || d > TriesFor+time.Minute {
				t.Errorf("one waits %v", d)
			}
			waits++
		default:
			t.Errorf("tried: %v", err)
		}
	}
	if wrong > Tries || waits < 2*Tries {
		t.Errorf("%d were looked at, %d had to wait", wrong, waits)
	}
	var wait *WaitError
	if _, err := s.Unlock(ctx, h, "plum and orange"); !errors.As(err, &wait) {
		t.Errorf("the right one meanwhile: %v", err)
	}
	if _, err := s.db.Exec("UPDATE hands SET wait_until = NOW(6) - INTERVAL 1 SECOND"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Unlock(ctx, h, "plum and orange"); err != nil {
		t.Errorf("afterwards: %v", err)
	}
	if _, err := s.NewLink(ctx, h.ID); err != nil {
		t.Fatal(err)
	}
	if h, _ = s.Hand(ctx, h.ID); h.OpenTo(key) {
		t.Error("the key of the old link opens the new one")
	}
}

// The log counts by the hour and names files, no persons; as CSV no cell is a
// formula.
func TestHandLog(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	_, h, token := handed(t, s, HandWish{Recipient: "=cmd()"})
	for range 3 {
		if err := s.Note(ctx, h, HandOpened, ""); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(s.Note(ctx, h, HandFile, "SVG/odd-kettle_colour.svg"), s.Note(ctx, h, HandZip, ""), s.Receive(ctx, h), s.Ask(ctx, h, "  Which one for the van? ")); err != nil {
		t.Fatal(err)
	}
	es, err := s.HandLog(ctx, h.ID)
	if err != nil || len(es) != 5 {
		t.Fatalf("noted: %+v, %v", es, err)
	}
	for _, e := range es {
		if !e.Hour.Equal(e.Hour.Truncate(time.Hour)) {
			t.Errorf("finer than an hour: %v", e.Hour)
		}
		if want := map[string]int{HandOpened: 3}[e.What]; want > 0 && e.Times != want {
			t.Errorf("%+v", e)
		}
	}
	var b bytes.Buffer
	if err := WriteHandLog(&b, h, es); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil || len(rows) != 6 || rows[1][0] != "'=cmd()" || !strings.HasSuffix(rows[1][1], ":00Z") {
		t.Errorf("as CSV: %q, %v", rows, err)
	}
	if h, err = s.HandOf(ctx, token); err != nil || h.Opened != 3 || h.Taken != 2 || h.Received.IsZero() || h.Open != 1 {
		t.Errorf("counted: %+v, %v", h, err)
	}
	qs, err := s.Questions(ctx, h.ID)
	if err != nil || len(qs) != 1 || qs[0].Text != "Which one for the van?" {
		t.Fatalf("asked: %+v, %v", qs, err)
	}
	if d, err := s.Desk(ctx, DeskQuery{}); err != nil || d.Cards[0].Questions != 1 {
		t.Errorf("on the desk: %+v, %v", d.Cards, err)
	}
	if err := s.Reply(WithPerson(ctx, "Ada"), qs[0].ID, "The white EPS."); err != nil {
		t.Fatal(err)
	}
	q, err := s.Question(ctx, qs[0].ID)
	if err != nil || q.Answer != "The white EPS." || q.Who != "Ada" {
		t.Errorf("answered: %+v, %v", q, err)
	}
	for range MaxOpen {
		if err := s.Ask(ctx, h, "?"); err != nil {
			t.Fatal(err)
		}
		h, _ = s.HandOf(ctx, token)
	}
	var in *InputError
	for _, text := range []string{"one more", "", strings.Repeat("x", MaxQuestion+1)} {
		if err := s.Ask(ctx, h, text); !errors.As(err, &in) {
			t.Errorf("asked %.10q: %v", text, err)
		}
	}
}

// Kits of earlier releases have no page, and are not handed over without one.
func TestNoPageNoHandover(t *testing.T) {
	t.Parallel()
	s := open(t)
	k, _, _ := handed(t, s, HandWish{Recipient: "x"})
	if _, err := s.db.Exec("UPDATE kits SET page = NULL"); err != nil {
		t.Fatal(err)
	}
	var in *InputError
	if _, _, err := s.HandOver(context.Background(), k, HandWish{Recipient: "y"}); !errors.As(err, &in) || !strings.Contains(in.Message, "build it again") {
		t.Errorf("%v", err)
	}
}

// Many questions at once are no more than may wait, ten equal handovers are one with one link,
// and pieces of a file are noted like the whole, once.
func TestManyAtOnce(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	k, h, token := handed(t, s, HandWish{Recipient: "Maud"})
	h, err := s.HandOf(ctx, token)
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	var taken atomic.Int64
	for range 3 * MaxOpen {
		wg.Go(func() {
			if s.Ask(ctx, h, "Which one for the van?") == nil {
				taken.Add(1)
			}
		})
	}
	wg.Wait()
	if qs, err := s.Questions(ctx, h.ID); err != nil || len(qs) != MaxOpen || taken.Load() != MaxOpen {
		t.Errorf("%d questions are kept, %d were taken: %v", len(qs), taken.Load(), err)
	}

	tokens := make([]string, 10)
	for i := range tokens {
		wg.Go(func() {
			_, tokens[i], _ = s.HandOver(ctx, k, HandWish{Recipient: "Eve", Once: "a form"})
		})
	}
	wg.Wait()
	if hs, err := s.Hands(ctx, k.MarkID); err != nil || len(hs) != 2 {
		t.Errorf("%d handovers, want 2: %v", len(hs), err)
	}
	for _, x := range tokens {
		if x != tokens[0] || x == "" {
			t.Fatalf("links %q", tokens)
		}
	}
	if _, other, err := s.HandOver(ctx, k, HandWish{Recipient: "Eve", Once: "another form"}); err != nil || other == tokens[0] {
		t.Errorf("another form: %q, %v", other, err)
	}

	for range 5 {
		if err := s.NoteRange(ctx, h, HandFile, "web/x.png"); err != nil {
			t.Fatal(err)
		}
	}
	es, err := s.HandLog(ctx, h.ID)
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, e := range es {
		if e.What == HandFile {
			n += e.Times
		}
	}
	if n != 1 {
		t.Errorf("five pieces are noted %d times", n)
	}
}

// A studio sends so many mails within an hour and no more; a question is kept all the same.
func TestMailsHaveALimit(t *testing.T) {
	t.Parallel()
	s, _ := posted(t)
	ctx := t.Context()
	for range MaxMails {
		if _, err := s.db.ExecContext(ctx, "INSERT INTO mails (studio_id, recipient, reply_to, subject, body, who) VALUES (1, 'a@b.example', '', 'x', 'y', '')"); err != nil {
			t.Fatal(err)
		}
	}
	var in *InputError
	if err := s.Send(ctx, nil, MailWish{To: "a@b.example", Subject: "x", Text: "y"}); !errors.As(err, &in) || !strings.Contains(in.Message, "within an hour") {
		t.Errorf("one more: %v", err)
	}
	if _, err := s.db.ExecContext(ctx, "UPDATE mails SET created_at = NOW(6) - INTERVAL 61 MINUTE"); err != nil {
		t.Fatal(err)
	}
	if err := s.Send(ctx, nil, MailWish{To: "a@b.example", Subject: "x", Text: "y"}); err != nil {
		t.Errorf("an hour later: %v", err)
	}
}

// What clients type is kept once however often, without who; of a mark only the newest so
// many, and what was not understood comes first.
func TestAskings(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "Odd Kettle", "Kettle")
	note := func(said string, missed ...string) {
		t.Helper()
		if err := s.NoteAsking(ctx, m.ID, "en", said, missed); err != nil {
			t.Fatal(err)
		}
	}
	note("  ")
	note("a vector")
	note("a  vector ")
	note("A vector")
	note("a purple one", "purple")
	note(strings.Repeat("é", 900))
	as, err := s.Asked(ctx, m.ID)
	if err != nil || len(as) != 4 || as[0].Said != "a purple one" || as[0].Missed != "purple" || as[1].Said != "a vector" || as[1].Times != 2 {
		t.Errorf("%+v, %v", as, err)
	}
	for i := range maxAsked + 20 {
		note(fmt.Sprint("png ", i))
	}
	if as, err = s.Asked(ctx, m.ID); err != nil || len(as) != maxAsked {
		t.Errorf("%d are kept, %v", len(as), err)
	}
	if slices.ContainsFunc(as, func(a Asking) bool { return a.Said == "a vector" || a.Said == "png 0" }) {
		t.Error("the oldest stay")
	}
}
