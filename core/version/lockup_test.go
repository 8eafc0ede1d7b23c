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
		if v.OwnFrame(false) == s.Whole() {
			t.Errorf("%s: a frame of its own is %v", name, v.OwnFrame(false))
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

// Parts placed anew: in a row or under each other, their optical centres in
// line, the distance in heights of the first. Symmetric parts have the middle
// of their box as optical centre, so that the places are known exactly.
func TestArrange(t *testing.T) {
	d := read(t, lockedUp)
	for _, c := range []struct {
		l          Lockup
		page, last [4]float64 // all, and the last part
	}{
		{Lockup{Parts: []string{"symbol", "wordmark"}, Placed: Beside, Gap: 0.5}, [4]float64{30, 10, 140, 40}, [4]float64{90, 25, 80, 10}},
		{Lockup{Parts: []string{"symbol", "wordmark"}, Placed: Stacked, Gap: 0.25}, [4]float64{10, 10, 80, 60}, [4]float64{10, 60, 80, 10}},
		{Lockup{Parts: []string{"wordmark", "symbol"}, Placed: Stacked}, [4]float64{10, 70, 80, 50}, [4]float64{30, 80, 40, 40}},
		// By hand: one and a half heights of the symbol to the right, a quarter down, at half its size.
		{Lockup{Parts: []string{"symbol", "wordmark"}, Placed: ByStand, At: []Stand{{1.5, 0.25, 0.5}}}, [4]float64{30, 10, 100, 40}, [4]float64{90, 20, 40, 5}},
		{Lockup{Parts: []string{"symbol", "wordmark"}, Placed: ByStand, At: []Stand{{X: -2, Y: -0.5}}}, [4]float64{-50, -10, 120, 60}, [4]float64{-50, -10, 80, 10}},
	} {
		got, err := Arrange(t.Context(), d, c.l)
		if err != nil {
			t.Fatal(err)
		}
		last := drawing.Drawing{Nodes: only(got.Nodes, c.l.Parts[1:])}
		for name, pair := range map[string][2][4]float64{"all": {box(got), c.page}, "the last part": {box(&last), c.last}} {
			for i := range 4 {
				if math.Abs(pair[0][i]-pair[1][i]) > 0.2 { // centres are counted on pixels
					t.Errorf("%v: %s lies on %v, want %v", c.l, name, pair[0], pair[1])
					break
				}
			}
		}
	}
	for _, l := range []Lockup{{}, {Name: Full, Parts: []string{"a"}}, {Name: "x"}, {Name: "x", Parts: []string{"a"}, Gap: -1}, {Name: "x", Parts: []string{"a"}, Placed: "around"},
		{Name: "x", Parts: []string{"a", "b"}, Placed: ByStand}, {Name: "x", Parts: []string{"a", "b"}, At: []Stand{{}}}, {Name: "x", Parts: []string{"a", "A"}, Placed: ByStand, At: []Stand{{}}},
		{Name: "x", Parts: []string{"a", "b"}, Placed: ByStand, At: []Stand{{X: math.NaN()}}}, {Name: "x", Parts: []string{"a", "b"}, Placed: ByStand, At: []Stand{{Y: MaxStand + 1}}},
		{Name: "x", Parts: []string{"a", "b"}, Placed: ByStand, At: []Stand{{Scale: LeastScale / 2}}}, {Name: "x", Drawing: "x.svg", At: []Stand{{}}}} {
		if l.Check() == nil {
			t.Errorf("%v was taken", l)
		}
	}
}

// A foot at one end pulls the optical centre towards it, by half of what it
// pulls the centre of the area.
func TestOpticalCentre(t *testing.T) {
	d := read(t, `<path d="M0 0H20V80H100V100H0z"/>`) // an L: area 2000 + 1600
	c, err := centre(t.Context(), d, d.Bounds())
	if err != nil {
		t.Fatal(err)
	}
	x := (2000*10.0 + 1600*60) / 3600
	if want := (50 + x) / 2; math.Abs(c.X-want) > 0.3 || math.Abs(c.Y-(100-want)) > 0.3 {
		t.Errorf("the centre of an L is %v, want %v, %v", c, want, 100-want)
	}
}

func box(d *drawing.Drawing) [4]float64 {
	b := d.Bounds()
	return [4]float64{b.X0, b.Y0, b.W(), b.H()}
}
