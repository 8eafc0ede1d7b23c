package preview

import (
	"context"
	"fmt"
	"math"
	"slices"

	"dyekit/core/geom"
	"dyekit/core/version"
)

// A Movable is a part of the master that lockups are put together from.
type Movable struct {
	Name string
	Box  geom.Rect // in the master, page units
}

// Movables lists the parts of the master that paint anything.
func (w *Snapshot) Movables(ctx context.Context) (ms []Movable, err error) {
	for _, name := range w.Plan.Master.Drawing.Parts() {
		d, err := version.Arrange(ctx, w.Plan.Master.Drawing, version.Lockup{Parts: []string{name}})
		if err != nil {
			return nil, err
		}
		if b := d.Bounds(); !b.Empty() {
			ms = append(ms, Movable{name, b})
		}
	}
	return ms, nil
}

// mostDistances bounds the distances of a mark that are offered again.
const mostDistances = 12

// Distances are those that a mark has between its parts, side by side and above each other, from
// the least; in page units.
func Distances(ms []Movable) (ds []float64) {
	for i, a := range ms {
		for _, b := range ms[i+1:] {
			for _, d := range []float64{b.Box.X0 - a.Box.X1, a.Box.X0 - b.Box.X1, b.Box.Y0 - a.Box.Y1, a.Box.Y0 - b.Box.Y1} {
				same := func(x float64) bool { return math.Abs(x-d) < 0.01*d }
				if d > 0 && !slices.ContainsFunc(ds, same) {
					ds = append(ds, d)
				}
			}
		}
	}
	slices.Sort(ds)
	return ds[:min(len(ds), mostDistances)]
}

// Standing is where the parts of a lockup stand, in their order; in page units.
func (w *Snapshot) Standing(ctx context.Context, l version.Lockup) ([]geom.Rect, error) {
	_, boxes, err := version.Positions(ctx, w.Plan.Master.Drawing, l)
	if err != nil || l.Placed != "" {
		return boxes, err
	}
	ms, err := w.Movables(ctx)
	for _, p := range l.Parts {
		for _, m := range ms {
			if m.Name == p {
				boxes = append(boxes, m.Box)
			}
		}
	}
	return boxes, err
}

// PartPicture draws a part of the master on nothing, cut to its box.
func (w *Snapshot) PartPicture(ctx context.Context, name string, width, height int) ([]byte, error) {
	d, err := version.Arrange(ctx, w.Plan.Master.Drawing, version.Lockup{Parts: []string{name}})
	if err != nil || d.Bounds().Empty() {
		return nil, ErrNotFound
	}
	return w.picture(ctx, fmt.Sprintf("%s part %q", w.Source, name), d, d.Bounds(), width, height, nil)
}
