package studio

import (
	"context"
	"encoding/hex"
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/studio/decision"
)

// SetPress decides for which press files in process inks are made: one that
// comes along, by its key, or one whose ICC profile is handed in. The printer
// knows which.
func (s *Studio) SetPress(ctx context.Context, mark int64, key string, profile Upload) error {
	if len(profile.Data) == 0 {
		name := key
		if p, ok := colour.PressOf(key); ok {
			name = p.Name
		}
		return s.Decide(ctx, mark, "press: "+name, func(d *Decisions) error {
			d.Press, d.Profile = key, ""
			if key == colour.Coated.Key {
				d.Press = "" // as if nobody had spoken
			}
			return nil
		})
	}
	p, err := icc.Read(profile.Data)
	if err != nil {
		return decision.Wrong("press", "%s: %s", fileName(profile.Filename), err)
	}
	h, err := s.put(ctx, profile.Data)
	if err != nil {
		return err
	}
	return s.Decide(ctx, mark, "press: "+p.Name, func(d *Decisions) error {
		d.Press, d.Profile = "", hex.EncodeToString(h[:])
		return nil
	})
}

// profile returns a profile by its hash in hex, nothing for none.
func (s *Studio) profile(ctx context.Context, hash string) ([]byte, error) {
	if hash == "" {
		return nil, nil
	}
	h, err := parseHash(hash)
	if err != nil {
		return nil, fmt.Errorf("the profile: %w", err)
	}
	return s.get(ctx, h)
}
