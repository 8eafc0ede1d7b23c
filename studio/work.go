package studio

import (
	"context"
	"log/slog"
	"time"

	"dyekit/core/parallel"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// A Snapshot is a mark on the table, with what is kept of it. It never changes;
// another decision gives another Snapshot.
type Snapshot struct {
	*preview.Snapshot
	Mark *Mark
}

// Decisions is all that a person has decided about a mark.
type Decisions = decision.Decisions

// subject is what the looks of a mark depend on.
func (m *Mark) subject() preview.Subject {
	return preview.Subject{Mark: m.ID, Master: m.Master.Hash.String(), Brand: m.Brand(), Fonts: m.fonts, Inks: m.inks}
}

// Snapshot returns the mark on the table.
func (s *Studio) Snapshot(ctx context.Context, m *Mark) (*Snapshot, error) {
	d, err := m.Decisions()
	if err != nil {
		return nil, err
	}
	w, err := s.workWith(ctx, m, d)
	if err == nil && m.seen != w.Name {
		err = s.saw(ctx, w)
	}
	return w, err
}

// workWith is Snapshot with other decisions than those kept.
func (s *Studio) workWith(ctx context.Context, m *Mark, d Decisions) (*Snapshot, error) {
	w, err := s.table.Snapshot(ctx, m.subject(), d)
	if err != nil {
		return nil, err
	}
	return &Snapshot{w, m}, nil
}

// Seen returns what pictures of this name can be drawn from, if it is at hand; see
// preview.Table.Seen. It asks no database.
func (s *Studio) Seen(mark int64, name string) (*preview.Snapshot, bool) {
	return s.table.Seen(mark, name)
}

// What is read beforehand: so many marks, for so long each and all together. Whoever comes
// first needs the machine for what they came for.
const (
	maxWarm = 60
	warmOne = 2 * time.Second
	warmAll = 20 * time.Second
)

// Warm puts the marks on the table that the desk will show, so that its first
// visitor does not wait for all of them to be read.
func (s *Studio) Warm(ctx context.Context) {
	if err := parallel.Guard(func() error { s.warm(ctx); return nil }); err != nil {
		slog.Error("reading the marks of the desk beforehand broke", "err", err)
	}
}

func (s *Studio) warmMark(ctx context.Context, id int64) {
	ctx, end := context.WithTimeout(ctx, warmOne)
	defer end()
	if m, err := s.Mark(ctx, id); err == nil {
		if w, err := s.Snapshot(ctx, m); err == nil {
			w.Weights(ctx)
		}
	}
}

func (s *Studio) warm(ctx context.Context) {
	ctx, end := context.WithTimeout(ctx, warmAll)
	defer end()
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil {
		return // the visitor will be told
	}
	for _, t := range d.Cards[:min(len(d.Cards), maxWarm)] {
		if t.State == Unseen {
			continue // perhaps whoever looked at it did not live to tell
		}
		s.warmMark(ctx, t.ID)
		if ctx.Err() != nil {
			return
		}
	}
}
