// Package frame decides the page around the art. All versions of a mark share
// one frame, so that they sit at the same optical size.
package frame

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/field"
	"dyekit/core/geom"
)

// How the frame is found.
const (
	Artwork = "artwork" // trimmed to the paint
	ViewBox = "viewbox" // the master's own page
	Page    = "page"    // a size of its own
)

// MaxSide bounds a frame's side, in page units.
const MaxSide = 100_000

// ReachAll is one frame for all versions, whatever reaches past the art; see Spec.Reach.
const ReachAll = "all"

// A Spec says what frame is wanted. The zero Spec trims to the art.
type Spec struct {
	Fit    string  `json:"fit,omitempty"`
	Page   string  `json:"page,omitempty"`   // 400x150, 8x10in
	Margin Margins `json:"margin,omitempty"` // room around the art
	Place  string  `json:"place,omitempty"`  // one of nine; centre by default
	// Backing says that the frame of one-ink versions, too, holds a rectangle
	// behind the art that they leave out; otherwise it follows what is left.
	Backing bool `json:"backing,omitempty"`
	// Reach says whose frame it is where an outline or a finish reaches past the art: that
	// version has a larger one of its own, to the same scale, or with ReachAll the frame of
	// all is as large.
	Reach string `json:"reach,omitempty"`
	// Clear is room measured in a part of the mark, instead of Margin.
	Clear *Clear `json:"clear,omitempty"`
	// Smallest is the least width at which the mark may stand: px for files,
	// mm, cm, in or pt for those with a size on paper.
	Smallest Length `json:"smallest,omitempty"`
}

// Clear is the clear space of a mark: so many times the height of a part.
type Clear struct {
	Part  string  `json:"part"`
	Times float64 `json:"times"`
}

// maxClear bounds a clear space, in heights of its part.
const maxClear = 20

// Margins are one length for all sides or four: top, right, bottom, left.
type Margins []Length

// UnmarshalJSON reads one length or a list of four.
func (m *Margins) UnmarshalJSON(b []byte) error {
	var one Length
	if err := json.Unmarshal(b, &one); err == nil {
		*m = Margins{one}
		return nil
	}
	var four []Length
	if err := json.Unmarshal(b, &four); err != nil || len(four) != 1 && len(four) != 4 {
		return fmt.Errorf("a margin is one length or a list of four, such as \"4%%\" or [\"2mm\", 0, 0, 0]")
	}
	*m = four
	return nil
}

// MarshalJSON writes what UnmarshalJSON reads.
func (m Margins) MarshalJSON() ([]byte, error) {
	if len(m) == 1 {
		return json.Marshal(string(m[0]))
	}
	return json.Marshal([]Length(m))
}

// A Length is a number with a unit: px, pt, mm, cm, in or %; without a unit
// it is px.
type Length string

// UnmarshalJSON reads a string or a bare number.
func (l *Length) UnmarshalJSON(b []byte) error {
	var n json.Number
	if err := json.Unmarshal(b, &n); err == nil && b[0] != '"' {
		*l = Length(n.String())
		return nil
	}
	var s string
	if err := json.Unmarshal(b, &s); err != nil {
		return fmt.Errorf("a length is a number or a text such as \"4mm\"")
	}
	*l = Length(s)
	_, err := l.Px(1)
	return err
}

var unit = map[string]float64{"": 1, "px": 1, "pt": 96.0 / 72, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96}

// Unit is the unit of a length; without one it is px.
func (l Length) Unit() string {
	u := strings.TrimLeft(strings.TrimSpace(string(l)), "0123456789.- ")
	if u == "" {
		return "px"
	}
	return u
}

// Px returns the length in page units; of is what 100 % means.
func (l Length) Px(of float64) (float64, error) {
	s := strings.TrimSpace(string(l))
	i := len(s)
	for i > 0 && !(s[i-1] >= '0' && s[i-1] <= '9' || s[i-1] == '.') {
		i--
	}
	v, err := strconv.ParseFloat(s[:i], 64)
	k, known := unit[strings.TrimSpace(s[i:])]
	if strings.TrimSpace(s[i:]) == "%" {
		k, known = of/100, true
	}
	if err != nil || !known || math.IsInf(v, 0) || math.IsNaN(v) {
		return 0, fmt.Errorf("%q is not a length: write a number with px, pt, mm, cm, in or %%", s)
	}
	return v * k, nil
}

var sizes = regexp.MustCompile(`^([0-9.]+)\s*(px|pt|mm|cm|in)?\s*x\s*([0-9.]+)\s*(px|pt|mm|cm|in)?$`)

// Size reads two lengths joined by x, the unit once at the end or on both:
// 400x150, 8x10in, 80mmx30mm. The result is in page units.
func Size(s string) (w, h float64, err error) {
	m := sizes.FindStringSubmatch(strings.ToLower(strings.TrimSpace(s)))
	if m == nil {
		return 0, 0, fmt.Errorf("%q is not a size: write it like 400x150 or 8x10in", s)
	}
	if m[2] == "" {
		m[2] = m[4]
	}
	w, err = Length(m[1] + m[2]).Px(0)
	if err == nil {
		h, err = Length(m[3] + m[4]).Px(0)
	}
	if err != nil || !(w > 0 && h > 0 && w <= MaxSide && h <= MaxSide) {
		return 0, 0, fmt.Errorf("%q is not a size between 0 and %d px", s, MaxSide)
	}
	return w, h, nil
}

