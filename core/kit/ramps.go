package kit

import (
	"fmt"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// unbanded lists the shapes of a drawing that was read back, with one in the place of the
// bands in which EPS of level 2 paints a gradient, within its outline: one for each gradient
// of want whose outline cuts plain paint. bands are the colours of those.
func unbanded(back *drawing.Drawing, want []*drawing.Shape, to geom.Affine, slack float64) (got []*drawing.Shape, bands map[*drawing.Shape][]colour.Colour) {
	within := map[*drawing.Shape]*drawing.Group{} // the groups that cut the shapes
	back.Walk(func(n drawing.Node, in []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && len(in) > 0 && len(in[len(in)-1].Clip) == 1 {
			within[s] = in[len(in)-1]
		}
	})
	bands = map[*drawing.Shape][]colour.Colour{}
	all := shapes(back)
	for i := 0; i < len(all); i++ {
		s := all[i]
		got = append(got, s)
		k := len(got) - 1
		g := within[s]
		if k >= len(want) || g == nil {
			continue
		}
		_, ramp := want[k].Paint.(*drawing.Gradient)
		_, plain := s.Paint.(drawing.Solid)
		if !ramp || !plain || apart(g.Clip[0].Path, want[k].Path, to, slack) > slack {
			continue
		}
		whole := &drawing.Shape{Path: g.Clip[0].Path, Rule: g.Clip[0].Rule, Paint: s.Paint}
		for ; i < len(all) && within[all[i]] == g; i++ {
			if p, ok := all[i].Paint.(drawing.Solid); ok {
				bands[whole] = append(bands[whole], p.Colour)
			}
		}
		i--
		got[k] = whole
	}
	return got, bands
}

// bandTint is how far the tint of the nearest band may lie from a stop's: half a step of 8
// bits, and what is written.
const bandTint = 0.5/255 + tintSlack

// samePlates compares the plates of gradients, and their tints at each stop of the art's. A
// gradient in bands has one near each.
func samePlates(got drawing.Paint, bands []colour.Colour, want *drawing.Gradient, ink inking) string {
	in, tints, ok := want.Plates()
	if !ok || ink == onScreen {
		return ""
	}
	g, smooth := got.(*drawing.Gradient)
	if !smooth {
		g = &drawing.Gradient{}
		for _, c := range bands {
			g.Stops = append(g.Stops, drawing.Stop{Colour: c})
		}
	}
	back, found, ok := g.Plates()
	if !ok || !slices.Equal(back.Plates(), in.Plates()) {
		return fmt.Sprintf("its gradient is on the plates %v, not %v", back.Plates(), in.Plates())
	}
	full := slices.Repeat([]float64{1}, len(in.Plates()))
	p, _ := back.Tinted(full, in.RGB).Press()
	q, _ := in.Tinted(full, in.RGB).Press()
	if !near(p, q) {
		return fmt.Sprintf("its gradient shows the plates %v as %v, not %v", in.Plates(), p, q)
	}
	if want.Spread != drawing.Pad {
		return "" // it has other stops, laid out as often as they are seen
	}
	want = want.Inward()
	_, tints, _ = want.Plates()
	for i, s := range want.Stops {
		ok := false
		for j, b := range g.Stops {
			if smooth {
				ok = ok || math.Abs(b.At-s.At) <= tintSlack && sameTints(found[j], tints[i], tintSlack)
			} else {
				ok = ok || sameTints(found[j], tints[i], bandTint)
			}
		}
		if !ok {
			return fmt.Sprintf("at %.4g of its gradient the tints of %v are not %.4v", s.At, in.Plates(), tints[i])
		}
	}
	return ""
}

func sameTints(a, b []float64, slack float64) bool {
	for i := range a {
		if math.Abs(a[i]-b[i]) > slack {
			return false
		}
	}
	return true
}
