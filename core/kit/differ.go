package kit

import (
	"context"
	"fmt"
	"math"
	"path"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/kin"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// How far a drawing of its own may lie from the mark before that is said.
const (
	inkOff    = 2.0  // ΔE00 from the nearest of the mark's colours
	inkShare  = 0.01 // of the drawing, below which a colour is an edge
	stretched = 1.02 // times as wide for its height
	sizeOff   = 1.02 // times as large on its page
	weightOff = 1.06 // times as much of its box painted
	roomOff   = 0.02 // of the art's longer side, that its page has more or less at a side
	mostNamed = 4    // colours that are named one by one
)

// painted are the colours of the drawing, found once.
func (o Origin) painted(ctx context.Context) ([]preflight.Tone, error) {
	return o.tones.get("", func() ([]preflight.Tone, error) { return preflight.Tones(ctx, o.Master.Drawing) })
}

// differ says how the drawings of their own disagree with the mark. What it cannot tell, as of a
// master that is a photograph, is not said.
func (p *Plan) differ(ctx context.Context, r *recipe.Recipe) error {
	if len(p.from.Drawn) == 0 {
		return nil
	}
	main, err := p.from.Main.look.see(ctx)
	if err != nil {
		return err
	}
	inks, err := p.from.Main.painted(ctx)
	if err != nil {
		return err
	}
	foreigners := func(ctx context.Context, d Origin, ref, part string, say sayer) error {
		own, err := d.painted(ctx)
		if odd := foreign(own, inks); odd != "" {
			say(finding.Warn, part, "%s is drawn with %s, which the master does not have", called(ref), odd)
		}
		return err
	}
	var each []func(ctx context.Context, say sayer) error
	for _, l := range r.Lockups {
		d, ok := p.from.Drawn[l.Drawing]
		if !ok {
			continue
		}
		each = append(each, func(ctx context.Context, say sayer) error {
			own, err := d.look.see(ctx)
			if err != nil {
				return err
			}
			if own.Covers() > kin.Full && main.Covers() > kin.Full {
				say(finding.Note, l.Name, untold, called(l.Drawing))
			} else if k := own.To(main); k.Relation == kin.Other {
				say(finding.Warn, l.Name, "the lockup %s, drawn in %s, shares hardly any shapes with the master: check that it is the same mark", l.Name, called(l.Drawing))
			} else if n := len(k.Lost); n > 0 {
				say(finding.Warn, l.Name, "the lockup %s, drawn in %s, has the master’s lettering but for %s: look whether a letter is missing or another one is in its place", l.Name, called(l.Drawing), countShapes(n))
			}
			return foreigners(ctx, d, l.Drawing, l.Name, say)
		})
	}
	for _, v := range p.Versions {
		s := v.Spec
		d, ok := p.from.Drawn[s.Drawing]
		if !ok || v.Drawing == nil {
			continue
		}
		each = append(each, func(ctx context.Context, say sayer) error {
			if !s.OneInk() {
				if err := foreigners(ctx, d, s.Drawing, s.Name, say); err != nil {
					return err
				}
			}
			return p.differsFrom(ctx, v, say)
		})
	}
	said := make([]finding.List, len(each)) // in order, whichever is done first
	err = parallel.Do(ctx, len(each), func(ctx context.Context, i int) error {
		return each[i](ctx, func(s finding.Severity, part, format string, args ...any) {
			said[i].Add(finding.DrawingDiffers, s, fmt.Sprintf(format, args...), part, geom.Rect{})
		})
	})
	for _, fs := range said {
		for _, f := range fs {
			p.Findings.Add(f.Code, f.Severity, f.Message, strings.Join(f.Parts, ", "), geom.Rect{})
		}
	}
	return err
}

// untold is said of a drawing that has no silhouette.
const untold = "%s covers its whole box, so its shapes cannot be compared with those of the mark: look whether it is the same"

// A sayer takes what is found.
type sayer func(s finding.Severity, part, format string, args ...any)

// differsFrom compares a version with what would be derived in its place.
func (p *Plan) differsFrom(ctx context.Context, v *version.Version, say sayer) error {
	s := v.Spec
	s.Drawing = ""
	derived, err := p.from.Make(ctx, s)
	if err != nil || derived.Drawing == nil {
		return err
	}
	k, err := p.from.Main.look.compare(ctx, v.Drawing, derived.Drawing)
	if err != nil {
		return err
	}
	name, file := s.Name, called(v.Spec.Drawing)
	if k.untold {
		say(finding.Note, name, untold, file)
		return nil
	}
	switch n := len(k.Missing) + len(k.Changed); {
	case k.Relation == kin.Other:
		say(finding.Warn, name, "%s, drawn in %s, shares hardly any shapes with what would be derived: check that it is the same mark", name, file)
		return nil
	case k.Relation != kin.Same:
		say(finding.Warn, name, "%s, drawn in %s, is arranged differently from what would be derived", name, file)
		return nil
	case n > 0:
		say(finding.Warn, name, "%s, drawn in %s, does not match what would be derived: %s", name, file, lacks(len(k.Missing), len(k.Changed)))
	}
	if k.Stretch > stretched || k.Stretch < 1/stretched {
		say(finding.Warn, name, "%s, drawn in %s, is %.2f times as wide for its height as what would be derived", name, file, k.Stretch)
	} else if k.Scale > sizeOff || k.Scale < 1/sizeOff {
		say(finding.Note, name, "%s is drawn %.2f times as large as what would be derived, and files of curves have that size", name, k.Scale)
	}
	if w := k.Weight; len(k.Missing)+len(k.Changed) == 0 && (w > weightOff || w < 1/weightOff) {
		how, by := "heavier", w-1
		if w < 1 {
			how, by = "lighter", 1-w
		}
		say(finding.Note, name, "%s is drawn %.0f %% %s than what would be derived, by the area of its ink", name, 100*by, how)
	}
	if p.ownPages {
		page := p.Master.Drawing.Page
		if by := derived.Spec.DrawnBy(); by != "" {
			page = p.from.Drawn[by].Master.Drawing.Page
		}
		was, is := room(k.boxes[1], page), room(k.boxes[0], p.from.Drawn[v.Spec.Drawing].Master.Drawing.Page)
		for i, side := range []string{"on the left", "above", "on the right", "below"} {
			if d := is[i] - was[i]; math.Abs(d) > roomOff {
				say(finding.Warn, name, "%s, drawn in %s, leaves other room on its page than what would be derived: %.0f %% of the mark’s longer side %s, not %.0f %%", name, file, is[i]*100, side, was[i]*100)
				break
			}
		}
	}
	return nil
}

// A kinship is how one drawing stands to another.
type kinship struct {
	kin.Kinship
	untold bool         // both cover their whole boxes
	boxes  [2]geom.Rect // of their art
}

// compare tells how a version stands to what would be derived in its place, and remembers it.
func (s *Shape) compare(ctx context.Context, own, derived *drawing.Drawing) (kinship, error) {
	see := func(ctx context.Context) (k kinship, err error) {
		a, err := kin.See(ctx, own)
		if err != nil {
			return k, err
		}
		b, err := kin.See(ctx, derived)
		if err != nil {
			return k, err
		}
		k.boxes = [2]geom.Rect{a.Box, b.Box}
		if k.untold = a.Covers() > kin.Full && b.Covers() > kin.Full; !k.untold {
			k.Kinship = a.To(b)
		}
		return k, nil
	}
	key, ok := drawing.Sum([]*drawing.Drawing{own, derived})
	if !ok {
		return see(ctx)
	}
	return s.kinships.Get(ctx, key, see)
}

// room is what a page has bare at the left of art, above it, at its right and below it, as shares of
// the art's longer side.
func room(art, page geom.Rect) [4]float64 {
	k := art.Long()
	return [4]float64{(art.X0 - page.X0) / k, (art.Y0 - page.Y0) / k, (page.X1 - art.X1) / k, (page.Y1 - art.Y1) / k}
}

// lacks counts the shapes that are not there and those that are others.
func lacks(missing, changed int) string {
	var words []string
	if missing > 0 {
		words = append(words, countShapes(missing)+" missing")
	}
	if changed > 0 {
		words = append(words, countShapes(changed)+" drawn differently")
	}
	return strings.Join(words, ", ")
}

// countShapes says how many in words.
func countShapes(n int) string {
	if n == 1 {
		return "1 shape"
	}
	return fmt.Sprintf("%d shapes", n)
}

// foreign names the colours of a drawing that the mark does not have; white is paper, and pictures
// are let be.
func foreign(own, mark []preflight.Tone) string {
	var hex []string
	for _, t := range own {
		if t.Share < inkShare || t.Gradient || t.Colour.RGB.NearWhite() {
			continue
		}
		near := false
		for _, m := range mark {
			near = near || colour.Difference(t.Colour.RGB.Lab(), m.Colour.RGB.Lab()) < inkOff
		}
		if !near {
			hex = append(hex, t.Colour.RGB.Hex())
		}
	}
	if len(mark) == 0 || len(hex) == 0 {
		return ""
	}
	if n := len(hex) - mostNamed; n > 0 {
		return fmt.Sprintf("%s and %d more colours", strings.Join(hex[:mostNamed], ", "), n)
	}
	return strings.Join(hex, ", ")
}

// called is how people know a drawing: by its file.
func called(ref string) string { return path.Base(ref) }
