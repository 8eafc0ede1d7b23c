package kit

import (
	"context"
	"fmt"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/svg"
	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// picturePPI is the resolution of what a file of curves has to hold as pixels,
// if the recipe names none: what print shops ask for (common practice).
const picturePPI = 300

// A drawing is used at other sizes than its page's, which may be that of an icon;
// so the longer side of such pictures is at least this many px: 5 in at 300 ppi,
// or if the recipe names a resolution, as many as files are compared with.
const (
	leastPicture = 1500
	leastNamed   = lookSide
)

// A burden is what stands in the way of a version in a file type.
type burden int

const (
	none    burden = iota
	effects        // shadow, glow, blur: made of pixels, and the type knows none
	blends         // mixed with what lies below, as the type cannot
	masks          // masked, or faded, as the type cannot
	opaque         // translucent, and the type knows only opaque paint
)

// burdenOf tells what of a drawing a file of curves cannot hold as it is.
func burdenOf(d *drawing.Drawing, e recipe.Entry) burden {
	h := d.Has()
	k, cmyk := e.Kind(), e.ColourSpace() == format.CMYK
	switch {
	case h.Filters && e.Format == format.SVG && e.Effects != recipe.Picture && svg.Filters(d):
		// SVG has filters of its own.
		if k.Plain && (hardMasks(d) || offCentre(d)) {
			return masks
		}
		return none
	case h.Filters:
		return effects
	case e.Flat():
		if h.Translucent || h.Masks || h.Blends {
			return opaque
		}
	case h.Blends && (k.Plain || cmyk && lightBlends(d)):
		return blends
	case k.Plain && (hardMasks(d) || offCentre(d)):
		return masks
	}
	return none
}

// lightBlends reports whether a drawing mixes in a way that is made of light.
func lightBlends(d *drawing.Drawing) (found bool) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if g, ok := n.(*drawing.Group); ok {
			found = found || g.Blend != drawing.Normal && g.Blend != drawing.Multiply
		}
	})
	return found
}

// hardMasks reports whether a drawing has masks that SVG 1.1 has not: by
// opacity, in linear light, or masked themselves.
func hardMasks(d *drawing.Drawing) (found bool) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if g, ok := n.(*drawing.Group); ok && g.Mask != nil {
			m := g.Mask
			found = found || m.Alpha || m.Linear || m.Mask != nil || hardMasks(&drawing.Drawing{Nodes: m.Nodes}) || (&drawing.Drawing{Nodes: m.Nodes}).Has().Filters
		}
	})
	return found
}

// offCentre reports whether a gradient begins at a circle that SVG 1.1 cannot
// say.
func offCentre(d *drawing.Drawing) (found bool) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			if g, ok := s.Paint.(*drawing.Gradient); ok && g.Radial && g.R0 > 0 {
				found = found || g.P0 != g.P1 || g.Spread != drawing.Pad
			}
		}
	})
	return found
}

// leftOut says why a version will not be in files of an entry, and what a person
// can choose instead; "" if it will be.
func (p *Plan) leftOut(name string, e recipe.Entry) (why string, choices []string) {
	v := p.version(name)
	if v == nil || v.Drawing == nil || !e.Curves() || e.Effects != recipe.Omit {
		return "", nil
	}
	kind := e.Kind().Name
	switch burdenOf(v.Drawing, e) {
	case effects:
		why = "it has a shadow, glow or blur, which is made of pixels: " + kind + " keeps curves"
	case blends:
		why = "it has colours mixed as light with what lies below, which " + kind + " cannot keep"
	case masks, opaque:
		why = "it has translucent paint, which " + kind + " cannot keep"
	default:
		return "", nil
	}
	return why, []string{recipe.Picture, recipe.LeaveOut}
}

// inside lists the files of curves that hold an effect as a picture because nobody
// chose otherwise, with the choices.
func (p *Plan) inside() (out []recipe.Omission) {
	for _, f := range p.Files {
		if !f.Curves() || f.Set() != "" || f.Entry.Effects != "" {
			continue
		}
		for _, name := range f.Versions {
			v := p.version(name)
			if v == nil || v.Drawing == nil {
				continue
			}
			o := recipe.Omission{Version: name, Format: f.Entry.Format, Choices: []string{recipe.LeaveOut, recipe.Omit}}
			switch kind := f.Entry.Kind().Name; burdenOf(v.Drawing, f.Entry) {
			case effects:
				o.Reason = fmt.Sprintf("a shadow, glow or blur goes into %s as a picture at %d ppi, as that has no effects; all else stays in curves", kind, picturePPI)
			case blends:
				o.Reason = fmt.Sprintf("colours mixed as light go into %s as a picture at %d ppi, as that cannot keep them", kind, picturePPI)
			default:
				continue
			}
			if !slices.ContainsFunc(out, func(x recipe.Omission) bool { return x.Version == o.Version && x.Format == o.Format }) {
				out = append(out, o)
			}
		}
	}
	return out
}

func (p *Plan) version(name string) *version.Version {
	for _, v := range p.Versions {
		if v.Spec.Name == name {
			return v
		}
	}
	return nil
}

// carried is the drawing of a version as a file of curves can hold it.
func (j *job) carried(ctx context.Context, f recipe.File, name string) (*drawing.Drawing, error) {
	d, e := j.seen(f, name), f.Entry
	if e.Effects == recipe.LeaveOut {
		d = version.WithoutEffects(d)
	}
	fr := j.frameFor(f, name)
	ppi, least := e.EffectsPPI, float64(leastNamed)
	if ppi == 0 {
		ppi, least = picturePPI, leastPicture
	}
	k := max(ppi/96*fr.Scale(), least/fr.Box.Long()) // px to the page unit
	// A picture is never enlarged.
	if own, _ := limits(d, fr); own > 0 {
		k = min(k, float64(own)/fr.Box.W())
	}
	key := fmt.Sprint(name, "/", e.Effects, "/", k, "/", fr.Box)
	picture := func() (*drawing.Drawing, error) {
		return j.carriages.get(key+"/whole", func() (*drawing.Drawing, error) { return version.AsPicture(ctx, d, fr.Box, k, nil) })
	}
	for {
		switch burdenOf(d, e) {
		case none:
			return d, nil
		case effects:
			if e.Effects == recipe.Omit {
				return nil, export.Cannot("it has a shadow, glow or blur, which is made of pixels")
			}
			var err error
			if d, err = j.carriages.get(key, func() (*drawing.Drawing, error) { return version.WithPictures(ctx, d, fr.Box, k) }); err != nil {
				return nil, err
			}
			if d.Has().Filters { // inside a mask
				return picture()
			}
		case blends, masks:
			return picture()
		case opaque:
			return j.flats.get(key, func() (*drawing.Drawing, error) { return version.Flatten(ctx, d, k) })
		}
	}
}

// holdsPixels says what a file of curves holds as pixels, and how large that is
// sharp: "" if it holds none.
func (j *job) holdsPixels(ctx context.Context, f recipe.File) string {
	if !f.Entry.Curves() {
		return ""
	}
	for _, v := range f.Versions {
		d, err := j.art(ctx, f, v)
		if err != nil || !d.Has().Pictures {
			continue
		}
		fr := j.frameFor(f, v)
		main, part := limits(d, fr)
		n := main
		if n == 0 {
			n = part
		}
		return fmt.Sprintf("a picture inside, sharp up to %d px wide (%.0f mm at %d ppi)", n, float64(n)/picturePPI*25.4, picturePPI)
	}
	return ""
}
