package studio

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/colour/palette"
	"dyekit/core/field"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// maxInks bounds the inks of a client.
const maxInks = 200

// Inks are those of the mark's client: all its marks share them.
func (m *Mark) Inks() ([]version.InkMapping, error) { return m.subject().InkMappings() }

// InksDecided reports whether a change of the inks can be undone.
func (m *Mark) InksDecided() bool { return m.inkSet != 0 }

// SetInk ties a colour of the masters to an ink; an ink for the same colour is
// replaced.
func (s *Studio) SetInk(ctx context.Context, mark int64, t version.InkMapping) error {
	t.Name, t.Spot = strings.TrimSpace(t.Name), strings.TrimSpace(t.Spot)
	if err := t.Check(); err != nil {
		return decision.Wrong("ink "+t.Drawn, "%s", field.Message(err))
	}
	return s.changeInks(ctx, mark, "ink "+t.Name, func(ts []version.InkMapping) ([]version.InkMapping, error) {
		// One ink may be kept for coated and for uncoated paper, side by side.
		ts = slices.DeleteFunc(slices.Clone(ts), func(x version.InkMapping) bool {
			return strings.EqualFold(x.Drawn, t.Drawn) && (x.Stock == t.Stock || x.Stock == "" || t.Stock == "")
		})
		if i := slices.IndexFunc(ts, func(x version.InkMapping) bool {
			return strings.EqualFold(x.Name, t.Name) && !tintsOfOne(x, t) && !strings.EqualFold(x.Drawn, t.Drawn)
		}); i >= 0 {
			return nil, decision.Wrong("ink "+t.Drawn, "there is an ink called %s already, for %s", t.Name, ts[i].Drawn)
		}
		if len(ts) >= maxInks {
			return nil, decision.Wrong("ink "+t.Drawn, "a client has at most %d inks", maxInks)
		}
		return append(ts, t), nil
	})
}

// tintsOfOne reports whether two entries are tints of one ink: all its values
// but the tint are the same.
func tintsOfOne(a, b version.InkMapping) bool {
	same := a.Ink
	same.Tint = b.Tint
	if a.CMYK == nil || b.CMYK == nil || *a.CMYK != *b.CMYK || a.Tint == b.Tint {
		return false
	}
	same.CMYK = b.CMYK
	return same == b.Ink
}

// TakeInks adds the colours of a list to the client's inks, each standing for
// its own value; those that are inks already, by name or value, are left as
// they are. It returns how many were added.
func (s *Studio) TakeInks(ctx context.Context, mark int64, u Upload) (added int, err error) {
	list, err := palette.Read(u.Data)
	if err != nil {
		return 0, decision.Wrong("inks", "%s: %s", fileName(u.Filename), err)
	}
	err = s.changeInks(ctx, mark, "inks from "+fileName(u.Filename), func(ts []version.InkMapping) ([]version.InkMapping, error) {
		for _, x := range list {
			t := version.InkMapping{Ink: version.Ink{Name: cut(x.Name, MaxName-4), RGB: x.RGB.Hex()}, Drawn: x.RGB.Hex()}
			if slices.ContainsFunc(ts, func(o version.InkMapping) bool {
				return strings.EqualFold(o.Name, t.Name) || strings.EqualFold(o.Drawn, t.Drawn)
			}) {
				continue
			}
			ts = append(ts, t)
			added++
		}
		if len(ts) > maxInks {
			return nil, decision.Wrong("inks", "a client has at most %d inks", maxInks)
		}
		return ts, nil
	})
	return added, err
}

// InkList writes the client's inks as a list in one of the palette's formats.
func (m *Mark) InkList(format string) ([]byte, error) {
	ts, err := m.Inks()
	if err != nil {
		return nil, err
	}
	var list []palette.Swatch
	for _, t := range ts {
		c, err := colour.ParseHex(t.RGB)
		if err != nil {
			return nil, err
		}
		list = append(list, palette.Swatch{Name: t.Name, RGB: c})
	}
	return palette.Write(list, format, m.Client)
}

// DropInk takes the ink of a colour away; the colour is then as drawn.
func (s *Studio) DropInk(ctx context.Context, mark int64, drawn string) error {
	return s.changeInks(ctx, mark, "no ink for "+drawn, func(ts []version.InkMapping) ([]version.InkMapping, error) {
		return slices.DeleteFunc(ts, func(x version.InkMapping) bool { return strings.EqualFold(x.Drawn, drawn) }), nil
	})
}

func (s *Studio) changeInks(ctx context.Context, mark int64, what string, change func([]version.InkMapping) ([]version.InkMapping, error)) error {
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	ts, err := m.Inks()
	if err != nil {
		return err
	}
	if ts, err = change(ts); err != nil {
		return err
	}
	body, err := json.Marshal(ts)
	if err != nil {
		return err
	}
	if string(body) == m.inks {
		return nil
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO ink_sets (client_id, parent_id, what, body, who) VALUES (?, NULLIF(?, 0), ?, ?, ?)", m.ClientID, m.inkSet, what, body, person(ctx))
		if err != nil {
			return err
		}
		row, err := res.LastInsertId()
		if err != nil {
			return err
		}
		res, err = tx.ExecContext(ctx, "UPDATE clients SET inks_id = ? WHERE id = ? AND COALESCE(inks_id, 0) = ?", row, m.ClientID, m.inkSet)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, decision.Wrong("", "someone else changed the inks just now; look again and repeat the change"))
		}
		return unsee(ctx, tx, "client_id", m.ClientID)
	})
}

// UndoInks takes the last change of the client's inks back.
func (s *Studio) UndoInks(ctx context.Context, mark int64) error {
	m, err := s.Mark(ctx, mark)
	if err != nil || m.inkSet == 0 {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "UPDATE clients c JOIN ink_sets i ON i.id = c.inks_id SET c.inks_id = i.parent_id WHERE c.id = ? AND c.inks_id = ?", m.ClientID, m.inkSet); err != nil {
			return err
		}
		return unsee(ctx, tx, "client_id", m.ClientID)
	})
}
