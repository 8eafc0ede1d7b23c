package icc

import (
	"encoding/binary"
	"math"
	"testing"
)

// para makes a parametric curve (ICC.1:2022, 10.18).
func para(kind uint16, params ...float64) []byte {
	b := binary.BigEndian.AppendUint16([]byte("para\x00\x00\x00\x00"), kind)
	b = append(b, 0, 0)
	for _, p := range params {
		b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(p*65536))))
	}
	return b
}

// The five functions of table 68, each at values worked out by hand; that of type 3
// is sRGB (IEC 61966-2-1: 0.5 is 0.214041).
func TestParametricCurves(t *testing.T) {
	for name, c := range map[string]struct {
		curve []byte
		want  map[float64]float64
	}{
		"type 0":         {para(0, 2), map[float64]float64{0: 0, 0.5: 0.25, 1: 1}},
		"type 0, a root": {para(0, 0.5), map[float64]float64{0.25: 0.5, 0.81: 0.9}},
		"type 1":         {para(1, 2, 2, -1), map[float64]float64{0: 0, 0.4: 0, 0.75: 0.25, 1: 1}},
		"type 2":         {para(2, 2, 2, -1, 0.25), map[float64]float64{0.2: 0.25, 0.75: 0.5}},
		"type 3":         {para(3, 2.4, 1/1.055, 0.055/1.055, 1/12.92, 0.04045), map[float64]float64{0.02: 0.02 / 12.92, 0.5: 0.214041}},
		"type 4":         {para(4, 2, 1, 0, 0.5, 0.5, 0.125, 0.0625), map[float64]float64{0.25: 0.1875, 0.5: 0.375, 1: 1.125}},
	} {
		f, err := readCurve(c.curve)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		for x, want := range c.want {
			if got := f(x); math.Abs(got-want) > 2e-5 { // parameters have 16 bits behind the point
				t.Errorf("%s: f(%v) is %v, want %v", name, x, got, want)
			}
		}
		if _, err := readCurve(c.curve[:len(c.curve)-1]); err == nil {
			t.Errorf("%s, cut off: it is read", name)
		}
	}
	for name, b := range map[string][]byte{"no such type": para(5, 1, 1, 1, 1, 1, 1, 1), "no slope": para(1, 2, 0, 1), "a word": []byte("text\x00\x00\x00\x00\x00\x00\x00\x00")} {
		if _, err := readCurve(b); err == nil {
			t.Errorf("%s: it is read", name)
		}
	}
	// In tables of inks, of which there is only type 0, one stands behind the other.
	fs, err := curves(append(para(0, 2), para(0, 3)...), 0, 2)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{0.25, 0.125} {
		if got := fs[i](0.5); math.Abs(got-want) > 2e-5 {
			t.Errorf("curve %d of two: %v, want %v", i, got, want)
		}
	}
	for name, b := range map[string][]byte{"another type": para(1, 2, 1, 0), "cut off": para(0, 2)[:15]} {
		if _, err := curves(b, 0, 1); err == nil {
			t.Errorf("%s: it is read", name)
		}
	}
}
