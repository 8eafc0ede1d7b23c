package studio

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"os"
	"strings"
	"sync"
	"time"

	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/parallel"
)

// How builds are leased. A worker that has not been heard of for the length
// of a lease is taken for dead and its build begun again by another.
const (
	lease       = 10 * time.Second
	heartbeat   = time.Second
	poll        = 250 * time.Millisecond
	maxAttempts = 8
	again       = 10 * time.Second // until a build is tried again for which the disc was full
)

// The states of a job.
const (
	Waiting   = "waiting"
	Running   = "running"
	Done      = "done"
	Failed    = "failed"
	Cancelled = "cancelled"
)

// A Job is a build in the queue.
type Job struct {
	ID     int64  `json:"id"`
	MarkID int64  `json:"-"`
	State  string `json:"state"`
	Done   int    `json:"done"`
	Total  int    `json:"total"`
	What   string `json:"what"` // the file being made now
	Error  string `json:"error,omitempty"`
	KitID  int64  `json:"kit,omitempty"`
	// Left is about how many seconds are left, 0 if that cannot be told yet.
	Left int `json:"left,omitempty"`
}

// Open reports whether the job has not come to an end.
func (j *Job) Open() bool { return j.State == Waiting || j.State == Running }

// order is what a job is to build, so that later changes do not touch it.
type order struct {
	Master    int64     `json:"master"`
	Decisions Decisions `json:"decisions"`
	Fonts     []string  `json:"fonts,omitempty"`
	Inks      string    `json:"inks,omitempty"`
}

const selectJob = "SELECT id, mark_id, state, done, total, what, COALESCE(error, ''), COALESCE(kit_id, 0), COALESCE(TIMESTAMPDIFF(MICROSECOND, started_at, NOW(6)), 0) / 1e6 FROM jobs "

func scanJob(row interface{ Scan(...any) error }) (*Job, error) {
	var j Job
	var passed float64 // s since it was begun
	err := row.Scan(&j.ID, &j.MarkID, &j.State, &j.Done, &j.Total, &j.What, &j.Error, &j.KitID, &passed)
	if j.State == Running && j.Done > 0 && j.Done < j.Total {
		j.Left = int(math.Ceil(passed / float64(j.Done) * float64(j.Total-j.Done)))
	}
	return &j, err
}

