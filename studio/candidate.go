package studio

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"dyekit/core/intake"
	"dyekit/core/preflight"
	"dyekit/studio/decision"
)

// maxCandidates bounds those of one client.
const maxCandidates = 200

// A Candidate is a drawing handed in beside others, of which one is to be
// chosen.
type Candidate struct {
	ID       int64
	ClientID int64
	Client   string
	Filename string
	Hash     Hash
	Mends    []intake.Mend // which of several in the file it is; or none
	Kind     string        // of the file, for people
	W, H     float64       // of its page, in page units; 0 if they are not known
	Chosen   bool
	MarkID   int64 // of the mark it became, or 0
	Mark     string
	Taken    time.Time
}

const selectCandidate = `SELECT x.id, x.client_id, c.name, x.filename, x.sha256, x.page, x.kind, x.width, x.height, x.chosen, COALESCE(x.mark_id, 0), COALESCE(m.name, ''), x.created_at
FROM candidates x JOIN clients c ON c.id = x.client_id LEFT JOIN marks m ON m.id = x.mark_id `

func scanCandidate(row interface{ Scan(...any) error }) (*Candidate, error) {
	var c Candidate
	var h []byte
	var mends string
	if err := row.Scan(&c.ID, &c.ClientID, &c.Client, &c.Filename, &h, &mends, &c.Kind, &c.W, &c.H, &c.Chosen, &c.MarkID, &c.Mark, &c.Taken); err != nil {
		return nil, err
	}
	copy(c.Hash[:], h)
	for m := range strings.SplitSeq(mends, "\n") {
		if m != "" {
			c.Mends = append(c.Mends, intake.Mend(m))
		}
	}
	return &c, nil
}

// Sheet is the page of the file that it is, or 0 if the file has one alone.
func (c *Candidate) Sheet() int {
	for _, m := range c.Mends {
		if n := m.Sheet(); n > 0 {
			return n
		}
	}
	return 0
}

// Apart reports whether it is one of several drawings on a page.
func (c *Candidate) Apart() bool {
	return slices.ContainsFunc(c.Mends, func(m intake.Mend) bool { return m.Early() })
}

// Candidates lists those of a client in the order in which they came.
func (s *Studio) Candidates(ctx context.Context, client int64) ([]*Candidate, error) {
	rows, err := s.db.QueryContext(ctx, selectCandidate+"WHERE x.client_id = ? ORDER BY x.id", client)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []*Candidate
	for rows.Next() {
		c, err := scanCandidate(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, rows.Err()
}

// Candidate returns one.
func (s *Studio) Candidate(ctx context.Context, id int64) (*Candidate, error) {
	c, err := scanCandidate(s.db.QueryRowContext(ctx, selectCandidate+"WHERE x.id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return c, err
}

// TakeCandidate keeps a file as a candidate of a client, each drawing on its
// page as one, and returns the client. What is there already stays once.
func (s *Studio) TakeCandidate(ctx context.Context, t Taking) (client int64, err error) {
	name, err := cleanName("client", t.Client)
	if err != nil {
		return 0, err
	}
	cid, err := s.clientID(ctx, name)
	if err != nil {
		return 0, err
	}
	h, err := s.keepMaster(ctx, t, cid)
	if err != nil {
		return 0, err
	}
	m := Mark{ClientID: cid, Master: Master{Hash: h}}
	if m.fonts, err = s.clientFonts(ctx, cid); err != nil {
		return 0, err
	}
	return s.keepCandidates(ctx, name, t.Filename, &m)
}

// Spread makes the drawings on the page of a mark's master candidates of its
// client.
func (s *Studio) Spread(ctx context.Context, m *Mark) (client int64, err error) {
	plain := *m
	plain.inks = ""
	return s.keepCandidates(ctx, m.Client, m.Master.Filename, &plain)
}

// maxSheets bounds the pages of one file that become candidates.
const maxSheets = 40

// spread finds the drawings in a file: each page of it, and on each page those
// that stand apart. A page that cannot be read, or is empty, is left out where
// there are others.
func (s *Studio) spread(ctx context.Context, m *Mark) (out []Candidate, err error) {
	first, err := s.table.Master(ctx, m.subject(), Decisions{})
	sheets := 1
	if err == nil {
		sheets = first.Sheets
	}
	for n := range min(sheets, maxSheets) {
		var mends []intake.Mend
		master := first
		if sheets > 1 {
			mends = []intake.Mend{preflight.Sheet(n + 1)}
			if master, err = s.table.Master(ctx, m.subject(), Decisions{Mends: mends}); err != nil {
				continue
			}
		}
		if err != nil {
			break
		}
		one := Candidate{Mends: mends, Kind: master.Kind.Name, W: master.Drawing.Page.W(), H: master.Drawing.Page.H()}
		boxes := preflight.Drawings(master.Drawing)
		if len(boxes) < 2 {
			out = append(out, one)
			continue
		}
		for _, b := range boxes {
			x := one
			x.Mends = append(mends[:len(mends):len(mends)], intake.Mend(preflight.PageMend(b)))
			x.W, x.H = b.W(), b.H()
			out = append(out, x)
		}
	}
	if len(out) > 0 {
		return out, nil
	}
	return nil, err
}

func (s *Studio) keepCandidates(ctx context.Context, client, filename string, m *Mark) (cid int64, err error) {
	found, err := s.spread(ctx, m)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		if cid, err = keepClient(ctx, tx, client); err != nil {
			return err
		}
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM candidates WHERE client_id = ?", cid).Scan(&n); err != nil {
			return err
		}
		if n+len(found) > maxCandidates {
			return decision.Wrong("master", "%s has %d candidates; at most %d are kept", client, n, maxCandidates)
		}
		for _, x := range found {
			var mends []string
			for _, m := range x.Mends {
				mends = append(mends, string(m))
			}
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO candidates (client_id, filename, sha256, page, kind, width, height, who) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
				cid, fileName(filename), m.Master.Hash[:], strings.Join(mends, "\n"), x.Kind, x.W, x.H, person(ctx)); err != nil {
				return err
			}
		}
		return nil
	})
	return cid, err
}

