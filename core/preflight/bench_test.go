package preflight

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"

	"dyekit/core/intake/svg"
)

// BenchmarkCheck reads and checks a usual mark, and a drawing of 5 MB with ten
// thousand colours.
func BenchmarkCheck(b *testing.B) {
	mark, err := os.ReadFile("../../studio/demo/larkmoor-roundel.svg")
	if err != nil {
		b.Fatal(err)
	}
	var large strings.Builder
	large.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1000 1000">`)
	for i := 0; large.Len() < 5_000_000; i++ {
		c := i % 10_000
		fmt.Fprintf(&large, `<path id="p%d" fill="#%02x%02x%02x" d="M%d.25 %d.5c3.125 1.25 5.5 2.75 8.125 9.5s-2.25 4.125-6.5 3.25-7.75-1.5-9.25-4.5 1.125-8.25 7.625-8.25"/>`,
			i, c*37%256, c*91/7%256, c*13/3%256, i*7%990, i*13%990)
	}
	large.WriteString("</svg>")
	for _, c := range []struct {
		name string
		data []byte
	}{{"mark", mark}, {"5MB", []byte(large.String())}} {
		d, _, err := svg.Read(context.Background(), c.data, svg.Options{})
		if err != nil {
			b.Fatal(err)
		}
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				Check(context.Background(), d)
			}
		})
		b.Run(c.name+"/read", func(b *testing.B) {
			for b.Loop() {
				if _, _, err := svg.Read(context.Background(), c.data, svg.Options{}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
