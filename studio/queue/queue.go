// Package queue hands work to workers through the database: jobs that are leased,
// kept alive, given back, cancelled, and ended once. It does not know what the
// work is.
package queue

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"os"
	"strings"
	"sync"
	"time"

	"dyekit/core/parallel"
)

// How builds are leased. A worker that has not been heard of for the length
// of a lease is taken for dead and its build begun again by another.
const (
	lease       = 10 * time.Second
	heartbeat   = time.Second
	poll        = 250 * time.Millisecond
	MaxAttempts = 8
	again       = 10 * time.Second // until a build is tried again for which the disc was full
)

// A State is where a job stands.
type State string

const (
	Waiting   State = "waiting"
	Running   State = "running"
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// A Queue is the jobs in a database.
type Queue struct {
	// Ready says why no job is to be begun now; nil if that is never so. It is set before
	// use.
	Ready func() error

	db        *sql.DB
	following following
}

// New is the queue of a database whose tables are there.
func New(db *sql.DB) *Queue { return &Queue{db: db} }

// A Job is a build in the queue.
type Job struct {
	ID     int64  `json:"id"`
	MarkID int64  `json:"-"`
	State  State  `json:"state"`
	Done   int    `json:"done"`
	Total  int    `json:"total"`
	What   string `json:"what"` // the file being made now
	Error  string `json:"error,omitempty"`
	KitID  int64  `json:"kit,omitempty"`
	Batch  int64  `json:"batch,omitempty"` // of photographs, if it makes no kit
	// Left is about how many seconds are left, 0 if that cannot be told yet.
	Left int `json:"left,omitempty"`
}

// Open reports whether the job has not come to an end.
func (j *Job) Open() bool { return j.State == Waiting || j.State == Running }

const selectJob = "SELECT id, mark_id, state, done, total, share, what, COALESCE(error, ''), COALESCE(kit_id, 0), COALESCE(batch_id, 0), COALESCE(TIMESTAMPDIFF(MICROSECOND, started_at, NOW(6)), 0) / 1e6 FROM jobs "

func scanJob(row interface{ Scan(...any) error }) (*Job, error) {
	var j Job
	var share, passed float64 // passed: s since it was begun
	err := row.Scan(&j.ID, &j.MarkID, &j.State, &j.Done, &j.Total, &share, &j.What, &j.Error, &j.KitID, &j.Batch, &passed)
	if j.State == Running && share > 0 && share < 1 {
		j.Left = int(math.Ceil(passed / share * (1 - share)))
	}
	return &j, err
}

// ErrNotFound is returned for a job that is not there.
var ErrNotFound = errors.New("there is no such build")

// Put adds a job for a mark, unless one is open: then that is returned as it is.
// body says what is to be done, steps about how many steps it has.
func (q *Queue) Put(ctx context.Context, mark int64, body []byte, steps int) (*Job, error) {
	res, err := q.db.ExecContext(ctx, "INSERT INTO jobs (mark_id, open_mark, body, total) VALUES (?, ?, ?, ?)", mark, mark, body, steps)
	if Duplicate(err) {
		return q.Open(ctx, mark)
	}
	if err != nil {
		return nil, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return nil, err
	}
	return q.Job(ctx, id)
}

// PutBatch adds a job for a batch of photographs of a mark, in the transaction that
// names it with the batch. A mark may have several at a time.
func (q *Queue) PutBatch(ctx context.Context, tx *sql.Tx, mark, batch int64, body []byte, steps int) (int64, error) {
	res, err := tx.ExecContext(ctx, "INSERT INTO jobs (mark_id, batch_id, body, total) VALUES (?, ?, ?, ?)", mark, batch, body, steps)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// Body is what a job is to do, and for which mark.
func (q *Queue) Body(ctx context.Context, id int64) (mark int64, body []byte, err error) {
	err = q.db.QueryRowContext(ctx, "SELECT mark_id, body FROM jobs WHERE id = ?", id).Scan(&mark, &body)
	return mark, body, err
}

// Job returns a job.
func (q *Queue) Job(ctx context.Context, id int64) (*Job, error) {
	j, err := scanJob(q.db.QueryRowContext(ctx, selectJob+"WHERE id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return j, err
}

// Open returns the open job of a mark, or nil.
func (q *Queue) Open(ctx context.Context, mark int64) (*Job, error) {
	j, err := scanJob(q.db.QueryRowContext(ctx, selectJob+"WHERE open_mark = ?", mark))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return j, err
}

// Last returns the newest build of a mark, or nil.
func (q *Queue) Last(ctx context.Context, mark int64) (*Job, error) {
	j, err := scanJob(q.db.QueryRowContext(ctx, selectJob+"WHERE mark_id = ? AND batch_id IS NULL ORDER BY id DESC LIMIT 1", mark))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return j, err
}

// Cancel ends a job: at once if it waits, soon if it runs.
func (q *Queue) Cancel(ctx context.Context, id int64) error {
	_, err := q.db.ExecContext(ctx, "UPDATE jobs SET cancel = TRUE WHERE id = ? AND state IN (?, ?)", id, Waiting, Running)
	if err != nil {
		return err
	}
	_, err = q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND state = ?", Cancelled, id, Waiting)
	return err
}

// CancelAll ends all jobs of a mark, as Cancel does.
func (q *Queue) CancelAll(ctx context.Context, mark int64) error {
	_, err := q.db.ExecContext(ctx, "UPDATE jobs SET cancel = TRUE WHERE mark_id = ? AND state IN (?, ?)", mark, Waiting, Running)
	if err != nil {
		return err
	}
	_, err = q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE mark_id = ? AND state = ?", Cancelled, mark, Waiting)
	return err
}

// WorkerName makes a name for a worker in this process.
func WorkerName() string {
	var b [4]byte
	rand.Read(b[:]) // never fails since Go 1.24
	return WorkersOf(os.Getpid()) + hex.EncodeToString(b[:])
}

// WorkersOf is how the names of the workers in a process of this machine begin.
func WorkersOf(pid int) string {
	host, _ := os.Hostname()
	return workersOf(host, pid)
}

// maxHost bounds a host's name within a worker's, in bytes: of a longer one the end is its hash,
// as such names often begin alike.
const maxHost = 40

func workersOf(host string, pid int) string {
	if len(host) > maxHost {
		sum := sha256.Sum256([]byte(host))
		host = host[:maxHost-13] + "-" + hex.EncodeToString(sum[:6])
	}
	return fmt.Sprintf("%s/%d/", host, pid)
}

// WorkerDied tells that a process of this machine with workers has ended. A build
// that broke it, for why, is not begun again; without a reason it was none of
// the build's doing, and another worker may begin at once.
func (q *Queue) WorkerDied(ctx context.Context, pid int, why string) error {
	names := strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(WorkersOf(pid)) + "%"
	if why == "" {
		_, err := q.db.ExecContext(ctx, "UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND WHERE worker LIKE ? AND state = ?", names, Running)
		return err
	}
	_, err := q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, error = ?, open_mark = NULL, finished_at = NOW(6) WHERE worker LIKE ? AND state = ?",
		Failed, "the build ended its worker: "+why, names, Running)
	return err
}

// Lease takes the oldest job that waits or whose worker is gone; 0 if there
// is none.
func (q *Queue) Lease(ctx context.Context, worker string) (int64, error) {
	var id int64
	err := InTx(ctx, q.db, func(tx *sql.Tx) error {
		id = 0
		var attempts int
		var cancel bool
		err := tx.QueryRowContext(ctx, `SELECT id, attempts, cancel FROM jobs
			WHERE state = ? AND COALESCE(lease_until, NOW(6)) <= NOW(6) OR state = ? AND lease_until < NOW(6)
			ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`, Waiting, Running).Scan(&id, &attempts, &cancel)
		if errors.Is(err, sql.ErrNoRows) {
			id = 0
			return nil
		}
		if err != nil {
			return err
		}
		if cancel { // its worker died before it could obey
			_, err = tx.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ?", Cancelled, id)
			id = 0
			return err
		}
		if attempts >= MaxAttempts {
			_, err = tx.ExecContext(ctx, "UPDATE jobs SET state = ?, error = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ?",
				Failed, fmt.Sprintf("the build was begun %d times and its worker died each time", attempts), id)
			id = 0
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE jobs SET state = ?, worker = ?, lease_until = NOW(6) + INTERVAL ? SECOND, attempts = attempts + 1, done = 0, share = 0, started_at = NOW(6) WHERE id = ?",
			Running, worker, lease.Seconds(), id)
		return err
	})
	return id, err
}

// Work does a job. It tells how far it is through progress (so many of its steps,
// and about such a share of the work, from 0 to 1), and ends what it has
// made by Finish, in the transaction that keeps it. Its error is what is told of a
// job that failed.
type Work func(ctx context.Context, l *Held, progress func(done, total int, share float64, what string)) error

// A Held is a job in the hands of a worker.
type Held struct {
	Job    int64
	q      *Queue
	worker string
}

// Finish ends the job as done within a transaction; an error, if it is no longer
// in the hands of this worker or was cancelled. kit is what came of it, if anything
// that has a number.
func (l *Held) Finish(ctx context.Context, tx *sql.Tx, kit int64) error {
	res, err := tx.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, done = total, what = '', kit_id = NULLIF(?, 0), finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ? AND NOT cancel", Done, kit, l.Job, l.worker, Running)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrLost)
	}
	return nil
}

// Hold makes sure, within a transaction and until its end, that the job is still in
// the hands of this worker: what is kept in it is kept by nobody else.
func (l *Held) Hold(ctx context.Context, tx *sql.Tx) error {
	var id int64
	err := tx.QueryRowContext(ctx, "SELECT id FROM jobs WHERE id = ? AND worker = ? AND state = ? AND NOT cancel FOR UPDATE", l.Job, l.worker, Running).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrLost
	}
	return err
}

// Failure is an error of the work itself: it would be the same the next time. Any
// other is one of the world around it.
type Failure struct{ Err error }

func (f *Failure) Error() string { return f.Err.Error() }
func (f *Failure) Unwrap() error { return f.Err }

// Do does one job and records how it ended. says puts an error into words.
func (q *Queue) Do(ctx context.Context, id int64, worker string, work Work, says func(error) string) error {
	inner, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	p := &pulse{q: q, id: id, name: worker, cancel: cancel}
	var wg sync.WaitGroup
	beating, stop := context.WithCancel(ctx)
	wg.Go(func() { p.beat(beating) })
	err := parallel.Guard(func() error { return work(inner, &Held{id, q, worker}, p.set) })
	stop()
	wg.Wait()
	cause := context.Cause(inner)
	var failure *Failure
	var fault *parallel.Fault
	switch {
	case err == nil:
		return nil
	case errors.Is(cause, ErrCancelled):
		return q.end(ctx, id, worker, Cancelled, "")
	case errors.Is(err, ErrLost):
		// Perhaps it was cancelled while the last of it was being kept.
		_, end := q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ? AND cancel", Cancelled, id, worker, Running)
		return errors.Join(err, end)
	case errors.Is(cause, ErrLost):
		return ErrLost
	case ctx.Err() != nil:
		// This process is stopping: give the job back at once.
		_, err := q.db.ExecContext(context.WithoutCancel(ctx), "UPDATE jobs SET state = ?, worker = NULL, lease_until = NULL, attempts = attempts - 1 WHERE id = ? AND worker = ? AND state = ?", Waiting, id, worker, Running)
		return err
	case errors.As(err, &failure), errors.As(err, &fault):
		return q.end(ctx, id, worker, Failed, says(err))
	case DiskFull(err):
		return errors.Join(err, q.postpone(ctx, id, worker, "the server’s disc is full; this is tried again by itself"))
	case !Unavailable(err):
		// It would be the same the next time.
		return errors.Join(err, q.end(ctx, id, worker, Failed, "the kit cannot be kept: "+says(err)))
	}
	return err
}

// Serve does jobs until ctx ends. changed is told, once, when jobs cannot be had
// and why, and with nil when they can again.
func (q *Queue) Serve(ctx context.Context, work Work, says func(error) string, changed func(error)) {
	worker := WorkerName()
	was := ""
	for ctx.Err() == nil {
		id, err := q.next(ctx, worker)
		wait, now := poll, ""
		if err != nil {
			wait, now = time.Second, err.Error()
		}
		if (now == "") != (was == "") && ctx.Err() == nil {
			was = now
			changed(err)
		}
		if id == 0 || err != nil {
			select {
			case <-ctx.Done():
			case <-time.After(wait):
			}
			continue
		}
		if err := q.Do(ctx, id, worker, work, says); err != nil && ctx.Err() == nil {
			slog.Warn("a build was given up", "job", id, "err", err)
		}
	}
}

// next leases a job if jobs can be done.
func (q *Queue) next(ctx context.Context, worker string) (int64, error) {
	if q.Ready != nil {
		if err := q.Ready(); err != nil {
			return 0, err
		}
	}
	return q.Lease(ctx, worker)
}

// ErrLost is the end of a build that another worker has taken over.
var ErrLost = errors.New("the lease was lost")

// postpone puts a build back into the queue for a while, without counting it as
// a try.
func (q *Queue) postpone(ctx context.Context, id int64, name, why string) error {
	_, err := q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, what = ?, worker = NULL, lease_until = NOW(6) + INTERVAL ? SECOND, attempts = attempts - 1 WHERE id = ? AND worker = ? AND state = ?",
		Waiting, why, again.Seconds(), id, name, Running)
	return err
}

