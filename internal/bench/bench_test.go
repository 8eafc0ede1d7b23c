// Package bench holds the benchmarks that compare Dye Kit with outside tools
// in the same run; make bench prints them. A ratio under 1 means that Dye Kit
// takes less time.
package bench

import (
	"context"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/startpage"
)

const demo = "../../studio/demo/"

func read(b *testing.B, name string) []byte {
	b.Helper()
	data, err := os.ReadFile(demo + name)
	if err != nil {
		b.Fatal(err)
	}
	return data
}

// BenchmarkStandardKit builds the whole kit of the recipe standard, checks
// included, and measures rsvg-convert drawing the PNGs of the colour version
// alone, each of the same width.
func BenchmarkStandardKit(b *testing.B) {
	for _, name := range []string{"odd-kettle.svg", "larkmoor-roundel.svg"} {
		b.Run(name, func(b *testing.B) {
			data := read(b, name)
			rec, _ := recipe.Builtin("standard")
			var ours, theirs time.Duration
			for range b.N {
				start := time.Now()
				k, err := kit.Build(context.Background(), kit.Input{Master: data, MasterName: name, Brand: "Bench", Recipe: rec, Pages: startpage.Pages{}, Readers: outside.None})
				if err != nil {
					b.Fatal(err)
				}
				ours += time.Since(start)
				dir := b.TempDir()
				start = time.Now()
				for _, f := range k.Files {
					if f.Format != "png" || f.Version != "colour" {
						continue
					}
					w, h := f.WidthPx, f.HeightPx
					cmd := exec.Command("rsvg-convert", "-a", "-w", strconv.Itoa(w), "-h", strconv.Itoa(h), "-o", filepath.Join(dir, strconv.Itoa(w)+".png"), demo+name)
					if out, err := cmd.CombinedOutput(); err != nil {
						b.Fatalf("%v: %s", err, out)
					}
				}
				theirs += time.Since(start)
			}
			n := float64(b.N)
			b.ReportMetric(ours.Seconds()*1000/n, "kit-ms")
			b.ReportMetric(theirs.Seconds()*1000/n, "rsvg-ms")
			b.ReportMetric(ours.Seconds()/theirs.Seconds(), "ratio")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkPreview draws one 512 px preview from a master that has been read,
// encoding included.
func BenchmarkPreview(b *testing.B) {
	for _, name := range []string{"odd-kettle.svg", "larkmoor-roundel.svg"} {
		b.Run(name, func(b *testing.B) {
			m, err := intake.Read(context.Background(), read(b, name), intake.Options{})
			if err != nil {
				b.Fatal(err)
			}
			const rounds = 20
			best := time.Hour
			for range b.N {
				for range rounds {
					start := time.Now()
					box := m.Drawing.Page
					h := int(512 * box.H() / box.W())
					img, err := raster.Render(context.Background(), m.Drawing, raster.Fit(box, 512, h), 512, h, raster.Options{})
					if err != nil {
						b.Fatal(err)
					}
					if _, err := export.Bytes(func(w io.Writer) error { return png.Encode(w, img, png.Options{}) }); err != nil {
						b.Fatal(err)
					}
					best = min(best, time.Since(start))
				}
			}
			b.ReportMetric(float64(best.Microseconds())/1000, "preview-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkStart runs the built binary to its end.
func BenchmarkStart(b *testing.B) {
	best := time.Hour
	for range b.N {
		for range 10 {
			start := time.Now()
			if out, err := exec.Command("../../bin/dyekit", "version").CombinedOutput(); err != nil {
				b.Fatalf("%v: %s", err, out)
			}
			best = min(best, time.Since(start))
		}
	}
	b.ReportMetric(float64(best.Microseconds())/1000, "start-ms")
	b.ReportMetric(0, "ns/op")
}
