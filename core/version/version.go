// Package version makes versions of a mark: drawings derived from the master.
//
// It reads colours, decides what is ink, and computes the region of ink as
// geometry; it writes no files and draws no pixels for people. What it cannot
// make right it refuses with a reason.
package version

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

// A Treatment is what becomes of the colours of a mark.
type Treatment string

const (
	AsDrawn   Treatment = "as-drawn"   // as the master has them
	SingleInk Treatment = "single-ink" // one ink, ink or paper
	Tints     Treatment = "tints"      // one ink in tints
	Backed    Treatment = "backed"     // on a shape, or knocked out of it
)

// A Reversal is how a version for dark grounds is read; SameShapes if empty.
type Reversal string

const (
	SameShapes Reversal = "same-shapes" // the same shapes in a light ink
	KeepLight  Reversal = "keep-light"  // what is light stays light
	// OnDark, of a version as drawn, changes only what would vanish on a dark
	// ground.
	OnDark Reversal = "on-dark"
)

// An Ink is a colour of the brand with all its values.
type Ink struct {
	Name  string      `json:"name"`
	RGB   string      `json:"rgb"` // #rrggbb
	CMYK  *[4]float64 `json:"cmyk,omitempty"`
	Spot  string      `json:"spot,omitempty"`
	Stock string      `json:"stock,omitempty"` // coated or uncoated
	Tint  float64     `json:"tint,omitempty"`  // percent; 0 for the full ink
}

// Colour returns the ink as it is painted.
func (k *Ink) Colour() (colour.Colour, error) {
	rgb, err := colour.ParseHex(k.RGB)
	if err != nil {
		return colour.Colour{}, err
	}
	c := colour.Colour{RGB: rgb, Spot: k.Spot, Tint: k.Tint}
	if k.CMYK != nil {
		c.Build, c.Built = colour.CMYK{C: k.CMYK[0], M: k.CMYK[1], Y: k.CMYK[2], K: k.CMYK[3]}, true
	}
	if t := k.Tint; t > 0 && t < 100 {
		c.RGB = rgb.Over(colour.White, t/100)
		if c.Spot == "" {
			c.Build = colour.CMYK{C: c.Build.C * t / 100, M: c.Build.M * t / 100, Y: c.Build.Y * t / 100, K: c.Build.K * t / 100}
			c.Tint = 0
		}
	}
	return c, nil
}

// White reports whether the ink is the white of the paper.
func (k *Ink) White() bool {
	c, err := k.Colour()
	return err == nil && c.RGB.NearWhite() && k.Spot == ""
}

// An Override is a person's word on a colour, a part, or one piece of the
// master by its key (see core/parts).
type Override struct {
	Colour string  `json:"colour,omitempty"`
	Part   string  `json:"part,omitempty"`
	Piece  string  `json:"piece,omitempty"`
	As     Word    `json:"as"`
	Tint   float64 `json:"tint,omitempty"`
}

// A Side is where an outline runs along the edge.
type Side string

const (
	Outside Side = "outside"
	Inside  Side = "inside"
	Centred Side = "centre"
)

// An Outline is a line of another ink round a version.
type Outline struct {
	Width frame.Length `json:"width"`
	Side  Side         `json:"side,omitempty"` // outside if empty
	Ink   *Ink         `json:"ink,omitempty"`  // black if nil
}

// A Shape is that of a backing.
type Shape string

const (
	Rectangle Shape = "rectangle"
	Rounded   Shape = "rounded"
	Circle    Shape = "circle"
	// ToTheEdge is no shape behind the mark but the ground of the whole page:
	// colour to the edge, with the frame's room inside it.
	ToTheEdge Shape = "to-the-edge"
)

// A Backing is a shape behind the mark, or one that the mark is knocked out
// of. In a recipe it is an object, or just a colour.
type Backing struct {
	Shape    Shape        `json:"shape,omitempty"`   // rectangle if empty
	Ink      *Ink         `json:"ink,omitempty"`     // the version's own ink if nil
	To       *Ink         `json:"to,omitempty"`      // that Ink runs into from top to bottom, to the edge alone
	Picture  string       `json:"picture,omitempty"` // instead of Ink, to the edge alone: a data URI (RFC 2397)
	Room     frame.Length `json:"room,omitempty"`    // between mark and edge; 8 % if empty
	Knockout bool         `json:"knockout,omitempty"`
}

