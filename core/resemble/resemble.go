// Package resemble tells whether a file that somebody has shows a mark: which of its versions,
// and what is wrong with it. A file is told by what is painted, cut out, and laid on a grid,
// so that its size, its room and its proportions are seen apart from its shape.
package resemble

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/preflight"
	"dyekit/core/raster"
)

// grid is the side of what files are compared on, in cells; long that of the picture it is
// taken from, in px.
const (
	grid = 48
	long = 480
)

// A Seen is how a file looks. Its fields are plain, so that it passes from one process to
// another.
type Seen struct {
	Vector            bool // curves, with no picture that most of it consists of
	WidthPx, HeightPx int  // of a picture
	Aspect            float64
	Share             float64 // of the width that is painted, 0 to 1
	Box               bool    // something of one colour lies behind all of it
	Ground            [3]uint8
	Cover             []float64  // grid × grid, how much of each cell is painted, 0 to 1
	Colour            [][3]uint8 // of each cell that is
}

// GroundHex is the colour of what lies behind, #rrggbb.
func (s *Seen) GroundHex() string {
	return colour.FromBytes(s.Ground[0], s.Ground[1], s.Ground[2]).Hex()
}

// MaxBytes bounds a file that is looked at.
const MaxBytes = 20 << 20

// See looks at a file of any kind that masters have.
func See(ctx context.Context, data []byte, set *fonts.Set) (*Seen, error) {
	m, err := intake.Read(ctx, data, intake.Options{Fonts: set})
	if err != nil {
		return nil, err
	}
	s := &Seen{Vector: m.Kind.Vector}
	if m.Picture {
		s.Vector = false
	}
	if !s.Vector {
		b := m.Drawing.Page
		s.WidthPx, s.HeightPx = int(math.Round(b.W())), int(math.Round(b.H()))
		m.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if p, ok := n.(*drawing.Picture); ok {
				s.WidthPx, s.HeightPx = p.Image.Bounds().Dx(), p.Image.Bounds().Dy()
			}
		})
	}
	return s, s.draw(ctx, m.Drawing, m.Drawing.Page)
}

// Of is how a version of a mark looks.
func Of(ctx context.Context, d *drawing.Drawing) (*Seen, error) {
	s := &Seen{Vector: true}
	return s, s.draw(ctx, d, d.Bounds())
}

func (s *Seen) draw(ctx context.Context, d *drawing.Drawing, box geom.Rect) error {
	if bare := preflight.Bare(d); bare != d && s.Vector {
		if b, ok := preflight.Backing(d); ok {
			if p, ok := b.Paint.(drawing.Solid); ok {
				s.Box = true
				s.Ground[0], s.Ground[1], s.Ground[2] = p.Colour.RGB.Bytes()
			}
		}
		d = bare
	}
	if box.Empty() {
		box = d.Bounds()
	}
	k := long / box.Long()
	w, h := max(1, int(box.W()*k+0.5)), max(1, int(box.H()*k+0.5))
	img, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
	if err != nil {
		return err
	}
	s.take(img)
	return nil
}

// Of what differs from its ground by less it is taken for ground, as ΔE00: a JPEG is never quite
// even; from painted on it counts whole.
const (
	even    = 6.0
	painted = 24.0
)

// take cuts what is painted out of a picture.
func (s *Seen) take(img *image.NRGBA) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	at := func(x, y int) []uint8 { return img.Pix[img.PixOffset(x, y):][:4] }
	rgb := func(p []uint8) colour.RGB { return colour.FromBytes(p[0], p[1], p[2]) }
	// A ground is what all corners have.
	corners := [][]uint8{at(0, 0), at(w-1, 0), at(0, h-1), at(w-1, h-1)}
	solid := true
	for _, c := range corners {
		solid = solid && c[3] > 250 && colour.Difference(rgb(c).Lab(), rgb(corners[0]).Lab()) < even
	}
	cover := make([]float64, w*h)
	known := map[[3]uint8]float64{}
	ground := rgb(corners[0]).Lab()
	for y := range h {
		for x := range w {
			p := at(x, y)
			c := float64(p[3]) / 255
			if solid {
				key := [3]uint8{p[0], p[1], p[2]}
				d, ok := known[key]
				if !ok {
					d = colour.Difference(rgb(p).Lab(), ground)
					known[key] = d
				}
				c = max(0, min(1, (d-even)/(painted-even)))
			}
			cover[y*w+x] = c
		}
	}
	if solid {
		s.Box = true
		copy(s.Ground[:], corners[0][:3])
	}
	x0, y0, x1, y1 := w, h, 0, 0
	for y := range h {
		for x := range w {
			if cover[y*w+x] > 0.5 {
				x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x+1), max(y1, y+1)
			}
		}
	}
	if x1 <= x0 || y1 <= y0 {
		if solid { // it is all of one colour: that is the mark, or there is none
			s.Box, s.Aspect, s.Share = false, float64(w)/float64(h), 1
			s.Cover, s.Colour = make([]float64, grid*grid), make([][3]uint8, grid*grid)
			for i := range s.Cover {
				s.Cover[i] = 1
				copy(s.Colour[i][:], corners[0][:3])
			}
		}
		return
	}
	s.Aspect, s.Share = float64(x1-x0)/float64(y1-y0), float64(x1-x0)/float64(w)
	s.Cover, s.Colour = make([]float64, grid*grid), make([][3]uint8, grid*grid)
	for j := range grid {
		for i := range grid {
			s.cell(img, cover, w, i, j, x0+(x1-x0)*i/grid, y0+(y1-y0)*j/grid, max(x0+(x1-x0)*i/grid+1, x0+(x1-x0)*(i+1)/grid), max(y0+(y1-y0)*j/grid+1, y0+(y1-y0)*(j+1)/grid))
		}
	}
}

