package colour

import (
	"bufio"
	"embed"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
)

// Characterisations: C, M, Y, K in percent and the CIE L*a*b* (D50, 2°) that
// was measured on the press, one patch a line. They are the columns of
// FOGRA39L.ti3, FOGRA29L.ti3 and TR006.ti3 of Debian's icc-profiles-free
// (zlib licence), other columns and headers left out. TR006: characterisation
// data of ANSI/CGATS/GRACoL TR 006-2007.
//
//go:embed data/*.txt
var characterisations embed.FS

// A Press is a printing condition that was measured: what every build looks
// like, and which build comes nearest to a colour.
type Press struct {
	Key  string // fogra39, fogra29 or tr006
	Name string
	// Registry is the name in the ICC's registry of characterisation data;
	// empty for a press that came as a profile.
	Registry string
	Profile  []byte // the ICC profile it came as, or nil

	once  sync.Once
	grids []grid // by rising black
	white [3]float64
	dark  float64 // luminance of solid black, relative to the paper's
	table func() *Lattice
}

// Presses that come along.
var (
	Coated   = &Press{Key: "fogra39", Name: "Offset on coated paper (FOGRA39)", Registry: "FOGRA39"}
	Uncoated = &Press{Key: "fogra29", Name: "Offset on uncoated paper (FOGRA29)", Registry: "FOGRA29"}
	GRACoL   = &Press{Key: "tr006", Name: "GRACoL on coated paper (CGATS TR 006)", Registry: "CGATS TR 006"}
)

// Presses lists them.
var Presses = []*Press{Coated, Uncoated, GRACoL}

// MaxInk is the most ink a proposal lays down, in percent: what coated
// sheet-fed printing bears (common practice).
const MaxInk = 300

// NewPress returns a press of which a profile tells the colours: look gives
// them relative to the paper, white is the paper in XYZ under D50.
func NewPress(name string, white [3]float64, profile []byte, look func(CMYK) Lab) *Press {
	p := &Press{Key: "profile", Name: name, Profile: profile, white: white}
	p.once.Do(func() {
		for _, k := range []float64{0, 20, 40, 60, 80, 100} {
			g := grid{k: k}
			for l := 0.0; l <= 100; l += 10 {
				g.levels = append(g.levels, l)
			}
			g.fill(look)
			p.grids = append(p.grids, g)
		}
		p.ready()
	})
	return p
}

// ready finds what follows from the grids.
func (p *Press) ready() {
	p.dark = p.at(CMYK{K: 100}).xyz()[1]
	p.table = sync.OnceValue(func() *Lattice { return newTable(p) })
}

// A grid holds patches of one black: all mixtures of the levels of three inks.
type grid struct {
	k      float64
	levels []float64
	lab    Lattice // L*, a*, b*, media-relative, over cyan, magenta and yellow
}

// patch is one line of a characterisation.
type patch struct {
	CMYK
	lab Lab
}

func patches(key string) ([]patch, error) {
	f, err := characterisations.Open("data/" + key + ".txt")
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var ps []patch
	for sc := bufio.NewScanner(f); sc.Scan(); {
		var p patch
		if _, err := fmt.Sscan(sc.Text(), &p.C, &p.M, &p.Y, &p.K, &p.lab.L, &p.lab.A, &p.lab.B); err != nil {
			return nil, err
		}
		ps = append(ps, p)
	}
	return ps, nil
}

// load sorts the patches into grids: at each black, the levels of which every
// mixture was measured.
func (p *Press) load() {
	p.once.Do(func() {
		ps, err := patches(p.Key)
		if err != nil {
			panic("characterisation " + p.Key + ": " + err.Error()) // part of the binary; a test reads all
		}
		lab := map[CMYK]Lab{}
		for _, x := range ps {
			lab[x.CMYK] = x.lab
		}
		p.white = lab[CMYK{}].xyz()
		for _, k := range []float64{0, 20, 40, 60, 80, 100} {
			g := grid{k: k}
			for _, l := range []float64{0, 10, 20, 30, 40, 55, 70, 85, 100} {
				if _, ok := lab[CMYK{l, l, l, k}]; ok && g.whole(append(g.levels, l), lab) {
					g.levels = append(g.levels, l)
				}
			}
			g.fill(func(b CMYK) Lab { return p.relative(lab[b]) })
			p.grids = append(p.grids, g)
		}
		p.ready()
	})
}

// whole reports whether all mixtures of the levels were measured.
func (g grid) whole(levels []float64, lab map[CMYK]Lab) bool {
	for _, c := range levels {
		for _, m := range levels {
			for _, y := range levels {
				if _, ok := lab[CMYK{c, m, y, g.k}]; !ok {
					return false
				}
			}
		}
	}
	return true
}

// d50 is the white of the profile connection space (ICC.1).
var d50 = [3]float64{0.9642, 1, 0.8249}

// xyz is the inverse of labOf, under D50.
func (l Lab) xyz() (v [3]float64) {
	fy := (l.L + 16) / 116
	for i, f := range [3]float64{fy + l.A/500, fy, fy - l.B/200} {
		if f > 6.0/29 {
			v[i] = f * f * f * d50[i]
		} else {
			v[i] = 3 * 36.0 / 841 * (f - 4.0/29) * d50[i]
		}
	}
	return v
}

