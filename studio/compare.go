package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"image"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export/png"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// A Comparison is two revisions of a master beside each other.
type Comparison struct {
	Mark     *Mark
	Old, New Master
	// What is in one and not in the other, in words.
	Gone, Came Changes
	PageOld    geom.Rect
	PageNew    geom.Rect
	Differ     float64 // share of the pixels of either that look different, 0 to 1

	name     string
	old, new *drawing.Drawing
	box      geom.Rect
	shelf    *shelf
}

// Changes are the parts, colours and findings of one side alone.
type Changes struct{ Parts, Colours, Findings []string }

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
	old, err := s.source(ctx, &past, d)
	if err != nil {
		return nil, fmt.Errorf("master %d: %w", revision, err)
	}
	now, err := s.source(ctx, m, d)
	if err != nil {
		return nil, err
	}
	c := &Comparison{
		Mark: m, Old: all[i], New: m.Master, name: old.name + " " + now.name, shelf: &s.shelf,
		old: old.master.Drawing, new: now.master.Drawing, PageOld: old.master.Drawing.Page, PageNew: now.master.Drawing.Page,
	}
	c.box = c.old.Page.Union(c.new.Page)
	a, b := tell(old), tell(now)
	c.Gone, c.Came = a.less(b), b.less(a)
	before, after, err := c.draw(ctx, 400)
	if err != nil {
		return nil, err
	}
	painted, off := 0, 0
	for i := 0; i < len(before.Pix); i += 4 {
		p, q := before.Pix[i:i+4], after.Pix[i:i+4]
		if p[3] == 0 && q[3] == 0 {
			continue
		}
		painted++
		if unlike(p, q) {
			off++
		}
	}
	c.Differ = float64(off) / float64(max(1, painted))
	return c, nil
}

// tell says in words what a master holds.
func tell(s *source) (c Changes) {
	c.Parts = s.master.Drawing.Parts()
	for _, t := range s.tones {
		c.Colours = append(c.Colours, t.Colour.RGB.Hex())
	}
	for _, f := range s.master.Findings {
		c.Findings = append(c.Findings, f.Message)
	}
	return c
}

// less is what is in c and not in o.
func (c Changes) less(o Changes) Changes {
	sub := func(a, b []string) (out []string) {
		for _, x := range a {
			if !slices.Contains(b, x) && !slices.Contains(out, x) {
				out = append(out, x)
			}
		}
		return out
	}
	return Changes{sub(c.Parts, o.Parts), sub(c.Colours, o.Colours), sub(c.Findings, o.Findings)}
}

// Empty reports whether nothing is listed.
func (c Changes) Empty() bool { return len(c.Parts)+len(c.Colours)+len(c.Findings) == 0 }

func (c *Comparison) draw(ctx context.Context, long int) (before, after *image.NRGBA, err error) {
	k := float64(long) / c.box.Long()
	w, h := max(1, int(c.box.W()*k+0.5)), max(1, int(c.box.H()*k+0.5))
	if before, err = raster.Render(ctx, c.old, raster.Fit(c.box, w, h), w, h, raster.Options{}); err != nil {
		return nil, nil, err
	}
	after, err = raster.Render(ctx, c.new, raster.Fit(c.box, w, h), w, h, raster.Options{})
	return before, after, err
}

// unlike reports whether two pixels look different, rounding at edges aside.
func unlike(p, q []uint8) bool {
	const slack = 24
	a, b := int(p[3]), int(q[3])
	for i := range 3 {
		if d := int(p[i])*a - int(q[i])*b; max(d, -d) > slack*255 {
			return true
		}
	}
	return max(a-b, b-a) > slack
}

// madder marks what differs.
var madder = colour.FromBytes(0xa3, 0x32, 0x2b)

// Picture draws one side, "old" or "new", or with "difference" the new one
// faint with what differs in madder. long is the longer side in px.
func (c *Comparison) Picture(ctx context.Context, which string, long int) ([]byte, error) {
	key := fmt.Sprintf("compare %s %s %d", c.name, which, long)
	if b, ok := c.shelf.pngs.get(key); ok {
		return b, nil
	}
	before, after, err := c.draw(ctx, long)
	if err != nil {
		return nil, err
	}
	img := after
	switch which {
	case "old":
		img = before
	case "new":
	case "difference":
		img = image.NewNRGBA(after.Rect)
		r, g, b := madder.Bytes()
		for i := 0; i < len(img.Pix); i += 4 {
			p, q := before.Pix[i:i+4], after.Pix[i:i+4]
			if unlike(p, q) {
				copy(img.Pix[i:], []uint8{r, g, b, 255})
			} else if q[3] > 0 {
				copy(img.Pix[i:], []uint8{0x5a, 0x5a, 0x59, q[3] / 4})
			}
		}
	default:
		return nil, ErrNotFound
	}
	b, err := png.Encode(img, png.Options{Quick: true})
	if err != nil {
		return nil, err
	}
	return c.shelf.pngs.put(key, b), nil
}

// GoBack takes an earlier revision of the master in again, as the newest: the
// kits made of the one between stay what they are.
func (s *Studio) GoBack(ctx context.Context, mark int64, revision int) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var last int
		err := tx.QueryRowContext(ctx, "SELECT MAX(revision) FROM masters WHERE mark_id = ? FOR UPDATE", mark).Scan(&last)
		if err != nil {
			return err
		}
		if revision >= last {
			return ErrNotFound
		}
		res, err := tx.ExecContext(ctx, "INSERT INTO masters (mark_id, revision, filename, sha256) SELECT mark_id, ?, filename, sha256 FROM masters WHERE mark_id = ? AND revision = ?", last+1, mark, revision)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return unsee(ctx, tx, "id", mark)
	})
}
