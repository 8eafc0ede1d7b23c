package studio

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"dyekit/studio/decision"
	"dyekit/studio/secret"
)

// A WayIn is something that acts as a person without their password: a passkey, or
// a token that they made. It outlives a session, so whoever stole one would leave
// such a thing behind; taking an account back lists them all.
type WayIn struct {
	Kind string // "passkey" or "token"
	ID   int64
	Name string
	Made time.Time
	Used time.Time // zero for never
}

// Key names it in a form.
func (w WayIn) Key() string { return fmt.Sprintf("%s-%d", w.Kind, w.ID) }

// Older reports whether it was made before any session that may still be open
// began, as a month is the longest that a session lasts.
func (w WayIn) Older() bool { return time.Since(w.Made) > MaxSession }

// MaxSession is the longest that a session lasts.
const MaxSession = 30 * 24 * time.Hour

// WaysIn lists the passkeys and tokens of a person, the newest first.
func (s *Studio) WaysIn(ctx context.Context, person int64) ([]WayIn, error) {
	return waysIn(ctx, s.db, person)
}

type rowsOf interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

func waysIn(ctx context.Context, db rowsOf, person int64) (ws []WayIn, err error) {
	rows, err := db.QueryContext(ctx, `SELECT 'passkey', id, name, created_at, used_at FROM passkeys WHERE person_id = ?
		UNION ALL SELECT 'token', id, name, created_at, used_on FROM tokens WHERE person_id = ? ORDER BY 4 DESC, 1, 2`, person, person)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var w WayIn
		var used sql.NullTime
		if err := rows.Scan(&w.Kind, &w.ID, &w.Name, &w.Made, &used); err != nil {
			return nil, err
		}
		w.Used = used.Time
		ws = append(ws, w)
	}
	return ws, rows.Err()
}

// endWaysIn deletes the passkeys and tokens of a person but those to keep, by key.
func endWaysIn(ctx context.Context, tx *sql.Tx, person int64, keep []string) error {
	ws, err := waysIn(ctx, tx, person)
	if err != nil {
		return err
	}
	for _, w := range ws {
		if slices.Contains(keep, w.Key()) {
			continue
		}
		query := "DELETE FROM passkeys WHERE id = ? AND person_id = ?"
		if w.Kind == "token" {
			query = "DELETE FROM tokens WHERE id = ? AND person_id = ?"
		}
		if _, err := tx.ExecContext(ctx, query, w.ID, person); err != nil {
			return err
		}
	}
	return nil
}

// SignOutEverywhere ends all sessions of somebody, and their passkeys and tokens but
// those to keep, by WayIn.Key.
func (s *Studio) SignOutEverywhere(ctx context.Context, id int64, keep ...string) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "UPDATE people SET epoch = epoch + 1 WHERE id = ?", id); err != nil {
			return err
		}
		return endWaysIn(ctx, tx, id, keep)
	})
}

// Prove checks that whoever sits there knows the password of p, before something is
// done that would outlive a stolen session (OWASP ASVS 5.0, 7.5.1).
func (s *Studio) Prove(ctx context.Context, p *Person, password string) error {
	what := "prove " + strings.ToLower(p.Mail)
	if err := s.tryOnce(ctx, what, accountTries); err != nil {
		return err
	}
	if !secret.Opens(p.pass, password) {
		return decision.Wrong("proof", "that is not your password")
	}
	return s.forgive(ctx, what)
}
