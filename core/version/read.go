package version

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/geom"
	"dyekit/core/planar"
	"dyekit/core/raster"
)

// A Word is what a colour becomes in one ink.
type Word string

const (
	AsInk   Word = "ink"
	AsPaper Word = "paper"
	AsTint  Word = "tint"
	AsOmit  Word = "omit"
)

const (
	loses   = 0.05 // share of lost borders that is a finding
	same    = 2.0  // ΔE00 under which colours are read together
	faint   = 0.02 // opacity under which nothing is seen
	exactly = 16   // colours up to which every reading is tried
	// MaxColours bounds the colours one ink can be read from.
	MaxColours = 512
)

// A Reading says what one colour of the master becomes, and why.
type Reading struct {
	Colour colour.RGB // as seen on white
	Word   string     // that names it, with its value where two share a word
	As     Word
	Tint   float64 // percent of the ink, for tints
	Why    string
	Share  float64  // of the painted area, 0 to 1
	Parts  []string // whose colour this is
	Said   bool     // by a person

	region func() geom.Path
}

// Region is where the colour is seen, in page units.
func (r Reading) Region() geom.Path { return r.region() }

// A class is a colour on its way to a reading. Label 0 of the map is the bare
// page, label i + 1 is class i.
type class struct {
	Reading
	lab     colour.Lab
	white   bool // paper white
	nothing bool // paper white with only the bare page around it
	backing bool // left out as the white rectangle behind the art
	area    float64
	fixed   bool
}

// A reading is the map of all colours seen, and what they become.
type reading struct {
	m       *planar.Map
	classes []class
	omitted []class
	page    colour.RGB  // what the bare page is thought to be
	weight  [][]float64 // length × ΔE00 between labels
	length  [][]float64
	// What was added to keep borders: a gap between inks that would melt, a
	// line where the silhouette would vanish.
	gapped, outlined bool
	ink              []plot // from dark to light, not trapped
	melted           func() (float64, []Place)
}

// read divides the page into colours and chooses what each becomes.
func (a *Art) read(ctx context.Context, s Spec) (*reading, error) {
	if err := a.resolve(ctx); err != nil {
		return nil, err
	}
	r := &reading{page: colour.White}
	if s.Reversed == KeepLight {
		r.page = colour.Black
	}
	if err := a.label(ctx, r, s.Overrides); err != nil {
		return nil, err
	}
	r.settleWhite()
	r.measure()
	r.words()
	switch {
	case s.Treatment == Tints:
		r.tint(s)
	case s.Reversed == KeepLight:
		r.keepLight()
	default:
		r.choose()
	}
	for i := range r.classes {
		c := &r.classes[i]
		c.region = region(r.m, i+1)
	}
	return r, ctx.Err()
}

// region traces the faces of a label when it is first asked for.
func region(m *planar.Map, label int) func() geom.Path {
	return sync.OnceValue(func() geom.Path { return m.Path(func(l int) bool { return l == label }) })
}

// label gives every face the colour seen there.
func (a *Art) label(ctx context.Context, r *reading, overrides []Override) error {
	omitted := map[colour.RGB]int{}
	skip := func(l *leaf, t int) int {
		o, said := a.byPlace(overrides, l.part, l.piece)
		if !said {
			o, said = byColour(overrides, l.tones[t].seen)
		}
		omit := said && o.As == AsOmit
		why := "a person said so"
		if !said && l.backing && l.tones[t].seen.NearWhite() {
			omit, why = true, "it is the white rectangle behind the art"
		}
		if !omit {
			return 0
		}
		c := l.tones[t].seen
		n, known := omitted[c]
		if !known {
			r.omitted = append(r.omitted, class{Reading: Reading{Colour: c, As: AsOmit, Why: why, Said: said}, backing: !said})
			n = len(r.omitted)
			omitted[c] = n
		}
		r.omitted[n-1].part(l.part)
		return n
	}
	asked := make([]int, len(a.layers)) // what skip said of each tone, one more; 0 if it was not asked
	s := sight{plain: true, skip: func(l *leaf, t int) int {
		k := &asked[l.layer+t]
		if *k == 0 {
			*k = 1 + skip(l, t)
		}
		return *k - 1
	}}
	// Exact colours first: most faces show one that was seen before.
	type key struct {
		p     raster.Pixel
		place string // only where a person spoke of the part or the piece
	}
	known := map[key]int{}
	r.m = a.plane.Label(func(in *planar.Set) int {
		s.in, s.top = in, nil
		if len(r.classes) > MaxColours || ctx.Err() != nil {
			return 0 // refused below
		}
		var p raster.Pixel
		s.draw(a.nodes, &p)
		if p[3] < faint || s.top == nil {
			return 0
		}
		k := key{p: p}
		o, said := a.byPlace(overrides, s.top.part, s.top.piece)
		if said {
			k.place = fmt.Sprint(o)
		}
		if l, ok := known[k]; ok {
			r.classes[l-1].part(s.top.part)
			return l
		}
		c := p.On(colour.White)
		if !said {
			o, said = byColour(overrides, c)
		}
		l := r.class(c, o, said)
		known[k] = l
		r.classes[l-1].part(s.top.part)
		return l
	})
	if err := cmp.Or(s.err, ctx.Err()); err != nil {
		return err
	}
	if len(r.classes) > MaxColours {
		return fmt.Errorf("%w: it shows more than %d colours", errRefused, MaxColours)
	}
	if len(r.omitted) > 0 {
		gone := a.plane.Label(func(in *planar.Set) int {
			s.in, s.gone = in, 0
			var p raster.Pixel
			s.draw(a.nodes, &p)
			return s.gone
		})
		for i := range r.omitted {
			r.omitted[i].region = region(gone, i+1)
		}
	}
	return nil
}

