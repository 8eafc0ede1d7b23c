package parallel

import (
	"context"
	"errors"
	"runtime"
	"sync/atomic"
	"testing"
	"time"
)

// What is done beside something takes the cores that this leaves free: none while
// it is at work on all, all but one while it is at work on one, and all once it has
// ended.
func TestBesideTakesWhatIsLeft(t *testing.T) {
	const cores = 3 // whatever the machine has
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
	var running atomic.Int64
	busy, serial, ended, gate := make(chan bool), make(chan bool), make(chan bool), make(chan bool)
	settled := func(want int, when string) { // and stays so
		for range 1000 {
			if int(running.Load()) == want {
				break
			}
			time.Sleep(time.Millisecond)
		}
		time.Sleep(10 * time.Millisecond)
		if n := int(running.Load()); n != want {
			t.Errorf("%d at a time %s, want %d", n, when, want)
		}
	}
	err := Beside(t.Context(), func(ctx context.Context) error {
		var began atomic.Int64
		err := Do(ctx, cores, func(context.Context, int) error {
			if int(began.Add(1)) == cores {
				close(busy)
				settled(0, "beside one that takes all cores")
				close(serial)
			}
			<-serial
			return nil
		})
		settled(cores-1, "beside one that takes a core")
		close(ended)
		return err
	}, func(ctx context.Context) error {
		<-busy
		go func() {
			<-ended
			settled(cores, "after it")
			close(gate)
		}()
		return Do(ctx, 3*cores, func(context.Context, int) error {
			running.Add(1)
			<-gate
			running.Add(-1)
			return nil
		})
	})
	if err != nil {
		t.Error(err)
	}
}

// What it does further in keeps to the core it has.
func TestBesideFurtherIn(t *testing.T) {
	var now, most [3]atomic.Int64
	err := Beside(t.Context(), func(context.Context) error { return nil }, func(ctx context.Context) error {
		return Do(ctx, len(now), func(ctx context.Context, i int) error {
			return Do(ctx, 8, func(context.Context, int) error {
				most[i].Store(max(most[i].Load(), now[i].Add(1)))
				time.Sleep(time.Millisecond)
				now[i].Add(-1)
				return nil
			})
		})
	})
	for i := range most {
		if n := most[i].Load(); n != 1 || err != nil {
			t.Errorf("%d at a time, %v", n, err)
		}
	}
}

// Whichever fails stops the other, and neither waits for ever.
func TestBesideFails(t *testing.T) {
	wrong := errors.New("wrong")
	fails := func(context.Context) error { return wrong }
	waits := func(ctx context.Context) error {
		return Do(ctx, 100, func(ctx context.Context, _ int) error {
			<-ctx.Done()
			return ctx.Err()
		})
	}
	if err := Beside(t.Context(), fails, waits); !errors.Is(err, wrong) {
		t.Errorf("the first fails: %v", err)
	}
	if err := Beside(t.Context(), waits, fails); !errors.Is(err, wrong) {
		t.Errorf("the second fails: %v", err)
	}
	var f *Fault
	if err := Beside(t.Context(), func(context.Context) error { panic("broken") }, waits); !errors.As(err, &f) {
		t.Errorf("the first breaks: %v", err)
	}
}
