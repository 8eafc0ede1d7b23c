package kit

import (
	"context"
	"fmt"
	"path"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/kin"
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
	mostNamed = 4    // colours that are named one by one
)

// A seen is what a drawing is compared by.
type seen struct {
	look  *kin.Look
	tones []preflight.Tone
}

// see looks at the drawing, once.
func (o Origin) see(ctx context.Context) (seen, error) {
	return o.seen.get("", func() (s seen, err error) {
		if s.look, err = kin.See(ctx, o.Master.Drawing); err != nil {
			return s, err
		}
		s.tones, err = preflight.Tones(ctx, o.Master.Drawing)
		return s, err
	})
}

// differ says how the drawings of their own disagree with the mark. What it cannot tell, as of a
// master that is a photograph, is not said.
func (p *Plan) differ(ctx context.Context, r *recipe.Recipe) error {
	if len(p.from.Drawn) == 0 {
		return nil
	}
	main, err := p.from.Main.see(ctx)
	if err != nil {
		return err
	}
	say := func(s finding.Severity, part, format string, args ...any) {
		p.Findings.Add(finding.DrawingDiffers, s, fmt.Sprintf(format, args...), part, geom.Rect{})
	}
	for _, l := range r.Lockups {
		d, ok := p.from.Drawn[l.Drawing]
		if !ok {
			continue
		}
		own, err := d.see(ctx)
		if err != nil {
			return err
		}
		if k := own.look.To(main.look); k.Relation == kin.Other {
			say(finding.Warn, l.Name, "the lockup %s, drawn in %s, shares hardly a shape with the master: look whether it is the same mark", l.Name, called(l.Drawing))
		}
		if odd := foreign(own.tones, main.tones); odd != "" {
			say(finding.Warn, l.Name, "%s is drawn with %s, which the master does not have", called(l.Drawing), odd)
		}
	}
	for _, v := range p.Versions {
		s := v.Spec
		d, ok := p.from.Drawn[s.Drawing]
		if !ok || v.Drawing == nil {
			continue
		}
		if !s.OneInk() {
			own, err := d.see(ctx)
			if err != nil {
				return err
			}
			if odd := foreign(own.tones, main.tones); odd != "" {
				say(finding.Warn, s.Name, "%s is drawn with %s, which the master does not have", called(s.Drawing), odd)
			}
		}
		if err := p.differsFrom(ctx, v, say); err != nil {
			return err
		}
	}
	return nil
}

// differsFrom compares a version with what would be derived in its place.
func (p *Plan) differsFrom(ctx context.Context, v *version.Version, say func(s finding.Severity, part, format string, args ...any)) error {
	s := v.Spec
	s.Drawing = ""
	derived, err := p.from.Make(ctx, s)
	if err != nil || derived.Drawing == nil {
		return err
	}
	own, err := kin.See(ctx, v.Drawing)
	if err != nil {
		return err
	}
	other, err := kin.See(ctx, derived.Drawing)
	if err != nil {
		return err
	}
	name, file := s.Name, called(v.Spec.Drawing)
	k := own.To(other)
	switch n := len(k.Missing) + len(k.Changed); {
	case k.Relation == kin.Other:
		say(finding.Warn, name, "%s, drawn in %s, shares hardly a shape with what would be derived: look whether it is the same mark", name, file)
		return nil
	case k.Relation != kin.Same:
		say(finding.Warn, name, "%s, drawn in %s, is arranged otherwise than what would be derived", name, file)
		return nil
	case n > 0:
		say(finding.Warn, name, "%s, drawn in %s, has not all that would be derived: %s", name, file, lacks(len(k.Missing), len(k.Changed)))
	}
	if k.Stretch > stretched || k.Stretch < 1/stretched {
		say(finding.Warn, name, "%s, drawn in %s, is %.2f times as wide for its height as what would be derived", name, file, k.Stretch)
	} else if k.Scale > sizeOff || k.Scale < 1/sizeOff {
		say(finding.Note, name, "%s is drawn %.2f times as large as what would be derived, and files of curves have that size", name, k.Scale)
	}
	return nil
}

// lacks counts the shapes that are not there and those that are others.
func lacks(missing, changed int) string {
	n := func(n int) string {
		if n == 1 {
			return "1 shape"
		}
		return fmt.Sprintf("%d shapes", n)
	}
	var words []string
	if missing > 0 {
		words = append(words, n(missing)+" missing")
	}
	if changed > 0 {
		words = append(words, n(changed)+" drawn otherwise")
	}
	return strings.Join(words, ", ")
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
