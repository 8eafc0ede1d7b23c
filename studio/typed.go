package studio

import (
	"context"
	"slices"

	"dyekit/core/fonts"
	"dyekit/core/intake/typed"
)

// What is typed, as core/intake/typed has it.
type (
	Words     = typed.Doc
	WordsLine = typed.Line
	WordsGap  = typed.Gap
)

// Choices of typed marks, in the order in which they are offered.
var (
	WordsAligns   = typed.Aligns
	WordsBetweens = typed.Betweens
	WordsCases    = typed.Cases
)

// fontsOf are the fonts that marks of a client can be set in; those that come
// along if the client is not known.
func (s *Studio) fontsOf(ctx context.Context, client string) (*fonts.Set, error) {
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

// Families lists the fonts that words of a client can be set in.
func (s *Studio) Families(ctx context.Context, client string) ([]string, error) {
	have, err := s.fontsOf(ctx, client)
	if err != nil {
		return nil, err
	}
	out := have.Families()
	slices.Sort(out)
	return out, nil
}

// Typed returns what was typed for a mark's master; nil if it came as a file.
func (s *Studio) Typed(ctx context.Context, m *Mark) (*Words, error) {
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return nil, err
	}
	if len(data) < len(typed.Begins) || string(data[:len(typed.Begins)]) != typed.Begins {
		return nil, nil
	}
	return typed.Parse(data)
}

// TypedSize tells how large words come out, in page units, and where their letters
// meet. The error says what cannot be set.
func (s *Studio) TypedSize(ctx context.Context, client string, d *Words) (w, h float64, gaps []WordsGap, err error) {
	if d.Typed = typed.Version; d.Check() != nil {
		return 0, 0, nil, d.Check()
	}
	have, err := s.fontsOf(ctx, client)
	if err != nil {
		return 0, 0, nil, err
	}
	drawn, gaps, err := d.Draw(have)
	if err != nil {
		return 0, 0, nil, err
	}
	return drawn.Page.W(), drawn.Page.H(), gaps, nil
}

// TypedPicture draws words within a size in px.
func (s *Studio) TypedPicture(ctx context.Context, client string, d *Words, width, height int) ([]byte, error) {
	if d.Typed = typed.Version; d.Check() != nil {
		return nil, ErrNotFound
	}
	have, err := s.fontsOf(ctx, client)
	if err != nil {
		return nil, err
	}
	name, err := d.Bytes()
	if err != nil {
		return nil, err
	}
	drawn, _, err := d.Draw(have)
	if err != nil {
		return nil, ErrNotFound
	}
	return s.table.Drawn(ctx, client+" typed "+string(name), drawn, width, height)
}