// UnmarshalJSON reads a colour or an object, strictly.
func (b *Backing) UnmarshalJSON(data []byte) error {
	var c string
	if json.Unmarshal(data, &c) == nil {
		if _, err := colour.ParseHex(c); err != nil {
			return err
		}
		*b = Backing{Ink: &Ink{Name: c, RGB: c}}
		return nil
	}
	type plain Backing
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.DisallowUnknownFields()
	if err := d.Decode((*plain)(b)); err != nil {
		return fmt.Errorf("a backing is a colour or an object with shape, ink, to, picture, room and knockout: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	return nil
}

// A Spec says how a version is to be made.
type Spec struct {
	Name      string    `json:"name"`
	Treatment Treatment `json:"treatment"`
	Ink       *Ink      `json:"ink,omitempty"`
	// Lockup is one of the recipe, or parts joined by plus signs; of several with bars
	// between them, the first that the mark has: symbol|full.
	Lockup    string       `json:"lockup,omitempty"`
	Reversed  Reversal     `json:"reversed,omitempty"`
	Overrides []Override   `json:"overrides,omitempty"`
	Gap       frame.Length `json:"gap,omitempty"`
	Outline   *Outline     `json:"outline,omitempty"`
	Opacity   float64      `json:"opacity,omitempty"` // 0 to 1; 0 stands for 1
	Backing   *Backing     `json:"backing,omitempty"`
	Finish    *Finish      `json:"finish,omitempty"` // of versions in colour
	// Drawing is what the version is made from instead of its lockup's: FILE or FILE#PAGE.
	// One in a single ink is held to that ink.
	Drawing string `json:"drawing,omitempty"`

	// Arranged is the lockup of the recipe that the version shows, if it names
	// one or the recipe has a standard one.
	Arranged *Lockup `json:"-"`
	// Square is set where bars in Lockup left a choice: the version is made for square
	// places alone, and is no other colourway of the mark.
	Square bool `json:"-"`
}

// OneInk reports whether the version is read in one ink, with its tints.
func (s Spec) OneInk() bool {
	return s.Treatment == SingleInk || s.Treatment == Tints || s.Treatment == Backed && s.Ink != nil
}

// White reports whether the version is painted in paper white alone.
func (s Spec) White() bool {
	if s.Treatment != SingleInk && s.Treatment != Tints || s.Ink == nil || !s.Ink.White() || s.Backing != nil {
		return false
	}
	return s.Outline == nil || s.Outline.Ink != nil && s.Outline.Ink.White()
}

// White reports whether the version paints nothing but paper white, on nothing:
// a white ink, or a master that is white itself. It shows on darker grounds
// alone.
func (v *Version) White() bool {
	if v.Spec.White() {
		return true
	}
	if v.Drawing == nil || v.OnBacking() {
		return false
	}
	white := true
	v.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		switch n := n.(type) {
		case *drawing.Shape:
			switch p := n.Paint.(type) {
			case drawing.Solid:
				white = white && (p.Alpha <= 0 || p.Colour.RGB.NearWhite() && p.Colour.Spot == "")
			case *drawing.Gradient:
				for _, s := range p.Stops {
					white = white && s.Colour.RGB.NearWhite()
				}
			}
		case *drawing.Picture:
			white = white && whitePicture(n)
		case *drawing.Group:
			white = white && n.Filter == nil
		}
	})
	return white
}

// whitePicture reports whether what can be seen of a picture is white and some
// of it is bare: a white sheet is no white mark.
func whitePicture(p *drawing.Picture) bool {
	bare := false
	var last [3]uint8 // a colour that is white: most pixels are as the one before
	known := false
	for i := 0; i < len(p.Image.Pix); i += 4 {
		q := p.Image.Pix[i : i+4]
		if q[3] < 8 {
			bare = true
			continue
		}
		if c := [3]uint8(q); !known || c != last {
			if !colour.FromBytes(c[0], c[1], c[2]).NearWhite() {
				return false
			}
			last, known = c, true
		}
	}
	return bare
}

// A Version is what came of a Spec.
type Version struct {
	Spec     Spec
	Drawing  *drawing.Drawing // nil if Refused
	Readings []Reading        // of one-ink versions, from dark to light
	Lost     float64          // share of the visible borders that melt, 0 to 1
	Places   []Place          // where they melt
	Curves   [2]int           // in the master and in the version
	Refused  string           // why the version cannot be made
	// Unbacked is set if a rectangle behind the art was left out.
	Unbacked bool
	Findings finding.List
}

// Release lets go of the division of the page, which is kept for the regions of
// the readings: those are empty from then on.
func (v *Version) Release() {
	for i := range v.Readings {
		v.Readings[i].region = func() geom.Path { return nil }
	}
}

// Region is all that the version paints, as one region; nil if it paints no
// shapes.
func (v *Version) Region(ctx context.Context) (geom.Path, error) {
	var layers []planar.Layer
	var last *drawing.Shape
	v.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			last = s
			layers = append(layers, planar.Layer{Path: s.Path, Rule: s.Rule})
		}
	})
	switch {
	case len(layers) == 0:
		return nil, nil
	case len(layers) == 1 && last.Simple:
		return last.Path, nil
	}
	return planar.Union(ctx, layers...)
}

