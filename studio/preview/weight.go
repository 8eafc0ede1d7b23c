package preview

import (
	"context"
	"math"
	"time"

	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/studio/decision"
)

// A Weight is how heavy a file will be. Zero bytes are not known, or not to be
// known as the file cannot be made.
type Weight struct {
	Bytes    int
	Known    bool // found, for what it is
	Measured bool // made and counted, not estimated
}

// Weights returns the weight of every planned file, in order. Those that were
// not known are made and weighed first, which may take a second.
func (w *Snapshot) Weights(ctx context.Context) []Weight {
	ctx, end := context.WithTimeout(ctx, weighFor)
	defer end()
	return w.weigh(ctx, true)
}

// WeightsSoon is Weights without the waiting: what is not known stays zero and
// is found in the background.
func (w *Snapshot) WeightsSoon() []Weight {
	out := w.weigh(context.Background(), false)
	if _, known, _ := Total(out); !known {
		w.behind.Do(func() {
			time.AfterFunc(patience, func() { quietly("weighing", func() { w.Weights(context.Background()) }) })
		})
	}
	return out
}

// Total adds the weights up; known is false if one is still to be found, exact
// if one is an estimate.
func Total(ws []Weight) (bytes int, known, exact bool) {
	known, exact = true, true
	for _, x := range ws {
		bytes += x.Bytes
		known, exact = known && x.Known, exact && x.Measured
	}
	return bytes, known, exact
}

// patience is how long the weighing in the background waits, as the pictures
// on the page are wanted first.
const patience = 500 * time.Millisecond

// weighFor is how long the files of a mark are weighed at a time: what its pictures make
// heavy stays unknown.
const weighFor = 10 * time.Second

// small is the longer side up to which a picture is made to be weighed.
const small = 400

// weigh lists the weights that are known, and finds those that are not if it
// is to. One work is weighed at a time: the pictures people wait for come first.
func (w *Snapshot) weigh(ctx context.Context, find bool) []Weight {
	if find {
		select {
		case w.table.weighing <- struct{}{}:
			defer func() { <-w.table.weighing }()
		case <-ctx.Done():
		}
	}
	out := make([]Weight, len(w.Plan.Files))
	for i, f := range w.Plan.Files {
		looks := make([]string, len(f.Versions))
		for k, v := range f.Versions {
			looks[k] = w.looks[v]
		}
		key, err := decision.NameOf(looks, f, w.Decisions.Press, w.Decisions.Profile)
		if err != nil {
			continue
		}
		known, ok := w.table.weights.Known(key)
		if !ok && find && ctx.Err() == nil {
			// What was cut off is not known.
			if known = w.weighFile(ctx, f, looks); ctx.Err() == nil {
				known.Known = true
				w.table.weights.Put(key, known)
			}
		}
		out[i] = known
	}
	return out
}

// weighFile makes a file of curves or a small picture, and estimates a large
// picture from two small ones: what weighs are the edges, whose length grows
// with the side, so the weight follows a power of it near one. looks name the
// versions in it.
func (w *Snapshot) weighFile(ctx context.Context, f recipe.File, looks []string) Weight {
	long := max(f.W, f.H)
	if long <= small {
		b, err := w.Sample(ctx, f)
		return Weight{Bytes: len(b), Measured: err == nil}
	}
	at := func(side int) float64 {
		g := f
		k := float64(side) / float64(long)
		g.W, g.H = max(1, int(float64(f.W)*k)), max(1, int(float64(f.H)*k))
		// All sizes of an entry share these two samples.
		g.Path, g.Size, g.PPI, g.WPt, g.HPt = "", "", 0, 0, 0
		key, err := decision.NameOf("sample", looks, g, w.Decisions.Press, w.Decisions.Profile)
		if err != nil {
			return 0
		}
		if x, ok := w.table.weights.Known(key); ok {
			return float64(x.Bytes)
		}
		b, err := w.Sample(ctx, g)
		if err != nil {
			return 0
		}
		w.table.weights.Put(key, Weight{Bytes: len(b)})
		return float64(len(b))
	}
	a, b := at(small/2), at(small)
	if a <= 0 || b <= 0 {
		return Weight{}
	}
	// Measured on the demo marks, the power is a tenth higher between
	// large sizes than between small ones.
	p := min(2, max(0.5, math.Log2(b/a)+0.1))
	return Weight{Bytes: int(b * math.Pow(float64(long)/small, p))}
}

// LineWeights adds up what the files of each line of the recipe are and weigh;
// bytes are 0 where that is not known yet.
func (w *Snapshot) LineWeights() map[int]LineWeight {
	ws := w.WeightsSoon()
	out := map[int]LineWeight{}
	for i, f := range w.Plan.Files {
		x := out[f.Line]
		x.Files++
		x.Bytes += ws[i].Bytes
		x.Unknown = x.Unknown || !ws[i].Known
		out[f.Line] = x
	}
	return out
}

// A LineWeight is what comes of one line of a recipe.
type LineWeight struct {
	Files, Bytes int
	Unknown      bool
}

// Says is the weight in words, empty if it is not known.
func (l LineWeight) Says() string {
	if l.Unknown {
		return ""
	}
	return kit.Weight(l.Bytes)
}