// Job returns a job.
func (s *Studio) Job(ctx context.Context, id int64) (*Job, error) {
	j, err := scanJob(s.db.QueryRowContext(ctx, selectJob+"WHERE id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return j, err
}

func (s *Studio) openJob(ctx context.Context, mark int64) (*Job, error) {
	j, err := scanJob(s.db.QueryRowContext(ctx, selectJob+"WHERE open_mark = ?", mark))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return j, err
}

// LastJob returns the newest job of a mark, or nil.
func (s *Studio) LastJob(ctx context.Context, mark int64) (*Job, error) {
	j, err := scanJob(s.db.QueryRowContext(ctx, selectJob+"WHERE mark_id = ? ORDER BY id DESC LIMIT 1", mark))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return j, err
}

// Build puts a build into the queue; an open one is returned as it is.
func (s *Studio) Build(ctx context.Context, w *Work) (*Job, error) {
	if w.Stop != "" {
		return nil, &InputError{"build", "no kit can be built: " + w.Stop}
	}
	if k := w.Mark.Kit; k != nil && k.Build == w.Name {
		return nil, &InputError{"build", fmt.Sprintf("kit %d holds exactly this already", k.Number)}
	}
	body, err := json.Marshal(order{w.Mark.Master.ID, w.Decisions, w.Mark.fonts, w.Mark.inks})
	if err != nil {
		return nil, err
	}
	res, err := s.db.ExecContext(ctx, "INSERT INTO jobs (mark_id, open_mark, body, total) VALUES (?, ?, ?, ?)", w.Mark.ID, w.Mark.ID, body, len(w.Plan.Files))
	if duplicate(err) {
		return s.openJob(ctx, w.Mark.ID)
	}
	if err != nil {
		return nil, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return nil, err
	}
	return s.Job(ctx, id)
}

// Cancel ends a job: at once if it waits, soon if it runs.
func (s *Studio) Cancel(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, "UPDATE jobs SET cancel = TRUE WHERE id = ? AND open_mark IS NOT NULL", id)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND state = ?", Cancelled, id, Waiting)
	return err
}

// Worker builds kits from the queue until ctx ends.
func (s *Studio) Worker(ctx context.Context) {
	name := workerName()
	was := ""
	for ctx.Err() == nil {
		id, err := s.lease(ctx, name)
		says, wait := trouble(err), poll
		if err != nil {
			wait = time.Second
		}
		if says != was && ctx.Err() == nil { // once, not at every try
			slog.Warn("the queue", "state", says, "err", err)
			was = says
			s.SetTrouble(says)
			if s.Troubled != nil {
				s.Troubled(says)
			}
		}
		if id == 0 || err != nil {
			select {
			case <-ctx.Done():
			case <-time.After(wait):
			}
			continue
		}
		if err := s.work(ctx, id, name); err != nil && ctx.Err() == nil {
			slog.Warn("a build was given up", "job", id, "err", err)
		}
	}
}

// trouble says in words why the queue cannot be worked on, "" if it can.
func trouble(err error) string {
	switch {
	case err == nil:
		return ""
	case Full(err):
		return "the server’s disc is full; builds go on by themselves when there is room"
	case Away(err):
		return "the database does not answer; builds go on by themselves when it does"
	}
	return "the queue cannot be read"
}

// SetTrouble notes why builds do not go on; "" if they do.
func (s *Studio) SetTrouble(why string) { s.trouble.Store(&why) }

// Trouble says why builds do not go on, "" if they do.
func (s *Studio) Trouble() string {
	if t := s.trouble.Load(); t != nil {
		return *t
	}
	return ""
}

func workerName() string {
	var b [4]byte
	rand.Read(b[:]) // never fails since Go 1.24
	return workersOf(os.Getpid()) + hex.EncodeToString(b[:])
}

// workersOf is how the names of the workers in a process of this machine begin.
func workersOf(pid int) string {
	host, _ := os.Hostname()
	return fmt.Sprintf("%.40s/%d/", host, pid)
}

// WorkerDied tells that a process of this machine with workers has ended. A build
// that broke it, for why, is not begun again; without a reason it was none of
// the build's doing, and another worker may begin at once.
func (s *Studio) WorkerDied(ctx context.Context, pid int, why string) error {
	names := strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(workersOf(pid)) + "%"
	if why == "" {
		_, err := s.db.ExecContext(ctx, "UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND WHERE worker LIKE ? AND state = ?", names, Running)
		return err
	}
	_, err := s.db.ExecContext(ctx, "UPDATE jobs SET state = ?, error = ?, open_mark = NULL, finished_at = NOW(6) WHERE worker LIKE ? AND state = ?",
		Failed, cut("the build ended its worker: "+why, maxSentence), names, Running)
	return err
}

// lease takes the oldest job that waits or whose worker is gone; 0 if there
// is none.
func (s *Studio) lease(ctx context.Context, name string) (int64, error) {
	var id int64
	err := s.inTx(ctx, func(tx *sql.Tx) error {
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
		if attempts >= maxAttempts {
			_, err = tx.ExecContext(ctx, "UPDATE jobs SET state = ?, error = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ?",
				Failed, fmt.Sprintf("the build was begun %d times and its worker died each time", attempts), id)
			id = 0
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE jobs SET state = ?, worker = ?, lease_until = NOW(6) + INTERVAL ? SECOND, attempts = attempts + 1, done = 0, started_at = NOW(6) WHERE id = ?",
			Running, name, lease.Seconds(), id)
		return err
	})
	return id, err
}

// errLost is the end of a build that another worker has taken over.
var errLost = errors.New("the lease was lost")

// work builds one job and records how it ended.
func (s *Studio) work(ctx context.Context, id int64, name string) error {
	build, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	p := &pulse{s: s, id: id, name: name, cancel: cancel}
	var wg sync.WaitGroup
	beating, stop := context.WithCancel(ctx)
	wg.Go(func() { p.beat(beating) })
	var k *kit.Kit
	var in kit.Input
	var w *Work
	err := parallel.Guard(func() (err error) {
		k, in, w, err = s.build(build, id, p.set)
		return err
	})
	stop()
	wg.Wait()
	cause := context.Cause(build)
	switch {
	case errors.Is(cause, errCancelled):
		return s.end(ctx, id, name, Cancelled, "")
	case errors.Is(cause, errLost):
		return errLost
	case ctx.Err() != nil:
		// This process is stopping: give the job back at once.
		_, err := s.db.ExecContext(context.WithoutCancel(ctx), "UPDATE jobs SET state = ?, worker = NULL, lease_until = NULL, attempts = attempts - 1 WHERE id = ? AND worker = ? AND state = ?", Waiting, id, name, Running)
		return err
	case err != nil:
		return s.end(ctx, id, name, Failed, kit.Plain(err))
	}
	err = s.store(ctx, id, name, k, in, w)
	if errors.Is(err, errLost) {
		// Perhaps it was cancelled while the last files were being kept.
		_, end := s.db.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ? AND cancel", Cancelled, id, name, Running)
		return errors.Join(err, end)
	}
	if Full(err) {
		return errors.Join(err, s.postpone(ctx, id, name, "the server’s disc is full; this is tried again by itself"))
	}
	if err != nil && ctx.Err() == nil && !Away(err) {
		// It would be the same the next time.
		return errors.Join(err, s.end(ctx, id, name, Failed, "the kit cannot be kept: "+cut(kit.Plain(err), maxSentence)))
	}
	return err
}

// postpone puts a build back into the queue for a while, without counting it as
// a try.
func (s *Studio) postpone(ctx context.Context, id int64, name, why string) error {
	_, err := s.db.ExecContext(ctx, "UPDATE jobs SET state = ?, what = ?, worker = NULL, lease_until = NOW(6) + INTERVAL ? SECOND, attempts = attempts - 1 WHERE id = ? AND worker = ? AND state = ?",
		Waiting, why, again.Seconds(), id, name, Running)
	return err
}

// build makes the kit of a job in memory.
func (s *Studio) build(ctx context.Context, id int64, progress func(int, int, string)) (*kit.Kit, kit.Input, *Work, error) {
	fail := func(err error) (*kit.Kit, kit.Input, *Work, error) { return nil, kit.Input{}, nil, err }
	var mark int64
	var body string
	if err := s.db.QueryRowContext(ctx, "SELECT mark_id, body FROM jobs WHERE id = ?", id).Scan(&mark, &body); err != nil {
		return fail(err)
	}
	var o order
	if err := json.Unmarshal([]byte(body), &o); err != nil {
		return fail(err)
	}
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return fail(err)
	}
	var h []byte
	err = s.db.QueryRowContext(ctx, "SELECT id, revision, filename, sha256 FROM masters WHERE id = ?", o.Master).Scan(&m.Master.ID, &m.Master.Revision, &m.Master.Filename, &h)
	if err != nil {
		return fail(err)
	}
	copy(m.Master.Hash[:], h)
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return fail(err)
	}
	r, err := o.Decisions.Resolve()
	if err != nil {
		return fail(err)
	}
	name, err := buildName(m.Master.Hash, o.Decisions, r, m.Brand(), o.Fonts, o.Inks)
	if err != nil {
		return fail(err)
	}
	if err := s.putGrounds(ctx, r); err != nil {
		return fail(err)
	}
	set, err := s.fontSet(ctx, o.Fonts)
	if err != nil {
		return fail(err)
	}
	number := 1
	if m.Kit != nil {
		number = m.Kit.Number + 1
	}
	profile, err := s.profile(ctx, o.Decisions.Profile)
	if err != nil {
		return fail(err)
	}
	m.inks, m.fonts = o.Inks, o.Fonts // as they were when the build was ordered
	inks, err := m.Inks()
	if err != nil {
		return fail(err)
	}
	base, err := baseName(m, o.Decisions)
	if err != nil {
		return fail(err)
	}
	in := kit.Input{
		Base: base, Reuse: s.reuse(ctx, mark),
		Profile: profile, Inks: inks,
		Master: data, MasterName: m.Master.Filename, Brand: m.Brand(), Recipe: r, Number: number,
		Options: o.Decisions.reading(set),
		Readers: outside.Auto, Partial: true, Progress: progress,
	}
	k, err := kit.Build(ctx, in)
	return k, in, &Work{Name: name, Mark: m, Decisions: o.Decisions, Recipe: r}, err
}

