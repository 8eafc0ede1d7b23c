package version

import (
	"context"
	"fmt"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/planar"
)

// Outlines keeps the last lines that were drawn round plots: other inks leave most of them
// where they are. The zero value is ready to use, from several goroutines.
type Outlines struct{ drawn parallel.Recent[outlined] }

// maxOutlined is how many segments plots have at most whose lines are kept, so that what is kept
// stays within some tens of megabytes.
const maxOutlined = 20_000

// An outlined is a line and what is left of the plots, which may be nothing.
type outlined struct {
	line  geom.Path
	plots []geom.Path
}

// outline draws a line round the ink, in an ink of its own. It returns the
// line, to be painted first, and what is left of the plots.
func (a *Art) outline(ctx context.Context, o Outline, own Ink, plots []plot) ([]drawing.Node, []plot, error) {
	k := Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}
	if o.Ink != nil {
		k = *o.Ink
	}
	paint, err := inkPaint(k, 100)
	if err != nil {
		return nil, nil, fmt.Errorf("outline: ink: %w", err)
	}
	around := func(ctx context.Context) (outlined, error) {
		return o.around(ctx, a.Drawing.Bounds().Long(), own, plots)
	}
	var got outlined
	segs := 0
	for _, p := range plots {
		segs += len(p.path)
	}
	if a.Outlines == nil || segs > maxOutlined {
		got, err = around(ctx)
	} else {
		paths, solid := make([]geom.Path, len(plots)), make([]bool, len(plots))
		for i, p := range plots {
			paths[i], solid[i] = p.path, p.solid(own)
		}
		key, _ := drawing.Sum([]any{o.Width, o.Side, a.Drawing.Bounds().Long(), paths, solid}) // all of which has one
		got, err = a.Outlines.drawn.Get(ctx, key, around)
	}
	if err != nil {
		return nil, nil, err
	}
	var left []plot
	for i, p := range plots {
		if len(got.plots[i]) > 0 {
			left = append(left, plot{got.plots[i], p.tint})
		}
	}
	return []drawing.Node{&drawing.Shape{Path: got.line, Paint: paint, Simple: true}}, left, nil
}

// solid reports whether nothing shows through a plot in an ink.
func (p plot) solid(own Ink) bool {
	paint, err := inkPaint(own, p.tint)
	return err == nil && paint.Alpha == 1
}

// around draws the line round plots in one ink, of a mark whose longer side is so long.
func (o Outline) around(ctx context.Context, long float64, own Ink, plots []plot) (out outlined, err error) {
	width, err := o.Width.Px(long)
	if err != nil {
		return out, fmt.Errorf("outline: %w", err)
	}
	if !(width > 0) {
		return out, fmt.Errorf("%w: the outline has no width", errRefused)
	}
	var layers []planar.Layer
	for _, p := range plots {
		layers = append(layers, planar.Layer{Path: p.path})
		out.plots = append(out.plots, p.path)
	}
	whole, err := planar.Union(ctx, layers...)
	if err != nil {
		return out, err
	}
	pen := geom.Pen{Width: width, Join: geom.RoundJoin}
	if o.Side != Centred {
		pen.Width = 2 * width
	}
	band := planar.Layer{Path: whole.Stroke(pen, strokeTol*long)}
	var line geom.Path
	switch o.Side {
	case "", Outside:
		line, err = planar.Subtract(ctx, band, planar.Layer{Path: whole})
	case Inside:
		line, err = planar.Intersect(ctx, band, planar.Layer{Path: whole})
	default:
		line, err = planar.Resolve(ctx, band)
	}
	if err != nil {
		return out, err
	}
	var solid []planar.Layer
	for i, p := range plots {
		if o.Side == Inside || o.Side == Centred {
			if out.plots[i], err = planar.Subtract(ctx, planar.Layer{Path: p.path}, planar.Layer{Path: line}); err != nil {
				return out, err
			}
		}
		if len(out.plots[i]) > 0 && p.solid(own) {
			solid = append(solid, planar.Layer{Path: out.plots[i]})
		}
	}
	pen.Width += 2 * spread * long
	out.line, err = underlaid(ctx, line, whole.Stroke(pen, strokeTol*long), solid)
	return out, err
}

// underlaid lets the outline go on under the opaque plots that it surrounds, as
// far as reach: areas that only meet show a hairline of the background between
// them in most renderers.
func underlaid(ctx context.Context, line, reach geom.Path, solid []planar.Layer) (geom.Path, error) {
	if len(solid) == 0 {
		return line, nil
	}
	filled, err := planar.Union(ctx, solid...)
	if err != nil {
		return nil, err
	}
	under, err := planar.Intersect(ctx, planar.Layer{Path: reach}, planar.Layer{Path: filled})
	if err != nil {
		return nil, err
	}
	return planar.Union(ctx, planar.Layer{Path: line}, planar.Layer{Path: under})
}
