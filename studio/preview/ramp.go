package preview

import (
	"fmt"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/preflight"
)

// A Ramp is a gradient of the master, by its stops: those of several shapes that run through the
// same colours are one.
type Ramp struct {
	Stops []drawing.Stop
	Tones []int // of the stops, among the colours of the master; -1 where it is seen nowhere
	Parts []string
	Times int // shapes that are painted in it
}

// MaxRamps bounds the gradients that are listed, those of most shapes first.
const MaxRamps = 12

// Ramps lists the gradients of the master; more is how many there are beside them.
func (w *Snapshot) Ramps() (out []Ramp, more int) {
	index := map[string]int{}
	w.Plan.Master.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		g, ok := s.Paint.(*drawing.Gradient)
		if !ok {
			return
		}
		var key strings.Builder
		for _, x := range g.Stops {
			fmt.Fprintf(&key, "%.3f %v %.3f;", x.At, x.Colour, x.Alpha)
		}
		i, known := index[key.String()]
		if !known {
			i = len(out)
			index[key.String()] = i
			r := Ramp{Stops: g.Stops}
			for _, x := range g.Stops {
				r.Tones = append(r.Tones, slices.IndexFunc(w.Tones, func(t preflight.Tone) bool { return t.Colour == x.Colour }))
			}
			out = append(out, r)
		}
		r := &out[i]
		r.Times++
		if s.Part != "" && !slices.Contains(r.Parts, s.Part) {
			r.Parts = append(r.Parts, s.Part)
		}
	})
	slices.SortStableFunc(out, func(a, b Ramp) int { return b.Times - a.Times })
	n := min(len(out), MaxRamps)
	return out[:n], len(out) - n
}
