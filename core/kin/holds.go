package kin

import "dyekit/core/geom"

// holds lists the shapes of o that v does not paint in their place, or paints otherwise.
func (v view) holds(o view, box geom.Rect) (missing, changed []geom.Rect) {
	near := v.swollen()
	kx, ky := float64(v.w)/float64(o.w), float64(v.h)/float64(o.h)
	for _, s := range o.shapes {
		hit := 0
		for y := s.box.Min.Y; y < s.box.Max.Y; y++ {
			for x := s.box.Min.X; x < s.box.Max.X; x++ {
				if o.label[y*o.w+x] != s.id {
					continue
				}
				if near[min(v.h-1, int((float64(y)+0.5)*ky))*v.w+min(v.w-1, int((float64(x)+0.5)*kx))] {
					hit++
				}
			}
		}
		share := float64(hit) / float64(s.pixels)
		if share >= kept {
			continue
		}
		r := o.place(s, box)
		if share < gone {
			missing = append(missing, r)
		} else {
			changed = append(changed, r)
		}
	}
	return missing, changed
}

// place is where a shape lies on the page, of a look that has its art in box.
func (v view) place(s shape, box geom.Rect) geom.Rect {
	x := func(x int) float64 { return box.X0 + float64(x)/float64(v.w)*box.W() }
	y := func(y int) float64 { return box.Y0 + float64(y)/float64(v.h)*box.H() }
	return geom.Rect{X0: x(s.box.Min.X), Y0: y(s.box.Min.Y), X1: x(s.box.Max.X), Y1: y(s.box.Max.Y)}
}

// swollen is what is painted, and what lies within reach of it.
func (v view) swollen() []bool {
	row, out := make([]bool, v.w*v.h), make([]bool, v.w*v.h)
	for y := range v.h {
		for x := range v.w {
			for i := max(0, x-reach); i <= min(v.w-1, x+reach); i++ {
				row[y*v.w+x] = row[y*v.w+x] || v.cover[y*v.w+i] != 0
			}
		}
	}
	for y := range v.h {
		for j := max(0, y-reach); j <= min(v.h-1, y+reach); j++ {
			for x := range v.w {
				out[y*v.w+x] = out[y*v.w+x] || row[j*v.w+x]
			}
		}
	}
	return out
}
