package studio

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"dyekit/core/parallel"
	"dyekit/studio/queue"
)

// Marks that changed are looked at beside the requests that ask how they stand: no page waits
// for a heavy master. Studios take turns.
const lookFor = 45 * time.Second // at one mark

// looks are those under way and those that wait. The zero value is ready.
type looks struct {
	mu      sync.Mutex
	waiting map[int64][]*look // by studio
	turn    []int64           // the studios with some that wait, in order
	under   map[int64]*look   // by mark: waiting, or being looked at
	running int
	closed  bool
	all     sync.WaitGroup
}

// A look is at one mark.
type look struct {
	mark int64
	do   func()
	end  context.CancelFunc
	done chan struct{}
}

// most is how many looks are under way at a time.
func (l *looks) most() int { return max(1, runtime.GOMAXPROCS(0)) }

// ask has a mark looked at, unless it is already to be; the channel is closed when it was.
func (l *looks) ask(ctx context.Context, studio, mark int64, do func(ctx context.Context)) <-chan struct{} {
	l.mu.Lock()
	defer l.mu.Unlock()
	if x := l.under[mark]; x != nil {
		return x.done
	}
	if l.under == nil {
		l.under, l.waiting = map[int64]*look{}, map[int64][]*look{}
	}
	x := &look{mark: mark, done: make(chan struct{})}
	if l.closed {
		close(x.done)
		return x.done
	}
	own, end := context.WithTimeout(context.WithoutCancel(ctx), lookFor)
	x.do = func() {
		defer end()
		do(own)
	}
	x.end = end
	l.under[mark] = x
	if len(l.waiting[studio]) == 0 {
		l.turn = append(l.turn, studio)
	}
	l.waiting[studio] = append(l.waiting[studio], x)
	l.next()
	return x.done
}

// next begins what there is room for, one of each studio in turn. The lock is held.
func (l *looks) next() {
	for l.running < l.most() && len(l.turn) > 0 {
		studio := l.turn[0]
		l.turn = l.turn[1:]
		x := l.waiting[studio][0]
		if l.waiting[studio] = l.waiting[studio][1:]; len(l.waiting[studio]) > 0 {
			l.turn = append(l.turn, studio)
		} else {
			delete(l.waiting, studio)
		}
		l.running++
		l.all.Go(func() {
			if err := parallel.Guard(func() error { x.do(); return nil }); err != nil {
				slog.Error("looking at a mark broke", "mark", x.mark, "err", err)
			}
			l.mu.Lock()
			defer l.mu.Unlock()
			l.running--
			delete(l.under, x.mark)
			close(x.done)
			l.next()
		})
	}
}

// close ends all of them.
func (l *looks) close() {
	l.mu.Lock()
	l.closed, l.turn, l.waiting = true, nil, nil
	for _, x := range l.under {
		x.end()
	}
	l.mu.Unlock()
	l.all.Wait()
}

// look looks at a mark and keeps how it stands.
func (s *Studio) look(ctx context.Context, id int64) error {
	m, err := s.Mark(ctx, id)
	if err != nil {
		return err
	}
	_, err = s.Snapshot(ctx, m)
	if err == nil || queue.Unavailable(err) || errors.Is(ctx.Err(), context.Canceled) {
		return err
	}
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		err = fmt.Errorf("the master takes longer than %v to look at: make it lighter, with smaller pictures or fewer of them", lookFor)
		ctx = context.WithoutCancel(ctx)
	}
	return s.sawNothing(ctx, m, err)
}

// SeeSome has the marks of a page looked at that changed since they were, and takes in those
// that are seen within the time; the others go on being looked at, and stand as changed.
func (s *Studio) SeeSome(ctx context.Context, d *Desk, within time.Duration) error {
	seen := make([]<-chan struct{}, len(d.Cards))
	for i, t := range d.Cards {
		if t.State == Unseen {
			seen[i] = s.looks.ask(ctx, house(ctx), t.ID, func(ctx context.Context) {
				if err := s.look(ctx, t.ID); err != nil && ctx.Err() == nil {
					slog.Warn("a mark cannot be looked at", "mark", t.ID, "err", err)
				}
			})
		}
	}
	enough := time.After(within)
	for i, done := range seen {
		if done == nil {
			continue
		}
		select {
		case <-done:
		case <-ctx.Done():
			return ctx.Err()
		case <-enough:
			return nil
		}
		var err error
		if d.Cards[i], err = s.card(ctx, d.Cards[i].ID); err != nil {
			return err
		}
	}
	return nil
}
