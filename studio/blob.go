package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
)

// chunk is the most bytes kept in one row, so that no packet and no backup
// ever meets a large value.
const chunk = 1 << 20

// A Hash names some bytes.
type Hash [32]byte

func (h Hash) String() string { return fmt.Sprintf("%x", h[:]) }

func hashBytes(data []byte) Hash { return Hash(sha256.Sum256(data)) }

// parseHash reads a hash in hex.
func parseHash(s string) (Hash, error) {
	raw, err := hex.DecodeString(s)
	if err != nil || len(raw) != len(Hash{}) {
		return Hash{}, fmt.Errorf("%q is not a hash", s)
	}
	return Hash(raw), nil
}

// put keeps bytes under their hash. Equal bytes are kept once; each time they come
// counts as new, so that Collect lets them be until they are named.
func (s *Studio) put(ctx context.Context, data []byte) (Hash, error) {
	h := hashBytes(data)
	return h, s.keep(ctx, h, int64(len(data)), func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
}

// putFrom is put for what is too large to be held in memory. write is called
// twice and writes the same each time: the first tells the name of the bytes.
func (s *Studio) putFrom(ctx context.Context, write func(io.Writer) error) (h Hash, err error) {
	sum := sha256.New()
	var size counter
	if err := write(io.MultiWriter(sum, &size)); err != nil {
		return h, err
	}
	h = Hash(sum.Sum(nil))
	return h, s.keep(ctx, h, int64(size), func(w io.Writer) error {
		again := sha256.New()
		if err := write(io.MultiWriter(w, again)); err != nil {
			return err
		}
		if Hash(again.Sum(nil)) != h {
			return errors.New("what is to be kept came out otherwise the second time")
		}
		return nil
	})
}

// keep keeps the bytes that write writes, if they are not there yet.
func (s *Studio) keep(ctx context.Context, h Hash, size int64, write func(io.Writer) error) error {
	if err := s.roomFor(size); err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO blobs (sha256, size) VALUES (?, ?) ON DUPLICATE KEY UPDATE kept_at = NOW(6)", h[:], size)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n != 1 { // 2 for one that was there
			return err
		}
		w := &chunks{ctx: ctx, tx: tx, h: h}
		if err := write(w); err != nil {
			return err
		}
		return w.flush()
	})
}

// A counter counts the bytes written to it.
type counter int64

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

// chunks keeps what is written as the chunks of h. All but the last are full,
// however it is written: a Reader counts on that.
type chunks struct {
	ctx  context.Context
	tx   *sql.Tx
	h    Hash
	seq  int
	part []byte
}

func (c *chunks) Write(p []byte) (int, error) {
	for rest := p; len(rest) > 0; {
		n := min(chunk-len(c.part), len(rest))
		c.part, rest = append(c.part, rest[:n]...), rest[n:]
		if len(c.part) == chunk {
			if err := c.flush(); err != nil {
				return 0, err
			}
		}
	}
	return len(p), nil
}

func (c *chunks) flush() error {
	if len(c.part) == 0 {
		return nil
	}
	_, err := c.tx.ExecContext(c.ctx, "INSERT INTO blob_chunks (sha256, seq, data) VALUES (?, ?, ?)", c.h[:], c.seq, c.part)
	c.seq, c.part = c.seq+1, c.part[:0]
	return err
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

// A Reader reads kept bytes piece by piece, from anywhere in them, so that a
// slow reader of a large file holds one piece in memory and no connection.
type Reader struct {
	ctx  context.Context
	s    *Studio
	h    Hash
	size int64
	at   int64
	no   int64 // of the piece at hand, -1 for none
	part []byte
}

// piece is how much a Reader holds, a part of a chunk: hundreds of slow readers
// take little together.
const piece = chunk / 4

func (s *Studio) open(ctx context.Context, h Hash) (*Reader, error) {
	r := &Reader{ctx: ctx, s: s, h: h, no: -1}
	err := s.db.QueryRowContext(ctx, "SELECT size FROM blobs WHERE sha256 = ?", h[:]).Scan(&r.size)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return r, err
}

// verify reads all of it once: nothing is sent that is not what was kept.
func (r *Reader) verify() error {
	sum := sha256.New()
	if _, err := io.Copy(sum, r); err != nil {
		return err
	}
	if Hash(sum.Sum(nil)) != r.h {
		return fmt.Errorf("the bytes kept as %s are damaged", r.h)
	}
	_, err := r.Seek(0, io.SeekStart)
	return err
}

// Read implements io.Reader.
func (r *Reader) Read(p []byte) (int, error) {
	if r.at >= r.size {
		return 0, io.EOF
	}
	if no := r.at / piece; no != r.no {
		from := no*piece%chunk + 1 // SQL counts from 1
		if err := r.s.db.QueryRowContext(r.ctx, "SELECT SUBSTRING(data, ?, ?) FROM blob_chunks WHERE sha256 = ? AND seq = ?", from, piece, r.h[:], r.at/chunk).Scan(&r.part); err != nil {
			return 0, err
		}
		r.no = no
	}
	if want := min(piece, r.size-r.no*piece); int64(len(r.part)) != want {
		return 0, fmt.Errorf("the bytes kept as %s are damaged: chunk %d is not as long as it was", r.h, r.at/chunk)
	}
	n := copy(p, r.part[r.at-r.no*piece:])
	r.at += int64(n)
	return n, nil
}

// Seek implements io.Seeker.
func (r *Reader) Seek(off int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		off += r.at
	case io.SeekEnd:
		off += r.size
	}
	if off < 0 {
		return 0, errors.New("seek before the beginning")
	}
	r.at = off
	return off, nil
}
