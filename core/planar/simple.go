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
	p, cut, err := newPlane(geom.Rect{}, []Layer{l})
	if err != nil {
		return nil, err
	}
	pieces, joins, err := p.settle(ctx, cut)
	if err != nil {
		return nil, err
	}
	// A ring of pieces that meet at their ends alone, two at each, winds once.
	if !p.bent && joins == len(pieces) && ring(l.Path) {
		return l.Path, nil
	}
	if err := p.arrange(ctx, pieces); err != nil {
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

// ring reports whether a path is one contour.
func ring(p geom.Path) bool {
	for i, s := range p {
		if (s.Op == geom.MoveTo) != (i == 0) || s.Op == geom.Close && i < len(p)-1 {
			return false
		}
	}
	return true
}
