package studio

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"log/slog"

	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/startpage"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
)

// order is what a job is to build, so that later changes do not touch it.
type order struct {
	Master    int64     `json:"master"`
	Decisions Decisions `json:"decisions"`
	Fonts     []string  `json:"fonts,omitempty"`
	Inks      string    `json:"inks,omitempty"`
	Who       string    `json:"who,omitempty"`   // ordered it
	Batch     int64     `json:"batch,omitempty"` // of photographs to mark, instead of a kit
}

// Build puts a build into the queue; an open one is returned as it is.
func (s *Studio) Build(ctx context.Context, w *Snapshot) (*Job, error) {
	if w.Stop != "" {
		return nil, decision.Wrong("build", "%s", "no kit can be built: "+w.Stop)
	}
	if k := w.Mark.Kit; k != nil && k.Build == w.Name {
		return nil, decision.Wrong("build", "kit %d holds exactly this already", k.Number)
	}
	body, err := json.Marshal(order{Master: w.Mark.Master.ID, Decisions: w.Decisions, Fonts: w.Mark.fonts, Inks: w.Mark.inks, Who: person(ctx)})
	if err != nil {
		return nil, err
	}
	return s.queue.Put(ctx, w.Mark.ID, body, len(w.Plan.Files))
}

// A Job is a build in the queue.
type Job = queue.Job

// A product names what a build was made from.
type product struct {
	mark     int64
	name     string // of the build
	recipe   string
	revision int // of the master
	who      string
	batch    int64 // of photographs, if no kit is wanted
}

// work builds the kit of a job and keeps it.
func (s *Studio) work(ctx context.Context, l *queue.Held, progress func(done, total int, share float64, what string)) error {
	in, b, err := s.input(ctx, l.Job)
	switch {
	case queue.Unavailable(err):
		return err // it may be there again the next time
	case err != nil:
		return &queue.Failure{Err: err}
	}
	if b.batch != 0 {
		return s.markPhotos(ctx, l, in, b.batch, progress)
	}
	in.Progress, in.Depot = progress, depot{s}
	k, err := kit.Build(ctx, in)
	var keep *kit.KeepError
	switch {
	case errors.As(err, &keep):
		return keep.Err
	case err != nil:
		return &queue.Failure{Err: err}
	}
	return s.store(ctx, l, k, in.Number, b)
}

// A depot keeps the files of a kit among the bytes of the studio as they are made.
// Those of a kit that does not come to be go with the next Collect.
type depot struct{ s *Studio }

func (d depot) Put(ctx context.Context, _ string, data []byte) error {
	_, err := d.s.put(ctx, data)
	return err
}

func (d depot) Get(ctx context.Context, hash string) ([]byte, error) {
	h, err := parseHash(hash)
	if err != nil {
		return nil, err
	}
	return d.s.get(ctx, h)
}

// RunQueue builds kits from the queue until ctx ends.
func (s *Studio) RunQueue(ctx context.Context) {
	s.queue.Serve(ctx, s.work, inWords, func(err error) {
		says := trouble(err)
		slog.Warn("the queue", "state", says, "err", err)
		s.SetTrouble(says)
		if s.Troubled != nil {
			s.Troubled(says)
		}
	})
}

// inWords puts an error of a build into words for a person.
func inWords(err error) string { return cut(kit.Plain(err), maxSentence) }