// class finds or makes the class of a colour.
func (r *reading) class(c colour.RGB, o Override, said bool) int {
	lab := c.Lab()
	as, tint := Word(""), 0.0
	if said {
		as, tint = o.As, o.Tint
	}
	for i := range r.classes {
		k := &r.classes[i]
		if k.fixed == said && k.As == as && k.Tint == tint && colour.Difference(k.lab, lab) < same {
			return i + 1
		}
	}
	k := class{Reading: Reading{Colour: c, As: as, Tint: tint, Said: said}, lab: lab, white: c.NearWhite(), fixed: said}
	if said {
		k.Why = "a person said so"
	}
	r.classes = append(r.classes, k)
	return len(r.classes)
}

func (c *class) part(name string) {
	if name != "" && !slices.Contains(c.Parts, name) {
		c.Parts = append(c.Parts, name)
	}
}

// byPlace is what was said of a piece, or else of the part that it belongs to.
func (a *Art) byPlace(os []Override, part string, piece int) (Override, bool) {
	for _, o := range os {
		if o.Piece != "" && piece > 0 && piece <= len(a.Keys) && a.Keys[piece-1] == o.Piece {
			return o, true
		}
	}
	for _, o := range os {
		if o.Part != "" && strings.EqualFold(o.Part, part) {
			return o, true
		}
	}
	return Override{}, false
}

func byColour(os []Override, c colour.RGB) (Override, bool) {
	for _, o := range os {
		if o.Part != "" || o.Piece != "" {
			continue
		}
		if want, err := colour.ParseHex(o.Colour); err == nil && colour.Difference(want.Lab(), c.Lab()) < same {
			return o, true
		}
	}
	return Override{}, false
}

// settleWhite parts the white that has only the bare page around it, which
// would vanish as paper, from the white over and beside colours, which is
// paper.
func (r *reading) settleWhite() {
	apart := map[int]int{} // from a white label to that of its lonely areas
	rs, _ := r.m.Regions()
	n := len(r.classes)
	r.m = r.m.Relabel(func(i int) int {
		l := rs[i].Label
		if l == 0 || l > n || !r.classes[l-1].white || r.classes[l-1].fixed {
			return l
		}
		for _, b := range rs[i].Borders {
			if o := rs[b.Region].Label; o != 0 && !r.classes[o-1].white {
				return l
			}
		}
		if apart[l] == 0 {
			c := r.classes[l-1]
			c.nothing, c.Parts = true, slices.Clone(c.Parts)
			r.classes = append(r.classes, c)
			apart[l] = len(r.classes)
		}
		return apart[l]
	})
}

// measure adds up areas and the borders between labels, each weighted by how
// visible it is.
func (r *reading) measure() {
	n := len(r.classes) + 1
	r.weight, r.length = make([][]float64, n), make([][]float64, n)
	for i := range n {
		r.weight[i], r.length[i] = make([]float64, n), make([]float64, n)
	}
	rs, _ := r.m.Regions()
	total := 0.0
	for i, g := range rs {
		if g.Label > 0 {
			r.classes[g.Label-1].area += g.Area
			total += g.Area
		}
		for _, b := range g.Borders {
			if b.Region > i {
				x, y := g.Label, rs[b.Region].Label
				r.length[x][y] += b.Length
				r.length[y][x] += b.Length
			}
		}
	}
	for i := range n {
		for j := range n {
			if i != j {
				r.weight[i][j] = r.length[i][j] * r.visible(i, j)
			}
		}
	}
	for i := range r.classes {
		if total > 0 {
			r.classes[i].Share = r.classes[i].area / total
		}
	}
	r.drop()
}

