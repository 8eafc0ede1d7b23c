package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"dyekit/core/intake"
	"dyekit/core/recipe"
)

func BenchmarkPlan(b *testing.B) {
	data, _ := os.ReadFile(os.Getenv("DYE_SVG"))
	rb, _ := os.ReadFile("../../internal/bench/testdata/kit_by_hand.json")
	var r recipe.Recipe
	json.Unmarshal(rb, &r)
	ctx := context.Background()
	in := Input{Master: data, MasterName: "m.svg", Brand: "B", Recipe: &r, Number: 1}
	for range b.N {
		s := time.Now()
		intake.Read(ctx, in.Master, in.Options)
		d1 := time.Since(s)
		s = time.Now()
		NewPlan(ctx, in)
		if os.Getenv("V") != "" { fmt.Println("read", d1, "plan", time.Since(s)) }
	}
}
