package parallel

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
	"time"
)

func TestDo(t *testing.T) {
	const n = 1000
	var done [n]atomic.Int32
	var at, most atomic.Int32
	err := Do(t.Context(), n, func(_ context.Context, i int) error {
		if k := at.Add(1); k > most.Load() {
			most.Store(k)
		}
		done[i].Add(1)
		at.Add(-1)
		return nil
	})
	if err != nil || int(most.Load()) > runtime.GOMAXPROCS(0) {
		t.Errorf("%v, %d at a time", err, most.Load())
	}
	for i := range done {
		if k := done[i].Load(); k != 1 {
			t.Errorf("%d was done %d times", i, k)
		}
	}
	if err := Do(t.Context(), 0, nil); err != nil {
		t.Error(err)
	}
}

// The lowest real failure is returned, and stops what has not begun.
func TestFailures(t *testing.T) {
	wrong := errors.New("wrong")
	begun := atomic.Int32{}
	err := Do(t.Context(), 100_000, func(ctx context.Context, i int) error {
		begun.Add(1)
		switch i {
		case 3:
			time.Sleep(5 * time.Millisecond)
			return fmt.Errorf("3: %w", wrong)
		case 4:
			<-ctx.Done()
			return ctx.Err()
		}
		return nil
	})
	if !errors.Is(err, wrong) || runtime.GOMAXPROCS(0) == 2 && begun.Load() > 10 {
		t.Errorf("%v after %d", err, begun.Load())
	}
	ctx, cancel := context.WithCancel(t.Context())
	err = Do(ctx, 100, func(ctx context.Context, i int) error {
		cancel()
		<-ctx.Done()
		return ctx.Err()
	})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
}

// A panic comes back to the caller, as an error or as a panic, with its place;
// the program lives on.
func TestFaults(t *testing.T) {
	breaks := func(i int) {
		if i == 7 {
			var none map[string]int
			set(none)
		}
	}
	err := Do(t.Context(), 20, func(_ context.Context, i int) error { breaks(i); return nil })
	var f *Fault
	if !errors.As(err, &f) || !strings.Contains(string(f.Stack), "TestFaults") || !strings.Contains(f.Error(), "nil map") {
		t.Errorf("%v", err)
	}
	err = Guard(func() error { Each(20, breaks); return nil })
	if !errors.As(err, &f) || !strings.Contains(string(f.Stack), "TestFaults") {
		t.Errorf("Each: %v", err)
	}
	if err := Guard(func() error { return context.Canceled }); err != context.Canceled {
		t.Errorf("%v", err)
	}
}

func set(m map[string]int) { m["x"] = 1 }
