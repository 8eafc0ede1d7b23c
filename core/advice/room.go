package advice

import (
	"fmt"
	"math"

	"dyekit/core/geom"
)

// A Room is how much stays free round a mark. It is told in a measure of the mark
// itself and is not the margin of its files.
type Room struct {
	Measure        string  `json:"measure"` // cap height, x-height, height of the symbol, …
	Times          float64 `json:"times"`
	PercentOfWidth float64 `json:"percent_of_width"` // of the art, without margin
	Why            string  `json:"why"`
	Set            bool    `json:"set,omitempty"` // by a person
	Key            string  `json:"-"`             // of Measure, for translators

	Free  float64   `json:"-"` // page units
	Shown geom.Rect `json:"-"` // where the mark shows the measure, in page units
}

// Clear space in parts of the shorter side of a mark: what is usual, and the bounds
// of what anybody signs (common practice).
const (
	leastUsual, mostUsual = 0.1, 0.36
	leastRoom, mostRoom   = 1.0 / 12, 1.0 / 2
)

// Room proposes the clear space of a mark, as practitioners do: by its letters, or
// where it has none by the symbol. nil if it paints nothing.
func (l *Look) Room() *Room {
	if l.Box.Empty() {
		return nil
	}
	short := math.Min(l.Box.W(), l.Box.H())
	type measure struct {
		key   string
		name  string
		size  float64 // page units
		shown geom.Rect
		times []float64
	}
	var ms []measure
	name := -1
	for i, r := range l.rows {
		if name < 0 || r.height > l.rows[name].height {
			name = i
		}
	}
	if name >= 0 {
		r := l.rows[name]
		key, what := "letters", "x-height"
		if r.capital {
			key, what = "capitals", "cap height"
		}
		ms = append(ms, measure{key, what, r.height / l.k, l.page(l.letterOf(r)), []float64{1, 0.5, 2}})
	}
	if f := l.form; f.symbol {
		b := l.page(f.box)
		key, what := "symbol-height", "height of the symbol"
		if b.W() < b.H() {
			key, what = "symbol-width", "width of the symbol"
		}
		ms = append(ms, measure{key, what, math.Min(b.W(), b.H()), b, []float64{0.5, 0.25}})
	}
	side := "height"
	if l.Box.W() < l.Box.H() {
		side = "width"
	}
	ms = append(ms, measure{side, side + " of the mark", short, l.Box, []float64{0.25}})
	for _, bounds := range [][2]float64{{leastUsual, mostUsual}, {leastRoom, mostRoom}} {
		for _, m := range ms {
			for _, t := range m.times {
				if free := t * m.size; free >= bounds[0]*short && free <= bounds[1]*short {
					r := &Room{Key: m.key, Measure: m.name, Times: t, Free: free, Shown: m.shown, PercentOfWidth: Percent(free / l.Box.W())}
					r.Why = "Keep " + r.Says() + " free on every side."
					return r
				}
			}
		}
	}
	return nil // not reached: a quarter of the shorter side is within the bounds
}

// Says tells the room in words: "half the cap height".
func (r *Room) Says() string {
	switch r.Times {
	case 1:
		return "the " + r.Measure
	case 0.5:
		return "half the " + r.Measure
	case 0.25:
		return "a quarter of the " + r.Measure
	case 2:
		return "twice the " + r.Measure
	}
	return fmt.Sprintf("%g times the %s", math.Round(100*r.Times)/100, r.Measure)
}

// Corners is where a picture shows the measure: a square of the room at each corner of
// the art, so that one sees what is told.
func (r *Room) Corners(art geom.Rect) (out []geom.Rect) {
	for _, p := range art.Corners() {
		b := geom.Rect{X0: p.X, Y0: p.Y, X1: p.X + r.Free, Y1: p.Y + r.Free}
		if p.X < art.Centre().X {
			b.X0, b.X1 = p.X-r.Free, p.X
		}
		if p.Y < art.Centre().Y {
			b.Y0, b.Y1 = p.Y-r.Free, p.Y
		}
		out = append(out, b)
	}
	return out
}

// Percent is a share in percent, to a tenth.
func Percent(v float64) float64 { return math.Round(1000*v) / 10 }

// letterOf is the box of a letter of a row that has the height that is read.
func (l *Look) letterOf(r row) geom.Rect {
	best := l.pieces[r.pieces[0]].box
	for _, i := range r.pieces {
		if b := l.pieces[i].box; math.Abs(b.H()-r.height) < math.Abs(best.H()-r.height) {
			best = b
		}
	}
	best.Y0 = best.Y1 - r.height
	return best
}

// page turns a box of samples into page units.
func (l *Look) page(b geom.Rect) geom.Rect {
	return geom.Rect{X0: l.from.X0 + b.X0/l.k, Y0: l.from.Y0 + b.Y0/l.k, X1: l.from.X0 + b.X1/l.k, Y1: l.from.Y0 + b.Y1/l.k}
}