// places are the nine positions as shares of the room left over.
var places = map[string][2]float64{
	"": {0.5, 0.5}, "centre": {0.5, 0.5}, "top": {0.5, 0}, "bottom": {0.5, 1},
	"left": {0, 0.5}, "right": {1, 0.5}, "top-left": {0, 0}, "top-right": {1, 0},
	"bottom-left": {0, 1}, "bottom-right": {1, 1},
}

// Check reports what is wrong with the spec, whatever the art.
func (s Spec) Check() error {
	switch s.Fit {
	case "", Artwork, ViewBox:
		if s.Page != "" {
			return field.Errorf("page", "a page size needs \"fit\": \"page\"")
		}
	case Page:
		if _, _, err := Size(s.Page); err != nil {
			return field.In("page", err)
		}
	default:
		return field.Errorf("fit", "%q is not known: artwork, viewbox or page", s.Fit)
	}
	if _, ok := places[s.Place]; !ok {
		return field.Errorf("place", "%q is not one of centre, top, bottom, left, right, top-left, top-right, bottom-left, bottom-right", s.Place)
	}
	if s.Reach != "" && s.Reach != ReachAll {
		return field.Errorf("reach", "%q is not known: all, or nothing", s.Reach)
	}
	if s.Clear != nil {
		if s.Clear.Part == "" {
			return field.Errorf("clear.part", "which part the clear space is measured in is missing")
		}
		if !(s.Clear.Times >= 0 && s.Clear.Times <= maxClear) {
			return field.Errorf("clear.times", "%v is not between 0 and %d heights of the part", s.Clear.Times, maxClear)
		}
	}
	if s.Smallest != "" {
		if v, err := s.Smallest.Px(0); err != nil {
			return field.In("smallest", err)
		} else if v < 0 || s.Smallest.Unit() == "%" {
			return field.Errorf("smallest", "%q is no width: write it in px, mm, cm, in or pt", string(s.Smallest))
		}
	}
	for _, l := range s.Margin {
		if v, err := l.Px(1); err != nil {
			return field.In("margin", err)
		} else if v < 0 {
			return field.Errorf("margin", "%q is below 0", string(l))
		}
	}
	return nil
}

// A Frame is the part of the drawing that a file shows, and the size at which
// it shows it. Both have the same proportions.
type Frame struct {
	Box  geom.Rect // in page units of the drawing
	W, H float64   // nominal size, in px of 1/96 in
}

// Scale is the factor from the drawing's units to px of the frame.
func (f Frame) Scale() float64 { return f.W / f.Box.W() }

// Points is the nominal size in pt: 72 to the inch of 96 px.
func (f Frame) Points() (w, h float64) { return f.W * 0.75, f.H * 0.75 }

// Resolved turns a clear space into a margin; height is that of its part, in
// page units.
func (s Spec) Resolved(height float64) Spec {
	if s.Clear != nil {
		s.Margin = Margins{Length(strconv.FormatFloat(s.Clear.Times*height, 'g', -1, 64))}
		s.Clear = nil
	}
	return s
}

// Of returns the frame around the art of d.
func (s Spec) Of(d *drawing.Drawing) (Frame, error) {
	return s.Around(d.Bounds().Intersect(d.Page), d.Page)
}

// Around returns the frame around art that lies on a page, both in page units
// of the drawing.
func (s Spec) Around(art, page geom.Rect) (Frame, error) {
	if err := s.Check(); err != nil {
		return Frame{}, err
	}
	if art.Empty() {
		return Frame{}, fmt.Errorf("the drawing is empty")
	}
	var side [4]float64 // top, right, bottom, left
	for i := range side {
		if len(s.Margin) > 0 {
			side[i], _ = s.Margin[min(i, len(s.Margin)-1)].Px(art.Long())
		}
	}
	room := geom.Rect{X0: art.X0 - side[3], Y0: art.Y0 - side[0], X1: art.X1 + side[1], Y1: art.Y1 + side[2]}
	switch s.Fit {
	case ViewBox:
		return Frame{page, page.W(), page.H()}, nil
	case Page:
		w, h, err := Size(s.Page)
		if err != nil {
			return Frame{}, err
		}
		// The page in the art's units: the art with its room just fits in.
		return Frame{Around(room, w, h, s.Place), w, h}, nil
	}
	// Units say little about size: art drawn in very large ones is shown smaller.
	k := min(1, MaxSide/room.Long())
	return Frame{room, room.W() * k, room.H() * k}, nil
}

// Around returns the smallest box with the proportions w : h that holds r,
// with r at the place named. Nothing is ever distorted.
func Around(r geom.Rect, w, h float64, place string) geom.Rect {
	k := max(r.W()/w, r.H()/h)
	bw, bh := w*k, h*k
	p := places[place]
	x, y := r.X0-(bw-r.W())*p[0], r.Y0-(bh-r.H())*p[1]
	return geom.Rect{X0: x, Y0: y, X1: x + bw, Y1: y + bh}
}
