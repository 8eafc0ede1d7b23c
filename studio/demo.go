package studio

import (
	"context"
	"embed"
	"errors"
	"fmt"

	"dyekit/core/version"
	"dyekit/studio/queue"
)

//go:embed demo/* demo/photos/*
var demoFiles embed.FS

// ErrNotEmpty is returned when the demo would be mixed with real work.
var ErrNotEmpty = errors.New("the database holds marks already; the demo goes into an empty one")

// LoadDemo puts the demo scenario into an empty database: four clients of a
// made-up studio, one with a kit built, one with a set of four lockups in five
// colourways.
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
		{"Quillon Observatory", "Dome", "quillon.svg", false},
	} {
		data, err := demoFiles.ReadFile("demo/" + d.file)
		if err != nil {
			return err
		}
		m, err := s.TakeIn(ctx, Taking{Client: d.client, Mark: d.mark, Filename: d.file, Data: data})
		if err != nil {
			return fmt.Errorf("%s: %w", d.file, err)
		}
		if d.file == "quillon.svg" {
			if err := s.demoSet(ctx, m.ID); err != nil {
				return fmt.Errorf("%s: %w", d.file, err)
			}
		}
		if m, err = s.Mark(ctx, m.ID); err != nil {
			return err
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

// demoSet gives a mark more colourways and lockups, two of them drawn by hand.
func (s *Studio) demoSet(ctx context.Context, mark int64) error {
	upload := func(name string) (u Upload, err error) {
		u.Filename = name
		u.Data, err = demoFiles.ReadFile("demo/" + name)
		return u, err
	}
	night := &version.Ink{Name: "Night", RGB: "#22305c", CMYK: &[4]float64{100, 87, 33, 25}}
	white := &version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}
	for _, v := range []version.Spec{
		{Name: "night", Treatment: version.SingleInk, Ink: night},
		{Name: "outlined", Treatment: version.SingleInk, Ink: white, Outline: &version.Outline{Width: "1.5%", Ink: night}},
	} {
		if err := s.addVersion(ctx, mark, "need", v); err != nil {
			return err
		}
	}
	wide, err := upload("quillon-wide.svg")
	if err != nil {
		return err
	}
	if err := s.DrawLockup(ctx, mark, "wide", wide, 0); err != nil {
		return err
	}
	for _, part := range []string{"symbol", "wordmark"} {
		if err := s.Decide(ctx, mark, "lockup: "+part, func(d *Decisions) error {
			d.Lockups = append(d.Lockups, version.Lockup{Name: part, Parts: []string{part}})
			for _, c := range []string{"colour", "black", "white", "night", "outlined"} {
				if _, err := fill(d, Cell{part, c}); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return err
		}
	}
	if err := s.StandIn(ctx, mark, "symbol", "64px"); err != nil {
		return err
	}
	reverse, err := upload("quillon-wide-white.svg")
	if err != nil {
		return err
	}
	_, err = s.Draw(ctx, mark, Cell{"wide", "white"}, reverse, 0)
	return err
}

// buildNow works here on a build that was just put into the queue.
func (s *Studio) buildNow(ctx context.Context, j *Job) error {
	name := queue.WorkerName()
	if id, err := s.queue.Lease(ctx, name); err != nil || id != j.ID {
		return errors.Join(err, errors.New("the build was taken by another worker"))
	}
	return s.queue.Do(ctx, j.ID, name, s.work, inWords)
}
