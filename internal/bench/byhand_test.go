package bench

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"syscall"
	"testing"
	"time"
)

// byHand are drawings from open sets, from three elements to 3 142, plain, with
// gradients, with very long paths: the flags of flag-icons (MIT), the maps of
// @svg-maps/world and @svg-maps/usa.counties (CC BY 4.0), all from npm, and the
// fixtures of librsvg's own tests (LGPL). make bench installs them. A sheet of
// the icons of bootstrap-icons (MIT), 10 000 elements, joins them.
var byHand = []string{
	flags + "jp.svg", flags + "fr.svg", flags + "us.svg", flags + "br.svg", flags + "gt.svg",
	flags + "bz.svg", flags + "mx.svg", flags + "es.svg", flags + "sv.svg", flags + "bo.svg",
	flags + "rs.svg", flags + "sh-ac.svg",
	fixtures + "bug564527.svg",
	maps + "world/world.svg", maps + "usa.counties/usa.counties.svg",
}

const (
	flags    = "../../.cache/node_modules/flag-icons/flags/4x3/"
	icons    = "../../.cache/node_modules/bootstrap-icons/icons/"
	maps     = "../../.cache/node_modules/@svg-maps/"
	fixtures = "/usr/libexec/installed-tests/RSVG/fixtures/dimensions/"
)

var element = regexp.MustCompile(`<(path|rect|circle|ellipse|polygon|polyline|line|use|text|image)\b`)

// BenchmarkByHand makes the 32 files of testdata/kit_by_hand.json, checks
// included, and has testdata/kit_by_hand.sh make the same list with general tools
// on all cores. It prints for each drawing the middle ratio of its rounds with the
// least and the most, the geometric mean of all, and the most memory that Dye Kit
// took, and fails if the mean is much above that of the runs before; see record.
// DYEKIT_READERS=auto has outside readers look at every file as well.
func BenchmarkByHand(b *testing.B) {
	readers := os.Getenv("DYEKIT_READERS")
	if readers == "" {
		readers = "none"
	}
	found := ratios{}
	for _, file := range append(slices.Clone(byHand), sheet(b, 10_000)) {
		b.Run(filepath.Base(file), func(b *testing.B) {
			data, err := os.ReadFile(file)
			if err != nil {
				b.Fatal(err)
			}
			var ours, theirs, rounds []float64
			var memory int64
			for range b.N {
				start := time.Now()
				cmd := exec.Command("../../bin/dyekit", "make", file, "--recipe", "testdata/kit_by_hand.json", "--brand", "Bench", "--readers", readers, "--out", filepath.Join(b.TempDir(), "kit"))
				if out, err := cmd.CombinedOutput(); err != nil {
					b.Fatalf("%v: %s", err, out)
				}
				ours = append(ours, time.Since(start).Seconds())
				memory = max(memory, cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss)
				start = time.Now()
				if out, err := exec.Command("bash", "testdata/kit_by_hand.sh", file, filepath.Join(b.TempDir(), "hand")).CombinedOutput(); err != nil {
					b.Fatalf("%v: %s", err, out)
				}
				theirs = append(theirs, time.Since(start).Seconds())
				rounds = append(rounds, ours[len(ours)-1]/theirs[len(theirs)-1])
			}
			found[filepath.Base(file)] = middle(rounds)
			b.ReportMetric(float64(len(element.FindAll(data, -1))), "elements")
			b.ReportMetric(float64(len(data))/1000, "kB")
			b.ReportMetric(middle(ours)*1000, "kit-ms")
			b.ReportMetric(middle(theirs)*1000, "hand-ms")
			b.ReportMetric(float64(memory)/1024, "MiB")
			b.ReportMetric(slices.Min(rounds), "least")
			b.ReportMetric(middle(rounds), "ratio")
			b.ReportMetric(slices.Max(rounds), "most")
			b.ReportMetric(0, "ns/op")
		})
	}
	if readers == "none" && len(found) == len(byHand)+1 {
		if err := record("testdata/ratios.json", found); err != nil {
			b.Error(err)
		}
	}
}
