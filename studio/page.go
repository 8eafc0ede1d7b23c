package studio

import (
	"context"
	"reflect"

	"dyekit/core/recipe"
)

// KeepPage keeps what links to a mark's kits begin with, nil for nothing of its own. No file depends
// on it, so that kits stay up to date.
func (s *Studio) KeepPage(ctx context.Context, mark int64, p *recipe.Page) error {
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	d, err := m.Decisions()
	if err != nil || reflect.DeepEqual(d.Page, p) {
		return err
	}
	return s.Decide(ctx, mark, "words of the client's page", func(d *Decisions) error {
		d.Page = p
		return nil
	})
}
