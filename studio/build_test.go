package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/studio/queue"
)

func TestBuild(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "Dot Works", "Dot")
	workers(t, s, 2)
	j, err := s.Build(context.Background(), work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if j2, err := s.Build(context.Background(), work(t, s, m.ID)); err == nil && j2.ID != j.ID {
		t.Error("two builds of one mark at a time")
	}
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Fatalf("%+v", j)
	}
	w := work(t, s, m.ID)
	if w.Mark.Kit == nil || w.Mark.Kit.Number != 1 || w.Mark.Kit.Build != w.Name {
		t.Fatalf("%+v", w.Mark.Kit)
	}
	var in *InputError
	if _, err := s.Build(context.Background(), w); !errors.As(err, &in) {
		t.Errorf("building the same again: %v", err)
	}
	var zip, again bytes.Buffer
	if err := s.Zip(context.Background(), w.Mark.Kit, &zip); err != nil {
		t.Fatal(err)
	}
	s.Zip(context.Background(), w.Mark.Kit, &again)
	if !bytes.Equal(zip.Bytes(), again.Bytes()) {
		t.Error("the zip is not the same twice")
	}
	files, err := kit.OpenZip(zip.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := kit.Verify(context.Background(), files, nil); err != nil {
		t.Error(err)
	}
	f, err := s.File(context.Background(), w.Mark.Kit.ID, "START-HERE.html")
	if err != nil || !bytes.Equal(f, files["START-HERE.html"]) {
		t.Errorf("a single file: %v", err)
	}
	if _, err := s.File(context.Background(), w.Mark.Kit.ID, "../x"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a file that is not there: %v", err)
	}
	// A change makes the kit stale; a build makes the next number and leaves
	// the first as it was.
	if err := s.Decide(context.Background(), m.ID, "mend", func(d *Decisions) error { d.Mends = []intake.Mend{intake.DropBacking}; return nil }); err != nil {
		t.Fatal(err)
	}
	w = work(t, s, m.ID)
	if w.Mark.Kit.Build == w.Name {
		t.Error("the kit is not stale")
	}
	if j, err = s.Build(context.Background(), w); err != nil {
		t.Fatal(err)
	}
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Fatalf("%+v", j)
	}
	ks, _ := s.Kits(context.Background(), m.ID)
	if len(ks) != 2 || ks[0].Number != 2 || ks[1].Number != 1 {
		t.Fatalf("%d kits", len(ks))
	}
	again.Reset()
	s.Zip(context.Background(), ks[1], &again)
	if !bytes.Equal(zip.Bytes(), again.Bytes()) {
		t.Error("kit 1 has changed")
	}
}

func TestCancel(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Cancel(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	if j, _ = s.Job(ctx, j.ID); j.State != queue.Cancelled {
		t.Errorf("waiting, then cancelled: %+v", j)
	}
	// queue.Cancelled while it runs: the worker hears of it by its pulse.
	j, err = s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if id, err := s.queue.Lease(ctx, "me"); err != nil || id != j.ID {
		t.Fatalf("lease: %d %v", id, err)
	}
	if err := s.Cancel(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	s.queue.Do(ctx, j.ID, "me", s.work, inWords)
	if j, _ = s.Job(ctx, j.ID); j.State != queue.Cancelled {
		t.Errorf("running, then cancelled: %+v", j)
	}
	if ks, _ := s.Kits(ctx, m.ID); len(ks) != 0 {
		t.Errorf("%d kits after two cancelled builds", len(ks))
	}
}

// A worker that dies is replaced; a build that kills too many of them is
// given up; a worker that was only slow cannot finish what is no longer its own.
func TestWorkersDie(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "A", "B")
	ctx := context.Background()
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	expire := func() {
		if _, err := s.db.Exec("UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND WHERE id = ?", j.ID); err != nil {
			t.Fatal(err)
		}
	}
	if id, _ := s.queue.Lease(ctx, "slow"); id != j.ID {
		t.Fatal("not leased")
	}
	if id, _ := s.queue.Lease(ctx, "other"); id != 0 {
		t.Fatal("leased twice")
	}
	expire()
	if id, _ := s.queue.Lease(ctx, "other"); id != j.ID {
		t.Fatal("not taken over")
	}
	if err := s.queue.Do(ctx, j.ID, "slow", s.work, inWords); !errors.Is(err, queue.ErrLost) {
		t.Errorf("the slow worker: %v", err)
	}
	if ks, _ := s.Kits(ctx, m.ID); len(ks) != 0 {
		t.Error("the slow worker made a kit")
	}
	for i := 3; i <= queue.MaxAttempts; i++ {
		expire()
		if id, _ := s.queue.Lease(ctx, fmt.Sprint("worker ", i)); id != j.ID {
			t.Fatalf("not taken over for try %d", i)
		}
	}
	expire()
	if id, _ := s.queue.Lease(ctx, "one more"); id != 0 {
		t.Fatal("begun once more than it may be")
	}
	if j, _ = s.Job(ctx, j.ID); j.State != queue.Failed || !strings.Contains(j.Error, "died") {
		t.Errorf("%+v", j)
	}
	// Stopping in order gives the build back and costs no attempt.
	j, err = s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	s.queue.Lease(ctx, "going")
	gone, cancel := context.WithCancel(ctx)
	cancel()
	s.queue.Do(gone, j.ID, "going", s.work, inWords)
	workers(t, s, 1)
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Errorf("after a worker left: %+v", j)
	}
}

