package parallel

import (
	"context"
	"slices"
	"sync"
)

// Recent keeps the last few values that were computed, each by its key, and computes
// each once however many ask for it at a time. The zero value is ready to use.
type Recent[T any] struct {
	once Once[T]
	mu   sync.Mutex
	keys []string // the last used at the end
	got  map[string]T
}

// recent is how many values are kept.
const recent = 32

// Get returns what compute gives for a key, unless it is known.
func (r *Recent[T]) Get(ctx context.Context, key string, compute func(ctx context.Context) (T, error)) (T, error) {
	if v, ok := r.known(key); ok {
		return v, nil
	}
	return r.once.Do(ctx, key, func(ctx context.Context) (T, error) {
		if v, ok := r.known(key); ok { // another was quicker
			return v, nil
		}
		v, err := compute(ctx)
		if err == nil {
			r.keep(key, v)
		}
		return v, err
	})
}

func (r *Recent[T]) known(key string) (v T, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if v, ok = r.got[key]; ok {
		i := slices.Index(r.keys, key)
		r.keys = append(slices.Delete(r.keys, i, i+1), key)
	}
	return v, ok
}

func (r *Recent[T]) keep(key string, v T) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.got == nil {
		r.got = map[string]T{}
	}
	r.got[key] = v
	if r.keys = append(r.keys, key); len(r.keys) > recent {
		delete(r.got, r.keys[0])
		r.keys = slices.Delete(r.keys, 0, 1)
	}
}
