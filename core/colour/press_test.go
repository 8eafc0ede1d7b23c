package colour

import (
	"math"
	"strings"
	"testing"
)

// Every patch of the characterisations through our interpolation: those on the
// grids are nodes, the others were never used. FOGRA39L.ti3, FOGRA29L.ti3 and
// TR006.ti3 of Debian's icc-profiles-free.
func TestPatches(t *testing.T) {
	for _, p := range Presses {
		ps, err := patches(p.Key)
		if err != nil {
			t.Fatal(err)
		}
		var sum, off, most float64
		n := 0
		for _, x := range ps {
			d := Difference(p.Lab(x.CMYK), x.lab)
			sum += d
			if d > 1e-6 {
				off += d
				n++
			}
			most = max(most, d)
		}
		mean := sum / float64(len(ps))
		t.Logf("%s: %d patches, ΔE00 %.3f on the mean, %.2f on the %d that are no nodes, %.2f at most", p.Name, len(ps), mean, off/float64(n), n, most)
		if mean >= 1.5 || off/float64(n) >= 1.5 || most > 8 {
			t.Errorf("%s: mean %.2f, off the grid %.2f, at most %.2f", p.Name, mean, off/float64(n), most)
		}
	}
}

// What a build shows asks for a build that looks the same: there and back
// again, for colours that both sides know.
func TestProposalsComeNear(t *testing.T) {
	for _, p := range Presses {
		var most float64
		n := 0
		for c := 0.0; c <= 100; c += 20 {
			for m := 0.0; m <= 100; m += 20 {
				for y := 0.0; y <= 100; y += 20 {
					s := p.Show(CMYK{c, m, y, 0})
					if s.R <= 0.002 || s.G <= 0.002 || s.B <= 0.002 || s.R >= 0.998 || s.G >= 0.998 || s.B >= 0.998 || c+m+y > 280 {
						continue // no screen shows it
					}
					n++
					x := p.Propose(s)
					most = max(most, x.Difference)
					if x.Difference > 1.5 {
						t.Errorf("%s: C%v M%v Y%v shows as %s, which would be printed as %v, ΔE00 %.2f", p.Key, c, m, y, s.Hex(), x.Build, x.Difference)
					}
					if x.Build.Total() > MaxInk {
						t.Errorf("%s: %v is more ink than %d %%", p.Key, x.Build, MaxInk)
					}
				}
			}
		}
		if n < 60 {
			t.Errorf("%s: only %d colours were tried", p.Key, n)
		}
	}
}

// Black prints with black alone, white with nothing, greys with black alone
// (common practice); pure screen colours cannot be printed.
func TestProposalsOfTheTrade(t *testing.T) {
	if b := Coated.Propose(Black).Build; b != (CMYK{K: 100}) {
		t.Errorf("black is %v", b)
	}
	declared := Colour{RGB: RGB{0, 0, 1}, Build: CMYK{C: 100, M: 80}, Built: true}
	if x := Coated.Print(declared); x.Build != declared.Build || x.Proposed || x.Difference < 5 {
		t.Errorf("a declared build is printed as %+v", x)
	}
	if b := Coated.Propose(White).Build; !b.NoInk() {
		t.Errorf("white is %v", b)
	}
	for v := 0.1; v < 0.95; v += 0.1 {
		x := Coated.Propose(RGB{v, v, v})
		if x.Build.C+x.Build.M+x.Build.Y > 3 || x.Difference > 1 {
			t.Errorf("grey %.1f is %v, ΔE00 %.2f", v, x.Build, x.Difference)
		}
	}
	for i := range 216 {
		c := RGB{float64(i%6) / 5, float64(i/6%6) / 5, float64(i/36) / 5}
		if b := Propose(c); b.Total() > MaxInk || c.R == c.G && c.G == c.B && b.C+b.M+b.Y > 0 {
			t.Errorf("%s is %v, %v %% in all", c.Hex(), b, b.Total())
		}
	}
	for hex, can := range map[string]bool{"#00ff00": false, "#0000ff": false, "#00ffff": false, "#206047": true, "#b3402c": true, "#cf7a22": true} {
		c, err := ParseHex(hex)
		if err != nil {
			t.Fatal(err)
		}
		x := Coated.Print(Screen(c))
		if x.Printable() != can || !x.Proposed || strings.Contains(x.Word(), "cannot") == can {
			t.Errorf("%s: %v, ΔE00 %.1f, %s", hex, x.Build, x.Difference, x.Word())
		}
		if d := Difference(x.Shown.Lab(), c.Lab()); math.Abs(d-x.Difference) > 3 {
			t.Errorf("%s shows as %s, ΔE00 %.1f, and is said to differ by %.1f", hex, x.Shown.Hex(), d, x.Difference)
		}
	}
}

// The table for pictures says nearly what the solver says.
func TestPixelsLikeSolids(t *testing.T) {
	var sum float64
	n := 0
	for r := 0.05; r < 1; r += 0.18 {
		for g := 0.05; g < 1; g += 0.18 {
			for b := 0.05; b < 1; b += 0.18 {
				c := RGB{r, g, b}
				// Where nothing comes near, neither does.
				if x := Coated.Print(Screen(c)); x.Printable() {
					sum += Difference(Coated.at(Coated.Pixel(c)), Coated.target(c))
					n++
				}
			}
		}
	}
	if mean := sum / float64(n); mean > 1.5 || math.IsNaN(mean) {
		t.Errorf("ΔE00 %.2f on the mean", mean)
	}
	if b := Coated.Pixel(White); b != (CMYK{}) {
		t.Errorf("white pixels are %v", b)
	}
}

// The components of a colour are shares: of light, or of the inks that print it; of a tint
// so much of its ink.
func TestComponents(t *testing.T) {
	c := Colour{RGB: RGB{0.2, 0.4, 0.6}, Build: CMYK{10, 20, 30, 40}, Built: true}
	spot := Colour{RGB: RGB{0.2, 0.4, 0.6}, Build: CMYK{10, 20, 30, 40}, Built: true, Spot: "Moor", Tint: 50}
	for _, x := range []struct {
		got, want []float64
	}{{c.Inks(false), []float64{0.2, 0.4, 0.6}}, {c.Inks(true), []float64{0.1, 0.2, 0.3, 0.4}}, {spot.Inks(true), []float64{0.05, 0.1, 0.15, 0.2}}} {
		for i := range x.want {
			if len(x.got) != len(x.want) || math.Abs(x.got[i]-x.want[i]) > 1e-12 {
				t.Errorf("%v, want %v", x.got, x.want)
				break
			}
		}
	}
	if full, proposed := spot.Full(); full != c.Build || proposed {
		t.Errorf("the full ink is %v", full)
	}
	if b, proposed := Screen(White).Press(); !b.NoInk() || !proposed {
		t.Errorf("white is printed by %v", b)
	}
}
