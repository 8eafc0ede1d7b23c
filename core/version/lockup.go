package version

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/field"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/parts"
	"dyekit/core/raster"
)

// Full is the lockup of the whole mark as drawn, which is also meant by none
// unless the recipe has a standard lockup.
const Full = "full"

// A Placing is how the parts of a lockup stand; as drawn if empty.
type Placing string

const (
	Beside  Placing = "beside"  // in a row, from left to right
	Stacked Placing = "stacked" // under each other
	ByStand Placing = "at"      // each where Lockup.At says
)

// MaxGap bounds the distance between the parts of a lockup, in heights of the
// first.
const MaxGap = 10

// Bounds of a Stand: distances in heights of the first part, and scales.
const (
	MaxStand   = 50
	LeastScale = 0.02
	MostScale  = 50
)

// A Stand is where a part of a lockup stands: the left upper corner of its box, from that of the
// first part, in heights of the first part; y grows downwards. Scale is how large it is, with the
// first part as large as in the master; 0 stands for 1.
type Stand struct {
	X     float64 `json:"x"`
	Y     float64 `json:"y"`
	Scale float64 `json:"scale,omitempty"`
}

// A Lockup is some parts of the mark, as they stand in the master or placed
// anew.
type Lockup struct {
	Name  string   `json:"name"`
	Parts []string `json:"parts,omitempty"`
	// Drawing stands for the lockup instead of parts of the master: FILE or FILE#PAGE.
	Drawing string  `json:"drawing,omitempty"`
	Placed  Placing `json:"placed,omitempty"` // as drawn if empty
	// Gap is the distance between neighbours, in heights of the first part.
	Gap float64 `json:"gap,omitempty"`
	// Gaps are those between neighbours one by one, in the same unit; where there
	// is none, Gap holds.
	Gaps []float64 `json:"gaps,omitempty"`
	// At are the places of the parts after the first.
	At []Stand `json:"at,omitempty"`
	// Smallest is the least width at which the lockup may stand; see frame.Spec.
	Smallest frame.Length `json:"smallest,omitempty"`
	// Below makes it the lockup for small places: where the main one would be narrower than
	// this, this one stands in for it.
	Below    frame.Length `json:"below,omitempty"`
	Standard bool         `json:"standard,omitempty"` // stands for the whole mark
}

// gap is the distance before the part at i, from 1.
func (l Lockup) gap(i int) float64 {
	if i-1 < len(l.Gaps) {
		return l.Gaps[i-1]
	}
	return l.Gap
}

// Check reports what is wrong with a lockup whatever the art.
func (l Lockup) Check() error {
	switch {
	case l.Name == "" || len(l.Name) > 60:
		return field.Errorf("name", "a lockup needs a name of at most 60 letters")
	case l.Name == Full:
		return field.Errorf("name", "%q is the whole mark as drawn", Full)
	case l.Drawing != "" && (len(l.Parts) > 0 || l.Placed != "" || l.Gap != 0 || len(l.Gaps) > 0 || len(l.At) > 0):
		return field.Errorf("drawing", "a lockup that has a drawing of its own is not put together from parts as well")
	case l.Drawing == "" && len(l.Parts) == 0:
		return field.Errorf("parts", "a lockup needs at least one part, or a drawing of its own")
	case !(l.Gap >= 0 && l.Gap <= MaxGap):
		return field.Errorf("gap", "%v is not between 0 and %d heights of the first part", l.Gap, MaxGap)
	}
	if err := l.checkPlaces(); err != nil {
		return err
	}
	if len(l.Gaps) >= max(1, len(l.Parts)) {
		return field.Errorf("gaps", "there are %d between %d parts", len(l.Gaps), len(l.Parts))
	}
	for i, g := range l.Gaps {
		if !(g >= 0 && g <= MaxGap) {
			return field.Errorf(field.At("gaps", i), "%v is not between 0 and %d heights of the first part", g, MaxGap)
		}
	}
	for _, w := range []struct {
		name  string
		width frame.Length
	}{{"smallest", l.Smallest}, {"below", l.Below}} {
		if w.width == "" {
			continue
		}
		if v, err := w.width.Px(0); err != nil {
			return field.In(w.name, err)
		} else if v < 0 || w.width.Unit() == "%" {
			return field.Errorf(w.name, "%q is no width: write it in px, mm, cm, in or pt", string(w.width))
		}
	}
	if l.Below != "" && l.Standard {
		return field.Errorf("below", "the standard lockup cannot stand in for itself")
	}
	switch l.Placed {
	case "", Beside, Stacked, ByStand:
		return nil
	}
	return field.Errorf("placed", "%q is not %s, %s, %s or empty", l.Placed, Beside, Stacked, ByStand)
}

