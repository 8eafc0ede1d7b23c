package studio

import (
	"context"

	"dyekit/core/fonts"
	"dyekit/core/intake/typed"
)

// FontsOf are the fonts that marks of a client can be set in; those that come
// along if the client is not known.
func (s *Studio) FontsOf(ctx context.Context, client string) (*fonts.Set, error) {
	var hashes []string
	cid, err := s.clientID(ctx, client)
	if err == nil && cid > 0 {
		hashes, err = s.clientFonts(ctx, cid)
	}
	if err != nil {
		return nil, err
	}
	return s.table.Fonts(ctx, hashes)
}

// Typed returns what was typed for a mark's master; nil if it came as a file.
func (s *Studio) Typed(ctx context.Context, m *Mark) (*typed.Doc, error) {
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return nil, err
	}
	if len(data) < len(typed.Begins) || string(data[:len(typed.Begins)]) != typed.Begins {
		return nil, nil
	}
	return typed.Parse(data)
}

// TypedPicture draws what was typed within a size in px.
func (s *Studio) TypedPicture(ctx context.Context, d *typed.Doc, have *fonts.Set, width, height int) ([]byte, error) {
	name, err := d.Bytes()
	if err != nil {
		return nil, err
	}
	drawn, _, err := d.Draw(have)
	if err != nil {
		return nil, err
	}
	return s.table.Drawn(ctx, "typed "+string(name), drawn, width, height)
}
