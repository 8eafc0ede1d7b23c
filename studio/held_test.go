package studio

import (
	"bytes"
	"context"
	"errors"
	"strings"
	"testing"

	"dyekit/studio/queue"
)

// What ends its probation is kept as a file and never looked at again; what is
// only wrong is refused; what comes through is a mark.
func TestProbation(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	looked := 0
	s.Probation = func(_ context.Context, master []byte, fonts [][]byte) error {
		looked++
		switch {
		case bytes.Contains(master, []byte("bomb")):
			return &Fatal{Why: "it needs more than 1024 MB of memory"}
		case bytes.Contains(master, []byte("wrong")):
			return errors.New("this is not an SVG drawing")
		}
		return nil
	}
	taking := func(body, mark string) Taking {
		return Taking{Client: "Pier", Mark: mark, Filename: body + ".svg", Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><title>` + body + `</title><rect width="9" height="9"/></svg>`)}
	}
	var in *InputError
	for range 2 {
		_, err := s.TakeIn(ctx, taking("bomb", "One"))
		if !errors.As(err, &in) || in.Field != "master" || !strings.Contains(in.Message, "1024 MB") || !strings.Contains(in.Message, "kept on the desk") {
			t.Errorf("a bomb: %v", err)
		}
	}
	if looked != 1 {
		t.Errorf("it was looked at %d times", looked)
	}
	if _, err := s.TakeIn(ctx, taking("wrong", "Two")); !errors.As(err, &in) || strings.Contains(in.Message, "kept") {
		t.Errorf("what is wrong: %v", err)
	}
	m, err := s.TakeIn(ctx, taking("right", "Three"))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Revise(ctx, m.ID, taking("bomb", "")); !errors.As(err, &in) {
		t.Errorf("a bomb as a new revision: %v", err)
	}
	hs, err := s.Held(ctx)
	if err != nil || len(hs) != 1 || hs[0].Filename != "bomb.svg" || hs[0].Client != "Pier" || hs[0].Size < 50 {
		t.Fatalf("held: %+v, %v", hs, err)
	}
	other := InHouse(ctx, 7)
	if _, _, err := s.HeldFile(other, hs[0].ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("another studio has the file: %v", err)
	}
	if err := s.DropHeld(other, hs[0].ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("another studio drops the file: %v", err)
	}
	name, data, err := s.HeldFile(ctx, hs[0].ID)
	if err != nil || name != "bomb.svg" || !bytes.Equal(data, taking("bomb", "").Data) {
		t.Errorf("%s with %d bytes, %v", name, len(data), err)
	}
	if err := s.DropHeld(ctx, hs[0].ID); err != nil {
		t.Error(err)
	}
	if err := s.DropHeld(ctx, hs[0].ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("dropped twice: %v", err)
	}
	if d, err := s.Desk(ctx, DeskQuery{}); err != nil || d.Marks != 1 {
		t.Errorf("%d marks, %v", d.Marks, err)
	}
}

// A build that ends its worker is not fed to the next; one whose worker was
// killed from outside is begun again at once.
func TestBuildsOfDeadWorkers(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	for i, x := range []struct {
		why   string
		state queue.State
	}{{"it needs more than 2048 MB of memory", queue.Failed}, {"", queue.Running}} {
		m := take(t, s, "Client", string(rune('A'+i)))
		j, err := s.Build(ctx, work(t, s, m.ID))
		if err != nil {
			t.Fatal(err)
		}
		name := queue.WorkersOf(4242) + "abcd"
		if id, err := s.queue.Lease(ctx, name); err != nil || id != j.ID {
			t.Fatal(id, err)
		}
		if err := s.WorkerDied(ctx, 424, "another's"); err != nil { // its number only begins alike
			t.Fatal(err)
		}
		if err := s.WorkerDied(ctx, 4242, x.why); err != nil {
			t.Fatal(err)
		}
		if j, err = s.Job(ctx, j.ID); err != nil || j.State != x.state || x.why != "" && !strings.Contains(j.Error, x.why) {
			t.Errorf("%+v, %v", j, err)
		}
		id, err := s.queue.Lease(ctx, queue.WorkersOf(1)+"other")
		if want := x.why == ""; err != nil || want != (id == j.ID) {
			t.Errorf("after %q the next worker takes build %d of %d, %v", x.why, id, j.ID, err)
		}
	}
}
