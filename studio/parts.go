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

// Arrange adds a lockup of parts that were placed by hand, in every colourway of the main one, or
// places one anew.
func (s *Studio) Arrange(ctx context.Context, w *Snapshot, l version.Lockup) error {
	was := slices.IndexFunc(w.Recipe.Lockups, func(o version.Lockup) bool { return o.Name == l.Name })
	if was >= 0 {
		o := w.Recipe.Lockups[was]
		if o.Drawing != "" {
			return decision.Wrong("lockup", "the lockup %s has a drawing of its own; give this one another name", l.Name)
		}
		l.Below, l.Standard = o.Below, o.Standard
	}
	if err := checkLockup(w, l); err != nil {
		return err
	}
	return s.Decide(ctx, w.Mark.ID, "lockup arranged: "+l.Name, func(d *Decisions) error {
		putLockup(d, l)
		if was >= 0 {
			return nil
		}
		return fillLockup(d, l.Name)
	})
}

// SetLockup adds a lockup to the mark, or replaces the one of its name.
func (s *Studio) SetLockup(ctx context.Context, w *Snapshot, l version.Lockup) error {
	l.Name = strings.TrimSpace(l.Name)
	if err := checkLockup(w, l); err != nil {
		return err
	}
	return s.Decide(ctx, w.Mark.ID, "lockup: "+l.Name, func(d *Decisions) error {
		putLockup(d, l)
		return nil
	})
}

// checkLockup reports why a mark cannot have a lockup.
func checkLockup(w *Snapshot, l version.Lockup) error {
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
	return nil
}

// putLockup puts a lockup into the place of the one of its name, or at the end.
func putLockup(d *Decisions, l version.Lockup) {
	d.Lockups = slices.Clone(d.Lockups)
	if l.Standard {
		for i := range d.Lockups {
			d.Lockups[i].Standard = false
		}
	}
	if i := slices.IndexFunc(d.Lockups, func(o version.Lockup) bool { return o.Name == l.Name }); i >= 0 {
		d.Lockups[i] = l
	} else {
		d.Lockups = append(d.Lockups, l)
	}
}
