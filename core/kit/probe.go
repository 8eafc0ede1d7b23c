package kit

import (
	"context"
	"time"

	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/core/recipe"
)

// probeSide is the longer side, in px, that Probe draws at: about what screens
// show first.
const probeSide = 480

// probePlan bounds the making of versions: what takes longer is work and no
// harm.
const probePlan = 6 * time.Second

// Probe does with a master what the first look at it does: it is read, checked,
// and drawn once, small; then it is planned with the recipe standard, as far as
// that goes in probePlan, and each version is drawn too. What comes through is
// safe to handle; what does not ends here. It is run where that does no harm.
func Probe(ctx context.Context, data []byte, set *fonts.Set) error {
	opt := intake.Options{Fonts: set}
	m, err := intake.Read(ctx, data, opt)
	if err != nil {
		return err // refused: the words are for the person
	}
	if err := glance(ctx, m.Drawing, m.Drawing.Page); err != nil {
		return err
	}
	r, _ := recipe.Builtin("standard")
	short, cancel := context.WithTimeout(ctx, probePlan)
	defer cancel()
	p, err := NewPlan(short, Input{Master: data, MasterName: "master", Brand: "Mark", Recipe: r, Options: opt})
	if err != nil {
		return nil // it can be looked at, and what is wrong with it is shown there
	}
	for _, v := range p.Versions {
		if v.Drawing == nil {
			continue
		}
		if err := glance(short, v.Drawing, p.FrameOf(v.Spec.Name).Box); err != nil && short.Err() == nil {
			return err
		}
	}
	return ctx.Err()
}

// glance draws what lies in a box, small.
func glance(ctx context.Context, d *drawing.Drawing, box geom.Rect) error {
	k := probeSide / box.Long()
	w, h := max(1, int(box.W()*k)), max(1, int(box.H()*k))
	_, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
	return err
}
