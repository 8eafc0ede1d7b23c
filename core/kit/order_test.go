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

// overlapping is art whose outlines cover themselves: strokes that turn sharply.
const overlapping = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 200"><path d="M20 180L60 30L100 170L140 40L180 160L220 50L260 150" fill="none" stroke="#6b2d4f" stroke-width="17" stroke-linejoin="round"/><path d="M30 100C120 10 200 190 280 90C200 60 90 160 30 100Z" fill="#1a5f7a" stroke="#e0b000" stroke-width="5"/></svg>`

// A file is to the byte the same whenever its turn comes, also where another version
// has the same outlines and more pictures.
func TestFilesDoNotDependOnTheirTurn(t *testing.T) {
	ctx := context.Background()
	in := Input{Master: []byte(overlapping), MasterName: "x.svg", Brand: "Odd Kettle", Readers: outside.None, Recipe: parse(t, `{"name":"turns","naming":"{brand}_{version}_{size}","frame":{"margin":"4%"},
		"versions":[{"name":"faint","treatment":"as-drawn","opacity":0.45},{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}}],
		"files":[{"format":"png","widths":[90],"ppi":72,"versions":["faint"]},{"format":"png","widths":[200,120,90,64,48],"ppi":72,"versions":["colour","black"]},{"format":"svg"},{"format":"jpeg","widths":[120]}]}`)}
	k, err := Build(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	p, err := NewPlan(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	if len(k.Files) != len(p.Files) {
		t.Fatalf("%d files of %d", len(k.Files), len(p.Files))
	}
	for i := len(p.Files) - 1; i >= 0; i-- { // from the last, each as if it were alone
		fresh, err := NewPlan(ctx, in)
		if err != nil {
			t.Fatal(err)
		}
		j := newJob(in.Brand, fresh)
		if err := j.readyAll(ctx); err != nil {
			t.Fatal(err)
		}
		data, _, err := j.make(ctx, fresh.Files[i])
		if err != nil {
			t.Fatal(err)
		}
		if Hash(data) != k.Files[i].SHA256 {
			t.Errorf("%s is another file when it is made alone", k.Files[i].Path)
		}
	}
}
