package studio

import (
	"context"
	"sync"
)

// turns let so much work of a kind be under way at a time, studios by turns: one that has
// much of it does not hold up another with little. The zero value lets one through.
type turns struct {
	most int // at a time; 0 for one

	mu      sync.Mutex
	under   int
	waiting map[int64][]chan struct{} // by studio; closed when it is its turn
	next    []int64                   // the studios with some that wait, in order
}

// take waits for a turn, or for the end of ctx. Whoever has had one calls done.
func (t *turns) take(ctx context.Context, studio int64) (done func(), err error) {
	t.mu.Lock()
	if t.under < max(1, t.most) {
		t.under++
		t.mu.Unlock()
		return t.done, nil
	}
	if t.waiting == nil {
		t.waiting = map[int64][]chan struct{}{}
	}
	mine := make(chan struct{})
	if len(t.waiting[studio]) == 0 {
		t.next = append(t.next, studio)
	}
	t.waiting[studio] = append(t.waiting[studio], mine)
	t.mu.Unlock()
	select {
	case <-mine:
		return t.done, nil
	case <-ctx.Done():
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	select {
	case <-mine: // it came to its turn all the same
		t.hand()
	default:
		t.drop(studio, mine)
	}
	return nil, ctx.Err()
}

func (t *turns) done() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.hand()
}

// hand gives a turn that is over to whoever is next. The lock is held.
func (t *turns) hand() {
	if len(t.next) == 0 {
		t.under--
		return
	}
	studio := t.next[0]
	t.next = t.next[1:]
	close(t.waiting[studio][0])
	if t.waiting[studio] = t.waiting[studio][1:]; len(t.waiting[studio]) > 0 {
		t.next = append(t.next, studio)
	} else {
		delete(t.waiting, studio)
	}
}

// drop forgets one that waits no more. The lock is held.
func (t *turns) drop(studio int64, mine chan struct{}) {
	all := t.waiting[studio]
	for i, c := range all {
		if c == mine {
			t.waiting[studio] = append(all[:i:i], all[i+1:]...)
		}
	}
	if len(t.waiting[studio]) > 0 {
		return
	}
	delete(t.waiting, studio)
	for i, s := range t.next {
		if s == studio {
			t.next = append(t.next[:i:i], t.next[i+1:]...)
			return
		}
	}
}
