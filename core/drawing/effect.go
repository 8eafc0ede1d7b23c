package drawing

import (
	"math"

	"dyekit/core/colour"
	"dyekit/core/geom"
)

// A BlendMode is how a group mixes with what lies below it (Compositing and
// Blending Level 1). The zero BlendMode is Normal.
type BlendMode uint8

const (
	Normal BlendMode = iota
	Multiply
	Screen
	Overlay
	Darken
	Lighten
	ColorDodge
	ColorBurn
	HardLight
	SoftLight
	Difference
	Exclusion
	Hue
	Saturation
	Color
	Luminosity
)

// A Mask lets a group through by the brightness of its nodes, or by their
// opacity if Alpha is set (SVG 1.1 section 14.4).
type Mask struct {
	Nodes []Node
	Clip  []Region // the mask's own area; nil for no limit
	Alpha bool
	// Linear takes the brightness in linear light (color-interpolation).
	Linear bool
	// Mask is applied to the mask itself, if not nil.
	Mask *Mask
}

// The inputs of a Step that are not results of earlier ones.
const (
	SourceGraphic = -1
	SourceAlpha   = -2
	Nothing       = -3 // transparent black
)

// A Filter changes the pixels of a group (SVG 1.1 chapter 15). Lengths are in
// user space, which To maps onto the page.
type Filter struct {
	Region geom.Rect
	To     geom.Affine
	Steps  []Step
}

// A Step is one filter primitive. In and In2 name the results it works on:
// an index of an earlier step, or one of the constants above.
type Step struct {
	Op     Op
	In     int
	In2    int
	Region geom.Rect // what the result is cut to
	Linear bool      // works in linear light
}

// An Op is one of the primitives below.
type Op interface{ op() }

type (
	GaussianBlur struct{ X, Y float64 }
	Offset       struct{ X, Y float64 }
	Flood        struct {
		Colour colour.RGB
		Alpha  float64
	}
	Blend     struct{ Mode BlendMode }
	Composite struct {
		Operator string // over, in, out, atop, xor, lighter or arithmetic
		K        [4]float64
	}
	Merge        struct{ In []int }
	ColourMatrix struct{ M [20]float64 }
	// Transfer has one table of 256 values for each of R, G, B, A.
	ComponentTransfer struct{ T [4]func(float64) float64 }
	ConvolveMatrix    struct {
		W, H     int
		Kernel   []float64
		Divisor  float64
		Bias     float64
		TX, TY   int
		Edge     string // duplicate, wrap or none
		Preserve bool   // opacity stays as it is
		UnitX    float64
		UnitY    float64
	}
	Morphology struct {
		Dilate bool
		X, Y   float64
	}
	Tile            struct{ From geom.Rect } // the area that is repeated
	FilterImage     struct{ Nodes []Node }   // of feImage, on the page
	DisplacementMap struct {
		Scale float64
		X, Y  int // channel: 0 to 3 for R, G, B, A
	}
	Turbulence struct {
		FX, FY  float64
		Octaves int
		Seed    float64
		Fractal bool
		Stitch  bool
	}
	Lighting struct {
		Specular bool
		Scale    float64 // of the surface
		K        float64 // diffuse or specular constant
		Exponent float64
		Colour   colour.RGB
		Kind     string // distant, point or spot
		At       [3]float64
		Aim      [3]float64
		Focus    float64 // specular exponent of a spot
		Cone     float64 // limiting angle in degrees; 0 for none
		Azimuth  float64 // degrees, distant light
		Height   float64 // degrees, distant light
	}
)

func (GaussianBlur) op()      {}
func (Offset) op()            {}
func (Flood) op()             {}
func (Blend) op()             {}
func (Composite) op()         {}
func (Merge) op()             {}
func (ColourMatrix) op()      {}
func (ComponentTransfer) op() {}
func (ConvolveMatrix) op()    {}
func (Morphology) op()        {}
func (Tile) op()              {}
func (FilterImage) op()       {}
func (DisplacementMap) op()   {}
func (Turbulence) op()        {}
func (Lighting) op()          {}

// reach is the box of what the filter makes of paint in a box on the page: as
// far as blurs, shifts and the like can carry it, and all of the region where
// a step paints by itself.
func (f *Filter) reach(paint geom.Rect) geom.Rect {
	region := f.To.Rect(f.Region)
	k := max(math.Hypot(f.To.A, f.To.B), math.Hypot(f.To.C, f.To.D))
	grow := 0.0
	for _, s := range f.Steps {
		switch o := s.Op.(type) {
		case GaussianBlur:
			grow += 3 * max(o.X, o.Y) * k
		case Offset:
			grow += max(math.Abs(o.X), math.Abs(o.Y)) * k
		case Morphology:
			grow += max(o.X, o.Y) * k
		case DisplacementMap:
			grow += math.Abs(o.Scale) * k
		case Flood, Tile, FilterImage, Turbulence, Lighting, ConvolveMatrix, ComponentTransfer, ColourMatrix:
			// A colour that is only laid inside something else reaches no
			// further, but nobody can tell from here.
			if !f.shadow() {
				return region
			}
		}
	}
	if paint.Empty() {
		return region
	}
	return paint.Grow(grow).Intersect(region)
}

// shadow reports whether every flood and matrix is cut to the shape of
// something else, as drop shadows do: each is followed by a Combine "in".
func (f *Filter) shadow() bool {
	for i, s := range f.Steps {
		switch o := s.Op.(type) {
		case Flood:
			used := false
			for _, t := range f.Steps[i+1:] {
				if c, ok := t.Op.(Composite); ok && c.Operator == "in" && (t.In == i || t.In2 == i) {
					used = true
				}
			}
			if !used {
				return false
			}
		case ColourMatrix:
			for c := range 4 {
				if o.M[5*c+4] != 0 {
					return false // it paints where nothing was
				}
			}
		case Tile, FilterImage, Turbulence, Lighting, ConvolveMatrix, ComponentTransfer:
			return false
		}
	}
	return true
}

// Moved returns copies of the nodes mapped by m.
func Moved(ns []Node, m geom.Affine) []Node {
	if m == geom.Identity {
		return ns
	}
	out := make([]Node, len(ns))
	for i, n := range ns {
		switch n := n.(type) {
		case *Shape:
			c := *n
			c.Path = n.Path.Transform(m)
			if g, ok := n.Paint.(*Gradient); ok {
				h := *g
				h.To = m.Mul(g.To)
				c.Paint = &h
			}
			out[i] = &c
		case *Picture:
			c := *n
			c.To = m.Mul(n.To)
			out[i] = &c
		case *Group:
			c := *n
			c.Nodes, c.Clip, c.Mask = Moved(n.Nodes, m), movedRegions(n.Clip, m), movedMask(n.Mask, m)
			if n.Filter != nil {
				f := *n.Filter
				f.To = m.Mul(f.To)
				c.Filter = &f
			}
			out[i] = &c
		}
	}
	return out
}

func movedRegions(rs []Region, m geom.Affine) []Region {
	if rs == nil {
		return nil
	}
	out := make([]Region, len(rs))
	for i, r := range rs {
		out[i] = Region{r.Path.Transform(m), r.Rule, movedRegions(r.Clip, m)}
	}
	return out
}

func movedMask(k *Mask, m geom.Affine) *Mask {
	if k == nil {
		return nil
	}
	c := *k
	c.Nodes, c.Clip, c.Mask = Moved(k.Nodes, m), movedRegions(k.Clip, m), movedMask(k.Mask, m)
	return &c
}
