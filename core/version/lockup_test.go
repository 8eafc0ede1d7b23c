package version

import (
	"math"
	"strings"
	"testing"

	"dyekit/core/drawing"
)

const lockedUp = `<rect id="back" width="100" height="100" fill="#fff"/>
	<g id="symbol"><circle cx="50" cy="30" r="20" fill="#206047"/><circle cx="50" cy="30" r="8" fill="#fff"/></g>
	<g id="wordmark"><rect x="10" y="70" width="30" height="10" fill="#b3402c"/><rect x="60" y="70" width="30" height="10" fill="#b3402c"/></g>`

// Parts alone, by name, in any treatment; what does not belong is not there.
func TestLockups(t *testing.T) {
	a := NewArt(read(t, lockedUp))
	for name, want := range map[string][4]float64{
		"symbol": {30, 10, 40, 40}, "Wordmark": {10, 70, 80, 10}, "symbol+wordmark": {10, 10, 80, 70}, "symbol + wordmark": {10, 10, 80, 70},
		"full": {0, 0, 100, 100}, "": {0, 0, 100, 100},
	} {
		s := Spec{Name: "x", Treatment: AsDrawn, Lockup: name}
		v, err := a.Make(t.Context(), s)
		if err != nil || v.Drawing == nil {
			t.Fatalf("%s: %v %s", name, err, v.Refused)
		}
		b := v.Drawing.Bounds()
		for i, x := range []float64{b.X0, b.Y0, b.W(), b.H()} {
			if math.Abs(x-want[i]) > 0.01 {
				t.Errorf("%s lies on %v, want %v", name, b, want)
				break
			}
		}
		if v.OwnFrame() == s.Whole() {
			t.Errorf("%s: a frame of its own is %v", name, v.OwnFrame())
		}
	}
	one := black
	one.Lockup = "symbol"
	v, err := a.Make(t.Context(), one)
	if err != nil || v.Drawing == nil {
		t.Fatalf("%v %s", err, v.Refused)
	}
	if got, want := v.Drawing.Nodes[0].(*drawing.Shape).Path.Area(), math.Pi*(400-64); math.Abs(math.Abs(got)-want) > 2 {
		t.Errorf("the symbol in one ink covers %v, want %v", got, want)
	}
	none := Spec{Name: "x", Treatment: AsDrawn, Lockup: "tagline"}
	if v, err := a.Make(t.Context(), none); err != nil || v.Drawing != nil || !strings.Contains(v.Refused, `no part called "tagline"; there are back, symbol, wordmark`) {
		t.Errorf("a part that is not there: %v %q", err, v.Refused)
	}
}
