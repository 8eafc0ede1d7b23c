package preview

import (
	"context"

	"github.com/maypok86/otter/v2"

	"dyekit/core/parallel"
)

// A cache keeps the values last used, up to a weight, and computes each once
// however many ask for it at a time. Equal keys name equal values.
type cache[V any] struct {
	kept *otter.Cache[string, V]
	once parallel.Once[V]
}

// newCache makes a cache for values of the given weight together; none counts for
// more than half of it, so that the heaviest is kept too.
func newCache[V any](most uint64, weigh func(V) int) *cache[V] {
	return &cache[V]{kept: otter.Must(&otter.Options[string, V]{
		MaximumWeight: most,
		Weigher:       func(_ string, v V) uint32 { return uint32(min(most/2, uint64(max(1, weigh(v))))) },
	})}
}

// one is the weight of values of which only the number counts.
func one[V any](V) int { return 1 }

// known returns a value that is kept.
func (c *cache[V]) known(key string) (V, bool) { return c.kept.GetIfPresent(key) }

// put keeps a value.
func (c *cache[V]) put(key string, v V) { c.kept.Set(key, v) }

// get returns a value, which it computes if it is not kept.
func (c *cache[V]) get(ctx context.Context, key string, compute func(ctx context.Context) (V, error)) (V, error) {
	if v, ok := c.known(key); ok {
		return v, nil
	}
	return c.once.Do(ctx, key, func(ctx context.Context) (V, error) {
		if v, ok := c.known(key); ok { // another was quicker
			return v, nil
		}
		v, err := compute(ctx)
		if err == nil {
			c.put(key, v)
		}
		return v, err
	})
}