// store keeps a built kit. Its bytes are kept first; the kit is there when
// the last transaction has gone through, and not before.
func (s *Studio) store(ctx context.Context, id int64, name string, k *kit.Kit, in kit.Input, w *Work) error {
	all := k.All()
	hashes := make([]Hash, len(all))
	for i, f := range all {
		var err error
		if hashes[i], err = s.put(ctx, f.Data); err != nil {
			return err
		}
	}
	report, err := json.Marshal(k.Report)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		// Only the worker that still holds the job may finish it.
		res, err := tx.ExecContext(ctx, "UPDATE jobs SET state = ?, open_mark = NULL, done = total, what = '', finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ? AND NOT cancel", Done, id, name, Running)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, errLost)
		}
		res, err = tx.ExecContext(ctx, "INSERT INTO kits (mark_id, number, name, build, recipe, revision, files, missing, report) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			w.Mark.ID, in.Number, k.Kit, w.Name, w.Recipe.Name, w.Mark.Master.Revision, len(k.Files), len(k.Failed), report)
		if err != nil {
			return err
		}
		kid, err := res.LastInsertId()
		if err != nil {
			return err
		}
		for i, f := range all {
			if _, err := tx.ExecContext(ctx, "INSERT INTO kit_files (kit_id, seq, path, size, sha256, input) VALUES (?, ?, ?, ?, ?, NULLIF(?, ''))", kid, i, f.Path, f.Bytes, hashes[i][:], k.Keys[f.Path]); err != nil {
				return err
			}
		}
		if _, err = tx.ExecContext(ctx, "UPDATE marks SET newest_kit = ? WHERE id = ?", kid, w.Mark.ID); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE jobs SET kit_id = ? WHERE id = ?", kid, id)
		return err
	})
}

