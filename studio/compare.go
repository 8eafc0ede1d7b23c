package studio

import (
	"context"
	"database/sql"
	"fmt"
	"slices"

	"dyekit/studio/preview"
)

// Revisions lists the masters of a mark, the newest first.
func (s *Studio) Revisions(ctx context.Context, mark int64) ([]Master, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, revision, filename, sha256, created_at FROM masters WHERE mark_id = ? ORDER BY revision DESC", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Master
	for rows.Next() {
		var m Master
		var h []byte
		if err := rows.Scan(&m.ID, &m.Revision, &m.Filename, &h, &m.Taken); err != nil {
			return nil, err
		}
		copy(m.Hash[:], h)
		out = append(out, m)
	}
	return out, rows.Err()
}

// GoBack takes an earlier revision of the master in again, as the newest: the
// kits made of the one between stay what they are.
func (s *Studio) GoBack(ctx context.Context, mark int64, revision int) error {
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	all, err := s.Revisions(ctx, mark)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(x Master) bool { return x.Revision == revision })
	if i < 0 || all[i].Hash == m.Master.Hash {
		return ErrNotFound
	}
	if err := s.inTx(ctx, func(tx *sql.Tx) error {
		return newMaster(ctx, tx, m, fmt.Sprintf("master %d again", revision), all[i].Filename, all[i].Hash)
	}); err != nil {
		return err
	}
	return s.follow(ctx, mark, m.Master.Revision)
}

// A Comparison is two revisions of a master beside each other.
type Comparison struct {
	*preview.Comparison
	Mark     *Mark
	Old, New Master
}

// Compare holds the present master of a mark to an earlier revision.
func (s *Studio) Compare(ctx context.Context, m *Mark, revision int) (*Comparison, error) {
	all, err := s.Revisions(ctx, m.ID)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(all, func(x Master) bool { return x.Revision == revision })
	if i < 0 || revision == m.Master.Revision {
		return nil, ErrNotFound
	}
	d, err := m.Decisions()
	if err != nil {
		return nil, err
	}
	past := *m
	past.Master = all[i]
	c, err := s.table.Compare(ctx, past.subject(), m.subject(), d)
	if err != nil {
		return nil, err
	}
	return &Comparison{c, m, all[i], m.Master}, nil
}
