package preview

import (
	"context"
	"errors"

	"dyekit/core/kit"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/studio/decision"
)

// origins are the drawings that the versions of a recipe are made from: the master, and those of
// their own that the mark keeps. One that is not kept, or cannot be used, refuses its versions.
func (t *Table) origins(ctx context.Context, src *source, m Subject, d decision.Decisions, r *recipe.Recipe) (kit.Origins, error) {
	out := kit.Origins{Main: kit.Origin{Master: src.master, Art: src.art}, Drawn: map[string]kit.Origin{}}
	for _, ref := range r.Drawings() {
		x, err := t.drawn(ctx, m, d, ref)
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		if errors.Is(err, ErrNotFound) {
			continue
		}
		if err != nil {
			return out, &kit.DrawingError{Place: r.DrawingAt(ref), Ref: ref, Err: err}
		}
		out.Drawn[ref] = kit.Origin{Master: x.master, Art: x.art, Name: x.name}
	}
	return out, nil
}

// drawn reads a drawing of its own that a mark keeps, by its name and page.
func (t *Table) drawn(ctx context.Context, m Subject, d decision.Decisions, ref string) (*source, error) {
	at, err := recipe.ParseReference(ref)
	if err != nil {
		return nil, err
	}
	kept, ok := d.Drawing(at.File)
	if !ok {
		return nil, ErrNotFound
	}
	own := decision.Decisions{Mends: kept.Mends}
	if at.Page > 0 {
		own.Mend(preflight.Sheet(at.Page), true)
	}
	m.Master = kept.Hash
	x, err := t.source(ctx, m, own)
	if err != nil {
		return nil, err
	}
	return x, kit.UsableDrawn(x.master, at.Page)
}