// drop takes out classes that have no face left: slivers that were absorbed.
func (r *reading) drop() {
	keep := []int{0}
	to := make([]int, len(r.classes)+1)
	var left []class
	for i, c := range r.classes {
		if c.area > 0 {
			left = append(left, c)
			to[i+1] = len(left)
			keep = append(keep, i+1)
		}
	}
	if len(left) == len(r.classes) {
		return
	}
	pick := func(m [][]float64) [][]float64 {
		out := make([][]float64, len(keep))
		for i, x := range keep {
			for _, y := range keep {
				out[i] = append(out[i], m[x][y])
			}
		}
		return out
	}
	r.weight, r.length, r.classes = pick(r.weight), pick(r.length), left
	rs, _ := r.m.Regions()
	r.m = r.m.Relabel(func(i int) int { return to[rs[i].Label] })
}

// visible is ΔE00 between what two labels show. White on nothing is meant for
// a dark page, or it could not be seen at all.
func (r *reading) visible(i, j int) float64 {
	lab := func(i, other int) colour.Lab {
		if i > 0 {
			return r.classes[i-1].lab
		}
		if other > 0 && r.classes[other-1].nothing {
			return colour.Black.Lab()
		}
		return r.page.Lab()
	}
	if d := colour.Difference(lab(i, j), lab(j, i)); d >= same {
		return d
	}
	return 0
}

// inked reports whether a label comes out as ink.
func (r *reading) inked(l int) bool {
	return l > 0 && (r.classes[l-1].As == AsInk || r.classes[l-1].As == AsTint)
}

// alike reports whether two labels come out the same.
func (r *reading) alike(i, j int) bool {
	switch {
	case r.inked(i) != r.inked(j):
		return false
	case !r.inked(i):
		return !(r.outlined && (i == 0 || j == 0) && r.weight[i][j] > 0)
	case r.gapped && r.weight[i][j] > 0:
		return false
	}
	return full(r.classes[i-1].Tint) == full(r.classes[j-1].Tint)
}

// full is a tint in percent, 100 for the ink itself.
func full(tint float64) float64 {
	if tint == 0 {
		return 100
	}
	return tint
}

// lost is the share of the visible borders between labels that come out the
// same.
func (r *reading) lost() float64 {
	var all, gone float64
	for i := range r.weight {
		for j := range i {
			all += r.weight[i][j]
			if r.alike(i, j) {
				gone += r.weight[i][j]
			}
		}
	}
	if all == 0 {
		return 0
	}
	return gone / all
}

// A Place is a stretch of border that melts.
type Place struct {
	Box    geom.Rect // page units
	A, B   colour.RGB
	Length float64 // page units
}

// maxPlaces bounds the places that are shown.
const maxPlaces = 40

// places lists where borders melt, the longest first; those that lie close
// together are one.
func (r *reading) places() []Place {
	var ps []Place
	long := 0.0
	r.m.Borders(func(i, j int, a, b geom.Point) {
		if !r.alike(i, j) || r.weight[i][j] == 0 {
			return
		}
		p := Place{geom.Rect{X0: min(a.X, b.X), Y0: min(a.Y, b.Y), X1: max(a.X, b.X), Y1: max(a.Y, b.Y)}, r.seen(i), r.seen(j), b.Sub(a).Len()}
		long += p.Length
		ps = append(ps, p)
	})
	ps = gather(ps, r.m.Long()/25)
	slices.SortStableFunc(ps, func(a, b Place) int { return cmp.Compare(b.Length, a.Length) })
	return ps[:min(len(ps), maxPlaces)]
}

func (r *reading) seen(l int) colour.RGB {
	if l == 0 {
		return r.page
	}
	return r.classes[l-1].Colour
}

// gather joins places nearer to each other than a distance, by the squares of
// a grid that their middles fall into and those beside them.
func gather(ps []Place, near float64) []Place {
	type square struct{ x, y int }
	at := map[square]int{}
	root := make([]int, len(ps))
	find := func(i int) int {
		for root[i] != i {
			root[i] = root[root[i]]
			i = root[i]
		}
		return i
	}
	for i, p := range ps {
		root[i] = i
		c := p.Box.Centre()
		s := square{int(math.Floor(c.X / near)), int(math.Floor(c.Y / near))}
		for dx := -1; dx <= 1; dx++ {
			for dy := -1; dy <= 1; dy++ {
				if j, ok := at[square{s.x + dx, s.y + dy}]; ok {
					x, y := find(i), find(j)
					root[max(x, y)] = min(x, y)
				}
			}
		}
		if _, ok := at[s]; !ok {
			at[s] = i
		}
	}
	index := map[int]int{}
	var out []Place
	for i, p := range ps {
		r := find(i)
		k, ok := index[r]
		if !ok {
			k = len(out)
			index[r] = k
			out = append(out, p)
			continue
		}
		o := &out[k]
		o.Box = geom.Rect{X0: min(o.Box.X0, p.Box.X0), Y0: min(o.Box.Y0, p.Box.Y0), X1: max(o.Box.X1, p.Box.X1), Y1: max(o.Box.Y1, p.Box.Y1)}
		o.Length += p.Length
	}
	return out
}
