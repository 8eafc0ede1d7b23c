// Package drawing is the one value the whole engine works on: filled paths,
// pictures and groups in page units, bottom to top.
//
// Strokes, text, references and style sheets are resolved before a drawing
// exists; nothing here knows SVG or PDF. Values are treated as unchanging:
// whoever wants another drawing builds one with Map.
package drawing

import (
	"image"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

// A Drawing is a page of art.
type Drawing struct {
	Title string
	Page  geom.Rect // the master's own page, in page units
	Nodes []Node    // bottom to top
	Set   []string  // families in which letters of it were set, before they became shapes
}

// A Node is a *Shape, a *Picture or a *Group.
type Node interface{ node() }

// An Origin remembers what a shape was before intake made it an outline.
type Origin uint8

const (
	Filled Origin = iota
	Stroked
	Lettered
)

// A Shape is a filled path.
type Shape struct {
	Path   geom.Path
	Rule   geom.Rule
	Paint  Paint
	Part   string // the part of the mark it belongs to, perhaps empty
	Piece  int    // its number among the pieces of the master, from 1
	Origin Origin
	// Simple says that the outline neither crosses nor covers itself and that
	// its holes are wound against what they lie in, as core/planar makes them:
	// then both rules give the same area, and areas may be summed with their
	// signs.
	Simple bool
}

// A Paint is Solid or *Gradient.
type Paint interface{ paint() }

// Solid is one colour with an opacity from 0 to 1.
type Solid struct {
	Colour colour.Colour
	Alpha  float64
}

// A Picture is pixels placed on the page.
type Picture struct {
	Image *image.NRGBA
	Inks  *Inks       // that its pixels are declared in; nil for screen colours
	To    geom.Affine // maps the unit square (y down) onto the page
	Alpha float64     // 0 to 1
	Part  string
	Piece int // its number among the pieces of the master, from 1
}

// A Group composes its nodes as one before they meet what lies below.
//
// Its effects apply in the order of SVG 1.1 section 14.6: filter, clip, mask,
// opacity, and then the blend with what lies below.
type Group struct {
	Nodes    []Node
	Filter   *Filter
	Clip     []Region // the union of these regions; nil does not clip
	Mask     *Mask
	Alpha    float64 // 0 to 1
	Blend    BlendMode
	Isolated bool // blends inside do not see what lies below
	Part     string
}

// A Region is the inside of a path, itself clipped by further regions.
type Region struct {
	Path geom.Path
	Rule geom.Rule
	Clip []Region // nil does not clip
}

func (*Shape) node()     {}
func (*Picture) node()   {}
func (*Group) node()     {}
func (Solid) paint()     {}
func (*Gradient) paint() {}

// Walk calls f for every node, groups before their contents, with the groups
// that hold it from the outermost in.
func (d *Drawing) Walk(f func(n Node, in []*Group)) { walk(d.Nodes, nil, f) }

func walk(ns []Node, in []*Group, f func(Node, []*Group)) {
	for _, n := range ns {
		f(n, in)
		if g, ok := n.(*Group); ok {
			walk(g.Nodes, append(in[:len(in):len(in)], g), f)
		}
	}
}

// Map returns a drawing in which every shape and picture is replaced by what
// f makes of it; nil drops it. Groups left empty are dropped.
func (d *Drawing) Map(f func(Node) Node) *Drawing {
	e := *d
	e.Nodes = mapNodes(d.Nodes, f)
	return &e
}

func mapNodes(ns []Node, f func(Node) Node) []Node {
	var out []Node
	for _, n := range ns {
		if g, ok := n.(*Group); ok {
			h := *g
			if h.Nodes = mapNodes(g.Nodes, f); len(h.Nodes) > 0 {
				out = append(out, &h)
			}
		} else if m := f(n); m != nil {
			out = append(out, m)
		}
	}
	return out
}

// Bounds returns the box of a node's paint in page units, clips respected as
// boxes. What is wholly transparent has none.
func Bounds(n Node) geom.Rect {
	switch n := n.(type) {
	case *Shape:
		if s, ok := n.Paint.(Solid); ok && s.Alpha == 0 {
			return geom.Rect{}
		}
		return n.Path.Bounds()
	case *Picture:
		return n.To.Rect(geom.Rect{X1: 1, Y1: 1})
	case *Group:
		if n.Alpha == 0 {
			return geom.Rect{}
		}
		var r geom.Rect
		for _, m := range n.Nodes {
			r = r.Union(Bounds(m))
		}
		if n.Filter != nil {
			r = n.Filter.reach(r)
		}
		if n.Clip != nil {
			r = r.Intersect(clipBounds(n.Clip))
		}
		return r
	}
	return geom.Rect{}
}

func clipBounds(c []Region) geom.Rect {
	var r geom.Rect
	for _, x := range c {
		b := x.Path.Bounds()
		if x.Clip != nil {
			b = b.Intersect(clipBounds(x.Clip))
		}
		r = r.Union(b)
	}
	return r
}

// Bounds is the box of all paint.
func (d *Drawing) Bounds() geom.Rect {
	var r geom.Rect
	for _, n := range d.Nodes {
		r = r.Union(Bounds(n))
	}
	return r
}

// PartOf returns the part a node names.
func PartOf(n Node) string {
	switch n := n.(type) {
	case *Shape:
		return n.Part
	case *Picture:
		return n.Part
	case *Group:
		return n.Part
	}
	return ""
}

// PieceOf returns the number of a shape or picture among the pieces of the
// master; 0 for groups and for what was made later.
func PieceOf(n Node) int {
	switch n := n.(type) {
	case *Shape:
		return n.Piece
	case *Picture:
		return n.Piece
	}
	return 0
}

// Parts lists the parts in the order in which they are painted.
func (d *Drawing) Parts() []string {
	var ps []string
	seen := map[string]bool{"": true}
	d.Walk(func(n Node, _ []*Group) {
		if _, ok := n.(*Group); ok {
			return
		}
		if p := PartOf(n); !seen[p] {
			seen[p] = true
			ps = append(ps, p)
		}
	})
	return ps
}

// Weight is about how many bytes of memory a drawing takes.
func (d *Drawing) Weight() int {
	const seg = 56 // bytes of a geom.Seg
	n := 0
	d.Walk(func(x Node, _ []*Group) {
		switch x := x.(type) {
		case *Shape:
			n += 200 + seg*len(x.Path)
		case *Picture:
			n += len(x.Image.Pix)
		case *Group:
			n += 200
		}
	})
	return n
}

// Has tells what a drawing holds that not every file type can carry.
type Has struct {
	Pictures    bool // pixels
	Gradients   bool
	Translucent bool // any opacity between 0 and 1
	FadingStops bool // gradients whose opacity changes
	Masks       bool
	Blends      bool
	Filters     bool
	HardClips   bool // a clip that is not one region
}

// Has walks the drawing and says what is in it.
func (d *Drawing) Has() Has {
	var h Has
	part := func(a float64) bool { return a > 0 && a < 1 }
	d.Walk(func(n Node, _ []*Group) {
		switch n := n.(type) {
		case *Picture:
			h.Pictures = true
			h.Translucent = h.Translucent || part(n.Alpha) || !n.Image.Opaque()
		case *Group:
			h.Translucent = h.Translucent || part(n.Alpha)
			h.Masks = h.Masks || n.Mask != nil
			h.Blends = h.Blends || n.Blend != Normal
			h.Filters = h.Filters || n.Filter != nil
			h.HardClips = h.HardClips || hardClip(n.Clip)
		case *Shape:
			switch p := n.Paint.(type) {
			case Solid:
				h.Translucent = h.Translucent || part(p.Alpha)
			case *Gradient:
				h.Gradients = true
				for _, s := range p.Stops {
					h.Translucent = h.Translucent || s.Alpha < 1
					h.FadingStops = h.FadingStops || s.Alpha != p.Stops[0].Alpha
				}
			}
		}
	})
	return h
}

func hardClip(c []Region) bool {
	for _, r := range c {
		if hardClip(r.Clip) {
			return true
		}
	}
	return len(c) > 1
}
