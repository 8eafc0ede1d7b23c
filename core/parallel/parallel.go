// Package parallel does one thing for many, on all cores. What breaks in one of
// them breaks in whoever asked for it, and nowhere else: a fault in a goroutine
// of its own would end the whole program.
package parallel

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// A Fault is a panic that was caught: what it said, and where it was.
type Fault struct {
	Value any
	Stack []byte
}

func (f *Fault) Error() string { return fmt.Sprintf("the engine broke on it: %v", f.Value) }

// Do calls f with 0 to n-1, as many at a time as there are cores, in order of
// their begin. The first that fails, or breaks, stops the others; of those that
// failed the error of the lowest is returned, a *Fault for one that broke. When
// ctx ends no more are begun and its error is returned.
func Do(ctx context.Context, n int, f func(ctx context.Context, i int) error) error {
	inner, stop := context.WithCancel(ctx)
	defer stop()
	var next atomic.Int64
	var mu sync.Mutex
	first, failed := n, error(nil)
	var wg sync.WaitGroup
	turn := turnOf(ctx)
	workers := min(n, turn.cores())
	end := turn.spread(workers)
	for range workers {
		wg.Go(func() {
			defer end()
			for inner.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				err := Guard(func() error { return turn.take(inner, func(ctx context.Context) error { return f(ctx, i) }) })
				if err == nil {
					continue
				}
				mu.Lock()
				// What was stopped by another's failure tells nothing.
				if real := !errors.Is(err, context.Canceled) || ctx.Err() != nil; failed == nil || real && (i < first || errors.Is(failed, context.Canceled)) {
					first, failed = i, err
				}
				mu.Unlock()
				stop()
			}
		})
	}
	wg.Wait()
	if failed != nil {
		return failed
	}
	return ctx.Err()
}

// Each calls f with 0 to n-1, as Do does, where nothing can fail. If one breaks,
// Each breaks in the same way, in the goroutine of its caller.
func Each(n int, f func(i int)) {
	err := Do(context.Background(), n, func(_ context.Context, i int) error {
		f(i)
		return nil
	})
	if err != nil {
		panic(err)
	}
}

// Guard calls f and turns its breaking into an error.
func Guard(f func() error) (err error) {
	defer func() {
		switch x := recover().(type) {
		case nil:
		case *Fault:
			err = x // from further in
		default:
			err = &Fault{x, debug.Stack()}
		}
	}()
	return f()
}
