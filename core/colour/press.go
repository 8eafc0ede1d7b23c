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
	// Registry is the name in the ICC's registry of characterisation data.
	Registry string

	once  sync.Once
	grids []grid // by rising black
	white [3]float64
	dark  float64 // luminance of solid black, relative to the paper's
	table func() *table
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

// A grid holds patches of one black: all mixtures of the levels of three inks.
type grid struct {
	k      float64
	levels []float64
	lab    []Lab // media-relative; cyan slowest, yellow fastest
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
			for _, c := range g.levels {
				for _, m := range g.levels {
					for _, y := range g.levels {
						g.lab = append(g.lab, p.relative(lab[CMYK{c, m, y, k}]))
					}
				}
			}
			p.grids = append(p.grids, g)
		}
		p.dark = p.at(CMYK{K: 100}).xyz()[1]
		p.table = sync.OnceValue(func() *table { return newTable(p) })
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
	n := len(g.levels)
	var i [3]int
	var t [3]float64
	for k, v := range [3]float64{b.C, b.M, b.Y} {
		j := 0
		for j < n-2 && v > g.levels[j+1] {
			j++
		}
		i[k], t[k] = j, min(1, max(0, (v-g.levels[j])/(g.levels[j+1]-g.levels[j])))
	}
	var out Lab
	for corner := range 8 {
		w, at := 1.0, 0
		for k := range 3 {
			up := corner >> k & 1
			if up == 1 {
				w *= t[k]
			} else {
				w *= 1 - t[k]
			}
			at = at*n + i[k] + up
		}
		if w > 0 {
			l := g.lab[at]
			out.L += w * l.L
			out.A += w * l.A
			out.B += w * l.B
		}
	}
	return out
}

