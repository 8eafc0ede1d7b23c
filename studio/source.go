package studio

import (
	"bytes"
	"context"
	"fmt"
	"sync"

	"dyekit/core/intake"
	"dyekit/core/preflight"
	"dyekit/core/version"
)

// A source is a master as it was read, with its mends done: all that works of
// a mark have in common which differ in recipe and readings. A changed reading
// only labels the faces of its art anew.
type source struct {
	name    string
	master  *intake.Master
	art     *version.Art
	tones   []preflight.Tone
	standIn func() (*intake.Master, error) // text without its font in another
	weight  int                            // bytes, about
}

// A reading is a master as it was read, before the client's inks.
type reading struct {
	name    string
	master  *intake.Master
	standIn func() (*intake.Master, error)
	weight  int // bytes, about
}

// heavy is how many bytes a master has that is read alone, so that several at
// once cannot fill the memory.
const heavy = 1 << 20

// intake reads a master, a large one when no other large one is being read.
func (s *Studio) intake(ctx context.Context, data []byte, opt intake.Options) (*intake.Master, error) {
	if len(data) >= heavy || !bytes.HasPrefix(bytes.TrimSpace(data), []byte("<")) {
		select {
		case s.alone <- struct{}{}:
			defer func() { <-s.alone }()
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	return intake.Read(ctx, data, opt)
}

// read reads the master of a mark, unless that has been done.
func (s *Studio) read(ctx context.Context, m *Mark, d Decisions) (*reading, error) {
	name, err := hashOf(m.Master.Hash.String(), d.Mends, d.Parts, m.fonts)
	if err != nil {
		return nil, err
	}
	if r, ok := s.shelf.readings.get(name); ok {
		return r, nil
	}
	data, err := s.Bytes(ctx, m.Master)
	if err != nil {
		return nil, err
	}
	set, err := s.fontSet(ctx, m.fonts)
	if err != nil {
		return nil, err
	}
	opt := d.reading(set)
	r := &reading{name: name}
	if r.master, err = s.intake(ctx, data, opt); err != nil {
		return nil, fmt.Errorf("the master cannot be read: %w", err)
	}
	r.weight = r.master.Drawing.Weight()
	r.standIn = sync.OnceValues(func() (*intake.Master, error) {
		opt.StandIn = standInFamily
		return s.intake(context.WithoutCancel(ctx), data, opt)
	})
	return s.shelf.readings.put(name, r), nil
}

// source prepares the master of a mark, unless that has been done.
func (s *Studio) source(ctx context.Context, m *Mark, d Decisions) (*source, error) {
	r, err := s.read(ctx, m, d)
	if err != nil {
		return nil, err
	}
	name, err := hashOf(r.name, m.inks)
	if err != nil {
		return nil, err
	}
	if src, ok := s.shelf.sources.get(name); ok {
		return src, nil
	}
	inks, err := m.Inks()
	if err != nil {
		return nil, err
	}
	master := *r.master
	src := &source{name: name, master: &master, standIn: r.standIn, weight: r.weight}
	if master.Drawing, err = version.Tie(master.Drawing, inks); err != nil {
		return nil, err
	}
	if src.tones, err = preflight.Tones(ctx, master.Drawing); err != nil {
		return nil, err
	}
	src.art = &version.Art{Drawing: master.Drawing, Keys: master.Keys}
	return s.shelf.sources.put(name, src), nil
}
