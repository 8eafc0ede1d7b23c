package parallel

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"
)

// Beside calls first and, beside it, then: what then does by Do takes the cores
// alone that first leaves free, and all of them once first has ended. The first of
// the two that fails stops the other.
func Beside(ctx context.Context, first, then func(ctx context.Context) error) error {
	s := &share{front: 1}
	s.free.L = &s.mu
	return Do(ctx, 2, func(ctx context.Context, i int) error {
		if i > 0 {
			return then(context.WithValue(ctx, turnKey{}, turn{s, behind}))
		}
		defer s.add(-1)
		return first(context.WithValue(ctx, turnKey{}, turn{s, ahead}))
	})
}

// A share is of the cores, between two that work at the same time.
type share struct {
	mu    sync.Mutex
	free  sync.Cond
	front int // cores that the first is at work on
	back  int // and the second
}

func (s *share) add(n int) {
	s.mu.Lock()
	s.front += n
	s.mu.Unlock()
	s.free.Broadcast()
}

// A turn is what a context says of whose turn it is. The zero turn shares with
// nobody.
type turn struct {
	*share
	place place
}

type turnKey struct{}

type place uint8

const (
	alone  place = iota
	ahead        // what it does goes first
	behind       // it waits for a free core
	inside       // it has one, and keeps to it
)

func turnOf(ctx context.Context) turn {
	t, _ := ctx.Value(turnKey{}).(turn)
	return t
}

// cores is how many workers Do may have.
func (t turn) cores() int {
	if t.place == inside {
		return 1
	}
	return runtime.GOMAXPROCS(0)
}

// spread says that so many workers begin where one was; what it returns says that
// one of them has no more to do. The last gives its core back to whoever waits for
// all.
func (t turn) spread(workers int) (end func()) {
	if t.place != ahead || workers < 2 {
		return func() {}
	}
	t.add(workers - 1)
	left := int64(workers)
	return func() {
		if atomic.AddInt64(&left, -1) > 0 {
			t.add(-1)
		}
	}
}

// take calls f on a core, when there is one. The second never waits for the first
// where that keeps to one core, even if there is no other.
func (t turn) take(ctx context.Context, f func(ctx context.Context) error) error {
	if t.place != behind {
		return f(ctx)
	}
	t.mu.Lock()
	for t.front+t.back >= runtime.GOMAXPROCS(0) && (t.back > 0 || t.front > 1) {
		t.free.Wait()
	}
	t.back++
	t.mu.Unlock()
	defer func() {
		t.mu.Lock()
		t.back--
		t.mu.Unlock()
		t.free.Broadcast()
	}()
	return f(context.WithValue(ctx, turnKey{}, turn{t.share, inside}))
}
