package studio

import (
	"context"
	"embed"
	"errors"
	"fmt"

	"dyekit/studio/queue"
)

//go:embed demo/* demo/photos/*
var demoFiles embed.FS

// ErrNotEmpty is returned when the demo would be mixed with real work.
var ErrNotEmpty = errors.New("the database holds marks already; the demo goes into an empty one")

// LoadDemo puts the demo scenario into an empty database: three clients of a
// made-up studio, and one kit built.
func (s *Studio) LoadDemo(ctx context.Context) error {
	desk, err := s.Desk(ctx, DeskQuery{})
	if err != nil {
		return err
	}
	if desk.Marks > 0 {
		return ErrNotEmpty
	}
	if err := s.SetHouse(ctx, House{Name: "Vat Nine", Greeting: "Use the plum one wherever you can. Call if a printer asks for anything else.", Mail: "desk@vatnine.example"}, nil); err != nil {
		return err
	}
	for _, d := range []struct {
		client, mark, file string
		build              bool
	}{
		{"Larkmoor Tramway", "Roundel", "larkmoor-roundel.svg", false},
		{"Odd Kettle Teahouse", "Kettle", "odd-kettle.svg", true},
		{"Fennick Kites", "Diamond", "fennick-diamond.jpg", false},
	} {
		data, err := demoFiles.ReadFile("demo/" + d.file)
		if err != nil {
			return err
		}
		m, err := s.TakeIn(ctx, Taking{Client: d.client, Mark: d.mark, Filename: d.file, Data: data})
		if err != nil {
			return fmt.Errorf("%s: %w", d.file, err)
		}
		w, err := s.Snapshot(ctx, m)
		if err != nil {
			return err
		}
		if !d.build {
			continue
		}
		j, err := s.Build(ctx, w)
		if err != nil {
			return err
		}
		if err := s.buildNow(ctx, j); err != nil {
			return fmt.Errorf("%s: %w", d.file, err)
		}
	}
	return nil
}

// buildNow works here on a build that was just put into the queue.
func (s *Studio) buildNow(ctx context.Context, j *Job) error {
	name := queue.WorkerName()
	if id, err := s.queue.Lease(ctx, name); err != nil || id != j.ID {
		return errors.Join(err, errors.New("the build was taken by another worker"))
	}
	return s.queue.Do(ctx, j.ID, name, s.work, inWords)
}
