package studio

import (
	"context"
	"strings"
	"time"
)

// What is kept of sentences that clients typed: so many for a mark, the newest, and so much of
// each.
const (
	maxAsked = 200
	maxSaid  = 200
)

// An Asking is a sentence that clients typed into the page of a mark's kits.
type Asking struct {
	Said     string
	Language string
	Missed   string // the words that nobody understood
	Times    int
	Last     time.Time // by the day
}

// NoteAsking keeps what somebody typed, without who: so that its designer sees what is asked
// for, and what is not understood.
func (s *Studio) NoteAsking(ctx context.Context, mark int64, language, said string, missed []string) error {
	said = cut(strings.Join(strings.Fields(said), " "), maxSaid)
	if said == "" {
		return nil
	}
	_, err := s.db.ExecContext(ctx, "INSERT INTO asked (mark_id, said, language, missed, last_at) VALUES (?, ?, ?, ?, CURRENT_DATE) ON DUPLICATE KEY UPDATE times = times + 1, missed = VALUES(missed), last_at = CURRENT_DATE",
		mark, said, cut(language, 8), cut(strings.Join(missed, ", "), maxSaid))
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "DELETE FROM asked WHERE mark_id = ? AND id < (SELECT id FROM (SELECT id FROM asked WHERE mark_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?) AS kept)", mark, mark, maxAsked-1)
	return err
}

// Asked lists what clients typed into the page of a mark's kits: what was not understood
// first, then what is asked most.
func (s *Studio) Asked(ctx context.Context, mark int64) (as []Asking, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT said, language, missed, times, last_at FROM asked WHERE mark_id = ? ORDER BY missed = '', times DESC, id DESC", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var a Asking
		if err := rows.Scan(&a.Said, &a.Language, &a.Missed, &a.Times, &a.Last); err != nil {
			return nil, err
		}
		as = append(as, a)
	}
	return as, rows.Err()
}
