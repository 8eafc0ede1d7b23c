package studio

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/frame"
	"dyekit/studio/queue"
)

// A mark that was put away is off the desk, found under its state, whole when it
// is brought back, and deleted only from there.
func TestPutAwayAndBack(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m, other := take(t, s, "Odd Kettle", "One"), take(t, s, "Odd Kettle", "Two")
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Delete(ctx, m.ID); err == nil {
		t.Error("deleted from the desk")
	}
	if err := s.PutAway(ctx, m.ID); err != nil {
		t.Fatal(err)
	}
	if j, err = s.Job(ctx, j.ID); err != nil || j.State != queue.Cancelled {
		t.Errorf("its build: %+v, %v", j, err)
	}
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil || len(d.Cards) != 1 || d.Cards[0].ID != other.ID || d.Marks != 1 {
		t.Errorf("on the desk: %+v, %v", d, err)
	}
	d, err = s.Desk(ctx, DeskQuery{State: Away})
	if err != nil || len(d.Cards) != 1 || d.Cards[0].ID != m.ID || d.Cards[0].State != Away {
		t.Errorf("put away: %+v, %v", d, err)
	}
	if err := s.BringBack(ctx, m.ID); err != nil {
		t.Fatal(err)
	}
	if d, err = s.Desk(ctx, DeskQuery{}); err != nil || len(d.Cards) != 2 {
		t.Errorf("brought back: %+v, %v", d, err)
	}
	if err := s.PutClientAway(ctx, m.ClientID); err != nil {
		t.Fatal(err)
	}
	if d, err = s.Desk(ctx, DeskQuery{}); err != nil || len(d.Cards) != 0 {
		t.Errorf("with its client: %+v, %v", d, err)
	}
	if err := s.PutAway(ctx, 999); !errors.Is(err, ErrNotFound) {
		t.Errorf("no mark: %v", err)
	}
}

// A deleted mark takes all of its own along and nothing of others; with the last
// mark the client goes. What is lost is told before.
func TestDelete(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m, other := take(t, s, "Odd Kettle", "One"), take(t, s, "Odd Kettle", "Two")
	for _, x := range []*Mark{m, other} {
		built(t, s, x.ID)
		if err := s.SetFrame(ctx, x.ID, frame.Spec{Margin: frame.Margins{"6%"}}); err != nil {
			t.Fatal(err)
		}
	}
	l, err := s.Losses(ctx, m)
	if err != nil || l.Kits != 1 || l.Masters != 1 || l.Decisions != 1 || l.Files == 0 || l.Client != "" {
		t.Errorf("losses: %+v, %v", l, err)
	}
	drop := func(id int64) {
		t.Helper()
		if err := s.PutAway(ctx, id); err != nil {
			t.Fatal(err)
		}
		if err := s.Delete(ctx, id); err != nil {
			t.Fatal(err)
		}
	}
	drop(m.ID)
	if _, err := s.Mark(ctx, m.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("it is there: %v", err)
	}
	// Equal bytes of the two marks are kept once: the other still has them.
	if k, err := s.Kits(ctx, other.ID); err != nil || len(k) != 1 || s.Zip(ctx, k[0], new(bytes.Buffer)) != nil {
		t.Errorf("the other's kit: %v", err)
	}
	if other, err = s.Mark(ctx, other.ID); err != nil {
		t.Fatal(err)
	}
	if l, err = s.Losses(ctx, other); err != nil || l.Client != "Odd Kettle" || !strings.Contains(strings.Join(l.Says(), ", "), "1 kit") {
		t.Errorf("losses of the last: %+v, %v", l, err)
	}
	drop(other.ID)
	if cs, err := s.Clients(ctx); err != nil || len(cs) != 0 {
		t.Errorf("clients: %v, %v", cs, err)
	}
	c, err := s.collect(ctx, 0)
	if err != nil || c.Count == 0 {
		t.Errorf("collected %v, %v", c, err)
	}
	var left int
	if err := s.db.QueryRow("SELECT (SELECT COUNT(*) FROM blobs) + (SELECT COUNT(*) FROM blob_chunks)").Scan(&left); err != nil || left != 0 {
		t.Errorf("%d rows of bytes are left, %v", left, err)
	}
}

