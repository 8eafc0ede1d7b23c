package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
)

// chunk is the most bytes kept in one row, so that no packet and no backup
// ever meets a large value.
const chunk = 1 << 20

// A Hash names some bytes.
type Hash [32]byte

func (h Hash) String() string { return fmt.Sprintf("%x", h[:]) }

// put keeps bytes under their hash. Equal bytes are kept once. The row in
// blobs comes last: where it is, all chunks are.
func (s *Studio) put(ctx context.Context, data []byte) (Hash, error) {
	h := Hash(sha256.Sum256(data))
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		var one int
		err := tx.QueryRowContext(ctx, "SELECT 1 FROM blobs WHERE sha256 = ?", h[:]).Scan(&one)
		if !errors.Is(err, sql.ErrNoRows) {
			return err // it is there, or something is wrong
		}
		for i := 0; i == 0 || i*chunk < len(data); i++ {
			part := data[i*chunk : min(len(data), (i+1)*chunk)]
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO blob_chunks (sha256, seq, data) VALUES (?, ?, ?)", h[:], i, part); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "INSERT IGNORE INTO blobs (sha256, size) VALUES (?, ?)", h[:], len(data))
		return err
	})
	return h, err
}

// get returns bytes by their hash and makes sure that they are the same.
func (s *Studio) get(ctx context.Context, h Hash) ([]byte, error) {
	var size int64
	err := s.db.QueryRowContext(ctx, "SELECT size FROM blobs WHERE sha256 = ?", h[:]).Scan(&size)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, "SELECT data FROM blob_chunks WHERE sha256 = ? ORDER BY seq", h[:])
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := make([]byte, 0, size)
	for rows.Next() {
		var part []byte
		if err := rows.Scan(&part); err != nil {
			return nil, err
		}
		out = append(out, part...)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	if Hash(sha256.Sum256(out)) != h {
		return nil, fmt.Errorf("the bytes kept as %s are damaged", h)
	}
	return out, nil
}
