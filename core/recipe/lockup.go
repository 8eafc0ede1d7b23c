package recipe

import (
	"slices"
	"strings"

	"dyekit/core/field"
	"dyekit/core/version"
)

// MaxLockups bounds the lockups of a recipe.
const MaxLockups = 50

// checkLockups reports what is wrong with the lockups whatever the art.
func (r *Recipe) checkLockups() error {
	if len(r.Lockups) > MaxLockups {
		return field.Errorf("lockups", "there are more than %d", MaxLockups)
	}
	standard := ""
	for i, l := range r.Lockups {
		if err := l.Check(); err != nil {
			return field.In(field.At("lockups", i), err)
		}
		if slices.ContainsFunc(r.Lockups[:i], func(o version.Lockup) bool { return o.Name == l.Name }) {
			return field.Errorf(field.At("lockups", i)+".name", "there are two lockups called %q", l.Name)
		}
		if l.Standard && standard != "" {
			return field.Errorf(field.At("lockups", i)+".standard", "%q is the standard lockup already", standard)
		}
		if l.Standard {
			standard = l.Name
		}
	}
	return nil
}

// Standard is the lockup that stands for the whole mark, or nil.
func (r *Recipe) Standard() *version.Lockup {
	for i := range r.Lockups {
		if r.Lockups[i].Standard {
			return &r.Lockups[i]
		}
	}
	return nil
}

// Arranged returns a version with the lockup that it shows, if the recipe has
// it.
func (r *Recipe) Arranged(s version.Spec) version.Spec {
	if s.Lockup == "" {
		s.Arranged = r.Standard()
		return s
	}
	// Of several with bars between them a lockup of the recipe stands before parts.
	for alt := range strings.SplitSeq(s.Lockup, "|") {
		for i := range r.Lockups {
			if r.Lockups[i].Name == strings.TrimSpace(alt) {
				s.Square = s.Lockup != r.Lockups[i].Name
				s.Lockup, s.Arranged = r.Lockups[i].Name, &r.Lockups[i]
				return s
			}
		}
	}
	return s
}
