package studio

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"dyekit/studio/queue"
)

// A hundred people who follow a build cost the database what one costs, and each
// hears how it ended.
func TestManyFollowOneBuild(t *testing.T) {
	s := open(t)
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	m := take(t, s, "A", "B")
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	asked := func() (n int) {
		var name string
		if err := s.db.QueryRow("SHOW GLOBAL STATUS LIKE 'Com_select'").Scan(&name, &n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	const viewers = 100
	ends := make([]queue.State, viewers)
	var wg sync.WaitGroup
	for i := range viewers {
		wg.Go(func() {
			if err := s.Follow(ctx, j.ID, func(j *Job) error { ends[i] = j.State; return nil }); err != nil {
				t.Error(err)
			}
		})
	}
	time.Sleep(300 * time.Millisecond)
	before := asked()
	time.Sleep(2 * time.Second) // nothing works on it yet
	if n := float64(asked()-before) / 2; n > 30 {
		t.Errorf("%d viewers cost %.0f queries a second", viewers, n)
	}
	stop := workers(t, s, 1)
	wg.Wait()
	stop()
	for i, e := range ends {
		if e != queue.Done {
			t.Errorf("viewer %d saw it end as %q", i, e)
		}
	}
	before = asked()
	time.Sleep(500 * time.Millisecond)
	if n := asked() - before; n > 2 { // the asking itself
		t.Errorf("it is followed still: %d queries", n)
	}
	if err := s.Follow(ctx, 999, nil); !errors.Is(err, ErrNotFound) {
		t.Errorf("no build: %v", err)
	}
}

// Twelve decisions at once are all kept; eight undos of what eight people saw
// undo one; a candidate asked for five times becomes one mark.
func TestAtOnce(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "A", "B")
	work(t, s, m.ID)
	each := func(n int, f func(i int)) {
		var wg sync.WaitGroup
		for i := range n {
			wg.Go(func() { f(i) })
		}
		wg.Wait()
	}
	each(12, func(i int) {
		err := s.Decide(ctx, m.ID, "said", func(d *Decisions) error {
			d.Mends = append(d.Mends, "backing")
			return nil
		})
		if err != nil {
			t.Errorf("decision %d: %v", i, err)
		}
	})
	now, err := s.Mark(ctx, m.ID)
	if err != nil {
		t.Fatal(err)
	}
	if d, err := now.Decisions(); err != nil || len(d.Mends) != 12 {
		t.Errorf("%d of 12 decisions were kept, %v", len(d.Mends), err)
	}
	undone := 0
	var mu sync.Mutex
	each(8, func(int) {
		_, err := s.Undo(ctx, m.ID, now.Decision())
		mu.Lock()
		defer mu.Unlock()
		if err == nil {
			undone++
		} else if !errors.Is(err, ErrMoved) {
			t.Error(err)
		}
	})
	if after, err := s.Mark(ctx, m.ID); err != nil || undone != 1 {
		t.Errorf("%d of eight undid something, %v", undone, err)
	} else if d, err := after.Decisions(); err != nil || len(d.Mends) != 11 {
		t.Errorf("%d are left of 12, %v", len(d.Mends), err)
	}
	cid, err := s.Spread(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	cs, err := s.Candidates(ctx, cid)
	if err != nil || len(cs) == 0 {
		t.Fatal(len(cs), err)
	}
	ids := map[int64]bool{}
	each(5, func(int) {
		id, err := s.MarkOf(ctx, cs[0], "From the board")
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			t.Error(err)
		}
		ids[id] = true
	})
	if len(ids) != 1 {
		t.Errorf("asked for five times, it became marks %v", ids)
	}
}
