package studio

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"dyekit/studio/hook"
)

// A receiver that does not answer holds up the calls of its own studio alone.
func TestSlowHooksHoldUpNobodyElse(t *testing.T) {
	t.Parallel()
	s := open(t)
	s.Caller = hook.Caller{Inside: true}
	ctx, cancel := context.WithCancel(t.Context())
	if _, err := s.NewStudio(ctx, "Other Vats"); err != nil {
		t.Fatal(err)
	}
	gate, heard := make(chan struct{}), make(chan struct{}, 20)
	asked := make(chan struct{}, 20)
	slow := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		asked <- struct{}{}
		<-gate
	}))
	defer slow.Close()
	quick := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { heard <- struct{}{} }))
	defer quick.Close()
	there := InHouse(ctx, 2)
	if _, err := s.NewHook(ctx, slow.URL); err != nil {
		t.Fatal(err)
	}
	if _, err := s.NewHook(there, quick.URL); err != nil {
		t.Fatal(err)
	}
	for range 8 { // of the slow one, before those of the other
		if _, err := s.db.Exec("INSERT INTO hook_calls (hook_id, event, body) SELECT id, 'x', '{}' FROM hooks WHERE studio_id = 1"); err != nil {
			t.Fatal(err)
		}
	}
	for range 3 {
		if _, err := s.db.Exec("INSERT INTO hook_calls (hook_id, event, body) SELECT id, 'x', '{}' FROM hooks WHERE studio_id = 2"); err != nil {
			t.Fatal(err)
		}
	}
	done := make(chan struct{})
	go func() { s.RunHooks(ctx); close(done) }()
	for range 3 {
		select {
		case <-heard:
		case <-time.After(20 * time.Second):
			t.Fatal("the other studio's hooks wait")
		}
	}
	if n := len(asked); n != 1 {
		t.Errorf("%d calls of the slow one are under way, want 1", n)
	}
	cancel()
	close(gate)
	<-done
}
