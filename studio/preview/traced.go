package preview

import (
	"context"
	"fmt"

	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/preflight"
	"dyekit/studio/decision"
)

// A Tracing is what a picture would become if it were traced in one way.
type Tracing struct {
	Colours  int     // asked for; 0 for as many as there are
	Smooth   float64 // from 0 to 1
	Findings finding.List
	Kept     bool   // it is the way in which the master is traced
	Name     string // of what it looks like
	// Lost are the lines of letters that did not come through, px of the picture.
	Lost []geom.Rect
	// Ground says, of a plain ground behind the art, what taking it away does; Bare that
	// it is taken away.
	Ground string
	Bare   bool
	// Figures are outlines that are nearly circles, boxes or regular polygons.
	Figures []Figure
}

// A Figure is an outline that can be made a true one.
type Figure struct {
	Mend  string
	What  string
	Place geom.Rect // px of the picture
	Taken bool      // it is one already
}

// Mend is the mend that keeps it.
func (t *Tracing) Mend() preflight.Mend { return preflight.Trace(t.Colours, t.Smooth) }

// Traceable reports whether the master is a picture, traced or not.
func (w *Snapshot) Traceable() bool { return w.Plan.Master.Picture }

// Trace tells what the master would become. The other decisions stay.
func (w *Snapshot) Trace(ctx context.Context, colours int, smooth float64) (*Tracing, error) {
	m := preflight.Trace(colours, smooth)
	if m.Check() != nil {
		return nil, ErrNotFound
	}
	d := w.Decisions
	kept := d.Mended(m)
	d.Mend(m, true)
	src, err := w.table.source(ctx, w.Subject, d)
	if err != nil {
		return nil, err
	}
	t := &Tracing{Colours: colours, Smooth: smooth, Kept: kept, Name: src.name}
	for _, f := range src.master.Findings {
		switch f.Code {
		case finding.Traced, finding.LettersLost:
			t.Findings = append(t.Findings, f)
			if f.Code == finding.LettersLost {
				for _, s := range f.Spots {
					t.Lost = joined(t.Lost, s.Place)
				}
			}
		case finding.NearFigure:
			t.Figures = append(t.Figures, figures(f)...)
		case finding.Backing:
			if f.Mend == string(preflight.DropBacking) {
				t.Ground, t.Bare = f.Message, f.Severity == finding.Mended
			}
		}
	}
	return t, nil
}

// figures are those that a finding tells of: some that can be made, or one that was.
func figures(f finding.Finding) (out []Figure) {
	if f.Severity == finding.Mended {
		return []Figure{{f.Mend, f.Message, f.Place, true}}
	}
	for _, s := range f.Spots {
		out = append(out, Figure{s.Mend, s.What, s.Place, false})
	}
	return out
}

// Closely is how many times larger than its pixels a tracing is looked at.
const Closely = 8

// TracingPicture draws the master traced in one way, or as the picture it is if smooth is
// below 0: all of it as large as fits, or what is near a pixel eight times larger.
func (w *Snapshot) TracingPicture(ctx context.Context, colours int, smooth float64, near *[2]int, width, height int) ([]byte, error) {
	d := w.Decisions
	if smooth >= 0 {
		m := preflight.Trace(colours, smooth)
		if m.Check() != nil {
			return nil, ErrNotFound
		}
		d.Mend(m, true)
	} else {
		d = untraced(d)
	}
	src, err := w.table.source(ctx, w.Subject, d)
	if err != nil {
		return nil, err
	}
	page, what := src.master.Drawing.Page, src.name+" traced"
	if near != nil {
		x, y := float64(near[0]), float64(near[1])
		dx, dy := min(page.W(), float64(width)/Closely)/2, min(page.H(), float64(height)/Closely)/2
		x, y = min(max(x, page.X0+dx), page.X1-dx), min(max(y, page.Y0+dy), page.Y1-dy)
		page = geom.Rect{X0: x - dx, Y0: y - dy, X1: x + dx, Y1: y + dy}
		what = fmt.Sprintf("%s near %v", what, page)
	}
	return w.picture(ctx, what, src.master.Drawing, page, width, height, nil)
}

// untraced are the decisions without a tracing.
func untraced(d decision.Decisions) decision.Decisions {
	for _, m := range d.Mends {
		if _, _, ok := m.Trace(); ok {
			d.Mend(m, false)
		}
	}
	return d
}
