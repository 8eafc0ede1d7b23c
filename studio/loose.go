package studio

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/version"
	"dyekit/studio/decision"
)

// Settle gives a loose decision to what it can be given to, or lets it go. It is
// named by its words, so that two who settle the same one do it once.
func (s *Studio) Settle(ctx context.Context, w *Snapshot, says string, apply bool) error {
	all := w.Loose()
	i := slices.IndexFunc(all, func(x decision.Loose) bool { return x.Says == says })
	if i < 0 {
		return decision.Wrong("loose", "that was settled meanwhile")
	}
	x := all[i]
	if apply && x.To == "" {
		return decision.Wrong("loose", "there is nothing to give it to")
	}
	what := "let go: " + x.Says
	if apply {
		what = fmt.Sprintf("%s, now for %s", x.Says, x.To)
	}
	if apply && x.Of == "ink" {
		if err := s.carryInk(ctx, w.Mark, x.Ink); err != nil {
			return err
		}
	}
	return s.Decide(ctx, w.Mark.ID, what, func(d *Decisions) error {
		d.Settle(x, apply)
		return nil
	})
}

// carryInk gives an ink to the colour that took its place in a new master. Other marks
// of the client may still be drawn in the colour of before.
func (s *Studio) carryInk(ctx context.Context, m *Mark, x decision.MovedInk) error {
	var others int
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM marks m JOIN clients c ON c.id = m.client_id WHERE c.studio_id = ? AND m.client_id = ? AND m.id <> ?", house(ctx), m.ClientID, m.ID).Scan(&others)
	if err != nil {
		return err
	}
	return s.changeInks(ctx, m.ID, fmt.Sprintf("ink %s, now for %s", x.Name, x.To), func(ts []version.InkMapping) ([]version.InkMapping, error) {
		ts = slices.DeleteFunc(slices.Clone(ts), func(t version.InkMapping) bool {
			return strings.EqualFold(t.Drawn, x.To) && t.Stock == x.Stock || others == 0 && t.Name == x.Name && strings.EqualFold(t.Drawn, x.Drawn) && t.Stock == x.Stock
		})
		if len(ts) >= maxInks {
			return nil, decision.Wrong("loose", "a client has at most %d inks", maxInks)
		}
		return append(ts, x.Carried()), nil
	})
}

// moved notes the inks that an earlier master had and this one has not.
func (s *Studio) moved(ctx context.Context, w *Snapshot, before int) error {
	all, err := s.Revisions(ctx, w.Mark.ID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(x Master) bool { return x.Revision == before })
	if i < 0 {
		return nil
	}
	past := *w.Mark
	past.Master = all[i]
	lost, err := w.Moved(ctx, past.subject())
	if err != nil || len(lost) == 0 {
		return err
	}
	return s.Decide(ctx, w.Mark.ID, "inks missing from the new master", func(d *Decisions) error {
		for _, x := range lost {
			if !slices.ContainsFunc(d.Moved, func(o decision.MovedInk) bool { return o.Says() == x.Says() }) {
				d.Moved = append(d.Moved, x)
			}
		}
		return nil
	})
}

// follow gives what was said of colours to those that took their places in a
// new master, as far as they differ but slightly. before is the revision that was in
// force.
func (s *Studio) follow(ctx context.Context, id int64, before int) error {
	m, err := s.Mark(ctx, id)
	if err != nil {
		return err
	}
	w, err := s.Snapshot(ctx, m)
	if err != nil {
		return nil // the next view says what is wrong with the master
	}
	if err := s.moved(ctx, w, before); err != nil {
		return err
	}
	near := slices.DeleteFunc(w.Loose(), func(x decision.Loose) bool {
		return x.To == "" || x.Word.Colour == "" || x.Difference > decision.Follows
	})
	if len(near) == 0 {
		return nil
	}
	return s.Decide(ctx, id, fmt.Sprintf("%d readings followed their colours into the new master", len(near)), func(d *Decisions) error {
		for _, x := range near {
			d.Settle(x, true)
		}
		return nil
	})
}
