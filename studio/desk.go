package studio

import (
	"context"
	"database/sql"
	"strings"

	"dyekit/core/finding"
	"dyekit/core/kit"
)

// The states in which a mark can stand.
const (
	Unseen   = "unseen" // not looked at since it changed
	Building = "building"
	Stopped  = "stopped" // no kit can be built
	Current  = "current"
	Partial  = "incomplete" // up to date, but files are missing
	Outdated = "stale"
	Raster   = "raster" // ready, but only pixels
	ToLook   = "look"   // ready, with something to look at
	Ready    = "ready"
)

// States lists them in the order in which they ask for somebody.
var States = []string{Stopped, Partial, Outdated, ToLook, Raster, Ready, Building, Current, Unseen}

// A Tag is a mark as it hangs on the desk.
type Tag struct {
	ID, ClientID int64
	Client, Name string
	State        string
	Warn         int    // findings to look at
	Kit          int    // number of the newest, 0 if there is none
	Files        int    // in it
	Missing      int    // from it
	Build        string // names its picture; "" if it was not looked at
}

// A DeskQuery says which marks are wanted.
type DeskQuery struct {
	Words  string // in the client's or the mark's name
	Client string // by name, exactly
	State  string
	After  int64 // the mark after which to go on, 0 for the first
	Limit  int   // 0 stands for deskPage
}

// deskPage is how many tags a page of the desk holds.
const deskPage = 48

// A Desk is a page of tags.
type Desk struct {
	Tags    []Tag
	More    int64 // the mark after which there are more, or 0
	Marks   int   // that suit the words and the client
	Clients int
	Stale   int // of the client asked for, marks whose kit is stale
}

// stateOf is the state of a mark m with its newest kit k and open job j.
const stateOf = `CASE WHEN j.id IS NOT NULL THEN 'building'
  WHEN m.seen_build IS NULL OR m.seen_release <> ? THEN 'unseen'
  WHEN m.seen_stop <> '' THEN 'stopped' WHEN k.build = m.seen_build AND k.missing > 0 THEN 'incomplete' WHEN k.build = m.seen_build THEN 'current' WHEN k.id IS NOT NULL THEN 'stale'
  WHEN m.seen_kind <> 'svg' THEN 'raster' WHEN m.seen_warn > 0 THEN 'look' ELSE 'ready' END`

// Desk lists marks by client and name, a page at a time.
func (s *Studio) Desk(ctx context.Context, q DeskQuery) (d Desk, err error) {
	if q.Limit == 0 {
		q.Limit = deskPage
	}
	where, args := []string{"TRUE"}, []any{}
	if w := strings.TrimSpace(q.Words); w != "" {
		where = append(where, "CONCAT(c.name, ' ', m.name) LIKE ?")
		args = append(args, "%"+strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(w)+"%")
	}
	if q.Client != "" {
		where, args = append(where, "c.name = ?"), append(args, q.Client)
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*), COUNT(DISTINCT c.id) FROM marks m JOIN clients c ON c.id = m.client_id WHERE "+strings.Join(where, " AND "), args...).Scan(&d.Marks, &d.Clients)
	if err != nil {
		return d, err
	}
	if q.Client != "" {
		err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM marks m JOIN clients c ON c.id = m.client_id LEFT JOIN kits k ON k.id = m.newest_kit LEFT JOIN jobs j ON j.open_mark = m.id
			WHERE c.name = ? AND `+stateOf+" = 'stale'", q.Client, kit.Release).Scan(&d.Stale)
		if err != nil {
			return d, err
		}
	}
	if q.After > 0 {
		var c, n string
		err := s.db.QueryRowContext(ctx, "SELECT c.name, m.name FROM marks m JOIN clients c ON c.id = m.client_id WHERE m.id = ?", q.After).Scan(&c, &n)
		if err == sql.ErrNoRows {
			return d, ErrNotFound
		}
		if err != nil {
			return d, err
		}
		where = append(where, "(c.name > ? OR c.name = ? AND (m.name > ? OR m.name = ? AND m.id > ?))")
		args = append(args, c, c, n, n, q.After)
	}
	if q.State != "" {
		where, args = append(where, stateOf+" = ?"), append(args, kit.Release, q.State)
	}
	args = append([]any{kit.Release}, args...)
	rows, err := s.db.QueryContext(ctx, `SELECT m.id, m.client_id, c.name, m.name, `+stateOf+`, m.seen_warn, COALESCE(k.number, 0), COALESCE(k.files, 0), COALESCE(k.missing, 0), COALESCE(m.seen_build, '')
		FROM clients c JOIN marks m ON m.client_id = c.id LEFT JOIN kits k ON k.id = m.newest_kit LEFT JOIN jobs j ON j.open_mark = m.id
		WHERE `+strings.Join(where, " AND ")+` ORDER BY c.name, m.name, m.id LIMIT ?`, append(args, q.Limit+1)...)
	if err != nil {
		return d, err
	}
	defer rows.Close()
	for rows.Next() {
		var t Tag
		if err := rows.Scan(&t.ID, &t.ClientID, &t.Client, &t.Name, &t.State, &t.Warn, &t.Kit, &t.Files, &t.Missing, &t.Build); err != nil {
			return d, err
		}
		d.Tags = append(d.Tags, t)
	}
	if len(d.Tags) > q.Limit {
		d.Tags = d.Tags[:q.Limit]
		d.More = d.Tags[q.Limit-1].ID
	}
	return d, rows.Err()
}

// saw notes how a mark stands, for the desk.
func (s *Studio) saw(ctx context.Context, w *Work) error {
	_, err := s.db.ExecContext(ctx, "UPDATE marks SET seen_build = ?, seen_warn = ?, seen_stop = ?, seen_kind = ?, seen_release = ? WHERE id = ? AND COALESCE(decisions_id, 0) = ?",
		w.Name, w.Plan.Master.Findings.Count(finding.Warn), cut(w.Stop, 300), w.Plan.Master.Kind.Key, kit.Release, w.Mark.ID, w.Mark.decision)
	return err
}

// unsee forgets how a mark, or those of a client, stand: they changed.
func unsee(ctx context.Context, tx *sql.Tx, column string, id int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE marks SET seen_build = NULL WHERE "+column+" = ?", id)
	return err
}

// SeeSome looks at marks of a page that changed since they were looked at, as
// many as the time allows; the rest are looked at when their picture is.
func (s *Studio) SeeSome(ctx context.Context, d *Desk, enough func() bool) error {
	for i := range d.Tags {
		t := &d.Tags[i]
		if t.State != Unseen {
			continue
		}
		if enough() {
			return nil
		}
		m, err := s.Mark(ctx, t.ID)
		if err != nil {
			return err
		}
		w, err := s.Work(ctx, m)
		if err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			t.State = Stopped
			continue
		}
		t.Build, t.Warn = w.Name, w.Plan.Master.Findings.Count(finding.Warn)
		switch {
		case w.Stop != "":
			t.State = Stopped
		case m.Kit != nil && m.Kit.Build == w.Name && m.Kit.Report.Incomplete:
			t.State = Partial
		case m.Kit != nil && m.Kit.Build == w.Name:
			t.State = Current
		case m.Kit != nil:
			t.State = Outdated
		case !w.Plan.Master.Kind.Vector:
			t.State = Raster
		case t.Warn > 0:
			t.State = ToLook
		default:
			t.State = Ready
		}
	}
	return nil
}
