package bench

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"slices"
	"testing"
)

// How many runs are remembered, and how many times the middle of them a mean may
// be: more is a loss that should be looked at before it is committed.
const (
	remembered = 10
	worse      = 1.15
)

// ratios are the time that Dye Kit takes in that of the script, by drawing.
type ratios map[string]float64

// mean is their geometric mean: half the time of one drawing and twice that of
// another are no gain.
func (r ratios) mean() float64 {
	sum := 0.0
	for _, v := range r {
		sum += math.Log(v)
	}
	return math.Exp(sum / float64(len(r)))
}

// middle is the median of some values.
func middle(vs []float64) float64 {
	s := slices.Sorted(slices.Values(vs))
	if n := len(s); n%2 == 0 {
		return (s[n/2-1] + s[n/2]) / 2
	}
	return s[len(s)/2]
}

// record adds a run to the file of the last ones, which is committed, and prints its
// mean; the error says that it is worse than they were. Such a run is not added: the next
// one would be held to it.
func record(path string, r ratios) error {
	var runs []ratios
	data, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(data, &runs)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s: %w", path, err)
	}
	fmt.Printf("geometric mean of %d ratios: %.3f, the highest %.2f\n", len(r), r.mean(), highest(r))
	if len(runs) > 0 {
		var means []float64
		for _, x := range runs {
			means = append(means, x.mean())
		}
		was := middle(means)
		fmt.Printf("the last %d runs: %.3f to %.3f, %.3f in the middle\n", len(runs), slices.Min(means), slices.Max(means), was)
		if r.mean() > worse*was {
			return fmt.Errorf("%.3f is more than %.0f %% above %.3f, the middle of the last %d runs: find what became slower, or, if it has to be, remove %s", r.mean(), 100*(worse-1), was, len(runs), path)
		}
	}
	rounded := ratios{}
	for k, v := range r {
		rounded[k] = math.Round(v*1e4) / 1e4
	}
	runs = append(runs, rounded)
	runs = runs[max(0, len(runs)-remembered):]
	out, err := json.MarshalIndent(runs, "", "\t")
	if err != nil {
		return err
	}
	return os.WriteFile(path, append(out, '\n'), 0o644)
}

func highest(r ratios) (most float64) {
	for _, v := range r {
		most = max(most, v)
	}
	return most
}

// A run that is as good as those before is remembered, up to ten; one that is worse fails
// and leaves the file as it was.
func TestRecord(t *testing.T) {
	path := filepath.Join(t.TempDir(), "ratios.json")
	run := func(v float64) error { return record(path, ratios{"a": v / 2, "b": v * 2}) }
	for i := range remembered + 3 {
		if err := run(0.2 + 0.001*float64(i)); err != nil {
			t.Fatal(err)
		}
	}
	var runs []ratios
	data, err := os.ReadFile(path)
	if err != nil || json.Unmarshal(data, &runs) != nil || len(runs) != remembered || math.Abs(runs[0].mean()-0.203) > 1e-9 {
		t.Fatalf("%d runs, the first %v: %v", len(runs), runs[0], err)
	}
	for v, ok := range map[float64]bool{0.1: true, 0.236: true, 0.245: false, 2: false} {
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		err := run(v)
		if after, _ := os.ReadFile(path); (err == nil) != ok || ok == slices.Equal(after, data) {
			t.Errorf("%g after 0.2: %v", v, err)
		}
	}
	if err := os.WriteFile(path, []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if run(0.1) == nil {
		t.Error("a broken file is written over")
	}
	if m := middle([]float64{3, 1, 2}); m != 2 || middle([]float64{4, 1, 2, 3}) != 2.5 {
		t.Errorf("the middle is %g", m)
	}
}
