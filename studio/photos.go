package studio

import (
	"archive/zip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"time"

	"dyekit/core/intake/picture"
	"dyekit/core/kit"
	"dyekit/core/parallel"
	"dyekit/core/photomark"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
)

// Limits of photographs to be marked.
const (
	MaxPhotos = 500      // of a batch
	MaxPhoto  = 60 << 20 // bytes of one
)

// A Batch is photographs that a mark is laid on together.
type Batch struct {
	ID     int64
	MarkID int64
	How    Laying
	Job    *Job // that marks them; nil as long as nobody ordered it
	Photos []Photo
	Who    string
	Made   time.Time
}

// A Laying is how a mark is laid: by which setting, and which versions are the dark
// and the light mark.
type Laying struct {
	photomark.Setting
	DarkVersion  string `json:"dark_version,omitempty"`
	LightVersion string `json:"light_version,omitempty"`
}

// A Photo is one photograph of a batch, and its marked copy.
type Photo struct {
	Seq    int
	Name   string
	Hash   Hash
	Size   int64
	W, H   int
	Marked bool
	Copy   Hash
	Bytes  int // of the copy
	Said   Said
	Error  string
}

// Said is what is told of a marked copy.
type Said struct {
	Kind     string   `json:"kind"`
	Mark     string   `json:"mark"` // dark or light
	Place    string   `json:"place"`
	Contrast float64  `json:"contrast"` // in CIE L*
	W        int      `json:"w"`
	H        int      `json:"h"`
	Notes    []string `json:"notes,omitempty"`
}

func saidOf(r *photomark.Result) Said {
	return Said{Kind: r.Kind, Mark: r.Mark, Place: r.Place, Contrast: r.Contrast, W: r.W, H: r.H, Notes: r.Notes}
}

// Draft reports whether the batch can still be changed.
func (b *Batch) Draft() bool { return b.Job == nil }

// Done counts the photographs that are marked.
func (b *Batch) Done() (n int) {
	for _, p := range b.Photos {
		if p.Marked {
			n++
		}
	}
	return n
}

// Failed lists the photographs that could not be marked.
func (b *Batch) Failed() (out []Photo) {
	for _, p := range b.Photos {
		if p.Error != "" {
			out = append(out, p)
		}
	}
	return out
}

// Weight is that of the marked copies, in bytes.
func (b *Batch) Weight() (n int) {
	for _, p := range b.Photos {
		n += p.Bytes
	}
	return n
}

// Names are those of the marked copies, by the photographs' places in Photos.
func (b *Batch) Names() []string {
	names := make([]string, len(b.Photos))
	for i, p := range b.Photos {
		names[i] = p.Name
	}
	for i, n := range photomark.Names(b.How.Setting, names) {
		names[i] = n.For(b.Photos[i].Said.Mark, b.Photos[i].Said.Kind)
	}
	return names
}

// Batch returns a batch of a mark, the newest for 0; nil if there is none yet.
func (s *Studio) Batch(ctx context.Context, mark, id int64) (*Batch, error) {
	b := Batch{MarkID: mark}
	var job sql.NullInt64
	var how []byte
	err := s.db.QueryRowContext(ctx, "SELECT id, setting, job_id, who, made_at FROM batches WHERE mark_id = ? AND (id = ? OR ? = 0) ORDER BY id DESC LIMIT 1", mark, id, id).Scan(&b.ID, &how, &job, &b.Who, &b.Made)
	switch {
	case errors.Is(err, sql.ErrNoRows) && id == 0:
		return nil, nil
	case errors.Is(err, sql.ErrNoRows):
		return nil, ErrNotFound
	case err != nil:
		return nil, err
	}
	if err := json.Unmarshal(how, &b.How); err != nil {
		return nil, err
	}
	if job.Valid {
		if b.Job, err = s.Job(ctx, job.Int64); err != nil {
			return nil, err
		}
	}
	b.Photos, err = s.photosOf(ctx, b.ID)
	return &b, err
}

