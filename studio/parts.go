package studio

import (
	"context"
	"slices"
	"strings"

	"dyekit/core/field"
	"dyekit/core/parts"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// NameParts says what pieces of the mark are called.
func (s *Studio) NameParts(ctx context.Context, w *Snapshot, ns ...parts.Naming) error {
	var names []string
	for _, n := range ns {
		if err := n.Check(); err != nil {
			return decision.Wrong("part", "%s", err)
		}
		for _, k := range n.Pieces {
			if !slices.Contains(w.Plan.Master.Keys, k) {
				return decision.Wrong("part", "the master has no piece %q", k)
			}
		}
		names = append(names, n.Name)
	}
	return s.Decide(ctx, w.Mark.ID, "named: "+strings.Join(names, ", "), func(d *Decisions) error {
		for _, n := range ns {
			d.Parts = parts.Say(w.Plan.Master.Keys, d.Parts, n)
		}
		if len(d.Parts) > parts.MaxNamings {
			return decision.Wrong("part", "a mark has at most %d named parts", parts.MaxNamings)
		}
		return nil
	})
}

// UnnamePart gives the pieces of a part back the names of the drawing.
func (s *Studio) UnnamePart(ctx context.Context, mark int64, name string) error {
	return s.Decide(ctx, mark, "name taken away: "+name, func(d *Decisions) error {
		d.Parts = slices.DeleteFunc(slices.Clone(d.Parts), func(n parts.Naming) bool { return n.Name == name })
		return nil
	})
}

// SetLockup adds a lockup to the mark, or replaces the one of its name.
func (s *Studio) SetLockup(ctx context.Context, w *Snapshot, l version.Lockup) error {
	l.Name = strings.TrimSpace(l.Name)
	if err := l.Check(); err != nil {
		return decision.Wrong("lockup", "%s", field.Message(err))
	}
	if recipe.Slug(l.Name) == "" {
		return decision.Wrong("lockup", "the name leaves nothing for file names: use letters or digits")
	}
	known := w.Plan.Master.Drawing.Parts()
	for _, p := range l.Parts {
		if !slices.Contains(known, p) {
			return decision.Wrong("lockup", "the master has no part called %q", p)
		}
	}
	return s.Decide(ctx, w.Mark.ID, "lockup: "+l.Name, func(d *Decisions) error {
		d.Lockups = slices.DeleteFunc(slices.Clone(d.Lockups), func(o version.Lockup) bool { return o.Name == l.Name })
		if l.Standard {
			for i := range d.Lockups {
				d.Lockups[i].Standard = false
			}
		}
		d.Lockups = append(d.Lockups, l)
		return nil
	})
}
