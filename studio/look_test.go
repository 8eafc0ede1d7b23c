package studio

import (
	"context"
	"sync"
	"testing"
	"time"
)

// Looks are done once for each mark, so many at a time, studios in turn; whoever closes waits
// for those under way, and none begins afterwards.
func TestLooks(t *testing.T) {
	l := newLooks()
	var mu sync.Mutex
	var order []int64
	gate, began := make(chan struct{}), make(chan int64, 100)
	ask := func(studio, mark int64) <-chan struct{} {
		return l.ask(t.Context(), studio, mark, func(context.Context) {
			mu.Lock()
			order = append(order, studio)
			mu.Unlock()
			began <- mark
			<-gate
		})
	}
	most := l.turns.most
	for i := range most { // all places are taken
		ask(1, int64(1000+i))
		<-began
	}
	var all []<-chan struct{}
	for i := range int64(6) { // one studio has much, another comes later with little
		all = append(all, ask(1, i))
	}
	waits(t, &l.turns, 6)
	all = append(all, ask(2, 100), ask(2, 101))
	waits(t, &l.turns, 8)
	if again := ask(1, 5); again != all[5] {
		t.Error("a mark is looked at twice")
	}
	mu.Lock()
	if len(order) != most {
		t.Errorf("%d are under way, want %d", len(order), most)
	}
	mu.Unlock()
	for range 8 { // one ends and the next begins: all at once, they would be noted in any order
		gate <- struct{}{}
		<-began
	}
	close(gate)
	for _, done := range all {
		<-done
	}
	l.close()
	if n := len(order); n != most+8 {
		t.Fatalf("%d looks, want %d", n, most+8)
	}
	other := 0
	for i, s := range order[most:] {
		if s == 2 && i < 4+most {
			other++
		}
	}
	if other != 2 {
		t.Errorf("the other studio waits for all of the first: %v", order)
	}
	<-ask(1, 7) // closed: it does not begin, and nobody waits
	if len(order) != most+8 {
		t.Error("a look began after the end")
	}
}

// The desk answers within its time however long a look takes, and the look goes on.
func TestDeskWaitsForNobody(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m := take(t, s, "Odd Kettle", "Kettle")
	if _, err := s.db.Exec("UPDATE marks SET seen_build = NULL"); err != nil {
		t.Fatal(err)
	}
	release := make(chan struct{})
	slow := s.looks.ask(ctx, 1, m.ID, func(ctx context.Context) {
		<-release
		if err := s.look(ctx, m.ID); err != nil {
			t.Error(err)
		}
	})
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	if err := s.SeeSome(ctx, &d, 100*time.Millisecond); err != nil || d.Cards[0].State != Unseen {
		t.Errorf("%v, %+v", err, d.Cards)
	}
	if took := time.Since(start); took > time.Second {
		t.Errorf("the desk took %v", took)
	}
	close(release)
	<-slow
	if d, err = s.Desk(ctx, DeskQuery{}); err != nil || d.Cards[0].State == Unseen {
		t.Errorf("afterwards: %v, %+v", err, d.Cards)
	}
	if _, err := s.db.Exec("UPDATE marks SET seen_build = NULL"); err != nil {
		t.Fatal(err)
	}
	if d, err = s.Desk(ctx, DeskQuery{}); err != nil {
		t.Fatal(err)
	}
	if err := s.SeeSome(ctx, &d, time.Minute); err != nil || d.Cards[0].State == Unseen {
		t.Errorf("one that is quick is taken in: %v, %+v", err, d.Cards)
	}
}