// MariaDB killed and started again between two steps loses nothing that was
// saved, and the open application goes on.
func TestDatabaseIsKilled(t *testing.T) {
	s := open(t)
	m := take(t, s, "Larkmoor", "Roundel")
	ctx := context.Background()
	if err := s.Decide(ctx, m.ID, "mend", func(d *Decisions) error { d.Mends = []intake.Mend{intake.DropBacking}; return nil }); err != nil {
		t.Fatal(err)
	}
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	database.Kill()
	if err := s.Ping(ctx); err == nil {
		t.Error("a dead database answers")
	}
	if err := database.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	if !w.Decisions.Mended(intake.DropBacking) {
		t.Error("the decision is lost")
	}
	workers(t, s, 1)
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Errorf("the build: %+v", j)
	}
	if b, err := s.Bytes(ctx, w.Mark.Master); err != nil || string(b) != dot {
		t.Error("the master is lost")
	}
}

// A kit that lacks files is said to be incomplete on the desk, and the case holds
// what is needed to look into it.
func TestIncompleteKit(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	m := take(t, s, "Odd Kettle", "Kettle")
	if _, err := s.Draw(ctx, m.ID, Cell{"", "black"}, Upload{"night.svg", []byte(dot)}, 0); err != nil {
		t.Fatal(err)
	}
	k := built(t, s, m.ID)
	if _, err := s.Case(ctx, k); !errors.Is(err, ErrNotFound) {
		t.Errorf("the case of a whole kit: %v", err)
	}
	if _, err := s.db.Exec(`UPDATE kits SET missing = 1, report = JSON_SET(report, '$.incomplete', true, '$.failed', JSON_ARRAY(JSON_OBJECT('path', 'PNG/moon.png', 'reason', 'it fell off the table'))) WHERE id = ?`, k.ID); err != nil {
		t.Fatal(err)
	}
	work(t, s, m.ID) // looked at, as the desk shows it
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil || len(d.Cards) != 1 || d.Cards[0].State != Partial || d.Cards[0].Missing != 1 {
		t.Errorf("on the desk: %+v, %v", d.Cards, err)
	}
	if k, err = s.Kit(ctx, k.ID); err != nil || !k.Incomplete() || len(report(t, s, k).Failed) != 1 {
		t.Fatalf("%+v, %v", k, err)
	}
	b, err := s.Case(ctx, k)
	if err != nil {
		t.Fatal(err)
	}
	files, err := kit.OpenZip(b)
	if err != nil || !strings.Contains(string(files["what-happened.txt"]), "it fell off the table") || string(files["MASTER/dot.svg"]) != dot || string(files["MASTER/drawings/night.svg"]) != dot || len(files["kit.json"]) == 0 {
		t.Errorf("the case has %d files: %v", len(files), err)
	}
}

// What the plan refuses is not kept: the mark's views answer as before.
func TestWhatCannotBePlannedIsNotKept(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s := open(t)
	m := take(t, s, "Odd Kettle", "Kettle")
	w := work(t, s, m.ID)
	r, err := w.Base()
	if err != nil {
		t.Fatal(err)
	}
	r.Naming = "{brand}_{size}" // two versions under one name
	var in *InputError
	if err := s.SetRecipe(ctx, m.ID, r, "recipe changed"); !errors.As(err, &in) || !strings.Contains(in.Message, "second file") {
		t.Errorf("a recipe that names two files alike: %v", err)
	}
	if again := work(t, s, m.ID); again.Name != w.Name {
		t.Error("the mark changed all the same")
	}
}

// A kit that cannot be kept, for a reason that will be there the next time, ends
// its build at once and says why.
func TestPermanentErrorEndsTheBuild(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	m := take(t, s, "A", "B")
	if _, err := s.db.Exec("ALTER TABLE kits MODIFY recipe VARCHAR(2) NOT NULL"); err != nil {
		t.Fatal(err)
	}
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	workers(t, s, 1)
	j = until(t, s, j.ID)
	var attempts int
	if err := s.db.QueryRow("SELECT attempts FROM jobs WHERE id = ?", j.ID).Scan(&attempts); err != nil {
		t.Fatal(err)
	}
	if j.State != queue.Failed || attempts != 1 || !strings.Contains(j.Error, "cannot be kept") {
		t.Errorf("after %d attempts: %+v", attempts, j)
	}
}
