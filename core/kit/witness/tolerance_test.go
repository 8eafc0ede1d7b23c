package witness

import (
	"math"
	"testing"
)

const tiny = 1e-12

// What the witness allows for is how far its sums of slightly wrong values may be
// off: the values below are those sums, drawn up by hand, to the first order.
func TestTolerancesAdd(t *testing.T) {
	// A paint that may be off by 0.02 covers half: half of that is seen, and half of
	// what lies below, 0.04; the coverage may be off by 0.1, which moves red from 0.2
	// towards 0.8.
	p := pixel{v: [4]float64{0.2, 0, 0, 1}, e: 0.04}
	p.lay(pixel{v: [4]float64{0.8, 0, 0, 1}, e: 0.02}, cover{a: 0.5, e: 0.1})
	if want := 0.02*0.5 + 0.04*0.5 + 0.6*0.1; math.Abs(p.e-want) > tiny {
		t.Errorf("laid over: %v, want %v", p.e, want)
	}
	if math.Abs(p.v[0]-0.5) > tiny || math.Abs(p.v[3]-1) > tiny {
		t.Errorf("laid over: %v", p.v)
	}
	// Under an opacity of a quarter that may be off by 0.1 a quarter of the error is
	// left, and a tenth of the largest channel comes to it.
	p = pixel{v: [4]float64{0.2, 0.6, 0, 0.8}, e: 0.04}
	p.cut(cover{a: 0.25, e: 0.1})
	if want := 0.04*0.25 + 0.8*0.1; math.Abs(p.e-want) > tiny || math.Abs(p.v[1]-0.15) > tiny {
		t.Errorf("cut: %v %v, want %v", p.v, p.e, want)
	}
	// (a ± e)(b ± f) is off by a·f + b·e + e·f at most.
	c := cover{a: 0.5, e: 0.1}.both(cover{a: 0.25, e: 0.2})
	if want := 0.5*0.2 + 0.25*0.1 + 0.1*0.2; math.Abs(c.e-want) > tiny || math.Abs(c.a-0.125) > tiny {
		t.Errorf("both: %+v, want %v", c, want)
	}
}
