package preflight

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/figure"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// Of outlines that are nearly figures.
const (
	figureOff   = 0.6  // px, by which they may be off
	figurePart  = 0.02 // of their shorter side, too
	figureShort = 10.0 // px, of the shorter side of what is asked
	figureTrue  = 0.12 // px by which one may be off that is taken to be true, and for its curves
	figureCurve = 4e-4 // of its longer side
	figuresMost = 12   // that are offered
	figureTries = 60   // outlines that are looked at, the largest first
)

// A contour is one outline of a shape.
type contour struct {
	path geom.Path
	box  geom.Rect
}

// contours lists the closed outlines of plain shapes that no other borders on, the largest
// first: an outline that two areas share is not for one of them to change.
func contours(d *drawing.Drawing) (out []contour) {
	corner := map[[2]float64]int{} // of how many outlines
	var all []contour
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok || s.Origin == drawing.Lettered {
			return
		}
		for _, p := range s.Path.Subpaths() {
			all = append(all, contour{p, p.Bounds()})
			seen := map[[2]float64]bool{}
			for _, g := range p {
				if g.Op != geom.Close {
					k := [2]float64{g.End().X, g.End().Y}
					if !seen[k] {
						seen[k] = true
						corner[k]++
					}
				}
			}
		}
	})
	for _, c := range all {
		if min(c.box.W(), c.box.H()) >= figureShort && !slices.ContainsFunc(c.path, func(g geom.Seg) bool {
			return g.Op != geom.Close && corner[[2]float64{g.End().X, g.End().Y}] > 1
		}) {
			out = append(out, c)
		}
	}
	slices.SortStableFunc(out, func(a, b contour) int { return cmp.Compare(b.box.Area(), a.box.Area()) })
	return out
}

// nearly returns the figure that an outline is nearly, but not quite.
func (c *contour) nearly() (figure.Figure, bool) {
	f, ok := figure.Of(c.path, min(figureOff, figurePart*min(c.box.W(), c.box.H())))
	return f, ok && f.Off > figureTrue+figureCurve*c.box.Long()
}

// mend is the mend that makes a figure of the outline.
func (c *contour) mend() string {
	return fmt.Sprintf("figure %.2f %.2f %.2f %.2f", c.box.X0, c.box.Y0, c.box.X1, c.box.Y1)
}

// Figures offers to make true figures of outlines of a tracing that are nearly such.
func Figures(d *drawing.Drawing) finding.List {
	all := contours(d)
	var spots []finding.Spot
	for _, c := range all[:min(len(all), figureTries)] {
		if f, ok := c.nearly(); ok && len(spots) < figuresMost {
			m := c.box.Centre()
			spots = append(spots, finding.Spot{Near: [2]float64{m.X, m.Y}, Mend: c.mend(), What: fmt.Sprintf("%s, %.1f px off", called(f), f.Off), Place: c.box})
		}
	}
	if len(spots) == 0 {
		return nil
	}
	return finding.List{nearFigures(spots)}
}

// called is what people call a figure.
func called(f figure.Figure) string {
	if f.Kind == figure.Polygon {
		return map[int]string{3: "even triangle", 5: "regular pentagon", 6: "regular hexagon", 8: "regular octagon"}[f.Sides]
	}
	return string(f.Kind)
}

// nearFigures is the finding of outlines that are nearly figures.
func nearFigures(spots []finding.Spot) finding.Finding {
	f := finding.Finding{Code: finding.NearFigure, Severity: finding.Note, Spots: spots}
	var near []string
	for _, s := range spots {
		near = append(near, fmt.Sprintf("%s near %.0f, %.0f", s.What, s.Near[0], s.Near[1]))
		f.Place = f.Place.Union(s.Place)
	}
	if len(spots) == 1 {
		f.Message = fmt.Sprintf("an outline is nearly a figure that is drawn with instruments (%s): it can be made one", near[0])
		return f
	}
	f.Message = fmt.Sprintf("%d outlines are nearly figures that are drawn with instruments: each can be made one (%s)", len(spots), strings.Join(near, "; "))
	return f
}

// Rest is a finding with places of which one was mended.
func Rest(f finding.Finding) finding.Finding {
	if f.Code == finding.NearFigure {
		return nearFigures(f.Spots)
	}
	return BarePlaces(f.Spots, f.Parts)
}

// exact makes the outline with a box the figure that it nearly is.
func exact(d *drawing.Drawing, box geom.Rect) (_ *drawing.Drawing, done string) {
	slack := max(1, figurePart*box.Long())
	var best *contour
	off := slack
	for _, c := range contours(d) {
		far := max(math.Abs(c.box.X0-box.X0), math.Abs(c.box.Y0-box.Y0), math.Abs(c.box.X1-box.X1), math.Abs(c.box.Y1-box.Y1))
		if far < off {
			best, off = &c, far
		}
	}
	if best == nil {
		return d, ""
	}
	f, ok := best.nearly()
	if !ok {
		return d, ""
	}
	out := d.Map(func(n drawing.Node) drawing.Node {
		s, ok := n.(*drawing.Shape)
		if !ok || done != "" {
			return n
		}
		ps := s.Path.Subpaths()
		i := slices.IndexFunc(ps, func(p geom.Path) bool { return slices.Equal(p, best.path) })
		if i < 0 {
			return n
		}
		ps[i] = f.Path
		c := *s
		c.Path = slices.Concat(ps...)
		done = fmt.Sprintf("the outline near %.0f, %.0f px became a true %s, at most %.1f px from where it was traced", box.Centre().X, box.Centre().Y, called(f), f.Off)
		return &c
	})
	return out, done
}