// checkPlaces reports what is wrong with the places of parts.
func (l Lockup) checkPlaces() error {
	if l.Placed != ByStand {
		if len(l.At) > 0 {
			return field.Errorf("at", "places of parts are for a lockup that is placed %q", ByStand)
		}
		return nil
	}
	if len(l.At) != len(l.Parts)-1 {
		return field.Errorf("at", "there are %d places for the %d parts after the first", len(l.At), len(l.Parts)-1)
	}
	for i, p := range l.At {
		switch {
		case !(math.Abs(p.X) <= MaxStand) || !(math.Abs(p.Y) <= MaxStand):
			return field.Errorf(field.At("at", i), "%v, %v is not within %d heights of the first part", p.X, p.Y, MaxStand)
		case p.Scale != 0 && !(p.Scale >= LeastScale && p.Scale <= MostScale):
			return field.Errorf(field.At("at", i)+".scale", "%v is not between %v and %v", p.Scale, LeastScale, MostScale)
		}
	}
	for i, p := range l.Parts {
		if slices.ContainsFunc(l.Parts[:i], func(o string) bool { return strings.EqualFold(o, p) }) {
			return field.Errorf(field.At("parts", i), "%q is there twice", p)
		}
	}
	return nil
}

// Whole reports whether the version shows the whole mark.
func (s Spec) Whole() bool { return s.Lockup == "" || s.Lockup == Full }

// ForSquares reports whether the version is made for square places alone: its lockup is
// the first of several that the mark has.
func (s Spec) ForSquares() bool { return s.Square || strings.Contains(s.Lockup, "|") }

// choose takes the first of several lockups that the mark has: parts of these names;
// symbol also where how the pieces lie leaves no doubt which they are; full always.
func (a *Art) choose(s Spec) (Spec, *Art) {
	if s.Arranged != nil || !strings.Contains(s.Lockup, "|") {
		return s, a
	}
	s.Square = true
	if s.Drawing != "" { // it shows what it shows
		s.Lockup = strings.TrimSpace(s.Lockup[:strings.IndexByte(s.Lockup, '|')])
		return s, a
	}
	known := a.Drawing.Parts()
	for alt := range strings.SplitSeq(s.Lockup, "|") {
		alt = strings.TrimSpace(alt)
		if alt == Full {
			s.Lockup = ""
			return s, a
		}
		missing := false
		for p := range strings.SplitSeq(alt, "+") {
			missing = missing || !slices.ContainsFunc(known, func(k string) bool { return strings.EqualFold(k, strings.TrimSpace(p)) })
		}
		if !missing {
			if whole, apart := a.withInside(alt); apart {
				s.Lockup = whole
				return s, a
			}
			continue
		}
		if alt == parts.Symbol {
			if named := a.withSymbol(); named != nil {
				s.Lockup = alt
				return s, named
			}
		}
	}
	return s, a // none: the refusal names them
}

