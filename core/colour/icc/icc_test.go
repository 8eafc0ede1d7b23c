package icc

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/colour"
)

// transicc of Little CMS reads the profile of each press and sees the colours
// that the characterisation lists, which it knows nothing of otherwise.
func TestLittleCMSReadsThePress(t *testing.T) {
	for _, p := range colour.Presses {
		name := filepath.Join(t.TempDir(), p.Key+".icc")
		b := Press(p)
		if err := os.WriteFile(name, b, 0o600); err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(b, press(p)) {
			t.Errorf("%s: not the same bytes twice", p.Key)
		}
		patches := []colour.CMYK{{}, {C: 100}, {M: 100}, {Y: 100}, {K: 100}, {C: 100, M: 100}, {C: 40, M: 20, Y: 70, K: 20}, {C: 55, M: 85, Y: 10}, {K: 40}, {C: 70, M: 70, Y: 70, K: 40}, {C: 13, M: 47, Y: 61, K: 7}}
		var in strings.Builder
		for _, c := range patches {
			fmt.Fprintf(&in, "%g\n%g\n%g\n%g\n", c.C, c.M, c.Y, c.K)
		}
		cmd := exec.Command("transicc", "-t3", "-n", "-i", name, "-o", "*Lab") // absolute colours
		cmd.Stdin = strings.NewReader(in.String())
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("transicc (make test installs it): %v %s", err, out)
		}
		var got []float64
		for line := range strings.Lines(string(out)) {
			var v [3]float64
			if n, _ := fmt.Sscan(line, &v[0], &v[1], &v[2]); n == 3 {
				got = append(got, v[:]...)
			}
		}
		if len(got) != 3*len(patches) {
			t.Fatalf("transicc says %s", out)
		}
		var sum float64
		for i, c := range patches {
			d := colour.Difference(colour.Lab{L: got[3*i], A: got[3*i+1], B: got[3*i+2]}, p.Lab(c))
			sum += d
			if d > 2 || math.IsNaN(d) {
				t.Errorf("%s: %v is %v by Little CMS, ΔE00 %.2f", p.Key, c, got[3*i:3*i+3], d)
			}
		}
		if mean := sum / float64(len(patches)); mean > 0.7 {
			t.Errorf("%s: ΔE00 %.2f on the mean", p.Key, mean)
		}
	}
}
