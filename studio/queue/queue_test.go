package queue_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	"dyekit/internal/testkit"
	"dyekit/studio"
	"dyekit/studio/queue"
)

var database *testkit.Database

func TestMain(m *testing.M) { testkit.Main(m, &database) }

// open makes a queue with n marks, numbered from 1.
func open(t *testing.T, n int) (*queue.Queue, *sql.DB) {
	t.Helper()
	dsn := database.New(t)
	s, err := studio.Open(t.Context(), dsn) // makes the tables
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	if _, err := db.Exec("INSERT INTO clients (name) VALUES ('A')"); err != nil {
		t.Fatal(err)
	}
	for i := range n {
		if _, err := db.Exec("INSERT INTO marks (client_id, name) VALUES (1, ?)", fmt.Sprint(i)); err != nil {
			t.Fatal(err)
		}
	}
	return queue.New(db), db
}

func put(t *testing.T, q *queue.Queue, mark int64) int64 {
	t.Helper()
	j, err := q.Put(t.Context(), mark, []byte("{}"), 3)
	if err != nil {
		t.Fatal(err)
	}
	return j.ID
}

func says(err error) string { return "because " + err.Error() }

func state(t *testing.T, q *queue.Queue, id int64) *queue.Job {
	t.Helper()
	j, err := q.Job(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// A mark has one open job, however often it is asked for.
func TestOneOpenJob(t *testing.T) {
	q, _ := open(t, 2)
	first := put(t, q, 1)
	var wg sync.WaitGroup
	for range 10 {
		wg.Go(func() {
			if j, err := q.Put(t.Context(), 1, []byte("{}"), 1); err != nil || j.ID != first {
				t.Errorf("%+v, %v", j, err)
			}
		})
	}
	wg.Wait()
	if other := put(t, q, 2); other == first {
		t.Error("two marks share a job")
	}
	if j, err := q.Open(t.Context(), 1); err != nil || j.ID != first {
		t.Errorf("open: %+v, %v", j, err)
	}
	if mark, body, err := q.Body(t.Context(), first); err != nil || mark != 1 || string(body) != "{}" {
		t.Errorf("for mark %d: %s, %v", mark, body, err)
	}
	if _, err := q.Job(t.Context(), 999); !errors.Is(err, queue.ErrNotFound) {
		t.Errorf("no job: %v", err)
	}
}

// Each way in which work can end leaves the job where it belongs.
func TestEnds(t *testing.T) {
	for name, c := range map[string]struct {
		work  queue.Work
		state queue.State
		says  string
		fails bool // Do returns an error
	}{
		"its own failure": {func(context.Context, *queue.Held, func(int, int, float64, string)) error {
			return &queue.Failure{Err: errors.New("it is wrong")}
		}, queue.Failed, "because it is wrong", false},
		"a fault": {func(context.Context, *queue.Held, func(int, int, float64, string)) error { panic("broken") }, queue.Failed, "because the engine broke on it: broken", false},
		"a permanent error": {func(context.Context, *queue.Held, func(int, int, float64, string)) error {
			return errors.New("too long")
		}, queue.Failed, "the kit cannot be kept: because too long", true},
		"a full disc": {func(context.Context, *queue.Held, func(int, int, float64, string)) error {
			return &mysql.MySQLError{Number: 1021}
		}, queue.Waiting, "", true},
		"no database": {func(context.Context, *queue.Held, func(int, int, float64, string)) error {
			return mysql.ErrInvalidConn
		}, queue.Running, "", true}, // the lease ends, and another begins
	} {
		q, _ := open(t, 1)
		id := put(t, q, 1)
		if got, err := q.Lease(t.Context(), "me"); err != nil || got != id {
			t.Fatalf("leased %d, %v", got, err)
		}
		err := q.Do(t.Context(), id, "me", c.work, says)
		if j := state(t, q, id); j.State != c.state || j.Error != c.says || (err != nil) != c.fails {
			t.Errorf("%s: %+v, %v", name, j, err)
		}
	}
}

// What is done is finished with the transaction that keeps it, by the worker that
// holds it and no other.
func TestFinish(t *testing.T) {
	q, db := open(t, 1)
	id := put(t, q, 1)
	keep := func(ctx context.Context, l *queue.Held, progress func(int, int, float64, string)) error {
		progress(1, 3, 0.5, "a file")
		return queue.InTx(ctx, db, func(tx *sql.Tx) error {
			res, err := tx.ExecContext(ctx, "INSERT INTO kits (mark_id, number, name, build, recipe, revision, report) VALUES (1, 1, 'k', REPEAT('x', 32), 'r', 1, '{}')")
			if err != nil {
				return err
			}
			kit, err := res.LastInsertId()
			if err != nil {
				return err
			}
			return l.Finish(ctx, tx, kit)
		})
	}
	if _, err := q.Lease(t.Context(), "slow"); err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND"); err != nil {
		t.Fatal(err)
	}
	if got, err := q.Lease(t.Context(), "quick"); err != nil || got != id {
		t.Fatalf("leased %d, %v", got, err)
	}
	if err := q.Do(t.Context(), id, "slow", keep, says); !errors.Is(err, queue.ErrLost) {
		t.Errorf("the slow one: %v", err)
	}
	var kits int
	if err := db.QueryRow("SELECT COUNT(*) FROM kits").Scan(&kits); err != nil || kits != 0 {
		t.Errorf("the slow one left %d kits, %v", kits, err)
	}
	if err := q.Do(t.Context(), id, "quick", keep, says); err != nil {
		t.Fatal(err)
	}
	if j := state(t, q, id); j.State != queue.Done || j.KitID == 0 {
		t.Errorf("%+v", j)
	}
}

// Many workers share many jobs: each is done once.
func TestManyWorkers(t *testing.T) {
	const jobs = 24
	q, _ := open(t, jobs)
	for i := range jobs {
		put(t, q, int64(i+1))
	}
	var done [jobs + 1]atomic.Int64
	var all atomic.Int64
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	work := func(ctx context.Context, l *queue.Held, _ func(int, int, float64, string)) error {
		done[l.Job].Add(1)
		if all.Add(1) == jobs {
			stop()
		}
		return &queue.Failure{Err: errors.New("nothing to make")}
	}
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() { q.Serve(ctx, work, says, func(error) {}) })
	}
	wg.Wait()
	for i := 1; i <= jobs; i++ {
		if n := done[i].Load(); n != 1 {
			t.Errorf("job %d was done %d times", i, n)
		}
	}
}