// end records a job that made no kit.
func (q *Queue) end(ctx context.Context, id int64, name string, state State, why string) error {
	_, err := q.db.ExecContext(ctx, "UPDATE jobs SET state = ?, error = NULLIF(?, ''), open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ?", state, why, id, name, Running)
	return err
}

var ErrCancelled = errors.New("the build was cancelled")

// A pulse tells the database that a build is alive, how far it is, and hears
// from it whether to stop.
type pulse struct {
	q      *Queue
	id     int64
	name   string
	cancel context.CancelCauseFunc

	mu          sync.Mutex
	done, total int
	share       float64
	what        string
	changed     bool
}

func (p *pulse) set(done, total int, share float64, what string) {
	p.mu.Lock()
	p.done, p.total, p.share, p.what, p.changed = max(p.done, done), total, max(p.share, share), what, true
	p.mu.Unlock()
}

func (p *pulse) beat(ctx context.Context) {
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(heartbeat / 8):
		}
		p.mu.Lock()
		done, total, share, what, changed := p.done, p.total, p.share, p.what, p.changed
		p.changed = false
		p.mu.Unlock()
		if !changed && time.Since(last) < heartbeat {
			continue
		}
		res, err := p.q.db.ExecContext(ctx, `UPDATE jobs SET lease_until = NOW(6) + INTERVAL ? SECOND, done = ?, total = GREATEST(total, ?), share = ?, what = ?
			WHERE id = ? AND worker = ? AND state = ?`, lease.Seconds(), done, total, share, what, p.id, p.name, Running)
		if err != nil {
			if time.Since(last) > lease {
				p.cancel(ErrLost) // another worker may have it by now
				return
			}
			continue // the database may be back before the lease ends
		}
		last = time.Now()
		if n, err := res.RowsAffected(); err == nil && n == 0 {
			p.cancel(ErrLost)
			return
		}
		var stop bool
		if err := p.q.db.QueryRowContext(ctx, "SELECT cancel FROM jobs WHERE id = ?", p.id).Scan(&stop); err == nil && stop {
			p.cancel(ErrCancelled)
			return
		}
	}
}
