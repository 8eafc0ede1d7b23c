package studio

import (
	"context"
	"errors"
	"slices"
	"testing"
	"time"
)

// waiting is how many wait for a turn.
func waiting(w *turns) (n int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, all := range w.waiting {
		n += len(all)
	}
	return n
}

// waits waits until so many wait for a turn.
func waits(t *testing.T, w *turns, want int) {
	t.Helper()
	for range 2000 {
		if waiting(w) == want {
			return
		}
		time.Sleep(time.Millisecond)
	}
	t.Fatalf("never %d waited", want)
}

// Turns go round the studios, and whoever does not wait any more takes none.
func TestTurns(t *testing.T) {
	var w turns
	first, err := w.take(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	var order []int64
	had := make(chan bool)
	wait := func(ctx context.Context, studio int64) {
		n := waiting(&w)
		go func() {
			done, err := w.take(ctx, studio)
			if err == nil {
				order = append(order, studio) // one at a time
				done()
			} else if !errors.Is(err, context.Canceled) {
				t.Error(err)
			}
			had <- err == nil
		}()
		waits(t, &w, n+1)
	}
	gone, leave := context.WithCancel(t.Context())
	wait(t.Context(), 1)
	wait(gone, 1)
	wait(t.Context(), 1)
	wait(gone, 3)
	wait(t.Context(), 2)
	leave()
	for range 2 {
		if <-had {
			t.Error("who left had a turn")
		}
	}
	first()
	for range 3 {
		if !<-had {
			t.Error("who waited had no turn")
		}
	}
	if want := []int64{1, 2, 1}; !slices.Equal(order, want) {
		t.Errorf("in the order %v, want %v", order, want)
	}
	if w.under != 0 || len(w.waiting) != 0 || len(w.next) != 0 {
		t.Errorf("%d are under way and %v wait afterwards", w.under, w.waiting)
	}
}