// cell is the mean of a part of the picture; its colour that of what covers most.
func (s *Seen) cell(img *image.NRGBA, cover []float64, w, i, j, x0, y0, x1, y1 int) {
	sum, most := 0.0, 0.0
	n := j*grid + i
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			c := cover[y*w+x]
			sum += c
			if c > most {
				most = c
				copy(s.Colour[n][:], img.Pix[img.PixOffset(x, y):][:3])
			}
		}
	}
	s.Cover[n] = sum / float64((x1-x0)*(y1-y0))
}

// A Likeness is how a file stands to a version of a mark.
type Likeness struct {
	Shape   float64 // 1 for the same, 0 for nothing in common
	Stretch float64 // how many times as wide as it should be, for its height
	Play    float64 // of Stretch, by how closely a picture is cut out
	Off     float64 // of the colour that differs most, ΔE00
	Theirs  colour.RGB
	Ours    colour.RGB // that colour
}

// To compares a file with a version.
func (s *Seen) To(v *Seen) (l Likeness) {
	if len(s.Cover) == 0 || len(v.Cover) == 0 {
		return l
	}
	l.Stretch = s.Aspect / v.Aspect
	if s.WidthPx > 0 {
		wide := s.Share * float64(s.WidthPx)
		l.Play = cutOut / min(wide, wide/s.Aspect)
	}
	// A cell may lie next to its place: small pictures are cut out to a pixel, which may be
	// a cell or two.
	near, of := 0.0, 0.0
	a, b := spread(s.Cover), spread(v.Cover)
	for i := range s.Cover {
		near += min(s.Cover[i], b[i]) + min(v.Cover[i], a[i])
		of += s.Cover[i] + v.Cover[i]
	}
	if of > 0 {
		l.Shape = near / of
	}
	// Colours are compared where ours is one colour over many cells, by the median: at edges
	// they mix.
	var ours [][3]uint8
	cells := map[[3]uint8][]int{}
	for i := range s.Cover {
		if s.Cover[i] > 0.9 && v.inside(i) {
			c := v.Colour[i]
			if cells[c] == nil {
				ours = append(ours, c)
			}
			cells[c] = append(cells[c], i)
		}
	}
	for _, c := range ours {
		is := cells[c]
		if len(is) < fewest {
			continue
		}
		o := colour.FromBytes(c[0], c[1], c[2])
		differ := func(i int) float64 {
			t := s.Colour[i]
			return colour.Difference(colour.FromBytes(t[0], t[1], t[2]).Lab(), o.Lab())
		}
		slices.SortStableFunc(is, func(x, y int) int { return cmp.Compare(differ(x), differ(y)) })
		mid := is[len(is)/2]
		if d := differ(mid); d > l.Off || l.Off == 0 {
			t := s.Colour[mid]
			l.Off, l.Theirs, l.Ours = d, colour.FromBytes(t[0], t[1], t[2]), o
		}
	}
	return l
}

// inside reports whether a cell and its neighbours are painted in one colour.
func (s *Seen) inside(n int) bool {
	x, y := n%grid, n/grid
	if x == 0 || y == 0 || x == grid-1 || y == grid-1 {
		return false
	}
	for j := y - 1; j <= y+1; j++ {
		for i := x - 1; i <= x+1; i++ {
			if m := j*grid + i; s.Cover[m] < 0.99 || s.Colour[m] != s.Colour[n] {
				return false
			}
		}
	}
	return true
}

// fewest is how many cells of one colour are looked at: fewer are edges.
const fewest = 4

// spread is the most of each cell and its eight neighbours.
func spread(cover []float64) []float64 {
	out := make([]float64, len(cover))
	for y := range grid {
		for x := range grid {
			for j := max(0, y-1); j <= min(grid-1, y+1); j++ {
				for i := max(0, x-1); i <= min(grid-1, x+1); i++ {
					out[y*grid+x] = max(out[y*grid+x], cover[j*grid+i])
				}
			}
		}
	}
	return out
}

// What counts as what. Below alike two files show other marks; a stretch and a colour beyond
// these are seen side by side.
const (
	alike     = 0.85
	stretched = 1.03
	offColour = 4.0
	cutOut    = 5.0 // px: of JPEG, whose edges ring over a block
)

// Same reports whether the shapes are those of one mark.
func (l Likeness) Same() bool { return l.Shape >= alike }

// Stretched reports whether the proportions are other ones.
func (l Likeness) Stretched() bool {
	most := stretched + l.Play
	return l.Same() && (l.Stretch > most || l.Stretch < 1/most)
}

// Recoloured reports whether the colours are other ones.
func (l Likeness) Recoloured() bool { return l.Same() && l.Off > offColour }

// Best finds the version that a file shows: the one of its shape, and of its colours among those
// that share one. i is -1 if there are none.
func (s *Seen) Best(versions []*Seen) (i int, l Likeness) {
	i = -1
	for k, v := range versions {
		x := s.To(v)
		better := i < 0 || x.Shape > l.Shape+0.03 || x.Shape > l.Shape-0.03 && x.Off < l.Off
		if better {
			i, l = k, x
		}
	}
	return i, l
}
