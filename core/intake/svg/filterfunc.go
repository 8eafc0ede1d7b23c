package svg

import (
	"math"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// beyondPage is how far, in lengths of the page, filter functions work on what lies beyond
// it: as far as the region of a filter element does by itself (SVG 1.1 section 15.5).
const beyondPage = 0.1

// filterFunctions reads a list of filter functions (Filter Effects 1, section 13) for art
// that lies in a box of the user space; ok is false if it has something else in it.
func (r *reader) filterFunctions(v string, s state, art geom.Rect) (f *drawing.Filter, ok bool) {
	f = &drawing.Filter{To: s.m}
	last, reach := drawing.SourceGraphic, 0.0
	push := func(op drawing.Op, in, in2 int) int {
		f.Steps = append(f.Steps, drawing.Step{Op: op, In: in, In2: in2})
		return len(f.Steps) - 1
	}
	for _, fn := range words(v) {
		name, _, has := strings.Cut(fn, "(")
		if !has || !strings.HasSuffix(fn, ")") {
			return nil, false
		}
		arg := strings.TrimSpace(fn[len(name)+1 : len(fn)-1])
		if name = strings.ToLower(name); name == "blur" {
			sd := 0.0
			if arg != "" {
				if sd, ok = s.len.length(arg, 0); !ok || sd < 0 {
					return nil, false
				}
			}
			last = push(drawing.GaussianBlur{X: sd, Y: sd}, last, last)
			reach += 3 * sd
			continue
		}
		if name == "drop-shadow" {
			far, ok := r.dropShadow(arg, s, &last, push)
			if !ok {
				return nil, false
			}
			reach += far
			continue
		}
		op, ok := toneOf(name, arg)
		if !ok {
			return nil, false
		}
		last = push(op, last, last)
	}
	if len(f.Steps) == 0 {
		return nil, false
	}
	f.Region = art.Grow(reach + 1)
	// What lies further beyond the page is never seen, and would cost.
	if back, flat := s.m.Inverse(); flat {
		f.Region = f.Region.Intersect(back.Rect(r.page.Grow(min(reach*s.m.Mean(), beyondPage*r.page.Long()))))
	}
	for i := range f.Steps {
		f.Steps[i].Region = f.Region
	}
	return f, true
}

// dropShadow adds the steps of drop-shadow() and tells how far it reaches.
func (r *reader) dropShadow(arg string, s state, last *int, push func(op drawing.Op, in, in2 int) int) (far float64, ok bool) {
	colour, alpha, _ := r.colour("currentcolor", s.style)
	var v []float64
	for _, w := range words(arg) {
		if n, ok := s.len.length(w, 0); ok {
			v = append(v, n)
		} else if c, a, ok := r.colour(w, s.style); ok {
			colour, alpha = c, a
		} else {
			return 0, false
		}
	}
	if len(v) < 2 || len(v) > 3 || len(v) == 3 && v[2] < 0 {
		return 0, false
	}
	sd := 0.0
	if len(v) == 3 {
		sd = v[2]
	}
	base := *last
	at := push(drawing.ColourMatrix{M: [20]float64{18: 1}}, base, base)
	at = push(drawing.GaussianBlur{X: sd, Y: sd}, at, at)
	at = push(drawing.Offset{X: v[0], Y: v[1]}, at, at)
	flood := push(drawing.Flood{Colour: colour.RGB, Alpha: alpha}, base, base)
	at = push(drawing.Composite{Operator: "in"}, flood, at)
	*last = push(drawing.Merge{In: []int{at, base}}, base, base)
	return 3*sd + max(math.Abs(v[0]), math.Abs(v[1])), true
}

// toneOf is a function that changes colours alone (Filter Effects 1, section 13.1).
func toneOf(name, arg string) (drawing.Op, bool) {
	if name == "hue-rotate" {
		d := 0.0
		if arg != "" {
			var ok bool
			if d, ok = angle(arg); !ok {
				return nil, false
			}
		}
		return hueRotated(d), true
	}
	a := 1.0
	if arg != "" {
		var ok bool
		if a, ok = ratio(arg); !ok || a < 0 {
			return nil, false
		}
	}
	same := func(v float64) float64 { return v }
	each := func(f func(v float64) float64) (drawing.Op, bool) {
		return drawing.ComponentTransfer{T: [4]func(float64) float64{f, f, f, same}}, true
	}
	switch name {
	case "brightness":
		return each(func(v float64) float64 { return a * v })
	case "contrast":
		return each(func(v float64) float64 { return a*v + 0.5 - 0.5*a })
	case "invert":
		a = min(1, a)
		return each(func(v float64) float64 { return a + v*(1-2*a) })
	case "opacity":
		a = min(1, a)
		return drawing.ComponentTransfer{T: [4]func(float64) float64{same, same, same, func(v float64) float64 { return a * v }}}, true
	case "saturate":
		return saturated(a), true
	case "grayscale":
		s := 1 - min(1, a)
		return drawing.ColourMatrix{M: [20]float64{
			0.2126 + 0.7874*s, 0.7152 - 0.7152*s, 0.0722 - 0.0722*s, 0, 0,
			0.2126 - 0.2126*s, 0.7152 + 0.2848*s, 0.0722 - 0.0722*s, 0, 0,
			0.2126 - 0.2126*s, 0.7152 - 0.7152*s, 0.0722 + 0.9278*s, 0, 0,
			0, 0, 0, 1, 0,
		}}, true
	case "sepia":
		s := 1 - min(1, a)
		return drawing.ColourMatrix{M: [20]float64{
			0.393 + 0.607*s, 0.769 - 0.769*s, 0.189 - 0.189*s, 0, 0,
			0.349 - 0.349*s, 0.686 + 0.314*s, 0.168 - 0.168*s, 0, 0,
			0.272 - 0.272*s, 0.534 - 0.534*s, 0.131 + 0.869*s, 0, 0,
			0, 0, 0, 1, 0,
		}}, true
	}
	return nil, false
}
