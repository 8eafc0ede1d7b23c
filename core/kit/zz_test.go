package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"dyekit/core/recipe"
	"dyekit/core/export"
	"io"
)

func TestZZ(t *testing.T) {
	b, _ := os.ReadFile(os.Getenv("DYE_SVG"))
	rb, _ := os.ReadFile("../../internal/bench/testdata/kit_by_hand.json")
	var r recipe.Recipe
	json.Unmarshal(rb, &r)
	ctx := context.Background()
	in := Input{Master: b, MasterName: "m.svg", Brand: "B", Recipe: &r, Number: 1}
	s0 := time.Now()
	s := s0
	lap := func(n string) { fmt.Printf("%-40s %6.0f ms\n", n, time.Since(s).Seconds()*1000); s = time.Now() }
	p, err := NewPlan(ctx, in)
	if err != nil { t.Fatal(err) }
	lap("plan")
	j := newJob(in.Brand, p)
	k := &Kit{depot: j.depot}
	for _, f := range p.Files {
		px, err := j.pixels(ctx, f)
		if err != nil { t.Fatal(err) }
		d1 := time.Since(s); s = time.Now()
		data, err := export.Bytes(func(w io.Writer) error { return j.encode(ctx, w, f, px) })
		if err != nil { t.Fatal(err) }
		d2 := time.Since(s); s = time.Now()
		cs, err := j.check(ctx, f, px, data)
		if err != nil { t.Fatal(err) }
		if c, bad := failed(cs); bad { fmt.Println("BAD", c) }
		fmt.Printf("%-40s draw %5.0f encode %5.0f check %5.0f ms %8d B\n", f.Path, d1.Seconds()*1000, d2.Seconds()*1000, time.Since(s).Seconds()*1000, len(data)); s = time.Now()
		k.Files = append(k.Files, describe(f, len(data), Hash(data), cs))
		j.depot.Put(ctx, Hash(data), data)
	}
	s = time.Now()
	if err := k.finish(ctx, in, j, p); err != nil { t.Fatal(err) }
	lap("finish")
	s = s0
	lap("all")
}
