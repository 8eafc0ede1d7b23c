package studio

import (
	"errors"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/studio/queue"
)

// Where room is short, what is large is refused and what is small is not; builds wait, say
// why, and go on by themselves.
func TestRoom(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "Odd Kettle", "One")
	var free atomic.Int64
	free.Store(LeastRoom + 10)
	s.Room = func() (int64, error) { return free.Load(), nil }
	if _, err := s.put(ctx, make([]byte, 10)); err != nil {
		t.Error("what fits: ", err)
	}
	if _, err := s.put(ctx, make([]byte, 11)); !queue.DiskFull(err) {
		t.Error("what does not fit: ", err)
	}
	if err := s.Decide(ctx, m.ID, "recipe web", func(d *Decisions) error { d.Recipe = "web"; return nil }); err != nil {
		t.Error("a decision: ", err)
	}
	free.Store(0)
	if _, err := s.TakeIn(ctx, Taking{Client: "Odd Kettle", Mark: "Two", Filename: "m.svg", Data: []byte("<svg/>")}); !queue.DiskFull(err) {
		t.Error("a master: ", err)
	}
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	workers(t, s, 1)
	for end := time.Now().Add(20 * time.Second); !strings.Contains(s.Trouble(), "disc is full"); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("the trouble is %q", s.Trouble())
		}
	}
	if j, err = s.Job(ctx, j.ID); err != nil || j.State != queue.Waiting {
		t.Errorf("the build: %+v, %v", j, err)
	}
	free.Store(1 << 40)
	if j = until(t, s, j.ID); j.State != queue.Done || s.Trouble() != "" {
		t.Errorf("with room again: %+v, trouble %q", j, s.Trouble())
	}
	s.Room = func() (int64, error) { return 0, errors.New("no such folder") }
	if _, err := s.put(ctx, []byte("x")); err == nil || queue.DiskFull(err) {
		t.Error("where the room cannot be told: ", err)
	}
}
