package pdf

import (
	"fmt"
	"slices"
	"testing"

	"dyekit/core/drawing"
)

// Samples are read by their number of bits, highest first, each row from a whole byte,
// and what the data lack is 0 (ISO 32000-1, 8.9.5.2).
func TestSamples(t *testing.T) {
	for name, c := range map[string]struct {
		s    samples
		want []uint64
	}{
		"1 bit":                {samples{w: 3, h: 2, n: 1, bits: 1, data: []byte{0b10111111, 0b01000000}}, []uint64{1, 0, 1, 0, 1, 0}},
		"2 bits":               {samples{w: 3, h: 2, n: 1, bits: 2, data: []byte{0b00_01_10_11, 0b11_10_01_00}}, []uint64{0, 1, 2, 3, 2, 1}},
		"4 bits, two channels": {samples{w: 1, h: 2, n: 2, bits: 4, data: []byte{0x1f, 0xe2}}, []uint64{1, 15, 14, 2}},
		"8 bits":               {samples{w: 2, h: 1, n: 2, bits: 8, data: []byte{0, 1, 254, 255}}, []uint64{0, 1, 254, 255}},
		"16 bits":              {samples{w: 2, h: 1, n: 1, bits: 16, data: []byte{1, 2, 0xff, 0xfe}}, []uint64{0x102, 0xfffe}},
		"8 bits, cut short":    {samples{w: 2, h: 2, n: 1, bits: 8, data: []byte{9, 8, 7}}, []uint64{9, 8, 7, 0}},
		"4 bits, cut short":    {samples{w: 2, h: 2, n: 1, bits: 4, data: []byte{0x98}}, []uint64{9, 8, 0, 0}},
		"no data":              {samples{w: 1, h: 1, n: 3, bits: 8}, []uint64{0, 0, 0}},
	} {
		var got []uint64
		var at []int
		c.s.each(func() bool { return false }, func(i int, v []uint64) { got, at = append(got, v...), append(at, i) })
		if !slices.Equal(got, c.want) || len(at) != c.s.w*c.s.h || !slices.IsSorted(at) {
			t.Errorf("%s: %v at %v, want %v", name, got, at, c.want)
		}
	}
	n := 0
	(&samples{w: 5, h: 5, n: 1, bits: 8}).each(func() bool { return n >= 10 }, func(int, []uint64) { n++ })
	if n != 10 {
		t.Errorf("%d of 25 are read, though after ten it is too late", n)
	}
}

// A stencil paints in the colour at hand where its samples are 0, or 1 where Decode
// turns them round, and leaves nothing elsewhere (ISO 32000-1, 8.9.6.2).
func TestStencilsPaintWhereTheySaySo(t *testing.T) {
	for decode, want := range map[string][4]uint8{"": {255, 0, 0, 255}, "/D[0 1]": {255, 0, 0, 255}, "/D[1 0]": {0, 255, 255, 0}} {
		// 0 1, and below 1 0.
		data := (&doc{}).file("", "", fmt.Sprintf("1 0 0 rg q 20 0 0 20 0 0 cm BI /W 2 /H 2 /IM true /BPC 1 %s /F /AHx ID 4080> EI Q", decode))
		page, _ := mustRead(t, data, Options{})
		n := 0
		page.Walk(func(x drawing.Node, _ []*drawing.Group) {
			p, ok := x.(*drawing.Picture)
			if !ok {
				return
			}
			n++
			for i, a := range want {
				if got := [4]uint8(p.Image.Pix[4*i : 4*i+4]); got[3] != a || a > 0 && got != [4]uint8{255, 0, 0, 255} {
					t.Errorf("%q: sample %d paints %v, want an opacity of %d", decode, i, got, a)
				}
			}
		})
		if n != 1 {
			t.Errorf("%q: %d pictures", decode, n)
		}
	}
}
