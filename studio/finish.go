package studio

import (
	"context"
	"database/sql"
	"encoding/json"

	"dyekit/core/version"
	"dyekit/studio/decision"
)

// maxFinishes bounds those that a client has saved.
const maxFinishes = 60

// A SavedFinish is a finish that all marks of a client share.
type SavedFinish struct {
	ID int64
	version.Finish
}

// Finishes lists those saved for a client, by name.
func (s *Studio) Finishes(ctx context.Context, client int64) (out []SavedFinish, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, name, body FROM finishes WHERE client_id = ? ORDER BY name", client)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var x SavedFinish
		var body []byte
		if err := rows.Scan(&x.ID, &x.Name, &body); err != nil {
			return nil, err
		}
		name := x.Name
		if json.Unmarshal(body, &x.Finish) != nil || x.Finish.Check() != nil {
			continue // of a later release; it is still there for that
		}
		x.Name = name
		out = append(out, x)
	}
	return out, rows.Err()
}

// SaveFinish keeps a finish for all marks of a client; one of its name is replaced.
func (s *Studio) SaveFinish(ctx context.Context, m *Mark, f version.Finish) error {
	name, err := cleanName("name", f.Name)
	if err != nil {
		return err
	}
	if err := f.Check(); err != nil {
		return decision.Wrong("finish", "%s", err)
	}
	f.Name = name
	body, err := json.Marshal(f)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM finishes WHERE client_id = ? AND name <> ?", m.ClientID, name).Scan(&n); err != nil {
			return err
		}
		if n >= maxFinishes {
			return decision.Wrong("name", "at most %d finishes are saved", maxFinishes)
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO finishes (client_id, name, body, who) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE body = VALUES(body), who = VALUES(who)", m.ClientID, name, body, person(ctx))
		return err
	})
}

// DropFinish takes a saved finish away; versions that have it keep it.
func (s *Studio) DropFinish(ctx context.Context, m *Mark, id int64) error {
	return s.oneRow(ctx, "DELETE FROM finishes WHERE id = ? AND client_id = ?", id, m.ClientID)
}

// AddFinish adds a version with a finish to a mark.
func (s *Studio) AddFinish(ctx context.Context, w *Snapshot, base string, f version.Finish) error {
	spec, err := w.Finishing(base, f)
	if err != nil {
		return err
	}
	v, err := w.Finished(ctx, spec)
	if err != nil {
		return err
	}
	if v.Drawing == nil {
		return decision.Wrong("finish", "%s", v.Refused)
	}
	return s.addVersion(ctx, w.Mark.ID, "finish", spec)
}

// PlainInks is how many of FinishInks, at the end, are of no brand: white and black.
const PlainInks = 2

// FinishInks are the inks that a finish of a mark can be made of: those of the client,
// the colours of the mark that are none, and PlainInks.
func (w *Snapshot) FinishInks() (out []version.Ink) {
	have := map[string]bool{}
	add := func(k version.Ink) {
		if !have[k.RGB] {
			have[k.RGB] = true
			out = append(out, k)
		}
	}
	for _, k := range w.Plan.Inks {
		add(k.Ink)
	}
	for _, t := range w.Tones {
		hex := t.Colour.RGB.Hex()
		k := version.Ink{Name: t.Colour.RGB.Word() + " " + hex, RGB: hex}
		if t.Colour.Built {
			b, _ := t.Colour.Press()
			k.CMYK = &[4]float64{b.C, b.M, b.Y, b.K}
		}
		add(k)
	}
	return append(out, version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}, version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}})
}