func labOf(v [3]float64) Lab {
	var f [3]float64
	for i := range v {
		if t := v[i] / d50[i]; t > 216.0/24389 {
			f[i] = math.Cbrt(t)
		} else {
			f[i] = t*841/108 + 4.0/29
		}
	}
	return Lab{116*f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])}
}

// relative scales a measured colour so that the paper is white.
func (p *Press) relative(l Lab) Lab {
	v := l.xyz()
	for i := range v {
		v[i] *= d50[i] / p.white[i]
	}
	return labOf(v)
}

// Lab is what a build looks like under D50, the paper's tint included.
func (p *Press) Lab(b CMYK) Lab {
	p.load()
	v := p.at(b).xyz()
	for i := range v {
		v[i] *= p.white[i] / d50[i]
	}
	return labOf(v)
}

// Beside is what a build looks like beside the paper, which is white: the
// media-relative colour of ICC.1.
func (p *Press) Beside(b CMYK) Lab {
	p.load()
	return p.at(b)
}

// Nearest is the build, not rounded, whose media-relative colour is nearest.
func (p *Press) Nearest(l Lab) CMYK {
	p.load()
	if l.L >= 100 {
		return CMYK{}
	}
	return p.solve(l)
}

// XYZ is the colour in CIE XYZ under D50.
func (l Lab) XYZ() (x, y, z float64) {
	v := l.xyz()
	return v[0], v[1], v[2]
}

// at is what a build looks like beside the paper: interpolated between the
// mixtures measured around it, at the two blacks around its own.
func (p *Press) at(b CMYK) Lab {
	i := 0
	for i < len(p.grids)-2 && b.K > p.grids[i+1].k {
		i++
	}
	lo, hi := &p.grids[i], &p.grids[i+1]
	t := min(1, max(0, (b.K-lo.k)/(hi.k-lo.k)))
	if t == 0 {
		return lo.at(b)
	}
	return between(lo.at(b), hi.at(b), t)
}

func between(a, b Lab, t float64) Lab {
	return Lab{a.L + (b.L-a.L)*t, a.A + (b.A-a.A)*t, a.B + (b.B-a.B)*t}
}

func (g *grid) at(b CMYK) Lab {
	var cell [3]int
	var t [3]float64
	for k, v := range [3]float64{b.C, b.M, b.Y} {
		j := 0
		for j < len(g.levels)-2 && v > g.levels[j+1] {
			j++
		}
		cell[k], t[k] = j, min(1, max(0, (v-g.levels[j])/(g.levels[j+1]-g.levels[j])))
	}
	var out [3]float64
	g.lab.At(cell[:], t[:], out[:])
	return Lab{out[0], out[1], out[2]}
}

// fill asks for what each mixture of the levels looks like.
func (g *grid) fill(look func(CMYK) Lab) {
	n := len(g.levels)
	g.lab = Lattice{Sides: []int{n, n, n}, Width: 3}
	for _, c := range g.levels {
		for _, m := range g.levels {
			for _, y := range g.levels {
				l := look(CMYK{c, m, y, g.k})
				g.lab.V = append(g.lab.V, l.L, l.A, l.B)
			}
		}
	}
}

// target is what a screen colour asks of the press: its own white is the
// paper, its black that of the solid ink (black point compensation), under D50
// (Bradford adaptation of ICC.1 annex E; the matrix is from memory).
func (p *Press) target(c RGB) Lab {
	x, y, z := c.xyz()
	v := [3]float64{
		1.0478112*x + 0.0228866*y - 0.0501270*z,
		0.0295424*x + 0.9904844*y - 0.0170491*z,
		-0.0092345*x + 0.0150436*y + 0.7521316*z,
	}
	for i := range v {
		v[i] = v[i]*(1-p.dark) + p.dark*d50[i]
	}
	return labOf(v)
}

// PressOf returns a press by its key.
func PressOf(key string) (*Press, bool) {
	i := slices.IndexFunc(Presses, func(p *Press) bool { return strings.EqualFold(p.Key, key) })
	if i < 0 {
		return nil, false
	}
	return Presses[i], true
}

// RGB shows a build by the bare formula of PDF 32000-1 section 10.3.3, in its
// multiplying form: for comparing builds with builds, not for showing them.
func (b CMYK) RGB() RGB {
	k := 1 - b.K/100
	return RGB{(1 - b.C/100) * k, (1 - b.M/100) * k, (1 - b.Y/100) * k}
}

// Total is the total ink in percent.
func (b CMYK) Total() float64 { return b.C + b.M + b.Y + b.K }

// NoInk reports whether the build leaves the paper bare.
func (b CMYK) NoInk() bool { return b == CMYK{} }

// PressFor is the printing condition of a kind of paper, coated or uncoated; of
// any other word it is the one given.
func PressFor(stock string, otherwise *Press) *Press {
	switch stock {
	case "coated":
		return Coated
	case "uncoated":
		return Uncoated
	}
	return otherwise
}

// Stock is the kind of paper a printing condition is for.
func (p *Press) Stock() string {
	if p == Uncoated {
		return "uncoated"
	}
	return "coated"
}
