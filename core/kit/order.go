package kit

import (
	"cmp"
	"runtime"
	"slices"
	"sync"
	"time"

	"dyekit/core/format"
	"dyekit/core/recipe"
)

// costs is about how long each file takes on one core, in ns, as measured: of
// curves what they weigh, of pixels their number and what is drawn again of them.
// Of pictures that differ in their ink alone the first takes the time of all: the
// others had better come later than wait for it.
func (j *job) costs(want []recipe.File) []float64 {
	const curve, pixel, again, least, inked = 150, 15, 30, 2e6, 0.1
	weight := map[string]float64{}
	drawn := map[string]bool{} // by what they cover, and by size
	cost := make([]float64, len(want))
	for i, f := range want {
		w, ok := weight[f.Versions[0]]
		if d := j.drawing(f.Versions[0]); !ok && d != nil {
			w = float64(d.Weight())
			weight[f.Versions[0]] = w
		}
		if f.Entry.Kind().Pixels {
			cost[i] = least + pixel*float64(f.W)*float64(f.H) + again*w
			if d := j.drawing(f.Versions[0]); f.Entry.Format == format.PNG && !f.Entry.Reduced() && d != nil {
				key, _, ok := j.inkedFrom(f, j.seen(f, f.Versions[0]))
				if ok && drawn[key] {
					cost[i] *= inked
				}
				drawn[key] = true
			}
		} else {
			cost[i] = least + curve*w*float64(len(f.Versions))
		}
	}
	return cost
}

// longestFirst is the order in which files are made: what takes long is not left
// for the end, when other cores have nothing more to do.
func longestFirst(cost []float64) []int {
	order := make([]int, len(cost))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(cost[b], cost[a]) })
	return order
}

// A progress tells how far a build is. Files take more or less long: their
// number alone would say that little is done when most is.
type progress struct {
	f    func(done, total int, share float64, what string) // or nil
	cost []float64

	mu   sync.Mutex
	done int
	gone float64 // ns, as cost, of what is done and of the plan
	all  float64
}

func newProgress(f func(done, total int, share float64, what string), cost []float64, planned time.Duration) *progress {
	p := &progress{f: f, cost: cost, gone: float64(planned) * float64(runtime.GOMAXPROCS(0))}
	p.all = p.gone
	for _, c := range cost {
		p.all += c
	}
	return p
}

// finish notes that file i is done.
func (p *progress) finish(i int) {
	p.mu.Lock()
	p.done++
	p.gone += p.cost[i]
	p.mu.Unlock()
}

// tell says what is being done now.
func (p *progress) tell(what string) {
	if p.f == nil {
		return
	}
	p.mu.Lock()
	done, share := p.done, min(1, p.gone/p.all)
	p.mu.Unlock()
	p.f(done, len(p.cost), share, what)
}
