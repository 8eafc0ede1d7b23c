package kit

import (
	"context"
	"slices"
	"sync"
	"testing"
	"time"

	"dyekit/core/kit/outside"
	"dyekit/core/recipe"
)

// The long ones come first, equal ones as they stand.
func TestLongestFirst(t *testing.T) {
	if got := longestFirst([]float64{2, 9, 2, 5, 9}); !slices.Equal(got, []int{1, 4, 3, 0, 2}) {
		t.Errorf("order %v", got)
	}
}

// The share of the work rises from that of the plan to all of it, whatever the
// number of files says.
func TestShareOfTheWork(t *testing.T) {
	var last float64
	p := newProgress(func(done, total int, share float64, _ string) {
		if share < last || total != 3 {
			t.Errorf("%d of %d: share %v after %v", done, total, share, last)
		}
		last = share
	}, []float64{8e9, 1e9, 1e9}, 0)
	for i, want := range []float64{0.8, 0.9, 1} {
		p.tell("a file")
		p.finish(i)
		if p.tell("a file"); last < want-0.001 || last > want+0.001 {
			t.Errorf("after file %d the share is %v, want %v", i, last, want)
		}
	}
	if p = newProgress(func(_, _ int, share float64, _ string) { last = share }, []float64{1e9}, time.Second); p.f != nil {
		if p.tell("the plan is made"); last <= 0 || last >= 1 {
			t.Errorf("with the plan made the share is %v", last)
		}
	}
}

// A build tells its progress in rising shares and ends with all of it.
func TestBuildTellsItsShare(t *testing.T) {
	r, _ := recipe.Builtin("standard")
	var mu sync.Mutex
	var shares []float64
	_, err := Build(context.Background(), Input{
		Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Kettle", Recipe: r, Readers: outside.None,
		Progress: func(_, _ int, share float64, _ string) {
			mu.Lock()
			shares = append(shares, share)
			mu.Unlock()
		},
	})
	if err != nil {
		t.Fatal(err)
	}
	if n := len(shares); n < 4 || shares[n-1] != 1 || shares[0] >= 0.9 {
		t.Errorf("shares %v", shares)
	}
}