func (s *Studio) photosOf(ctx context.Context, batch int64) ([]Photo, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT seq, name, sha256, size, width, height, marked, COALESCE(marked_size, 0), COALESCE(said, '{}'), COALESCE(error, '') FROM photos WHERE batch_id = ? ORDER BY seq", batch)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Photo
	for rows.Next() {
		var p Photo
		var h, marked, said []byte
		if err := rows.Scan(&p.Seq, &p.Name, &h, &p.Size, &p.W, &p.H, &marked, &p.Bytes, &said, &p.Error); err != nil {
			return nil, err
		}
		copy(p.Hash[:], h)
		if p.Marked = len(marked) > 0; p.Marked {
			copy(p.Copy[:], marked)
		}
		if err := json.Unmarshal(said, &p.Said); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, rows.Err()
}

// AddPhotos puts photographs into the batch of a mark that can still be changed, or
// a new one. What is no photograph is refused by name, and the others are kept.
func (s *Studio) AddPhotos(ctx context.Context, m *Mark, photos []Upload) (refused []string, err error) {
	for _, u := range photos {
		if err := s.addPhoto(ctx, m, u); err != nil {
			var in *InputError
			if !errors.As(err, &in) {
				return refused, err
			}
			refused = append(refused, in.Message)
		}
	}
	return refused, nil
}

func (s *Studio) addPhoto(ctx context.Context, m *Mark, u Upload) error {
	name := fileName(u.Filename)
	if photomark.Kind(u.Data) == "" {
		return decision.Wrong("photo", "%s is no photograph of a known kind (JPEG, PNG, TIFF, WebP)", name)
	}
	w, h, err := picture.Extent(u.Data)
	if err != nil {
		return decision.Wrong("photo", "%s: %s", name, kit.Plain(err))
	}
	if w > photomark.MaxPixels/h {
		return decision.Wrong("photo", "%s has %d × %d px, more than %d megapixels", name, w, h, photomark.MaxPixels/1_000_000)
	}
	sum, err := s.put(ctx, u.Data)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		id, err := s.draft(ctx, tx, m)
		if err != nil {
			return err
		}
		var n, last int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*), COALESCE(MAX(seq), 0) FROM photos WHERE batch_id = ?", id).Scan(&n, &last); err != nil {
			return err
		}
		if n >= MaxPhotos {
			return decision.Wrong("photo", "%s is one too many: at most %d photographs are marked together", name, MaxPhotos)
		}
		_, err = tx.ExecContext(ctx, "INSERT INTO photos (batch_id, seq, name, sha256, size, width, height) VALUES (?, ?, ?, ?, ?, ?, ?)", id, last+1, name, sum[:], len(u.Data), w, h)
		return err
	})
}

// draft is the batch of a mark that can still be changed; a new one lays the mark as
// the last did.
func (s *Studio) draft(ctx context.Context, tx *sql.Tx, m *Mark) (id int64, err error) {
	// One at a time: the mark's row is the lock.
	if err := tx.QueryRowContext(ctx, "SELECT id FROM marks WHERE id = ? FOR UPDATE", m.ID).Scan(new(int64)); err != nil {
		return 0, err
	}
	var job sql.NullInt64
	how := []byte("{}")
	err = tx.QueryRowContext(ctx, "SELECT id, job_id, setting FROM batches WHERE mark_id = ? ORDER BY id DESC LIMIT 1", m.ID).Scan(&id, &job, &how)
	if err == nil && !job.Valid {
		return id, nil
	}
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return 0, err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO batches (mark_id, setting, who) VALUES (?, ?, ?)", m.ID, how, person(ctx))
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// DemoPhotos puts the made-up photographs of the demo into the batch of a mark.
func (s *Studio) DemoPhotos(ctx context.Context, m *Mark) error {
	names, err := fs.Glob(demoFiles, "demo/photos/*.jpg")
	if err != nil {
		return err
	}
	var all []Upload
	for _, n := range names {
		data, err := demoFiles.ReadFile(n)
		if err != nil {
			return err
		}
		all = append(all, Upload{Filename: path.Base(n), Data: data})
	}
	_, err = s.AddPhotos(ctx, m, all)
	return err
}

// DropPhoto takes a photograph out of a batch that can still be changed.
func (s *Studio) DropPhoto(ctx context.Context, b *Batch, seq int) error {
	if !b.Draft() {
		return decision.Wrong("photo", "these photographs are being marked already, or are marked")
	}
	_, err := s.db.ExecContext(ctx, "DELETE FROM photos WHERE batch_id = ? AND seq = ?", b.ID, seq)
	return err
}

// AgainPhotos makes a new batch of the same photographs, to lay the mark in another
// way.
func (s *Studio) AgainPhotos(ctx context.Context, m *Mark, b *Batch) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		id, err := s.draft(ctx, tx, m)
		if err != nil || id == b.ID {
			return err
		}
		_, err = tx.ExecContext(ctx, "INSERT IGNORE INTO photos (batch_id, seq, name, sha256, size, width, height) SELECT ?, seq, name, sha256, size, width, height FROM photos WHERE batch_id = ?", id, b.ID)
		return err
	})
}

// Marker is what lays a mark in a way, by the versions of a plan.
func (l Laying) Marker(ctx context.Context, p *kit.Plan) (*photomark.Marker, error) {
	dark, light, err := p.DarkAndLight(ctx)
	if err != nil {
		return nil, err
	}
	if l.DarkVersion != "" {
		dark = l.DarkVersion
	}
	if l.LightVersion != "" {
		light = l.LightVersion
	}
	d, err := p.PhotoMark(dark)
	if err != nil {
		return nil, decision.Wrong("dark_version", "%s", err)
	}
	g, err := p.PhotoMark(light)
	if err != nil {
		return nil, decision.Wrong("light_version", "%s", err)
	}
	m, err := photomark.New(d, g, l.Setting)
	if err != nil {
		return nil, decision.Wrong("setting", "%s", err)
	}
	return m, nil
}

