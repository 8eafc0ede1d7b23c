package cache

import "github.com/maypok86/otter/v2"

// A store is what a Cache keeps its values in, whatever their type. It is no
// generic type: every package that names an otter.Cache compiles all of it anew,
// for ten seconds each.
type store struct {
	entries *otter.Cache[string, entry]
	most    uint64
}

type entry struct {
	value  any
	weight uint32
}

func newStore(most uint64) *store {
	return &store{most: most, entries: otter.Must(&otter.Options[string, entry]{
		MaximumWeight: most,
		Weigher:       func(_ string, e entry) uint32 { return e.weight },
	})}
}

func (s *store) get(key string) (any, bool) {
	e, ok := s.entries.GetIfPresent(key)
	return e.value, ok
}

func (s *store) put(key string, value any, weight int) {
	s.entries.Set(key, entry{value, uint32(min(s.most/2, uint64(max(1, weight))))})
}
