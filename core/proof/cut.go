package proof

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// A Cut is what a vinyl cutter does with art of one ink, in mm.
type Cut struct {
	Paths    int     // closed paths to follow
	Length   float64 // of all of them
	Shortest float64 // the shortest path
	Smallest float64 // the smaller side of the smallest piece of vinyl
	Narrow   float64 // the thinnest strip of vinyl, 0 if there is none
}

// Weeds is the side below which a piece of vinyl does not hold or cannot be
// weeded, in mm (common practice).
const Weeds = 2.0

// Cutting measures a region as a cutter follows it, frame page units being mm
// wide.
func Cutting(region geom.Path, frame, mm float64) Cut {
	k := mm / frame
	if region.Area() < 0 {
		region = region.Reverse()
	}
	c := Cut{Shortest: math.Inf(1), Smallest: math.Inf(1)}
	for _, sub := range region.Subpaths() {
		l := sub.Length() * k
		if l == 0 {
			continue
		}
		c.Paths++
		c.Length += l
		c.Shortest = min(c.Shortest, l)
		if b := sub.Bounds(); sub.Area() > 0 {
			c.Smallest = min(c.Smallest, min(b.W(), b.H())*k)
		}
	}
	if c.Paths == 0 {
		return Cut{}
	}
	c.Narrow = Details(region).Line * k
	return c
}

// CutLines draws the way of the knife over faint vinyl.
func CutLines(region geom.Path, box geom.Rect) *drawing.Drawing {
	shape := func(p geom.Path, c colour.RGB) drawing.Node {
		return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
	}
	knife := region.Stroke(geom.Pen{Width: box.Long() / 500, Join: geom.RoundJoin}, box.Long()/5000)
	return &drawing.Drawing{Page: box, Nodes: []drawing.Node{shape(region, colour.FromBytes(0xdd, 0xdd, 0xdc)), shape(knife, colour.FromBytes(0x2c, 0x52, 0x82))}}
}
