package studio

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// maxAdded bounds the versions a person adds to a recipe's own.
const maxAdded = recipe.MaxVersion

// AddVersion adds the version that serves a need to the mark, of a lockup or
// part if one is named.
func (s *Studio) AddVersion(ctx context.Context, w *Snapshot, name, lockup string) error {
	n, ok := w.Need(name)
	if !ok {
		return decision.Wrong("need", "there is no version %q to add", name)
	}
	if lockup != "" {
		if !slices.Contains(w.LockupNames(), lockup) {
			return decision.Wrong("need", "there is no lockup or part %q", lockup)
		}
		if n.Spec.Lockup == "" {
			n.Spec.Lockup = lockup
			n.Spec.Name += "-" + recipe.Slug(lockup)
		}
		if slices.ContainsFunc(w.Recipe.Versions, func(v version.Spec) bool { return v.Name == n.Spec.Name }) {
			return decision.Wrong("need", "there is a version %q already", n.Spec.Name)
		}
	}
	return s.addVersion(ctx, w.Mark.ID, "need", n.Spec)
}

// addVersion adds a version; field is where a person asked for it.
func (s *Studio) addVersion(ctx context.Context, mark int64, field string, v version.Spec) error {
	return s.Decide(ctx, mark, "version added: "+v.Name, func(d *Decisions) error {
		if len(d.Added) >= maxAdded {
			return decision.Wrong(field, "at most %d versions are added", maxAdded)
		}
		d.Added = append(d.Added, v)
		return nil
	})
}

// AddSet adds all versions of a set that are not there yet.
func (s *Studio) AddSet(ctx context.Context, w *Snapshot, lockup string) error {
	if lockup != "" && !slices.Contains(w.LockupNames(), lockup) {
		return decision.Wrong("need", "there is no lockup or part %q", lockup)
	}
	set, err := w.Set(lockup)
	if err != nil {
		return err
	}
	if len(set) == 0 {
		return decision.Wrong("need", "all versions of that set are there already; make colours inks to have versions in them")
	}
	return s.Decide(ctx, w.Mark.ID, fmt.Sprintf("%d versions added of %s", len(set), cmp.Or(lockup, "the whole mark")), func(d *Decisions) error {
		if len(d.Added)+len(set) > maxAdded {
			return decision.Wrong("need", "at most %d versions are added", maxAdded)
		}
		d.Added = append(slices.Clone(d.Added), set...)
		return nil
	})
}
