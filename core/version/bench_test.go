package version

import (
	"context"
	"os"
	"testing"

	"dyekit/core/intake"
)

// BenchmarkBlack makes the black version of the demo's marks: from a drawing
// just read, and once more with another reading of a colour, which only labels
// the faces anew.
func BenchmarkBlack(b *testing.B) {
	for _, name := range []string{"larkmoor-roundel.svg", "odd-kettle.svg", "fennick-diamond.jpg"} {
		data, err := os.ReadFile("../../studio/demo/" + name)
		if err != nil {
			b.Fatal(err)
		}
		m, err := intake.Read(context.Background(), data, intake.Options{})
		if err != nil {
			b.Fatal(err)
		}
		a := NewArt(m.Drawing)
		for _, how := range []string{"first", "again"} {
			b.Run(name+"/"+how, func(b *testing.B) {
				b.ReportAllocs()
				for b.Loop() {
					if how == "first" {
						a = NewArt(m.Drawing)
					}
					if v, err := a.Make(context.Background(), black); err != nil || v.Drawing == nil {
						b.Fatal(v, err)
					}
				}
			})
		}
	}
}