// With a mark goes what clients did and wrote about it, and what was written to them.
func TestDeleteForgetsClients(t *testing.T) {
	t.Parallel()
	s, _ := posted(t)
	ctx := t.Context()
	k, h, _ := handed(t, s, HandWish{Recipient: "Maud", Mail: "maud@kettle.example"})
	if err := s.Ask(ctx, h, "Which?"); err != nil {
		t.Fatal(err)
	}
	if err := s.Send(ctx, h, MailWish{To: h.Mail, Subject: "x", Text: "y"}); err != nil {
		t.Fatal(err)
	}
	do(t, s, "INSERT INTO hand_log (hand_id, hour, what) VALUES (?, NOW(), 'page')", h.ID)
	if err := s.NoteAsking(ctx, k.MarkID, "en", "a purple one", []string{"purple"}); err != nil {
		t.Fatal(err)
	}
	const left = "SELECT (SELECT COUNT(*) FROM hands) + (SELECT COUNT(*) FROM hand_log) + (SELECT COUNT(*) FROM questions) + (SELECT COUNT(*) FROM mails) + (SELECT COUNT(*) FROM asked)"
	if n := rows(t, s, strings.ReplaceAll(strings.Replace(left, "SELECT (", "SELECT LEAST((", 1), " + ", ", ")+")"); n == 0 {
		t.Fatal("there is nothing of some kind to begin with")
	}
	if err := s.PutAway(ctx, k.MarkID); err != nil {
		t.Fatal(err)
	}
	if err := s.Delete(ctx, k.MarkID); err != nil {
		t.Fatal(err)
	}
	if n := rows(t, s, left); n != 0 {
		t.Errorf("%d rows are left", n)
	}
}

// Bytes are collected when nothing names them and they are old enough; whatever a
// row or a decision names stays, also one that was undone.
func TestCollect(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "Odd Kettle", "One")
	work(t, s, m.ID)
	if err := s.SetPress(ctx, m.ID, "", Upload{"press.icc", icc.Press(colour.GRACoL)}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Undo(ctx, m.ID, AnyState); err != nil {
		t.Fatal(err)
	}
	idle, err := s.put(ctx, []byte("nobody's"))
	if err != nil {
		t.Fatal(err)
	}
	if c, err := s.Collect(ctx); err != nil || c.Count != 0 {
		t.Errorf("of what came today %v was collected, %v", c, err)
	}
	if _, err := s.db.Exec("UPDATE blobs SET kept_at = NOW(6) - INTERVAL 2 DAY"); err != nil {
		t.Fatal(err)
	}
	// Handed in once more, it counts as new.
	if _, err := s.put(ctx, []byte("nobody's")); err != nil {
		t.Fatal(err)
	}
	if c, err := s.Collect(ctx); err != nil || c.Count != 0 {
		t.Errorf("of what came again %v was collected, %v", c, err)
	}
	if _, err := s.db.Exec("UPDATE blobs SET kept_at = NOW(6) - INTERVAL 2 DAY"); err != nil {
		t.Fatal(err)
	}
	if c, err := s.Collect(ctx); err != nil || c.Count != 1 || c.Bytes != 8 {
		t.Errorf("collected %v, %v", c, err)
	}
	if _, err := s.get(ctx, idle); !errors.Is(err, ErrNotFound) {
		t.Errorf("nobody's bytes: %v", err)
	}
	if _, err := s.Redo(ctx, m.ID, AnyState); err != nil {
		t.Fatal(err)
	}
	if w := work(t, s, m.ID); w.Decisions.Profile == "" {
		t.Error("the press that was undone is gone")
	}
}
