package studio

import (
	"context"
	"fmt"
	"slices"

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
	return s.Decide(ctx, w.Mark.ID, what, func(d *Decisions) error {
		d.Settle(x, apply)
		return nil
	})
}

// follow gives what was said of colours to those that took their places in a
// new master, as far as they differ but slightly.
func (s *Studio) follow(ctx context.Context, id int64) error {
	m, err := s.Mark(ctx, id)
	if err != nil {
		return err
	}
	w, err := s.Snapshot(ctx, m)
	if err != nil {
		return nil // the next view says what is wrong with the master
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
