package pdf

import (
	"fmt"
	"image"
	"math"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// Limits of fields of colour that are drawn.
const (
	fieldSide    = 1200 // px along the longer side of what is drawn
	maxTriangles = 2_000_000
	patchSteps   = 20 // pieces along each side of a patch
)

// A field is the pixels that a shading is drawn into. v are the numbers of
// each pixel, n at a time; set tells which have any.
type field struct {
	late    func() bool // reports whether nobody waits any more
	w, h, n int
	v       []float32
	set     []bool
	colour  func(v []float64) (r, g, b uint8)
}

// drawField draws a shading as a picture that covers a box of the page.
func (m *machine) drawField(b geom.Rect, sh *shading, to geom.Affine) (*drawing.Picture, error) {
	b = b.Intersect(m.page.Grow(m.page.Long() / 10))
	if b.Empty() {
		return nil, nil
	}
	k := fieldSide / b.Long()
	f := &field{late: m.late, w: max(1, int(math.Ceil(b.W()*k))), h: max(1, int(math.Ceil(b.H()*k)))}
	if m.pixels += f.w * f.h; m.pixels > MaxPixels {
		m.fail("the pictures on the page have more than %d megapixels together", MaxPixels/1_000_000)
		return nil, m.err
	}
	place := geom.Affine{A: float64(f.w) / b.W(), D: float64(f.h) / b.H(), E: -b.X0 * float64(f.w) / b.W(), F: -b.Y0 * float64(f.h) / b.H()}
	if err := sh.draw(f, place.Mul(to)); err != nil {
		return nil, err
	}
	m.findings.Add(finding.Gradient, finding.Note, fmt.Sprintf("colours that run into one another in more than one direction were drawn as a picture of %d px", fieldSide), m.layer, b)
	img := image.NewNRGBA(image.Rect(0, 0, f.w, f.h))
	v := make([]float64, f.n)
	for i, set := range f.set {
		if i%f.w == 0 && f.late() {
			return nil, nil
		}
		if !set {
			continue
		}
		for j := range v {
			v[j] = float64(f.v[i*f.n+j])
		}
		r, g, bl := f.colour(v)
		copy(img.Pix[4*i:], []byte{r, g, bl, 255})
	}
	return &drawing.Picture{Image: img, To: geom.Affine{A: b.W(), D: b.H(), E: b.X0, F: b.Y0}, Alpha: 1, Part: m.layer}, nil
}

func (f *field) ready(n int) {
	f.n, f.v, f.set = n, make([]float32, f.w*f.h*n), make([]bool, f.w*f.h)
}

// drawRamp draws an axial or radial shading pixel by pixel, where its ends are
// no simple shape.
func drawRamp(sh *shading) func(*field, geom.Affine) error {
	return func(f *field, to geom.Affine) error {
		back, ok := to.Inverse()
		if !ok {
			return errShading
		}
		f.ready(1)
		f.colour = func(v []float64) (r, g, b uint8) {
			c, _ := sh.ramp.Colour(v[0])
			return c.Bytes()
		}
		for y := range f.h {
			if f.late() {
				return nil
			}
			for x := range f.w {
				if t, ok := sh.offset(back.Apply(geom.Pt(float64(x)+0.5, float64(y)+0.5))); ok {
					f.v[y*f.w+x], f.set[y*f.w+x] = float32(t), true
				}
			}
		}
		return nil
	}
}

// offset is where on the ramp a point of shading space lies: of the circles
// through it that are painted at all, the last one covers (section 8.7.4.5.4).
func (sh *shading) offset(p geom.Point) (t float64, ok bool) {
	g := sh.ramp
	painted := func(t float64) bool {
		return (t >= 0 || sh.extend[0]) && (t <= 1 || sh.extend[1]) && (!g.Radial || g.R0+t*(g.R1-g.R0) >= 0)
	}
	if !g.Radial {
		t, ok = g.Offset(p)
		return t, ok && painted(t)
	}
	d, q, dr := g.P1.Sub(g.P0), p.Sub(g.P0), g.R1-g.R0
	a, b, c := d.Dot(d)-dr*dr, q.Dot(d)+g.R0*dr, q.Dot(q)-g.R0*g.R0
	if math.Abs(a) < 1e-12*max(1, dr*dr) {
		if b == 0 {
			return 0, false
		}
		t = c / (2 * b)
		return t, painted(t)
	}
	disc := b*b - a*c
	if disc < 0 {
		return 0, false
	}
	r := math.Sqrt(disc)
	t0, t1 := max((b+r)/a, (b-r)/a), min((b+r)/a, (b-r)/a)
	if painted(t0) {
		return t0, true
	}
	return t1, painted(t1)
}

// byFunction reads type 1 (section 8.7.4.5.2).
func (m *machine) byFunction(sh *shading, d dict, cs *space, fn *function) error {
	if fn == nil || fn.in != 2 || fn.out < cs.n {
		return errShading
	}
	domain, ok := m.file.numbers(d["Domain"])
	if !ok || len(domain) != 4 {
		domain = []float64{0, 1, 0, 1}
	}
	own := geom.Identity
	if v, ok := m.file.numbers(d["Matrix"]); ok && len(v) == 6 {
		own = geom.Affine{A: v[0], B: v[1], C: v[2], D: v[3], E: v[4], F: v[5]}
	}
	sh.draw = func(f *field, to geom.Affine) error {
		back, ok := to.Mul(own).Inverse()
		if !ok {
			return errShading
		}
		f.ready(2)
		f.colour = func(v []float64) (r, g, b uint8) { return cs.colour(fn.f(v)[:cs.n]).RGB.Bytes() }
		for y := range f.h {
			if f.late() {
				return nil
			}
			for x := range f.w {
				p := back.Apply(geom.Pt(float64(x)+0.5, float64(y)+0.5))
				if p.X < domain[0] || p.X > domain[1] || p.Y < domain[2] || p.Y > domain[3] {
					continue
				}
				i := y*f.w + x
				f.v[2*i], f.v[2*i+1], f.set[i] = float32(p.X), float32(p.Y), true
			}
		}
		return nil
	}
	return nil
}

// A vertex is a point of a mesh with its numbers.
type vertex struct {
	p geom.Point
	c []float64
}

// mesh reads types 4 to 7 (sections 8.7.4.5.5 to 8.7.4.5.8).
func (m *machine) mesh(sh *shading, s *stream, kind int, cs *space, fn *function) error {
	f := m.file
	data, err := f.decode(s)
	if err != nil {
		return err
	}
	n := cs.n
	if fn != nil {
		if n = 1; fn.in != 1 || fn.out < cs.n {
			return errShading
		}
	}
	decode, ok := f.numbers(s.dict["Decode"])
	coordBits, compBits, flagBits := int(f.number(s.dict["BitsPerCoordinate"], 0)), int(f.number(s.dict["BitsPerComponent"], 0)), int(f.number(s.dict["BitsPerFlag"], 0))
	if !ok || len(decode) < 4+2*n || coordBits < 1 || coordBits > 32 || compBits < 1 || compBits > 16 || flagBits < 0 || flagBits > 8 || kind != 5 && flagBits == 0 {
		return errShading
	}
	r := &meshReader{bitReader{b: data}, coordBits, compBits, flagBits, n, decode}
	var tri [][3]vertex
	switch kind {
	case 4:
		tri = r.free()
	case 5:
		tri = r.lattice(int(f.number(s.dict["VerticesPerRow"], 0)))
	default:
		tri = r.patches(kind == 7)
	}
	if len(tri) > maxTriangles {
		return fmt.Errorf("a mesh of colours has more than %d pieces", maxTriangles)
	}
	sh.draw = func(fl *field, to geom.Affine) error {
		fl.ready(n)
		fl.colour = func(v []float64) (red, g, b uint8) {
			if fn != nil {
				v = fn.f(v)[:cs.n]
			}
			return cs.colour(v).RGB.Bytes()
		}
		for _, t := range tri {
			for i := range t {
				t[i].p = to.Apply(t[i].p)
			}
			fl.triangle(t)
		}
		return nil
	}
	return nil
}

// triangle spreads the numbers of three corners between them.
func (f *field) triangle(t [3]vertex) {
	a, b, c := t[0].p, t[1].p, t[2].p
	area := b.Sub(a).Cross(c.Sub(a))
	if area == 0 || math.IsNaN(area) {
		return
	}
	// A hair over, so that neighbours leave no gap.
	const over = 1e-6
	y0, y1 := max(0, math.Floor(min(a.Y, b.Y, c.Y)-0.5)), min(float64(f.h-1), math.Ceil(max(a.Y, b.Y, c.Y)))
	x0, x1 := max(0, math.Floor(min(a.X, b.X, c.X)-0.5)), min(float64(f.w-1), math.Ceil(max(a.X, b.X, c.X)))
	for y := int(y0); y <= int(y1); y++ {
		if f.late() {
			return
		}
		for x := int(x0); x <= int(x1); x++ {
			p := geom.Pt(float64(x)+0.5, float64(y)+0.5)
			wa := c.Sub(b).Cross(p.Sub(b)) / area
			wb := a.Sub(c).Cross(p.Sub(c)) / area
			wc := 1 - wa - wb
			if wa < -over || wb < -over || wc < -over {
				continue
			}
			i := y*f.w + x
			f.set[i] = true
			for k := range f.n {
				f.v[i*f.n+k] = float32(wa*t[0].c[k] + wb*t[1].c[k] + wc*t[2].c[k])
			}
		}
	}
}

type meshReader struct {
	bitReader
	coord, comp, flag, n int
	decode               []float64
}

func (r *meshReader) point() geom.Point {
	top := float64(uint64(1)<<r.coord - 1)
	x, y := float64(r.bits(r.coord))/top, float64(r.bits(r.coord))/top
	d := r.decode
	return geom.Pt(d[0]+x*(d[1]-d[0]), d[2]+y*(d[3]-d[2]))
}

func (r *meshReader) numbers() []float64 {
	top := float64(uint64(1)<<r.comp - 1)
	v := make([]float64, r.n)
	for i := range v {
		d := r.decode[4+2*i:]
		v[i] = d[0] + float64(r.bits(r.comp))/top*(d[1]-d[0])
	}
	return v
}

// free reads triangles that lean on the one before.
func (r *meshReader) free() (out [][3]vertex) {
	var last [3]vertex
	read := func() (int, vertex) {
		flag := int(r.bits(r.flag)) & 3
		v := vertex{r.point(), r.numbers()}
		r.align()
		return flag, v
	}
	for !r.end() && len(out) <= maxTriangles {
		flag, v := read()
		switch {
		case flag == 0 || len(out) == 0:
			_, b := read()
			if r.end() {
				return out
			}
			_, c := read()
			last = [3]vertex{v, b, c}
		case flag == 1:
			last = [3]vertex{last[1], last[2], v}
		default:
			last = [3]vertex{last[0], last[2], v}
		}
		out = append(out, last)
	}
	return out
}

// lattice reads rows of points.
func (r *meshReader) lattice(columns int) (out [][3]vertex) {
	if columns < 2 || columns > 1<<16 {
		return nil
	}
	var above []vertex
	for !r.end() && len(out) <= maxTriangles {
		var row []vertex
		for range columns {
			if r.end() {
				return out
			}
			row = append(row, vertex{r.point(), r.numbers()})
			r.align()
		}
		for i := 0; above != nil && i+1 < columns; i++ {
			out = append(out, [3]vertex{above[i], above[i+1], row[i]}, [3]vertex{above[i+1], row[i], row[i+1]})
		}
		above = row
	}
	return out
}

// A patch is sixteen control points, row by row, and the numbers of its
// corners.
type patch struct {
	p [4][4]geom.Point
	c [4][]float64
}

// edge are the twelve outer points in the order in which a file gives them.
var edge = [12][2]int{{0, 0}, {0, 1}, {0, 2}, {0, 3}, {1, 3}, {2, 3}, {3, 3}, {3, 2}, {3, 1}, {3, 0}, {2, 0}, {1, 0}}

// patches reads Coons and tensor patches and cuts them into triangles.
func (r *meshReader) patches(tensor bool) (out [][3]vertex) {
	var last patch
	for first := true; !r.end() && len(out) <= maxTriangles; first = false {
		flag := int(r.bits(r.flag)) & 3
		var k patch
		from := 0
		if flag > 0 && !first {
			// The side it leans on becomes its own first one.
			for i := range 4 {
				e := edge[(3*flag+i)%12]
				k.p[edge[i][0]][edge[i][1]] = last.p[e[0]][e[1]]
			}
			k.c[0], k.c[1] = last.c[flag%4], last.c[(flag+1)%4]
			from = 4
		}
		for i := from; i < 12; i++ {
			k.p[edge[i][0]][edge[i][1]] = r.point()
		}
		if tensor {
			for _, e := range [4][2]int{{1, 1}, {1, 2}, {2, 2}, {2, 1}} {
				k.p[e[0]][e[1]] = r.point()
			}
		} else {
			k.fill()
		}
		for i := from / 2; i < 4; i++ {
			k.c[i] = r.numbers()
		}
		r.align()
		last = k
		out = append(out, k.triangles()...)
	}
	return out
}

// fill computes the inner points of a Coons patch (section 8.7.4.5.8).
func (k *patch) fill() {
	at := func(i, j int) geom.Point { return k.p[i][j] }
	inner := func(a, b, c, d, e, f, g, h geom.Point) geom.Point {
		s := a.Mul(-4).Add(b.Add(c).Mul(6)).Sub(d.Add(e).Mul(2)).Add(f.Add(g).Mul(3)).Sub(h)
		return s.Mul(1.0 / 9)
	}
	k.p[1][1] = inner(at(0, 0), at(0, 1), at(1, 0), at(0, 3), at(3, 0), at(3, 1), at(1, 3), at(3, 3))
	k.p[1][2] = inner(at(0, 3), at(0, 2), at(1, 3), at(0, 0), at(3, 3), at(3, 2), at(1, 0), at(3, 0))
	k.p[2][1] = inner(at(3, 0), at(3, 1), at(2, 0), at(3, 3), at(0, 0), at(0, 1), at(2, 3), at(0, 3))
	k.p[2][2] = inner(at(3, 3), at(3, 2), at(2, 3), at(3, 0), at(0, 3), at(0, 2), at(2, 0), at(0, 0))
}

func (k *patch) triangles() (out [][3]vertex) {
	bern := func(t float64) [4]float64 {
		s := 1 - t
		return [4]float64{s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t}
	}
	var grid [patchSteps + 1][patchSteps + 1]vertex
	for i := range grid {
		u := float64(i) / patchSteps
		bu := bern(u)
		for j := range grid[i] {
			v := float64(j) / patchSteps
			bv := bern(v)
			var p geom.Point
			for a := range 4 {
				for b := range 4 {
					p = p.Add(k.p[a][b].Mul(bu[a] * bv[b]))
				}
			}
			// Corners in the order of the file: (0,0), (0,3), (3,3), (3,0).
			c := make([]float64, len(k.c[0]))
			for x := range c {
				c[x] = (1-u)*((1-v)*k.c[0][x]+v*k.c[1][x]) + u*((1-v)*k.c[3][x]+v*k.c[2][x])
			}
			grid[i][j] = vertex{p, c}
		}
	}
	for i := range patchSteps {
		for j := range patchSteps {
			a, b, c, d := grid[i][j], grid[i][j+1], grid[i+1][j], grid[i+1][j+1]
			out = append(out, [3]vertex{a, b, c}, [3]vertex{b, c, d})
		}
	}
	return out
}
