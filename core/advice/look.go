package advice

import (
	"context"
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// A Grain is how many samples the longer side of a mark has. The largest rule of size
// that is given is 400 px (see screenSizes): there, a pixel is three fine samples. Where
// colours meet shows in coarse ones as well.
type Grain int

const (
	Fine   Grain = 1200
	Coarse Grain = 400
)

// A Look is a drawing divided into the pieces that are seen: connected areas of one
// colour, and the bare places that they enclose.
type Look struct {
	Box    geom.Rect   // the art, in page units
	Ground colour.RGB  // what it is judged on
	Sheet  *colour.RGB // the colour of the opaque sheet on which a picture shows the mark; nil for none

	side   float64 // the grain
	w, h   int
	k      float64   // samples to the page unit
	from   geom.Rect // what the samples cover, in page units
	label  []int32   // the piece at each sample, row by row
	pieces []piece   // the first is the ground outside
	rows   []row     // of letters
	form   form      // what there is besides them
}

// A piece is measured in samples.
type piece struct {
	colour   colour.RGB
	bare     bool // no paint: the ground shows
	in       int32
	box      geom.Rect
	area     float64
	thick    float64 // mean thickness: exact for lines, two thirds of it for discs
	lettered bool    // most of it was text
	row      int     // of letters that it belongs to, from 1; 0 for none
	outline  float64 // length of its outline
	edge     float64 // of that, where it meets the ground
	colours  map[colour.RGB]float64
}

// See divides a drawing as it stands on a ground. Paint counts as opaque, effects
// and masks as absent: what is judged is the art and not its shadow.
func See(ctx context.Context, d *drawing.Drawing, ground colour.RGB, grain Grain) (*Look, error) {
	l := &Look{side: float64(grain), Box: d.Bounds(), Ground: ground, pieces: []piece{{bare: true, colour: ground}}}
	if l.Box.Empty() {
		return l, nil
	}
	// A sample of ground all round, so that the outside is one piece.
	l.k = l.side / l.Box.Long()
	l.w, l.h = max(1, int(math.Ceil(l.Box.W()*l.k)))+2, max(1, int(math.Ceil(l.Box.H()*l.k)))+2
	l.from = geom.Rect{X0: l.Box.X0 - 1/l.k, Y0: l.Box.Y0 - 1/l.k}
	l.from.X1, l.from.Y1 = l.from.X0+float64(l.w)/l.k, l.from.Y0+float64(l.h)/l.k
	to := raster.Fit(l.from, l.w, l.h)
	p := palette{ground: ground}
	seen, err := raster.Numbers(ctx, d, to, l.w, l.h, p.number)
	if err != nil {
		return nil, err
	}
	var img *image.NRGBA
	if p.mixed {
		if img, err = raster.Render(ctx, d, to, l.w, l.h, raster.Options{}); err != nil {
			return nil, err
		}
		if l.Sheet = p.part(seen, img); l.Sheet != nil {
			l.Ground = *l.Sheet
		}
	}
	l.divide(seen, p.classes)
	l.measure(seen, p.classes, img)
	if p.pictures { // the mark may be a part of what they show
		if b := l.boxOf(l.painted()); !b.Empty() {
			l.Box = l.page(b)
		}
	}
	l.letters()
	l.form = l.findForm()
	l.label = nil // it is large, and the pieces tell the rest
	return l, ctx.Err()
}

// divide joins neighbouring samples of one class into pieces.
func (l *Look) divide(seen []int32, classes []class) {
	looks := make([]int32, len(classes)+1)
	looks[0] = -1
	for i, c := range classes {
		looks[i+1] = c.joined
	}
	kind := func(i int) int32 { return looks[seen[i]] }
	l.label = make([]int32, len(seen))
	root := []int32{0} // of provisional labels; the outside is 0
	find := func(i int32) int32 {
		for root[i] != i {
			root[i] = root[root[i]]
			i = root[i]
		}
		return i
	}
	for i := range seen {
		x := i % l.w
		switch k := kind(i); {
		case i == 0:
		case x > 0 && kind(i-1) == k:
			l.label[i] = l.label[i-1]
			if i >= l.w && kind(i-l.w) == k {
				if a, b := find(l.label[i]), find(l.label[i-l.w]); a != b {
					root[max(a, b)] = min(a, b)
				}
			}
		case i >= l.w && kind(i-l.w) == k:
			l.label[i] = l.label[i-l.w]
		default:
			l.label[i] = int32(len(root))
			root = append(root, l.label[i])
		}
	}
	// Pieces are numbered in the order in which they begin, the ground first.
	number := make([]int32, len(root))
	for i := range number {
		number[i] = -1
	}
	number[0] = 0
	for i := range l.label {
		r := find(l.label[i])
		if number[r] < 0 {
			number[r] = int32(len(l.pieces))
			q := piece{bare: seen[i] == 0, colour: l.Ground}
			if i%l.w > 0 {
				q.in = l.label[i-1]
			}
			if seen[i] > 0 {
				c := classes[seen[i]-1]
				q.colour, q.bare = c.colour, c.bare
				if c.bare {
					q.colour = l.Ground
				}
			}
			l.pieces = append(l.pieces, q)
		}
		l.label[i] = number[r]
	}
}

// measure finds the box, area, thickness and outline of each piece.
func (l *Look) measure(seen []int32, classes []class, img *image.NRGBA) {
	text := make([]int, len(l.pieces))
	far := l.distances()
	w := l.w
	// The samples along the rim are ground.
	for y := 1; y < l.h-1; y++ {
		for i := y*w + 1; i < y*w+w-1; i++ {
			id := l.label[i]
			if id == 0 {
				continue
			}
			p := &l.pieces[id]
			x, y := float64(i-y*w), float64(y)
			if p.area == 0 {
				p.box = geom.Rect{X0: x, Y0: y, X1: x + 1, Y1: y + 1}
			}
			p.box.X0, p.box.X1, p.box.Y1 = min(p.box.X0, x), max(p.box.X1, x+1), y+1
			p.area++
			p.thick += float64(far[i])
			if s := seen[i]; s > 0 && classes[s-1].text {
				text[id]++
			}
			if far[i] > straight/2 {
				continue // well inside
			}
			for _, j := range [4]int{i - 1, i + 1, i - w, i + w} {
				if l.label[j] == id {
					continue
				}
				p.outline++
				if !p.bare && l.pieces[l.label[j]].bare {
					p.edge++
					p.meets(edgeColour(p, seen[i], classes, img, i))
				}
			}
		}
	}
	for i := range l.pieces {
		p := &l.pieces[i]
		// Of a line as thick as w, the mean distance to its edge is w/4.
		p.thick *= 4.0 / straight / max(1, p.area)
		p.lettered = 2*float64(text[i]) > p.area && i > 0
	}
}

// meets notes that the piece shows a colour where it meets the ground.
func (p *piece) meets(c colour.RGB) {
	if p.colours == nil {
		p.colours = map[colour.RGB]float64{}
	}
	p.colours[c]++
}

// edgeColour is that of a piece at a sample: of gradients and pictures in steps.
func edgeColour(p *piece, s int32, classes []class, img *image.NRGBA, at int) colour.RGB {
	if s == 0 || !classes[s-1].mixed {
		return p.colour
	}
	const step = 8
	q := img.Pix[4*at : 4*at+4]
	return colour.FromBytes(q[0]/step*step, q[1]/step*step, q[2]/step*step)
}

// Distances are in thirds of a sample (a chamfer of 3 and 4).
const straight, slanted = 3, 4

// distances is how far the middle of each sample is from the edge of its piece; of
// the ground it is not told.
func (l *Look) distances() []int32 {
	const far = 1 << 24
	d, w, label := make([]int32, len(l.label)), l.w, l.label
	near := func(i int, to [4]int) {
		id, best := label[i], d[i]
		for k, j := range to {
			j += i
			step := int32(straight)
			if k >= 2 {
				step = slanted
			}
			if label[j] != id {
				step /= 2
			} else {
				step += d[j]
			}
			best = min(best, step)
		}
		d[i] = best
	}
	for y := 1; y < l.h-1; y++ {
		for i := y*w + 1; i < y*w+w-1; i++ {
			if label[i] != 0 {
				d[i] = far
				near(i, [4]int{-1, -w, -w - 1, -w + 1})
			}
		}
	}
	for y := l.h - 2; y > 0; y-- {
		for i := y*w + w - 2; i > y*w; i-- {
			if label[i] != 0 {
				near(i, [4]int{1, w, w + 1, w - 1})
			}
		}
	}
	return d
}

// painted lists the pieces that are not bare.
func (l *Look) painted() (out []int) {
	for i := range l.pieces {
		if !l.pieces[i].bare {
			out = append(out, i)
		}
	}
	return out
}

// Weight is about how many bytes a Look holds.
func (l *Look) Weight() int { return 200 * (1 + len(l.pieces)) }
