package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"

	"dyekit/core/kit"
	"dyekit/core/resemble"
	"dyekit/studio/decision"
)

// A Right tells what a file is that somebody has, beside the kit that they should take it from.
type Right struct {
	Path    string // of a file of a kit that it is, byte for byte; "" if it is none
	Kit     int    // number of that kit, or of the older one that it shows; 0 if it shows this one
	Version string // that it shows; "" if it does not show this mark
	Seen    *resemble.Seen
	resemble.Likeness
}

// maxOlder bounds the older kits that a file is compared with.
const maxOlder = 3

// Right looks at a file that a client has, and compares it with their kit and, if it is not that,
// with older ones of the mark. The file is not kept. What cannot be read is an InputError.
func (s *Studio) Right(ctx context.Context, h *Hand, k *Kit, data []byte) (*Right, error) {
	if len(data) > resemble.MaxBytes {
		return nil, decision.Wrong("file", "the file is larger than %d MB", resemble.MaxBytes>>20)
	}
	if len(data) == 0 {
		return nil, decision.Wrong("file", "choose a file first")
	}
	sum := sha256.Sum256(data)
	var r Right
	err := s.db.QueryRowContext(ctx, "SELECT f.path, k.number FROM kit_files f JOIN kits k ON k.id = f.kit_id WHERE k.mark_id = ? AND k.number <= ? AND f.sha256 = ? ORDER BY k.number DESC LIMIT 1", k.MarkID, k.Number, sum[:]).Scan(&r.Path, &r.Kit)
	if !errors.Is(err, sql.ErrNoRows) {
		return &r, err
	}
	if p, err := s.Page(ctx, k); err != nil || p.Heavy {
		return nil, errors.Join(ErrNotFound, err)
	}
	done, err := s.probing.take(ctx, turnOf(h, k))
	if err != nil {
		return nil, ErrBusy
	}
	defer done()
	see := s.See
	if see == nil {
		see = func(ctx context.Context, data []byte) (*resemble.Seen, error) { return resemble.See(ctx, data, nil) }
	}
	if r.Seen, err = see(ctx, data); err != nil {
		var fatal *Fatal
		if errors.Is(err, ErrBusy) || ctx.Err() != nil {
			return nil, err
		}
		if errors.As(err, &fatal) {
			err = errors.New("it could not be looked at")
		}
		return nil, decision.Wrong("file", "%s", kit.Plain(err))
	}
	if r.Version, r.Likeness, err = s.closest(ctx, k, r.Seen); err != nil {
		return nil, err
	}
	older, err := s.olderKits(ctx, k)
	if err != nil {
		return nil, err
	}
	for _, o := range older {
		version, l, err := s.closest(ctx, o, r.Seen)
		if err != nil {
			continue // it cannot be made from what it was made from
		}
		if l.Same() && (l.Shape > r.Shape+0.02 || l.Shape > r.Shape-0.02 && r.Recoloured() && !l.Recoloured()) {
			r.Version, r.Likeness, r.Kit = version, l, o.Number
		}
	}
	if !r.Same() {
		r.Version = ""
	}
	return &r, nil
}

// closest is the version of a kit that a file shows most likely.
func (s *Studio) closest(ctx context.Context, k *Kit, seen *resemble.Seen) (string, resemble.Likeness, error) {
	all, err := s.seen.Get(ctx, fmt.Sprint(k.ID), func(ctx context.Context) (map[string]*resemble.Seen, error) {
		src, err := s.source(ctx, k)
		if err != nil {
			return nil, err
		}
		out := map[string]*resemble.Seen{}
		for name, d := range src.Drawings() {
			if out[name], err = resemble.Of(ctx, d); err != nil {
				return nil, err
			}
		}
		return out, nil
	})
	if err != nil {
		return "", resemble.Likeness{}, err
	}
	names := slices.Sorted(maps.Keys(all))
	var versions []*resemble.Seen
	for _, n := range names {
		versions = append(versions, all[n])
	}
	i, l := seen.Best(versions)
	if i < 0 {
		return "", l, nil
	}
	return names[i], l, nil
}

// olderKits are those before a kit that were made from other masters or decisions, newest first.
func (s *Studio) olderKits(ctx context.Context, k *Kit) (ks []*Kit, err error) {
	rows, err := s.db.QueryContext(ctx, selectKit+"WHERE mark_id = ? AND number < ? AND build <> (SELECT build FROM (SELECT build FROM kits WHERE id = ?) AS this) ORDER BY number DESC LIMIT ?", k.MarkID, k.Number, k.ID, maxOlder)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		o, err := scanKit(rows)
		if err != nil {
			return nil, err
		}
		ks = append(ks, o)
	}
	return ks, rows.Err()
}
