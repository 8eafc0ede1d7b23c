package lettering

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/typed"
	"dyekit/core/parallel"
	"dyekit/core/raster"
)

// A Proposal is a font for words, fitted to the pixels of a box.
type Proposal struct {
	Setting
	// Explains is how much of what the pixels hold the set words explain, from 0 to 1: one
	// less the sum of the squares of what they differ by, as a share of the ink's.
	Explains float64
}

// Limits of a box.
const (
	MaxBox   = 60_000 // px of a box: fitting draws it some hundred times
	MinBox   = 4      // px of its shorter side
	offered  = 6      // proposals
	finalist = 6      // that are fitted to the end
	alike    = 2      // proposals of one family
)

// weights that are tried of fonts that have a range; of those that come out alike the first
// is taken.
var weights = []float64{400, 300, 200, 500, 600, 700, 800, 900}

// Propose fits the fonts that are at hand to the words in a box of a picture, the one that
// explains most first.
func Propose(ctx context.Context, img *image.NRGBA, box image.Rectangle, words string, have *fonts.Set) ([]Proposal, error) {
	box = box.Canon().Intersect(img.Rect)
	switch {
	case min(box.Dx(), box.Dy()) < MinBox:
		return nil, errors.New("the box round the words is too small: draw it round the whole line")
	case box.Dx() > MaxBox/box.Dy():
		return nil, errors.New("the box round the words is too large: words of that size are traced well")
	}
	if err := (typed.Line{Text: words, Font: "any"}).Check(); err != nil {
		return nil, err
	}
	px, err := read(img, box)
	if err != nil {
		return nil, err
	}
	var all []*candidate
	for _, family := range have.Families() {
		for _, italic := range []bool{false, true} {
			faces := have.Find(family, fonts.Style{Italic: italic})
			if len(faces) == 0 {
				continue
			}
			tried := []float64{faces[0].Weight}
			if faces[0].Varies() {
				tried = weights
			}
			for _, w := range tried {
				all = append(all, &candidate{px: px, have: have, line: typed.Line{Text: words, Font: family, Weight: w, Italic: italic}})
			}
		}
	}
	each := func(cs []*candidate, f func(*candidate) error) ([]*candidate, error) {
		err := parallel.Do(ctx, len(cs), func(ctx context.Context, i int) error {
			cs[i].ctx = ctx
			if err := f(cs[i]); ctx.Err() != nil {
				return ctx.Err()
			} else if err != nil { // this font has not got a letter
				cs[i].left = math.Inf(1)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		cs = slices.DeleteFunc(slices.Clone(cs), func(c *candidate) bool { return math.IsInf(c.left, 1) })
		slices.SortStableFunc(cs, func(a, b *candidate) int { return cmp.Compare(a.left, b.left) })
		if len(cs) == 0 {
			return nil, fmt.Errorf("no font at hand has all the letters of %q: add the font that it was set in", words)
		}
		// Weights beyond a font's range are its last one again.
		return slices.CompactFunc(cs, func(a, b *candidate) bool { return a.line.Font == b.line.Font && a.left == b.left }), nil
	}
	if all, err = each(all, (*candidate).begin); err != nil {
		return nil, err
	}
	if all, err = each(all[:min(len(all), finalist)], (*candidate).refine); err != nil {
		return nil, err
	}
	var out []Proposal
	of := map[string]int{}
	for _, c := range all {
		if of[c.line.Font]++; of[c.line.Font] <= alike && len(out) < offered {
			out = append(out, c.proposal(box))
		}
	}
	return out, nil
}

// A candidate is a font that is fitted: its size and tracking and where its base line begins
// in the box, and how soft the picture's edges are.
type candidate struct {
	ctx  context.Context
	px   *pixels
	have *fonts.Set
	line typed.Line
	at   fit
	soft float64 // px: the standard deviation of the blur
	ink  float64 // how far from the ground it is
	left float64 // sum of the squares that are not explained
}

// A fit is what is looked for: the size of the em and the room added behind each letter, px,
// and the beginning of the base line.
type fit [4]float64

const (
	size = iota
	room
	left
	base
)

// path sets the words.
func (c *candidate) path(f fit) (geom.Path, error) {
	l := c.line
	l.Size = f[size]
	l.Tracking = 1000 * f[room] / f[size]
	p, err := l.Outline(c.have)
	if err != nil {
		return nil, err
	}
	return p.Transform(geom.Translate(f[left], f[base])), nil
}

// drawn is the ink of the words in each pixel of the box, from 0 to 1.
func (c *candidate) drawn(f fit, soft float64) ([]float64, error) {
	p, err := c.path(f)
	if err != nil {
		return nil, err
	}
	d := &drawing.Drawing{Page: geom.Rect{X1: float64(c.px.w), Y1: float64(c.px.h)}, Nodes: []drawing.Node{&drawing.Shape{Path: p, Paint: drawing.Solid{Alpha: 1}}}}
	img, err := raster.Render(c.ctx, d, geom.Identity, c.px.w, c.px.h, raster.Options{})
	if err != nil {
		return nil, err
	}
	v := make([]float64, c.px.w*c.px.h)
	for i := range v {
		v[i] = float64(img.Pix[4*i+3]) / 255
	}
	return blurred(v, c.px.w, c.px.h, soft), nil
}

// begin lays the words into the extent of the ink.
func (c *candidate) begin() error { return c.lay([]float64{1, 0.96, 1.04}) }

// lay lays the words into the extent of the ink, as high as that is and as wide, or so many
// parts of it: soft edges hide how high letters are, and tracking makes up for the width.
func (c *candidate) lay(parts []float64) error {
	const large = 100.0
	p, err := c.path(fit{size: large})
	if err != nil {
		return err
	}
	b := p.Bounds()
	n := len([]rune(c.line.Text))
	if b.Empty() {
		return errors.New("the words leave nothing to be seen")
	}
	best := fit{}
	c.left = math.Inf(1)
	c.soft = softness[0]
	for _, part := range parts {
		k := part * c.px.ink.H() / b.H()
		f := fit{size: large * k}
		if n > 1 {
			f[room] = (c.px.ink.W() - b.W()*k) / float64(n-1)
		}
		f[room] = min(max(f[room], -0.2*f[size]), 1.5*f[size])
		f[left], f[base] = c.px.ink.X0-b.X0*k, c.px.ink.Centre().Y-b.Centre().Y*k
		was := c.left
		if c.at = f; c.look() == nil && c.left < was {
			best = f
		} else {
			c.left = was
		}
	}
	c.at = best
	return c.look()
}

// softness is tried in this order, px.
var softness = []float64{0.4, 0, 0.8, 1.2}

// look finds what is left of the pixels as the words lie.
func (c *candidate) look() error {
	v, err := c.drawn(c.at, c.soft)
	if err != nil {
		return err
	}
	c.ink, c.left = c.px.against(v)
	return nil
}

// refine moves the words to where they explain most: Gauss and Newton's method, with
// derivatives by small steps, and the softness by trial.
func (c *candidate) refine() error {
	const (
		first  = 3
		rounds = 15
	)
	// Letters that lie on their neighbours lead astray: from several beginnings it is tried
	// which leads on.
	best := *c
	for _, part := range []float64{0.94, 0.98, 1.02, 1.06, 1.1} {
		if err := c.lay([]float64{part}); err != nil {
			return err
		}
		for range first {
			if better, err := c.step(); err != nil {
				return err
			} else if !better {
				break
			}
		}
		if c.left < best.left {
			best = *c
		}
	}
	*c = best
	for range 2 {
		for range rounds {
			better, err := c.step()
			if err != nil {
				return err
			}
			if !better {
				break
			}
		}
		best = *c
		for _, soft := range softness {
			c.soft = soft
			if err := c.look(); err != nil {
				return err
			}
			if c.left < best.left {
				best = *c
			}
		}
		*c = best
	}
	return nil
}

func (c *candidate) step() (better bool, err error) {
	steps := fit{size: 0.01 * c.at[size], room: 0.05, left: 0.1, base: 0.1}
	v, err := c.drawn(c.at, c.soft)
	if err != nil {
		return false, err
	}
	// Of each unknown, by how much the ink of each pixel changes; the ink itself is one.
	var by [5][]float64
	by[4] = v
	for k := range steps {
		f := c.at
		f[k] += steps[k]
		w, err := c.drawn(f, c.soft)
		if err != nil {
			return false, err
		}
		for i := range w {
			w[i] = c.ink * (w[i] - v[i]) / steps[k]
		}
		by[k] = w
	}
	m, off := make([][]float64, len(by)), make([]float64, len(by))
	for a := range m {
		m[a] = make([]float64, len(by))
		for i := range v {
			for b := range m {
				m[a][b] += by[a][i] * by[b][i]
			}
			off[a] += by[a][i] * (c.px.v[i] - c.ink*v[i])
		}
		m[a][a] *= 1.001 // a little damping
	}
	x, ok := geom.Solve(m, off)
	if !ok {
		return false, nil
	}
	was := *c
	for _, part := range []float64{1, 0.4, 0.1} {
		for k := range steps {
			c.at[k] = was.at[k] + part*min(max(x[k], -20*steps[k]), 20*steps[k])
		}
		if err := c.look(); err != nil {
			return false, err
		}
		if c.left < was.left*(1-1e-4) {
			return true, nil
		}
	}
	*c = was
	return false, nil
}

// blurred spreads values over their neighbours.
func blurred(v []float64, w, h int, sigma float64) []float64 {
	if sigma == 0 {
		return v
	}
	r := int(math.Ceil(2.5 * sigma))
	kernel := make([]float64, 2*r+1)
	sum := 0.0
	for i := range kernel {
		kernel[i] = math.Exp(-float64((i-r)*(i-r)) / (2 * sigma * sigma))
		sum += kernel[i]
	}
	pass := func(in []float64, n, lines, step, next int) []float64 {
		out := make([]float64, len(in))
		for l := range lines {
			for i := range n {
				for k, f := range kernel {
					if j := i + k - r; j >= 0 && j < n {
						out[l*next+i*step] += f / sum * in[l*next+j*step]
					}
				}
			}
		}
		return out
	}
	return pass(pass(v, w, h, 1, w), h, w, w, 1)
}

// proposal is what a person is shown.
func (c *candidate) proposal(box image.Rectangle) Proposal {
	ink := [3]float64{}
	for k := range ink {
		ink[k] = min(1, max(0, c.px.on[k]+c.ink*c.px.way[k]))
	}
	round := func(v, step float64) float64 { return math.Round(v/step) * step }
	l := c.line
	l.Size = round(c.at[size], 0.001)
	l.Tracking = round(1000*c.at[room]/c.at[size], 0.1)
	return Proposal{
		Setting: Setting{
			Box:  geom.Rect{X0: float64(box.Min.X), Y0: float64(box.Min.Y), X1: float64(box.Max.X), Y1: float64(box.Max.Y)},
			At:   geom.Pt(round(float64(box.Min.X)+c.at[left], 0.001), round(float64(box.Min.Y)+c.at[base], 0.001)),
			Ink:  colour.RGB{R: ink[0], G: ink[1], B: ink[2]},
			Line: l,
		},
		Explains: 1 - c.left/c.px.all,
	}
}
