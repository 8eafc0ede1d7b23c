package pdf

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"slices"
	"strings"
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

// A JPEG whose channels are red, green and blue themselves is told so by ColorTransform, where
// no marker of Adobe's says anything (ISO 32000-1, Table 13).
func TestColorTransform(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	for i := range 256 {
		img.SetNRGBA(i%16, i/16, color.NRGBA{200, 120, 40, 255})
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 100}); err != nil {
		t.Fatal(err)
	}
	at := func(parms string) [3]uint8 {
		page, _ := mustRead(t, (&doc{}).file("", "", fmt.Sprintf("q 20 0 0 20 0 0 cm BI /W 16 /H 16 /CS /RGB /BPC 8 /F [/AHx /DCT] %s ID %x> EI Q", parms, b.Bytes())), Options{})
		var got [3]uint8
		page.Walk(func(x drawing.Node, _ []*drawing.Group) {
			if p, ok := x.(*drawing.Picture); ok {
				copy(got[:], p.Image.Pix)
			}
		})
		return got
	}
	near := func(a, b [3]uint8) bool {
		for i := range a {
			if d := int(a[i]) - int(b[i]); d > 3 || d < -3 {
				return false
			}
		}
		return true
	}
	y, cb, cr := color.RGBToYCbCr(200, 120, 40)
	for parms, want := range map[string][3]uint8{
		"": {200, 120, 40}, "/DP [null <</ColorTransform 1>>]": {200, 120, 40},
		"/DP [null <</ColorTransform 0>>]": {y, cb, cr}, // its channels as they stand
	} {
		if got := at(parms); !near(got, want) {
			t.Errorf("%q: %v, want %v", parms, got, want)
		}
	}
}

// A lock with a key of a length that there is none of is refused with a sentence.
func TestOddKeyLengths(t *testing.T) {
	for _, v := range []int{1, 2, 3, 4, 5} {
		for _, bits := range []int{-8, 0, 1, 16, 39, 41, 60, 129, 136, 200, 256, 1 << 30} {
			enc := fmt.Sprintf("/Encrypt<</Filter/Standard/V %d/R 3/Length %d/P -4/O<%s>/U<%[3]s>>>/ID[<00><00>]", v, bits, strings.Repeat("41", 32))
			data := []byte("%PDF-1.4\n1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n2 0 obj\n<</Type/Pages/Kids[3 0 R]/Count 1>>\nendobj\n3 0 obj\n<</Type/Page/Parent 2 0 R/MediaBox[0 0 9 9]>>\nendobj\ntrailer<</Size 4/Root 1 0 R" + enc + ">>\n%%EOF\n")
			if _, _, _, err := Read(t.Context(), data, Options{}); err == nil {
				t.Errorf("version %d, %d bits: it is read", v, bits)
			}
		}
	}
}
