package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"dyekit/core/kit"
	"dyekit/studio/decision"
)

// PutAway takes a mark off the desk; nothing of it is lost. What is being made
// of it is cancelled.
func (s *Studio) PutAway(ctx context.Context, mark int64) error {
	if err := s.queue.CancelAll(ctx, mark); err != nil {
		return err
	}
	return s.away(ctx, "UPDATE marks SET away_at = NOW(6) WHERE id = ? AND away_at IS NULL", mark)
}

// BringBack hangs a mark that was put away on the desk again.
func (s *Studio) BringBack(ctx context.Context, mark int64) error {
	return s.away(ctx, "UPDATE marks SET away_at = NULL WHERE id = ?", mark)
}

// PutClientAway takes all marks of a client off the desk.
func (s *Studio) PutClientAway(ctx context.Context, client int64) error {
	rows, err := s.db.QueryContext(ctx, "SELECT id FROM marks WHERE client_id = ? AND away_at IS NULL", client)
	if err != nil {
		return err
	}
	ids, err := idsOf(rows)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := s.PutAway(ctx, id); err != nil {
			return err
		}
	}
	return nil
}

func (s *Studio) away(ctx context.Context, query string, mark int64) error {
	if _, err := s.Mark(ctx, mark); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, query, mark)
	return err
}

func idsOf(rows *sql.Rows) (ids []int64, err error) {
	defer rows.Close()
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, rows.Err()
}

// Losses is what goes with a mark, or with a client, when it is deleted for good.
type Losses struct {
	Marks, Masters, Decisions, Kits, Files int
	Bytes                                  int // of the kits
	Hands                                  int // links to them
	// Of a client whose last mark goes.
	Client            string
	Fonts, Candidates int
	Inks, Recipes     int
}

// Losses tells what Delete would take along.
func (s *Studio) Losses(ctx context.Context, m *Mark) (l Losses, err error) {
	var last bool // of its client
	err = s.db.QueryRowContext(ctx, `SELECT 1, (SELECT COUNT(*) FROM masters WHERE mark_id = m.id), (SELECT COUNT(*) FROM decisions WHERE mark_id = m.id),
		(SELECT COUNT(*) FROM kits WHERE mark_id = m.id), (SELECT COALESCE(SUM(files), 0) FROM kits WHERE mark_id = m.id), (SELECT COALESCE(SUM(bytes), 0) FROM kits WHERE mark_id = m.id),
		(SELECT COUNT(*) FROM hands h JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = m.id),
		NOT EXISTS (SELECT 1 FROM marks o WHERE o.client_id = m.client_id AND o.id <> m.id)
		FROM marks m WHERE m.id = ?`, m.ID).Scan(&l.Marks, &l.Masters, &l.Decisions, &l.Kits, &l.Files, &l.Bytes, &l.Hands, &last)
	if errors.Is(err, sql.ErrNoRows) {
		return l, ErrNotFound
	}
	if err != nil || !last {
		return l, err
	}
	l.Client = m.Client
	inks, err := m.Inks()
	if err != nil {
		return l, err
	}
	l.Inks = len(inks)
	err = s.db.QueryRowContext(ctx, `SELECT (SELECT COUNT(*) FROM fonts WHERE client_id = c.id), (SELECT COUNT(*) FROM candidates WHERE client_id = c.id), (SELECT COUNT(*) FROM recipes WHERE client_id = c.id)
		FROM clients c WHERE c.id = ?`, m.ClientID).Scan(&l.Fonts, &l.Candidates, &l.Recipes)
	return l, err
}

