package studio

import (
	"context"
	"database/sql"
	"errors"

	"dyekit/studio/secret"
)

// offeredFor is how many hours a master waits for what it lacks: fewer than its bytes
// are let be without a name (unnamedFor).
const offeredFor = 20

// Offer keeps a master that cannot be taken in yet, as its font or its password is not
// there, and returns a token by which the same studio has it again within a day.
// Nothing but its bytes is kept, and they are not opened.
func (s *Studio) Offer(ctx context.Context, t Taking) (token string, err error) {
	if len(t.Data) == 0 || len(t.Data) > MaxMaster {
		return "", nil
	}
	h, err := s.put(ctx, t.Data)
	if err != nil {
		return "", err
	}
	if _, err := s.db.ExecContext(ctx, "DELETE FROM offered WHERE offered_at < NOW(6) - INTERVAL ? HOUR", offeredFor); err != nil {
		return "", err
	}
	token = secret.Token()
	key := secret.Hash(token)
	_, err = s.db.ExecContext(ctx, "INSERT INTO offered (studio_id, token, filename, sha256) VALUES (?, ?, ?, ?)", house(ctx), key[:], fileName(t.Filename), h[:])
	return token, err
}

// Offered returns a master that was offered; ErrNotFound if it is gone.
func (s *Studio) Offered(ctx context.Context, token string) (filename string, data []byte, err error) {
	filename, h, err := s.offered(ctx, token)
	if err == nil {
		data, err = s.get(ctx, h)
	}
	return filename, data, err
}

// OfferedHash is Offered with the hash of its bytes alone.
func (s *Studio) OfferedHash(ctx context.Context, token string) (filename, hash string, err error) {
	filename, h, err := s.offered(ctx, token)
	return filename, h.String(), err
}

func (s *Studio) offered(ctx context.Context, token string) (filename string, hash Hash, err error) {
	var h []byte
	key := secret.Hash(token)
	err = s.db.QueryRowContext(ctx, "SELECT filename, sha256 FROM offered WHERE studio_id = ? AND token = ? AND offered_at >= NOW(6) - INTERVAL ? HOUR", house(ctx), key[:], offeredFor).Scan(&filename, &h)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	if err != nil {
		return "", hash, err
	}
	return filename, Hash(h), nil
}