// A cancelled job ends soon while it runs, and at once while it waits.
func TestCancel(t *testing.T) {
	q, _ := open(t, 2)
	waits, runs := put(t, q, 1), put(t, q, 2)
	if err := q.Cancel(t.Context(), waits); err != nil {
		t.Fatal(err)
	}
	if j := state(t, q, waits); j.State != queue.Cancelled {
		t.Errorf("%+v", j)
	}
	if got, err := q.Lease(t.Context(), "me"); err != nil || got != runs {
		t.Fatalf("leased %d, %v", got, err)
	}
	began := make(chan struct{})
	go func() {
		<-began
		q.Cancel(context.Background(), runs)
	}()
	start := time.Now()
	err := q.Do(t.Context(), runs, "me", func(ctx context.Context, _ *queue.Held, _ func(int, int, float64, string)) error {
		close(began)
		<-ctx.Done()
		return ctx.Err()
	}, says)
	if j := state(t, q, runs); err != nil || j.State != queue.Cancelled || time.Since(start) > 5*time.Second {
		t.Errorf("after %v: %+v, %v", time.Since(start), j, err)
	}
}

// The end of a process gives its job back, without counting it as a try.
func TestGivenBack(t *testing.T) {
	q, db := open(t, 1)
	id := put(t, q, 1)
	for range queue.MaxAttempts + 3 {
		if got, err := q.Lease(t.Context(), "me"); err != nil || got != id {
			t.Fatalf("leased %d, %v", got, err)
		}
		ctx, stop := context.WithCancel(t.Context())
		err := q.Do(ctx, id, "me", func(ctx context.Context, _ *queue.Held, _ func(int, int, float64, string)) error {
			stop()
			return ctx.Err()
		}, says)
		if err != nil {
			t.Fatal(err)
		}
		if j := state(t, q, id); j.State != queue.Waiting {
			t.Fatalf("%+v", j)
		}
	}
	var tries int
	if err := db.QueryRow("SELECT attempts FROM jobs").Scan(&tries); err != nil || tries != 0 {
		t.Errorf("%d tries, %v", tries, err)
	}
}

// Errors that pass by themselves are told from those that stay.
func TestTrouble(t *testing.T) {
	for _, c := range []struct {
		err               error
		unavailable, full bool
	}{
		{nil, false, false}, {errors.New("x"), false, false}, {mysql.ErrInvalidConn, true, false}, {syscall.ECONNREFUSED, true, false}, {fmt.Errorf("x: %w", syscall.ECONNRESET), true, false},
		{&mysql.MySQLError{Number: 1053}, true, false}, {&mysql.MySQLError{Number: 1062}, false, false}, {&mysql.MySQLError{Number: 1114}, false, true}, {syscall.ENOSPC, false, true},
	} {
		if queue.Unavailable(c.err) != c.unavailable || queue.DiskFull(c.err) != c.full {
			t.Errorf("%v: unavailable %v, full %v", c.err, queue.Unavailable(c.err), queue.DiskFull(c.err))
		}
	}
	if !queue.Duplicate(&mysql.MySQLError{Number: 1062}) || queue.Duplicate(errors.New("x")) {
		t.Error("a duplicate is not told")
	}
}
