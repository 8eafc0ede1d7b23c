package advice

import (
	"context"
	"image"
	"math"
	"slices"

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
	Coarse Grain = 360
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
	crowd  int       // pieces that were too many to be looked at for letters; 0 if they were
}

// A piece is measured in samples.
type piece struct {
	colour   colour.RGB
	bare     bool // no paint: the ground shows
	in       int32
	part     string // that the master names
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
	if p.pictures || p.mixed && grain == Coarse { // the colours along edges are for grounds
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

// A run is neighbouring samples of one row that look alike.
type run struct {
	from, to int32 // samples of the row, to is the first beyond
	label    int32
}

// divide joins neighbouring samples of one class into pieces, run by run.
func (l *Look) divide(seen []int32, classes []class) {
	looks := make([]int32, len(classes)+1)
	looks[0] = -1
	for i, c := range classes {
		looks[i+1] = c.joined
	}
	var root []int32 // of provisional labels
	find := func(i int32) int32 {
		for root[i] != i {
			root[i] = root[root[i]]
			i = root[i]
		}
		return i
	}
	rows := make([][]run, l.h)
	for y := range rows {
		row := seen[y*l.w:][:l.w]
		above := []run(nil)
		if y > 0 {
			above = rows[y-1]
		}
		a := 0
		for x := 0; x < l.w; {
			k, from := looks[row[x]], x
			for x++; x < l.w && looks[row[x]] == k; x++ {
			}
			r := run{int32(from), int32(x), -1}
			for a < len(above) && int(above[a].to) <= from {
				a++
			}
			for b := a; b < len(above) && int(above[b].from) < x; b++ {
				if looks[seen[(y-1)*l.w+int(above[b].from)]] != k {
					continue
				}
				if o := find(above[b].label); r.label < 0 {
					r.label = o
				} else if n := find(r.label); n != o {
					root[max(n, o)] = min(n, o)
				}
			}
			if r.label < 0 {
				r.label = int32(len(root))
				root = append(root, r.label)
			}
			rows[y] = append(rows[y], r)
		}
	}
	// Pieces are numbered in the order in which they begin, the ground first.
	l.label = make([]int32, len(seen))
	number := make([]int32, len(root))
	for i := range number {
		number[i] = -1
	}
	if len(root) > 0 {
		number[find(0)] = 0
	}
	for y, runs := range rows {
		for _, r := range runs {
			at := y*l.w + int(r.from)
			o := find(r.label)
			n := number[o]
			if n < 0 {
				n = int32(len(l.pieces))
				number[o] = n
				q := piece{bare: seen[at] == 0, colour: l.Ground}
				if r.from > 0 {
					q.in = l.label[at-1]
				}
				if seen[at] > 0 {
					c := classes[seen[at]-1]
					q.part = c.part
					if q.colour, q.bare = c.colour, c.bare; c.bare {
						q.colour = l.Ground
					}
				}
				l.pieces = append(l.pieces, q)
			}
			for i := range l.label[at : at+int(r.to-r.from)] {
				l.label[at+i] = n
			}
			l.pieces[n].grow(float64(r.from), float64(r.to), float64(y))
		}
	}
}

// grow adds samples of a row to a piece.
func (p *piece) grow(from, to, y float64) {
	if p.area == 0 {
		p.box = geom.Rect{X0: from, Y0: y, X1: to, Y1: y + 1}
	}
	p.area += to - from
	p.box.X0, p.box.X1, p.box.Y1 = min(p.box.X0, from), max(p.box.X1, to), y+1
}

// measure finds the thickness and the outline of each piece, and which are text.
func (l *Look) measure(seen []int32, classes []class, img *image.NRGBA) {
	text := make([]float64, len(l.pieces))
	far, w := l.distances(), l.w
	sum := make([]int64, len(l.pieces))
	words := slices.ContainsFunc(classes, func(c class) bool { return c.text })
	// The samples along the rim are ground.
	for y := 1; y < l.h-1; y++ {
		for i := y*w + 1; i < y*w+w-1; i++ {
			id := l.label[i]
			if id == 0 {
				continue
			}
			sum[id] += int64(far[i])
			if words {
				if s := seen[i]; s > 0 && classes[s-1].text {
					text[id]++
				}
			}
			if far[i] > straight/2 {
				continue // well inside
			}
			p := &l.pieces[id]
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
		p.thick = float64(sum[i]) * 4.0 / straight / max(1, p.area)
		p.lettered = 2*text[i] > p.area && i > 0
	}
	l.pieces[0].box, l.pieces[0].area = geom.Rect{}, 0
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
	if s == 0 || !classes[s-1].mixed || img == nil {
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
func (l *Look) distances() []int16 {
	w := l.w
	d := make([]int16, len(l.label))
	for y := 1; y < l.h-1; y++ {
		here, above := l.label[y*w:][:w], l.label[(y-1)*w:][:w]
		now, was := d[y*w:][:w], d[(y-1)*w:][:w]
		for x := 1; x < w-1; x++ {
			id := here[x]
			if id == 0 {
				continue
			}
			if here[x-1] != id || above[x] != id { // an edge beside it: nothing is nearer
				now[x] = straight / 2
				continue
			}
			best := min(now[x-1], was[x]) + straight
			if above[x-1] != id {
				best = min(best, slanted/2)
			} else {
				best = min(best, was[x-1]+slanted)
			}
			if above[x+1] != id {
				best = min(best, slanted/2)
			} else {
				best = min(best, was[x+1]+slanted)
			}
			now[x] = best
		}
	}
	for y := l.h - 2; y > 0; y-- {
		here, below := l.label[y*w:][:w], l.label[(y+1)*w:][:w]
		now, was := d[y*w:][:w], d[(y+1)*w:][:w]
		for x := w - 2; x > 0; x-- {
			id, best := here[x], now[x]
			if id == 0 || best <= straight/2 {
				continue
			}
			if here[x+1] != id || below[x] != id {
				now[x] = straight / 2
				continue
			}
			best = min(best, now[x+1]+straight, was[x]+straight)
			if below[x+1] != id {
				best = min(best, slanted/2)
			} else {
				best = min(best, was[x+1]+slanted)
			}
			if below[x-1] != id {
				best = min(best, slanted/2)
			} else {
				best = min(best, was[x-1]+slanted)
			}
			now[x] = best
		}
	}
	return d
}

// In is the look of the same shapes in one ink on a ground.
func (l *Look) In(ink, ground colour.RGB) *Look {
	r := *l
	r.Ground = ground
	r.pieces = slices.Clone(l.pieces)
	for i := range r.pieces {
		p := &r.pieces[i]
		if p.colour = ink; p.bare {
			p.colour = ground
		}
		if p.colours != nil {
			p.colours = map[colour.RGB]float64{ink: p.edge}
		}
	}
	r.rows = slices.Clone(l.rows)
	for i := range r.rows {
		r.rows[i].bare = slices.ContainsFunc(r.rows[i].pieces, r.lighter)
	}
	r.form.needs = r.needing(r.form)
	return &r
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
