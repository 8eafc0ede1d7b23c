package queue

import (
	"context"
	"sync"
	"time"
)

// look is how often a build that somebody follows is looked at.
const look = 150 * time.Millisecond

// A follow is one build that people look at. It is asked for once, however many
// they are.
type follow struct {
	mu      sync.Mutex
	job     *Job
	err     error
	changed chan struct{} // closed when job or err is another
	viewers int           // under the lock of following
	stop    context.CancelFunc
}

// following are the builds that are followed. The zero value is empty.
type following struct {
	mu sync.Mutex
	of map[int64]*follow
}

// Follow calls f with a build as it is, and then whenever something of it
// changed, until it has come to an end. It returns early with the error of f, of
// the database, or of ctx.
func (q *Queue) Follow(ctx context.Context, id int64, f func(*Job) error) error {
	w := q.join(id)
	defer q.leave(id, w)
	for {
		w.mu.Lock()
		j, err, changed := w.job, w.err, w.changed
		w.mu.Unlock()
		if err != nil {
			return err
		}
		if j != nil {
			if err := f(j); err != nil || !j.Open() {
				return err
			}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-changed:
		}
	}
}

func (q *Queue) join(id int64) *follow {
	q.following.mu.Lock()
	defer q.following.mu.Unlock()
	w := q.following.of[id]
	if w == nil {
		ctx, stop := context.WithCancel(context.Background())
		w = &follow{changed: make(chan struct{}), stop: stop}
		if q.following.of == nil {
			q.following.of = map[int64]*follow{}
		}
		q.following.of[id] = w
		go q.watch(ctx, id, w)
	}
	w.viewers++
	return w
}

func (q *Queue) leave(id int64, w *follow) {
	q.following.mu.Lock()
	defer q.following.mu.Unlock()
	if w.viewers--; w.viewers == 0 {
		w.stop()
		delete(q.following.of, id)
	}
}

// watch asks for a build until it has ended or nobody looks any more.
func (q *Queue) watch(ctx context.Context, id int64, w *follow) {
	for {
		j, err := q.Job(ctx, id)
		if ctx.Err() != nil {
			return
		}
		w.mu.Lock()
		if err != nil || w.job == nil || *j != *w.job {
			w.job, w.err = j, err
			close(w.changed)
			w.changed = make(chan struct{})
		}
		w.mu.Unlock()
		if err != nil || !j.Open() {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(look):
		}
	}
}