// withInside adds to a part those that lie in it, as groups within a group do. apart is
// false if there is lettering among them: then the part is no drawing by itself.
func (a *Art) withInside(part string) (lockup string, apart bool) {
	if strings.Contains(part, "+") {
		return part, true // somebody said which
	}
	boxes, letters := map[string]geom.Rect{}, map[string]bool{}
	a.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		p := drawing.PartOf(n)
		if _, group := n.(*drawing.Group); group || p == "" {
			return
		}
		boxes[p] = boxes[p].Union(drawing.Bounds(n))
		if s, ok := n.(*drawing.Shape); ok && s.Origin == drawing.Lettered {
			letters[p] = true
		}
	})
	var home geom.Rect
	for p, b := range boxes {
		if strings.EqualFold(p, part) {
			home = b
		}
	}
	out := []string{part}
	for _, p := range a.Drawing.Parts() {
		b := boxes[p]
		if p == parts.Backing || strings.EqualFold(p, part) || b.Intersect(home).Area() < 0.5*b.Area() {
			continue
		}
		if letters[p] || p == parts.Wordmark || p == parts.Tagline {
			return "", false
		}
		out = append(out, p)
	}
	return strings.Join(out, "+"), true
}

// compact is how many times longer than high a symbol is at most, to stand in a square.
const compact = 2.0

// withSymbol is the art with its symbol named where how the pieces lie leaves no doubt:
// it stands beside lettering, apart from it, and is no strip. nil otherwise.
func (a *Art) withSymbol() *Art {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.suggested {
		return a.named
	}
	a.suggested = true
	ns := parts.Suggest(a.Drawing, a.Keys)
	box := func(name string) (b geom.Rect, n parts.Naming) {
		for _, x := range ns {
			if x.Name == name {
				n = x
			}
		}
		has := map[string]bool{}
		for _, k := range n.Pieces {
			has[k] = true
		}
		for _, p := range parts.Pieces(a.Drawing, a.Keys) {
			if has[p.Key] {
				b = b.Union(p.Box)
			}
		}
		return b, n
	}
	symbol, n := box(parts.Symbol)
	word, _ := box(parts.Wordmark)
	both := symbol.Intersect(word)
	if symbol.Empty() || word.Empty() || !both.Empty() && both.Area() > 0.02*symbol.Area() ||
		symbol.Long() > compact*min(symbol.W(), symbol.H()) || symbol.Long() < 0.08*a.Drawing.Bounds().Long() {
		return nil
	}
	a.named = &Art{Drawing: parts.Rename(a.Drawing, a.Keys, n), Keys: a.Keys, Outlines: a.Outlines}
	return a.named
}

// lockup returns the art that a version shows: the whole, a lockup of the
// recipe, or some parts as drawn, their names joined by plus signs. Each is
// made once.
func (a *Art) lockup(ctx context.Context, s Spec) (*Art, error) {
	l := Lockup{Name: s.Lockup}
	switch {
	case s.DrawnBy() != "": // all of the drawing is it
		return a, nil
	case s.Arranged != nil:
		l = *s.Arranged
	case s.Whole():
		return a, nil
	default:
		for p := range strings.SplitSeq(s.Lockup, "+") {
			l.Parts = append(l.Parts, strings.TrimSpace(p))
		}
	}
	key, err := json.Marshal(l)
	if err != nil {
		return nil, err
	}
	known := func(made *Art) *Art {
		a.mu.Lock()
		defer a.mu.Unlock()
		if x, ok := a.lockups[string(key)]; ok || made == nil {
			return x
		}
		if a.lockups == nil {
			a.lockups = map[string]*Art{}
		}
		a.lockups[string(key)] = made
		return made
	}
	if x := known(nil); x != nil {
		return x, nil
	}
	return a.arranging.Do(ctx, string(key), func(ctx context.Context) (*Art, error) {
		d, err := Arrange(ctx, a.Drawing, l)
		if err != nil {
			return nil, err
		}
		return known(&Art{Drawing: d, Keys: a.Keys, Outlines: a.Outlines}), nil
	})
}

// Arrange returns the parts of a lockup alone, placed as it says. Parts placed
// anew stand with their optical centres in line: halfway between the middle
// of the box and the centre of the painted area, as a box alone lets a heavy
// foot or a long tail pull the rest aside (a rule of this engine).
func Arrange(ctx context.Context, d *drawing.Drawing, l Lockup) (*drawing.Drawing, error) {
	e, _, err := Positions(ctx, d, l)
	return e, err
}

