package studio

import (
	"context"
	"database/sql"
	"fmt"
	"regexp"
	"time"
)

// unnamedFor is how long bytes are let be that nothing names: they are handed in
// before the row that names them.
const unnamedFor = 24 * time.Hour

// named is what may name bytes in what is kept as JSON: a hash in hex.
var named = regexp.MustCompile(`[0-9a-f]{64}`)

// Collected is what Collect deleted.
type Collected struct {
	Count int
	Bytes int64
}

func (c Collected) String() string {
	return fmt.Sprintf("%d of the kept files, %d bytes", c.Count, c.Bytes)
}

// Collect deletes the bytes that nothing names any more: no master, kit, font,
// candidate, photograph or held file, no decision that can still be undone, no saved recipe
// and no build in the queue. What was handed in within a day is let be, and so is what came
// since the first of the builds under way began: clocks are set forward.
func (s *Studio) Collect(ctx context.Context) (c Collected, err error) {
	return s.collect(ctx, unnamedFor)
}

func (s *Studio) collect(ctx context.Context, after time.Duration) (c Collected, err error) {
	keep, err := s.namedInText(ctx)
	if err != nil {
		return c, err
	}
	const old = "kept_at < LEAST(NOW(6) - INTERVAL ? SECOND, COALESCE((SELECT MIN(started_at) FROM jobs WHERE state = 'running'), NOW(6)))"
	rows, err := s.db.QueryContext(ctx, `SELECT b.sha256, b.size FROM blobs b WHERE b.`+old+`
		AND NOT EXISTS (SELECT 1 FROM masters x WHERE x.sha256 = b.sha256) AND NOT EXISTS (SELECT 1 FROM kit_files x WHERE x.sha256 = b.sha256)
		AND NOT EXISTS (SELECT 1 FROM made x WHERE x.sha256 = b.sha256)
		AND NOT EXISTS (SELECT 1 FROM kits x WHERE x.zip = b.sha256) AND NOT EXISTS (SELECT 1 FROM kits x WHERE x.page = b.sha256)
		AND NOT EXISTS (SELECT 1 FROM studios x WHERE x.portrait = b.sha256) AND NOT EXISTS (SELECT 1 FROM fonts x WHERE x.sha256 = b.sha256)
		AND NOT EXISTS (SELECT 1 FROM candidates x WHERE x.sha256 = b.sha256) AND NOT EXISTS (SELECT 1 FROM held x WHERE x.sha256 = b.sha256)
		AND NOT EXISTS (SELECT 1 FROM photos x WHERE x.sha256 = b.sha256) AND NOT EXISTS (SELECT 1 FROM photos x WHERE x.marked = b.sha256)`, after.Seconds())
	if err != nil {
		return c, err
	}
	type blob struct {
		h    Hash
		size int64
	}
	var idle []blob
	for rows.Next() {
		var h []byte
		var b blob
		if err := rows.Scan(&h, &b.size); err != nil {
			rows.Close()
			return c, err
		}
		if b.h = Hash(h); !keep[b.h.String()] {
			idle = append(idle, b)
		}
	}
	rows.Close()
	if err := rows.Err(); err != nil {
		return c, err
	}
	for _, b := range idle {
		// Whatever came to name it meanwhile keeps it: a row by its foreign key,
		// a decision by having handed it in again.
		res, err := s.db.ExecContext(ctx, "DELETE IGNORE FROM blobs WHERE sha256 = ? AND "+old, b.h[:], after.Seconds())
		if err != nil {
			return c, err
		}
		if n, err := res.RowsAffected(); err == nil && n == 1 {
			c.Count++
			c.Bytes += b.size
		}
	}
	return c, nil
}

// namedInText lists the hashes that stand in what is kept as JSON. A build in the
// queue names fonts and profiles so, a decision the pictures it stands on.
func (s *Studio) namedInText(ctx context.Context) (map[string]bool, error) {
	keep := map[string]bool{}
	for _, q := range []string{"SELECT body FROM decisions", "SELECT body FROM recipes", "SELECT body FROM jobs WHERE state IN ('waiting', 'running')"} {
		rows, err := s.db.QueryContext(ctx, q)
		if err != nil {
			return nil, err
		}
		for rows.Next() {
			var body sql.RawBytes
			if err := rows.Scan(&body); err != nil {
				rows.Close()
				return nil, err
			}
			for _, h := range named.FindAll(body, -1) {
				keep[string(h)] = true
			}
		}
		rows.Close()
		if err := rows.Err(); err != nil {
			return nil, err
		}
	}
	return keep, nil
}
