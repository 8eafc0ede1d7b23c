package studio

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"

	"dyekit/studio/hook"
	"dyekit/studio/post"
	"dyekit/studio/queue"
)

// rows is a number asked of the database.
func rows(t *testing.T, s *Studio, query string, args ...any) (n int) {
	t.Helper()
	if err := s.db.QueryRow(query, args...).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

func do(t *testing.T, s *Studio, query string, args ...any) {
	t.Helper()
	if _, err := s.db.Exec(query, args...); err != nil {
		t.Fatal(err)
	}
}

// The work of a day is done once by however many servers, again on another day, whichever
// way the clock went, and again if it failed.
func TestDaily(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	day := func() (done int) {
		t.Helper()
		var n atomic.Int32
		var wg sync.WaitGroup
		for range 8 {
			wg.Go(func() {
				mine, err := s.daily(ctx)
				if err != nil {
					t.Error(err)
				}
				if mine {
					n.Add(1)
				}
			})
		}
		wg.Wait()
		return int(n.Load())
	}
	for _, c := range []struct {
		when, set string
		want      int
	}{
		{"on the first day", "NULL", 1}, {"later that day", "done_on", 0},
		{"on the next", "CURRENT_DATE - INTERVAL 1 DAY", 1}, {"with the clock set back", "CURRENT_DATE + INTERVAL 1 DAY", 1},
	} {
		do(t, s, "UPDATE chores SET done_on = "+c.set)
		if n := day(); n != c.want {
			t.Errorf("%s it is done %d times, want %d", c.when, n, c.want)
		}
	}
	do(t, s, "UPDATE chores SET done_on = NULL")
	do(t, s, "RENAME TABLE sessions TO elsewhere")
	if mine, err := s.daily(ctx); !mine || err == nil {
		t.Errorf("without a table: %v, %v", mine, err)
	}
	do(t, s, "RENAME TABLE elsewhere TO sessions")
	if n := day(); n != 1 {
		t.Errorf("after a failure it is done %d times, want 1", n)
	}
}

// What has come to an end is forgotten after a while: what a build was to do and how hooks
// were called, but for the last call of each.
func TestForget(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "Odd Kettle", "One")
	for _, state := range []queue.State{queue.Done, queue.Failed, queue.Waiting} {
		do(t, s, "INSERT INTO jobs (mark_id, body, state, finished_at) VALUES (?, '{}', ?, NOW(6) - INTERVAL 40 DAY)", m.ID, state)
	}
	do(t, s, "INSERT INTO jobs (mark_id, body, state, finished_at) VALUES (?, '{}', 'done', NOW(6))", m.ID)
	do(t, s, "INSERT INTO hooks (studio_id, url, secret) VALUES (1, 'https://hooks.example', '')")
	for _, state := range []string{MailSent, MailWaiting, MailFailed} {
		do(t, s, "INSERT INTO hook_calls (hook_id, event, body, state, created_at) SELECT id, 'x', '{}', ?, NOW(6) - INTERVAL 40 DAY FROM hooks", state)
	}
	if err := s.forget(t.Context()); err != nil {
		t.Fatal(err)
	}
	if n := rows(t, s, "SELECT COUNT(*) FROM jobs WHERE body <> ''"); n != 2 {
		t.Errorf("%d builds say what they were to do, want the one that waits and the one of today", n)
	}
	if n := rows(t, s, "SELECT COUNT(*) FROM hook_calls WHERE state <> 'sent'"); n != 2 || rows(t, s, "SELECT COUNT(*) FROM hook_calls") != 2 {
		t.Errorf("%d calls are left, want the one that waits and the newest", n)
	}
}

// A clock that is set forward by days does not take from a build what it has kept so far.
func TestClockSetForward(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "Odd Kettle", "One")
	h, err := s.put(ctx, []byte("of a build"))
	if err != nil {
		t.Fatal(err)
	}
	do(t, s, "UPDATE blobs SET kept_at = NOW(6) - INTERVAL 2 DAY WHERE sha256 = ?", h[:])
	do(t, s, "INSERT INTO jobs (mark_id, body, state, started_at) VALUES (?, '{}', 'running', NOW(6) - INTERVAL 3 DAY)", m.ID)
	if c, err := s.Collect(ctx); err != nil || c.Count != 0 {
		t.Errorf("collected under a build: %v, %v", c, err)
	}
	do(t, s, "UPDATE jobs SET state = 'failed'")
	if c, err := s.Collect(ctx); err != nil || c.Count != 1 {
		t.Errorf("collected after it: %v, %v", c, err)
	}
}

// A call or a mail that a stop cut off at its last try is tried again.
func TestLastTryIsCut(t *testing.T) {
	t.Parallel()
	s, _ := posted(t)
	s.Caller = hook.Caller{Inside: true}
	_, h, _ := handed(t, s, HandWish{Recipient: "Maud", Mail: "maud@kettle.example"})
	gate, asked := make(chan struct{}), make(chan struct{}, 1)
	slow := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		asked <- struct{}{}
		<-gate
	}))
	defer slow.Close()
	defer close(gate)
	if _, err := s.NewHook(t.Context(), slow.URL); err != nil {
		t.Fatal(err)
	}
	do(t, s, "DELETE FROM hook_calls")
	do(t, s, "INSERT INTO hook_calls (hook_id, event, body, tries) SELECT id, 'x', '{}', ? FROM hooks", len(hookWaits))
	ctx, cancel := context.WithCancel(t.Context())
	go func() {
		<-asked
		cancel()
	}()
	if called, err := s.callOne(ctx, &calling{busy: map[int64]bool{}}); !called || err != nil {
		t.Error(called, err)
	}
	if n := rows(t, s, "SELECT COUNT(*) FROM hook_calls WHERE state = 'waiting' AND tries = ? AND next_at <= NOW(6)", len(hookWaits)); n != 1 {
		t.Error("the call is not tried again")
	}
	if err := s.Send(t.Context(), h, MailWish{To: h.Mail, Subject: "x", Text: "y"}); err != nil {
		t.Fatal(err)
	}
	do(t, s, "UPDATE mails SET tries = ?", len(mailWaits))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	if s.Post, err = post.Parse("smtp://" + l.Addr().String() + "?from=kits@vatnine.example"); err != nil {
		t.Fatal(err)
	}
	ctx, cancel = context.WithCancel(t.Context())
	go func() {
		if c, err := l.Accept(); err == nil {
			cancel()
			c.Close()
		}
	}()
	if found, err := s.sendOne(ctx); !found || err != nil {
		t.Error(found, err)
	}
	if n := rows(t, s, "SELECT COUNT(*) FROM mails WHERE state = 'waiting' AND tries = ? AND next_at <= NOW(6)", len(mailWaits)); n != 1 {
		t.Error("the mail is not tried again")
	}
}
