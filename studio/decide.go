package studio

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"path"
	"time"

	"dyekit/core/kit"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
)

// Decisions returns the current decisions about a mark.
func (m *Mark) Decisions() (Decisions, error) {
	var d Decisions
	err := json.Unmarshal([]byte(m.body), &d)
	return d, err
}

// Decide changes the decisions about a mark; what says the change in words.
// A change that changes nothing is not recorded.
func (s *Studio) Decide(ctx context.Context, id int64, what string, change func(*Decisions) error) error {
	const tries = 40
	for i := range tries {
		if i > 0 { // not all of them again at the same moment
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(time.Duration(rand.IntN(10*min(i, 10))) * time.Millisecond):
			}
		}
		m, err := s.Mark(ctx, id)
		if err != nil {
			return err
		}
		// Someone else may decide at the same moment: theirs must not be lost,
		// so the change is made again, on top of theirs.
		if err := s.decide(ctx, m, what, change); !errors.Is(err, errOvertaken) {
			return err
		}
	}
	return decision.Wrong("", "others keep changing this mark just now; look again and repeat the change")
}

// errOvertaken is returned when the decisions moved on meanwhile.
var errOvertaken = errors.New("the decisions moved on")

func (s *Studio) decide(ctx context.Context, m *Mark, what string, change func(*Decisions) error) error {
	d, err := m.Decisions()
	if err != nil {
		return err
	}
	before, err := json.Marshal(d)
	if err != nil {
		return err
	}
	if err := change(&d); err != nil {
		return err
	}
	if _, err := d.Resolve(); err != nil {
		return err
	}
	if err := s.keepGrounds(ctx, &d); err != nil {
		return err
	}
	body, err := json.Marshal(d)
	if err != nil {
		return err
	}
	if string(body) == string(before) {
		return nil
	}
	// What cannot be planned is not kept: every view of the mark would fail.
	if _, err := s.workWith(ctx, m, d); err != nil {
		var in *InputError
		if ctx.Err() != nil || queue.Unavailable(err) || queue.DiskFull(err) || errors.As(err, &in) {
			return err
		}
		if d := (*kit.DrawingError)(nil); errors.As(err, &d) {
			return decision.Wrong("drawing", "%s: %s", path.Base(d.Ref), kit.Plain(d.Err))
		}
		return decision.Wrong("recipe", "%s", kit.Plain(err))
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		// The mark first: two who each hold a part of it would wait for each other.
		var now int64
		switch err := tx.QueryRowContext(ctx, "SELECT COALESCE(decisions_id, 0) FROM marks WHERE id = ? FOR UPDATE", m.ID).Scan(&now); {
		case errors.Is(err, sql.ErrNoRows):
			return ErrNotFound
		case err != nil:
			return err
		case now != m.decision:
			return errOvertaken
		}
		res, err := tx.ExecContext(ctx, "INSERT INTO decisions (mark_id, parent_id, what, body, who, master_id) VALUES (?, NULLIF(?, 0), ?, ?, ?, ?)", m.ID, m.decision, cut(what, 200), body, person(ctx), m.Master.ID)
		if err != nil {
			return err
		}
		row, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE marks SET decisions_id = ? WHERE id = ?", row, m.ID); err != nil {
			return err
		}
		return unsee(ctx, tx, "id", m.ID)
	})
}

// ErrMoved is returned where a person undoes what they no longer see: others
// decided meanwhile, or the same undo came twice.
var ErrMoved = errors.New("the mark was changed elsewhere meanwhile; this is how it is now")

// AnyState stands for whatever state a mark is in, where one is asked for.
const AnyState = -1

// Undo takes the last decision back; it reports what was undone, or "". seen is
// the decision the person saw, which must still be the last.
func (s *Studio) Undo(ctx context.Context, id, seen int64) (string, error) {
	return s.step(ctx, id, seen, "SELECT COALESCE(m.decisions_id, 0), d.parent_id, d.what FROM marks m LEFT JOIN decisions d ON d.id = m.decisions_id WHERE m.id = ? FOR UPDATE")
}

// step moves a mark to the decision that a query names, beside the present one
// and in words; it locks the mark.
func (s *Studio) step(ctx context.Context, id, seen int64, query string) (string, error) {
	var what sql.NullString
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		var now int64
		var to sql.NullInt64
		err := tx.QueryRowContext(ctx, query, id).Scan(&now, &to, &what)
		switch {
		case errors.Is(err, sql.ErrNoRows):
			return ErrNotFound
		case err != nil:
			return err
		case seen != AnyState && seen != now:
			return ErrMoved
		case !what.Valid:
			return nil // there is nothing to undo, or to redo
		}
		_, err = tx.ExecContext(ctx, "UPDATE marks SET decisions_id = ?, seen_build = NULL WHERE id = ?", to, id)
		return err
	})
	return what.String, err
}

// A Step is one decision in the history of a mark.
type Step struct {
	id   int64
	What string
	Who  string // as they called themselves, perhaps empty
	At   time.Time
}

// maxSteps bounds the history that is shown.
const maxSteps = 50

// History lists the decisions that led to the present state, the newest first.
// What was undone is not among them.
func (s *Studio) History(ctx context.Context, m *Mark) ([]Step, error) {
	rows, err := s.db.QueryContext(ctx, `WITH RECURSIVE chain (id, parent_id, what, who, created_at, n) AS (
			SELECT id, parent_id, what, who, created_at, 1 FROM decisions WHERE id = ?
			UNION ALL SELECT d.id, d.parent_id, d.what, d.who, d.created_at, c.n + 1 FROM decisions d JOIN chain c ON d.id = c.parent_id WHERE c.n < ?)
		SELECT id, what, who, created_at FROM chain ORDER BY n`, m.decision, maxSteps)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Step
	for rows.Next() {
		var x Step
		if err := rows.Scan(&x.id, &x.What, &x.Who, &x.At); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// Redo brings back the decision last undone; it reports which, or "".
func (s *Studio) Redo(ctx context.Context, id, seen int64) (string, error) {
	return s.step(ctx, id, seen, `SELECT COALESCE(m.decisions_id, 0), d.id, d.what FROM marks m LEFT JOIN decisions d
		ON d.mark_id = m.id AND COALESCE(d.parent_id, 0) = COALESCE(m.decisions_id, 0)
		WHERE m.id = ? ORDER BY d.id DESC LIMIT 1 FOR UPDATE`)
}

// Decision numbers the present state of the decisions, 0 for none.
func (m *Mark) Decision() int64 { return m.decision }

// Since lists what was decided after a state that somebody looked at, the
// newest first; nothing if that state is not among those that led here.
func (s *Studio) Since(ctx context.Context, m *Mark, seen int64) ([]Step, error) {
	all, err := s.History(ctx, m)
	if err != nil {
		return nil, err
	}
	for i, x := range all {
		if x.id == seen {
			return all[:i], nil
		}
	}
	if seen == 0 {
		return all, nil
	}
	return nil, nil
}

// Decided reports whether there is a decision to undo.
func (m *Mark) Decided() bool { return m.decision != 0 }

// Undone reports whether a decision was undone that can be brought back.
func (m *Mark) Undone() bool { return m.redo }
