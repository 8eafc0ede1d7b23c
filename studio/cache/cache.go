// Package cache keeps in memory what was used last and can be had again: losing it
// costs only time.
package cache

import (
	"context"

	"dyekit/core/parallel"
)

// A Cache keeps the values last used, up to a weight, and computes each once
// however many ask for it at a time. Equal keys name equal values.
type Cache[V any] struct {
	kept  *store
	weigh func(V) int
	once  parallel.Once[V]
}

// New makes a cache for values of the given weight together; none counts for
// more than half of it, so that the heaviest is kept too.
func New[V any](most uint64, weigh func(V) int) *Cache[V] {
	return &Cache[V]{kept: newStore(most), weigh: weigh}
}

// One is the weight of values of which only the number counts.
func One[V any](V) int { return 1 }

// Known returns a value that is kept.
func (c *Cache[V]) Known(key string) (v V, ok bool) {
	x, ok := c.kept.get(key)
	if ok {
		v = x.(V)
	}
	return v, ok
}

// Put keeps a value.
func (c *Cache[V]) Put(key string, v V) { c.kept.put(key, v, c.weigh(v)) }

// Get returns a value, which it computes if it is not kept.
func (c *Cache[V]) Get(ctx context.Context, key string, compute func(ctx context.Context) (V, error)) (V, error) {
	if v, ok := c.Known(key); ok {
		return v, nil
	}
	return c.once.Do(ctx, key, func(ctx context.Context) (V, error) {
		if v, ok := c.Known(key); ok { // another was quicker
			return v, nil
		}
		v, err := compute(ctx)
		if err == nil {
			c.Put(key, v)
		}
		return v, err
	})
}
