package studio

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"unicode/utf8"

	"dyekit/core/asked"
	"dyekit/studio/decision"
)

// Bounds of what a studio adds to the words that are understood, in characters, and how many
// there may be of a client.
const (
	MaxWording  = 80
	MaxMeaning  = 200
	maxWordings = 100
)

// A Wording is what clients call something, in words that are understood.
type Wording struct {
	ID int64
	asked.Rule
	All bool // of all clients
}

// Wordings lists those that hold for a mark's client: its own first.
func (s *Studio) Wordings(ctx context.Context, mark int64) (ws []Wording, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT w.id, w.said, w.means, w.client_id IS NULL FROM wordings w JOIN clients c ON c.studio_id = w.studio_id AND w.scope IN (c.id, 0) JOIN marks m ON m.client_id = c.id WHERE m.id = ? ORDER BY w.client_id IS NULL, w.said", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var w Wording
		if err := rows.Scan(&w.ID, &w.Said, &w.Means, &w.All); err != nil {
			return nil, err
		}
		ws = append(ws, w)
	}
	return ws, rows.Err()
}

// Rules are the wordings of a mark's client, as sentences are read with them.
func (s *Studio) Rules(ctx context.Context, mark int64) ([]asked.Rule, error) {
	ws, err := s.Wordings(ctx, mark)
	var out []asked.Rule
	for _, w := range ws {
		out = append(out, w.Rule)
	}
	return out, err
}

// SetWording keeps what the client of a mark, or all clients, call something; what they called
// it before is replaced.
func (s *Studio) SetWording(ctx context.Context, mark int64, w Wording) error {
	w.Said, w.Means = strings.Join(strings.Fields(w.Said), " "), strings.Join(strings.Fields(w.Means), " ")
	switch {
	case w.Said == "":
		return decision.Wrong("said", "write what they say")
	case utf8.RuneCountInString(w.Said) > MaxWording:
		return decision.Wrong("said", "it is longer than %d characters", MaxWording)
	case utf8.RuneCountInString(w.Means) > MaxMeaning:
		return decision.Wrong("means", "it is longer than %d characters", MaxMeaning)
	}
	got := asked.Read("en", w.Means)
	switch {
	case len(got.Unknown) > 0:
		return decision.Wrong("means", "“%s” is not understood: say it in other words, such as white, vector, EPS", strings.Join(got.Unknown, ", "))
	case len(got.Things) == 0:
		return decision.Wrong("means", "say what they mean, such as white, vector, EPS")
	}
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	client := sql.NullInt64{Int64: m.ClientID, Valid: !w.All}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM wordings WHERE studio_id = ? AND scope = ? AND said <> ?", house(ctx), client.Int64, w.Said).Scan(&n); err != nil {
			return err
		}
		if n >= maxWordings {
			return decision.Wrong("said", "at most %d are kept", maxWordings)
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO wordings (studio_id, client_id, said, means, who) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE means = VALUES(means), who = VALUES(who)", house(ctx), client, w.Said, w.Means, person(ctx))
		if err != nil {
			return fmt.Errorf("the wording cannot be kept: %w", err)
		}
		return nil
	})
}

// DropWording takes one away, of the client of a mark or of all.
func (s *Studio) DropWording(ctx context.Context, mark, id int64) error {
	return s.oneRow(ctx, "DELETE w FROM wordings w JOIN marks m ON m.id = ? WHERE w.id = ? AND w.studio_id = ? AND w.scope IN (m.client_id, 0)", mark, id, house(ctx))
}
