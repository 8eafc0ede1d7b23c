package kit

import (
	"context"

	"dyekit/core/fonts"
	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/core/recipe"
)

// probeSide is the longer side, in px, that Probe draws at: about what screens
// show first.
const probeSide = 480

// Probe does with a master what the first look at it does: it is read, checked,
// planned with the recipe standard, and each version is drawn once, small. What
// comes through is safe to handle; what does not ends here. It is run where
// that does no harm.
func Probe(ctx context.Context, data []byte, set *fonts.Set) error {
	if _, err := intake.Read(ctx, data, intake.Options{Fonts: set}); err != nil {
		return err // refused: the words are for the person
	}
	r, _ := recipe.Builtin("standard")
	p, err := NewPlan(ctx, Input{Master: data, MasterName: "master", Brand: "Mark", Recipe: r, Options: intake.Options{Fonts: set}})
	if err != nil {
		return nil // it can be looked at, and what is wrong with it is shown there
	}
	for _, v := range p.Versions {
		if v.Drawing == nil {
			continue
		}
		box := p.FrameOf(v.Spec.Name).Box
		k := probeSide / box.Long()
		w, h := max(1, int(box.W()*k)), max(1, int(box.H()*k))
		if _, err := raster.Render(ctx, v.Drawing, raster.Fit(box, w, h), w, h, raster.Options{}); err != nil {
			return err
		}
	}
	return nil
}
