package studio

import (
	"container/list"
	"sync"
)

// A cache keeps the values last used, up to a weight. Losing what it holds
// costs only time. The zero value keeps just one; it may be used from several
// goroutines.
type cache[V any] struct {
	most  int         // weight in all
	weigh func(V) int // 1 each if nil

	mu    sync.Mutex
	order list.List // of *cached[V], newest first
	index map[string]*list.Element
	sum   int
}

type cached[V any] struct {
	key   string
	value V
}

func (c *cache[V]) weight(v V) int {
	if c.weigh == nil {
		return 1
	}
	return c.weigh(v)
}

func (c *cache[V]) get(key string) (v V, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.index[key]
	if !ok {
		return v, false
	}
	c.order.MoveToFront(e)
	return e.Value.(*cached[V]).value, true
}

// put keeps a value. What is there already stays, as equal keys name equal
// values; it is what put returns.
func (c *cache[V]) put(key string, v V) V {
	c.mu.Lock()
	defer c.mu.Unlock()
	if e, ok := c.index[key]; ok {
		return e.Value.(*cached[V]).value
	}
	if c.index == nil {
		c.index = map[string]*list.Element{}
	}
	c.index[key] = c.order.PushFront(&cached[V]{key, v})
	c.sum += c.weight(v)
	for c.sum > c.most && c.order.Len() > 1 {
		last := c.order.Back()
		old := last.Value.(*cached[V])
		c.sum -= c.weight(old.value)
		delete(c.index, old.key)
		c.order.Remove(last)
	}
	return v
}