// end records a job that made no kit.
func (s *Studio) end(ctx context.Context, id int64, name, state, why string) error {
	_, err := s.db.ExecContext(ctx, "UPDATE jobs SET state = ?, error = NULLIF(?, ''), open_mark = NULL, finished_at = NOW(6) WHERE id = ? AND worker = ? AND state = ?", state, why, id, name, Running)
	return err
}

var errCancelled = errors.New("the build was cancelled")

// A pulse tells the database that a build is alive, how far it is, and hears
// from it whether to stop.
type pulse struct {
	s      *Studio
	id     int64
	name   string
	cancel context.CancelCauseFunc

	mu          sync.Mutex
	done, total int
	what        string
	changed     bool
}

func (p *pulse) set(done, total int, what string) {
	p.mu.Lock()
	p.done, p.total, p.what, p.changed = max(p.done, done), total, what, true
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
		done, total, what, changed := p.done, p.total, p.what, p.changed
		p.changed = false
		p.mu.Unlock()
		if !changed && time.Since(last) < heartbeat {
			continue
		}
		res, err := p.s.db.ExecContext(ctx, `UPDATE jobs SET lease_until = NOW(6) + INTERVAL ? SECOND, done = ?, total = GREATEST(total, ?), what = ?
			WHERE id = ? AND worker = ? AND state = ?`, lease.Seconds(), done, total, what, p.id, p.name, Running)
		if err != nil {
			if time.Since(last) > lease {
				p.cancel(errLost) // another worker may have it by now
				return
			}
			continue // the database may be back before the lease ends
		}
		last = time.Now()
		if n, err := res.RowsAffected(); err == nil && n == 0 {
			p.cancel(errLost)
			return
		}
		var stop bool
		if err := p.s.db.QueryRowContext(ctx, "SELECT cancel FROM jobs WHERE id = ?", p.id).Scan(&stop); err == nil && stop {
			p.cancel(errCancelled)
			return
		}
	}
}