// MarkPhotos orders a batch to be marked, or one that was cancelled to go on: what is
// marked already stays.
func (s *Studio) MarkPhotos(ctx context.Context, w *Snapshot, b *Batch, how Laying) (*Job, error) {
	if b.Job != nil && b.Job.Open() {
		return b.Job, nil
	}
	if len(b.Photos) == 0 {
		return nil, decision.Wrong("photo", "there are no photographs yet")
	}
	if f, stop := w.Plan.Findings.Stopping(); stop {
		return nil, decision.Wrong("photo", "the mark cannot be laid on: %s", f.Message)
	}
	if b.Job != nil {
		how = b.How // what is marked and what is not are laid alike
	}
	if _, err := how.Marker(ctx, w.Plan); err != nil {
		return nil, err
	}
	setting, err := json.Marshal(how)
	if err != nil {
		return nil, err
	}
	body, err := json.Marshal(order{Master: w.Mark.Master.ID, Decisions: w.Decisions, Fonts: w.Mark.fonts, Inks: w.Mark.inks, Who: person(ctx), Batch: b.ID})
	if err != nil {
		return nil, err
	}
	var id int64
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		var old sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT job_id FROM batches WHERE id = ? FOR UPDATE", b.ID).Scan(&old); err != nil {
			return err
		}
		if b.Job == nil && old.Valid || b.Job != nil && old.Int64 != b.Job.ID {
			id = old.Int64 // another was quicker
			return nil
		}
		if id, err = s.queue.PutBatch(ctx, tx, w.Mark.ID, b.ID, body, len(b.Photos)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE photos SET error = NULL WHERE batch_id = ?", b.ID); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE batches SET job_id = ?, setting = ? WHERE id = ?", id, setting, b.ID)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Job(ctx, id)
}

// markPhotos marks the photographs of a batch that are not marked yet, and keeps each
// copy as soon as it is there.
func (s *Studio) markPhotos(ctx context.Context, l *queue.Held, in kit.Input, batch int64, progress func(done, total int, share float64, what string)) error {
	plan, err := kit.NewPlan(ctx, in)
	if err != nil {
		return &queue.Failure{Err: err}
	}
	var how Laying
	var setting []byte
	if err := s.db.QueryRowContext(ctx, "SELECT setting FROM batches WHERE id = ?", batch).Scan(&setting); err != nil {
		return err
	}
	if err := json.Unmarshal(setting, &how); err != nil {
		return err
	}
	marker, err := how.Marker(ctx, plan)
	if err != nil {
		return &queue.Failure{Err: err}
	}
	all, err := s.photosOf(ctx, batch)
	if err != nil {
		return err
	}
	var left []Photo
	for _, p := range all {
		if !p.Marked {
			left = append(left, p)
		}
	}
	done := counted{n: len(all) - len(left), of: len(all), tell: progress}
	err = parallel.Do(ctx, len(left), func(ctx context.Context, i int) error {
		p := left[i]
		done.at(0, p.Name)
		if err := s.markPhoto(ctx, l, marker, batch, p); err != nil {
			return err
		}
		done.at(1, p.Name)
		return nil
	})
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error { return l.Finish(ctx, tx, 0) })
}

// markPhoto marks one photograph. What is wrong with it is kept beside it; errors are
// of the world around.
func (s *Studio) markPhoto(ctx context.Context, l *queue.Held, marker *photomark.Marker, batch int64, p Photo) error {
	data, err := s.get(ctx, p.Hash)
	if err != nil {
		return err
	}
	var r *photomark.Result
	err = parallel.Guard(func() (err error) {
		r, err = marker.Lay(ctx, data)
		return err
	})
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		why := cut(kit.Plain(err), maxSentence)
		return s.inTx(ctx, func(tx *sql.Tx) error {
			if err := l.Hold(ctx, tx); err != nil {
				return err
			}
			_, err := tx.ExecContext(ctx, "UPDATE photos SET error = ? WHERE batch_id = ? AND seq = ? AND marked IS NULL", why, batch, p.Seq)
			return err
		})
	}
	h, err := s.put(ctx, r.Data)
	if err != nil {
		return err
	}
	said, err := json.Marshal(saidOf(r))
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if err := l.Hold(ctx, tx); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE photos SET marked = ?, marked_size = ?, said = ?, error = NULL WHERE batch_id = ? AND seq = ? AND marked IS NULL", h[:], len(r.Data), said, batch, p.Seq)
		return err
	})
}

// ZipPhotos writes the marked copies of a batch as a zip.
func (s *Studio) ZipPhotos(ctx context.Context, b *Batch, w io.Writer) error {
	z := zip.NewWriter(w)
	names := b.Names()
	for i, p := range b.Photos {
		if !p.Marked {
			continue
		}
		data, err := s.get(ctx, p.Copy)
		if err != nil {
			return fmt.Errorf("%s: %w", names[i], err)
		}
		f, err := z.CreateHeader(&zip.FileHeader{Name: names[i], Method: zip.Store}) // photographs are packed already
		if err != nil {
			return err
		}
		if _, err := f.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}

// MarkedPhoto returns a marked copy.
func (s *Studio) MarkedPhoto(ctx context.Context, p Photo) ([]byte, error) {
	if !p.Marked {
		return nil, ErrNotFound
	}
	return s.get(ctx, p.Copy)
}
