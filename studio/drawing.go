package studio

import (
	"context"

	"dyekit/core/kit"
	"dyekit/core/recipe"
)

// drawings are the files of the drawings of their own that a recipe names, from those that the
// mark keeps.
func (s *Studio) drawings(ctx context.Context, d Decisions, r *recipe.Recipe) (map[string]kit.Drawn, error) {
	out := map[string]kit.Drawn{}
	for _, ref := range r.Drawings() {
		at, err := recipe.ParseReference(ref)
		if err != nil {
			return nil, err
		}
		kept, ok := d.Drawing(at.File)
		if !ok {
			continue // the build says which it is, and where the recipe names it
		}
		h, err := parseHash(kept.Hash)
		if err != nil {
			return nil, err
		}
		data, err := s.get(ctx, h)
		if err != nil {
			return nil, err
		}
		out[ref] = kit.Drawn{Name: kept.Name, Data: data, Mends: kept.Mends}
	}
	return out, nil
}
