package studio

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/field"
	"dyekit/core/intake/picture"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// keepGrounds puts the pictures that versions stand on among the bytes, and
// leaves their names: decisions are written anew with every change, pictures
// are not.
func (s *Studio) keepGrounds(ctx context.Context, d *Decisions) error {
	keep := func(vs []version.Spec) ([]version.Spec, error) {
		vs = slices.Clone(vs)
		for i, v := range vs {
			if v.Backing == nil || !strings.HasPrefix(v.Backing.Picture, "data:") {
				continue
			}
			data, _, ok := picture.DataURI(v.Backing.Picture)
			if !ok {
				return nil, decision.Wrong("recipe", "the picture behind %s cannot be read", v.Name)
			}
			h, err := s.put(ctx, data)
			if err != nil {
				return nil, err
			}
			b := *v.Backing
			b.Picture = version.Kept + hex.EncodeToString(h[:])
			vs[i].Backing = &b
		}
		return vs, nil
	}
	var err error
	if d.Added, err = keep(d.Added); err != nil || d.Own == nil {
		return err
	}
	r := *d.Own
	r.Versions, err = keep(r.Versions)
	d.Own = &r
	return err
}

// AddOnPicture adds a version that stands on a picture to the edge, in white or
// black, whichever is clearer in the middle of it.
func (s *Studio) AddOnPicture(ctx context.Context, w *Snapshot, u Upload) error {
	if len(u.Data) == 0 {
		return decision.Wrong("ground", "choose the picture's file")
	}
	b := version.Backing{Shape: version.ToTheEdge, Picture: picture.AsURI(u.Data)}
	img, err := b.GroundPicture()
	if err != nil {
		return decision.Wrong("ground", "%s: %s", fileName(u.Filename), field.Message(err))
	}
	ink := version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}
	middle := img.Bounds().Inset(min(img.Bounds().Dx(), img.Bounds().Dy()) / 4)
	if m := version.Mean(img, middle); colour.Contrast(m, colour.White) < colour.Contrast(m, colour.Black) {
		ink = version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}
	}
	name := "on-picture"
	for n := 2; slices.ContainsFunc(w.Recipe.Versions, func(v version.Spec) bool { return v.Name == name }); n++ {
		name = fmt.Sprintf("on-picture-%d", n)
	}
	return s.addVersion(ctx, w.Mark.ID, "ground", version.Spec{Name: name, Treatment: version.Backed, Ink: &ink, Backing: &b})
}
