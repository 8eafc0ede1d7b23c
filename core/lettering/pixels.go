package lettering

import (
	"errors"
	"image"
	"math"
	"slices"

	"dyekit/core/geom"
)

// pixels are a box of a picture as how much of an ink each has, on the ground around.
type pixels struct {
	from image.Point
	w, h int
	v    []float64 // along the way from the ground to the ink, not yet a share of it
	all  float64   // sum of their squares
	on   [3]float64
	way  [3]float64 // a unit: from the ground to the ink
	ink  geom.Rect  // where there is any, px of the box
}

// read unmixes the pixels of a box.
func read(img *image.NRGBA, box image.Rectangle) (*pixels, error) {
	p := &pixels{from: box.Min, w: box.Dx(), h: box.Dy(), v: make([]float64, box.Dx()*box.Dy())}
	at := func(x, y int) [3]float64 { return seen(img.Pix[img.PixOffset(box.Min.X+x, box.Min.Y+y):]) }
	rim, _ := Rim(img, box)
	p.on = seen(rim[:])
	// The way to the ink: the mean of what leaves the ground, the more the farther.
	const some = 0.12
	for y := range p.h {
		for x := range p.w {
			d := less(at(x, y), p.on)
			if l := length(d); l > some {
				for k := range d {
					p.way[k] += d[k] * l
				}
			}
		}
	}
	l := length(p.way)
	if l == 0 {
		return nil, errors.New("nothing stands in the box: draw it round the words")
	}
	for k := range p.way {
		p.way[k] /= l
	}
	most := 0.0
	for y := range p.h {
		for x := range p.w {
			d := less(at(x, y), p.on)
			v := d[0]*p.way[0] + d[1]*p.way[1] + d[2]*p.way[2]
			p.v[y*p.w+x] = v
			p.all += v * v
			most = max(most, v)
		}
	}
	p.ink = p.extent(most)
	if p.ink.Empty() {
		return nil, errors.New("nothing stands in the box: draw it round the words")
	}
	return p, nil
}

// seen is a stored pixel as it is seen on white.
func seen(b []uint8) (c [3]float64) {
	a := float64(b[3]) / 255
	for k := range 3 {
		c[k] = float64(b[k])/255*a + 1 - a
	}
	return c
}

// extent is where ink is, to a part of a pixel: a row at the edge has a part of what the
// fullest rows beside it have.
func (p *pixels) extent(most float64) geom.Rect {
	const some = 0.2
	rows, columns := make([]float64, p.h), make([]float64, p.w)
	for i, v := range p.v {
		if v > some*most {
			y, x := i/p.w, i%p.w
			rows[y], columns[x] = max(rows[y], v), max(columns[x], v)
		}
	}
	ends := func(v []float64) (a, b float64) {
		first := slices.IndexFunc(v, func(x float64) bool { return x > 0 })
		if first < 0 {
			return 0, 0
		}
		last := len(v) - 1
		for v[last] == 0 {
			last--
		}
		return float64(first) + 1 - min(1, v[first]/most), float64(last) + min(1, v[last]/most)
	}
	var r geom.Rect
	r.X0, r.X1 = ends(columns)
	r.Y0, r.Y1 = ends(rows)
	return r
}

func less(a, b [3]float64) [3]float64 { return [3]float64{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

func length(a [3]float64) float64 { return math.Sqrt(a[0]*a[0] + a[1]*a[1] + a[2]*a[2]) }

// against tells how far the ink goes if it is drawn so, by least squares, and what is left
// of the pixels then.
func (p *pixels) against(v []float64) (ink, rest float64) {
	var vv, vm float64
	for i, x := range v {
		vv, vm = vv+x*x, vm+x*p.v[i]
	}
	if vv == 0 || vm <= 0 {
		return 0, p.all
	}
	return vm / vv, max(0, p.all-vm*vm/vv)
}
