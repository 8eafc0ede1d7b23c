package icc

import (
	"bytes"
	"encoding/binary"
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

// A profile that was written is read as the press it was made of.
func TestReadWhatWasWritten(t *testing.T) {
	for _, p := range colour.Presses {
		q, err := Read(Press(p))
		if err != nil {
			t.Fatal(err)
		}
		if q.Name != p.Name || !bytes.Equal(Press(q), Press(p)) {
			t.Errorf("%s is read as %s", p.Name, q.Name)
		}
		var sum float64
		n := 0
		for c := 5.0; c < 100; c += 30 {
			for m := 0.0; m <= 100; m += 25 {
				for k := 0.0; k < 100; k += 33 {
					b := colour.CMYK{C: c, M: m, Y: 100 - c, K: k}
					d := colour.Difference(p.Lab(b), q.Lab(b))
					sum += d
					n++
					if d > 3 {
						t.Errorf("%s: %v differs by ΔE00 %.2f", p.Key, b, d)
					}
				}
			}
		}
		if mean := sum / float64(n); mean > 0.7 {
			t.Errorf("%s: ΔE00 %.2f on the mean", p.Key, mean)
		}
		white, _ := colour.ParseHex("#206047")
		if x, y := p.Propose(white), q.Propose(white); math.Abs(x.Build.Total()-y.Build.Total()) > 6 || y.Difference > 1 {
			t.Errorf("%s proposes %v, read again %v", p.Key, x.Build, y.Build)
		}
	}
}

// Whatever the bytes, an error in words and no panic.
func TestBrokenProfiles(t *testing.T) {
	good := Press(colour.Coated)
	for name, b := range map[string][]byte{
		"nothing": nil, "text": []byte("not a profile at all"), "a screen": SRGB, "cut": good[:len(good)/2], "header": good[:132],
	} {
		if _, err := Read(b); err == nil {
			t.Errorf("%s was taken for a press", name)
		}
	}
	for i := 0; i < len(good); i += 1 + i/40 {
		b := bytes.Clone(good)
		b[i] ^= 0xff
		if p, err := Read(b); err == nil {
			p.Propose(colour.RGB{R: 0.3, G: 0.5, B: 0.1})
		}
	}
}

// A table of type lutAToB, which version 4 brought, made by hand.
func TestReadVersion4(t *testing.T) {
	f := func(v float64) []byte { return binary.BigEndian.AppendUint16(nil, uint16(v*65535+0.5)) }
	// A table of two nodes for each ink: paper L 100 to black L 20 as inks add.
	lut := []byte("mAB \x00\x00\x00\x00\x04\x03\x00\x00")
	for _, at := range []uint32{32, 0, 0, 68, 184} { // B curves, matrix, M curves, grid, A curves
		lut = binary.BigEndian.AppendUint32(lut, at)
	}
	identity := []byte("curv\x00\x00\x00\x00\x00\x00\x00\x00")
	lut = append(lut, bytes.Repeat(identity, 3)...)
	lut = append(lut, 2, 2, 2, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 0, 0)
	for i := range 16 {
		ink := float64(i>>3&1 + i>>2&1 + i>>1&1 + i&1)
		lut = append(append(append(lut, f(1-0.2*ink)...), f(128.0/255)...), f(128.0/255)...)
	}
	lut = append(lut, bytes.Repeat(identity, 4)...)
	c, err := readTable(lut)
	if err != nil {
		t.Fatal(err)
	}
	for b, want := range map[colour.CMYK]float64{{}: 100, {C: 100}: 80, {C: 50, K: 50}: 80, {C: 100, M: 100, Y: 100, K: 100}: 20} {
		if l := c.at(b); math.Abs(l.L-want) > 0.01 || math.Abs(l.A) > 0.01 {
			t.Errorf("%v is %v, want L* %v", b, l, want)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(Press(colour.Coated))
	f.Add(SRGB)
	f.Fuzz(func(_ *testing.T, b []byte) {
		if p, err := Read(b); err == nil {
			p.Propose(colour.RGB{R: 0.3, G: 0.5, B: 0.1})
		}
	})
}

// A list of tags may end with the profile, and not past it (ICC.1, section 7.3).
func TestTagsUpToTheEnd(t *testing.T) {
	list := func(n int, at, size uint32) []byte {
		b := make([]byte, 132+12)
		binary.BigEndian.PutUint32(b[128:], uint32(n))
		copy(b[132:], "desc")
		binary.BigEndian.PutUint32(b[136:], at)
		binary.BigEndian.PutUint32(b[140:], size)
		return b
	}
	if tags, err := tagsOf(list(1, 132, 12)); err != nil || len(tags["desc"]) != 12 {
		t.Errorf("one tag up to the end: %v, %v", tags, err)
	}
	for name, b := range map[string][]byte{"two tags where one has room": list(2, 132, 12), "a tag past the end": list(1, 133, 12), "a tag in the head": list(1, 127, 12), "a tag of nothing": list(1, 132, 7), "a list cut short": list(1, 132, 12)[:143]} {
		if _, err := tagsOf(b); err == nil {
			t.Errorf("%s is taken", name)
		}
	}
}
