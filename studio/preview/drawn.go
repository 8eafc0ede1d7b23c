package preview

import (
	"context"
	"errors"
	"fmt"
	"image"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/kit"
	"dyekit/core/preflight"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// origins are the drawings that the versions of a recipe are made from: the master, and those of
// their own that the mark keeps. One that is not kept, or cannot be used, refuses its versions.
func (t *Table) origins(ctx context.Context, src *source, m Subject, d decision.Decisions, r *recipe.Recipe) (kit.Origins, error) {
	out := kit.Origins{Main: src.origin, Drawn: map[string]kit.Origin{}}
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
		out.Drawn[ref] = x.origin
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
		if why := errors.Unwrap(err); why != nil { // which speaks of the master
			err = why
		}
		return nil, err
	}
	return x, kit.UsableDrawn(x.master, at.Page)
}

// DrawnFindings are what was found in the drawing of its own that a version is made from, as far as
// there is something to look at or to mend; ref names it.
func (w *Snapshot) DrawnFindings(v *version.Version) (ref recipe.Reference, out []finding.Finding) {
	d, ok := w.from.Drawn[v.Spec.DrawnBy()]
	if !ok {
		return ref, nil
	}
	ref, _ = recipe.ParseReference(v.Spec.DrawnBy()) // it was read
	for _, sev := range []finding.Severity{finding.Warn, finding.Mended, finding.Note} {
		for _, f := range d.Master.Findings {
			mends := f.Mend != "" || slices.ContainsFunc(f.Spots, func(s finding.Spot) bool { return s.Mend != "" })
			switch {
			case f.Severity != sev, sev != finding.Warn && !mends:
			case f.Code == finding.SeveralDrawings && ref.Page > 0: // the page was named
			case f.Code == finding.Backing && v.Spec.OneInk() && f.Severity != finding.Mended: // left out anyway
			default:
				out = append(out, f)
			}
		}
	}
	return ref, out
}

// Over draws a version that has a drawing of its own and what would be derived in its place over
// each other, both as large as they fit: see Through for the colours.
func (w *Snapshot) Over(ctx context.Context, name string, width, height int) ([]byte, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil || v.Spec.Drawing == "" {
		return nil, ErrNotFound
	}
	return w.table.pngs.Get(ctx, fmt.Sprintf("%s over %s %d×%d", w.looks[name], w.Source, width, height), func(ctx context.Context) ([]byte, error) {
		s := v.Spec
		s.Drawing = ""
		derived, err := w.from.Make(ctx, s)
		if err != nil {
			return nil, err
		}
		if derived.Drawing == nil {
			return nil, ErrNotFound
		}
		var art [2]*image.NRGBA
		for i, d := range []*drawing.Drawing{v.Drawing, derived.Drawing} {
			box := frame.Around(d.Bounds().Grow(d.Bounds().Long()*0.04), float64(width), float64(height), "")
			if art[i], err = raster.Render(ctx, d, raster.Fit(box, width, height), width, height, raster.Options{}); err != nil {
				return nil, err
			}
		}
		return plainPNG(overlaid(art))
	})
}
