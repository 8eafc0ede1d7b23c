package version

import (
	"context"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/raster"
)

// darkGround is what such a version is made for: nearly black, as screens and
// printed sheets are.
var darkGround = colour.FromBytes(0x1a, 0x1a, 0x19)

// vanishes is the contrast against the dark ground below which a colour is not
// seen to be anything: half of what WCAG 2.2 asks of graphics.
const vanishes = 1.7

// onDark paints white what would vanish on a dark ground: dark shapes that meet
// the bare page. What is light and lies on such a shape takes the colour that
// the shape had, so that it is not lost in turn. All else stays as drawn.
func (a *Art) onDark(ctx context.Context) (*drawing.Drawing, error) {
	d := a.Drawing
	const side = 512
	box := d.Bounds()
	k := side / box.Long()
	w, h := max(3, int(box.W()*k)), max(3, int(box.H()*k))
	number := map[drawing.Node]int{}
	var shapes []*drawing.Shape
	seen, err := raster.Numbers(ctx, d, raster.Fit(box.Grow(2/k), w, h), w, h, func(n drawing.Node) int {
		s, ok := n.(*drawing.Shape)
		if !ok { // a picture stays as it is
			s = nil
		}
		shapes = append(shapes, s)
		number[n] = len(shapes)
		return len(shapes)
	})
	if err != nil {
		return nil, err
	}
	// Which numbers meet which, 0 being the page.
	meets := make([]map[int]int, len(shapes)+1)
	for i := range meets {
		meets[i] = map[int]int{}
	}
	touch := func(i, j int) {
		if p, q := int(seen[i]), int(seen[j]); p != q {
			meets[p][q]++
			meets[q][p]++
		}
	}
	for y := range h {
		for x := range w {
			if x+1 < w {
				touch(y*w+x, y*w+x+1)
			}
			if y+1 < h {
				touch(y*w+x, (y+1)*w+x)
			}
		}
	}
	const few = 3 // neighbouring pixels that may be chance
	white := colour.Colour{RGB: colour.White, Build: colour.CMYK{}, Built: true}
	swap := map[int]colour.Colour{}
	for i, s := range shapes {
		if s == nil || meets[i+1][0] < few {
			continue
		}
		if dark(s.Paint) {
			swap[i+1] = white
		}
	}
	for i, s := range shapes {
		p, ok := solidOf(s)
		if !ok || !p.Colour.RGB.NearWhite() {
			continue
		}
		most, at := few, 0
		for j, n := range meets[i+1] {
			if _, changed := swap[j]; changed && n >= most && (n > most || j < at || at == 0) {
				most, at = n, j
			}
		}
		if at == 0 || meets[i+1][0] > most {
			continue
		}
		if below, ok := solidOf(shapes[at-1]); ok {
			swap[i+1] = below.Colour
		}
	}
	return d.Map(func(n drawing.Node) drawing.Node {
		c, ok := swap[number[n]]
		s, is := n.(*drawing.Shape)
		if !ok || !is {
			return n
		}
		e := *s
		alpha := 1.0
		if p, ok := s.Paint.(drawing.Solid); ok {
			alpha = p.Alpha
		}
		e.Paint = drawing.Solid{Colour: c, Alpha: alpha}
		return &e
	}), nil
}

func solidOf(s *drawing.Shape) (p drawing.Solid, ok bool) {
	if s == nil {
		return p, false
	}
	p, ok = s.Paint.(drawing.Solid)
	return p, ok
}

// dark reports whether paint would vanish on the dark ground, a gradient if all
// of its stops would.
func dark(p drawing.Paint) bool {
	low := func(c colour.RGB) bool { return colour.Contrast(c, darkGround) < vanishes }
	switch p := p.(type) {
	case drawing.Solid:
		return p.Alpha > 0.3 && low(p.Colour.RGB)
	case *drawing.Gradient:
		for _, s := range p.Stops {
			if !low(s.Colour.RGB) {
				return false
			}
		}
		return true
	}
	return false
}
