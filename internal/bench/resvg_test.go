package bench

import (
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"runtime"
	"slices"
	"strconv"
	"testing"
	"time"

	"dyekit/core/intake/svg"
	"dyekit/core/raster"
)

const drawings = "../../core/intake/svg/testdata/drawings.json"

// BenchmarkDrawings reads and draws the open drawings of the reader's tests
// and measures @resvg/resvg-js on the same; the ratio is the median of the
// ratios of all drawings. make bench installs the package into .cache.
func BenchmarkDrawings(b *testing.B) {
	raw, err := os.ReadFile(drawings)
	if err != nil {
		b.Fatal(err)
	}
	var all []struct {
		SVG string `json:"svg"`
	}
	if err := json.Unmarshal(raw, &all); err != nil {
		b.Fatal(err)
	}
	for _, width := range []int{512, 3000} {
		b.Run(strconv.Itoa(width), func(b *testing.B) {
			b.ReportAllocs()
			all := all
			if width > 1000 {
				all = all[:len(all)/8]
			}
			part, err := json.Marshal(all)
			if err != nil {
				b.Fatal(err)
			}
			file := b.TempDir() + "/drawings.json"
			if err := os.WriteFile(file, part, 0o600); err != nil {
				b.Fatal(err)
			}
			out, err := exec.Command("node", "resvg.js", "../../.cache/node_modules", file, strconv.Itoa(width)).Output()
			if err != nil {
				b.Fatalf("resvg: %v", err)
			}
			var theirs []float64
			if err := json.Unmarshal(out, &theirs); err != nil || len(theirs) != len(all) {
				b.Fatalf("resvg: %v, %d times", err, len(theirs))
			}
			rounds := 5
			if width > 1000 {
				rounds = 2
			}
			var ratios, ms []float64
			for i, d := range all {
				best := time.Hour
				for range rounds {
					start := time.Now()
					x, _, err := svg.Read(context.Background(), []byte(d.SVG), svg.Options{})
					if err != nil {
						b.Fatal(err)
					}
					h := max(1, int(float64(width)*x.Page.H()/x.Page.W()))
					if _, err := raster.Render(context.Background(), x, raster.Fit(x.Page, width, h), width, h, raster.Options{}); err != nil {
						b.Fatal(err)
					}
					best = min(best, time.Since(start))
				}
				t := best.Seconds() * 1000
				ms, ratios = append(ms, t), append(ratios, t/theirs[i])
			}
			slices.Sort(ms)
			slices.Sort(ratios)
			slices.Sort(theirs)
			var mem runtime.MemStats
			runtime.ReadMemStats(&mem)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(theirs[len(theirs)/2], "resvg-ms")
			b.ReportMetric(ratios[len(ratios)/2], "ratio")
			b.ReportMetric(float64(mem.Sys)/(1<<20), "MiB")
			b.ReportMetric(0, "ns/op")
		})
	}
}