// target is what a screen colour asks of the press: its own white is the
// paper, its black that of the solid ink (black point compensation), under D50
// (Bradford adaptation of ICC.1 annex E; the matrix is from memory).
func (p *Press) target(c RGB) Lab {
	r, g, b := linear(c.R), linear(c.G), linear(c.B)
	x := 0.4124564*r + 0.3575761*g + 0.1804375*b
	y := 0.2126729*r + 0.7151522*g + 0.0721750*b
	z := 0.0193339*r + 0.1191920*g + 0.9503041*b
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

// A Proposal is a build for a screen colour.
type Proposal struct {
	Build CMYK
	// Difference is ΔE00 between what the screen shows and what the press
	// prints, both beside their own white.
	Difference float64
}

// printable is the difference up to which a colour counts as printed: past 5
// it is plainly another.
const printable = 5

// Printable reports whether the press comes near enough.
func (x Proposal) Printable() bool { return x.Difference <= printable }

// Propose finds the build that comes nearest to a screen colour: greys in black
// alone, as much black as leaves the other inks clean, whole percents, at most
// MaxInk. Screen black is K 100, screen white bare paper.
func (p *Press) Propose(c RGB) Proposal {
	p.load()
	t := p.target(c)
	var b CMYK
	switch {
	case c == White:
	case c == Black:
		b.K = 100
	case c.R == c.G && c.G == c.B:
		b.K = math.Round(p.greyBlack(t.L))
	default:
		b = p.solve(t)
		round := math.Round
		if b.Total() > MaxInk-2 {
			round = math.Floor
		}
		b = CMYK{round(b.C), round(b.M), round(b.Y), round(b.K)}
		for _, v := range []*float64{&b.C, &b.M, &b.Y, &b.K} { // a percent or two only soil
			old := *v
			if old == 0 || old > 2 {
				continue
			}
			with := Difference(p.at(b), t)
			if *v = 0; Difference(p.at(b), t) > with+0.5 {
				*v = old
			}
		}
	}
	return Proposal{b, Difference(p.at(b), t)}
}

// solve looks for the inks of a media-relative colour.
func (p *Press) solve(t Lab) CMYK {
	grey := p.greyBlack(t.L)
	share := max(0, 1-t.Chroma()/40)
	best, least := CMYK{}, math.Inf(1)
	try := func(k float64) bool {
		b := p.descend(t, k)
		if d := Difference(p.at(b), t) + 0.004*k; d < least {
			best, least = b, d
		}
		return least < 1
	}
	k := grey * share * share
	if try(k) || try(k/2) || try(0) {
		return best
	}
	for k += 12.5; k < 112.5; k += 12.5 {
		if try(min(100, k)) {
			break
		}
	}
	return best
}

// greyBlack is the black that alone has a lightness.
func (p *Press) greyBlack(l float64) float64 {
	lo, hi := 0.0, 100.0
	for range 20 {
		mid := (lo + hi) / 2
		if p.at(CMYK{K: mid}).L > l {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// descend moves cyan, magenta and yellow towards the colour with the black
// held (damped least squares). Where the press cannot reach it, hue and
// lightness weigh more than chroma.
func (p *Press) descend(t Lab, k float64) CMYK {
	along := [2]float64{1, 0}
	if ch := t.Chroma(); ch > 1 {
		along = [2]float64{t.A / ch, t.B / ch}
	}
	off := func(v [3]float64) [3]float64 {
		l := p.at(CMYK{v[0], v[1], v[2], k})
		da, db := l.A-t.A, l.B-t.B
		return [3]float64{l.L - t.L, 0.6 * (da*along[0] + db*along[1]), db*along[0] - da*along[1]}
	}
	size := func(r [3]float64) float64 { return r[0]*r[0] + r[1]*r[1] + r[2]*r[2] }
	v := [3]float64{30, 30, 30}
	if t.L > 80 {
		v = [3]float64{10, 10, 10}
	}
	r, damp := off(v), 0.01
	for range 40 {
		if size(r) < 0.01 {
			break
		}
		var j [3][3]float64
		for i := range 3 {
			w := v
			h := 1.0
			if w[i] > 50 {
				h = -1
			}
			w[i] += h
			q := off(w)
			for n := range 3 {
				j[n][i] = (q[n] - r[n]) / h
			}
		}
		step, ok := leastSquares(j, r, damp)
		if !ok {
			damp *= 10
			continue
		}
		w := v
		for i := range w {
			w[i] = min(100, max(0, w[i]-step[i]))
		}
		if sum := w[0] + w[1] + w[2]; sum > MaxInk-k {
			for i := range w {
				w[i] *= (MaxInk - k) / sum
			}
		}
		if q := off(w); size(q) < size(r) {
			v, r, damp = w, q, max(1e-6, damp/4)
		} else if damp *= 8; damp > 1e6 {
			break
		}
	}
	return CMYK{v[0], v[1], v[2], k}
}

// leastSquares solves (JᵀJ + damp·I) x = Jᵀr.
func leastSquares(j [3][3]float64, r [3]float64, damp float64) (x [3]float64, ok bool) {
	var a [3][4]float64
	for i := range 3 {
		for k := range 3 {
			for n := range 3 {
				a[i][k] += j[n][i] * j[n][k]
			}
			a[i][3] += j[k][i] * r[k]
		}
		a[i][i] += damp
	}
	for i := range 3 {
		at := i
		for k := i + 1; k < 3; k++ {
			if math.Abs(a[k][i]) > math.Abs(a[at][i]) {
				at = k
			}
		}
		a[i], a[at] = a[at], a[i]
		if math.Abs(a[i][i]) < 1e-12 {
			return x, false
		}
		for k := range 3 {
			if k != i {
				f := a[k][i] / a[i][i]
				for n := i; n < 4; n++ {
					a[k][n] -= f * a[i][n]
				}
			}
		}
	}
	for i := range 3 {
		x[i] = a[i][3] / a[i][i]
	}
	return x, true
}

// Show is what a build looks like on a screen, beside its own white: the
// inverse of target, cut to what a screen can show.
func (p *Press) Show(b CMYK) RGB {
	p.load()
	v := p.at(b).xyz()
	for i := range v {
		v[i] = (v[i] - p.dark*d50[i]) / (1 - p.dark)
	}
	x := 0.9555766*v[0] - 0.0230393*v[1] + 0.0631636*v[2]
	y := -0.0282895*v[0] + 1.0099416*v[1] + 0.0210077*v[2]
	z := 0.0122982*v[0] - 0.0204830*v[1] + 1.3299098*v[2]
	enc := func(u float64) float64 {
		if u <= 0.0031308 {
			return max(0, 12.92*u)
		}
		return min(1, 1.055*math.Pow(u, 1/2.4)-0.055)
	}
	return RGB{
		enc(3.2404542*x - 1.5371385*y - 0.4985314*z),
		enc(-0.9692660*x + 1.8760108*y + 0.0415560*z),
		enc(0.0556434*x - 0.2040259*y + 1.0572252*z),
	}
}

// A table holds solutions on a grid of screen colours, for pictures.
type table struct{ inks [][4]float64 }

// side is the number of steps of a channel in a table.
const side = 17

func newTable(p *Press) *table {
	t := &table{make([][4]float64, side*side*side)}
	var wg sync.WaitGroup
	for r := range side {
		wg.Go(func() {
			for g := range side {
				for b := range side {
					v := p.solve(p.target(RGB{float64(r) / (side - 1), float64(g) / (side - 1), float64(b) / (side - 1)}))
					t.inks[(r*side+g)*side+b] = [4]float64{v.C, v.M, v.Y, v.K}
				}
			}
		})
	}
	wg.Wait()
	t.inks[len(t.inks)-1] = [4]float64{}
	t.inks[0] = [4]float64{3: 100}
	return t
}

// Pixel is Propose for the pixels of pictures: a thousand times faster, by
// interpolation between solutions, without rounding.
func (p *Press) Pixel(c RGB) CMYK {
	p.load()
	t := p.table()
	var i [3]int
	var f [3]float64
	for k, v := range [3]float64{c.R, c.G, c.B} {
		v = min(1, max(0, v)) * (side - 1)
		i[k] = min(side-2, int(v))
		f[k] = v - float64(i[k])
	}
	var out [4]float64
	for corner := range 8 {
		w, at := 1.0, 0
		for k := range 3 {
			up := corner >> k & 1
			if up == 1 {
				w *= f[k]
			} else {
				w *= 1 - f[k]
			}
			at = at*side + i[k] + up
		}
		for n, v := range t.inks[at] {
			out[n] += w * v
		}
	}
	return CMYK{out[0], out[1], out[2], out[3]}
}

// PressOf returns a press by its key.
func PressOf(key string) (*Press, bool) {
	i := slices.IndexFunc(Presses, func(p *Press) bool { return strings.EqualFold(p.Key, key) })
	if i < 0 {
		return nil, false
	}
	return Presses[i], true
}

// Press returns the build that prints c: the declared one, or a proposal for
// offset on coated paper. proposed tells which.
func (c Colour) Press() (build CMYK, proposed bool) {
	if c.Built {
		return c.Build, false
	}
	return Propose(c.RGB), true
}

// proposals are kept: the same colours come again and again.
var proposals sync.Map // RGB -> CMYK

// Propose is the build that offset on coated paper needs for a screen colour.
func Propose(c RGB) CMYK {
	if b, ok := proposals.Load(c); ok {
		return b.(CMYK)
	}
	b := Coated.Propose(c).Build
	proposals.Store(c, b)
	return b
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
