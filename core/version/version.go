// Package version makes versions of a mark: drawings derived from the master.
//
// It reads colours and decides what is ink; it writes no files and draws no
// pixels for people. What it cannot yet make right it refuses with a reason.
package version

import (
	"context"
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// The treatments a recipe may ask for.
const (
	AsDrawn   = "as-drawn"
	SingleInk = "single-ink"
	Tints     = "tints"
	Backed    = "backed"
)

// How a version for dark grounds is read.
const (
	SameShapes = "same-shapes"
	KeepLight  = "keep-light"
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

// An Override is a person's word on a colour or a part.
type Override struct {
	Colour string  `json:"colour,omitempty"`
	Part   string  `json:"part,omitempty"`
	As     string  `json:"as"` // ink, paper, tint or omit
	Tint   float64 `json:"tint,omitempty"`
}

// An Outline is a line of another ink round a version.
type Outline struct {
	Width string `json:"width"`
	Side  string `json:"side,omitempty"`
	Ink   *Ink   `json:"ink,omitempty"`
}

// A Spec says how a version is to be made.
type Spec struct {
	Name      string     `json:"name"`
	Treatment string     `json:"treatment"`
	Ink       *Ink       `json:"ink,omitempty"`
	Lockup    string     `json:"lockup,omitempty"`
	Reversed  string     `json:"reversed,omitempty"`
	Overrides []Override `json:"overrides,omitempty"`
	Gap       string     `json:"gap,omitempty"`
	Outline   *Outline   `json:"outline,omitempty"`
	Opacity   float64    `json:"opacity,omitempty"` // 0 to 1; 0 stands for 1
	Backing   string     `json:"backing,omitempty"`
}

// White reports whether the version is painted in paper white alone.
func (s Spec) White() bool {
	return s.Treatment == SingleInk && s.Ink != nil && s.Ink.White()
}

// A Version is what came of a Spec.
type Version struct {
	Spec     Spec
	Drawing  *drawing.Drawing // nil if Refused
	Readings []Reading        // of one-ink versions, in order of painting
	Lost     float64          // share of the visible edges that melt, 0 to 1
	Refused  string           // why the version cannot be made
	Findings finding.List
}

// Make makes one version. The error is for broken specs and for ctx; a
// version that cannot be made right comes back with Refused set.
func Make(ctx context.Context, d *drawing.Drawing, s Spec) (*Version, error) {
	v := &Version{Spec: s}
	for _, x := range []struct {
		asked bool
		what  string
	}{
		{s.Lockup != "" && s.Lockup != "full", "lockups other than the whole mark"},
		{s.Gap != "", "the keep-apart gap"},
		{s.Outline != nil, "outlines around a version"},
		{s.Backing != "", "backings"},
		{s.Reversed == KeepLight, "the reversed reading keep-light"},
		{s.Treatment == Tints, "tints"},
		{s.Treatment == Backed, "versions on a backing"},
	} {
		if x.asked {
			v.Refused = x.what + " cannot be made yet"
			return v, nil
		}
	}
	switch s.Treatment {
	case AsDrawn:
		if len(s.Overrides) > 0 {
			v.Refused = "overrides in a version as drawn cannot be made yet"
			return v, nil
		}
		v.Drawing = d
	case SingleInk:
		if err := v.singleInk(ctx, d); err != nil {
			return nil, err
		}
	default:
		return nil, fmt.Errorf("treatment %q is not known: as-drawn, single-ink, tints or backed", s.Treatment)
	}
	if v.Drawing != nil && s.Opacity > 0 && s.Opacity < 1 {
		e := *v.Drawing
		e.Nodes = []drawing.Node{&drawing.Group{Nodes: e.Nodes, Alpha: s.Opacity}}
		v.Drawing = &e
	}
	if v.Lost > loses {
		v.Findings.Add("detail-lost", finding.Warn,
			fmt.Sprintf("%s: %.0f %% of the edges one sees in the master melt in one ink", s.Name, v.Lost*100), "", geom.Rect{})
	}
	return v, nil
}
