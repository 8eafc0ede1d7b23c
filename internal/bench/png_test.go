package bench

import (
	"bytes"
	"context"
	"fmt"
	stdpng "image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
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

// BenchmarkPNG writes the colour version of the demo's marks and compares size
// with libpng at its best level (netpbm's pnmtopng, level 9), time and size
// with Go's own encoder at its best.
func BenchmarkPNG(b *testing.B) {
	for _, name := range []string{"larkmoor-roundel.svg", "odd-kettle.svg", "fennick-diamond.jpg"} {
		m, err := intake.Read(context.Background(), read(b, name), intake.Options{})
		if err != nil {
			b.Fatal(err)
		}
		box := m.Drawing.Bounds()
		for _, w := range []int{2000, 500} {
			b.Run(fmt.Sprint(name, "/", w), func(b *testing.B) {
				h := int(float64(w) * box.H() / box.W())
				img, err := raster.Render(context.Background(), m.Drawing, raster.Fit(box, w, h), w, h, raster.Options{})
				if err != nil {
					b.Fatal(err)
				}
				var ours, theirs time.Duration
				var mine []byte
				var std bytes.Buffer
				for range b.N {
					start := time.Now()
					if mine, err = export.Bytes(func(w io.Writer) error { return png.Encode(w, img, png.Options{}) }); err != nil {
						b.Fatal(err)
					}
					ours += time.Since(start)
					std.Reset()
					start = time.Now()
					if err := (&stdpng.Encoder{CompressionLevel: stdpng.BestCompression}).Encode(&std, img); err != nil {
						b.Fatal(err)
					}
					theirs += time.Since(start)
				}
				dir := b.TempDir()
				if err := os.WriteFile(filepath.Join(dir, "a.png"), mine, 0o600); err != nil {
					b.Fatal(err)
				}
				cmd := exec.Command("sh", "-c", "pngtopnm a.png > a.ppm && pngtopnm -alpha a.png > a.pgm && pnmtopng -quiet -compression 9 -alpha a.pgm a.ppm | wc -c")
				cmd.Dir = dir
				out, err := cmd.Output()
				if err != nil {
					b.Fatal(err)
				}
				var libpng int
				fmt.Sscan(string(out), &libpng)
				b.ReportMetric(float64(len(mine))/float64(libpng), "size/libpng")
				b.ReportMetric(float64(len(mine))/float64(std.Len()), "size/std")
				b.ReportMetric(float64(ours)/float64(theirs), "time/std")
			})
		}
	}
}

// BenchmarkEverything builds the largest kit there is, outside readers off.
func BenchmarkEverything(b *testing.B) {
	rec, _ := recipe.Builtin("everything")
	for b.Loop() {
		k, err := kit.Build(context.Background(), kit.Input{Master: read(b, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Bench", Recipe: rec, Pages: startpage.Pages{}, Readers: outside.None})
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(k.Files)), "files")
	}
}
