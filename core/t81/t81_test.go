package t81

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
)

// The zigzag of T.81 figure A.6 goes to a neighbour at each step, along diagonals,
// and visits each place once.
func TestZigzag(t *testing.T) {
	seen := [64]bool{}
	row, col, up := 0, 0, true
	for k, at := range Zigzag {
		if at != 8*row+col || seen[at] {
			t.Fatalf("step %d is at %d, want row %d, column %d", k, at, row, col)
		}
		seen[at] = true
		switch {
		case up && col == 7:
			row, up = row+1, false
		case up && row == 0:
			col, up = col+1, false
		case up:
			row, col = row-1, col+1
		case row == 7:
			col, up = col+1, true
		case col == 0:
			row, up = row+1, true
		default:
			row, col = row+1, col-1
		}
	}
}

// The transform is the double sum of T.81 A.3.3 as it stands there, and its inverse
// gives the samples back.
func TestTransform(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	const off = 1e-10
	for range 20 {
		var s [64]float64
		for i := range s {
			s[i] = math.Floor(r.Float64()*256) - 128
		}
		got := s
		Forward(&got)
		for v := range 8 {
			for u := range 8 {
				c := func(k int) float64 {
					if k == 0 {
						return 1 / math.Sqrt2
					}
					return 1
				}
				sum := 0.0
				for y := range 8 {
					for x := range 8 {
						sum += s[8*y+x] * math.Cos(float64(2*x+1)*float64(u)*math.Pi/16) * math.Cos(float64(2*y+1)*float64(v)*math.Pi/16)
					}
				}
				if want := c(u) * c(v) / 4 * sum; math.Abs(got[8*v+u]-want) > off {
					t.Fatalf("coefficient %d, %d: %v, want %v", v, u, got[8*v+u], want)
				}
			}
		}
		Inverse(&got)
		for i := range s {
			if math.Abs(got[i]-s[i]) > off {
				t.Fatalf("sample %d came back as %v, was %v", i, got[i], s[i])
			}
		}
	}
}

// The codes made from the lists of T.81 annex K.3.3 are those that its tables K.3
// and K.5 print.
func TestCodesOfAnnexK(t *testing.T) {
	for _, c := range []struct {
		name   string
		counts [16]byte
		values []byte
		want   map[byte]string
	}{
		{"luminance DC", [16]byte{0, 1, 5, 1, 1, 1, 1, 1, 1}, []byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}, map[byte]string{
			0: "00", 1: "010", 2: "011", 3: "100", 4: "101", 5: "110", 6: "1110", 7: "11110", 8: "111110", 9: "1111110", 10: "11111110", 11: "111111110",
		}},
		{"luminance AC, to six bits", [16]byte{0, 2, 1, 3, 3, 2}, []byte{1, 2, 3, 0, 4, 0x11, 5, 0x12, 0x21, 0x31, 0x41}, map[byte]string{
			0: "1010", 1: "00", 2: "01", 3: "100", 4: "1011", 5: "11010", 0x11: "1100", 0x12: "11011", 0x21: "11100", 0x31: "111010", 0x41: "111011",
		}},
	} {
		codes := Codes(&c.counts, c.values)
		for v, k := range codes {
			got := ""
			if k.N > 0 {
				got = fmt.Sprintf("%0*b", int(k.N), k.Bits)
			}
			if got != c.want[byte(v)] {
				t.Errorf("%s: %#x is %q, want %q", c.name, v, got, c.want[byte(v)])
			}
		}
	}
}

// Categories and extra bits are those of T.81 tables F.1 and F.2.
func TestMagnitude(t *testing.T) {
	for _, c := range []struct {
		v, size int
		bits    uint32
	}{{0, 0, 0}, {-1, 1, 0}, {1, 1, 1}, {-3, 2, 0}, {-2, 2, 1}, {2, 2, 2}, {3, 2, 3}, {-7, 3, 0}, {-4, 3, 3}, {4, 3, 4}, {7, 3, 7}, {-2047, 11, 0}, {2047, 11, 2047}} {
		if size, bits := Magnitude(c.v); size != c.size || bits != c.bits {
			t.Errorf("%d: category %d, bits %b; want %d, %b", c.v, size, bits, c.size, c.bits)
		}
	}
}

func BenchmarkForward(b *testing.B) {
	var s [64]float64
	for i := range s {
		s[i] = float64(i*i%255) - 128
	}
	for b.Loop() {
		t := s
		Forward(&t)
	}
}
