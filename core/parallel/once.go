package parallel

import (
	"context"
	"sync"

	"golang.org/x/sync/singleflight"
)

// Once lets those who want the same thing at the same time wait for one of them
// to compute it. No lock is held meanwhile. Whoever waits may leave with its
// context; the computing ends when nobody waits any more. What came of it is
// for the caller to keep. The zero value is ready to use.
type Once[T any] struct {
	group singleflight.Group
	mu    sync.Mutex
	wait  map[string]*waiting
}

// waiting are those who wait for one thing.
type waiting struct {
	n    int
	ctx  context.Context
	stop context.CancelFunc
}

// Do returns what compute gives for a key, its own or that of another who asked
// before. A fault in it is the error of all.
func (o *Once[T]) Do(ctx context.Context, key string, compute func(ctx context.Context) (T, error)) (T, error) {
	w := o.join(ctx, key)
	defer o.leave(key, w)
	ch := o.group.DoChan(key, func() (any, error) {
		var v T
		err := Guard(func() (err error) {
			v, err = compute(w.ctx)
			return err
		})
		return v, err
	})
	select {
	case r := <-ch:
		if r.Err != nil && ctx.Err() == nil && w.ctx.Err() != nil {
			return o.Do(ctx, key, compute) // all who were there before had left
		}
		return r.Val.(T), r.Err
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}

func (o *Once[T]) join(ctx context.Context, key string) *waiting {
	o.mu.Lock()
	defer o.mu.Unlock()
	w := o.wait[key]
	if w == nil {
		w = new(waiting)
		w.ctx, w.stop = context.WithCancel(context.WithoutCancel(ctx))
		if o.wait == nil {
			o.wait = map[string]*waiting{}
		}
		o.wait[key] = w
	}
	w.n++
	return w
}

func (o *Once[T]) leave(key string, w *waiting) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if w.n--; w.n == 0 {
		w.stop()
		delete(o.wait, key)
		o.group.Forget(key)
	}
}
