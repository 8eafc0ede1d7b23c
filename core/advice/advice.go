// Package advice is the one place that tells people what to do with a mark: how
// small it may be, how much room it wants, which version stands on which ground,
// and which file serves which use.
//
// It judges what is seen: a drawing is divided into pieces of one colour, as a
// reader or a printer meets them, and rules of the trade are applied to those.
// Every answer carries its reason in one sentence. Nothing here draws for people,
// writes files or leaves any out; what a person decided stands above the advice
// and is handed in.
package advice

import (
	"context"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// An Advice is all that is told of a mark, in the shape in which kit.json and
// inspect carry it.
type Advice struct {
	Smallest []Smallest `json:"smallest"`
	Room     *Room      `json:"room"` // nil if the mark paints nothing
	Grounds  []Ground   `json:"grounds"`
	Uses     []Use      `json:"uses,omitempty"`
}

// A Version is one of a mark, as it is judged.
type Version struct {
	Name     string
	Lockup   string           // as it is called: full if it is the whole mark
	Drawing  *drawing.Drawing // with its ground, if it brings one
	Mark     *drawing.Drawing // without it; Drawing if nil
	Dark     bool             // made for dark grounds
	OneInk   bool             // all of it in one ink, Ink
	Ink      colour.RGB       // of OneInk
	Backing  *colour.RGB      // the colour of a shape of its own behind it
	Outlined bool             // with a line of another colour round it
	Part     bool             // less than the whole mark
	Smallest string           // a width that a person wrote, with its unit; "" for none
}

// mark is what is judged of a version.
func (v Version) mark() *drawing.Drawing {
	if v.Mark != nil {
		return v.Mark
	}
	return v.Drawing
}

// Ground is what a version is meant for: its own backing, a dark ground or white.
func (v Version) Ground() colour.RGB {
	switch {
	case v.Backing != nil:
		return *v.Backing
	case v.Dark:
		return DarkGround
	}
	return colour.White
}

// DarkGround is where versions for dark grounds are judged and shown: not quite
// black, as screens and printed sheets are.
var DarkGround = colour.FromBytes(0x2b, 0x2b, 0x2a)

// A Judged is a version with what is seen of it.
type Judged struct {
	Version
	Look *Look
}

// Judge looks at a version: finely for its size and room, coarsely for its grounds.
func Judge(ctx context.Context, v Version, grain Grain) (Judged, error) {
	l, err := See(ctx, v.mark(), v.Ground(), grain)
	return Judged{v, l}, err
}
