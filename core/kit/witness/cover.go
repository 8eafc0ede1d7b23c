package witness

import (
	"image"
	"math"
	"slices"
	"unsafe"

	"dyekit/core/geom"
)

// lines is how many lines are sampled across each row of pixels.
const perRow = 16

// flat is how far, in px, a curve that is drawn as lines may lie from the true
// one: ours and that of the rasteriser together.
const flat = 1.0/100 + geom.Flatness

// A cover is how much of a pixel is inside, from 0 to 1, and how far that may
// be off.
type cover struct{ a, e float64 }

// A line is a straight piece of an outline in px.
type line struct{ x0, y0, x1, y1 float64 }

// outline turns a path into lines on the picture.
func outline(p geom.Path, m geom.Affine) (out []line) {
	var at, start geom.Point
	open := false
	to := func(q geom.Point) {
		if q != at {
			out = append(out, line{at.X, at.Y, q.X, q.Y})
		}
		at = q
	}
	for _, s := range p {
		a, b, c := m.Apply(s.P[0]), m.Apply(s.P[1]), m.Apply(s.P[2])
		switch s.Op {
		case geom.MoveTo:
			if open {
				to(start)
			}
			at, start, open = a, a, true
		case geom.LineTo:
			to(a)
		case geom.QuadTo:
			curve(at, at.Add(a.Sub(at).Mul(2.0/3)), b.Add(a.Sub(b).Mul(2.0/3)), b, to)
		case geom.CubeTo:
			curve(at, a, b, c, to)
		case geom.Close:
			to(start)
		}
	}
	if open {
		to(start)
	}
	return out
}

// curve walks along a cubic in steps of equal parameter, so many that a chord
// lies at most 1/100 px off: the second derivative bounds the distance by
// |B″| ÷ 8n².
func curve(a, b, c, d geom.Point, to func(geom.Point)) {
	bend := 6 * max(a.Sub(b.Mul(2)).Add(c).Len(), b.Sub(c.Mul(2)).Add(d).Len())
	n := int(min(500, 1+math.Sqrt(bend*100/8)))
	for i := 1; i < n; i++ {
		t := float64(i) / float64(n)
		u := 1 - t
		to(a.Mul(u * u * u).Add(b.Mul(3 * u * u * t)).Add(c.Mul(3 * u * t * t)).Add(d.Mul(t * t * t)))
	}
	to(d)
}

// coverage is what a path covers of each pixel of r, nil if nothing.
func (w *Witness) coverage(p geom.Path, rule geom.Rule, m geom.Affine, r image.Rectangle) []cover {
	if len(p) == 0 {
		return nil
	}
	key := unsafe.SliceData(p)
	rows, ok := w.lines[key]
	if !ok || m != w.to {
		rows = w.sort(outline(p, m))
		if m == w.to {
			w.lines[key] = rows
		}
	}
	k := r.Min.Y / Side
	if k >= len(rows) {
		return nil
	}
	return w.count(rows[k], rule, r)
}

// sort puts lines into the rows of tiles that they touch.
func (w *Witness) sort(ls []line) [][]line {
	last := (w.h - 1) / Side
	var rows [][]line
	for _, l := range ls {
		top, bottom := min(l.y0, l.y1), max(l.y0, l.y1)
		if bottom < 0 || top > float64(w.h) {
			continue
		}
		for k := max(0, int(top)/Side); k <= min(last, int(bottom)/Side); k++ {
			for len(rows) <= k {
				rows = append(rows, nil)
			}
			rows[k] = append(rows[k], l)
		}
	}
	return rows
}

// A cross is where a sampled line meets an outline.
type cross struct {
	x   float64
	dir int
}

func (w *Witness) count(ls []line, rule geom.Rule, r image.Rectangle) []cover {
	x0, y0, x1, y1 := float64(r.Min.X), float64(r.Min.Y), float64(r.Max.X), float64(r.Max.Y)
	rows := &w.rows
	var out []cover
	for _, l := range ls {
		top, bottom := min(l.y0, l.y1), max(l.y0, l.y1)
		if bottom <= y0 || top >= y1 || min(l.x0, l.x1) >= x1 {
			continue
		}
		if out == nil {
			out = make([]cover, r.Dx()*r.Dy())
			for k := range rows {
				rows[k] = rows[k][:0]
			}
		}
		w.doubt(l, r, out)
		dir := 1
		if l.y0 > l.y1 {
			dir = -1
		}
		// Lines lie at (k + ½) ÷ perRow; an end belongs to the line below it.
		from := max(0, int(math.Ceil((top-y0)*perRow-0.5)))
		for k := from; k < r.Dy()*perRow; k++ {
			y := y0 + (float64(k)+0.5)/perRow
			if y >= bottom {
				break
			}
			rows[k] = append(rows[k], cross{l.x0 + (y-l.y0)*(l.x1-l.x0)/(l.y1-l.y0), dir})
		}
	}
	if out == nil {
		return nil
	}
	for k := range r.Dy() * perRow {
		cs := rows[k]
		slices.SortFunc(cs, func(a, b cross) int {
			switch {
			case a.x < b.x:
				return -1
			case a.x > b.x:
				return 1
			}
			return 0
		})
		row := out[k/perRow*r.Dx():][:r.Dx()]
		wind := 0
		for i, c := range cs {
			wind += c.dir
			if wind == 0 || rule == geom.EvenOdd && wind&1 == 0 {
				continue
			}
			end := x1
			if i+1 < len(cs) {
				end = cs[i+1].x
			}
			for a, b := max(c.x, x0)-x0, min(end, x1)-x0; a < b; {
				n := int(a)
				next := min(b, float64(n+1))
				row[n].a += (next - a) / perRow
				a = next
			}
		}
	}
	if w.opt.Hard {
		for i := range out { // in or out; what is close to half may be either
			c := &out[i]
			if math.Abs(c.a-0.5) <= c.e {
				c.e = 1
			} else {
				c.e = 0
			}
			c.a = math.Round(c.a)
		}
	}
	return out
}

// doubt adds to the pixels near a line how much it may put the count off: a
// boundary that runs across n px of a row is met by samples that lie half a
// step beside the mean, and curves are drawn as lines.
func (w *Witness) doubt(l line, r image.Rectangle, out []cover) {
	ya, yb := max(min(l.y0, l.y1), float64(r.Min.Y)), min(max(l.y0, l.y1), float64(r.Max.Y))
	slope := 0.0
	if l.y1 != l.y0 {
		slope = (l.x1 - l.x0) / (l.y1 - l.y0)
	}
	for y := int(math.Floor(ya)); y <= min(int(yb), r.Max.Y-1); y++ {
		a, b := l.x0, l.x1
		if l.y1 != l.y0 {
			a = l.x0 + (max(ya, float64(y))-l.y0)*slope
			b = l.x0 + (min(yb, float64(y+1))-l.y0)*slope
		}
		if a > b {
			a, b = b, a
		}
		high := min(yb, float64(y+1)) - max(ya, float64(y))
		for x := max(r.Min.X, int(math.Floor(a-flat))); x <= min(r.Max.X-1, int(b+flat)); x++ {
			run := max(0, min(b, float64(x+1))-max(a, float64(x)))
			c := &out[(y-r.Min.Y)*r.Dx()+x-r.Min.X]
			c.e += (run+0.25)/(2*perRow) + flat*math.Hypot(run, high)
			c.e = min(c.e, 1)
		}
	}
}
