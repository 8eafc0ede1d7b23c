package planar

import (
	"context"

	"dyekit/core/geom"
)

// Simple returns a path that encloses the same area as the layer and neither
// crosses nor covers itself: its winding number is 0 outside and the same, 1 or
// -1, everywhere inside, so that the signed areas beside its edges add up to
// what they cover. A path that is so already comes back as it is. Unlike
// Resolve it keeps what is thin.
func Simple(ctx context.Context, l Layer) (geom.Path, error) {
	p, err := Overlay(ctx, geom.Rect{}, []Layer{l})
	if err != nil {
		return nil, err
	}
	lo, hi := int32(0), int32(0)
	m := p.label(func(s *Set) int {
		lo, hi = min(lo, s.wind[0]), max(hi, s.wind[0])
		if s.Has(0) {
			return 1
		}
		return 0
	})
	if !p.bent && hi-lo <= 1 {
		return l.Path, nil
	}
	return m.Path(func(label int) bool { return label == 1 }), nil
}
