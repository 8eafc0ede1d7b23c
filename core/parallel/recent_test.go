package parallel

import (
	"context"
	"errors"
	"fmt"
	"testing"
)

// Values are computed once; those not used for the longest go first, and faults are not kept.
func TestRecent(t *testing.T) {
	var r Recent[int]
	ctx, made := context.Background(), 0
	get := func(key string) {
		r.Get(ctx, key, func(context.Context) (int, error) { made++; return made, nil })
	}
	for i := range recent {
		get(fmt.Sprint(i))
	}
	get("0") // used again: now 1 is the oldest
	if made != recent {
		t.Fatalf("made %d of %d", made, recent)
	}
	get("one more")
	get("0")
	if made != recent+1 {
		t.Errorf("made %d: what was used last is gone", made)
	}
	get("1")
	if made != recent+2 || len(r.keys) != recent || len(r.got) != recent {
		t.Errorf("made %d, keeps %d and %d", made, len(r.keys), len(r.got))
	}
	wrong := errors.New("wrong")
	if _, err := r.Get(ctx, "x", func(context.Context) (int, error) { return 0, wrong }); !errors.Is(err, wrong) {
		t.Error(err)
	}
	if v, err := r.Get(ctx, "x", func(context.Context) (int, error) { return 7, nil }); v != 7 || err != nil {
		t.Errorf("after a fault: %d, %v", v, err)
	}
}
