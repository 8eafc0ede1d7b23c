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

// looks are those under way and those that wait.
type looks struct {
	turns  turns
	mu     sync.Mutex
	under  map[int64]chan struct{} // by mark: waiting, or being looked at; closed when it was
	closed bool
	ctx    context.Context // ends with close
	end    context.CancelFunc
	all    sync.WaitGroup
}

func newLooks() *looks {
	l := &looks{turns: turns{most: runtime.GOMAXPROCS(0)}, under: map[int64]chan struct{}{}}
	l.ctx, l.end = context.WithCancel(context.Background())
	return l
}

// ask has a mark looked at, unless it is already to be; the channel is closed when it was.
// What ctx holds is passed on, its end is not.
func (l *looks) ask(ctx context.Context, studio, mark int64, do func(ctx context.Context)) <-chan struct{} {
	l.mu.Lock()
	defer l.mu.Unlock()
	if done := l.under[mark]; done != nil {
		return done
	}
	done := make(chan struct{})
	if l.closed {
		close(done)
		return done
	}
	l.under[mark] = done
	l.all.Go(func() {
		ctx, end := context.WithCancel(context.WithoutCancel(ctx))
		defer end()
		defer context.AfterFunc(l.ctx, end)()
		if release, err := l.turns.take(ctx, studio); err == nil {
			within, end := context.WithTimeout(ctx, lookFor)
			if err := parallel.Guard(func() error { do(within); return nil }); err != nil {
				slog.Error("looking at a mark broke", "mark", mark, "err", err)
			}
			end()
			release()
		}
		l.mu.Lock()
		defer l.mu.Unlock()
		delete(l.under, mark)
		close(done)
	})
	return done
}

// close ends all of them.
func (l *looks) close() {
	l.mu.Lock()
	l.closed = true
	l.mu.Unlock()
	l.end()
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
