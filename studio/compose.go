package studio

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"dyekit/core/intake"
	"dyekit/studio/decision"
)

// A Part is a master that can become a part of another: a mark's, or a candidate.
type Part struct {
	Key   string // m12 or c7
	Label string
}

// Parts lists what masters of a client can be put together from.
func (s *Studio) Parts(ctx context.Context, client string) ([]Part, error) {
	cid, err := s.clientID(ctx, client)
	if err != nil || cid == 0 {
		return nil, err
	}
	var out []Part
	rows, err := s.db.QueryContext(ctx, "SELECT id, name FROM marks WHERE client_id = ? AND away_at IS NULL ORDER BY name", cid)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var name string
		if err := rows.Scan(&id, &name); err != nil {
			return nil, err
		}
		out = append(out, Part{"m" + strconv.FormatInt(id, 10), "the mark " + name})
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	candidates, err := s.Candidates(ctx, cid)
	if err != nil {
		return nil, err
	}
	for _, c := range candidates {
		label := "the candidate " + c.Filename
		if n := c.Sheet(); n > 0 {
			label += fmt.Sprintf(", page %d", n)
		}
		out = append(out, Part{"c" + strconv.FormatInt(c.ID, 10), label})
	}
	return out, nil
}

// Piece returns a part of a client with its file and what was decided about that.
func (s *Studio) Piece(ctx context.Context, client, key string) (intake.Piece, error) {
	var p intake.Piece
	if key == "" {
		return p, decision.Wrong("master", "choose what it is put together from")
	}
	id, err := strconv.ParseInt(key[1:], 10, 64)
	if err != nil {
		return p, ErrNotFound
	}
	var h Hash
	switch {
	case strings.HasPrefix(key, "m"):
		m, err := s.Mark(ctx, id)
		if err != nil {
			return p, err
		}
		d, err := m.Decisions()
		if err != nil {
			return p, err
		}
		if m.Client != client {
			return p, ErrNotFound
		}
		h, p.Name, p.Mends = m.Master.Hash, m.Master.Filename, d.Mends
	case strings.HasPrefix(key, "c"):
		c, err := s.Candidate(ctx, id)
		if err != nil {
			return p, err
		}
		if c.Client != client {
			return p, ErrNotFound
		}
		h, p.Name, p.Mends = c.Hash, c.Filename, c.Mends
	default:
		return p, ErrNotFound
	}
	p.Data, err = s.get(ctx, h)
	return p, err
}

// ComposedPicture draws a composition within a size in px.
func (s *Studio) ComposedPicture(ctx context.Context, client string, c *intake.Composition, width, height int) ([]byte, error) {
	have, err := s.fontsOf(ctx, client)
	if err != nil {
		return nil, err
	}
	data, err := c.Bytes()
	if err != nil {
		return nil, err
	}
	d, _, err := c.Draw(ctx, intake.Options{Fonts: have})
	if err != nil {
		return nil, err
	}
	return s.table.Drawn(ctx, "composed "+hashBytes(data).String(), d, width, height)
}
