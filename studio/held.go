package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"dyekit/core/finding"
	"dyekit/studio/decision"
)

// maxSentence bounds what a person is told at once, in letters.
const maxSentence = 300

// A Probation looks at a new master where that can do no harm: in a process of
// its own, with limits. It returns what is wrong with the master, and a *Fatal
// if looking at it ended that process. fonts are those that came with the
// client or the master.
type Probation func(ctx context.Context, master []byte, fonts [][]byte) error

// Fatal is the end of a process by the master it looked at.
type Fatal struct{ Why string }

func (f *Fatal) Error() string { return f.Why }

// A Held is a file that ended its probation. It is kept as bytes, to be sent
// to somebody who can find out why, and never opened here again.
type Held struct {
	ID       int64
	Client   string
	Filename string
	Why      string
	Size     int
	At       time.Time
}

// refused is the word on a master that is not taken in. What is missing may be
// a font: then that is the field to fill.
func refused(t Taking, why error) error {
	field := "master"
	var stopped *finding.Stopped
	if errors.As(why, &stopped) && stopped.Code == finding.MissingFont {
		field = "font"
	}
	return decision.Wrong(field, "%s", cut(fmt.Sprintf("%s cannot be taken in: %v", fileName(t.Filename), why), maxSentence))
}

// maxProbing is how many masters are on probation at a time; others wait, studios by turns.
const maxProbing = 2

// probe puts a master on probation. What does not come through is held.
func (s *Studio) probe(ctx context.Context, t Taking, fonts [][]byte) error {
	const held = "%s; it is kept on the desk as a file, and not opened again"
	h := hashBytes(t.Data)
	var why string
	switch err := s.db.QueryRowContext(ctx, "SELECT why FROM held WHERE studio_id = ? AND sha256 = ?", house(ctx), h[:]).Scan(&why); {
	case err == nil:
		return refused(t, fmt.Errorf(held, why))
	case !errors.Is(err, sql.ErrNoRows):
		return err
	}
	done, err := s.probing.take(ctx, house(ctx))
	if err != nil {
		return err
	}
	err = s.Probation(ctx, t.Data, fonts)
	done()
	var fatal *Fatal
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &fatal):
		if _, err := s.put(ctx, t.Data); err != nil {
			return err
		}
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO held (studio_id, client, filename, sha256, size, why) VALUES (?, ?, ?, ?, ?, ?)",
			house(ctx), cut(t.Client, MaxName), fileName(t.Filename), h[:], len(t.Data), cut(fatal.Why, maxSentence)); err != nil {
			return err
		}
		return refused(t, fmt.Errorf(held, fatal.Why))
	case err != nil:
		return refused(t, err)
	}
	return nil
}

// maxHeld bounds the held files that are listed.
const maxHeld = 50

// Held lists the files that ended their probation, the newest first.
func (s *Studio) Held(ctx context.Context) ([]Held, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, client, filename, why, size, held_at FROM held WHERE studio_id = ? ORDER BY id DESC LIMIT ?", house(ctx), maxHeld)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Held
	for rows.Next() {
		var h Held
		if err := rows.Scan(&h.ID, &h.Client, &h.Filename, &h.Why, &h.Size, &h.At); err != nil {
			return nil, err
		}
		out = append(out, h)
	}
	return out, rows.Err()
}

// HeldFile returns the bytes of a held file.
func (s *Studio) HeldFile(ctx context.Context, id int64) (name string, data []byte, err error) {
	var h []byte
	err = s.db.QueryRowContext(ctx, "SELECT filename, sha256 FROM held WHERE id = ? AND studio_id = ?", id, house(ctx)).Scan(&name, &h)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil, ErrNotFound
	}
	if err != nil {
		return "", nil, err
	}
	data, err = s.get(ctx, Hash(h))
	return name, data, err
}

// DropHeld takes a held file off the desk.
func (s *Studio) DropHeld(ctx context.Context, id int64) error {
	res, err := s.db.ExecContext(ctx, "DELETE FROM held WHERE id = ? AND studio_id = ?", id, house(ctx))
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n > 0 {
		return err
	}
	return ErrNotFound
}
