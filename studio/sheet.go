package studio

import (
	"bytes"
	"context"

	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/core/sheet"
	"dyekit/studio/decision"
)

// Sheet draws the brand sheet of a mark.
func (s *Studio) Sheet(ctx context.Context, w *Snapshot, line string, l sheet.Layout) (*sheet.Sheet, error) {
	if err := l.Check(); err != nil {
		return nil, decision.Wrong("sheet", "%s", err)
	}
	name, err := decision.NameOf(w.Name, line, l)
	if err != nil {
		return nil, err
	}
	return s.sheets.Get(ctx, name, func(ctx context.Context) (*sheet.Sheet, error) {
		set, err := s.table.Fonts(ctx, w.Mark.fonts)
		if err != nil {
			return nil, err
		}
		c, err := w.Plan.Sheet(ctx, w.Mark.Client, line, w.Recipe, set)
		if err != nil {
			return nil, err
		}
		out, err := sheet.Pages(c, l)
		if err != nil {
			return nil, decision.Wrong("sheet", "%s", err)
		}
		return out, nil
	})
}

// SheetPicture is a page of the brand sheet as a PNG, from 0.
func (s *Studio) SheetPicture(ctx context.Context, w *Snapshot, line string, l sheet.Layout, page, ppi int) ([]byte, error) {
	x, err := s.Sheet(ctx, w, line, l)
	if err != nil {
		return nil, err
	}
	if page < 0 || page >= len(x.Pages) {
		return nil, ErrNotFound
	}
	var b bytes.Buffer
	err = kit.SheetPNG(ctx, &b, x.Pages[page], float64(ppi))
	return b.Bytes(), err
}

// SheetPDF is the brand sheet as a PDF in process and spot inks.
func (s *Studio) SheetPDF(ctx context.Context, w *Snapshot, line string, l sheet.Layout) ([]byte, error) {
	x, err := s.Sheet(ctx, w, line, l)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = kit.SheetPDF(ctx, &b, w.Mark.Client+", brand sheet", x.Pages, w.Plan.Press)
	return b.Bytes(), err
}

// KeepSheet puts a brand sheet into the kits of a mark, or takes it out.
func (s *Studio) KeepSheet(ctx context.Context, w *Snapshot, line string, l sheet.Layout, in bool) error {
	what := "the brand sheet goes into the kit"
	if !in {
		what = "no brand sheet in the kit"
	}
	return s.Decide(ctx, w.Mark.ID, what, func(d *Decisions) error {
		r, err := d.Base()
		if err != nil {
			return err
		}
		b := recipe.Beside{}
		if r.Beside != nil {
			b = *r.Beside
		}
		if b.Sheet, b.Line = nil, ""; in {
			b.Sheet, b.Line = &l, line
		}
		if r.Beside = &b; b == (recipe.Beside{}) {
			r.Beside = nil
		}
		return d.TakeRecipe(r)
	})
}

// Working is one SVG with all versions of a mark as named groups.
func (w *Snapshot) Working() ([]byte, error) {
	var b bytes.Buffer
	err := w.Plan.Working(&b, w.Mark.Client+", "+w.Mark.Name)
	return b.Bytes(), err
}