// trouble says in words why the queue cannot be worked on, "" if it can.
func trouble(err error) string {
	switch {
	case err == nil:
		return ""
	case queue.DiskFull(err):
		return "the server’s disc is full; builds go on by themselves when there is room"
	case queue.Unavailable(err):
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

// input is all that the kit of a job depends on.
func (s *Studio) input(ctx context.Context, id int64) (in kit.Input, b product, err error) {
	mark, body, err := s.queue.Body(ctx, id)
	if err != nil {
		return in, b, err
	}
	var o order
	if err := json.Unmarshal(body, &o); err != nil {
		return in, b, err
	}
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return in, b, err
	}
	var h []byte
	err = s.db.QueryRowContext(ctx, "SELECT id, revision, filename, sha256 FROM masters WHERE id = ?", o.Master).Scan(&m.Master.ID, &m.Master.Revision, &m.Master.Filename, &h)
	if err != nil {
		return in, b, err
	}
	copy(m.Master.Hash[:], h)
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return in, b, err
	}
	r, err := o.Decisions.Resolve()
	if err != nil {
		return in, b, err
	}
	name, err := decision.BuildName(m.Master.Hash.String(), o.Decisions, r, m.Brand(), o.Fonts, o.Inks)
	if err != nil {
		return in, b, err
	}
	if err := s.table.Grounds(ctx, r); err != nil {
		return in, b, err
	}
	set, err := s.table.Fonts(ctx, o.Fonts)
	if err != nil {
		return in, b, err
	}
	number := 1
	if m.Kit != nil {
		number = m.Kit.Number + 1
	}
	profile, err := s.profile(ctx, o.Decisions.Profile)
	if err != nil {
		return in, b, err
	}
	m.inks, m.fonts = o.Inks, o.Fonts // as they were when the build was ordered
	inks, err := m.Inks()
	if err != nil {
		return in, b, err
	}
	base, err := m.subject().Base(o.Decisions)
	if err != nil {
		return in, b, err
	}
	drawings, err := s.drawings(ctx, o.Decisions, r)
	if err != nil {
		return in, b, err
	}
	in = kit.Input{
		Drawings: drawings,
		Base:     base, Reuse: s.reuse(ctx, mark),
		Profile: profile, Inks: inks,
		Master: data, MasterName: m.Master.Filename, Brand: m.Brand(), Recipe: r, Number: number,
		Options: o.Decisions.Reading(set),
		Pages:   startpage.Pages{},
		Readers: cmp.Or(s.Readers, outside.Auto), Partial: true,
	}
	return in, product{mark: mark, name: name, recipe: r.Name, revision: m.Master.Revision, who: o.Who, batch: o.Batch}, nil
}

// store keeps a built kit. Its bytes are kept first; the kit is there when
// the last transaction has gone through, and not before.
func (s *Studio) store(ctx context.Context, l *queue.Held, k *kit.Kit, number int, b product) error {
	all := k.All() // their bytes are kept already
	weight := 0
	for _, f := range k.Files {
		weight += f.Bytes
	}
	report, err := json.Marshal(k.Report)
	if err != nil {
		return err
	}
	body, err := json.Marshal(k.Page)
	if err != nil {
		return err
	}
	page, err := s.put(ctx, body)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO kits (mark_id, number, name, build, recipe, revision, files, missing, bytes, report, page, who) VALUES (?, ?, ?, UNHEX(?), ?, ?, ?, ?, ?, ?, ?, ?)",
			b.mark, number, k.Kit, b.name, b.recipe, b.revision, len(k.Files), len(k.Failed), weight, report, page[:], b.who)
		if err != nil {
			return err
		}
		kid, err := res.LastInsertId()
		if err != nil {
			return err
		}
		for i, f := range all {
			if _, err := tx.ExecContext(ctx, "INSERT INTO kit_files (kit_id, seq, path, size, sha256, input) VALUES (?, ?, ?, ?, UNHEX(?), UNHEX(NULLIF(?, '')))", kid, i, f.Path, f.Bytes, f.SHA256, k.Keys[f.Path]); err != nil {
				return err
			}
		}
		if _, err = tx.ExecContext(ctx, "UPDATE marks SET newest_kit = ? WHERE id = ?", kid, b.mark); err != nil {
			return err
		}
		if err := tell(ctx, tx, b.mark, KitReady, map[string]any{"kit": kid, "number": number, "name": k.Kit, "mark": b.mark, "files": len(k.Files), "incomplete": k.Incomplete}); err != nil {
			return err
		}
		// Only the worker that still holds the job may finish it.
		return l.Finish(ctx, tx, kid)
	})
}

// Job returns a build.
func (s *Studio) Job(ctx context.Context, id int64) (*Job, error) {
	j, err := s.queue.Job(ctx, id)
	return j, found(err)
}

// found is err in the words of this package.
func found(err error) error {
	if errors.Is(err, queue.ErrNotFound) {
		return ErrNotFound
	}
	return err
}

// LastJob returns the newest build of a mark, or nil.
func (s *Studio) LastJob(ctx context.Context, mark int64) (*Job, error) {
	return s.queue.Last(ctx, mark)
}

// Cancel ends a build: at once if it waits, soon if it runs.
func (s *Studio) Cancel(ctx context.Context, id int64) error { return s.queue.Cancel(ctx, id) }

// Follow calls f with a build as it is, and whenever something of it changed; see
// queue.Queue.Follow.
func (s *Studio) Follow(ctx context.Context, id int64, f func(*Job) error) error {
	return found(s.queue.Follow(ctx, id, f))
}

// WorkerDied tells that a process of this machine with workers has ended; see
// queue.Queue.WorkerDied.
func (s *Studio) WorkerDied(ctx context.Context, pid int, why string) error {
	return s.queue.WorkerDied(ctx, pid, cut(why, maxSentence))
}