// ChooseCandidate marks one as chosen, and no other of its client.
func (s *Studio) ChooseCandidate(ctx context.Context, c *Candidate) error {
	_, err := s.db.ExecContext(ctx, "UPDATE candidates SET chosen = (id = ?) WHERE client_id = ?", c.ID, c.ClientID)
	return err
}

// DropCandidate takes one off the board; a mark made of it stays.
func (s *Studio) DropCandidate(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, "DELETE FROM candidates WHERE id = ?", id)
	return err
}

// MarkOf makes a mark of a candidate. Its master is the whole file as it came;
// which of several drawings it is, is its first mend.
func (s *Studio) MarkOf(ctx context.Context, c *Candidate, name string) (id int64, err error) {
	if name, err = cleanName("mark", name); err != nil {
		return 0, err
	}
	d := Decisions{Mends: c.Mends}
	body, err := json.Marshal(d)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		// Asked for twice, it is made once.
		var made sql.NullInt64
		err := tx.QueryRowContext(ctx, "SELECT mark_id FROM candidates WHERE id = ? FOR UPDATE", c.ID).Scan(&made)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if made.Valid {
			id = made.Int64
			return nil
		}
		if id, err = newMark(ctx, tx, c.ClientID, c.Client, name, c.Filename, c.Hash); err != nil {
			return err
		}
		if c.Mends != nil {
			res, err := tx.ExecContext(ctx, "INSERT INTO decisions (mark_id, what, body, who) VALUES (?, ?, ?, ?)", id, "one of several drawings", body, person(ctx))
			if err != nil {
				return err
			}
			row, err := res.LastInsertId()
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, "UPDATE marks SET decisions_id = ? WHERE id = ?", row, id); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "UPDATE candidates SET mark_id = ? WHERE id = ?", id, c.ID)
		return err
	})
	return id, err
}

// CandidatePicture draws a candidate with its page.
func (s *Studio) CandidatePicture(ctx context.Context, c *Candidate, width, height int) ([]byte, error) {
	m := Mark{ClientID: c.ClientID, Master: Master{Hash: c.Hash}}
	var err error
	if m.fonts, err = s.clientFonts(ctx, c.ClientID); err != nil {
		return nil, err
	}
	d := Decisions{Mends: c.Mends}
	return s.table.Page(ctx, m.subject(), d, width, height)
}

// A Board is the candidates of one client.
type Board struct {
	ClientID int64
	Client   string
	Count    int
	Open     bool // none of them has become a mark
}

// Boards lists the clients that have candidates, those that wait for a choice
// first.
func (s *Studio) Boards(ctx context.Context) ([]Board, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT c.id, c.name, COUNT(*), SUM(x.mark_id IS NOT NULL) = 0 AS open
		FROM candidates x JOIN clients c ON c.id = x.client_id WHERE c.studio_id = ? GROUP BY c.id, c.name ORDER BY open DESC, c.name LIMIT ?`, house(ctx), maxClients)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Board
	for rows.Next() {
		var b Board
		if err := rows.Scan(&b.ClientID, &b.Client, &b.Count, &b.Open); err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, rows.Err()
}
