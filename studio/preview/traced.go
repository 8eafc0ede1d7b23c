package preview

import (
	"context"

	"dyekit/core/finding"
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
		if f.Code == finding.Traced {
			t.Findings = append(t.Findings, f)
		}
	}
	return t, nil
}

// TracingPicture draws the master traced in one way, or as the picture it is if
// smooth is below 0.
func (w *Snapshot) TracingPicture(ctx context.Context, colours int, smooth float64, width, height int) ([]byte, error) {
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
	return w.picture(ctx, src.name+" traced", src.master.Drawing, src.master.Drawing.Page, width, height, nil)
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