// OnBacking reports whether the version is larger than the mark, by a shape
// behind it.
func (v *Version) OnBacking() bool { return v.Spec.Backing != nil || v.Spec.Treatment == Backed }

// OwnFrame reports whether the version stands in a frame of its own: on a
// backing, as a lockup that is not the standard one, or as a drawing of its own.
// standard tells whether the recipe has a standard lockup, so that the full mark
// as drawn is not it.
func (v *Version) OwnFrame(standard bool) bool {
	return v.Spec.Drawing != "" || v.OnBacking() && !v.Spec.toTheEdge() || !v.Spec.Whole() || standard && v.Spec.Lockup == Full
}

func (s Spec) toTheEdge() bool { return s.Backing != nil && s.Backing.Shape == ToTheEdge }

// errRefused is wrapped where a version cannot be made right.
var errRefused = errors.New("this version cannot be made")

// Make makes one version of the art, which is that of the version's own drawing if it is drawn by
// one; see Spec.DrawnBy. The error is for broken specs and for ctx; a
// version that cannot be made right comes back with Refused set.
func (a *Art) Make(ctx context.Context, s Spec) (*Version, error) {
	s, a = a.choose(s)
	v := &Version{Spec: s}
	a, err := a.lockup(ctx, s)
	if errors.Is(err, errRefused) {
		v.Refused = err.Error()
		return v, nil
	}
	if err != nil {
		return nil, err
	}
	switch s.Treatment {
	case AsDrawn:
		err = v.asDrawn(ctx, a)
	case Backed:
		if s.Ink == nil && (s.Backing == nil || !s.Backing.Knockout) {
			err = v.asDrawn(ctx, a)
			break
		}
		err = v.inked(ctx, a)
	case SingleInk, Tints:
		err = v.inked(ctx, a)
	default:
		return nil, fmt.Errorf("treatment %q is not known: as-drawn, single-ink, tints or backed", s.Treatment)
	}
	if err == nil && v.Drawing != nil && s.Finish != nil {
		err = v.finish(ctx)
	}
	if err == nil && v.Drawing != nil && (s.Backing != nil || s.Treatment == Backed) && !s.toTheEdge() {
		err = v.back(ctx, a)
	}
	if errors.Is(err, errRefused) || errors.Is(err, planar.ErrTooMany) {
		v.Drawing, v.Refused = nil, err.Error()
		return v, nil
	}
	if err != nil {
		return nil, err
	}
	if s.Opacity > 0 && s.Opacity < 1 {
		v.Drawing = with(v.Drawing, &drawing.Group{Nodes: v.Drawing.Nodes, Alpha: s.Opacity})
	}
	if v.Lost > loses {
		var box geom.Rect
		for _, p := range v.Places {
			box = box.Union(p.Box.Grow(1e-6))
		}
		v.Findings.Add(finding.DetailLost, finding.Warn,
			fmt.Sprintf("%s: %.0f %% of the edges one sees in the master melt in one ink", s.Name, v.Lost*100), "", box)
	}
	return v, nil
}

// with returns the drawing with other nodes.
func with(d *drawing.Drawing, ns ...drawing.Node) *drawing.Drawing {
	e := *d
	e.Nodes = ns
	return &e
}

// asDrawn takes the master as it is, without what a person left out.
func (v *Version) asDrawn(ctx context.Context, a *Art) error {
	v.Drawing = a.Drawing
	if v.Spec.Reversed == OnDark {
		d, err := a.onDark(ctx)
		if err != nil {
			return err
		}
		v.Drawing = d
	}
	for _, o := range v.Spec.Overrides {
		if o.As != AsOmit {
			return fmt.Errorf("%w: a version as drawn can leave colours and parts out, not read them as %s", errRefused, o.As)
		}
	}
	if len(v.Spec.Overrides) > 0 {
		v.Drawing = v.Drawing.Map(func(n drawing.Node) drawing.Node {
			if _, said := a.byPlace(v.Spec.Overrides, drawing.PartOf(n), drawing.PieceOf(n)); said {
				return nil
			}
			if s, ok := n.(*drawing.Shape); ok {
				if p, ok := s.Paint.(drawing.Solid); ok {
					if _, said := byColour(v.Spec.Overrides, p.Colour.RGB); said {
						return nil
					}
				}
			}
			return n
		})
		if v.Drawing.Bounds().Empty() {
			return fmt.Errorf("%w: everything is left out", errRefused)
		}
	}
	if v.Spec.Outline != nil {
		return fmt.Errorf("%w: an outline goes round a version in one ink", errRefused)
	}
	return nil
}