// Positions is Arrange, with the boxes of the parts where they came to stand; as
// drawn there are none.
func Positions(ctx context.Context, d *drawing.Drawing, l Lockup) (*drawing.Drawing, []geom.Rect, error) {
	if err := l.checkPlaces(); err != nil {
		return nil, nil, fmt.Errorf("%w: %w", errRefused, err)
	}
	parts := d.Parts()
	var want []string
	for _, p := range l.Parts {
		i := slices.IndexFunc(parts, func(x string) bool { return strings.EqualFold(x, p) })
		if i < 0 {
			known := "none has a name"
			if len(parts) > 0 {
				known = "there are " + strings.Join(parts, ", ")
			}
			return nil, nil, fmt.Errorf("%w: the master has no part called %q; %s", errRefused, p, known)
		}
		if !slices.Contains(want, parts[i]) {
			want = append(want, parts[i])
		}
	}
	e := *d
	if l.Placed == "" {
		e.Nodes = only(d.Nodes, want)
		return &e, nil, nil
	}
	e.Nodes = nil
	var end geom.Rect // of the part before
	var line geom.Point
	unit := 0.0
	var boxes []geom.Rect
	for i, p := range want {
		ns := only(d.Nodes, []string{p})
		one := drawing.Drawing{Page: d.Page, Nodes: ns}
		box := one.Bounds()
		if box.Empty() {
			return nil, nil, fmt.Errorf("%w: the part %q paints nothing", errRefused, p)
		}
		var c geom.Point
		if l.Placed != ByStand {
			var err error
			if c, err = centre(ctx, &one, box); err != nil {
				return nil, nil, err
			}
		}
		var m geom.Affine
		switch {
		case i == 0:
			m, line, unit = geom.Identity, c, box.H()
		case l.Placed == ByStand:
			at := l.At[i-1]
			k := cmp.Or(at.Scale, 1)
			m = geom.Translate(boxes[0].X0+at.X*unit, boxes[0].Y0+at.Y*unit).Mul(geom.Scale(k, k)).Mul(geom.Translate(-box.X0, -box.Y0))
		case l.Placed == Beside:
			m = geom.Translate(end.X1+l.gap(i)*unit-box.X0, line.Y-c.Y)
		default:
			m = geom.Translate(line.X-c.X, end.Y1+l.gap(i)*unit-box.Y0)
		}
		end = m.Rect(box)
		boxes = append(boxes, end)
		e.Nodes = append(e.Nodes, drawing.Moved(ns, m)...)
	}
	e.Page = e.Bounds()
	return &e, boxes, nil
}

// centre is the optical centre of art: halfway between the middle of its box
// and the centre of its painted area, which is counted on pixels.
func centre(ctx context.Context, d *drawing.Drawing, box geom.Rect) (geom.Point, error) {
	const side = 256
	k := side / box.Long()
	w, h := max(1, int(box.W()*k)), max(1, int(box.H()*k))
	img, err := raster.Render(ctx, d, raster.Fit(box, w, h), w, h, raster.Options{})
	if err != nil {
		return geom.Point{}, err
	}
	var sum, x, y float64
	for i := range w * h {
		a := float64(img.Pix[4*i+3])
		sum += a
		x += a * (float64(i%w) + 0.5)
		y += a * (float64(i/w) + 0.5)
	}
	mid := box.Centre()
	if sum == 0 {
		return mid, nil
	}
	mass := geom.Pt(box.X0+x/sum/float64(w)*box.W(), box.Y0+y/sum/float64(h)*box.H())
	return mid.Lerp(mass, 0.5), nil
}

// only keeps shapes and pictures of the parts, with the groups that hold them.
func only(ns []drawing.Node, parts []string) []drawing.Node {
	var out []drawing.Node
	for _, n := range ns {
		if g, ok := n.(*drawing.Group); ok {
			c := *g
			if c.Nodes = only(g.Nodes, parts); len(c.Nodes) > 0 {
				out = append(out, &c)
			}
		} else if slices.Contains(parts, drawing.PartOf(n)) {
			out = append(out, n)
		}
	}
	return out
}
