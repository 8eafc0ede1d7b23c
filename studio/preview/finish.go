package preview

import (
	"context"
	"image"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/frame"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// Plain are the versions in colour that a finish can be laid over.
func (w *Snapshot) Plain() (names []string) {
	for _, v := range w.Plan.Versions {
		if v.Drawing != nil && v.Spec.Treatment == version.AsDrawn && v.Spec.Finish == nil && v.Spec.Reversed == "" && v.Spec.Backing == nil {
			names = append(names, v.Spec.Name)
		}
	}
	return names
}

// Finishing is the version that comes of a finish over one in colour, under a name that
// is free.
func (w *Snapshot) Finishing(base string, f version.Finish) (version.Spec, error) {
	v, ok := w.Version(base)
	if !ok || !slices.Contains(w.Plain(), base) {
		return version.Spec{}, decision.Wrong("base", "there is no version %q in colour to be finished", base)
	}
	if err := f.Check(); err != nil {
		return version.Spec{}, decision.Wrong("finish", "%s", err)
	}
	s := v.Spec
	s.Finish, s.Arranged = &f, nil
	name := recipe.Slug(f.Name)
	if name == "" {
		name = "finish"
	}
	if base != w.Plain()[0] {
		name = base + "-" + name
	}
	s.Name = name
	for k := 2; ; k++ {
		if _, taken := w.Version(s.Name); !taken {
			return s, nil
		}
		s.Name = name + "-" + string(rune('0'+min(k, 9)))
		if k > 9 {
			return s, decision.Wrong("finish", "there are many versions called %s already: take one away", name)
		}
	}
}

// Finished makes a version with a finish, to be looked at before it is kept.
func (w *Snapshot) Finished(ctx context.Context, s version.Spec) (*version.Version, error) {
	r := *w.Recipe
	s = r.Arranged(s)
	name, err := decision.NameOf(w.Source, "finished", s, s.Arranged, w.from.Drawn[s.DrawnBy()].Name)
	if err != nil {
		return nil, err
	}
	return w.table.finished.Get(ctx, name, func(ctx context.Context) (*version.Version, error) { return w.from.Make(ctx, s) })
}

// FinishedPicture draws what comes of a finish on a ground.
func (w *Snapshot) FinishedPicture(ctx context.Context, s version.Spec, width, height int, g Ground) ([]byte, error) {
	v, err := w.Finished(ctx, s)
	if err != nil {
		return nil, err
	}
	if v.Drawing == nil {
		return nil, decision.Wrong("finish", "%s", v.Refused)
	}
	box := frame.Around(v.Drawing.Bounds().Grow(0.05*v.Drawing.Bounds().Long()), float64(width), float64(height), "")
	d := &drawing.Drawing{Page: box, Nodes: v.Drawing.Nodes}
	name, err := decision.NameOf(w.Source, "finished", s, s.Arranged, w.from.Drawn[s.DrawnBy()].Name, width, height, g.Key)
	if err != nil {
		return nil, err
	}
	return w.table.pngs.Get(ctx, name, func(ctx context.Context) ([]byte, error) {
		var img *image.NRGBA
		ground := colour.RGB(g.Colour)
		if img, err = raster.Render(ctx, d, raster.Fit(box, width, height), width, height, raster.Options{Ground: &ground}); err != nil {
			return nil, err
		}
		return plainPNG(img)
	})
}