// Delete deletes a mark that was put away, for good: its masters, decisions and
// kits; with the last mark of a client the client's inks, fonts, candidates and
// recipes too. Bytes that nothing names any more go with the next Collect.
func (s *Studio) Delete(ctx context.Context, mark int64) error {
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	if !m.Away {
		return decision.Wrong("away", "only what was put away is deleted: put the mark away first")
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var open int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM jobs WHERE mark_id = ? AND state IN ('waiting', 'running')", mark).Scan(&open); err != nil {
			return err
		}
		if open > 0 {
			return decision.Wrong("away", "something of it is still being made: try again in a moment")
		}
		queries := []string{
			"UPDATE marks SET decisions_id = NULL, newest_kit = NULL WHERE id = ? AND away_at IS NOT NULL",
			"DELETE p FROM photos p JOIN batches b ON b.id = p.batch_id WHERE b.mark_id = ?",
			"DELETE FROM batches WHERE mark_id = ?",
			"DELETE FROM jobs WHERE mark_id = ?",
			"DELETE x FROM mails x JOIN hands h ON h.id = x.hand_id JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ?",
			"DELETE q FROM questions q JOIN hands h ON h.id = q.hand_id JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ?",
			"DELETE l FROM hand_log l JOIN hands h ON h.id = l.hand_id JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ?",
			"DELETE h FROM hands h JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ?",
			"DELETE x FROM made x JOIN kits k ON k.id = x.kit_id WHERE k.mark_id = ?",
			"DELETE f FROM kit_files f JOIN kits k ON k.id = f.kit_id WHERE k.mark_id = ?",
			"DELETE FROM kits WHERE mark_id = ?",
			"UPDATE decisions SET parent_id = NULL WHERE mark_id = ?",
			"DELETE FROM decisions WHERE mark_id = ?",
			"DELETE FROM masters WHERE mark_id = ?",
			"UPDATE candidates SET mark_id = NULL WHERE mark_id = ?",
			"DELETE FROM asked WHERE mark_id = ?",
			"DELETE FROM marks WHERE id = ?",
		}
		if err := all(ctx, tx, mark, queries); err != nil {
			return err
		}
		var left int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM marks WHERE client_id = ? FOR UPDATE", m.ClientID).Scan(&left); err != nil || left > 0 {
			return err
		}
		return all(ctx, tx, m.ClientID, []string{
			"DELETE FROM fonts WHERE client_id = ?",
			"DELETE FROM reviews WHERE client_id = ?",
			"DELETE FROM candidates WHERE client_id = ?",
			"DELETE FROM recipes WHERE client_id = ?",
			"DELETE FROM wordings WHERE client_id = ?",
			"DELETE FROM finishes WHERE client_id = ?",
			"UPDATE clients SET inks_id = NULL WHERE id = ?",
			"UPDATE ink_sets SET parent_id = NULL WHERE client_id = ?",
			"DELETE FROM ink_sets WHERE client_id = ?",
			"DELETE FROM clients WHERE id = ?",
		})
	})
}

// all runs queries of one argument.
func all(ctx context.Context, tx *sql.Tx, id int64, queries []string) error {
	for _, q := range queries {
		if _, err := tx.ExecContext(ctx, q, id); err != nil {
			return err
		}
	}
	return nil
}

// Says lists in words what goes.
func (l Losses) Says() (out []string) {
	add := func(n int, one, many string) {
		if n == 1 {
			out = append(out, "1 "+one)
		} else if n > 1 {
			out = append(out, fmt.Sprint(n, " ", many))
		}
	}
	add(l.Masters, "master", "masters")
	add(l.Decisions, "decision", "decisions")
	add(l.Kits, "kit", "kits")
	if l.Files > 0 {
		in := "in it"
		if l.Kits > 1 {
			in = "in them"
		}
		add(l.Files, "file "+in, "files "+in)
		out[len(out)-1] += ", " + kit.Weight(l.Bytes)
	}
	add(l.Hands, "link of a client", "links of clients")
	add(l.Inks, "ink of "+l.Client, "inks of "+l.Client)
	add(l.Fonts, "font of "+l.Client, "fonts of "+l.Client)
	add(l.Candidates, "candidate of "+l.Client, "candidates of "+l.Client)
	add(l.Recipes, "saved recipe of "+l.Client, "saved recipes of "+l.Client)
	return out
}
