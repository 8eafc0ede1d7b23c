package parallel

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// However many ask at a time, one computes; the next to ask computes anew.
func TestOnceForAll(t *testing.T) {
	var o Once[int]
	var began atomic.Int64
	release := make(chan struct{})
	compute := func(context.Context) (int, error) {
		n := int(began.Add(1))
		<-release
		return n, nil
	}
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			if v, err := o.Do(context.Background(), "a", compute); v != 1 || err != nil {
				t.Errorf("got %d, %v", v, err)
			}
		})
	}
	for o.waiters("a") < 20 {
		time.Sleep(time.Millisecond)
	}
	close(release)
	wg.Wait()
	if v, err := o.Do(context.Background(), "a", compute); v != 2 || err != nil {
		t.Errorf("asked again: %d, %v", v, err)
	}
}

func (o *Once[T]) waiters(key string) int {
	o.mu.Lock()
	defer o.mu.Unlock()
	if w := o.wait[key]; w != nil {
		return w.n
	}
	return 0
}

// Who leaves does not take it from those who stay; with the last it ends.
func TestOnceEndsWithTheLast(t *testing.T) {
	var o Once[int]
	ended := make(chan struct{})
	compute := func(ctx context.Context) (int, error) {
		<-ctx.Done()
		close(ended)
		return 0, ctx.Err()
	}
	first, leave := context.WithCancel(context.Background())
	second, leave2 := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for _, ctx := range []context.Context{first, second} {
		wg.Go(func() {
			if _, err := o.Do(ctx, "a", compute); !errors.Is(err, context.Canceled) {
				t.Errorf("left with %v", err)
			}
		})
	}
	for o.waiters("a") < 2 {
		time.Sleep(time.Millisecond)
	}
	leave()
	select {
	case <-ended:
		t.Error("it ended while one still waited")
	case <-time.After(30 * time.Millisecond):
	}
	leave2()
	select {
	case <-ended:
	case <-time.After(5 * time.Second):
		t.Error("it goes on though nobody waits")
	}
	wg.Wait()
}

// Many that come and go at once never get the end of somebody else's wait.
func TestOnceComingAndGoing(t *testing.T) {
	var o Once[string]
	var wg sync.WaitGroup
	for i := range 200 {
		wg.Go(func() {
			key := fmt.Sprint(i % 3)
			ctx, stop := context.WithCancel(context.Background())
			defer stop()
			if i%4 == 0 {
				time.AfterFunc(time.Duration(i%7)*100*time.Microsecond, stop)
			}
			v, err := o.Do(ctx, key, func(ctx context.Context) (string, error) {
				select {
				case <-ctx.Done():
					return "", ctx.Err()
				case <-time.After(time.Millisecond):
					return key, nil
				}
			})
			if err != nil && ctx.Err() == nil {
				t.Errorf("%d stayed and got %v", i, err)
			}
			if err == nil && v != key {
				t.Errorf("%d got %q, want %q", i, v, key)
			}
		})
	}
	wg.Wait()
}

func TestOnceFault(t *testing.T) {
	var o Once[int]
	_, err := o.Do(context.Background(), "a", func(context.Context) (int, error) { panic("broken") })
	var f *Fault
	if !errors.As(err, &f) {
		t.Errorf("a fault came as %v", err)
	}
}
